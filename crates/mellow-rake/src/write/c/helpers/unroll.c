#ifndef MELLOW_RAKE_UNROLL_ALL
/* What compilers can be told: to write out loops, to put a function where it is called, and to leave one
   apart. None of it changes what is computed. */
#if defined(__GNUC__)
#define MELLOW_RAKE_APART __attribute__((noinline))
#else
#define MELLOW_RAKE_APART
#endif
#if defined(__GNUC__) && IS_FAST
#define MELLOW_RAKE_INLINE __attribute__((always_inline)) inline
#else
#define MELLOW_RAKE_INLINE inline
#endif
#if defined(__clang__) && IS_FAST
#define MELLOW_RAKE_UNROLL_ALL _Pragma("clang loop unroll(full)")
#define MELLOW_RAKE_UNROLL_SOME _Pragma("clang loop unroll_count(4)")
#elif defined(__GNUC__) && __GNUC__ >= 8 && IS_FAST
#define MELLOW_RAKE_UNROLL_ALL _Pragma("GCC unroll 64")
#define MELLOW_RAKE_UNROLL_SOME _Pragma("GCC unroll 4")
#else
#define MELLOW_RAKE_UNROLL_ALL
#define MELLOW_RAKE_UNROLL_SOME
#endif
#endif

