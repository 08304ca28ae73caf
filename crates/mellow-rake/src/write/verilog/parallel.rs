//! Taps that take a sample a clock, in Verilog: the registers of
//! [`ParallelMachine`](crate::hardware::ParallelMachine), a line for each.

use super::super::number::verilog_integer;
use super::super::{GeneratedFile, Language, Symbols};
use super::bench::{self, Traffic};
use super::endings::ending_wires;
use super::opening::opening;
use super::text::{Text, range};
use super::vector::Vector;
use crate::datapath::Checked;
use crate::hardware::{Parallel, signed_bits};
use crate::spec::Interface;

/// The text of taps that take a sample a clock: `NAME.v`, and `NAME_tb.v`, a test bench that offers samples
/// with gaps, takes them with pauses where it may, and checks every one. `checked` is the datapath that the
/// chain is of.
pub fn write(chain: &Parallel, checked: &Checked, symbols: &Symbols) -> Vec<GeneratedFile> {
    let file = |ending: &str, text: String| GeneratedFile {
        language: Language::Verilog,
        name: format!("{}{ending}", symbols.base()),
        text,
    };
    let traffic = Traffic {
        interface: Some(chain.resources().interface),
        latency: chain.latency(),
        // Until outputs are taken.
        patience: 1_000,
    };
    vec![
        file(".v", module(chain, checked, symbols.base())),
        file("_tb.v", bench::text(checked, &traffic, symbols.base())),
    ]
}

fn module(chain: &Parallel, checked: &Checked, name: &str) -> String {
    let resources = chain.resources();
    let waits = resources.interface == Interface::ValidReady;
    let mut about = vec![format!(
        "{} products for {} taps: a sample every clock, its output {} clocks later.",
        chain.products().len(),
        chain.taps().len(),
        chain.latency()
    )];
    if resources.channels > 1 {
        about.push(format!("{} channels take turns, sample by sample.", resources.channels));
    }
    about.push("rst is synchronous and clears the memory.".to_owned());
    let mut text = Text::default();
    text.append(&opening(checked, name, &about, waits));
    let advances = if waits { "!out_valid || out_ready" } else { "1'b1" };
    text.comment("All registers move on together, unless an output waits.");
    text.line(1, format!("wire advances = {advances};"));
    text.line(1, "assign in_ready = advances;");
    inputs(chain, checked, &mut text);
    products(chain, checked, &mut text);
    sums(chain, &mut text);
    let output = checked.output().width();
    text.gap();
    text.comment(
        "The output. Not all bits of all words are used: dropping them is what rounding is.",
    );
    text.line(1, "// verilator lint_off UNUSED");
    let sum = Vector { name: "sum_0".to_owned(), width: chain.sum_bits(0), signed: true };
    let result = ending_wires(chain.ending(), 0, &sum, &mut text);
    text.line(1, format!("wire {}given = {};", range(output), result.at(output)));
    text.line(1, "// verilator lint_on UNUSED");
    text.line(1, "always @(posedge clk) begin");
    text.line(2, "if (advances) begin");
    text.line(3, "out_valid <= is_summed;");
    text.line(3, "out_data <= given;");
    text.line(2, "end");
    text.line(2, "if (rst) out_valid <= 1'b0;");
    text.line(1, "end");
    text.append("endmodule\n\n`default_nettype wire\n");
    text.finish()
}

