//! Schedules do what the datapath says, clock by clock, whatever comes between.

use mellow_rake::Wish;
use mellow_rake::datapath::{Checked, Simulator, dump};
use mellow_rake::hardware::{
    ClockInput, ClockOutput, Estimate, FlowSimulator, HardwareError, HardwareUnit, Issue, Load,
    LoadMap, LoadedTable, Machine, Parallel, ParallelMachine, Resources, Schedule, ScheduleError,
    Scheduled, SignalFlow, Staged, StagedMachine, TimeShared, UnitProgram, choose, schedule,
};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Hardware, Spec, Structure};
use mellow_rake::study::{Study, StudyError};
use mellow_rake::write::Language;

use crate::filters::{any_filter, any_resources, any_word, one_of};
use crate::programs::{Sizes, any_program};

/// How often samples are offered and taken, in so many of eight clocks; how often the unit is reset.
#[derive(Clone, Copy)]
struct Traffic {
    offered: i64,
    taken: i64,
    resets: bool,
}

/// Either machine.
enum AnyMachine<'a> {
    Serial(Box<Machine>),
    Staged(StagedMachine),
    Parallel(ParallelMachine<'a>),
}

impl<'a> AnyMachine<'a> {
    fn new(unit: &'a HardwareUnit) -> Self {
        match unit {
            HardwareUnit::Serial(scheduled) => {
                AnyMachine::Serial(Box::new(Machine::new(scheduled).unwrap()))
            }
            HardwareUnit::Staged(staged) => AnyMachine::Staged(StagedMachine::new(staged).unwrap()),
            HardwareUnit::Parallel(chain) => AnyMachine::Parallel(ParallelMachine::new(chain)),
        }
    }

    fn clock(&mut self, input: ClockInput) -> ClockOutput {
        match self {
            AnyMachine::Serial(machine) => machine.clock(input),
            AnyMachine::Staged(machine) => machine.clock(input),
            AnyMachine::Parallel(machine) => machine.clock(input),
        }
    }
}

/// Runs a machine among gaps, back pressure and resets; every word that it gives is the simulator's, in its
/// channel. Samples that are taken without a gap are `interval` clocks apart.
fn hold(checked: &Checked, unit: &HardwareUnit, traffic: Traffic, noise: &mut NoiseSource) {
    let resources = unit.resources();
    let mut machine = AnyMachine::new(unit);
    let mut simulators: Vec<_> = (0..resources.channels).map(|_| Simulator::new(checked)).collect();
    let (mut taken, mut given) = (0, 0);
    let takes = unit.flow().takes;
    let mut waiting = vec![Vec::new(); resources.channels];
    let mut expected = std::collections::VecDeque::new();
    let mut word = any_word(noise, checked.input(), false);
    let clocks = (60 * resources.channels).max(120) * unit.interval().max(8);
    let context = || format!("{resources:?}\n{}", dump(checked));
    for clock in 0..clocks {
        let chance = |of: i64, noise: &mut NoiseSource| noise.integer(0, 7) < of;
        // One that keeps its memory goes on with what it had.
        let rst =
            traffic.resets && resources.clears_memory && noise.integer(0, clocks as i64 / 4) == 0;
        let in_valid = chance(traffic.offered, noise);
        let out_ready = !resources.interface.waits() || chance(traffic.taken, noise);
        let seen =
            machine.clock(ClockInput { rst, in_valid, in_data: word, out_ready, load: None });
        if seen.out_valid && out_ready {
            given += 1;
            assert_eq!(Some(seen.out_data), expected.pop_front(), "clock {clock}\n{}", context());
        }
        if rst {
            simulators.iter_mut().for_each(|simulator| *simulator = Simulator::new(checked));
            waiting.iter_mut().for_each(Vec::clear);
            expected.clear();
            taken = 0;
        } else if in_valid && seen.in_ready {
            let channel = taken % resources.channels;
            waiting[channel].push(word);
            if waiting[channel].len() == takes {
                expected.extend(simulators[channel].run(&std::mem::take(&mut waiting[channel])));
            }
            taken += 1;
            word = any_word(noise, checked.input(), false);
        }
    }
    assert!(given > 20 || traffic.resets, "{given} words\n{}", context());
}

/// Samples one after the other: how far apart they are taken, and how long the first takes.
fn pace(unit: &HardwareUnit) -> (usize, usize) {
    let mut machine = AnyMachine::new(unit);
    let input = ClockInput { in_valid: true, in_data: 1, out_ready: true, ..Default::default() };
    let (mut taken, mut first) = (Vec::new(), None);
    for clock in 0..30 * unit.interval() + 2 * unit.latency() {
        let seen = machine.clock(input);
        if seen.out_valid {
            first.get_or_insert(clock);
        }
        if seen.in_ready {
            taken.push(clock);
        }
    }
    assert!(taken.windows(2).all(|pair| pair[1] - pair[0] == taken[1] - taken[0]), "{taken:?}");
    (taken[1] - taken[0], first.unwrap() - taken[0])
}

