#ifndef MELLOW_RAKE_PAIR
#define MELLOW_RAKE_PAIR
#include <arm_acle.h>
/* Two words that lie side by side, the first in the lower half. */
static inline int16x2_t mellow_rake_pair(const int16_t *words)
{
    int16x2_t pair;
    __builtin_memcpy(&pair, words, sizeof pair);
    return pair;
}
#endif
