/* Written by Mellow Rake 0.1.0; change the spec, not this file.

   The program, in the terms of the comments below:

     in s16f15, out s16f15
     table taps s18f19: -598 119 985 -782 -1166 1680 932 -2679 28 3080 -1231 -2663 2129 1423 -1865 -251 323 142 1954 -1947 -3504 5335 3012 -8940 2 10697 -4306 -9307 7468 5192 -6928 -988 1872 376 5807 -6222 -11671 18446 10732 -33344 10 44598 -19413 -46095 42078 34876 -60241 -13011 67185
     line x s16f15: 1 row, ages 1 to 96
     n0 s16f15 = input
     n1 s16f15 = store n0 in x[0]
     n2 s36f34 = sum +dot(taps[0][0..48], x[0] ages 0, 1.. + ages 96, 95..) +dot(taps[0][48..49], x[0] ages 48..49)
     n3 s17f15 = round n2, drop 19 bits, half-up
     n4 s16f15 = limit n3, saturate, may act
     out = n4
*/
#include "carrier_band.h"

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

/* each for the two taps at equal distance from the ends; the one in the middle, if any, last */
static const int32_t carrier_band_taps[49] = { /* s18f19 */
    -598, 119, 985, -782, -1166, 1680, 932, -2679,
    28, 3080, -1231, -2663, 2129, 1423, -1865, -251,
    323, 142, 1954, -1947, -3504, 5335, 3012, -8940,
    2, 10697, -4306, -9307, 7468, 5192, -6928, -988,
    1872, 376, 5807, -6222, -11671, 18446, 10732, -33344,
    10, 44598, -19413, -46095, 42078, 34876, -60241, -13011,
    67185
};

void carrier_band_init(struct carrier_band *filter)
{
    for (int k = 0; k < 96; k++) { filter->x[k] = 0; }
}

int16_t carrier_band_step(struct carrier_band *filter, int16_t input)
{
    const int16_t n0 = input; /* s16f15 */
    int64_t n2 = 0; /* s36f34 */
    n2 += (int64_t)carrier_band_taps[0] * ((int64_t)n0 + (int64_t)filter->x[95]);
    for (int k = 1; k < 48; k++) {
        n2 += (int64_t)carrier_band_taps[k] * ((int64_t)filter->x[k - 1] + (int64_t)filter->x[95 - k]);
    }
    n2 += (int64_t)carrier_band_taps[48] * (int64_t)filter->x[47];
    const int32_t n3 = (int32_t)mellow_rake_half_up_64(n2, 19); /* s17f15 */
    const int16_t n4 = (int16_t)(n3 < (-32767 - 1) ? (-32767 - 1) : n3 > 32767 ? 32767 : n3); /* s16f15 */
    for (int k = 95; k > 0; k--) {
        filter->x[k] = filter->x[k - 1];
    }
    filter->x[0] = n0;
    return n4;
}

void carrier_band_block(struct carrier_band *filter, const int16_t *input, int16_t *output, size_t count)
{
    size_t i;
    for (i = 0; i < count; i++) {
        output[i] = carrier_band_step(filter, input[i]);
    }
}
