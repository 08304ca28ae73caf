//! `mrake cost`: what it says of a unit, to people and to programs.

use crate::common::{json, run};
use mellow_rake::datapath::Simulator;
use mellow_rake::random::NoiseSource;
use mellow_rake::study::Study;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

const UNIT: &str = "demo/modem/carrier_unit.toml";

fn spec(structure: &str, hardware: &str) -> String {
    format!(
        "name = \"swell\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\ncutoff = \"100 Hz\"\n\
         [method]\ndesign = \"butterworth\"\norder = 6\n[fixed]\ninput = \"s16f15\"\n\
         output = \"s16f15\"\ncoefficients = \"s16f14\"\nstructure = \"{structure}\"\n\
         rounding = \"half-up\"\noverflow = \"saturate\"\n[hardware]\n{hardware}\n"
    )
}

/// Someone who has nothing but the JSON: words by slots, in a memory that turns by one with each sample;
/// sections in direct form I, whose sums are rounded half up to the words' fraction and saturated.
struct Stranger<'a> {
    hardware: &'a Value,
    memory: BTreeMap<i64, i64>,
    head: i64,
}

impl Stranger<'_> {
    fn step(&mut self, sample: i64) -> i64 {
        self.head -= 1;
        let head = self.head;
        self.memory.insert(head, sample);
        let number = |value: &Value, key: &str| value[key].as_i64().unwrap();
        let mut result = 0;
        for (task, about) in self.hardware["tasks"].as_array().unwrap().iter().enumerate() {
            let issues = self.hardware["schedule"].as_array().unwrap().iter();
            let own = issues.filter(|issue| number(issue, "task") == task as i64);
            let sum: i64 = own
                .map(|issue| {
                    let words = issue["words"].as_array().unwrap().iter().map(|word| {
                        let place = number(word, "slot") + head;
                        let held = self.memory.get(&place).copied().unwrap_or(0);
                        if word["subtracted"] == true { -held } else { held }
                    });
                    let product = number(issue, "coefficient") * words.sum::<i64>();
                    let aligned = product << number(issue, "shift");
                    if issue["subtracted"] == true { -aligned } else { aligned }
                })
                .sum();
            result = ((sum + (1 << 13)) >> 14).clamp(-32768, 32767);
            if let Some(slot) = about["slot"].as_i64() {
                self.memory.insert(slot + head, result);
            }
        }
        result
    }
}

#[test]
fn a_stranger_runs_the_schedule_from_the_json_alone() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("swell.toml");
    let mut noise = NoiseSource::new(71);
    for hardware in ["", "multipliers = 2", "channels = 3\nmultiplier_stages = 2"] {
        let text = spec("direct-form-1", hardware);
        std::fs::write(&path, &text).unwrap();
        let (status, object) = json(&["cost", path.to_str().unwrap(), "--json"]);
        assert_eq!(status, 0);
        let hardware = &object["hardware"];
        // What one unit gives is what the next takes.
        let stages = hardware["stages"].as_array().unwrap();
        let units: Vec<&Value> =
            if stages.is_empty() { vec![hardware] } else { stages.iter().collect() };
        // No multiplier does two things at once, and the clocks are those of the interval.
        for unit in &units {
            let issues = unit["schedule"].as_array().unwrap();
            let place = |one: &Value| (one["clock"].as_u64(), one["multiplier"].as_u64());
            let places: BTreeSet<_> = issues.iter().map(place).collect();
            let interval = unit["estimate"]["interval"].as_u64();
            let is_within = places.iter().all(|(clock, _)| *clock < interval);
            assert!(places.len() == issues.len() && is_within);
        }
        let study = Study::of_text(&text, |_| Err(String::new())).unwrap();
        let mut simulator = Simulator::new(&study.integers().unwrap().checked);
        let stranger = |hardware| Stranger { hardware, memory: BTreeMap::new(), head: 0 };
        let mut strangers: Vec<Stranger> = units.iter().copied().map(stranger).collect();
        for sample in 0..500 {
            let word = noise.integer(-32768, 32767);
            let found = strangers.iter_mut().fold(word, |word, unit| unit.step(word));
            assert_eq!(found, simulator.step(word), "sample {sample}");
        }
    }
}

