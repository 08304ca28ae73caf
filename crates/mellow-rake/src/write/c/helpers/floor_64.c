#ifndef MELLOW_RAKE_FLOOR_64
#define MELLOW_RAKE_FLOOR_64
/* word / 2^shift, rounded down. A right shift of a negative number is left to the compiler by the
   standard (6.5.7); ~word is not negative. */
static int64_t mellow_rake_floor_64(int64_t word, int shift)
{
    return word < 0 ? ~(~word >> shift) : word >> shift;
}
#endif