const TRAFFIC: [Traffic; 4] = [
    Traffic { offered: 8, taken: 8, resets: false },
    Traffic { offered: 3, taken: 8, resets: false },
    Traffic { offered: 6, taken: 2, resets: false },
    Traffic { offered: 7, taken: 6, resets: true },
];

#[test]
fn machines_of_every_structure_give_what_the_simulator_gives() {
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(181);
    let (mut parallel, mut staged) = (0, 0);
    for structure in Structure::ALL {
        let mut held = 0;
        for index in 0..12 * times {
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            let flow = SignalFlow::of(&filter.checked).unwrap();
            let scheduled = schedule(&flow, any_resources(&mut noise)).unwrap();
            // Words of 40 bits with coefficients of 32, brought to a finer sum, are beyond a unit.
            if let Err(HardwareError::Width { .. }) = UnitProgram::of(&scheduled) {
                continue;
            }
            let mut units = vec![HardwareUnit::Serial(scheduled)];
            let chain = Parallel::of(&flow, any_resources(&mut noise));
            units.extend(chain.map(HardwareUnit::Parallel));
            parallel += units.len() - 1;
            let several = Resources { multipliers: 2 + index % 4, ..any_resources(&mut noise) };
            if let Some(cut) = Staged::of(&flow, several).unwrap() {
                staged += 1;
                units.push(HardwareUnit::Staged(cut));
            }
            for unit in &units {
                hold(&filter.checked, unit, TRAFFIC[index % 4], &mut noise);
                assert_eq!(pace(unit), (unit.interval(), unit.latency()));
            }
            held += 1;
        }
        assert!(held > 3, "{structure:?}: {held}");
    }
    assert!(parallel > 10 && staged > 30, "{parallel} {staged}");
}

#[test]
fn flows_and_machines_of_any_program_mean_what_it_means() {
    let mut noise = NoiseSource::new(182);
    let mut held = 0;
    let (mut several, mut refused) = (0, 0);
    for index in 0..1200 {
        let sizes = [Sizes::LARGE, Sizes::FIRINGS][index % 2];
        let Ok(checked) = any_program(&mut noise, sizes).check() else { continue };
        let flow = match SignalFlow::of(&checked) {
            Ok(flow) => flow,
            Err(HardwareError::Ports { .. } | HardwareError::Later { .. }) => {
                refused += 1;
                continue;
            }
            Err(error) => panic!("{error}"),
        };
        let mut folded = flow.clone();
        folded.fold();
        let mut simulator = Simulator::new(&checked);
        let mut readers = [FlowSimulator::new(&flow), FlowSimulator::new(&folded)];
        for firing in 0..60 {
            let mut word = || any_word(&mut noise, checked.input(), false);
            let words: Vec<i64> = (0..flow.takes).map(|_| word()).collect();
            let expected = simulator.run(&words);
            let found = readers.each_mut().map(|reader| reader.fire(&words));
            assert_eq!(
                found,
                [expected.clone(), expected],
                "firing {firing}\n{}\n{flow:#?}",
                dump(&checked)
            );
        }
        let scheduled = match schedule(&flow, any_resources(&mut noise)) {
            Ok(scheduled) => scheduled,
            Err(HardwareError::Interleaved { .. }) => continue,
            Err(error) => panic!("{error}"),
        };
        match Machine::new(&scheduled) {
            Ok(_) => {
                let unit = HardwareUnit::Serial(scheduled);
                hold(&checked, &unit, TRAFFIC[index / 2 % 4], &mut noise);
            }
            Err(HardwareError::Width { .. }) => continue,
            Err(error) => panic!("{error}"),
        }
        held += 1;
        several += usize::from(flow.takes + flow.outputs.len() > 2);
    }
    println!("{held} programs, {several} of several words, {refused} refused");
    assert!(held > 400 && several > 15, "{held} {several}");
}

fn swell(structure: Structure) -> Study {
    let words = Fixed::new(structure, "s16f15".parse().unwrap());
    Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words).study().unwrap()
}

