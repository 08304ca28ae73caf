#ifndef MELLOW_RAKE_WRAP_UNSIGNED_32
#define MELLOW_RAKE_WRAP_UNSIGNED_32
#include <limits.h>
#if UINT_MAX > 0xffffffff
#error "sums in uint32_t are right modulo 2^32 only where int has at most 32 bits"
#endif
/* The low bits of a sum as an unsigned word of 1 to 32 bits. */
static inline uint32_t mellow_rake_wrap_unsigned_32(uint32_t word, int width)
{
    return width < 32 ? word & (((uint32_t)1 << width) - 1) : word;
}
#endif

