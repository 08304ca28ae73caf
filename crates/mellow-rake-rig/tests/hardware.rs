//! Scheduled filters, written and simulated by real tools among gaps and back pressure.

use crate::filters::{
    any_filter, any_filters_of_one_format, any_parallel_resources, any_resources, any_word,
};
use mellow_rake::Wish;
use mellow_rake::datapath::{Checked, Simulator, dump};
use mellow_rake::fixed::WordFormat;
use mellow_rake::hardware::{
    Estimate, HardwareUnit, Parallel, Resources, Scheduled, SignalFlow, Staged, TimeShared,
    schedule,
};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Hardware, Name, Structure};
use mellow_rake::write::{GeneratedFile, Language, Symbols, verilog, vhdl};
use mellow_rake_rig::{Family, HardwareModel, RigError, ToolName, synthesize};
use std::path::Path;

/// The samples of some channels in turn, and what comes out for them.
fn stimulus(checked: &Checked, channels: usize, noise: &mut NoiseSource) -> (Vec<i64>, Vec<i64>) {
    let mut simulators: Vec<_> = (0..channels).map(|_| Simulator::new(checked)).collect();
    (0..72 * channels)
        .map(|index| {
            let word = any_word(noise, checked.input(), false);
            (word, simulators[index % channels].step(word))
        })
        .unzip()
}

#[test]
fn written_hardware_of_every_structure_gives_what_the_simulator_gives() {
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(281);
    let (mut wishes, mut parallel, mut wide, mut staged) = (0, 0, 0, 0);
    let symbols = Symbols::new(&Name::new("swell").unwrap());
    for (number, structure) in Structure::ALL.into_iter().enumerate() {
        let mut held = 0;
        // Not every draw is a filter of the structure.
        for tried in 0..40 * times {
            if tried >= 2 * times && held > 0 {
                break;
            }
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            let checked = &filter.checked;
            let flow = SignalFlow::of(checked).unwrap();
            let resources = any_resources(&mut noise);
            let scheduled = schedule(&flow, resources).unwrap();
            let mut serial = verilog::write_scheduled(&scheduled, checked, &symbols).unwrap();
            serial.extend(vhdl::write_scheduled(&scheduled, checked, &symbols).unwrap());
            let mut texts = vec![(serial, scheduled.interval(), resources)];
            let several = Resources {
                multipliers: noise.integer(2, 5) as usize,
                ..any_resources(&mut noise)
            };
            if let Some(cut) = Staged::of(&flow, several).unwrap() {
                let mut text = verilog::write_staged(&cut, checked, &symbols).unwrap();
                text.extend(vhdl::write_staged(&cut, checked, &symbols).unwrap());
                texts.push((text, cut.interval(), several));
                staged += 1;
            }
            for own in [resources, any_parallel_resources(&mut noise)] {
                let Ok(chain) = Parallel::of(&flow, own) else { continue };
                let mut chained = verilog::write_parallel(&chain, checked, &symbols);
                chained.extend(vhdl::write_parallel(&chain, checked, &symbols));
                texts.push((chained, 1, own));
                parallel += 1;
            }
            let (input, output) = (checked.input(), checked.output());
            for (files, interval, resources) in texts {
                let (words, expected) = stimulus(checked, resources.channels, &mut noise);
                let samples = resources.samples_per_clock;
                let context = || {
                    let texts = (&files[0].text, &files[2].text);
                    format!("{resources:?}\n{}\n{}\n{}", dump(checked), texts.0, texts.1)
                };
                let hold = |model: Result<HardwareModel, RigError>, count: usize| {
                    // Whole clocks.
                    let count = count - count % samples;
                    let (words, expected) = (&words[..count], &expected[..count]);
                    let model = model.unwrap_or_else(|error| panic!("{error}\n{}", context()));
                    let report = model.samples_per_clock(samples).run(words, expected);
                    let report = report.unwrap_or_else(|error| panic!("{error}\n{}", context()));
                    assert_eq!(report.observed, expected, "{}", context());
                    assert_eq!((report.samples, report.mismatches), (words.len(), 0));
                    assert_eq!(report.interval, Some(interval), "{}", context());
                };
                let count = words.len();
                hold(HardwareModel::icarus(&files, input, output), count);
                wishes += 1;
                if held % 3 == 0 || samples > 1 {
                    hold(HardwareModel::ghdl(&files, input, output), count / 2);
                }
                wide += usize::from(samples > 1);
                // Ten seconds' work each; `MELLOW_RAKE_VERILATOR=all` takes the time.
                let is_chosen = (held == 0 && number % 6 == 0) || (samples > 1 && wide == 1);
                if is_chosen || std::env::var_os("MELLOW_RAKE_VERILATOR").is_some() {
                    hold(HardwareModel::verilator(&files, input, output), count);
                }
            }
            held += 1;
        }
        assert!(held > 0, "{structure:?}: {held}");
    }
    println!("{wishes} units");
    println!("{staged} one behind the other");
    assert!(staged > 3, "{staged}");
    println!("{parallel} in parallel, {wide} of them several samples a clock");
    assert!(parallel > wide + 1 && wide > 1, "{parallel} {wide}");
}

