//! The test bench.

use super::super::ORIGIN;
use crate::datapath::Checked;
use crate::spec::Interface;

/// A self-checking test bench: stimulus and expected output from hex files named on the command line, gaps
/// between samples, every output compared, and all outputs written to a third file.
pub(super) fn text(checked: &Checked, name: &str) -> String {
    format!("{}\nmodule {name}_tb;\n{}", opening(checked, name), include_str!("bench.v"))
}

/// What test benches begin with.
fn opening(checked: &Checked, name: &str) -> String {
    format!(
        "// {ORIGIN}\n//\n\
         // +stimulus=FILE  input words in hex, one a line\n\
         // +expected=FILE  the output words that belong to them\n\
         // +observed=FILE  where the words that came out are written (optional)\n\
         // The last line printed is RESULT, the number of samples and the number of mismatches.\n\
         `default_nettype none\n\n\
         `define FILTER_MODULE {name}\n`define FILTER_INPUT_WIDTH {}\n`define FILTER_OUTPUT_WIDTH {}\n",
        checked.input().width(),
        checked.output().width(),
    )
}

/// The same for a filter that says when it is ready: samples stay until they are taken, and where it can
/// wait, outputs are left standing for some clocks; `patience` is the longest that a sample may have to wait.
pub(super) fn with_ready(
    checked: &Checked,
    (interface, latency, patience): (Interface, usize, usize),
    name: &str,
) -> String {
    let waits = match interface {
        Interface::Valid => "",
        Interface::ValidReady => "`define FILTER_WAITS\n",
    };
    format!(
        "{}`define FILTER_LATENCY {latency}\n`define FILTER_PATIENCE {patience}\n{waits}\n\
         module {name}_tb;\n{}",
        opening(checked, name),
        include_str!("bench_ready.v"),
    )
}
