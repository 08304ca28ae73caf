/* Written by Mellow Rake 0.1.0; change the spec, not this file.

   A filter in single precision, direct-form-2-transposed. Every operation is one of IEEE 754,
   rounded to nearest, in the order of the text; nothing is contracted. A processor that takes
   subnormal numbers for zero gives other bits. An infinity, or what is not a number, stays in
   a feedback until hum_f32_init is called. The output belongs to the input of the same call. */
#ifndef HUM_F32_H
#define HUM_F32_H

#include <limits.h>
#include <stddef.h>

/* Numbers of 32 bits, and an int that counts all that is remembered. */
typedef char hum_f32_fits_this_processor[CHAR_BIT == 8 && sizeof(float) == 4 && INT_MAX >= 5 ? 1 : -1];

#ifdef __cplusplus
extern "C" {
#endif

/* One filter; as many as you like side by side. */
struct hum_f32 {
    float s[2]; /* what earlier samples add to the next y, and to the one behind it */
};

/* The zero state; call before the first sample. */
void hum_f32_init(struct hum_f32 *filter);

/* One sample. */
float hum_f32_step(struct hum_f32 *filter, float input);

/* count samples; input and output may be the same array. */
void hum_f32_block(struct hum_f32 *filter, const float *input, float *output, size_t count);

#ifdef __cplusplus
}
#endif

#endif
