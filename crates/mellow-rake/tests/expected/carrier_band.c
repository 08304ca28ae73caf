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

#ifndef MELLOW_RAKE_SHIFTS_KEEP_THE_SIGN
/* What a right shift does to a negative number is left to the compiler by the standard (6.5.7). */
#define MELLOW_RAKE_SHIFTS_KEEP_THE_SIGN ((-1 >> 1) == -1)
#endif

#ifndef MELLOW_RAKE_FLOOR_64
#define MELLOW_RAKE_FLOOR_64
/* word / 2^shift, rounded down; ~word is not negative where word is. */
static inline int64_t mellow_rake_floor_64(int64_t word, int shift)
{
    return MELLOW_RAKE_SHIFTS_KEEP_THE_SIGN || word >= 0 ? word >> shift : ~(~word >> shift);
}
#endif

#ifndef MELLOW_RAKE_UNROLL_ALL
/* What compilers can be told: to write out loops, to put a function where it is called, and to leave one
   apart. None of it changes what is computed. */
#if defined(__GNUC__)
#define MELLOW_RAKE_APART __attribute__((noinline))
#else
#define MELLOW_RAKE_APART
#endif
#if defined(__GNUC__) && !defined(__OPTIMIZE_SIZE__)
#define MELLOW_RAKE_INLINE __attribute__((always_inline)) inline
#else
#define MELLOW_RAKE_INLINE inline
#endif
#if defined(__clang__) && !defined(__OPTIMIZE_SIZE__)
#define MELLOW_RAKE_UNROLL_ALL _Pragma("clang loop unroll(full)")
#define MELLOW_RAKE_UNROLL_SOME _Pragma("clang loop unroll_count(4)")
#elif defined(__GNUC__) && __GNUC__ >= 8 && !defined(__OPTIMIZE_SIZE__)
#define MELLOW_RAKE_UNROLL_ALL _Pragma("GCC unroll 64")
#define MELLOW_RAKE_UNROLL_SOME _Pragma("GCC unroll 4")
#else
#define MELLOW_RAKE_UNROLL_ALL
#define MELLOW_RAKE_UNROLL_SOME
#endif
#endif

/* the last first: y[n] = h[0] x[n] + h[1] x[n-1] + ... */
static const int32_t carrier_band_taps[97] = { /* s18f19 */
    -598, 119, 985, -782, -1166, 1680, 932, -2679,
    28, 3080, -1231, -2663, 2129, 1423, -1865, -251,
    323, 142, 1954, -1947, -3504, 5335, 3012, -8940,
    2, 10697, -4306, -9307, 7468, 5192, -6928, -988,
    1872, 376, 5807, -6222, -11671, 18446, 10732, -33344,
    10, 44598, -19413, -46095, 42078, 34876, -60241, -13011,
    67185, -13011, -60241, 34876, 42078, -46095, -19413, 44598,
    10, -33344, 10732, 18446, -11671, -6222, 5807, 376,
    1872, -988, -6928, 5192, 7468, -9307, -4306, 10697,
    2, -8940, 3012, 5335, -3504, -1947, 1954, 142,
    323, -251, -1865, 1423, 2129, -2663, -1231, 3080,
    28, -2679, 932, 1680, -1166, -782, 985, 119,
    -598
};

void carrier_band_init(struct carrier_band *filter)
{
    for (int k = 0; k < 160; k++) { filter->x[k] = 0; }
    filter->at = 0;
}

/* So many words further. */
static inline void carrier_band_advance(struct carrier_band *filter, int count)
{
    filter->at += count;
    if (filter->at == 64) {
        for (int k = 0; k < 96; k++) { filter->x[k] = filter->x[k + 64]; }
        filter->at = 0;
    }
}

/* What belongs to the newest word of a window. */
static int16_t carrier_band_one(const int16_t *window)
{
    int64_t n2 = 262144; /* s36f34 */
    MELLOW_RAKE_UNROLL_SOME
    for (int k = 0; k < 97; k++) {
        n2 += (int64_t)carrier_band_taps[k] * (int64_t)window[k];
    }
    const int32_t n3 = (int32_t)mellow_rake_floor_64(n2, 19); /* s17f15 */
    const int16_t n4 = (int16_t)(n3 < (-32767 - 1) ? (-32767 - 1) : n3 > 32767 ? 32767 : n3); /* s16f15 */
    return n4;
}

