
#include <errno.h>
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>

#define LARGEST_BLOCK 256

static int give(const CHAIN_OUTPUT *output, size_t count)
{
    size_t i;
    for (i = 0; i < count * CHAIN_WORDS_OUT; i++) {
        if (printf("%" PRId64 "\n", (int64_t)output[i]) < 0) {
            return 0;
        }
    }
    return 1;
}

int main(int argc, char **argv)
{
    static struct CHAIN_NAME chain;
    static CHAIN_INPUT input[LARGEST_BLOCK * CHAIN_WORDS_IN];
    static CHAIN_OUTPUT output[CHAIN_OUTPUTS(LARGEST_BLOCK) * CHAIN_WORDS_OUT];
    char line[64];
    size_t held = 0;
    size_t i;
    unsigned long number = 0;
    /* 0 and 1: sample by sample; up to 256: so many samples at a call */
    long block = argc > 1 ? strtol(argv[1], NULL, 10) : 0;

    if (block < 0 || block > LARGEST_BLOCK) {
        fprintf(stderr, "block length %ld: 0 to %d wanted\n", block, LARGEST_BLOCK);
        return 2;
    }
    block = block == 0 ? 1 : block;
    /* Whatever lies in memory before, CHAIN_INIT has to clear it. */
    for (i = 0; i < sizeof chain; i++) {
        ((unsigned char *)&chain)[i] = 0xa5;
    }
    CHAIN_INIT(&chain);
    while (fgets(line, sizeof line, stdin) != NULL) {
        char *end;
        long long word;
        number++;
        errno = 0;
        word = strtoll(line, &end, 10);
        if (end == line || (*end != '\n' && *end != '\0') || errno != 0
            || word < CHAIN_LOWEST || word > CHAIN_HIGHEST) {
            fprintf(stderr, "line %lu: no integer of the input format\n", number);
            return 2;
        }
        input[held++] = (CHAIN_INPUT)word;
        if (held == (size_t)block * CHAIN_WORDS_IN) {
            if (!give(output, CHAIN_BLOCK(&chain, input, held / CHAIN_WORDS_IN, output))) {
                return 1;
            }
            held = 0;
        }
    }
    if (!give(output, CHAIN_BLOCK(&chain, input, held / CHAIN_WORDS_IN, output))) {
        return 1;
    }
    return fflush(stdout) == 0 ? 0 : 1;
}
