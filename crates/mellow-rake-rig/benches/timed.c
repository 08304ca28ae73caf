/* Runs a generated filter over 4096 samples as often as its argument says, and prints the nanoseconds that it took. */
#define _POSIX_C_SOURCE 199309L
#include "bench.h"
#include <stdio.h>
#include <stdlib.h>
#include <time.h>

#define SAMPLES 4096

int main(int argc, char **argv)
{
    static struct bench filter;
    static int16_t input[SAMPLES], output[SAMPLES];
    const long long rounds = argc > 1 ? atoll(argv[1]) : 1;
    struct timespec from, to;
    uint32_t noise = 1;
    int64_t sum = 0;
    for (int i = 0; i < SAMPLES; i++) {
        noise = noise * 1664525u + 1013904223u;
        input[i] = (int16_t)((int32_t)(noise >> 17) - 16384);
    }
    bench_init(&filter);
    clock_gettime(CLOCK_MONOTONIC, &from);
    for (long long round = 0; round < rounds; round++) {
        bench_block(&filter, input, output, SAMPLES);
        sum += output[round % SAMPLES];
    }
    clock_gettime(CLOCK_MONOTONIC, &to);
    fprintf(stderr, "%lld\n", (long long)sum);
    printf("%lld\n", (to.tv_sec - from.tv_sec) * 1000000000LL + (to.tv_nsec - from.tv_nsec));
    return 0;
}
