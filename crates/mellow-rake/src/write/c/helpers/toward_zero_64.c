#ifndef MELLOW_RAKE_TOWARD_ZERO_64
#define MELLOW_RAKE_TOWARD_ZERO_64
/* word / 2^shift without its fraction. */
static inline int64_t mellow_rake_toward_zero_64(int64_t word, int shift)
{
    const int64_t down = mellow_rake_floor_64(word, shift);
    const uint64_t mask = ((uint64_t)1 << shift) - 1u;
    return down + (word < 0 && ((uint64_t)word & mask) != 0 ? 1 : 0);
}
#endif