/// Whether the VHDL does what it should once GHDL's synthesis has made registers, memories and gates of it:
/// the netlist in its test bench, which is given these words and must see those.
fn gates_give(files: &[GeneratedFile], name: &str, words: [(&[i64], WordFormat); 2]) -> bool {
    let ghdl = ToolName::GHDL.find().expect("GHDL is among the tools of the tests");
    let folder = tempfile::tempdir().unwrap();
    let run = |folder: &Path, arguments: &[&str]| {
        let output = ghdl.command(folder).args(arguments).output().unwrap();
        let messages = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(output.status.success(), "{arguments:?}: {messages}");
        String::from_utf8(output.stdout).unwrap()
    };
    let mut synthesis = vec!["--synth", "--std=08", "--out=vhdl"];
    for file in files {
        std::fs::write(folder.path().join(&file.name), &file.text).unwrap();
        synthesis.extend((!file.name.ends_with("_tb.vhd")).then_some(&file.name[..]));
    }
    let gates = run(folder.path(), &[&synthesis[..], &["-e", name]].concat());
    std::fs::write(folder.path().join("gates.vhd"), gates).unwrap();
    let bench = format!("{name}_tb");
    run(folder.path(), &["-a", "--std=08", "gates.vhd", &format!("{bench}.vhd")]);
    run(folder.path(), &["-e", "--std=08", &bench]);
    for (file, (words, format)) in ["stimulus.hex", "expected.hex"].iter().zip(words) {
        let mask = u64::MAX >> (64 - format.width());
        let digits = format.width().div_ceil(4) as usize;
        let line = |word: &i64| format!("{:0digits$x}\n", *word as u64 & mask);
        let text: String = words.iter().map(line).collect();
        std::fs::write(folder.path().join(file), text).unwrap();
    }
    let said = run(folder.path(), &["-r", "--std=08", &bench]);
    let result = format!("RESULT {} samples, 0 mismatches", words[0].0.len());
    said.contains(&result)
}

/// VHDL is read by synthesizers as its simulators read it: of every kind of unit.
#[test]
fn gates_that_are_made_of_the_vhdl_give_what_the_simulator_gives() {
    // One of each kind; many in a campaign.
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(284);
    let name = "swell";
    let symbols = Symbols::new(&Name::new(name).unwrap());
    let mut held = [0; 4];
    while held.iter().any(|count| *count < times) {
        let filters = any_filters_of_one_format(&mut noise);
        let programs: Vec<&Checked> = filters.iter().map(|one| &one.checked).collect();
        let flows: Vec<_> = programs.iter().map(|one| SignalFlow::of(one).unwrap()).collect();
        let (flow, checked) = (&flows[0], programs[0]);
        let plain = any_resources(&mut noise);
        let several = Resources { multipliers: noise.integer(2, 5) as usize, ..plain };
        let alone = Resources { channels: 1, ..plain };
        let scheduled = schedule(flow, plain).unwrap();
        let cut = Staged::of(flow, several).unwrap();
        let chain = Parallel::of(flow, plain).ok();
        let shared = TimeShared::of(&flows, alone).unwrap();
        // A program whose sums are too wide is written as none of them.
        let all = [
            vhdl::write_scheduled(&scheduled, checked, &symbols).ok(),
            cut.map(|cut| vhdl::write_staged(&cut, checked, &symbols).unwrap()),
            chain.map(|chain| vhdl::write_parallel(&chain, checked, &symbols)),
            vhdl::write_time_shared(&shared, &programs, &symbols).ok(),
        ];
        for (kind, files) in all.into_iter().enumerate() {
            let Some(files) = files.filter(|_| held[kind] < times) else { continue };
            held[kind] += 1;
            let (words, expected) = match kind {
                3 => in_turn(&programs, 48, &mut noise),
                _ => stimulus(checked, plain.channels, &mut noise),
            };
            // A few: the netlist is simulated gate by gate.
            let count = words.len().min(40 * programs.len().max(plain.channels));
            let (words, expected) = (&words[..count], &expected[..count]);
            let given = [(words, checked.input()), (expected, checked.output())];
            assert!(gates_give(&files, name, given), "{plain:?}\n{}", files[0].text);
            // And they are looked at.
            if held[kind] > 1 {
                continue;
            }
            let wrong: Vec<i64> = words.iter().map(|word| !word).collect();
            let given = [(&wrong[..], checked.input()), (expected, checked.output())];
            assert!(!gates_give(&files, name, given), "{plain:?}\n{}", files[0].text);
        }
    }
}

