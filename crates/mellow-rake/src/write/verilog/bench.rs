//! The test bench.

use super::super::ORIGIN;
use crate::datapath::Checked;

/// A self-checking test bench: stimulus and expected output from hex files named on the command line, gaps
/// between samples, every output compared, and all outputs written to a third file.
pub(super) fn text(checked: &Checked, name: &str) -> String {
    format!(
        "// {ORIGIN}\n//\n\
         // +stimulus=FILE  input words in hex, one a line\n\
         // +expected=FILE  the output words that belong to them\n\
         // +observed=FILE  where the words that came out are written (optional)\n\
         // The last line printed is RESULT, the number of samples and the number of mismatches.\n\
         `default_nettype none\n\n\
         `define FILTER_MODULE {name}\n`define FILTER_INPUT_WIDTH {}\n`define FILTER_OUTPUT_WIDTH {}\n\n\
         module {name}_tb;\n{}",
        checked.input().width(),
        checked.output().width(),
        include_str!("bench.v"),
    )
}
