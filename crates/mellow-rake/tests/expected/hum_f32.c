/* Written by Mellow Rake 0.1.0; change the spec, not this file. */
#include "hum_f32.h"

#include <float.h>

#if defined(__FAST_MATH__) || FLT_EVAL_METHOD < 0 || FLT_EVAL_METHOD > 0
#error "hum_f32: compile it so that each operation is rounded as IEEE 754 says"
#endif
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize ("fp-contract=off")
#else
#pragma STDC FP_CONTRACT OFF
#endif

/* b0, b1, b2, a1, a2 of H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2) */
static const float hum_f32_sections[5] = {
    0.9845337f, -1.678906f, 0.9845337f, -1.678906f, 0.9690674f
};

void hum_f32_init(struct hum_f32 *filter)
{
    for (int k = 0; k < 2; k++) { filter->s[k] = 0; }
}

float hum_f32_step(struct hum_f32 *filter, float input)
{
    const float *c = hum_f32_sections;
    float *s = filter->s;
    const float word = input;
    const float y = c[0] * word + s[0];
    s[0] = c[1] * word - c[3] * y + s[1];
    s[1] = c[2] * word - c[4] * y;
    return y;
}

void hum_f32_block(struct hum_f32 *filter, const float *input, float *output, size_t count)
{
    size_t i;
    for (i = 0; i < count; i++) {
        output[i] = hum_f32_step(filter, input[i]);
    }
}