/// What the check of a schedule says, by itself: whether the machine that would follow can be trusted.
#[test]
fn a_schedule_that_is_damaged_is_refused_or_still_right() {
    let mut noise = NoiseSource::new(183);
    let (mut refused, mut right) = (0, 0);
    let mut kinds = std::collections::HashSet::new();
    while refused + right < 3_000 {
        let structure = one_of(&mut noise, &Structure::ALL);
        let Some(filter) = any_filter(&mut noise, structure) else { continue };
        let flow = SignalFlow::of(&filter.checked).unwrap();
        let whole = schedule(&flow, any_resources(&mut noise)).unwrap();
        for _ in 0..20 {
            let mut damaged: Schedule = whole.schedule().clone();
            let count = damaged.issues.len() as i64;
            let index = noise.integer(0, count - 1) as usize;
            match noise.integer(0, 5) {
                0 => {
                    damaged.issues[index].clock =
                        noise.integer(0, damaged.interval as i64) as usize;
                }
                1 => damaged.interval = (damaged.interval - 1).max(1),
                2 => {
                    let other = noise.integer(0, count - 1) as usize;
                    let clock = damaged.issues[index].clock;
                    damaged.issues[index].clock = damaged.issues[other].clock;
                    damaged.issues[other].clock = clock;
                }
                3 => drop(damaged.issues.remove(index)),
                4 => damaged.issues[index].multiplier += 1,
                _ => damaged.resources.multiplier_stages += 1,
            }
            if damaged.issues.is_empty() {
                continue;
            }
            match damaged.check() {
                Err(error) => {
                    kinds.insert(std::mem::discriminant(&error));
                    refused += 1;
                }
                // What passes is as good as any.
                Ok(scheduled) => {
                    let unit = HardwareUnit::Serial(scheduled);
                    hold(&filter.checked, &unit, TRAFFIC[right % 3], &mut noise);
                    assert_eq!(pace(&unit), (unit.interval(), unit.latency()));
                    right += 1;
                }
            }
        }
    }
    println!("{refused} refused for {} reasons, {right} right", kinds.len());
    assert!(
        refused > 1_000 && right > 300 && kinds.len() >= 5,
        "{refused} {right} {}",
        kinds.len()
    );
}

#[test]
fn a_schedule_without_its_reads_in_time_would_be_wrong() {
    let study = swell(Structure::DirectForm1);
    let checked = &study.integers().unwrap().checked;
    let flow = SignalFlow::of(checked).unwrap();
    let scheduled = schedule(&flow, Resources::default()).unwrap();
    assert_eq!((scheduled.interval(), scheduled.use_of_multipliers()), (20, 1.0));
    // The product with what the section before gives comes first: it is not there yet.
    let mut early = scheduled.schedule().clone();
    let [first, last] =
        [5, 9].map(|clock| early.issues.iter().position(|one| one.clock == clock).unwrap());
    (early.issues[first].clock, early.issues[last].clock) = (9, 5);
    assert_eq!(early.check(), Err(ScheduleError::Early { clock: 5, task: 1, ready: 9 }));
}

#[test]
fn what_is_not_stated_is_chosen_as_the_clock_allows() {
    let study = swell(Structure::DirectForm1);
    let flow = SignalFlow::of(&study.integers().unwrap().checked).unwrap();
    let rate = study.spec.sample_rate;
    let wish = |clocks: f64| Hardware { clock: Some(1000.0 * clocks), ..Hardware::default() };
    assert_eq!(choose(&flow, &wish(20.0), rate).unwrap().unit.resources().multipliers, 1);
    // A recursion of five products is not done in less than its own length, with however many multipliers.
    let error = choose(&flow, &wish(4.0), rate).unwrap_err();
    let HardwareError::Clock { available, needed, multipliers, .. } = &error else {
        panic!("{error}")
    };
    assert!(*available == 4 && *needed > 4 && *multipliers > 0, "{error}");
    // The clock that is named would do.
    let clock: f64 = error
        .to_string()
        .split("clock of ")
        .nth(1)
        .unwrap()
        .split(' ')
        .next()
        .unwrap()
        .parse()
        .unwrap();
    assert!(choose(&flow, &Hardware { clock: Some(clock), ..Hardware::default() }, rate).is_ok());

    let average = |taps: usize| {
        let text = format!(
            "name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\ncutoff = \"100 Hz\"\n\
             [method]\ndesign = \"window\"\nwindow = \"hamming\"\ntaps = {taps}\n\
             [fixed]\ninput = \"s16f15\"\ncoefficients = \"s16\"\n"
        );
        Study::of_text(&text, |_| Err(String::new())).unwrap()
    };
    // 64 taps that mirror: an adder in front halves the clocks, each further multiplier divides them.
    let study = average(64);
    let flow = SignalFlow::of(&study.integers().unwrap().checked).unwrap();
    for (clocks, multipliers, folds) in
        [(64.0, 1, false), (63.0, 1, true), (32.0, 1, true), (31.0, 2, true)]
    {
        let chosen = choose(&flow, &wish(clocks), study.spec.sample_rate).unwrap();
        let resources = chosen.unit.resources();
        let found = (resources.multipliers, resources.folds);
        assert!(chosen.unit.interval() as f64 <= clocks);
        assert!(
            found == (multipliers, folds) || clocks == 31.0 && found.0 == 2,
            "{clocks}: {found:?}"
        );
        assert!(!chosen.reasons.is_empty());
    }
    let two_thousand = average(2_000);
    let flow = SignalFlow::of(&two_thousand.integers().unwrap().checked).unwrap();
    let chosen = choose(&flow, &wish(250.0), study.spec.sample_rate).unwrap();
    assert!(chosen.unit.interval() <= 250 && chosen.unit.resources().multipliers <= 8);
}

