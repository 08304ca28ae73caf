//! `mrake measure --modulated`

use super::signal::plan_file;
use crate::arguments::Measure;
use crate::bench::{Pair, ask, recorded};
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::{AnySpec, Loaded, read_mask};
use crate::print;
use mellow_rake::datapath::Simulator;
use mellow_rake::signal::{SignalPlan, SpectrumWish, spectrum_of_words};
use mellow_rake::study::{ChainStudy, ErrorLimits, NotReceived, Passed, Received};
use mellow_rake::units::SampleRate;
use mellow_rake_files::{Values, words};
use mellow_rake_report::{figure, page};
use std::path::Path;

pub(super) fn run(options: &Measure, path: &Path) -> Result<Outcome, Failure> {
    let plan = plan_file(path)?;
    match AnySpec::file(&options.spec)? {
        AnySpec::Filter(loaded) => of_filter(options, &loaded, &plan, path),
        AnySpec::Chain(study) => of_chain(options, &study, &plan, path),
    }
}

fn of_filter(
    options: &Measure,
    loaded: &Loaded,
    plan: &SignalPlan,
    path: &Path,
) -> Result<Outcome, Failure> {
    let study = &loaded.study;
    study.part_with_symbols(plan, options.part).map_err(|error| call(path, &error))?;
    let signals = signals(options, loaded, plan, path)?;
    told(options, path, study.spec.sample_rate, &signals, |passed, limits| {
        study.received(plan, passed, limits)
    })
}

fn of_chain(
    options: &Measure,
    study: &ChainStudy,
    plan: &SignalPlan,
    path: &Path,
) -> Result<Outcome, Failure> {
    let asked =
        [("--device", options.device.is_some()), ("--recording", options.recording.is_some())];
    if let Some((option, _)) = asked.iter().find(|(_, is_asked)| *is_asked) {
        return Err(Failure::Call(format!(
            "{}: {option} is for one filter, and this is a chain of stages",
            options.spec.display()
        )));
    }
    study.part_with_symbols(plan, options.part).map_err(|error| call(path, &error))?;
    let mut signals = chain_signals(study, plan, path)?;
    // Of several carriers that of the part.
    let own = study.of_part(plan, options.part, &signals.output);
    let own = own.map_err(|error| call(path, &error))?;
    if own.len() < signals.output.len() {
        signals.shown = Some(own);
    }
    told(options, path, study.chain().output_rate(), &signals, |passed, limits| {
        study.received(plan, passed, limits)
    })
}

/// What goes into a chain and what comes out.
pub(super) fn chain_signals(
    study: &ChainStudy,
    plan: &SignalPlan,
    path: &Path,
) -> Result<Signals, Failure> {
    let symbols = study.symbols_in(plan).map_err(|error| call(path, &error))?;
    let values = match (symbols, study.integers()) {
        (None, _) => sent(plan, path)?,
        (Some(symbols), None) => Values::Reals(symbols),
        (Some(symbols), Some((found, _))) => {
            let format = found.network.input();
            let (low, high) = (format.minimum() as i64, format.maximum() as i64);
            let word = |x: &f64| ((x / format.step()).round() as i64).clamp(low, high);
            Values::Integers(symbols.iter().map(word).collect())
        }
    };
    let words_out = study.chain().lanes_out();
    let is_complex = words_out == 2 * study.chain().channels();
    Ok(match study.integers() {
        None => {
            let input = values.reals();
            let output = study.chain().start().run(&input);
            let behind = "the chain in floating point";
            Signals {
                input,
                output,
                designed: None,
                behind,
                shown: None,
                words: words_out,
                is_complex,
            }
        }
        Some((found, _)) => {
            let network = &found.network;
            let words = words(path, &values, 0, network.input())?;
            let input = scaled(&words, network.input().step());
            let output = scaled(&network.start().run(&words), network.output().step());
            let designed = Some(study.chain().start().run(&input));
            let behind = "the chain on integers";
            Signals { input, output, designed, behind, shown: None, words: words_out, is_complex }
        }
    })
}

fn call(path: &Path, what: &dyn std::fmt::Display) -> Failure {
    Failure::Call(format!("{}: {what}", path.display()))
}

