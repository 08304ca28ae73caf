/* Filters words that lie in a file of the host: how many go into a call (0: one at a time, by the function for
   that), then the words, 8 bytes each, the lowest first. What comes out is written to another in the same way,
   and behind it what the clock of the core counted during the calls, less what it counts during none, and the
   bytes of a filter. */
#include <stddef.h>
#include <stdint.h>

#define LONGEST_BLOCK 64

#ifdef FILTER_NUMBER
#define FILTER_INPUT FILTER_NUMBER
#define FILTER_OUTPUT FILTER_NUMBER
#endif

#ifdef CHAIN_NAME
/* Of a chain another number of words comes out than goes in. */
#define FILTER_NAME CHAIN_NAME
#define FILTER_INIT CHAIN_INIT
#define FILTER_INPUT CHAIN_INPUT
#define FILTER_OUTPUT CHAIN_OUTPUT
#define MOST_INPUTS (LONGEST_BLOCK * CHAIN_WORDS_IN)
#define MOST_OUTPUTS (CHAIN_OUTPUTS(1) * LONGEST_BLOCK * CHAIN_WORDS_OUT)
#else
#define CHAIN_WORDS_IN 1
#define CHAIN_WORDS_OUT 1
#define MOST_INPUTS LONGEST_BLOCK
#define MOST_OUTPUTS LONGEST_BLOCK
#endif

extern intptr_t host_call(intptr_t operation, void *block);
extern uint32_t clock_now(void);
extern uint32_t data_load, data_start, data_end, bss_start, bss_end;
extern void begin(void);
extern void leave(int status);
extern void *memcpy(void *restrict to, const void *restrict from, size_t count);
extern void *memmove(void *to, const void *from, size_t count);
extern void *memset(void *to, int value, size_t count);

/* What a compiler may call of a library that is not there, by words where both sides lie on the boundaries of
   words, as the libraries for these cores do it; the barriers keep these loops from becoming calls of
   themselves. */
#define BARRIER __asm__ volatile("" : : : "memory")

static int on_words(const void *to, const void *from)
{
    return (((uintptr_t)to | (uintptr_t)from) % sizeof(uint32_t)) == 0;
}

typedef uint32_t __attribute__((may_alias)) any_word;

void *memcpy(void *restrict to, const void *restrict from, size_t count)
{
    unsigned char *goes = to;
    const unsigned char *comes = from;
    if (on_words(to, from)) {
        any_word *words = to;
        const any_word *source = from;
        for (; count >= sizeof *words; count -= sizeof *words) {
            *words++ = *source++;
            BARRIER;
        }
        goes = (unsigned char *)words;
        comes = (const unsigned char *)source;
    }
    while (count-- > 0) {
        *goes++ = *comes++;
        BARRIER;
    }
    return to;
}

void *memmove(void *to, const void *from, size_t count)
{
    unsigned char *goes = to;
    const unsigned char *comes = from;
    if (goes <= comes) {
        return memcpy(to, from, count);
    }
    while (count-- > 0) {
        goes[count] = comes[count];
        BARRIER;
    }
    return to;
}

void *memset(void *to, int value, size_t count)
{
    unsigned char *goes = to;
    while (count-- > 0) {
        *goes++ = (unsigned char)value;
        BARRIER;
    }
    return to;
}

/* The operations of Arm's semihosting, which RISC-V has as well. */
static intptr_t open_file(const char *name, size_t length, intptr_t mode)
{
    uintptr_t block[3];
    block[0] = (uintptr_t)name;
    block[1] = (uintptr_t)mode;
    block[2] = length;
    return host_call(0x01, block);
}

/* Bytes that were not written, or not read. */
static intptr_t transfer(intptr_t operation, intptr_t file, void *bytes, size_t count)
{
    uintptr_t block[3];
    block[0] = (uintptr_t)file;
    block[1] = (uintptr_t)bytes;
    block[2] = count;
    return host_call(operation, block);
}

/* Clocks from then to now; a clock of 24 bits goes down. */
static uint32_t passed(uint32_t then)
{
#ifdef CLOCK_GOES_DOWN
    return (then - clock_now()) & 0xffffffu;
#else
    return clock_now() - then;
#endif
}