#[test]
fn every_bad_wish_for_hardware_says_what_would_be_accepted() {
    let text = |hardware: &str| {
        format!(
            "name = \"swell\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\ncutoff = \"40 Hz\"\n\
             [method]\ndesign = \"butterworth\"\norder = 8\n[fixed]\ninput = \"s16f15\"\n\
             [hardware]\n{hardware}\n"
        )
    };
    let wrong = [
        ("clock = \"4 kHz\"", "hardware.clock", "5000 Hz would do"),
        ("clock = \"10 Hz\"", "hardware.clock", "from the sample rate"),
        ("clock = 12", "hardware.clock", "12 MHz"),
        ("multipliers = 0", "hardware.multipliers", "1 to 64"),
        ("pipelining = 3", "hardware.pipelining", "1 to 2"),
        ("pipelining = \"deep\"", "hardware.pipelining", "automatic"),
        ("channels = 257", "hardware.channels", "1 to 256"),
        ("multiplier_stages = 4", "hardware.multiplier_stages", "1 to 3"),
        ("interface = \"wires\"", "hardware.interface", "valid-ready"),
        ("memory_reset = \"wipe\"", "hardware.memory_reset", "clear"),
        ("speed = 3", "hardware.speed", "clock"),
        ("coefficients = \"ram\"", "hardware.coefficients", "loadable"),
        (
            "coefficients = \"loadable\"\narchitecture = \"parallel\"",
            "hardware.architecture",
            "serial",
        ),
    ];
    for (hardware, key, accepted) in wrong {
        let study = Study::of_text(&text(hardware), |_| Err(String::new()));
        let error = study.and_then(|study| study.hardware().map(|_| ())).unwrap_err();
        let said = error.to_string();
        assert!(said.contains(key) && said.contains(accepted), "{hardware}: {said}");
        assert!(said.contains("line"), "{said}");
    }
    // A clock that is too slow for hardware is nothing to C and Rust.
    let study = Study::of_text(&text("clock = \"4 kHz\""), |_| Err(String::new())).unwrap();
    for (language, ..) in Language::ALL {
        assert_eq!(study.files(&[language]).is_err(), language.is_hardware(), "{language:?}");
    }
    // What is proved of, or stated for, the designed coefficients alone.
    let structure = "structure = \"direct-form-2-transposed\"";
    for (fixed, key, accepted) in [
        ("overflow = \"forbid\"\noutput = \"s24f15\"", "fixed.overflow", "saturate"),
        ("accumulator = \"s40\"", "fixed.accumulator", "none can be stated"),
        (structure, "hardware.coefficients", "direct-form-1"),
    ] {
        let input = "input = \"s16f15\"\n";
        let text = text("coefficients = \"loadable\"").replace(input, &format!("{input}{fixed}\n"));
        let study = Study::of_text(&text, |_| Err(String::new())).unwrap();
        let said = study.hardware().unwrap_err().to_string();
        assert!(said.contains(key) && said.contains(accepted), "{fixed}: {said}");
    }
    // Hardware is made of integers.
    let without = text("").replace("[fixed]\ninput = \"s16f15\"\n", "");
    let error = Spec::parse(&without).unwrap_err();
    assert!(error.to_string().contains("[fixed]"), "{error}");
    let wish = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(2).hardware(Hardware::default());
    assert!(matches!(wish.study(), Err(StudyError::Spec(_))));
    assert!(Spec::parse(&text("clock = \"64 fs\"")).unwrap().hardware.unwrap().clock == Some(64e3));
}

/// The flow of a program, sometimes of one whose coefficients can be loaded.
fn any_flow(noise: &mut NoiseSource, checked: &Checked) -> SignalFlow {
    match SignalFlow::loadable(checked) {
        Ok(flow) if noise.integer(0, 1) == 0 => flow,
        _ => SignalFlow::of(checked).unwrap(),
    }
}

/// The bits of the registers that a text declares, those that only a table makes left out.
fn declared(text: &str) -> u64 {
    let bits = |line: &str| -> Option<u64> {
        let rest = line.trim().strip_prefix("reg ").or(line.trim().strip_prefix("output reg  "))?;
        if line.contains("_words [") || line.contains("coefficients_") {
            return None;
        }
        let name = rest.split(']').next_back()?.trim().trim_end_matches(';');
        if text.contains(&format!("\n            default: {name} =")) {
            return None;
        }
        match rest.strip_prefix('[') {
            Some(range) => Some(range.split(':').next()?.parse::<u64>().ok()? + 1),
            None => Some(1),
        }
    };
    text.lines().filter_map(bits).sum()
}

