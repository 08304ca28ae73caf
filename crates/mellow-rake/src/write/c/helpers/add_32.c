#ifndef MELLOW_RAKE_ADD_32
#define MELLOW_RAKE_ADD_32
/* A sum of 32 bits and a product, for cores that multiply bytes. */
static MELLOW_RAKE_INLINE int32_t mellow_rake_add_32(int32_t sum, int16_t factor, int16_t word)
{
#if defined(__GNUC__) && defined(__AVR_HAVE_MUL__)
    uint8_t zero;
    __asm__("clr %[zero]\n\t"
            "muls %B[factor], %B[word]\n\t"
            "add %C[sum], r0\n\t"
            "adc %D[sum], r1\n\t"
            "mul %A[factor], %A[word]\n\t"
            "add %A[sum], r0\n\t"
            "adc %B[sum], r1\n\t"
            "adc %C[sum], %[zero]\n\t"
            "adc %D[sum], %[zero]\n\t"
            "mulsu %B[factor], %A[word]\n\t"
            "sbc %D[sum], %[zero]\n\t"
            "add %B[sum], r0\n\t"
            "adc %C[sum], r1\n\t"
            "adc %D[sum], %[zero]\n\t"
            "mulsu %B[word], %A[factor]\n\t"
            "sbc %D[sum], %[zero]\n\t"
            "add %B[sum], r0\n\t"
            "adc %C[sum], r1\n\t"
            "adc %D[sum], %[zero]\n\t"
            "clr r1"
            : [zero] "=&r"(zero), [sum] "+r"(sum)
            : [factor] "a"(factor), [word] "a"(word));
    return sum;
#else
    return sum + (int32_t)factor * word;
#endif
}
#endif

