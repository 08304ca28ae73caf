/* Written by Mellow Rake 0.1.0; change the spec, not this file.

   Input s16f15, output s16f15: a word holding the integer i has the value i / 2^f with f the
   number after the letter f. The output belongs to the input of the same call.
   Each stream of samples needs a filter of its own, a structure that carrier_band_init has
   cleared once. */
#ifndef CARRIER_BAND_H
#define CARRIER_BAND_H

#include <limits.h>
#include <stddef.h>
#include <stdint.h>

/* Words have whole bytes of 8 bits, and an int counts all that is remembered. */
typedef char carrier_band_fits_this_processor[CHAR_BIT == 8 && INT_MAX >= 160 ? 1 : -1];

#ifdef __cplusplus
extern "C" {
#endif

/* One filter; as many as you like side by side. */
struct carrier_band {
    int16_t x[160]; /* s16f15: the last 96 words, the oldest first, in a window that begins at `at` */
    int at; /* where the window begins; after 64 samples it begins anew */
};

/* The zero state; call before the first sample. */
void carrier_band_init(struct carrier_band *filter);

/* One sample. */
int16_t carrier_band_step(struct carrier_band *filter, int16_t input);

/* count samples; input and output may be the same array if their types are. Where the source is compiled with
   CARRIER_BAND_BLOCK defined as a number, all blocks have so many, whatever count says. */
void carrier_band_block(struct carrier_band *filter, const int16_t *input, int16_t *output, size_t count);

#ifdef __cplusplus
}
#endif

#endif
