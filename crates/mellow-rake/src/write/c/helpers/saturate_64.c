#ifndef MELLOW_RAKE_SATURATE_64
#define MELLOW_RAKE_SATURATE_64
/* The nearest integer of 32 bits: the lower half of word where the upper one is all its sign. */
static inline int32_t mellow_rake_saturate_64(int64_t word)
{
    const uint32_t low = (uint32_t)((uint64_t)word & 0xFFFFFFFFu);
    const int32_t lower = low <= 0x7FFFFFFFu ? (int32_t)low : -(int32_t)(0xFFFFFFFFu - low) - 1;
    const int32_t upper = (int32_t)mellow_rake_floor_64(word, 32);
    return upper == mellow_rake_floor_32(lower, 31) ? lower
                                                    : mellow_rake_floor_32(upper, 31) ^ 0x7FFFFFFF;
}
#endif

