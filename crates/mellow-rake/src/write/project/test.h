/* @ORIGIN@

   A test of @NAME@ where it is to run. */
#ifndef @GUARD@_TEST_H
#define @GUARD@_TEST_H

#include "@NAME@.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What goes in, what must come out, and what the filter in floating point makes of it, as values. */
struct @NAME@_signal {
    const char *name;
    size_t count;
    const @INPUT@ *input;
    const @OUTPUT@ *expected;
    const double *reference;
    /* Where words need not be equal: the least signal-to-error ratio against the reference, in decibels. */
    double least_ratio;
};

extern const struct @NAME@_signal @NAME@_signals[];
extern const size_t @NAME@_signal_count;

/* Runs all signals, so many samples at a call (0: one at a time; 256 at most), and hands what it finds, piece
   by piece, to say: to a serial line, a log, or nowhere if say is NULL. 0 if the test is passed, else 1. */
int @NAME@_test(size_t block, void (*say)(const char *text));

#ifdef __cplusplus
}
#endif

#endif