static struct FILTER_NAME filter;
static int64_t words[MOST_OUTPUTS > MOST_INPUTS ? MOST_OUTPUTS : MOST_INPUTS];
static FILTER_INPUT input[MOST_INPUTS];
static FILTER_OUTPUT output[MOST_OUTPUTS];

#ifdef FILTER_NUMBER
static FILTER_INPUT read_word(int64_t word)
{
    const FILTER_BITS bits = (FILTER_BITS)word;
    FILTER_INPUT number;
    memcpy(&number, &bits, sizeof number);
    return number;
}

static int64_t written_word(FILTER_OUTPUT number)
{
    FILTER_BITS bits;
    memcpy(&bits, &number, sizeof bits);
    /* Which of its bits stand for no number is left open by IEEE 754. */
    return number == number ? (int64_t)bits : (int64_t)FILTER_NOT_A_NUMBER;
}
#else
static FILTER_INPUT read_word(int64_t word)
{
    return (FILTER_INPUT)word;
}

static int64_t written_word(FILTER_OUTPUT word)
{
    return (int64_t)word;
}
#endif

#ifdef CHAIN_NAME
static size_t run_chain(size_t count, int64_t block)
{
    size_t given = 0;
    size_t i;
    if (block != 0) {
        return CHAIN_BLOCK(&filter, input, count, output);
    }
    for (i = 0; i < count; i++) {
        given += CHAIN_BLOCK(&filter, input + i * CHAIN_WORDS_IN, 1, output + given * CHAIN_WORDS_OUT);
    }
    return given;
}
#endif

/* 0, or what went wrong: 1 a file, 2 a length, 3 the writing. */
static int run_filter(void)
{
    const intptr_t from = open_file("input.bin", 9, 1);
    const intptr_t to = open_file("output.bin", 10, 5);
    int64_t block;
    int64_t clocks[2];
    size_t call;
    uint32_t then, nothing;
    if (from < 0 || to < 0) {
        return 1;
    }
    if (transfer(0x06, from, &block, sizeof block) != 0 || block < 0 || block > LONGEST_BLOCK) {
        return 2;
    }
    call = (block == 0 ? LONGEST_BLOCK : (size_t)block) * CHAIN_WORDS_IN;
    /* Whatever lies in memory before, FILTER_INIT has to clear it. */
    memset(&filter, 0xa5, sizeof filter);
    FILTER_INIT(&filter);
    then = clock_now();
    nothing = passed(then);
    clocks[0] = 0;
    clocks[1] = (int64_t)sizeof filter;
    for (;;) {
        const intptr_t left = transfer(0x06, from, words, call * sizeof words[0]);
        const size_t count = call - (size_t)left / sizeof words[0];
        size_t given, i;
        if (count == 0) {
            return transfer(0x05, to, clocks, sizeof clocks) == 0 ? 0 : 3;
        }
        for (i = 0; i < count; i++) {
            input[i] = read_word(words[i]);
        }
        then = clock_now();
#ifdef CHAIN_NAME
        given = run_chain(count / CHAIN_WORDS_IN, block) * CHAIN_WORDS_OUT;
#else
        given = count;
        if (block == 0) {
            for (i = 0; i < count; i++) {
                output[i] = FILTER_STEP(&filter, input[i]);
            }
        } else {
            FILTER_BLOCK(&filter, input, output, count);
        }
#endif
        clocks[0] += (int64_t)(passed(then) - nothing);
        for (i = 0; i < given; i++) {
            words[i] = written_word(output[i]);
        }
        if (transfer(0x05, to, words, given * sizeof words[0]) != 0) {
            return 3;
        }
    }
}

void leave(int status)
{
    uintptr_t block[2];
    /* The application has ended, with a status. */
    block[0] = 0x20026;
    block[1] = (uintptr_t)status;
    for (;;) {
        host_call(0x20, block);
    }
}

/* Behind a reset: words that have a beginning get it, all others are zero. */
void begin(void)
{
    const uint32_t *from = &data_load;
    volatile uint32_t *to;
    for (to = &data_start; to < &data_end; to++) {
        *to = *from++;
    }
    for (to = &bss_start; to < &bss_end; to++) {
        *to = 0;
    }
    leave(run_filter());
}