/// The sample, in as many registers as the multiplier has in front of it.
fn inputs(chain: &Parallel, checked: &Checked, text: &mut Text) {
    let stages = chain.resources().multiplier_stages;
    let width = checked.input().width();
    text.gap();
    text.comment("Samples on their way to the products.");
    for stage in 1..=stages {
        text.register(&format!("has_{stage}"), 1);
        text.register(&format!("sample_{stage}"), width);
    }
    text.register("is_multiplied", 1);
    text.register("is_summed", 1);
    text.line(1, "always @(posedge clk) begin");
    text.line(2, "if (advances) begin");
    for stage in 1..=stages {
        let (has, sample) = match stage - 1 {
            0 => ("in_valid".to_owned(), "in_data".to_owned()),
            before => (format!("has_{before}"), format!("sample_{before}")),
        };
        text.line(3, format!("has_{stage} <= {has};"));
        text.line(3, format!("sample_{stage} <= {sample};"));
    }
    text.line(3, format!("is_multiplied <= has_{stages};"));
    text.line(3, "is_summed <= is_multiplied;");
    text.line(2, "end");
    text.line(2, "if (rst) begin");
    for stage in 1..=stages {
        text.line(3, format!("has_{stage} <= 1'b0;"));
    }
    text.line(3, "is_multiplied <= 1'b0;");
    text.line(3, "is_summed <= 1'b0;");
    text.line(2, "end");
    text.line(1, "end");
}

/// A product for each size of a tap.
fn products(chain: &Parallel, checked: &Checked, text: &mut Text) {
    let stages = chain.resources().multiplier_stages;
    let sample = Vector::new(format!("sample_{stages}"), checked.input());
    text.gap();
    text.comment("A product for each size of a tap.");
    for (index, size) in chain.products().iter().enumerate() {
        let bits = signed_bits((*size, 0));
        let literal = verilog_integer(*size, bits);
        text.line(1, format!("wire {}size_{index} = {literal}; // {size}", range(bits)));
        text.register(&format!("product_{index}"), chain.product_bits(index));
    }
    text.line(1, "always @(posedge clk) begin");
    text.line(2, "if (advances) begin");
    for (index, size) in chain.products().iter().enumerate() {
        let factor =
            Vector { name: format!("size_{index}"), width: signed_bits((*size, 0)), signed: true };
        text.line(3, format!("product_{index} <= {};", sample.times(&factor)));
    }
    text.line(2, "end");
    text.line(1, "end");
}

/// The chain: each sum takes the one behind it, of the sample before.
fn sums(chain: &Parallel, text: &mut Text) {
    let channels = chain.resources().channels;
    text.gap();
    text.comment(
        "The chain of sums; the half that rounds stands at its end, and after a reset in all.",
    );
    let start = |tap: usize| verilog_integer(chain.ending().preload, chain.sum_bits(tap));
    let delayed = |tap: usize, age: usize| match age {
        0 => format!("sum_{tap}"),
        _ => format!("sum_{tap}_{age}"),
    };
    let (mut moves, mut clears) = (Text::default(), Text::default());
    for (tap, one) in chain.taps().iter().enumerate() {
        let sum_bits = chain.sum_bits(tap);
        for age in 0..channels {
            text.register(&delayed(tap, age), sum_bits);
            clears.line(3, format!("{} <= {};", delayed(tap, age), start(tap)));
        }
        let behind = match tap + 1 < chain.taps().len() {
            true => {
                let name = delayed(tap + 1, channels - 1);
                Vector { name, width: chain.sum_bits(tap + 1), signed: true }.at(sum_bits)
            }
            false => start(tap),
        };
        let sum = match one.product {
            None => behind,
            Some((index, is_minus)) => {
                let (name, width) = (format!("product_{index}"), chain.product_bits(index));
                let product = Vector { name, width, signed: true };
                format!("{behind} {} {}", if is_minus { "-" } else { "+" }, product.at(sum_bits))
            }
        };
        moves.line(3, format!("sum_{tap} <= {sum};"));
        for age in 1..channels {
            moves.line(3, format!("{} <= {};", delayed(tap, age), delayed(tap, age - 1)));
        }
    }
    text.line(1, "always @(posedge clk) begin");
    text.line(2, "if (advances && is_multiplied) begin");
    text.append(&moves.finish());
    text.line(2, "end");
    text.line(2, "if (rst) begin");
    text.append(&clears.finish());
    text.line(2, "end");
    text.line(1, "end");
}
