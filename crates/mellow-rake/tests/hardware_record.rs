//! A stranger's unit: run from the JSON of a schedule and that of the datapath alone, without a look at the
//! library's types, and equal to the simulator in every integer. So nothing is missing in either.

use mellow_rake::datapath::{Checked, Simulator, describe};
use mellow_rake::hardware::{
    HardwareRecord, HardwareUnit, NetworkHardware, NetworkPart, SignalFlow, TimeSharedChoice,
    choose,
};
use mellow_rake::implementation::implement_chain;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Architecture, Hardware, Structure};
use mellow_rake::units::SampleRate;
use serde_json::Value;
use std::collections::{HashMap, HashSet};

use crate::filters::{any_filter, any_filters_of_one_format, any_word, one_of};
use crate::random_chains::{any_chain, any_chain_words, rate};
use crate::reader::{Format, rounded};

fn number(value: &Value, key: &str) -> i64 {
    value[key].as_i64().unwrap_or_else(|| panic!("{key}: {value}"))
}

fn list<'a>(value: &'a Value, key: &str) -> &'a Vec<Value> {
    value[key].as_array().unwrap_or_else(|| panic!("{key}: {value}"))
}

/// All operations of a program by their numbers, those in loops as well.
fn operations<'a>(steps: &'a [Value], found: &mut HashMap<i64, &'a Value>) {
    for step in steps {
        found.insert(number(step, "node"), step);
        if step["operation"] == "repeat" {
            operations(list(step, "body"), found);
        }
    }
}

/// A unit: words by places, in a memory that turns by one with each sample.
struct Unit<'a> {
    hardware: &'a Value,
    operations: HashMap<i64, &'a Value>,
    /// Operations whose words tasks give, in each pass.
    given: HashSet<(i64, i64)>,
    memory: HashMap<i64, i128>,
    head: i64,
}

impl<'a> Unit<'a> {
    fn new(hardware: &'a Value, datapath: &'a Value) -> Self {
        let mut all = HashMap::new();
        operations(list(datapath, "program"), &mut all);
        let tasks = list(hardware, "tasks").iter();
        let given = tasks.map(|task| (number(task, "node"), number(task, "pass"))).collect();
        Unit { hardware, operations: all, given, memory: HashMap::new(), head: 0 }
    }

    /// What a task does to its sum: the operations from the sum to its node, the first one first.
    fn ending(&self, task: &Value) -> Vec<&'a Value> {
        let (mut node, pass) = (number(task, "node"), number(task, "pass"));
        let mut steps = Vec::new();
        loop {
            let step = self.operations[&node];
            let is_unary = step["operation"] == "round" || step["operation"] == "limit";
            if is_unary || step["operation"] == "accumulate" {
                steps.push(step);
            }
            if !is_unary {
                break;
            }
            node = number(step, "word");
            // A word that another task gives, or that comes from elsewhere, is what the product is made of.
            let comes = &self.operations[&node]["operation"];
            let is_sum = ["accumulate", "product", "round", "limit"].iter().any(|one| comes == one);
            if self.given.contains(&(node, pass)) || !is_sum {
                break;
            }
        }
        steps.reverse();
        steps
    }

    fn product(&self, issue: &Value) -> i128 {
        let word = |word: &Value| {
            let held = self.memory.get(&(number(word, "slot") + self.head)).copied().unwrap_or(0);
            if word["subtracted"] == true { -held } else { held }
        };
        let words: i128 = list(issue, "words").iter().map(word).sum();
        let exact = i128::from(number(issue, "coefficient")) * words;
        let kept = match issue["rounding"].as_str() {
            Some(rounding) => rounded(exact, number(issue, "dropped"), rounding),
            None => exact,
        };
        let aligned = kept << number(issue, "shift");
        if issue["subtracted"] == true { -aligned } else { aligned }
    }

    fn step(&mut self, sample: i64) -> i128 {
        self.fire(&[sample])[0]
    }

    fn fire(&mut self, samples: &[i64]) -> Vec<i128> {
        for sample in samples {
            self.head -= 1;
            self.memory.insert(self.head, (*sample).into());
        }
        let mut results = Vec::new();
        let issues = list(self.hardware, "schedule");
        for (index, task) in list(self.hardware, "tasks").iter().enumerate() {
            let own = issues.iter().filter(|issue| number(issue, "task") == index as i64);
            let sum = own.map(|issue| self.product(issue)).sum();
            let step = |word: i128, step: &&Value| {
                let format = Format::read(&step["format"]);
                match step["operation"].as_str().unwrap() {
                    "round" => rounded(
                        word,
                        number(step, "shift_right"),
                        step["rounding"].as_str().unwrap(),
                    ),
                    "limit" if step["overflow"] == "saturate" => {
                        let (low, high) = format.ends();
                        word.clamp(low, high)
                    }
                    _ => format.wrap(word),
                }
            };
            let result = self.ending(task).iter().fold(sum, step);
            if let Some(slot) = task["slot"].as_i64() {
                self.memory.insert(slot + self.head, result);
            }
            results.push(result);
        }
        let tasks = list(self.hardware, "output_tasks").iter();
        tasks.map(|task| results[task.as_u64().unwrap() as usize]).collect()
    }
}

