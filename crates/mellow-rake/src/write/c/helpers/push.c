#ifndef MELLOW_RAKE_PUSH
#define MELLOW_RAKE_PUSH
/* The words at 0 and 1 become the new one and what was at 0. */
static inline void mellow_rake_push(int16_t *words, int32_t newest)
{
    uint32_t pair;
    __builtin_memcpy(&pair, words, sizeof pair);
#if defined(__arm__)
    __asm__("pkhbt %0, %1, %0, lsl #16" : "+r"(pair) : "r"(newest));
#else
    pair = pair << 16 | ((uint32_t)newest & 0xFFFFu);
#endif
    __builtin_memcpy(words, &pair, sizeof pair);
}
#endif