/// Samples of some filters in turn, and what comes out.
fn in_turn(programs: &[&Checked], each: usize, noise: &mut NoiseSource) -> (Vec<i64>, Vec<i64>) {
    let mut simulators: Vec<_> = programs.iter().map(|one| Simulator::new(one)).collect();
    let pair = |index: usize| {
        let word = any_word(noise, programs[0].input(), false);
        (word, simulators[index % programs.len()].step(word))
    };
    (0..each * programs.len()).map(pair).unzip()
}

/// Filters that take turns on one unit, in both languages.
#[test]
fn written_hardware_of_filters_that_take_turns_gives_what_each_gives_alone() {
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(283);
    let symbols = Symbols::new(&Name::new("swell").unwrap());
    let mut held = 0;
    while held < 8 * times {
        let filters = any_filters_of_one_format(&mut noise);
        let programs: Vec<&Checked> = filters.iter().map(|one| &one.checked).collect();
        let flows: Vec<_> = programs.iter().map(|one| SignalFlow::of(one).unwrap()).collect();
        let resources = Resources { channels: 1, ..any_resources(&mut noise) };
        let shared = TimeShared::of(&flows, resources).unwrap();
        let Ok(mut files) = verilog::write_time_shared(&shared, &programs, &symbols) else {
            continue;
        };
        files.extend(vhdl::write_time_shared(&shared, &programs, &symbols).unwrap());
        let (input, output) = (programs[0].input(), programs[0].output());
        let (words, expected) = in_turn(&programs, 64, &mut noise);
        let context = || format!("{resources:?}\n{}", files[0].text);
        let models = [
            Some(HardwareModel::icarus(&files, input, output)),
            (held % 3 == 0).then(|| HardwareModel::ghdl(&files, input, output)),
            (held == 0).then(|| HardwareModel::verilator(&files, input, output)),
        ];
        // The test bench has no gap between some samples.
        let least = shared.filters().iter().map(Scheduled::interval).min();
        for model in models.into_iter().flatten() {
            let model = model.unwrap_or_else(|error| panic!("{error}\n{}", context()));
            let report = model.run(&words, &expected);
            let report = report.unwrap_or_else(|error| panic!("{error}\n{}", context()));
            assert_eq!(report.observed, expected, "{}", context());
            assert_eq!((report.samples, report.mismatches), (words.len(), 0));
            assert!(report.interval >= least, "{least:?} {report:?}\n{}", context());
        }
        held += 1;
    }
}

