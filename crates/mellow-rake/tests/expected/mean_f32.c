/* Written by Mellow Rake 0.1.0; change the spec, not this file. */
#include "mean_f32.h"

#include <float.h>

#if defined(__FAST_MATH__) || FLT_EVAL_METHOD < 0 || FLT_EVAL_METHOD > 0
#error "mean_f32: compile it so that each operation is rounded as IEEE 754 says"
#endif
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize ("fp-contract=off")
#else
#pragma STDC FP_CONTRACT OFF
#endif

/* h[0] first: y[n] = h[0] x[n] + h[1] x[n-1] + ... */
static const float mean_f32_taps[8] = {
    0.125f, 0.125f, 0.125f, 0.125f, 0.125f,
    0.125f, 0.125f, 0.125f
};

void mean_f32_init(struct mean_f32 *filter)
{
    for (int k = 0; k < 7; k++) { filter->x[k] = 0; }
}

float mean_f32_step(struct mean_f32 *filter, float input)
{
    float sum = mean_f32_taps[0] * input;
    for (int k = 0; k < 7; k++) {
        sum = sum + mean_f32_taps[k + 1] * filter->x[k];
    }
    for (int k = 6; k > 0; k--) {
        filter->x[k] = filter->x[k - 1];
    }
    filter->x[0] = input;
    return sum;
}

void mean_f32_block(struct mean_f32 *filter, const float *input, float *output, size_t count)
{
    size_t i;
    for (i = 0; i < count; i++) {
        output[i] = mean_f32_step(filter, input[i]);
    }
}
