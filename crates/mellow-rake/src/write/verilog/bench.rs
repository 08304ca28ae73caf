//! The test bench.

use super::super::ORIGIN;
use super::super::register_transfer::{Traffic, byte_bits};
use crate::fixed::WordFormat;
use crate::spec::Interface;

/// A self-checking test bench: stimulus and expected output from hex files named on the command line, gaps
/// between samples, every output compared, and all outputs written to a third file. Samples stay until they
/// are taken; where they can wait, outputs are left standing for some clocks.
pub(super) fn text(formats: [WordFormat; 2], traffic: &Traffic, name: &str) -> String {
    let Traffic { interface, samples, changes_rate, latency, patience, load } = traffic;
    let [input, output] = formats.map(WordFormat::width);
    let ports = match interface {
        None => "",
        Some(Interface::Valid) => "`define FILTER_READY\n",
        Some(Interface::ValidReady) => "`define FILTER_READY\n`define FILTER_WAITS\n",
        Some(Interface::AxiStream) => {
            "`define FILTER_READY\n`define FILTER_WAITS\n`define FILTER_STREAM\n"
        }
    };
    let bytes = match interface {
        Some(Interface::AxiStream) => format!(
            "`define FILTER_SAMPLES {samples}\n`define FILTER_INPUT_WORD {input}\n\
             `define FILTER_OUTPUT_WORD {output}\n`define FILTER_INPUT_BYTES {}\n\
             `define FILTER_OUTPUT_BYTES {}\n`define FILTER_OUTPUT_SIGNED {}\n",
            byte_bits(input),
            byte_bits(output),
            u8::from(formats[1].is_signed())
        ),
        _ => String::new(),
    };
    let loads = load.map_or(String::new(), |load| {
        let pending = if load.has_pending { "`define FILTER_PENDING\n" } else { "" };
        format!(
            "`define FILTER_LOADS\n{pending}`define FILTER_ADDRESS_WIDTH {}\n\
             `define FILTER_LOAD_WIDTH {}\n",
            load.address_bits, load.data_bits
        )
    });
    let rate = if *changes_rate { "`define FILTER_CHANGES_RATE\n" } else { "" };
    let of_a_clock = match samples {
        1 => String::new(),
        _ => format!(": the {samples} samples of a clock as one word, the oldest lowest"),
    };
    let load_note = match load {
        Some(load) if load.has_pending => {
            "// +load=FILE      address and word of coefficients in hex, written first (optional)\n"
        }
        Some(_) => {
            "// +load=FILE      address and step of oscillators in hex, written first (optional)\n"
        }
        None => "",
    };
    format!(
        "// {ORIGIN}\n//\n\
         // +stimulus=FILE  input words in hex, one a line{of_a_clock}\n\
         // +expected=FILE  the output words that belong to them\n\
         // +observed=FILE  where the words that came out are written (optional)\n{load_note}\
         // The last lines printed are INTERVAL, the fewest clocks between two samples that were taken, and\n\
         // RESULT, the number of samples and the number of mismatches.\n\
         `default_nettype none\n\n\
         `define FILTER_MODULE {name}\n`define FILTER_INPUT_WIDTH {}\n`define FILTER_OUTPUT_WIDTH {}\n\
         `define FILTER_LATENCY {latency}\n`define FILTER_PATIENCE {patience}\n{ports}{rate}{bytes}{loads}\n\
         module {name}_tb;\n{}",
        input as usize * samples,
        output as usize * samples,
        include_str!("bench.v"),
    )
}