/// Runs the unit of a filter by its JSON, or its units one behind the other; how many they are, 0 where
/// there is none.
fn hold(checked: &Checked, wish: &Hardware, noise: &mut NoiseSource) -> usize {
    let flow = match wish.loads_coefficients {
        true => SignalFlow::loadable(checked),
        false => SignalFlow::of(checked),
    };
    let rate = SampleRate::from_hertz(1000.0).unwrap();
    let Ok(choice) = flow.and_then(|flow| choose(&flow, wish, rate)) else { return 0 };
    let Ok(record) = HardwareRecord::of(&choice) else { return 0 };
    let hardware = serde_json::to_value(&record).unwrap();
    let datapath = serde_json::to_value(describe(checked)).unwrap();
    // What one unit gives is what the next takes.
    let stages = list(&hardware, "stages");
    let all: Vec<&Value> =
        if stages.is_empty() { vec![&hardware] } else { stages.iter().collect() };
    let mut units: Vec<Unit> = all.iter().map(|unit| Unit::new(unit, &datapath)).collect();
    let mut simulator = Simulator::new(checked);
    for sample in 0..120 {
        let word = any_word(noise, checked.input(), false);
        let expected = i128::from(simulator.step(word));
        let found = units.iter_mut().fold(i128::from(word), |word, unit| unit.step(word as i64));
        assert_eq!(found, expected, "{sample} {wish:?}\n{datapath:#}\n{hardware:#}");
    }
    // The schedule is one: no multiplier has two products in a clock, and what is read was written before.
    for unit in &all {
        let issues = list(unit, "schedule");
        let places: HashSet<_> =
            issues.iter().map(|one| (number(one, "clock"), number(one, "multiplier"))).collect();
        let interval = number(&unit["estimate"], "interval");
        assert!(places.len() == issues.len() && places.iter().all(|(clock, _)| *clock < interval));
        assert_eq!(interval, number(&hardware["estimate"], "interval"));
    }
    assert!(!matches!(choice.unit, HardwareUnit::Parallel(_)));
    units.len()
}

#[test]
fn a_stranger_runs_the_unit_of_any_filter_from_its_json() {
    let mut noise = NoiseSource::new(733);
    let (mut held, mut staged) = ([0; Structure::ALL.len()], 0);
    for (number, structure) in Structure::ALL.into_iter().enumerate() {
        for _ in 0..40 {
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            let wish = Hardware {
                architecture: Some(Architecture::Serial),
                multipliers: Some(one_of(&mut noise, &[1, 1, 2, 3])),
                pre_adder: one_of(&mut noise, &[None, Some(false), Some(true)]),
                multiplier_stages: one_of(&mut noise, &[1, 2, 3]),
                loads_coefficients: one_of(&mut noise, &[false, false, true]),
                ..Hardware::default()
            };
            let units = hold(&filter.checked, &wish, &mut noise);
            held[number] += usize::from(units > 0);
            staged += usize::from(units > 1);
        }
    }
    assert!(held.iter().all(|count| *count >= 5) && staged > 20, "{held:?} {staged}");
}

