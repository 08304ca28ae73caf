//! The memories of words and of coefficients.

use super::super::super::number::verilog_integer;
use super::super::text::{Text, range};
use super::super::vector::Vector;
use super::Unit;
use crate::hardware::{FlowProduct, Issue};
use std::collections::BTreeMap;

impl Unit<'_> {
    /// A place with its channel in front.
    fn of_channel(&self, channel: &str, place: &str) -> String {
        match self.channel_bits {
            0 => place.to_owned(),
            _ => format!("{{{channel}, {place}}}"),
        }
    }

    pub(super) fn memories(&self) -> String {
        let mut text = Text::default();
        self.writing(&mut text);
        text.line(1, "integer k;");
        for lane in 0..self.lanes() {
            self.words("first", lane, &mut text);
            if self.has_pairs {
                self.words("second", lane, &mut text);
            }
        }
        text.gap();
        text.comment(
            "Coefficients, clock by clock, with the words that they meet: x is the input, s1 the",
        );
        text.comment("result of the first sum, [-1] that of the sample before.");
        for lane in 0..self.lanes() {
            self.coefficients(lane, &mut text);
        }
        text.finish()
    }

    /// What is written: the sample, a result, or zeros while the memory is cleared, when the sample is zero.
    fn writing(&self, text: &mut Text) {
        let width = self.program.memory_bits;
        let place_bits = self.slot_bits + self.channel_bits;
        text.gap();
        text.comment(
            "The memory of words: in each firing all of them are a slot farther from the head. A",
        );
        text.comment("copy for each word that is read in a clock.");
        let clears = self.scheduled.resources().clears_memory;
        let own = if clears { "(clearing || opens)" } else { "opens" };
        let head = self.of_channel("channel", "head");
        let sample = Vector::new("sample".to_owned(), self.checked.input()).at(width);
        let (place, word, writes) = match self.stores() {
            false => (head, sample, own.to_owned()),
            true => {
                let depth = self.depth;
                let place = format!("result_place_{depth}");
                let place = self.of_channel(&format!("channel_{depth}"), &place);
                let bits = self.program.result_bits;
                let result = Vector { name: "result".to_owned(), width: bits, signed: true };
                (
                    format!("{own} ? {head} : {place}"),
                    format!("{own} ? {sample} : {}", result.at(width)),
                    format!("{own} || stores_{depth}"),
                )
            }
        };
        text.line(1, format!("wire {}write_place = {place};", range(place_bits)));
        text.line(1, format!("wire {}write_word = {word};", range(width)));
        text.line(1, format!("wire writes = {writes};"));
    }

    /// A copy of the words.
    fn words(&self, stem: &str, lane: usize, text: &mut Text) {
        let width = self.program.memory_bits;
        let words = self.scheduled.memory_words() << self.channel_bits;
        let copy = format!("{stem}_{lane}");
        let place = self.of_channel("channel_1", &format!("{stem}_place_{lane}"));
        let style = self.style("ram", words as u64 * u64::from(width));
        text.line(1, format!("{style}reg {}{copy}_words [0:{}];", range(width), words - 1));
        text.register(&copy, width);
        text.line(
            1,
            format!("initial for (k = 0; k < {words}; k = k + 1) {copy}_words[k] = {width}'d0;"),
        );
        text.line(1, "always @(posedge clk) begin");
        text.line(2, format!("if (writes) {copy}_words[write_place] <= write_word;"));
        text.line(2, format!("{copy} <= {copy}_words[{place}];"));
        text.line(1, "end");
    }

    fn coefficients(&self, lane: usize, text: &mut Text) {
        let bits = self.program.coefficient_bits;
        let places = 1usize << self.step_bits;
        let style = self.style("rom", places as u64 * u64::from(bits));
        let name = format!("coefficients_{lane}");
        text.line(1, format!("{style}reg {}{name} [0:{}];", range(bits), places - 1));
        text.register(&format!("coefficient_{lane}"), bits);
        text.line(1, "initial begin");
        let products: BTreeMap<usize, FlowProduct> = self.products(lane);
        for clock in 0..places {
            let one = self.program.instructions.get(clock).and_then(Option::as_ref);
            let one = one.map(|one| one.lanes[lane]).filter(|lane| !lane.is_wide);
            let value = one.map_or(0, |lane| lane.coefficient);
            let written = verilog_integer(value, bits);
            let product = products.get(&clock).map(FlowProduct::to_string);
            let product = product.unwrap_or("nothing".to_owned());
            text.line(2, format!("{name}[{clock}] = {written}; // {product}"));
        }
        text.line(1, "end");
        text.line(1, format!("always @(posedge clk) coefficient_{lane} <= {name}[step_1];"));
    }

    /// What a multiplier does, clock by clock.
    fn products(&self, lane: usize) -> BTreeMap<usize, FlowProduct> {
        let schedule = self.scheduled.schedule();
        let issues = schedule.issues.iter().filter(|issue| issue.multiplier == lane);
        let product = |issue: &Issue| schedule.flow.tasks[issue.task].products[issue.product];
        issues.map(|issue| (issue.clock, product(issue))).collect()
    }

    /// What tells a synthesizer to take a block RAM.
    fn style(&self, what: &str, bits: u64) -> String {
        match bits < self.scheduled.resources().block_ram_bits {
            true => String::new(),
            false => format!("(* {what}_style = \"block\" *) "),
        }
    }
}
