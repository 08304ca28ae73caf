/* Written by Mellow Rake 0.1.0; change the spec, not this file.

   Input s16f15, output s16f15: a word holding the integer i has the value i / 2^f with f the
   number after the letter f. The output belongs to the input of the same call.
   Each stream of samples needs a filter of its own, a structure that average_init has
   cleared once. */
#ifndef AVERAGE_H
#define AVERAGE_H

#include <limits.h>
#include <stddef.h>
#include <stdint.h>

/* Words have whole bytes of 8 bits, and an int counts all that is remembered. */
typedef char average_fits_this_processor[CHAR_BIT == 8 && INT_MAX >= 15 ? 1 : -1];

#ifdef __cplusplus
extern "C" {
#endif

/* One filter; as many as you like side by side. */
struct average {
    int16_t x[15]; /* s16f15: the last 7 words, the oldest first, in a window that begins at `at` */
    int at; /* where the window begins; after 8 samples it begins anew */
};

/* The zero state; call before the first sample. */
void average_init(struct average *filter);

/* One sample. */
int16_t average_step(struct average *filter, int16_t input);

/* count samples; input and output may be the same array if their types are. Where the source is compiled with
   AVERAGE_BLOCK defined as a number, all blocks have so many, whatever count says. */
void average_block(struct average *filter, const int16_t *input, int16_t *output, size_t count);

#ifdef __cplusplus
}
#endif

#endif
