/* The firmware of the buoy. Every millisecond the system timer interrupts: a word of the mooring's strain, 96
   of the modem's carrier, which have come together meanwhile, and every 15.625 ms one of the chest belt. Each
   has a filter, and what the filters give goes to the host. */
#include "breath.h"
#include "carrier_band.h"
#include "host.h"
#include "pump_hum.h"

/* The system timer counts the clock of the core down. */
static volatile uint32_t *const timer = (volatile uint32_t *)0xe000e010u;

enum { CLOCKS_IN_A_TICK = 25000, TICKS_IN_A_SECOND = 1000, BELT_IN_A_SECOND = 64 };

static struct pump_hum strain;
static struct breath belt;
static struct carrier_band carrier;

static volatile int has_ended;
static uint32_t longest;

void system_tick(void);

void system_tick(void)
{
    static unsigned phase;
    static int16_t in[CARRIER_BAND_BLOCK], out[CARRIER_BAND_BLOCK];
    int16_t strain_in, belt_in, strain_out = 0;
    int32_t belt_out = 0;
    uint32_t begun, clocks;
    size_t is_strain, is_belt = 0, is_carrier;

    /* What the converters have by now. */
    is_strain = converter_read(STRAIN, &strain_in, 1);
    is_carrier = converter_read(CARRIER, in, CARRIER_BAND_BLOCK) == CARRIER_BAND_BLOCK;
    phase += BELT_IN_A_SECOND;
    if (phase >= TICKS_IN_A_SECOND) {
        phase -= TICKS_IN_A_SECOND;
        is_belt = converter_read(BELT, &belt_in, 1);
        has_ended = is_strain == 0 && is_carrier == 0 && is_belt == 0;
    }

    begun = timer[2];
    if (is_strain) {
        strain_out = pump_hum_step(&strain, strain_in);
    }
    if (is_belt) {
        belt_out = breath_step(&belt, belt_in);
    }
    if (is_carrier) {
        carrier_band_block(&carrier, in, out, CARRIER_BAND_BLOCK);
    }
    clocks = begun - timer[2];
    if (clocks < CLOCKS_IN_A_TICK && clocks > longest) {
        longest = clocks;
    }

    if (is_strain) {
        results_write(STRAIN, &strain_out, sizeof strain_out);
    }
    if (is_belt) {
        results_write(BELT, &belt_out, sizeof belt_out);
    }
    if (is_carrier) {
        results_write(CARRIER, out, sizeof out);
    }
}

int main(void)
{
    if (!host_open()) {
        return 1;
    }
    pump_hum_init(&strain);
    breath_init(&belt);
    carrier_band_init(&carrier);
    timer[1] = CLOCKS_IN_A_TICK - 1;
    timer[2] = 0;
    /* It runs with the clock of the core, and interrupts. */
    timer[0] = 7;
    while (!has_ended) {
        __asm__ volatile("wfi");
    }
    timer[0] = 0;
    load_write(longest);
    return 0;
}
