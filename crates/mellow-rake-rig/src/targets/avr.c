/* Filters words that lie behind the program in the memory for programs of an ATmega328P: how many samples go
   into a call (0: one at a time, by the function for that), whether a filter is to go on that another run has
   left, how many samples there are, that filter, and the words, the lowest byte first. What comes out is sent
   in hexadecimal over the serial line, a call on each line; behind it, what the timers counted during the calls
   less what they count during none, the bytes of memory that nothing has touched, those of a word that goes
   in and of one that comes out, whether that has no sign, the words of a sample that goes in, and the filter. */
#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/pgmspace.h>
#include <avr/sleep.h>
#include <stddef.h>
#include <stdint.h>

#ifdef CHAIN_NAME
/* Of a chain another number of words comes out than goes in: in blocks that the memory has room for. */
#define FILTER_NAME CHAIN_NAME
#define FILTER_INIT CHAIN_INIT
#define FILTER_INPUT CHAIN_INPUT
#define FILTER_OUTPUT CHAIN_OUTPUT
enum { LONGEST_BLOCK = CHAIN_OUTPUTS(16) * CHAIN_WORDS_OUT <= 256 ? 16 : 1 };
#define MOST_INPUTS (LONGEST_BLOCK * CHAIN_WORDS_IN)
#define MOST_OUTPUTS (CHAIN_OUTPUTS(LONGEST_BLOCK) * CHAIN_WORDS_OUT)
#else
#define LONGEST_BLOCK 64
#define CHAIN_WORDS_IN 1
#define MOST_INPUTS LONGEST_BLOCK
#define MOST_OUTPUTS LONGEST_BLOCK
#endif

#ifdef FILTER_NUMBER
#define FILTER_INPUT FILTER_NUMBER
#define FILTER_OUTPUT FILTER_NUMBER
/* Bits have no sign. */
#define OUTPUT_IS_UNSIGNED 1
#else
#define OUTPUT_IS_UNSIGNED ((FILTER_OUTPUT)-1 > 0 ? 1 : 0)
#endif

extern const uint8_t __data_load_end, __heap_start;

static struct FILTER_NAME filter;
static FILTER_INPUT input[MOST_INPUTS];
static FILTER_OUTPUT output[MOST_OUTPUTS];
static uint16_t next;

static void take(void *to, size_t count)
{
    uint8_t *bytes = to;
    size_t k;
    for (k = 0; k < count; k++) {
        bytes[k] = pgm_read_byte(next + k);
    }
    next = (uint16_t)(next + count);
}

static void send(char letter)
{
    while ((UCSR0A & _BV(UDRE0)) == 0) {
    }
    UDR0 = (uint8_t)letter;
}

static void tell(const void *from, size_t count)
{
    const uint8_t *bytes = from;
    size_t k;
    for (k = 0; k < count; k++) {
        send("0123456789abcdef"[bytes[k] >> 4]);
        send("0123456789abcdef"[bytes[k] & 15]);
        /* The emulator prints so many letters of a line at most. */
        if (k % 64 == 63 && k + 1 < count) {
            send('\n');
            send('+');
        }
    }
    send('\n');
}

/* Three timers count the same clocks, in steps of 1024, of 64 and of 1. */
struct moment {
    uint16_t slow;
    uint8_t middle;
    uint8_t fast;
};

static inline struct moment now(void)
{
    struct moment moment;
    moment.slow = TCNT1;
    moment.middle = TCNT2;
    moment.fast = TCNT0;
    return moment;
}

/* The number next to about that has these lowest bits. */
static uint32_t nearest(uint32_t about, uint32_t lowest, uint32_t modulus)
{
    const uint32_t above = (lowest - about) & (modulus - 1);
    return above < modulus / 2 ? about + above : about + above - modulus;
}

static uint32_t passed(struct moment then, struct moment end)
{
    const uint32_t slow = (uint32_t)(uint16_t)(end.slow - then.slow) * 1024u;
    const uint32_t middle = nearest(slow, (uint32_t)(uint8_t)(end.middle - then.middle) * 64u, 16384u);
    return nearest(middle, (uint8_t)(end.fast - then.fast), 256u);
}

/* Some samples, in a block or one by one; gives how many words came out. */
static inline size_t run_filter(size_t count, uint8_t block)
{
#ifdef CHAIN_NAME
    size_t k, given = 0;
    if (block != 0) {
        return CHAIN_BLOCK(&filter, input, count, output) * CHAIN_WORDS_OUT;
    }
    for (k = 0; k < count; k++) {
        given += CHAIN_BLOCK(&filter, input + k * CHAIN_WORDS_IN, 1, output + given * CHAIN_WORDS_OUT);
    }
    return given * CHAIN_WORDS_OUT;
#else
    size_t k;
    if (block != 0) {
        FILTER_BLOCK(&filter, input, output, count);
        return count;
    }
    for (k = 0; k < count; k++) {
        output[k] = FILTER_STEP(&filter, input[k]);
    }
    return count;
#endif
}

int main(void)
{
    uint8_t block, goes_on, *free;
    const uint8_t sizes[4] = { sizeof(FILTER_INPUT), sizeof(FILTER_OUTPUT), OUTPUT_IS_UNSIGNED,
                               CHAIN_WORDS_IN };
    uint16_t left, untouched = 0;
    uint32_t clocks = 0, nothing;
    size_t call;
    struct moment then, end;
    /* What lies between the variables and the stack is marked. */
    for (free = (uint8_t *)&__heap_start; free < (uint8_t *)(SP - 32); free++) {
        *free = 0x5a;
    }
    UBRR0 = 0;
    UCSR0A = _BV(U2X0);
    UCSR0B = _BV(TXEN0);
    TCCR1B = _BV(CS12) | _BV(CS10);
    TCCR2B = _BV(CS22);
    TCCR0B = _BV(CS00);
    next = (uint16_t)(uintptr_t)&__data_load_end;
    take(&block, 1);
    take(&goes_on, 1);
    take(&left, sizeof left);
    /* Whatever lies in memory before, FILTER_INIT has to clear it. */
    for (call = 0; call < sizeof filter; call++) {
        ((uint8_t *)&filter)[call] = 0xa5;
    }
    FILTER_INIT(&filter);
    if (goes_on) {
        take(&filter, sizeof filter);
    }
    then = now();
    end = now();
    nothing = passed(then, end);
    while (left > 0) {
        size_t given;
        call = block == 0 || block > LONGEST_BLOCK ? LONGEST_BLOCK : block;
        call = left < call ? left : call;
        take(input, call * CHAIN_WORDS_IN * sizeof input[0]);
        then = now();
        given = run_filter(call, block);
        end = now();
        clocks += passed(then, end) - nothing;
#ifdef FILTER_NUMBER
        size_t k;
        for (k = 0; k < given; k++) {
            /* Which of its bits stand for no number is left open by IEEE 754. */
            if (output[k] != output[k]) {
                const FILTER_BITS bits = (FILTER_BITS)FILTER_NOT_A_NUMBER;
                __builtin_memcpy(&output[k], &bits, sizeof bits);
            }
        }
#endif
        send(':');
        tell(output, given * sizeof output[0]);
        left = (uint16_t)(left - call);
    }
    for (free = (uint8_t *)&__heap_start; *free == 0x5a; free++) {
        untouched++;
    }
    send('=');
    tell(&clocks, sizeof clocks);
    send('=');
    tell(&untouched, sizeof untouched);
    send('=');
    tell(sizes, sizeof sizes);
    send('=');
    tell(&filter, sizeof filter);
    cli();
    sleep_enable();
    sleep_cpu();
    return 0;
}
