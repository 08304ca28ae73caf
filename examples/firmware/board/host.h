/* The simulated side of the board: converters whose words lie in files of the host, and files for what the
   filters give, by the calls that Arm's semihosting has. */
#ifndef HOST_H
#define HOST_H

#include <stddef.h>
#include <stdint.h>

enum channel { STRAIN, BELT, CARRIER, CHANNELS };

/* 1 if all files are there. */
int host_open(void);

/* The next words of a converter, fewer than count at the end of the recording. */
size_t converter_read(enum channel channel, int16_t *words, size_t count);

/* What a filter has given. */
void results_write(enum channel channel, const void *words, size_t bytes);

/* The most clocks that the filters took within a tick. */
void load_write(uint32_t clocks);

/* The program has ended. */
void leave(int status);

#endif