/// Units whose coefficients can be loaded, in both languages: as they are built, and as another filter that
/// is written to them first.
#[test]
fn written_hardware_is_the_filter_that_was_loaded() {
    let mut noise = NoiseSource::new(282);
    let symbols = Symbols::new(&Name::new("swell").unwrap());
    let mut held = 0;
    let structures = [
        Structure::DirectForm1,
        Structure::DirectForm2,
        Structure::FirDirect,
        Structure::FirFolded,
        Structure::LatticeLadder,
    ];
    for structure in structures {
        let mut of_structure = 0;
        for _ in 0..40 {
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            let checked = &filter.checked;
            let Ok(flow) = SignalFlow::loadable(checked) else { continue };
            let resources = any_resources(&mut noise);
            let Ok(scheduled) = schedule(&flow, resources) else { continue };
            let Ok(mut files) = verilog::write_scheduled(&scheduled, checked, &symbols) else {
                continue;
            };
            files.extend(vhdl::write_scheduled(&scheduled, checked, &symbols).unwrap());
            let map = flow.load_map.as_ref().unwrap();
            let mut datapath = checked.for_any_coefficients().unwrap().datapath().clone();
            for table in &mut datapath.tables {
                let format = table.format;
                // The smallest has no opposite, which the unit may remember.
                let smallest = format.minimum() as i64 + 1;
                let values = table.rows.iter_mut().flatten();
                values.for_each(|v| *v = any_word(&mut noise, format, false).max(smallest));
            }
            let other = datapath.check().unwrap();
            let rows: Vec<_> =
                other.datapath().tables.iter().map(|table| table.rows.clone()).collect();
            let writes = map.writes(&rows).unwrap();
            let (input, output) = (checked.input(), checked.output());
            let context = || format!("{resources:?}\n{}\n{}", dump(checked), files[0].text);
            let (first, second) = (
                stimulus(checked, resources.channels, &mut noise),
                stimulus(&other, resources.channels, &mut noise),
            );
            let models = [
                Some(HardwareModel::icarus(&files, input, output)),
                (of_structure == 0).then(|| HardwareModel::ghdl(&files, input, output)),
                (held % 6 == 0).then(|| HardwareModel::verilator(&files, input, output)),
            ];
            for model in models.into_iter().flatten() {
                let model = model.unwrap_or_else(|error| panic!("{error}\n{}", context()));
                let plain = model.run(&first.0, &first.1);
                let loaded = model.run_loaded(
                    [map.address_bits, map.data_bits],
                    &writes,
                    &second.0,
                    &second.1,
                );
                for (what, report) in [("plain", plain), ("loaded", loaded)] {
                    let context = || format!("{what}, {:?}\n{}", model.compiler(), context());
                    let report = report.unwrap_or_else(|error| panic!("{error}\n{}", context()));
                    assert_eq!(
                        (report.samples, report.mismatches),
                        (first.0.len(), 0),
                        "{}",
                        context()
                    );
                }
            }
            held += 1;
            of_structure += 1;
            if of_structure == 2 {
                break;
            }
        }
    }
    assert!(held >= 9, "{held}");
}

/// What is built has the multipliers and memories that were told, and not many more registers.
#[test]
fn what_synthesizers_build_is_what_was_told() {
    let word = || "s16f15".parse().unwrap();
    let designs = [
        (Structure::DirectForm1, 1, 161),
        (Structure::DirectForm1, 3, 190),
        (Structure::DirectForm2Transposed, 1, 330),
    ];
    for (structure, channels, luts) in designs {
        let wish = Wish::lowpass("1 kHz").cutoff("100 Hz").butterworth(8);
        let study = wish.words(Fixed::new(structure, word()));
        let study = study.hardware(Hardware { channels, ..Hardware::default() }).study().unwrap();
        let HardwareUnit::Serial(scheduled) = &study.hardware().unwrap().unwrap().unit else {
            panic!("a recursion");
        };
        let told = Estimate::of(scheduled).unwrap();
        let files = study.files(&[Language::Verilog]).unwrap();
        // What channels change is the same for all.
        let families = if channels == 1 { &Family::ALL[..] } else { &[Family::Ice40] };
        for family in families.iter().copied() {
            let built = synthesize(family, &files, None).unwrap();
            assert_eq!(built.multipliers, told.multipliers, "{built:?}");
            assert!((2..=3).contains(&built.rams), "{built:?}");
            // Marks are not told: one for each stage of the way, for each of some kinds.
            let marks = 10 * scheduled.schedule().depth() as u64;
            assert!(built.registers as u64 <= told.register_bits() + marks, "{built:?} {told:?}");
            if family == Family::Ice40 {
                assert!(built.luts <= luts && built.clock_hz.unwrap() > 30e6, "{built:?}");
            }
        }
    }
}
