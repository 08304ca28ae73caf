#ifndef MELLOW_RAKE_TOWARD_ZERO_32
#define MELLOW_RAKE_TOWARD_ZERO_32
/* word / 2^shift without its fraction. */
static inline int32_t mellow_rake_toward_zero_32(int32_t word, int shift)
{
    const int32_t down = mellow_rake_floor_32(word, shift);
    const uint32_t mask = ((uint32_t)1 << shift) - 1u;
    return down + (word < 0 && ((uint32_t)word & mask) != 0 ? 1 : 0);
}
#endif

