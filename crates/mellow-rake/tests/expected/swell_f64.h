/* Written by Mellow Rake 0.1.0; change the spec, not this file.

   A filter in double precision, direct-form-1. Every operation is one of IEEE 754,
   rounded to nearest, in the order of the text; nothing is contracted. A processor that takes
   subnormal numbers for zero gives other bits. An infinity, or what is not a number, stays in
   a feedback until swell_f64_init is called. The output belongs to the input of the same call. */
#ifndef SWELL_F64_H
#define SWELL_F64_H

#include <limits.h>
#include <stddef.h>

/* Numbers of 64 bits, and an int that counts all that is remembered. */
typedef char swell_f64_fits_this_processor[CHAR_BIT == 8 && sizeof(double) == 8 && INT_MAX >= 5 ? 1 : -1];

#ifdef __cplusplus
extern "C" {
#endif

/* One filter; as many as you like side by side. */
struct swell_f64 {
    double s[2][4]; /* x[n-1], x[n-2], y[n-1], y[n-2] */
};

/* The zero state; call before the first sample. */
void swell_f64_init(struct swell_f64 *filter);

/* One sample. */
double swell_f64_step(struct swell_f64 *filter, double input);

/* count samples; input and output may be the same array. */
void swell_f64_block(struct swell_f64 *filter, const double *input, double *output, size_t count);

#ifdef __cplusplus
}
#endif

#endif
