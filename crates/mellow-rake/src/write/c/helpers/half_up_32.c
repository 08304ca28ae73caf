#ifndef MELLOW_RAKE_HALF_UP_32
#define MELLOW_RAKE_HALF_UP_32
/* word / 2^shift to the nearest integer, ties upward; shift is at least 1. */
static inline int32_t mellow_rake_half_up_32(int32_t word, int shift)
{
    const int32_t twice = mellow_rake_floor_32(word, shift - 1);
    return shift > 1 ? mellow_rake_floor_32(twice + 1, 1)
                     : mellow_rake_floor_32(twice, 1) + (twice & 1);
}
#endif

