/* Written by Mellow Rake 0.1.0; change the spec, not this file. */
#include "swell_f64.h"

#include <float.h>

#if defined(__FAST_MATH__) || FLT_EVAL_METHOD < 0 || FLT_EVAL_METHOD > 1
#error "swell_f64: compile it so that each operation is rounded as IEEE 754 says"
#endif
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize ("fp-contract=off")
#else
#pragma STDC FP_CONTRACT OFF
#endif

/* b0, b1, b2, a1, a2 of H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2) */
static const double swell_f64_sections[2][5] = {
    { 0.012773570342747452, 0.025547140685494903, 0.012773570342747452, -1.5752399777881516, 0.6263342591591414 },
    { 0.014343368255973578, 0.028686736511947156, 0.014343368255973578, -1.7688278599237215, 0.8262013329476159 },
};

void swell_f64_init(struct swell_f64 *filter)
{
    for (int row = 0; row < 2; row++) {
        for (int k = 0; k < 4; k++) { filter->s[row][k] = 0; }
    }
}

double swell_f64_step(struct swell_f64 *filter, double input)
{
    double word = input;
    for (int row = 0; row < 2; row++) {
        const double *c = swell_f64_sections[row];
        double *s = filter->s[row];
        const double y = c[0] * word + c[1] * s[0] + c[2] * s[1] - c[3] * s[2] - c[4] * s[3];
        s[1] = s[0];
        s[0] = word;
        s[3] = s[2];
        s[2] = y;
        word = y;
    }
    return word;
}

void swell_f64_block(struct swell_f64 *filter, const double *input, double *output, size_t count)
{
    size_t i;
    for (i = 0; i < count; i++) {
        output[i] = swell_f64_step(filter, input[i]);
    }
}
