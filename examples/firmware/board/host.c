#include "host.h"

static intptr_t from[CHANNELS], to[CHANNELS], load;

static intptr_t host_call(intptr_t operation, void *block)
{
    register intptr_t result __asm__("r0") = operation;
    register void *argument __asm__("r1") = block;
    __asm__ volatile("bkpt 0xab" : "+r"(result) : "r"(argument) : "memory");
    return result;
}

static intptr_t open_file(const char *name, intptr_t mode)
{
    uintptr_t block[3] = { (uintptr_t)name, (uintptr_t)mode, 0 };
    while (name[block[2]] != '\0') {
        block[2]++;
    }
    return host_call(0x01, block);
}

/* Bytes that were not written, or not read. */
static size_t transfer(intptr_t operation, intptr_t file, const void *bytes, size_t count)
{
    uintptr_t block[3] = { (uintptr_t)file, (uintptr_t)bytes, count };
    return (size_t)host_call(operation, block);
}

int host_open(void)
{
    static const char *const names[CHANNELS][2] = { { "pump_hum.in", "pump_hum.out" },
                                                    { "breath.in", "breath.out" },
                                                    { "carrier_band.in", "carrier_band.out" } };
    int channel;
    load = open_file("load.out", 5);
    for (channel = 0; channel < CHANNELS; channel++) {
        from[channel] = open_file(names[channel][0], 1);
        to[channel] = open_file(names[channel][1], 5);
        if (from[channel] < 0 || to[channel] < 0) {
            return 0;
        }
    }
    return load >= 0;
}

size_t converter_read(enum channel channel, int16_t *words, size_t count)
{
    return count - transfer(0x06, from[channel], words, count * sizeof *words) / sizeof *words;
}

static void write_all(intptr_t file, const void *bytes, size_t count)
{
    if (transfer(0x05, file, bytes, count) != 0) {
        leave(3);
    }
}

void results_write(enum channel channel, const void *words, size_t bytes)
{
    write_all(to[channel], words, bytes);
}

void load_write(uint32_t clocks)
{
    write_all(load, &clocks, sizeof clocks);
}

void leave(int status)
{
    /* The application has ended, with a status. */
    uintptr_t block[2] = { 0x20026, (uintptr_t)status };
    for (;;) {
        host_call(0x20, block);
    }
}
