#ifndef MELLOW_RAKE_WRAP_SIGNED_32
#define MELLOW_RAKE_WRAP_SIGNED_32
#include <limits.h>
#if UINT_MAX > 0xffffffff
#error "sums in uint32_t are right modulo 2^32 only where int has at most 32 bits"
#endif
/* The low bits of a sum as a signed word of 1 to 32 bits. */
static inline int32_t mellow_rake_wrap_signed_32(uint32_t word, int width)
{
    const uint32_t half = (uint32_t)1 << (width - 1);
    const uint32_t low = word & (half - 1);
    /* Not converted as it is: what does not fit is left to the compiler by the standard (6.3.1.3). */
    return (word & half) != 0 ? (int32_t)low - (int32_t)(half - 1) - 1 : (int32_t)low;
}
#endif

