/* The plain loops of a textbook in double precision, over 4096 samples as often as asked: argument 1 is the number of sections, or minus
   that of taps, argument 2 how often. Prints the nanoseconds that it took. */
#define _POSIX_C_SOURCE 199309L
#include <stdio.h>
#include <stdlib.h>
#include <time.h>

#define SAMPLES 4096
#define MOST 4096

static double b[64][3], a[64][2], state[64][4];
static double taps[MOST], line[MOST];
static double input[SAMPLES], output[SAMPLES];

static void sections(int count)
{
    for (int n = 0; n < SAMPLES; n++) {
        double x = input[n];
        for (int k = 0; k < count; k++) {
            double *s = state[k];
            double y = b[k][0] * x + b[k][1] * s[0] + b[k][2] * s[1] - a[k][0] * s[2] - a[k][1] * s[3];
            s[1] = s[0];
            s[0] = x;
            s[3] = s[2];
            s[2] = y;
            x = y;
        }
        output[n] = x;
    }
}

static void products(int count)
{
    static int at;
    for (int n = 0; n < SAMPLES; n++) {
        double sum = 0.0;
        int k = 0;
        line[at] = input[n];
        for (int i = at; i >= 0; i--)
            sum += taps[k++] * line[i];
        for (int i = count - 1; i > at; i--)
            sum += taps[k++] * line[i];
        at = at + 1 == count ? 0 : at + 1;
        output[n] = sum;
    }
}

int main(int argc, char **argv)
{
    const int what = argc > 1 ? atoi(argv[1]) : 1;
    const long long rounds = argc > 2 ? atoll(argv[2]) : 1;
    struct timespec from, to;
    double sum = 0.0;
    unsigned noise = 1;
    for (int n = 0; n < SAMPLES; n++) {
        noise = noise * 1664525u + 1013904223u;
        input[n] = noise / 4294967296.0 - 0.5;
    }
    for (int k = 0; k < 64; k++) {
        b[k][0] = 0.984, b[k][1] = -1.6787, b[k][2] = 0.984;
        a[k][0] = -1.6787, a[k][1] = 0.969;
    }
    for (int k = 0; k < MOST; k++)
        taps[k] = 1.0 / (k + 3);
    clock_gettime(CLOCK_MONOTONIC, &from);
    for (long long round = 0; round < rounds; round++) {
        if (what > 0)
            sections(what);
        else
            products(-what);
        sum += output[round % SAMPLES];
    }
    clock_gettime(CLOCK_MONOTONIC, &to);
    fprintf(stderr, "%g\n", sum);
    printf("%lld\n", (to.tv_sec - from.tv_sec) * 1000000000LL + (to.tv_nsec - from.tv_nsec));
    return 0;
}