/// With the map of addresses alone a stranger makes another filter of the unit: the coefficients of one with
/// another cutoff, written by name of table, row and column, and the words that come out are that filter's.
#[test]
fn a_stranger_loads_another_filter_by_the_map_alone() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("swell.toml");
    let mut noise = NoiseSource::new(72);
    for hardware in ["", "multipliers = 3", "interface = \"axi-stream\""] {
        let hardware = format!("coefficients = \"loadable\"\n{hardware}");
        let text = spec("direct-form-1", &hardware);
        std::fs::write(&path, &text).unwrap();
        let (status, object) = json(&["cost", path.to_str().unwrap(), "--json"]);
        assert_eq!(status, 0);
        let mut hardware = object["hardware"].clone();
        let other = text
            .replace("100 Hz", "30 Hz")
            .replace("[hardware]\ncoefficients = \"loadable\"", "[hardware]");
        let study = Study::of_text(&other, |_| Err(String::new())).unwrap();
        let filter = study.integers().unwrap();
        let map = hardware["load_map"].clone();
        let table = &map["tables"][0];
        assert_eq!(hardware["load_map"]["tables"].as_array().unwrap().len(), 1);
        assert_eq!(table["rows"].as_array().unwrap().len(), filter.table.rows.len());
        let base = table["address"].as_u64().unwrap() as usize;
        let columns = filter.table.rows[0].len();
        let mut loaded = BTreeSet::new();
        for issue in hardware["schedule"].as_array_mut().unwrap() {
            let address = issue["address"].as_u64().unwrap() as usize - base;
            let value = filter.table.rows[address / columns][address % columns];
            let is_negated = map["negated"][address + base] == true;
            issue["coefficient"] = if is_negated { -value } else { value }.into();
            loaded.insert(address);
        }
        let words = hardware["load_map"]["switch_address"].as_u64().unwrap() as usize;
        assert_eq!(loaded.len(), words, "each address is read");
        let mut simulator = Simulator::new(&filter.checked);
        let mut stranger = Stranger { hardware: &hardware, memory: BTreeMap::new(), head: 0 };
        for sample in 0..500 {
            let word = noise.integer(-32768, 32767);
            assert_eq!(stranger.step(word), simulator.step(word), "sample {sample}");
        }
        // The page has the same map.
        let (_, page, _) = run(&["cost", path.to_str().unwrap()]);
        assert!(page.contains("section[2][4]") || page.contains(" more"), "{page}");
        assert!(page.contains("the two sets change places"), "{page}");
    }
}

#[test]
fn what_is_shown_is_what_the_json_says() {
    let (status, object) = json(&["cost", UNIT, "--json"]);
    let (_, text, _) = run(&["cost", UNIT]);
    let estimate = &object["hardware"]["estimate"];
    assert_eq!((status, estimate["interval"].as_u64()), (0, Some(97)));
    for number in ["interval", "latency", "multipliers"] {
        assert!(text.contains(&format!("{} ", estimate[number])), "{number}\n{text}");
    }
    for part in ["memories", "adders", "registers"] {
        for part in estimate[part].as_array().unwrap() {
            let what = part["what"].as_str().unwrap();
            assert!(text.contains(what), "{what}\n{text}");
        }
    }
    // 97 of 125 clocks at 12 MHz: 8.083 microseconds.
    assert!(text.contains("97 clocks of 125") && text.contains("8.083 us"), "{text}");
}

#[test]
fn units_stand_side_by_side_and_are_drawn() {
    let folder = tempfile::tempdir().unwrap();
    let figure = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let vary = "hardware.multipliers=1,2,4,99";
    let (drawn, schedule) = (figure("units.svg"), figure("schedule.svg"));
    // The last cannot be.
    let (status, text, _) = run(&["cost", UNIT, "--vary", vary, "--figure", &drawn]);
    assert_eq!(status, 1);
    let row = |value: &str| {
        let line = text.lines().find(|line| line.split_whitespace().next() == Some(value));
        line.unwrap_or_else(|| panic!("{value}\n{text}")).split_whitespace().nth(2).unwrap()
    };
    // 97 taps on one, two and four multipliers.
    assert_eq!(["1", "2", "4"].map(row), ["97", "49", "25"]);
    assert!(text.contains("99: ") && text.contains("from 1 to 64"), "{text}");
    let (_, object) = json(&["cost", UNIT, "--vary", vary, "--json"]);
    let units = object["units"].as_array().unwrap();
    assert!(units.len() == 4 && units[3]["refused"].is_string() && units[0]["refused"].is_null());
    assert_eq!(run(&["cost", UNIT, "--figure", &schedule]).0, 0);
    // At 12 MHz two samples a clock are 24 million in a second.
    let (_, text, _) = run(&["cost", UNIT, "--vary", "hardware.samples_per_clock=1,2"]);
    assert!(text.contains("123.711") && text.contains("24000.000"), "{text}");
    for (path, words) in [(drawn, "sample rate in"), (schedule, "slot of the memory")] {
        assert!(std::fs::read_to_string(path).unwrap().contains(words));
    }
}

