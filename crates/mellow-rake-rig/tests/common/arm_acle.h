/* What the intrinsics of the Arm C Language Extensions do, in plain C, so that text that is written for a core
   that has them runs on any: by the definitions of the instructions in the Armv7-M Architecture Reference
   Manual (SMLAD, SMLALD, SMLABB, SSAT, USAT). A sum of 32 bits wraps; one of 64 that leaves its word ends the
   program with a sanitizer: none may. */
#ifndef EMULATED_ACLE
#define EMULATED_ACLE
#include <stdint.h>

typedef int32_t int16x2_t;

static inline int32_t emulated_low(int32_t pair)
{
    return (int32_t)(((uint32_t)pair & 0xFFFFu) ^ 0x8000u) - 0x8000;
}

static inline int32_t emulated_high(int32_t pair)
{
    return (int32_t)(((uint32_t)pair >> 16) ^ 0x8000u) - 0x8000;
}

static inline int64_t __smlald(int16x2_t a, int16x2_t b, int64_t sum)
{
    return sum + (int64_t)emulated_low(a) * emulated_low(b) + (int64_t)emulated_high(a) * emulated_high(b);
}

static inline int32_t emulated_word(int64_t sum)
{
    const uint32_t low = (uint32_t)((uint64_t)sum & 0xFFFFFFFFu);
    return low <= 0x7FFFFFFFu ? (int32_t)low : -(int32_t)(0xFFFFFFFFu - low) - 1;
}

static inline int32_t __smlad(int16x2_t a, int16x2_t b, int32_t sum)
{
    return emulated_word(__smlald(a, b, sum));
}

static inline int32_t __smlabb(int32_t a, int32_t b, int32_t sum)
{
    return emulated_word((int64_t)emulated_low(a) * emulated_low(b) + sum);
}

static inline int32_t __ssat(int32_t word, uint32_t bits)
{
    const int64_t most = ((int64_t)1 << (bits - 1)) - 1;
    return (int32_t)(word > most ? most : word < -most - 1 ? -most - 1 : word);
}

static inline uint32_t __usat(int32_t word, uint32_t bits)
{
    const int64_t most = ((int64_t)1 << bits) - 1;
    return (uint32_t)(word > most ? most : word < 0 ? 0 : word);
}
#endif
