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

/* b0, b1, b2, a1, a2 of H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2):
   y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2]
   a1 and a2 stand here with the opposite sign: all products are added */
static const int16_t pump_hum_section[5] = { /* s16f14 */
    16131, -27507, 16131, 27507, -15877
};

void pump_hum_init(struct pump_hum *filter)
{
    for (int k = 0; k < 2; k++) { filter->x[k] = 0; }
    for (int k = 0; k < 2; k++) { filter->y[k] = 0; }
}

/* One sample. */
static MELLOW_RAKE_INLINE int16_t pump_hum_sample(struct pump_hum *filter, int16_t input)
{
    const int16_t n0 = input; /* s16f15 */
    int64_t n2 = 8192; /* s33f29 */
    n2 += (int32_t)pump_hum_section[0] * (int32_t)n0;
    n2 += (int32_t)pump_hum_section[1] * (int32_t)filter->x[0];
    n2 += (int32_t)pump_hum_section[2] * (int32_t)filter->x[1];
    n2 += (int32_t)pump_hum_section[3] * (int32_t)filter->y[0];
    n2 += (int32_t)pump_hum_section[4] * (int32_t)filter->y[1];
    const int32_t n3 = (int32_t)mellow_rake_floor_64(n2, 14); /* s19f15 */
    const int16_t n4 = (int16_t)(n3 < (-32767 - 1) ? (-32767 - 1) : n3 > 32767 ? 32767 : n3); /* s16f15 */
    filter->x[1] = filter->x[0];
    filter->x[0] = n0;
    filter->y[1] = filter->y[0];
    filter->y[0] = n4;
    return n4;
}

int16_t pump_hum_step(struct pump_hum *filter, int16_t input)
{
    return pump_hum_sample(filter, input);
}

void pump_hum_block(struct pump_hum *filter, const int16_t *input, int16_t *output, size_t count)
{
#if !defined(__OPTIMIZE_SIZE__) && !defined(__AVR__) && (!defined(__thumb__) || defined(__thumb2__))
    /* In a copy that can lie in registers. */
    struct pump_hum state = *filter;
    size_t i;
#if defined(PUMP_HUM_BLOCK)
    count = PUMP_HUM_BLOCK;
#endif
    for (i = 0; i < count; i++) {
        output[i] = pump_hum_sample(&state, input[i]);
    }
    *filter = state;
#else
    size_t i;
#if defined(PUMP_HUM_BLOCK)
    count = PUMP_HUM_BLOCK;
#endif
    for (i = 0; i < count; i++) {
        output[i] = pump_hum_step(filter, input[i]);
    }
#endif
}
