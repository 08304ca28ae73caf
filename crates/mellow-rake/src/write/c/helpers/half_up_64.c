#ifndef MELLOW_RAKE_HALF_UP_64
#define MELLOW_RAKE_HALF_UP_64
/* word / 2^shift to the nearest integer, ties upward; shift is at least 1. */
static inline int64_t mellow_rake_half_up_64(int64_t word, int shift)
{
    const int64_t twice = mellow_rake_floor_64(word, shift - 1);
    return shift > 1 ? mellow_rake_floor_64(twice + 1, 1)
                     : mellow_rake_floor_64(twice, 1) + (twice & 1);
}
#endif

