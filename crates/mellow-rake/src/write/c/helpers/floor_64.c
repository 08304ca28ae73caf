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