/// Two filters on one unit: told, written, simulated with the words of both, and refused where they cannot.
#[test]
fn filters_beside_one_another_take_turns_on_a_unit() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).display().to_string();
    let (swell, surge, drift, out) =
        (at("swell.toml"), at("surge.toml"), at("drift.toml"), at("out"));
    let text = spec("direct-form-1", "clock = \"60 kHz\"\ninterface = \"valid-ready\"");
    let other = |name: &str| text.replace("name = \"swell\"", &format!("name = \"{name}\""));
    std::fs::write(&swell, &text).unwrap();
    // The table of the other is not looked at: this one could not be met.
    let surge_text = other("surge").replace("100 Hz", "30 Hz").replace("60 kHz", "1 kHz");
    std::fs::write(&surge, surge_text).unwrap();
    let fast = other("drift").replace("sample_rate = \"1 kHz\"", "sample_rate = \"2 kHz\"");
    std::fs::write(&drift, fast).unwrap();
    let (status, object) = json(&["cost", &swell, "--beside", &surge, "--json"]);
    let hardware = &object["hardware"];
    let names: Vec<_> =
        hardware["turns"].as_array().unwrap().iter().map(|one| one["name"].clone()).collect();
    assert_eq!((status, names), (0, vec!["swell".into(), "surge".into()]));
    assert_eq!(hardware["estimate"]["multipliers"], 1);
    let both = hardware["estimate"]["interval"].as_u64().unwrap();
    let (_, alone) = json(&["cost", &swell, "--json"]);
    assert_eq!(both, 2 * alone["hardware"]["estimate"]["interval"].as_u64().unwrap());
    let (_, page, _) = run(&["cost", &swell, "--beside", &surge]);
    assert!(page.starts_with("swell and 1 filter beside it on 1 multiplier"), "{page}");
    assert!(page.contains("surge: from clock"), "{page}");
    // What lies in a folder is what is proved; of the words of the second filter, too.
    let beside = ["--beside", &surge];
    let to = ["generate", &swell, "--to", "verilog,vhdl", "-o", &out];
    assert_eq!(run(&[&to[..], &beside].concat()).0, 0);
    let verify = ["verify", &swell, "--files", &out, "--on", "icarus"];
    let (status, page, _) = run(&[&verify[..], &beside].concat());
    assert!(status == 0 && page.contains("Verdict of all 2: proved on every target"), "{page}");
    let module = folder.path().join("out/swell.v");
    let good = std::fs::read_to_string(&module).unwrap();
    // A coefficient of the second filter: the first has 15 clocks.
    let line = good.lines().find(|line| line.contains("coefficients_0[16] = 16'h")).unwrap();
    let (front, behind) = line.split_once("'h").unwrap();
    let wrong = match behind.starts_with('1') {
        true => format!("{front}'h2{}", &behind[1..]),
        false => format!("{front}'h1{}", &behind[1..]),
    };
    std::fs::write(&module, good.replace(line, &wrong)).unwrap();
    let (status, page, _) = run(&[&verify[..], &beside].concat());
    assert!(status == 1 && page.contains("Verdict of all 2: not proved"), "{page}");
    // What cannot take turns.
    for (call, expected) in [
        (["cost", &swell, "--beside", &drift], "filter 2 has 2000 Hz, the first 1000 Hz"),
        (["verify", &swell, "--beside", &out], "out"),
    ] {
        let (status, _, error) = run(&call);
        assert!(status == 2 && error.contains(expected), "{error}");
    }
    let c = ["generate", &swell, "--beside", &surge, "--to", "c", "-o", &out];
    let (status, _, error) = run(&c);
    assert!(status == 2 && error.contains("--beside is for hardware"), "{error}");
}

