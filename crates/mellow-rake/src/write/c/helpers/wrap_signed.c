#ifndef MELLOW_RAKE_WRAP_SIGNED
#define MELLOW_RAKE_WRAP_SIGNED
/* The low width bits of word as two's complement; width is 1 to 64. */
static inline int64_t mellow_rake_wrap_signed(uint64_t word, int width)
{
    const uint64_t sign = (uint64_t)1 << (width - 1);
    const uint64_t low = word & (sign | (sign - 1u));
    return (low & sign) != 0 ? -(int64_t)((sign - 1u) - (low - sign)) - 1 : (int64_t)low;
}
#endif

