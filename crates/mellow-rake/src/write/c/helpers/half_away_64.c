#ifndef MELLOW_RAKE_HALF_AWAY_64
#define MELLOW_RAKE_HALF_AWAY_64
/* word / 2^shift to the nearest integer, ties away from zero; shift is at least 1. */
static inline int64_t mellow_rake_half_away_64(int64_t word, int shift)
{
    const int64_t down = mellow_rake_floor_64(word, shift);
    const uint64_t mask = ((uint64_t)1 << shift) - 1u;
    const uint64_t half = (uint64_t)1 << (shift - 1);
    const uint64_t rest = (uint64_t)word & mask;
    return down + (rest > half || (rest == half && word >= 0) ? 1 : 0);
}
#endif

