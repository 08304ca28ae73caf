//! A stranger's filter: written from `docs/arithmetic.md` and the JSON of a datapath alone, without a look at the
//! library's types, and equal to the simulator in every integer.

use mellow_rake::datapath::{
    Checked, SectionWords, Simulator, describe, direct_form_1, fir_direct, fir_folded,
};
use mellow_rake::design::notch;
use mellow_rake::fixed::{Overflow, Rounding, WordFormat, round_coefficients, round_groups};
use mellow_rake::signal::NoiseSource;
use mellow_rake::units::SampleRate;
use serde_json::Value;
use std::collections::HashMap;

/// `s16f15` → (signed, width, fraction)
fn format(text: &Value) -> (bool, u32, i32) {
    let text = text.as_str().unwrap();
    let (width, fraction) = text[1..].split_once('f').unwrap();
    (text.starts_with('s'), width.parse().unwrap(), fraction.parse().unwrap())
}

fn wrap(word: i128, (signed, width, _): (bool, u32, i32)) -> i128 {
    let modulus = 1i128 << width;
    let low = word.rem_euclid(modulus);
    if signed && low >= modulus / 2 { low - modulus } else { low }
}

fn clamp(word: i128, (signed, width, _): (bool, u32, i32)) -> i128 {
    let half = 1i128 << (width - 1);
    if signed { word.clamp(-half, half - 1) } else { word.clamp(0, 2 * half - 1) }
}

fn rounded(word: i128, shift: i64, rounding: &str) -> i128 {
    if shift <= 0 {
        return word * (1 << -shift);
    }
    let step = 1i128 << shift;
    let (below, rest) = (word.div_euclid(step), word.rem_euclid(step));
    let tie = 2 * rest == step;
    let nearest = below + i128::from(2 * rest > step);
    match rounding {
        "floor" => below,
        "half-up" => nearest + i128::from(tie),
        "half-even" => nearest + i128::from(tie && below % 2 != 0),
        "half-away" => nearest + i128::from(tie && word >= 0),
        "toward-zero" => below + i128::from(rest != 0 && word < 0),
        other => panic!("unknown rounding {other}"),
    }
}

struct Stranger {
    object: Value,
    /// line → row → words, the newest first
    lines: HashMap<String, Vec<Vec<i128>>>,
}

impl Stranger {
    fn new(object: Value) -> Self {
        let lines = object["lines"].as_array().unwrap().iter().map(|line| {
            let [rows, depth] = ["rows", "depth"].map(|key| line[key].as_u64().unwrap() as usize);
            (line["name"].as_str().unwrap().to_owned(), vec![vec![0; depth]; rows])
        });
        Stranger { lines: lines.collect(), object }
    }

    fn step(&mut self, input: i128) -> i128 {
        let program = self.object["program"].clone();
        let mut words = HashMap::new();
        let mut stored = HashMap::new();
        self.block(&program, input, 0, 0, &mut words, &mut stored);
        for ((line, row), word) in stored {
            let row: &mut Vec<i128> = &mut self.lines.get_mut(&line).unwrap()[row];
            row.insert(0, word);
            row.pop();
        }
        words[&self.object["result"].as_u64().unwrap()]
    }

    fn block(
        &self,
        steps: &Value,
        input: i128,
        carried: i128,
        pass: usize,
        words: &mut HashMap<u64, i128>,
        stored: &mut HashMap<(String, usize), i128>,
    ) {
        for step in steps.as_array().unwrap() {
            let text = |key: &str| step[key].as_str().unwrap().to_owned();
            let row = |value: &Value| value.as_u64().map_or(pass, |row| row as usize);
            let operand = |key: &str| words[&step[key].as_u64().unwrap()];
            let target = format(&step["format"]);
            let word = match text("operation").as_str() {
                "input" => input,
                "carried" => carried,
                "store" => {
                    let word = operand("word");
                    stored.insert((text("line"), row(&step["row"])), word);
                    word
                }
                "tap" => {
                    let (line, row) = (text("line"), row(&step["row"]));
                    match step["age"].as_u64().unwrap() as usize {
                        0 => stored[&(line, row)],
                        age => self.lines[&line][row][age - 1],
                    }
                }
                "accumulate" => {
                    let terms = step["terms"].as_array().unwrap();
                    let sum = terms.iter().map(|term| self.term(term, pass, words, stored)).sum();
                    wrap(sum, target)
                }
                "round" => {
                    let shift = step["shift_right"].as_i64().unwrap();
                    rounded(operand("word"), shift, &text("rounding"))
                }
                "limit" if text("overflow") == "saturate" => clamp(operand("word"), target),
                "limit" => wrap(operand("word"), target),
                "repeat" => {
                    let mut carried = operand("first");
                    for pass in 0..step["passes"].as_u64().unwrap() as usize {
                        self.block(&step["body"], input, carried, pass, words, stored);
                        carried = words[&step["result"].as_u64().unwrap()];
                    }
                    carried
                }
                other => panic!("unknown operation {other}"),
            };
            words.insert(step["node"].as_u64().unwrap(), word);
        }
    }

