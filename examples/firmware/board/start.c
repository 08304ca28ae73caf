/* From reset to `main` on a Cortex-M4, and what a compiler may call of a library that is not there. */
#include <stddef.h>
#include <stdint.h>

extern uint32_t stack_top, data_load, data_start, data_end, bss_start, bss_end;
extern int main(void);
extern void leave(int status);
extern void system_tick(void);

void *memcpy(void *restrict to, const void *restrict from, size_t count);
void *memset(void *to, int value, size_t count);
void reset(void);

/* Byte by byte, and with a barrier, or the compiler makes a call of itself of it. */
void *memcpy(void *restrict to, const void *restrict from, size_t count)
{
    unsigned char *goes = to;
    const unsigned char *comes = from;
    while (count-- > 0) {
        *goes++ = *comes++;
        __asm__ volatile("" : : : "memory");
    }
    return to;
}

void *memset(void *to, int value, size_t count)
{
    unsigned char *goes = to;
    while (count-- > 0) {
        *goes++ = (unsigned char)value;
        __asm__ volatile("" : : : "memory");
    }
    return to;
}

void reset(void)
{
    const uint32_t *from = &data_load;
    volatile uint32_t *to;
    for (to = &data_start; to < &data_end; to++) {
        *to = *from++;
    }
    for (to = &bss_start; to < &bss_end; to++) {
        *to = 0;
    }
    leave(main());
}

static void fault(void)
{
    leave(4);
}

typedef void (*handler)(void);

/* The exceptions of the core, from reset to the system timer. */
__attribute__((section(".vectors"), used)) static const struct {
    uint32_t *stack;
    handler handlers[15];
} vectors = { &stack_top,
              { reset, fault, fault, fault, fault, fault, fault, fault, fault, fault, fault, fault, fault,
                fault, system_tick } };