/// No register or wire has a name that a filter, and so its module, could have.
fn names_hide_no_module(text: &str) {
    use mellow_rake::{spec::Name, write::Symbols};
    // The digits of a number are no name.
    let is_part = |c: char| c.is_ascii_alphanumeric() || "_'".contains(c);
    // Neither comments nor attributes.
    let code = |line| {
        let line: &str = str::split(line, "//").next().unwrap();
        let line = line.split("--").next().unwrap().rsplit("*)").next().unwrap();
        // Digits of VHDL stand in quotes.
        if line.contains(":=") { line.split('"').next().unwrap() } else { line }
    };
    for line in text.lines().filter(|line| !line.starts_with('`')).map(code) {
        let words: Vec<&str> =
            line.split(|c| !is_part(c)).filter(|word| !word.is_empty()).collect();
        let declaring = ["reg", "wire", "integer", "signal", "constant", "type"];
        if !words.iter().any(|word| declaring.contains(word)) {
            continue;
        }
        for word in words {
            let name = word.to_ascii_lowercase();
            if let Ok(name) = Name::new(&name) {
                assert_ne!(Symbols::new(&name).base(), name.as_str(), "{line}");
            }
        }
    }
}

#[test]
fn what_is_told_before_the_build_is_what_is_written() {
    use mellow_rake::write::{Symbols, verilog, vhdl};
    let mut noise = NoiseSource::new(184);
    let symbols = Symbols::new(&mellow_rake::spec::Name::new("swell").unwrap());
    let mut held = 0;
    while held < 60 {
        let structure = one_of(&mut noise, &Structure::ALL);
        let Some(filter) = any_filter(&mut noise, structure) else { continue };
        let flow = any_flow(&mut noise, &filter.checked);
        let scheduled = schedule(&flow, any_resources(&mut noise)).unwrap();
        let Ok(estimate) = Estimate::of(&scheduled) else { continue };
        let files = verilog::write_scheduled(&scheduled, &filter.checked, &symbols).unwrap();
        let text = &files[0].text;
        let in_vhdl = vhdl::write_scheduled(&scheduled, &filter.checked, &symbols).unwrap();
        let mut texts = vec![text.clone(), in_vhdl[0].text.clone()];
        if let Ok(chain) = Parallel::of(&flow, any_resources(&mut noise)) {
            let files = verilog::write_parallel(&chain, &filter.checked, &symbols);
            let (told, text) = (Estimate::of_parallel(&chain), &files[0].text);
            assert_eq!(text.matches("$signed(").count(), 2 * told.multipliers);
            // Of marks it has one behind each register of the input and of the output, and one between.
            let apart = told.registers.iter().filter(|part| part.what == "rounded sums").count();
            let marks = (chain.resources().multiplier_stages + 2 + apart) as u64;
            assert_eq!(declared(text), told.register_bits() + marks, "{told:?}\n{text}");
            texts.push(text.clone());
            texts.push(vhdl::write_parallel(&chain, &filter.checked, &symbols)[0].text.clone());
        }
        let alone = Resources { channels: 1, ..any_resources(&mut noise) };
        if let Ok(shared) = TimeShared::of(&[flow.clone(), flow.clone()], alone)
            && let Ok(files) = verilog::write_time_shared(&shared, &[&filter.checked], &symbols)
        {
            texts.push(files[0].text.clone());
            let written = vhdl::write_time_shared(&shared, &[&filter.checked], &symbols);
            texts.push(written.unwrap()[0].text.clone());
        }
        texts.iter().for_each(|text| names_hide_no_module(text));
        assert_eq!(text.matches("$signed(").count(), 2 * estimate.multipliers);
        // Every register is told, but for the marks that travel beside the data: some bits for each stage.
        let (declared, told) = (declared(text), estimate.register_bits());
        let stages = scheduled.schedule().depth() as u64;
        let marks = stages * (10 + 12 * estimate.multipliers as u64);
        assert!(told <= declared && declared <= told + marks + 20, "{declared} {told}\n{text}");
        // The memories are those of the text.
        let memories = text.lines().filter(|line| line.contains("reg ") && line.contains(" [0:"));
        let bits = |line: &str| -> u64 {
            let end = |part: &str| part.split(']').next().unwrap().parse::<u64>().unwrap() + 1;
            let (word, places) = line.split_once(" [0:").unwrap();
            let width = word.split_once('[').map_or(1, |(_, rest)| end(&rest.replace(":0", "")));
            width * end(places)
        };
        assert_eq!(memories.map(bits).sum::<u64>(), estimate.memory_bits(), "{text}");
        held += 1;
    }
}

