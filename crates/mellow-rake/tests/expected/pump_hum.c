/* Written by Mellow Rake 0.1.0; change the spec, not this file.

   The program, in the terms of the comments below:

     in s16f15, out s16f15
     table section s16f14: 16131 -27507 16131 -27507 15877
     line x s16f15: 1 row, ages 1 to 2
     line y s16f15: 1 row, ages 1 to 2
     n0 s16f15 = input
     n1 s16f15 = store n0 in x[0]
     n2 s33f29 = sum +dot(section[0][0..3], x[0] ages 0..3) -dot(section[0][3..5], y[0] ages 1..3)
     n3 s19f15 = round n2, drop 14 bits, half-up
     n4 s16f15 = limit n3, saturate, may act
     n5 s16f15 = store n4 in y[0]
     out = n4
*/
#include "pump_hum.h"

#ifndef MELLOW_RAKE_FLOOR_64
#define MELLOW_RAKE_FLOOR_64
/* word / 2^shift, rounded down. A right shift of a negative number is left to the compiler by the
   standard (6.5.7); ~word is not negative. */
static int64_t mellow_rake_floor_64(int64_t word, int shift)
{
    return word < 0 ? ~(~word >> shift) : word >> shift;
}
#endif

#ifndef MELLOW_RAKE_HALF_UP_64
#define MELLOW_RAKE_HALF_UP_64
/* word / 2^shift to the nearest integer, ties upward; shift is at least 1. */
static int64_t mellow_rake_half_up_64(int64_t word, int shift)
{
    const int64_t twice = mellow_rake_floor_64(word, shift - 1);
    return mellow_rake_floor_64(twice, 1) + (twice & 1);
}
#endif

/* b0, b1, b2, a1, a2 of H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2):
   y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2] */
static const int16_t pump_hum_section[5] = { /* s16f14 */
    16131, -27507, 16131, -27507, 15877
};

void pump_hum_init(struct pump_hum *filter)
{
    for (int k = 0; k < 2; k++) { filter->x[k] = 0; }
    for (int k = 0; k < 2; k++) { filter->y[k] = 0; }
}

int16_t pump_hum_step(struct pump_hum *filter, int16_t input)
{
    const int16_t n0 = input; /* s16f15 */
    int64_t n2 = 0; /* s33f29 */
    n2 += (int32_t)pump_hum_section[0] * (int32_t)n0;
    n2 += (int32_t)pump_hum_section[1] * (int32_t)filter->x[0];
    n2 += (int32_t)pump_hum_section[2] * (int32_t)filter->x[1];
    n2 -= (int32_t)pump_hum_section[3] * (int32_t)filter->y[0];
    n2 -= (int32_t)pump_hum_section[4] * (int32_t)filter->y[1];
    const int32_t n3 = (int32_t)mellow_rake_half_up_64(n2, 14); /* s19f15 */
    const int16_t n4 = (int16_t)(n3 < (-32767 - 1) ? (-32767 - 1) : n3 > 32767 ? 32767 : n3); /* s16f15 */
    filter->x[1] = filter->x[0];
    filter->x[0] = n0;
    filter->y[1] = filter->y[0];
    filter->y[0] = n4;
    return n4;
}

void pump_hum_block(struct pump_hum *filter, const int16_t *input, int16_t *output, size_t count)
{
    size_t i;
    for (i = 0; i < count; i++) {
        output[i] = pump_hum_step(filter, input[i]);
    }
}
