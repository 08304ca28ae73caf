//! From a wish to what is written.

use crate::wish::{Draw, spec_text};
use mellow_rake::datapath::Simulator;
use mellow_rake::design::design;
use mellow_rake::filter::Form;
use mellow_rake::float::{FloatFilter, FloatFormat, FloatSimulator, FloatStructure};
use mellow_rake::hardware::{FlowSimulator, HardwareError, HardwareUnit, SignalFlow, choose};
use mellow_rake::implementation::{Goal, Implementation, implement_toward};
use mellow_rake::spec::Spec;
use mellow_rake::verify;
use mellow_rake::write::{GeneratedFile, Symbols, c, rust, verilog, vhdl};

/// Samples that each filter is run on.
const SAMPLES: usize = 64;

pub(crate) fn chain(bytes: &[u8]) {
    let mut draw = Draw(bytes);
    let text = spec_text(&mut draw);
    let Ok(spec) = Spec::parse(&text) else { return };
    let Ok(design) = design(&spec) else { return };
    in_float(&design.form, &spec, &text);
    let Some(fixed) = spec.fixed else { return };
    let goal = Goal::of(&spec, &design);
    let Ok(filter) = implement_toward(&design.form, fixed, &goal) else { return };
    let input: Vec<i64> = (0..SAMPLES)
        .map(|_| {
            let share = i128::from(draw.byte());
            let [low, high] = [fixed.input.minimum(), fixed.input.maximum()];
            (low + (high - low) * share / 255) as i64
        })
        .collect();
    run(&filter, &input, &text);
    let (_, error) = verify::judge(&filter, &design.form, &input);
    if let (Some(bound), true) = (error.bound_lsb, filter.no_limit_acts()) {
        assert!(error.largest_lsb <= bound, "{} LSB, bound {bound}: {text}", error.largest_lsb);
    }
    written(&filter, &spec, &text);
    in_hardware(&filter, &spec, &input, &text);
}

/// On shared multipliers: the tasks give what the program gives, the schedule is right, the text is plain.
fn in_hardware(filter: &Implementation, spec: &Spec, input: &[i64], text: &str) {
    let wish = spec.hardware.unwrap_or_default();
    let flow = match wish.loads_coefficients {
        true => SignalFlow::loadable(&filter.checked),
        false => SignalFlow::of(&filter.checked),
    };
    let Ok(flow) = flow else { return };
    let (mut tasks, mut simulator) = (FlowSimulator::new(&flow), Simulator::new(&filter.checked));
    for word in &input[..input.len().min(200)] {
        assert_eq!(tasks.step(*word), simulator.step(*word), "{text}");
    }
    let Ok(choice) = choose(&flow, &wish, spec.sample_rate) else { return };
    let symbols = Symbols::new(&spec.name);
    let write = || {
        let checked = &filter.checked;
        let both = match &choice.unit {
            HardwareUnit::Serial(unit) => [
                verilog::write_scheduled(unit, checked, &symbols)?,
                vhdl::write_scheduled(unit, checked, &symbols)?,
            ],
            HardwareUnit::Staged(staged) => [
                verilog::write_staged(staged, checked, &symbols)?,
                vhdl::write_staged(staged, checked, &symbols)?,
            ],
            HardwareUnit::Parallel(chain) => [
                verilog::write_parallel(chain, checked, &symbols),
                vhdl::write_parallel(chain, checked, &symbols),
            ],
        };
        Ok::<_, HardwareError>(both.concat())
    };
    if let (Ok(files), Ok(again)) = (write(), write()) {
        held(&files, &again, text);
    }
}

/// Both ways of running give the same words, and each stays within what is proved of it.
fn run(filter: &Implementation, input: &[i64], text: &str) {
    let checked = &filter.checked;
    let output = Simulator::new(checked).run(input);
    let mut reference = Simulator::reference(checked);
    assert_eq!(output, reference.run(input), "{text}");
    let format = checked.output();
    assert!(output.iter().all(|word| format.holds((*word).into())), "{text}");
    if filter.no_limit_acts() {
        assert_eq!(reference.limited_samples(), 0, "{text}");
    }
}

/// What is written is plain text with no line beyond all measure, and the same every time.
fn written(filter: &Implementation, spec: &Spec, text: &str) {
    let symbols = Symbols::new(&spec.name);
    let write = || -> Vec<GeneratedFile> {
        let of_samples = "a filter takes one word and gives one";
        let mut files = verilog::write(&filter.checked, &symbols).expect(of_samples);
        files.extend(vhdl::write(&filter.checked, &symbols).expect(of_samples));
        files.extend(c::write(&filter.checked, &symbols).unwrap_or_default());
        files.extend(rust::write(&filter.checked, &symbols).unwrap_or_default());
        files
    };
    held(&write(), &write(), text);
}

/// In every format and structure of floating point that takes it: numbers of the format come out, and plain
/// text.
fn in_float(form: &Form, spec: &Spec, text: &str) {
    let symbols = Symbols::new(&spec.name);
    for format in FloatFormat::ALL {
        for structure in FloatStructure::ALL {
            let Ok(filter) = FloatFilter::new(form, format, structure) else { continue };
            let input = (0..SAMPLES).map(|n| if n % 7 < 3 { 1.0 } else { -1e-40 });
            let output = FloatSimulator::new(&filter).run(&input.collect::<Vec<f64>>());
            assert!(output.iter().all(|y| y.is_nan() || format.nearest(*y) == *y), "{text}");
            let write = || {
                let mut files = c::write_float(&filter, &symbols);
                files.extend(rust::write_float(&filter, &symbols));
                files
            };
            held(&write(), &write(), text);
        }
    }
}

fn held(files: &[GeneratedFile], again: &[GeneratedFile], text: &str) {
    assert!(!files.is_empty());
    for (file, again) in files.iter().zip(again) {
        assert_eq!(file.text, again.text);
        let is_plain = |byte: u8| byte == b'\n' || (b' '..=b'~').contains(&byte);
        assert!(file.text.bytes().all(is_plain), "{}: {text}", file.name);
        assert!(!file.text.contains(['\u{7f}']) && file.text.ends_with('\n'), "{text}");
    }
}
