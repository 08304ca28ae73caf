#ifndef MELLOW_RAKE_HALF_EVEN_32
#define MELLOW_RAKE_HALF_EVEN_32
/* word / 2^shift to the nearest integer, ties to the even one; shift is at least 1. */
static inline int32_t mellow_rake_half_even_32(int32_t word, int shift)
{
    const int32_t down = mellow_rake_floor_32(word, shift);
    const uint32_t mask = ((uint32_t)1 << shift) - 1u;
    const uint32_t half = (uint32_t)1 << (shift - 1);
    const uint32_t rest = (uint32_t)word & mask;
    return down + (rest > half || (rest == half && (down & 1) != 0) ? 1 : 0);
}
#endif