/// Both languages have the same registers, memories and wires, each as wide and with the same beginning.
#[test]
fn verilog_and_vhdl_declare_the_same() {
    use mellow_rake::write::{Symbols, verilog, vhdl};
    use std::collections::BTreeMap;
    let mut noise = NoiseSource::new(185);
    let symbols = Symbols::new(&mellow_rake::spec::Name::new("swell").unwrap());
    let width = |range: &str| range.split([':', ' ']).next().unwrap().parse::<u64>().unwrap() + 1;
    let mut held = 0;
    while held < 40 {
        let structure = one_of(&mut noise, &Structure::ALL);
        let Some(filter) = any_filter(&mut noise, structure) else { continue };
        let flow = any_flow(&mut noise, &filter.checked);
        let scheduled = schedule(&flow, any_resources(&mut noise)).unwrap();
        let checked = &filter.checked;
        let Ok(in_verilog) = verilog::write_scheduled(&scheduled, checked, &symbols) else {
            continue;
        };
        let in_vhdl = vhdl::write_scheduled(&scheduled, checked, &symbols).unwrap();
        // Name and bits, of memories those of a word.
        let mut first: BTreeMap<String, u64> = BTreeMap::new();
        for line in in_verilog[0].text.lines() {
            let line = line.trim().rsplit("*) ").next().unwrap();
            let Some(rest) = line.strip_prefix("reg ").or(line.strip_prefix("wire ")) else {
                continue;
            };
            let (bits, rest) = match rest.strip_prefix('[') {
                Some(rest) => (width(rest), rest.split_once("] ").unwrap().1),
                None => (1, rest),
            };
            let name = rest.split([' ', ';']).next().unwrap();
            first.insert(name.to_owned(), bits);
        }
        let mut second: BTreeMap<String, u64> = BTreeMap::new();
        for line in in_vhdl[0].text.lines().map(str::trim) {
            let range = |text: &str| text.split_once('(').map_or(1, |(_, range)| width(range));
            if let Some((name, rest)) =
                line.strip_prefix("type ").and_then(|line| line.split_once("_array is array "))
            {
                second.insert(name.to_owned(), range(rest.split_once(" of ").unwrap().1));
                continue;
            }
            let rest = line.strip_prefix("signal ").or(line.strip_prefix("constant "));
            let Some((name, kind)) = rest.and_then(|rest| rest.split_once(" : ")) else { continue };
            if !kind.contains("_array") {
                second.insert(name.to_owned(), range(kind.split(" :=").next().unwrap()));
            }
        }
        assert_eq!(first, second, "{}\n{}", in_verilog[0].text, in_vhdl[0].text);
        held += 1;
    }
}

/// A stated clock lies beside the design, for both languages once.
#[test]
fn a_stated_clock_is_a_constraint_that_keeps_it() {
    use mellow_rake::write::Language;
    for (clock, rate) in [("12 MHz", 12e6), ("64 fs", 64e3), ("33.333 MHz", 33.333e6)] {
        let text = format!(
            "name = \"swell\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\ncutoff = \"40 Hz\"\n\
             [method]\ndesign = \"butterworth\"\norder = 8\n[fixed]\ninput = \"s16f15\"\n\
             [hardware]\nclock = \"{clock}\"\n"
        );
        let study = Study::of_text(&text, |_| Err(String::new())).unwrap();
        let names = |languages: &[Language]| -> Vec<String> {
            let files = study.files(languages).unwrap();
            files.into_iter().map(|file| file.name).collect()
        };
        assert_eq!(names(&[Language::C]).iter().filter(|name| name.ends_with("sdc")).count(), 0);
        let both = names(&[Language::Vhdl, Language::Verilog]);
        let expected = ["swell.v", "swell_tb.v", "swell.vhd", "swell_tb.vhd", "swell.sdc"];
        assert_eq!(both, expected);
        let files = study.files(&[Language::Vhdl]).unwrap();
        let line = files[2].text.lines().last().unwrap();
        let period: f64 = line.split(' ').nth(4).unwrap().parse().unwrap();
        // Not slower than what was stated, and by less than a picosecond faster.
        let exact = 1e9 / rate;
        assert!(period <= exact && exact - period < 1e-3, "{line}: {exact}");
    }
}

/// A clock that is too slow for anything is told in time, whatever the filter.
#[test]
fn what_cannot_be_done_in_time_is_told_in_time() {
    let text = |structure: &str, clock: &str| {
        format!(
            "name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\ncutoff = \"100 Hz\"\n\
             [method]\ndesign = \"window\"\nwindow = \"hamming\"\ntaps = 801\n[fixed]\n\
             input = \"s16f15\"\ncoefficients = \"s16\"\nstructure = \"{structure}\"\n\
             [hardware]\narchitecture = \"serial\"\nclock = \"{clock}\"\n"
        )
    };
    for (structure, clock) in
        [("fir-transposed", "100 kHz"), ("fir-transposed", "700 kHz"), ("fir-direct", "5 kHz")]
    {
        let study = Study::of_text(&text(structure, clock), |_| Err(String::new())).unwrap();
        let error = study.hardware().unwrap_err().to_string();
        // What is named would do.
        let hertz = error.split("clock of ").nth(1).unwrap().split(' ').next().unwrap();
        let better = text(structure, &format!("{hertz} Hz"));
        let study = Study::of_text(&better, |_| Err(String::new())).unwrap();
        assert!(study.hardware().is_ok(), "{error}");
    }
}

