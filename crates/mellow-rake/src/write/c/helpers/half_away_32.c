#ifndef MELLOW_RAKE_HALF_AWAY_32
#define MELLOW_RAKE_HALF_AWAY_32
/* word / 2^shift to the nearest integer, ties away from zero; shift is at least 1. */
static inline int32_t mellow_rake_half_away_32(int32_t word, int shift)
{
    const int32_t down = mellow_rake_floor_32(word, shift);
    const uint32_t mask = ((uint32_t)1 << shift) - 1u;
    const uint32_t half = (uint32_t)1 << (shift - 1);
    const uint32_t rest = (uint32_t)word & mask;
    return down + (rest > half || (rest == half && word >= 0) ? 1 : 0);
}
#endif

