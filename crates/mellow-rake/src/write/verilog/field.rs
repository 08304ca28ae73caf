//! What follows from the number of a clock: a constant, the number itself up to an addend, or a table.

use super::super::number::verilog_integer;
use super::logic::sum_of_products;
use std::collections::BTreeMap;
use std::fmt::Write;

/// A word for each clock of an interval; `None` where any would do.
pub(super) struct Field {
    pub(super) name: String,
    pub(super) width: u32,
    pub(super) values: Vec<Option<u128>>,
}

impl Field {
    /// The one value that it has, if it has only one.
    pub(super) fn constant(&self) -> Option<u128> {
        let mut values = self.values.iter().flatten();
        let first = values.next().copied().unwrap_or(0);
        values.all(|value| *value == first).then_some(first)
    }

    /// The declaration of a wire or variable with the field's name that follows from `step`, which has so
    /// many bits.
    pub(super) fn text(&self, step_bits: u32) -> String {
        let Field { name, width, values } = self;
        let range = if *width == 1 { String::new() } else { format!("[{}:0] ", width - 1) };
        if let Some(value) = self.constant() {
            return format!(
                "    wire {range}{name} = {};\n",
                verilog_integer(value as i128, *width)
            );
        }
        let line = Line::through(values, *width);
        let differs =
            |(clock, value): &(usize, u128)| line.is_none_or(|line| line.at(*clock) != *value);
        let known = values.iter().enumerate().filter_map(|(clock, value)| Some((clock, (*value)?)));
        let exceptions: Vec<(usize, u128)> = known.clone().filter(differs).collect();
        let few = exceptions.len() <= 2 || exceptions.len() * 8 <= values.len();
        if let (Some(line), true) = (line, few) {
            let running = line.text(*width, step_bits);
            if exceptions.is_empty() {
                return format!("    wire {range}{name} = {running};\n");
            }
            return self.cases(&exceptions, &running, step_bits);
        }
        if step_bits <= LOGIC_BITS {
            return self.logic(step_bits);
        }
        // What most clocks have is the default.
        let mut counts: BTreeMap<u128, usize> = BTreeMap::new();
        for (_, value) in known.clone() {
            *counts.entry(value).or_default() += 1;
        }
        let usual = counts.iter().max_by_key(|(_, count)| **count).map_or(0, |(value, _)| *value);
        let others: Vec<(usize, u128)> = known.filter(|(_, value)| *value != usual).collect();
        self.cases(&others, &verilog_integer(usual as i128, *width), step_bits)
    }

    /// Each bit as a sum of products. A case statement would leave open to a synthesizer what the clocks have
    /// in which the word does not matter, and some make a memory of it.
    fn logic(&self, step_bits: u32) -> String {
        let Field { name, width, values } = self;
        let range = if *width == 1 { String::new() } else { format!("[{}:0] ", width - 1) };
        let mut text = format!("    wire {range}{name};\n");
        for bit in 0..*width {
            let values: Vec<Option<bool>> =
                values.iter().map(|value| Some((*value)? >> bit & 1 == 1)).collect();
            let sum = sum_of_products(&values, step_bits, "step");
            let place = if *width == 1 { String::new() } else { format!("[{bit}]") };
            let _ = writeln!(text, "    assign {name}{place} = {};", folded(&sum));
        }
        text
    }

    fn cases(&self, cases: &[(usize, u128)], otherwise: &str, step_bits: u32) -> String {
        let Field { name, width, .. } = self;
        let range = if *width == 1 { String::new() } else { format!("[{}:0] ", width - 1) };
        let mut text =
            format!("    reg {range}{name};\n    always @* begin\n        case (step)\n");
        // Clocks of the same word share a line.
        let mut clocks: BTreeMap<u128, Vec<String>> = BTreeMap::new();
        for (clock, value) in cases {
            clocks.entry(*value).or_default().push(format!("{step_bits}'d{clock}"));
        }
        for (value, clocks) in clocks {
            let lines: Vec<String> = clocks.chunks(10).map(|some| some.join(", ")).collect();
            let value = verilog_integer(value as i128, *width);
            let _ =
                writeln!(text, "            {}: {name} = {value};", lines.join(",\n            "));
        }
        let _ = writeln!(text, "            default: {name} = {otherwise};");
        text.push_str("        endcase\n    end\n");
        text
    }
}

/// Numbers of clocks of up to so many bits are made to words by logic; longer ones by a table.
const LOGIC_BITS: u32 = 8;

/// A sum in lines of some five products.
fn folded(sum: &str) -> String {
    let products: Vec<&str> = sum.split(" | ").collect();
    let lines: Vec<String> = products.chunks(4).map(|some| some.join(" | ")).collect();
    lines.join("\n        | ")
}

/// first + slope · clock, modulo 2^width.
#[derive(Debug, Clone, Copy)]
struct Line {
    first: i128,
    slope: i128,
    modulus: i128,
}

impl Line {
    /// The line through most values that lie one behind the other, of slope 1 or −1.
    fn through(values: &[Option<u128>], width: u32) -> Option<Self> {
        let modulus = 1i128.checked_shl(width).filter(|modulus| *modulus > 1)?;
        let mut counts: BTreeMap<(i128, i128), usize> = BTreeMap::new();
        for (clock, value) in values.iter().enumerate() {
            let Some(value) = value else { continue };
            for slope in [1, -1] {
                let first = (*value as i128 - slope * clock as i128).rem_euclid(modulus);
                *counts.entry((slope, first)).or_default() += 1;
            }
        }
        let ((slope, first), count) = counts.into_iter().max_by_key(|(_, count)| *count)?;
        (count >= 3).then_some(Line { first, slope, modulus })
    }

    fn at(self, clock: usize) -> u128 {
        (self.first + self.slope * clock as i128).rem_euclid(self.modulus) as u128
    }

    fn text(self, width: u32, step_bits: u32) -> String {
        let step = match step_bits.cmp(&width) {
            std::cmp::Ordering::Less => format!("{{{}'d0, step}}", width - step_bits),
            std::cmp::Ordering::Equal => "step".to_owned(),
            std::cmp::Ordering::Greater => format!("step[{}:0]", width - 1),
        };
        let first = verilog_integer(self.first, width);
        match (self.slope, self.first) {
            (1, 0) => step,
            (1, _) => format!("{first} + {step}"),
            // All ones less a number is its complement.
            (_, first) if first == self.modulus - 1 => format!("~{step}"),
            _ => format!("{first} - {step}"),
        }
    }
}
