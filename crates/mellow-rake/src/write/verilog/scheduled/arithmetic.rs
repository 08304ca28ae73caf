//! From the words of a clock to the result of a sum.

use super::super::super::number::verilog_integer;
use super::super::endings::{ending_wires, rounded};
use super::super::text::{Text, range};
use super::super::vector::Vector;
use super::Unit;
use crate::datapath::Sign;
use crate::hardware::{Alignment, Ending, Lane, bits_to};
use std::fmt::Write;

impl Unit<'_> {
    pub(super) fn arithmetic(&self) -> String {
        let mut text = String::from(
            "\n    // The arithmetic. Not all bits of all words are used: dropping them is what \
             rounding is.\n    // verilator lint_off UNUSED\n",
        );
        let mut clocked = String::new();
        for lane in 0..self.lanes() {
            self.lane(lane, &mut text, &mut clocked);
        }
        let width = self.program.sum_bits;
        let aligned: Vec<String> =
            (0..self.lanes()).map(|lane| format!("aligned_{lane}")).collect();
        let mut addends = aligned;
        for level in 1.. {
            if addends.len() == 1 {
                break;
            }
            let sum = |(index, pair): (usize, &[String])| {
                let name = format!("products_{level}_{index}");
                let _ = writeln!(text, "    reg {}{name};", range(width));
                let _ = writeln!(clocked, "        {name} <= {};", pair.join(" + "));
                name
            };
            addends = addends.chunks(2).enumerate().map(sum).collect();
        }
        let addend = addends.remove(0);
        let _ = writeln!(text, "    reg {}sum;", range(width));
        let begin = self.beginning(&mut text);
        let at = self.sum_clock();
        let begins = self.mark("", |one| one.begins).constant().is_none();
        let sum = match begins {
            true => format!("(begins_{at} ? {begin} : sum)"),
            // A single product a task: each begins its sum.
            false => begin,
        };
        let pause = if self.has_pauses { format!("if (adds_{at}) ") } else { String::new() };
        let _ = writeln!(clocked, "        {pause}sum <= {sum} + {addend};");
        let result = self.endings(&mut text);
        let _ = writeln!(text, "    reg {}result;", range(self.program.result_bits));
        let _ = writeln!(clocked, "        result <= {result};");
        text.push_str("    // verilator lint_on UNUSED\n");
        let output =
            Vector { name: "result".to_owned(), width: self.program.result_bits, signed: true };
        let word = output.at(self.checked.output().width());
        let _ = write!(text, "    always @(posedge clk) begin\n{clocked}    end\n");
        text.push_str(&self.output(&word));
        text
    }

    /// From the words of a lane to its aligned product.
    pub(super) fn lane(&self, lane: usize, text: &mut String, clocked: &mut String) {
        let program = self.program;
        let mut operand = self.operand(lane);
        let (wide, bits) = (operand.width, program.coefficient_bits);
        let mut coefficient = format!("coefficient_{lane}");
        let mut register = |name: String, width: u32, value: String| {
            let _ = writeln!(text, "    reg {}{name};", range(width));
            let _ = writeln!(clocked, "        {name} <= {value};");
            name
        };
        if self.has_pairs {
            register(format!("pair_{lane}"), wide, self.pair(lane));
            coefficient = register(format!("coefficient_{lane}_late"), bits, coefficient);
        }
        // Further stages are in front of the multiplier, where cells have registers for them.
        for stage in 1..self.scheduled.resources().multiplier_stages {
            operand.name = register(format!("operand_{lane}_{stage}"), wide, operand.name);
            coefficient = register(format!("factor_{lane}_{stage}"), bits, coefficient);
        }
        let narrow = program.operand_bits.min(wide);
        let part = match narrow == wide {
            true => operand.name.clone(),
            false => format!("{}[{}:0]", operand.name, narrow - 1),
        };
        let width = narrow + bits;
        let value = format!("$signed({part}) * $signed({coefficient})");
        let name = register(format!("product_{lane}"), width, value);
        let mut product = Vector { name, width, signed: true };
        if program.wide_bits.is_some() {
            let name = register(format!("passed_{lane}"), wide, operand.name);
            let passed = Vector { name, width: wide, signed: true };
            product = self.chosen(lane, &product, &passed, text);
        }
        self.align(lane, &product, text);
    }

    /// Whether a mark of a lane differs from clock to clock.
    pub(super) fn varies(&self, name: &str, lane: usize) -> bool {
        let name = format!("{name}_{lane}_0");
        self.lane_fields(lane).iter().any(|(field, _)| field.name == name)
    }

    /// What a lane does in the clocks in which something is issued.
    pub(super) fn of_lane(&self, lane: usize) -> impl Iterator<Item = &Lane> + Clone {
        self.program.instructions.iter().flatten().map(move |one| &one.lanes[lane])
    }

    /// The sum or difference of the two words of a lane.
    pub(super) fn pair(&self, lane: usize) -> String {
        let (width, wide) = (self.program.memory_bits, self.operand(lane).width);
        let word =
            |stem: &str| Vector { name: format!("{stem}_{lane}"), width, signed: true }.at(wide);
        let (first, mut second) = (word("first"), word("second"));
        let Some((sign, _)) = self.of_lane(lane).find_map(|lane| lane.second) else {
            return first;
        };
        if self.varies("pairs", lane) {
            second = format!("(pairs_{lane}_2 ? {second} : {wide}'d0)");
        }
        match (self.varies("differs", lane), sign) {
            (true, _) => format!("differs_{lane}_2 ? {first} - {second} : {first} + {second}"),
            (false, Sign::Minus) => format!("{first} - {second}"),
            (false, Sign::Plus) => format!("{first} + {second}"),
        }
    }

    /// The product, or the word that passes the multiplier.
    pub(super) fn chosen(
        &self,
        lane: usize,
        product: &Vector,
        passed: &Vector,
        text: &mut String,
    ) -> Vector {
        let at = self.align_clock();
        let width = passed.width.max(product.width) + 1;
        let (product, passed) = (product.at(width), passed.at(width));
        let wide = self.of_lane(lane).find(|lane| lane.is_wide);
        let word = match (self.varies("negates", lane), wide) {
            (true, _) => format!("(negates_{lane}_{at} ? -{passed} : {passed})"),
            (false, Some(Lane { coefficient: ..0, .. })) => format!("-{passed}"),
            (false, _) => passed,
        };
        let chosen = match (self.varies("passes", lane), wide) {
            (true, _) => format!("passes_{lane}_{at} ? {word} : {product}"),
            (false, Some(_)) => word,
            (false, None) => product,
        };
        let name = format!("chosen_{lane}");
        let _ = writeln!(text, "    wire {}{name} = {chosen};", range(width));
        Vector { name, width, signed: true }
    }

    /// The product as it is added: one of the alignments.
    pub(super) fn align(&self, lane: usize, product: &Vector, text: &mut String) {
        let (sum_bits, varies) = (self.program.sum_bits, self.varies("aligns", lane));
        let used = self.of_lane(lane).find(|lane| lane.coefficient != 0);
        let only = used.map(|lane| lane.alignment);
        let mut aligned = Vec::new();
        for (index, alignment) in self.program.alignments.iter().enumerate() {
            if !varies && Some(index) != only {
                aligned.push(format!("{sum_bits}'d0"));
                continue;
            }
            let Alignment { dropped, rounding, shift, subtracted } = *alignment;
            let name = format!("rounded_{lane}_{index}");
            let word = match dropped {
                0 => Vector { name: product.name.clone(), width: product.width, signed: true },
                _ => {
                    let mut wires = Text::default();
                    let word = rounded(product, dropped, rounding, &name, &mut wires);
                    text.push_str(&wires.finish());
                    word
                }
            };
            let word = word.shifted(shift, sum_bits);
            aligned.push(if subtracted { format!("-{word}") } else { word });
        }
        let at = self.align_clock();
        let bits = bits_to(self.program.alignments.len().max(2) - 1);
        let text_of = match varies {
            false => aligned[only.unwrap_or(0)].clone(),
            true => {
                let (last, others) = aligned.split_last().expect("two at least");
                let choose = |(index, word): (usize, &String)| {
                    format!("aligns_{lane}_{at} == {bits}'d{index} ? {word} : ")
                };
                let choices: String = others.iter().enumerate().map(choose).collect();
                format!("{choices}{last}")
            }
        };
        let _ = writeln!(text, "    wire {}aligned_{lane} = {text_of};", range(sum_bits));
    }

    /// What a sum begins with.
    pub(super) fn beginning(&self, text: &mut String) -> String {
        let width = self.program.sum_bits;
        let preload = |ending: &Ending| verilog_integer(ending.preload, width);
        let endings = &self.program.endings;
        if endings.iter().all(|one| one.preload == endings[0].preload) {
            return preload(&endings[0]);
        }
        let choices = self.choose_ending(self.sum_clock(), endings.iter().map(preload).collect());
        let _ = writeln!(text, "    wire {}beginning = {choices};", range(width));
        "beginning".to_owned()
    }

    /// One of the words of the endings.
    pub(super) fn choose_ending(&self, at: usize, words: Vec<String>) -> String {
        let bits = self.ending_bits();
        let (last, others) = words.split_last().expect("an ending");
        let choose =
            |(index, word): (usize, &String)| format!("ending_{at} == {bits}'d{index} ? {word} : ");
        let choices: String = others.iter().enumerate().map(choose).collect();
        format!("{choices}{last}")
    }

    /// What the sums end as.
    fn endings(&self, text: &mut String) -> String {
        let mut wires = Text::default();
        let sum = Vector { name: "sum".to_owned(), width: self.program.sum_bits, signed: true };
        let endings = self.program.endings.iter().enumerate();
        let result = |(index, ending): (usize, &Ending)| {
            ending_wires(ending, index, &sum, &mut wires).at(self.program.result_bits)
        };
        let results = endings.map(result).collect();
        text.push_str(&wires.finish());
        self.choose_ending(self.depth - 1, results)
    }
}