/// Programs that take or give several words at a time, by the JSON of the units that chains have of them.
#[test]
fn a_stranger_runs_the_units_of_chains_from_their_json() {
    let mut noise = NoiseSource::new(735);
    let (mut takes, mut gives, mut shared) = (0, 0, 0);
    while takes < 15 || gives < 15 || shared < 15 {
        let chain = any_chain(&mut noise);
        let fixed = any_chain_words(&mut noise, &chain);
        let Ok(found) = implement_chain(&chain, &fixed) else { continue };
        let wish = Hardware {
            multipliers: Some(one_of(&mut noise, &[1, 1, 2, 3])),
            architecture: Some(Architecture::Serial),
            ..Hardware::default()
        };
        let Ok(built) = NetworkHardware::of(&found.network, &wish, rate()) else { continue };
        for part in built.parts() {
            let NetworkPart::Unit { choice, program, in_turn } = part else { continue };
            // Units one behind the other are held as those of one filter are.
            if matches!(choice.unit, HardwareUnit::Staged(_)) {
                assert!(hold(program, &wish, &mut noise) > 1);
                continue;
            }
            let hardware = serde_json::to_value(HardwareRecord::of(choice).unwrap()).unwrap();
            let datapath = serde_json::to_value(describe(program)).unwrap();
            let mut unit = Unit::new(&hardware, &datapath);
            let mut lanes: Vec<_> = (0..*in_turn).map(|_| Simulator::new(program)).collect();
            shared += usize::from(*in_turn > 1);
            let (words_in, words_out) = part.words();
            assert_eq!(number(&hardware, "words_in") as usize, words_in);
            for firing in 0..50 {
                let words: Vec<i64> =
                    (0..words_in).map(|_| any_word(&mut noise, program.input(), false)).collect();
                let own =
                    |lane: usize| words.iter().skip(lane).step_by(*in_turn).copied().collect();
                let all: Vec<Vec<i64>> = lanes
                    .iter_mut()
                    .enumerate()
                    .map(|(lane, simulator)| {
                        simulator.run(&Vec::<i64>::from_iter::<Vec<i64>>(own(lane)))
                    })
                    .collect();
                let word = |at: usize| i128::from(all[at % in_turn][at / in_turn]);
                let expected: Vec<i128> = (0..words_out).map(word).collect();
                assert_eq!(unit.fire(&words), expected, "{firing}\n{datapath:#}\n{hardware:#}");
            }
            takes += usize::from(words_in > 1);
            gives += usize::from(words_out > 1);
        }
    }
}

/// Filters that take turns: each by its part of the JSON, in clocks that are its own.
#[test]
fn a_stranger_runs_filters_that_take_turns_from_their_json() {
    let mut noise = NoiseSource::new(734);
    let rate = SampleRate::from_hertz(1000.0).unwrap();
    let mut held = 0;
    while held < 60 {
        let filters = any_filters_of_one_format(&mut noise);
        let flows: Vec<SignalFlow> =
            filters.iter().map(|one| SignalFlow::of(&one.checked).unwrap()).collect();
        let wish = Hardware {
            // With a clock as few multipliers as it allows, down to a clock for each product.
            clock: one_of(&mut noise, &[None, Some(20e3), Some(100e3), Some(1e6)]),
            multiplier_stages: one_of(&mut noise, &[1, 2, 3]),
            ..Hardware::default()
        };
        let Ok(choice) = TimeSharedChoice::of(&flows, &wish, rate) else { continue };
        let available = choice.available.unwrap_or(u64::MAX);
        assert!(choice.unit.interval() as u64 <= available, "{wish:?}");
        let names: Vec<String> = (0..filters.len()).map(|one| format!("filter_{one}")).collect();
        let record = HardwareRecord::of_time_shared(&choice, &names).unwrap();
        let hardware = serde_json::to_value(&record).unwrap();
        let turns = list(&hardware, "turns");
        assert_eq!(turns.len(), filters.len());
        let mut next = 0;
        for (turn, filter) in turns.iter().zip(&filters) {
            assert_eq!(number(turn, "start"), next);
            next += number(turn, "interval");
            let issues = list(turn, "schedule").iter();
            let places: HashSet<_> =
                issues.map(|one| (number(one, "clock"), number(one, "multiplier"))).collect();
            assert_eq!(places.len(), list(turn, "schedule").len());
            assert!(places.iter().all(|(clock, _)| *clock < number(turn, "interval")));
            let datapath = serde_json::to_value(describe(&filter.checked)).unwrap();
            let mut unit = Unit::new(turn, &datapath);
            let mut simulator = Simulator::new(&filter.checked);
            for sample in 0..60 {
                let word = any_word(&mut noise, filter.checked.input(), false);
                let expected = i128::from(simulator.step(word));
                assert_eq!(unit.step(word), expected, "{sample}\n{datapath:#}\n{turn:#}");
            }
        }
        assert_eq!(next, number(&hardware["estimate"], "interval"));
        held += 1;
    }
}
