/* From reset to the filter on a Cortex-M, and how it asks the host. */
#include <stdint.h>

extern uint32_t stack_top;
extern void begin(void);
extern void leave(int status);
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

void reset(void)
{
    timer[1] = 0xffffffu;
    timer[2] = 0;
    timer[0] = 5;
    begin();
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