/// Other integers for every table, often at an end of its format.
fn other_rows(map: &LoadMap, noise: &mut NoiseSource) -> Vec<Vec<Vec<i64>>> {
    let table = |table: &LoadedTable, noise: &mut NoiseSource| {
        let mut address = table.address;
        let mut one = || {
            // The smallest has no opposite.
            let smallest = table.format.minimum() + i128::from(map.is_negated(address));
            address += 1;
            any_word(noise, table.format, false).max(smallest as i64)
        };
        let mut row = |row: &Vec<i64>| -> Vec<i64> { row.iter().map(|_| one()).collect() };
        table.rows.iter().map(&mut row).collect()
    };
    map.tables.iter().map(|one| table(one, noise)).collect()
}

/// The program with other integers in its tables.
fn with_rows(any: &Checked, rows: &[Vec<Vec<i64>>]) -> Checked {
    let mut datapath = any.datapath().clone();
    for (table, rows) in datapath.tables.iter_mut().zip(rows) {
        table.rows = rows.clone();
    }
    datapath.check().unwrap()
}

/// A unit whose coefficients can be loaded is the filter that was loaded, in every integer: what it was built
/// for before the sets change places, the other from the first round of channels behind that on, with the
/// words that it remembers.
#[test]
fn a_unit_is_the_filter_that_was_loaded() {
    let mut noise = NoiseSource::new(431);
    let (mut held, mut refused, mut switched) = ([0; Structure::ALL.len()], 0, 0);
    for (number, structure) in Structure::ALL.into_iter().enumerate() {
        for _ in 0..12 {
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            let flow = match SignalFlow::loadable(&filter.checked) {
                Ok(flow) => flow,
                Err(HardwareError::Coefficients(_)) => {
                    refused += 1;
                    continue;
                }
                Err(error) => panic!("{error}"),
            };
            let resources = any_resources(&mut noise);
            // Sums of any coefficients may be wider than the unit is written for.
            let Ok(scheduled) = schedule(&flow, resources) else { continue };
            let Ok(machine) = Machine::new(&scheduled) else { continue };
            let rows = other_rows(flow.load_map.as_ref().unwrap(), &mut noise);
            switched += hold_loaded(&filter.checked, machine, &scheduled, &rows, &mut noise);
            held[number] += 1;
        }
    }
    let structures = held.iter().filter(|count| **count > 0).count();
    assert!(structures >= 6 && refused > 10 && switched > 40, "{held:?} {refused} {switched}");
}