    fn term(
        &self,
        term: &Value,
        pass: usize,
        words: &HashMap<u64, i128>,
        stored: &HashMap<(String, usize), i128>,
    ) -> i128 {
        let number = |key: &str| term[key].as_u64().unwrap() as usize;
        let row = |key: &str| term[key].as_u64().map_or(pass, |row| row as usize);
        let sign = if term["sign"] == "+" { 1 } else { -1 };
        let shift = 1i128 << number("shift_left");
        if term["term"] == "word" {
            return sign * shift * words[&term["word"].as_u64().unwrap()];
        }
        let tables = self.object["tables"].as_array().unwrap();
        let table = tables.iter().find(|table| table["name"] == term["table"]).unwrap();
        let line = term["line"].as_str().unwrap();
        let word = |age: usize| match age {
            0 => stored[&(line.to_owned(), row("line_row"))],
            _ => self.lines[line][row("line_row")][age - 1],
        };
        let products = (0..number("count")).map(|k| {
            let coefficient = &table["rows"][row("table_row")][number("column") + k];
            let coefficient = i128::from(coefficient.as_i64().unwrap());
            let lift = &table["lifts"][row("table_row")][number("column") + k];
            let coefficient = coefficient << lift.as_u64().unwrap_or(0);
            let product = if term["term"] == "folded" {
                let step = number("stride") * k;
                let (one, other) = (word(number("age") + step), word(number("mirror") - step));
                coefficient * (if term["second"] == "+" { one + other } else { one - other })
            } else {
                coefficient * word(number("age") + k)
            };
            match (&term["product_rounding"], term["product_shift_right"].as_i64()) {
                (Value::String(rounding), Some(shift)) => rounded(product, shift, rounding),
                _ => product,
            }
        });
        let sign = if term["term"] == "folded" { 1 } else { sign };
        sign * shift * products.sum::<i128>()
    }
}

fn assert_equal(checked: &Checked, name: &str) {
    let mut stranger = Stranger::new(serde_json::to_value(describe(checked)).unwrap());
    let mut simulator = Simulator::new(checked);
    let mut noise = NoiseSource::new(5);
    let input = checked.datapath().input;
    for n in 0..600 {
        let x = match n / 100 {
            0 => i64::from(n == 0) * input.maximum() as i64,
            1 => input.minimum() as i64,
            _ => noise.integer(input.minimum() as i64, input.maximum() as i64),
        };
        assert_eq!(i128::from(simulator.step(x)), stranger.step(x.into()), "{name}, sample {n}");
    }
}

#[test]
fn a_stranger_builds_the_same_filter_from_the_json_alone() {
    let rate = SampleRate::from_hertz(1000.0).unwrap();
    let row = |center: f64| -> Vec<f64> {
        let section = notch(center, 12.0, rate).unwrap().sections.0[0];
        section.b.into_iter().chain(section.a).collect()
    };
    let words = |rounding, overflow, input: &str, output: &str| SectionWords {
        input: input.parse().unwrap(),
        output: output.parse().unwrap(),
        rounding,
        overflow,
    };
    for rounding in Rounding::ALL {
        for overflow in [Overflow::Saturate, Overflow::Wrap] {
            let name = format!("{rounding} {overflow}");
            for rows in [vec![row(87.5)], vec![row(87.5), row(175.0), row(262.5)]] {
                let table = round_coefficients(&rows, "s14".parse().unwrap()).unwrap();
                let words = words(rounding, overflow, "s12f11", "s14f12");
                assert_equal(&direct_form_1(&table, words).unwrap().check().unwrap(), &name);
                // A fraction for each section, products rounded, another word at the end.
                let table = round_groups(&rows, "s9".parse().unwrap(), &[0..3, 3..5], 12).unwrap();
                let own = direct_form_1(&table, words).unwrap();
                let own = own.with_products("s30f14".parse().unwrap(), rounding).unwrap();
                let own = own.delivering("s9f7".parse().unwrap(), rounding, overflow);
                let own = own.check().unwrap().narrowed();
                assert_equal(&own, &name);
                assert_equal(&own.without_multiplier().unwrap().check().unwrap(), &name);
            }
            let taps: Vec<f64> = (0..9).map(|k| f64::from(k) / 40.0 - 0.1).collect();
            let table = round_coefficients(&[taps], "s8f7".parse().unwrap()).unwrap();
            let [input, output]: [WordFormat; 2] = ["u10f10", "s6f5"].map(|f| f.parse().unwrap());
            let fir = fir_direct(&table, input, output, rounding, overflow).unwrap();
            assert_equal(&fir.check().unwrap(), &name);
            for sign in [1.0, -1.0] {
                let taps: Vec<f64> = vec![0.1, -0.2, 0.7, 0.7 * sign, -0.2 * sign, 0.1 * sign];
                let table = round_coefficients(&[taps], "s8f7".parse().unwrap()).unwrap();
                let fir = fir_folded(&table, input, output, rounding, overflow).unwrap();
                let short = fir.with_products("s20f8".parse().unwrap(), rounding).unwrap();
                assert_equal(&short.check().unwrap(), &name);
            }
        }
    }
}
