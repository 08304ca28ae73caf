/* From reset to the filter on a RISC-V core, and how it asks the host. */
#include <stdint.h>

extern intptr_t host_call(intptr_t operation, void *block);
extern uint32_t clock_now(void);
extern void leave(int status);
extern void fault(void);

__asm__(".section .vectors, \"ax\"\n"
        ".globl _start\n"
        "_start:\n"
        "    la sp, stack_top\n"
        "    la t0, trap\n"
        ".option push\n"
        ".option arch, +zicsr\n"
        "    csrw mtvec, t0\n"
        ".option pop\n"
        "    j begin\n"
        ".balign 4\n"
        "trap:\n"
        "    j fault\n"
        /* The three instructions that mark a call stand in one page, none of them compressed. */
        ".section .text\n"
        ".option push\n"
        ".option norvc\n"
        ".balign 16\n"
        ".globl host_call\n"
        "host_call:\n"
        "    slli x0, x0, 0x1f\n"
        "    ebreak\n"
        "    srai x0, x0, 7\n"
        "    ret\n"
        ".option pop\n");

/* Instructions since the beginning. */
uint32_t clock_now(void)
{
    uintptr_t count;
    __asm__ volatile(".option push\n.option arch, +zicsr\ncsrr %0, minstret\n.option pop" : "=r"(count) : : "memory");
    return (uint32_t)count;
}

void fault(void)
{
    leave(4);
}
