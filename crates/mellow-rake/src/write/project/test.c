/* @ORIGIN@

   No library is needed here: neither to print nor for logarithms. */
#include "@NAME@_test.h"

#define LARGEST_BLOCK 256
/* Whether all words must be equal; else the signal-to-error ratio counts. */
#define EXACT @IS_EXACT@
/* The value of an output of 1, and that of the step that errors are told in. */
static const double value_of_one = @VALUE_OF_ONE@;
static const double step = @STEP_OF_ERRORS@;

static void quiet(const char *text)
{
    (void)text;
}

/* A number from 0 on, with one digit behind the point. */
static void say_number(void (*say)(const char *text), double number)
{
    char text[32];
    size_t at = sizeof text - 1;
    unsigned long long tenths;
    if (!(number < 1e15)) {
        say("more than 1e15");
        return;
    }
    tenths = (unsigned long long)(number * 10.0 + 0.5);
    text[at] = '\0';
    text[--at] = (char)('0' + tenths % 10);
    text[--at] = '.';
    tenths /= 10;
    do {
        text[--at] = (char)('0' + tenths % 10);
        tenths /= 10;
    } while (tenths > 0);
    say(&text[at]);
}

static void say_count(void (*say)(const char *text), size_t count)
{
    char text[32];
    size_t at = sizeof text - 1;
    text[at] = '\0';
    do {
        text[--at] = (char)('0' + count % 10);
        count /= 10;
    } while (count > 0);
    say(&text[at]);
}

static void say_value(void (*say)(const char *text), double value)
{
    if (value < 0) {
        say("-");
        value = -value;
    }
    say_number(say, value / step);
}

/* A ratio of powers in tenths of a decibel: how often 0.1 dB fit into it and 0.05 dB more. */
static int tenths_of_decibels(double ratio)
{
    const double tenth = 1.0232929922807541;
    int tenths = 0;
    ratio *= 1.0115794542598985;
    while (ratio >= tenth && tenths < 4000) {
        ratio /= tenth;
        tenths++;
    }
    while (ratio < 1 && tenths > -4000) {
        ratio *= tenth;
        tenths--;
    }
    return tenths;
}

static int run(const struct @NAME@_signal *signal, size_t block, void (*say)(const char *text))
{
    static struct @NAME@ filter;
    static @OUTPUT@ output[LARGEST_BLOCK];
    size_t at = 0;
    size_t differing = 0;
    size_t first = 0;
    double found = 0;
    double power = 0;
    double error_power = 0;
    double largest = 0;
    int passed;

    @NAME@_init(&filter);
    while (at < signal->count) {
        size_t count = signal->count - at;
        size_t i;
        if (block == 0) {
            count = 1;
            output[0] = @NAME@_step(&filter, signal->input[at]);
        } else {
            count = count < block ? count : block;
            @NAME@_block(&filter, &signal->input[at], output, count);
        }
        for (i = 0; i < count; i++, at++) {
            const double value = (double)output[i] * value_of_one;
            const double reference = signal->reference[at];
            double error = value - reference;
            if (!(output[i] <= signal->expected[at] && output[i] >= signal->expected[at])) {
                if (differing == 0) {
                    first = at;
                    found = value;
                }
                differing++;
            }
            power += reference * reference / (step * step);
            error_power += error * error / (step * step);
            error = error < 0 ? -error : error;
            /* What is not a number is the largest error of all. */
            largest = error <= largest ? largest : error;
        }
    }
    say("  ");
    say(signal->name);
    say(": ");
    say_count(say, signal->count);
    if (differing == 0) {
        say(" samples equal");
    } else {
        say(" samples, ");
        say_count(say, differing);
        say(" differ, the first at ");
        say_count(say, first);
        say(": expected ");
        say_value(say, (double)signal->expected[first] * value_of_one);
        say(", found ");
        say_value(say, found);
        say(" steps");
    }
    passed = EXACT ? differing == 0 : 0;
    if (error_power > 0 && power > 0) {
        const int tenths = tenths_of_decibels(power / error_power);
        say("; signal-to-error ratio ");
        say(tenths < 0 ? "-" : "");
        say_number(say, (tenths < 0 ? -tenths : tenths) / 10.0);
        say(" dB");
        passed = EXACT ? passed : tenths / 10.0 >= signal->least_ratio;
    } else if (!EXACT) {
        passed = !(largest > 0);
    }
    say(", largest error ");
    say_number(say, largest / step);
    say(passed ? " steps\n" : " steps: FAIL\n");
    return passed;
}

int @NAME@_test(size_t block, void (*say)(const char *text))
{
    size_t i;
    int passed = 1;
    void (*const to)(const char *text) = say ? say : quiet;
    block = block < LARGEST_BLOCK ? block : LARGEST_BLOCK;
    for (i = 0; i < @NAME@_signal_count; i++) {
        passed = run(&@NAME@_signals[i], block, to) && passed;
    }
    to(passed ? "PASS\n" : "FAIL\n");
    return passed ? 0 : 1;
}
