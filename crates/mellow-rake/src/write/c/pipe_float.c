
#include <errno.h>
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define LARGEST_BLOCK 4096

static int give(const FILTER_NUMBER *output, size_t count)
{
    size_t i;
    for (i = 0; i < count; i++) {
        FILTER_BITS bits;
        memcpy(&bits, &output[i], sizeof bits);
        if (!(output[i] >= 0) && !(output[i] < 0)) {
            /* All that is not a number is alike. */
            bits = FILTER_NOT_A_NUMBER;
        }
        if (printf("%" PRId64 "\n", (int64_t)bits) < 0) {
            return 0;
        }
    }
    return 1;
}

int main(int argc, char **argv)
{
    static struct FILTER_NAME filter;
    static FILTER_NUMBER input[LARGEST_BLOCK];
    static FILTER_NUMBER output[LARGEST_BLOCK];
    char line[64];
    size_t held = 0;
    size_t i;
    unsigned long number = 0;
    /* 0: sample by sample; 1 to 4096: so many samples at a call */
    const long block = argc > 1 ? strtol(argv[1], NULL, 10) : 0;

    if (block < 0 || block > LARGEST_BLOCK) {
        fprintf(stderr, "block length %ld: 0 to %d wanted\n", block, LARGEST_BLOCK);
        return 2;
    }
    /* Whatever lies in memory before, large numbers even, FILTER_INIT has to clear it. */
    for (i = 0; i < sizeof filter; i++) {
        ((unsigned char *)&filter)[i] = 0x4b;
    }
    FILTER_INIT(&filter);
    while (fgets(line, sizeof line, stdin) != NULL) {
        char *end;
        long long word;
        FILTER_BITS bits;
        number++;
        errno = 0;
        word = strtoll(line, &end, 10);
        bits = (FILTER_BITS)word;
        if (end == line || (*end != '\n' && *end != '\0') || errno != 0
            || (word != (long long)bits && word != (long long)(FILTER_SIGNED)bits)) {
            fprintf(stderr, "line %lu: no bits of a number\n", number);
            return 2;
        }
        memcpy(&input[held], &bits, sizeof bits);
        if (block == 0) {
            output[0] = FILTER_STEP(&filter, input[0]);
            if (!give(output, 1)) {
                return 1;
            }
            continue;
        }
        held++;
        if (held == (size_t)block) {
            FILTER_BLOCK(&filter, input, output, held);
            if (!give(output, held)) {
                return 1;
            }
            held = 0;
        }
    }
    if (held > 0) {
        FILTER_BLOCK(&filter, input, output, held);
        if (!give(output, held)) {
            return 1;
        }
    }
    return fflush(stdout) == 0 ? 0 : 1;
}