/// What goes in, what comes out, and what it lies behind.
pub(super) struct Signals {
    pub(super) input: Vec<f64>,
    pub(super) output: Vec<f64>,
    pub(super) designed: Option<Vec<f64>>,
    pub(super) behind: &'static str,
    /// Complex samples of which the spectrum is shown, where that is not all that comes out.
    shown: Option<Vec<f64>>,
    /// Words side by side in a sample that comes out.
    words: usize,
    /// Whether the first two of these are the parts of a complex one.
    is_complex: bool,
}

/// Says what was received of signals, whose output has this rate.
fn told(
    options: &Measure,
    path: &Path,
    rate: SampleRate,
    signals: &Signals,
    receive: impl FnOnce(Passed<'_>, ErrorLimits) -> Result<Received, NotReceived>,
) -> Result<Outcome, Failure> {
    let Signals { input, output, designed, behind, shown, words, is_complex } = signals;
    // Of several channels the first.
    let (of, words, is_complex) = match shown {
        Some(own) => (own, 2, true),
        None => (output, *words, *is_complex),
    };
    let wish = SpectrumWish::for_length(of.len() / words);
    let found = spectrum_of_words(of, words, is_complex, rate, wish);
    let found = found.map_err(|error| call(path, &error))?;
    let (mask, margin) = read_mask(options.mask.as_deref(), &found)?.unzip();
    let error_db = options.error_limit.map(|limit| limit.decibels());
    let part = options.part;
    let passed = Passed { input, output, designed: designed.as_deref(), behind, part };
    let adjacent_db = options.adjacent_limit.map(|limit| limit.decibels());
    let spacing_hz = options.spacing.map(|spacing| spacing.hertz(rate));
    let object = receive(passed, ErrorLimits { error_db, adjacent_db, spacing_hz, mask: margin })
        .map_err(|error| call(path, &error))?;
    figures::write(options.figure.as_deref(), || {
        Ok(figure::received(&object, &found, mask.as_ref()))
    })?;
    if options.json {
        print::json(&object)?;
    } else {
        print::page(&page::received(&object))?;
    }
    Ok(Outcome::of(object.held))
}

/// The samples of a plan.
fn sent(plan: &SignalPlan, path: &Path) -> Result<Values, Failure> {
    const MOST: u64 = 1 << 24;
    if plan.samples > MOST {
        let (path, found) = (path.display(), plan.samples);
        return Err(Failure::Call(format!("{path}: {found} samples; up to {MOST} are measured")));
    }
    let samples = plan.start().next_block(MOST as usize);
    Ok(match plan.converter {
        Some(converter) => Values::Integers(converter.start().convert(&samples)),
        None => Values::Reals(samples),
    })
}

fn scaled(words: &[i64], step: f64) -> Vec<f64> {
    words.iter().map(|word| *word as f64 * step).collect()
}

/// What goes into the filter and what comes out, and what it lies behind.
fn signals(
    options: &Measure,
    loaded: &Loaded,
    plan: &SignalPlan,
    path: &Path,
) -> Result<Signals, Failure> {
    let of_one = || Signals {
        input: Vec::new(),
        output: Vec::new(),
        designed: None,
        behind: "the filter on integers",
        shown: None,
        words: 1,
        is_complex: false,
    };
    let plain = |(input, output): Pair, behind| Signals { input, output, behind, ..of_one() };
    if options.recording.is_some() {
        return Ok(plain(recorded(options, loaded)?, "the recording"));
    }
    let values = sent(plan, path)?;
    let Some(implementation) = loaded.implementation()? else {
        if options.device.is_some() {
            loaded.need_implementation("measure --device")?;
        }
        let input = values.reals();
        let output = loaded.study.design.form.start().run(&input);
        return Ok(plain((input, output), "the filter in floating point"));
    };
    let fixed = implementation.fixed;
    let words = words(path, &values, 0, fixed.input)?;
    if options.device.is_some() {
        return Ok(plain(ask(options, fixed, words)?, "the program"));
    }
    let output = Simulator::new(&implementation.checked).run(&words);
    let (input, output) =
        (scaled(&words, fixed.input.step()), scaled(&output, fixed.output.step()));
    let designed = Some(loaded.study.design.form.start().run(&input));
    Ok(Signals { input, output, designed, ..of_one() })
}
