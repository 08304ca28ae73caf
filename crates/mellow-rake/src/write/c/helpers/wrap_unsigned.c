#ifndef MELLOW_RAKE_WRAP_UNSIGNED
#define MELLOW_RAKE_WRAP_UNSIGNED
/* The low width bits of word; width is 1 to 63. */
static inline int64_t mellow_rake_wrap_unsigned(uint64_t word, int width)
{
    return (int64_t)(word & (((uint64_t)1 << width) - 1u));
}
#endif

