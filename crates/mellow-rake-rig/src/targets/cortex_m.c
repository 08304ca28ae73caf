/* From reset to the filter on a Cortex-M, and how it asks the host. */
#include <stdint.h>

extern uint32_t stack_top, data_load, data_start, data_end, bss_start, bss_end;
extern int run_filter(void);
extern intptr_t host_call(intptr_t operation, void *block);
extern uint32_t clock_now(void);
extern void reset(void);

intptr_t host_call(intptr_t operation, void *block)
{
    register intptr_t result __asm__("r0") = operation;
    register void *argument __asm__("r1") = block;
    __asm__ volatile("bkpt 0xab" : "+r"(result) : "r"(argument) : "memory");
    return result;
}

/* The system timer, from its highest number down. */
static volatile uint32_t *const timer = (volatile uint32_t *)0xe000e010u;

uint32_t clock_now(void)
{
    return timer[2];
}

static void leave(int status)
{
    uintptr_t block[2];
    /* The application has ended, with a status. */
    block[0] = 0x20026;
    block[1] = (uintptr_t)status;
    for (;;) {
        host_call(0x20, block);
    }
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
    timer[1] = 0xffffffu;
    timer[2] = 0;
    timer[0] = 5;
    leave(run_filter());
}

/* A fault ends here as well. */
static void fault(void)
{
    leave(4);
}

typedef void (*handler)(void);

__attribute__((section(".vectors"), used)) static const struct {
    uint32_t *stack;
    handler handlers[15];
} vectors = { &stack_top, { reset, fault, fault, fault, fault, fault } };