/// Holds a machine against the simulators of two filters; 1 if it came to the second.
fn hold_loaded(
    checked: &Checked,
    mut machine: Machine,
    scheduled: &Scheduled,
    rows: &[Vec<Vec<i64>>],
    noise: &mut NoiseSource,
) -> usize {
    let channels = scheduled.resources().channels;
    let map = scheduled.flow().load_map.as_ref().unwrap();
    let values: Vec<i64> = rows.iter().flatten().flatten().copied().collect();
    let other = with_rows(&checked.for_any_coefficients().unwrap(), rows);
    // The flow with the other integers, which goes on with the words of the first.
    let mut flows = [scheduled.flow().clone(), scheduled.flow().clone()];
    for product in flows[1].tasks.iter_mut().flat_map(|task| &mut task.products) {
        if let Some(address) = product.address {
            let value = i128::from(values[address]);
            product.coefficient = if map.is_negated(address) { -value } else { value };
        }
    }
    let mut simulators: Vec<_> = (0..channels).map(|_| Simulator::new(checked)).collect();
    let mut first: Vec<_> = (0..channels).map(|_| FlowSimulator::new(&flows[0])).collect();
    let mut second: Option<Vec<FlowSimulator<'_>>> = None;
    let mut loads: Vec<Load> = map.writes(rows).unwrap();
    loads.reverse();
    let mut expected = std::collections::VecDeque::new();
    let (mut taken, mut given) = (0, 0);
    let clocks = 60 * channels * scheduled.interval().max(8) + 2 * loads.len();
    let begins = clocks / 3;
    let context = |what: &str| format!("{what} {:?}\n{}", scheduled.resources(), dump(checked));
    for clock in 0..clocks {
        let word = any_word(noise, checked.input(), false);
        let in_valid = noise.integer(0, 3) > 0;
        let out_ready = !scheduled.resources().interface.waits() || noise.integer(0, 3) > 0;
        let may_load = clock > begins && noise.integer(0, 1) == 0;
        // Addresses that are none change nothing.
        let nothing = Load { address: map.switch_address + 1, data: 1 };
        let load = if may_load { loads.pop().or(Some(nothing)) } else { None };
        let input = ClockInput { rst: false, in_valid, in_data: word, out_ready, load };
        let seen = machine.clock(input);
        if seen.out_valid && out_ready {
            given += 1;
            assert_eq!(Some(seen.out_data), expected.pop_front(), "{}", context("before a reset"));
        }
        if in_valid && seen.in_ready {
            let channel = taken % channels;
            if seen.load_pending && channel == 0 {
                second = Some(first.iter().map(|one| one.with(&flows[1])).collect());
            }
            let word = match &mut second {
                None => {
                    let given = simulators[channel].step(word);
                    assert_eq!(first[channel].step(word), given);
                    given
                }
                Some(second) => second[channel].step(word),
            };
            expected.push_back(word);
            taken += 1;
        }
    }
    assert!(given > 10, "{}", context("few"));
    let is_switched = second.is_some();
    if !(is_switched && scheduled.resources().clears_memory) {
        return 0;
    }
    // From a reset on it is the other filter, by the simulator of that.
    machine.clock(ClockInput { rst: true, ..Default::default() });
    let mut simulators: Vec<_> = (0..channels).map(|_| Simulator::new(&other)).collect();
    let mut expected = std::collections::VecDeque::new();
    let mut taken = 0;
    for _ in 0..30 * channels * scheduled.interval().max(8) {
        let in_data = any_word(noise, checked.input(), false);
        let input = ClockInput { in_valid: true, in_data, out_ready: true, ..Default::default() };
        let seen = machine.clock(input);
        if seen.out_valid {
            assert_eq!(Some(seen.out_data), expected.pop_front(), "{}", context("loaded"));
        }
        if seen.in_ready {
            expected.push_back(simulators[taken % channels].step(in_data));
            taken += 1;
        }
    }
    1
}

/// Whether any schedule of so many clocks is right: every place of every product is tried.
fn any_schedule(whole: &Scheduled, interval: usize) -> bool {
    let Schedule { flow, resources, .. } = whole.schedule();
    let products: Vec<(usize, usize)> = flow
        .tasks
        .iter()
        .enumerate()
        .flat_map(|(task, one)| (0..one.products.len()).map(move |product| (task, product)))
        .collect();
    let mut clocks = vec![0; products.len()];
    loop {
        let mut used = vec![0; interval];
        let mut issues = Vec::new();
        for ((task, product), clock) in products.iter().zip(&clocks) {
            let (clock, multiplier) = (*clock, used[*clock]);
            used[clock] += 1;
            issues.push(Issue { clock, multiplier, task: *task, product: *product });
        }
        if used.iter().all(|count| *count <= resources.multipliers) {
            issues.sort_by_key(|issue| (issue.clock, issue.multiplier));
            let (flow, resources) = (flow.clone(), *resources);
            if Schedule::new(flow, resources, interval, issues).check().is_ok() {
                return true;
            }
        }
        // The next number of so many digits.
        let Some(digit) = clocks.iter().position(|clock| clock + 1 < interval) else {
            return false;
        };
        clocks[digit] += 1;
        clocks[..digit].fill(0);
    }
}

/// Small flows have no schedule that is shorter than the one that is found, among all that there are.
#[test]
fn no_schedule_of_a_small_flow_is_shorter() {
    let mut noise = NoiseSource::new(186);
    let (mut held, mut longer, mut recursive) = (0, 0, 0);
    while held < 150 {
        let structure = one_of(&mut noise, &Structure::ALL);
        let Some(filter) = any_filter(&mut noise, structure) else { continue };
        let flow = SignalFlow::of(&filter.checked).unwrap();
        let resources = any_resources(&mut noise);
        let whole = schedule(&flow, resources).unwrap();
        let count = whole.flow().products();
        let tries = |interval: u64| interval.saturating_pow(count as u32);
        if resources.channels > 1 || count < 2 || tries(whole.interval() as u64 - 1) > 200_000 {
            continue;
        }
        let least = count.div_ceil(resources.multipliers);
        recursive += usize::from(whole.interval() > least);
        let shorter = (least..whole.interval()).find(|interval| any_schedule(&whole, *interval));
        longer += usize::from(shorter.is_some());
        if let Some(shorter) = shorter {
            println!("{structure:?} {resources:?}: {} for {shorter}", whole.interval());
        }
        held += 1;
    }
    println!("{held} flows, {recursive} that wait for themselves, {longer} could be shorter");
    assert!(recursive > 12 && longer == 0, "{recursive} {longer}");
}
