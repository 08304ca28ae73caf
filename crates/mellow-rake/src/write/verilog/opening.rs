//! What the module of a unit begins with.

use super::super::ORIGIN;
use super::text::{Text, range};
use crate::datapath::{Checked, dump};

/// The program in comments, what the unit is, and its ports; `waits` says whether an output may be left
/// standing.
pub(super) fn opening(checked: &Checked, name: &str, about: &[String], waits: bool) -> String {
    let mut text = Text::default();
    let mut comment = |line: &str| text.line(0, format!("// {line}").trim_end());
    comment(ORIGIN);
    comment("");
    comment("The program, in the terms of the comments below:");
    comment("");
    for line in dump(checked).lines() {
        comment(&format!("  {line}"));
    }
    comment("");
    for line in about {
        comment(line);
    }
    comment(
        "A sample is taken at each rising clock edge with in_valid and in_ready high, and given at each",
    );
    comment(if waits { "with out_valid and out_ready high." } else { "with out_valid high." });
    let (input, output) = (checked.input(), checked.output());
    text.line(0, "`default_nettype none");
    text.gap();
    text.line(0, format!("module {name} ("));
    text.line(1, "input  wire clk,");
    text.line(1, "input  wire rst,");
    text.line(1, "input  wire in_valid,");
    text.line(1, "output wire in_ready,");
    text.line(1, format!("input  wire {}in_data,  // {input}", range(input.width())));
    text.line(1, "output reg  out_valid,");
    if waits {
        text.line(1, "input  wire out_ready,");
    }
    text.line(1, format!("output reg  {}out_data  // {output}", range(output.width())));
    text.line(0, ");");
    text.finish()
}
