/* @ORIGIN@

   Runs the test of @NAME@ and prints what it finds. The argument, if any, is the number of samples per call: 0 or
   none for one at a time. */
#include "@NAME@_test.h"

#include <stdio.h>
#include <stdlib.h>

static void print(const char *text)
{
    fputs(text, stdout);
}

int main(int argc, char **argv)
{
    const long block = argc > 1 ? strtol(argv[1], NULL, 10) : 0;
    if (block < 0 || block > 256) {
        fprintf(stderr, "block length %ld: 0 to 256 wanted\n", block);
        return 2;
    }
    return @NAME@_test((size_t)block, print);
}