/// What the C takes on cores: the page and the JSON say the same, and what is of hardware is refused.
#[test]
fn what_c_takes_on_cores_is_counted() {
    let notch = "demo/mooring/pump_hum.toml";
    let (status, object) = json(&["cost", notch, "--on", "cortex-m4,rv32", "--json"]);
    let cores = object["cores"].as_array().unwrap();
    assert_eq!((status, cores.len()), (0, 6));
    let (status, page, _) = run(&["cost", notch, "--on", "cortex-m4,rv32"]);
    assert!(status == 0 && page.contains("Cortex-M4") && page.contains("RV32IMC"), "{page}");
    for core in cores {
        let step = format!("{:.1}", core["step_count"].as_f64().unwrap());
        let code = core["code_bytes"].as_u64().unwrap().to_string();
        let row = page.lines().find(|line| {
            let words: Vec<&str> = line.split_whitespace().collect();
            words.contains(&step.as_str()) && words.contains(&code.as_str())
        });
        assert!(row.is_some(), "{core} {page}");
        // Two words of 16 bits of the input and two of the output.
        assert_eq!(core["filter_bytes"], 8);
    }
    // The last two columns follow from the clock and the sample rate of 1 kHz.
    let call = ["cost", notch, "--on", "cortex-m4", "--clock", "16 MHz"];
    let (_, page, _) = run(&call);
    let rows: Vec<Vec<f64>> = page
        .lines()
        .filter(|line| line.trim_start().starts_with("Cortex"))
        .map(|line| line.split_whitespace().filter_map(|word| word.parse().ok()).collect())
        .collect();
    assert_eq!(rows.len(), 3, "{page}");
    for row in rows {
        let [_, block, .., rate, load] = row[..] else { panic!("{row:?}") };
        assert!((rate - 16e3 / block).abs() < 1.0 && (load - 100.0 / rate).abs() < 0.01, "{row:?}");
    }
    for (call, expected) in [
        (vec!["cost", notch, "--clock", "16 MHz"], "of processor cores"),
        (vec!["cost", notch, "--on", "cortex-m4,ice40"], "one of the two"),
        (vec!["cost", notch, "--on", "rv64", "--beside", notch], "of hardware"),
        (vec!["compare", notch, "--cost", "cortex-m9"], "no such core"),
    ] {
        let (status, _, error) = run(&call);
        assert!(status == 2 && error.contains(expected), "{error}");
    }
}

/// Filters side by side on cores: of several values of a key, of several specs, with one that cannot be. What
/// stands for each is what it takes alone.
#[test]
fn filters_are_compared_by_what_their_c_takes() {
    let (notch, breath) = ("demo/mooring/pump_hum.toml", "demo/breath/breath.toml");
    let key = "fixed.structure=direct-form-1,direct-form-2-transposed,fir-direct";
    let vary = ["cost", notch, "--on", "cortex-m4,avr", "--vary", key];
    let (status, object) = json(&[&vary[..], &["--json"]].concat());
    let filters = object["filters"].as_array().unwrap();
    // A notch has no taps.
    assert_eq!((status, filters.len()), (1, 2));
    assert_eq!(object["refused"][0]["value"], "fir-direct");
    let (_, alone) = json(&["cost", notch, "--on", "cortex-m4,avr", "--json"]);
    assert_eq!(filters[0]["cores"], alone["cores"]);
    assert_eq!(
        (&filters[0]["value"], filters[0]["cores"][3]["counted"].as_str()),
        (&serde_json::json!("direct-form-1"), Some("cycles"))
    );
    // b0, b1, b2, a1, a2 of one section.
    assert_eq!(filters[0]["multiplies_per_sample"], 5);
    let (_, page, _) = run(&vary);
    for filter in filters {
        for core in filter["cores"].as_array().unwrap() {
            let step = format!(" {:.1} ", core["step_count"].as_f64().unwrap());
            let value = filter["value"].as_str().unwrap();
            let is_there =
                |line: &str| line.trim_start().starts_with(value) && line.contains(&step);
            assert!(page.lines().any(is_there), "{value} {step}\n{page}");
        }
    }
    assert!(page.contains("fir-direct: none: "), "{page}");
    let compare = ["compare", notch, breath, "--cost", "cortex-m4"];
    let (_, object) = json(&[&compare[..], &["--json"]].concat());
    assert_eq!(
        object["filters"][0]["cores"].as_array().unwrap()[..],
        alone["cores"].as_array().unwrap()[..3]
    );
    let (_, page, _) = run(&compare);
    let row = page.lines().find(|line| line.contains("Cortex-M4 -O2, instructions in a step"));
    let row: Vec<&str> = row.unwrap().split_whitespace().collect();
    for (filter, cell) in object["filters"].as_array().unwrap().iter().zip(&row[row.len() - 2..]) {
        assert_eq!(*cell, format!("{:.1}", filter["cores"][1]["step_count"].as_f64().unwrap()));
    }
}
