
#include <errno.h>
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>

#define LARGEST_BLOCK 4096

static int give(const FILTER_OUTPUT *output, size_t count)
{
    size_t i;
    for (i = 0; i < count; i++) {
        if (printf("%" PRId64 "\n", (int64_t)output[i]) < 0) {
            return 0;
        }
    }
    return 1;
}

int main(int argc, char **argv)
{
    static struct FILTER_NAME filter;
    static FILTER_INPUT input[LARGEST_BLOCK];
    static FILTER_OUTPUT output[LARGEST_BLOCK];
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
    /* Whatever lies in memory before, FILTER_INIT has to clear it. */
    for (i = 0; i < sizeof filter; i++) {
        ((unsigned char *)&filter)[i] = 0xa5;
    }
    FILTER_INIT(&filter);
    while (fgets(line, sizeof line, stdin) != NULL) {
        char *end;
        long long word;
        number++;
        errno = 0;
        word = strtoll(line, &end, 10);
        if (end == line || (*end != '\n' && *end != '\0') || errno != 0
            || word < FILTER_LOWEST || word > FILTER_HIGHEST) {
            fprintf(stderr, "line %lu: no integer of the input format\n", number);
            return 2;
        }
        if (block == 0) {
            output[0] = FILTER_STEP(&filter, (FILTER_INPUT)word);
            if (!give(output, 1)) {
                return 1;
            }
            continue;
        }
        input[held++] = (FILTER_INPUT)word;
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