#if !defined(__OPTIMIZE_SIZE__) && !defined(__AVR__) && (!defined(__thumb__) || defined(__thumb2__))
/* The same for 4 windows, each a word further than the one before. */
static MELLOW_RAKE_APART void carrier_band_several(const int16_t *window, int16_t *output)
{
    int64_t n2_0 = 262144; /* s36f34 */
    int64_t n2_1 = 262144; /* s36f34 */
    int64_t n2_2 = 262144; /* s36f34 */
    int64_t n2_3 = 262144; /* s36f34 */
    for (int k = 0; k < 97; k++) {
        n2_0 += (int64_t)carrier_band_taps[k] * (int64_t)window[k];
        n2_1 += (int64_t)carrier_band_taps[k] * (int64_t)window[k + 1];
        n2_2 += (int64_t)carrier_band_taps[k] * (int64_t)window[k + 2];
        n2_3 += (int64_t)carrier_band_taps[k] * (int64_t)window[k + 3];
    }
    const int32_t n3_0 = (int32_t)mellow_rake_floor_64(n2_0, 19); /* s17f15 */
    const int32_t n3_1 = (int32_t)mellow_rake_floor_64(n2_1, 19); /* s17f15 */
    const int32_t n3_2 = (int32_t)mellow_rake_floor_64(n2_2, 19); /* s17f15 */
    const int32_t n3_3 = (int32_t)mellow_rake_floor_64(n2_3, 19); /* s17f15 */
    const int16_t n4_0 = (int16_t)(n3_0 < (-32767 - 1) ? (-32767 - 1) : n3_0 > 32767 ? 32767 : n3_0); /* s16f15 */
    const int16_t n4_1 = (int16_t)(n3_1 < (-32767 - 1) ? (-32767 - 1) : n3_1 > 32767 ? 32767 : n3_1); /* s16f15 */
    const int16_t n4_2 = (int16_t)(n3_2 < (-32767 - 1) ? (-32767 - 1) : n3_2 > 32767 ? 32767 : n3_2); /* s16f15 */
    const int16_t n4_3 = (int16_t)(n3_3 < (-32767 - 1) ? (-32767 - 1) : n3_3 > 32767 ? 32767 : n3_3); /* s16f15 */
    output[0] = n4_0;
    output[1] = n4_1;
    output[2] = n4_2;
    output[3] = n4_3;
}
#endif

int16_t carrier_band_step(struct carrier_band *filter, int16_t input)
{
    const int at = filter->at;
    int16_t result;
    filter->x[at + 96] = input;
    result = carrier_band_one(&filter->x[at]);
    carrier_band_advance(filter, 1);
    return result;
}

void carrier_band_block(struct carrier_band *filter, const int16_t *input, int16_t *output, size_t count)
{
#if !defined(__OPTIMIZE_SIZE__) && !defined(__AVR__) && (!defined(__thumb__) || defined(__thumb2__))
#if defined(CARRIER_BAND_BLOCK)
    count = CARRIER_BAND_BLOCK;
#endif
    while (count > 0) {
        /* As many as there is memory for, all of them at first; then their outputs, 4 at once. */
        const int at = filter->at;
        const int most = 64 - at;
        const int now = count < (size_t)most ? (int)count : most;
        int k;
        for (k = 0; k < now; k++) {
            const int p = at + k;
            filter->x[p + 96] = input[k];
        }
        for (k = 0; k + 4 <= now; k += 4) {
            const int p = at + k;
            carrier_band_several(&filter->x[p], output + k);
        }
        for (; k < now; k++) {
            const int p = at + k;
            output[k] = carrier_band_one(&filter->x[p]);
        }
        carrier_band_advance(filter, now);
        input += now;
        output += now;
        count -= (size_t)now;
    }
#else
    size_t i;
#if defined(CARRIER_BAND_BLOCK)
    count = CARRIER_BAND_BLOCK;
#endif
    for (i = 0; i < count; i++) {
        output[i] = carrier_band_step(filter, input[i]);
    }
#endif
}
