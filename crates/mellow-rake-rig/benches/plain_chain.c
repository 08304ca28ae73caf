/* A chain of decimators as the plain loops of a textbook in double precision: of every so many outputs of each filter only the last is
   computed. Arguments: samples, how often, then for each stage its factor and its number of taps. Prints the nanoseconds that it took. */
#define _POSIX_C_SOURCE 199309L
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#define MOST_STAGES 8
#define MOST_TAPS 4096
#define MOST_SAMPLES 65536

struct stage {
    int factor, count;
    double taps[MOST_TAPS];
    /* The last count - 1 words, then those of the block. */
    double words[MOST_TAPS + MOST_SAMPLES];
};

static struct stage stages[MOST_STAGES];
static double input[MOST_SAMPLES], output[MOST_SAMPLES];

static int decimate(struct stage *s, const double *from, int samples, double *to)
{
    const int past = s->count - 1;
    int m, k;
    memcpy(s->words + past, from, (size_t)samples * sizeof *from);
    for (m = 0; m < samples / s->factor; m++) {
        const double *newest = s->words + past + (m + 1) * s->factor - 1;
        double sum = 0.0;
        for (k = 0; k < s->count; k++)
            sum += s->taps[k] * newest[-k];
        to[m] = sum;
    }
    memmove(s->words, s->words + samples, (size_t)past * sizeof *s->words);
    return samples / s->factor;
}

int main(int argc, char **argv)
{
    const int samples = argc > 1 ? atoi(argv[1]) : 0;
    const long long rounds = argc > 2 ? atoll(argv[2]) : 1;
    const int count = (argc - 3) / 2;
    struct timespec from, to;
    double sum = 0.0;
    unsigned noise = 1;
    int n, k;
    if (samples < 1 || samples > MOST_SAMPLES || count < 1 || count > MOST_STAGES)
        return 2;
    for (n = 0; n < samples; n++) {
        noise = noise * 1664525u + 1013904223u;
        input[n] = noise / 4294967296.0 - 0.5;
    }
    for (n = 0; n < count; n++) {
        stages[n].factor = atoi(argv[3 + 2 * n]);
        stages[n].count = atoi(argv[4 + 2 * n]);
        if (stages[n].factor < 1 || stages[n].count < 1 || stages[n].count > MOST_TAPS)
            return 2;
        for (k = 0; k < stages[n].count; k++)
            stages[n].taps[k] = 1.0 / (k + 3);
    }
    clock_gettime(CLOCK_MONOTONIC, &from);
    for (long long round = 0; round < rounds; round++) {
        int left = decimate(&stages[0], input, samples, output);
        for (n = 1; n < count; n++)
            left = decimate(&stages[n], output, left, output);
        sum += output[round % left];
    }
    clock_gettime(CLOCK_MONOTONIC, &to);
    fprintf(stderr, "%g\n", sum);
    printf("%lld\n", (to.tv_sec - from.tv_sec) * 1000000000LL + (to.tv_nsec - from.tv_nsec));
    return 0;
}
