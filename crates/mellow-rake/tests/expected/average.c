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

#ifndef MELLOW_RAKE_SHIFTS_KEEP_THE_SIGN
/* What a right shift does to a negative number is left to the compiler by the standard (6.5.7). */
#define MELLOW_RAKE_SHIFTS_KEEP_THE_SIGN ((-1 >> 1) == -1)
#endif

#ifndef MELLOW_RAKE_FLOOR_32
#define MELLOW_RAKE_FLOOR_32
/* word / 2^shift, rounded down; ~word is not negative where word is. */
static inline int32_t mellow_rake_floor_32(int32_t word, int shift)
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
static const int8_t average_taps[8] = { /* s8f7 */
    16, 16, 16, 16, 16, 16, 16, 16
};

void average_init(struct average *filter)
{
    for (int k = 0; k < 15; k++) { filter->x[k] = 0; }
    filter->at = 0;
}

/* So many words further. */
static inline void average_advance(struct average *filter, int count)
{
    filter->at += count;
    if (filter->at == 8) {
        for (int k = 0; k < 7; k++) { filter->x[k] = filter->x[k + 8]; }
        filter->at = 0;
    }
}

/* What belongs to the newest word of a window. */
static int16_t average_one(const int16_t *window)
{
    int32_t n2 = 64; /* s24f22 */
    MELLOW_RAKE_UNROLL_SOME
    for (int k = 0; k < 8; k++) {
        n2 += (int32_t)average_taps[k] * (int32_t)window[k];
    }
    const int32_t n3 = mellow_rake_floor_32(n2, 7); /* s16f15 */
    const int16_t n4 = (int16_t)n3; /* s16f15 */
    return n4;
}

#if !defined(__OPTIMIZE_SIZE__) && !defined(__AVR__) && (!defined(__thumb__) || defined(__thumb2__))
/* The same for 4 windows, each a word further than the one before. */
static MELLOW_RAKE_APART void average_several(const int16_t *window, int16_t *output)
{
    int32_t n2_0 = 64; /* s24f22 */
    int32_t n2_1 = 64; /* s24f22 */
    int32_t n2_2 = 64; /* s24f22 */
    int32_t n2_3 = 64; /* s24f22 */
    for (int k = 0; k < 8; k++) {
        n2_0 += (int32_t)average_taps[k] * (int32_t)window[k];
        n2_1 += (int32_t)average_taps[k] * (int32_t)window[k + 1];
        n2_2 += (int32_t)average_taps[k] * (int32_t)window[k + 2];
        n2_3 += (int32_t)average_taps[k] * (int32_t)window[k + 3];
    }
    const int32_t n3_0 = mellow_rake_floor_32(n2_0, 7); /* s16f15 */
    const int32_t n3_1 = mellow_rake_floor_32(n2_1, 7); /* s16f15 */
    const int32_t n3_2 = mellow_rake_floor_32(n2_2, 7); /* s16f15 */
    const int32_t n3_3 = mellow_rake_floor_32(n2_3, 7); /* s16f15 */
    const int16_t n4_0 = (int16_t)n3_0; /* s16f15 */
    const int16_t n4_1 = (int16_t)n3_1; /* s16f15 */
    const int16_t n4_2 = (int16_t)n3_2; /* s16f15 */
    const int16_t n4_3 = (int16_t)n3_3; /* s16f15 */
    output[0] = n4_0;
    output[1] = n4_1;
    output[2] = n4_2;
    output[3] = n4_3;
}
#endif

int16_t average_step(struct average *filter, int16_t input)
{
    const int at = filter->at;
    int16_t result;
    filter->x[at + 7] = input;
    result = average_one(&filter->x[at]);
    average_advance(filter, 1);
    return result;
}

void average_block(struct average *filter, const int16_t *input, int16_t *output, size_t count)
{
#if !defined(__OPTIMIZE_SIZE__) && !defined(__AVR__) && (!defined(__thumb__) || defined(__thumb2__))
#if defined(AVERAGE_BLOCK)
    count = AVERAGE_BLOCK;
#endif
    while (count > 0) {
        /* As many as there is memory for, all of them at first; then their outputs, 4 at once. */
        const int at = filter->at;
        const int most = 8 - at;
        const int now = count < (size_t)most ? (int)count : most;
        int k;
        for (k = 0; k < now; k++) {
            const int p = at + k;
            filter->x[p + 7] = input[k];
        }
        for (k = 0; k + 4 <= now; k += 4) {
            const int p = at + k;
            average_several(&filter->x[p], output + k);
        }
        for (; k < now; k++) {
            const int p = at + k;
            output[k] = average_one(&filter->x[p]);
        }
        average_advance(filter, now);
        input += now;
        output += now;
        count -= (size_t)now;
    }
#else
    size_t i;
#if defined(AVERAGE_BLOCK)
    count = AVERAGE_BLOCK;
#endif
    for (i = 0; i < count; i++) {
        output[i] = average_step(filter, input[i]);
    }
#endif
}
