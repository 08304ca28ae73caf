#ifndef MELLOW_RAKE_SUM_40
#define MELLOW_RAKE_SUM_40
/* A sum of 40 bits, for cores that add bytes. The upper ones have its sign. */
struct mellow_rake_sum_40 {
    uint32_t low;
    int8_t high;
};

/* Adds a product. In bytes it is the product of the upper two, of the lower two, and the two of an upper and
   a lower one in the middle, whose sign reaches to the top. */
static MELLOW_RAKE_INLINE void mellow_rake_add_40(struct mellow_rake_sum_40 *sum, int16_t factor,
                                                  int16_t word)
{
#if defined(__GNUC__) && defined(__AVR_HAVE_MUL__)
    uint32_t product;
    uint8_t sign;
    __asm__("muls %B[factor], %B[word]\n\t"
            "movw %C[product], r0\n\t"
            "mul %A[factor], %A[word]\n\t"
            "movw %A[product], r0\n\t"
            "clr %[sign]\n\t"
            "mulsu %B[factor], %A[word]\n\t"
            "sbc %D[product], %[sign]\n\t"
            "add %B[product], r0\n\t"
            "adc %C[product], r1\n\t"
            "adc %D[product], %[sign]\n\t"
            "mulsu %B[word], %A[factor]\n\t"
            "sbc %D[product], %[sign]\n\t"
            "add %B[product], r0\n\t"
            "adc %C[product], r1\n\t"
            "adc %D[product], %[sign]\n\t"
            "clr r1\n\t"
            "sbrc %D[product], 7\n\t"
            "com %[sign]\n\t"
            "add %A[low], %A[product]\n\t"
            "adc %B[low], %B[product]\n\t"
            "adc %C[low], %C[product]\n\t"
            "adc %D[low], %D[product]\n\t"
            "adc %[high], %[sign]"
            : [product] "=&r"(product), [sign] "=&r"(sign), [low] "+r"(sum->low), [high] "+r"(sum->high)
            : [factor] "a"(factor), [word] "a"(word));
#else
    const int32_t product = (int32_t)factor * word;
    const uint32_t low = sum->low + (uint32_t)product;
    const int carry = low < sum->low ? 1 : 0;
    sum->high = (int8_t)(sum->high + (product < 0 ? carry - 1 : carry));
    sum->low = low;
#endif
}

static MELLOW_RAKE_INLINE void mellow_rake_double_40(struct mellow_rake_sum_40 *sum)
{
#if defined(__GNUC__) && defined(__AVR__)
    __asm__("lsl %A[low]\n\trol %B[low]\n\trol %C[low]\n\trol %D[low]\n\trol %[high]"
            : [low] "+r"(sum->low), [high] "+r"(sum->high));
#else
    sum->high = (int8_t)(2 * sum->high + (int)(sum->low >> 31));
    sum->low *= 2u;
#endif
}

/* The sum without its lowest bytes, of which there are 1 to 4. */
static MELLOW_RAKE_INLINE int32_t mellow_rake_above_40(struct mellow_rake_sum_40 sum, int bytes)
{
    return bytes == 4 ? sum.high
                      : sum.high * ((int32_t)1 << (32 - 8 * bytes)) + (int32_t)(sum.low >> (8 * bytes));
}

static MELLOW_RAKE_INLINE int64_t mellow_rake_value_40(struct mellow_rake_sum_40 sum)
{
    return sum.high * ((int64_t)1 << 32) + (int64_t)sum.low;
}
#endif

