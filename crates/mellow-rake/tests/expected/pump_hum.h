/* Written by Mellow Rake 0.1.0; change the spec, not this file.

   Input s16f15, output s16f15: a word holding the integer i has the value i / 2^f with f the
   number after the letter f. The output belongs to the input of the same call.
   Each stream of samples needs a filter of its own, a structure that pump_hum_init has
   cleared once. */
#ifndef PUMP_HUM_H
#define PUMP_HUM_H

#include <limits.h>
#include <stddef.h>
#include <stdint.h>

/* Words have whole bytes of 8 bits, and an int counts all that is remembered. */
typedef char pump_hum_fits_this_processor[CHAR_BIT == 8 && INT_MAX >= 2 ? 1 : -1];

#ifdef __cplusplus
extern "C" {
#endif

/* One filter; as many as you like side by side. */
struct pump_hum {
    int16_t x[2]; /* s16f15: the word stored k + 1 samples ago at k */
    int16_t y[2]; /* s16f15: the word stored k + 1 samples ago at k */
};

/* The zero state; call before the first sample. */
void pump_hum_init(struct pump_hum *filter);

/* One sample. */
int16_t pump_hum_step(struct pump_hum *filter, int16_t input);

/* count samples; input and output may be the same array if their types are. Where the source is compiled with
   PUMP_HUM_BLOCK defined as a number, all blocks have so many, whatever count says. */
void pump_hum_block(struct pump_hum *filter, const int16_t *input, int16_t *output, size_t count);

#ifdef __cplusplus
}
#endif

#endif
