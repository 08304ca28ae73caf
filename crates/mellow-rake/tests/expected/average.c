/* Written by Mellow Rake 0.1.0; change the spec, not this file.

   The program, in the terms of the comments below:

     in s16f15, out s16f15
     table taps s8f7: 16 16 16 16 16 16 16 16
     line x s16f15: 1 row, ages 1 to 7
     n0 s16f15 = input
     n1 s16f15 = store n0 in x[0]
     n2 s24f22 = sum +dot(taps[0][0..8], x[0] ages 0..8)
     n3 s16f15 = round n2, drop 7 bits, half-up
     n4 s16f15 = limit n3, saturate, cannot act
     out = n4
*/
#include "average.h"

#ifndef MELLOW_RAKE_FLOOR_32
#define MELLOW_RAKE_FLOOR_32
/* word / 2^shift, rounded down. A right shift of a negative number is left to the compiler by the
   standard (6.5.7); ~word is not negative. */
static int32_t mellow_rake_floor_32(int32_t word, int shift)
{
    return word < 0 ? ~(~word >> shift) : word >> shift;
}
#endif

#ifndef MELLOW_RAKE_HALF_UP_32
#define MELLOW_RAKE_HALF_UP_32
/* word / 2^shift to the nearest integer, ties upward; shift is at least 1. */
static int32_t mellow_rake_half_up_32(int32_t word, int shift)
{
    const int32_t twice = mellow_rake_floor_32(word, shift - 1);
    return mellow_rake_floor_32(twice, 1) + (twice & 1);
}
#endif

/* h[0] first: y[n] = h[0] x[n] + h[1] x[n-1] + ... */
static const int8_t average_taps[8] = { /* s8f7 */
    16, 16, 16, 16, 16, 16, 16, 16
};

void average_init(struct average *filter)
{
    for (int k = 0; k < 7; k++) { filter->x[k] = 0; }
}

int16_t average_step(struct average *filter, int16_t input)
{
    const int16_t n0 = input; /* s16f15 */
    int32_t n2 = 0; /* s24f22 */
    n2 += (int32_t)average_taps[0] * (int32_t)n0;
    for (int k = 0; k < 7; k++) {
        n2 += (int32_t)average_taps[k + 1] * (int32_t)filter->x[k];
    }
    const int32_t n3 = mellow_rake_half_up_32(n2, 7); /* s16f15 */
    const int16_t n4 = (int16_t)n3; /* s16f15 */
    for (int k = 6; k > 0; k--) {
        filter->x[k] = filter->x[k - 1];
    }
    filter->x[0] = n0;
    return n4;
}

void average_block(struct average *filter, const int16_t *input, int16_t *output, size_t count)
{
    size_t i;
    for (i = 0; i < count; i++) {
        output[i] = average_step(filter, input[i]);
    }
}
