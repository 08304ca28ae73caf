//! `mrake measure --modulated`

use super::signal::plan_file;
use crate::arguments::Measure;
use crate::bench::{Pair, ask, recorded};
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::{Loaded, read_mask};
use crate::print;
use mellow_rake::datapath::Simulator;
use mellow_rake::signal::{SignalPlan, SpectrumWish, spectrum};
use mellow_rake_files::{Values, words};
use mellow_rake_report::{figure, page};
use std::path::Path;

pub(super) fn run(options: &Measure, path: &Path) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    let plan = plan_file(path)?;
    let call = |what: &dyn std::fmt::Display| Failure::Call(format!("{}: {what}", path.display()));
    loaded.study.part_with_symbols(&plan).map_err(|error| call(&error))?;
    let ((input, output), behind) = signals(options, &loaded, &plan, path)?;
    let wish = SpectrumWish::for_length(output.len());
    let found = spectrum(&output, loaded.study.spec.sample_rate, wish);
    let found = found.map_err(|error| call(&error))?;
    let (mask, margin) = read_mask(options.mask.as_deref(), &found)?.unzip();
    let error_limit_db = options.error_limit.map(|limit| limit.decibels());
    let object = loaded
        .study
        .received(&plan, (&input, &output), behind, error_limit_db, margin)
        .map_err(|error| call(&error))?;
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

/// What goes into the filter and what comes out, and what it lies behind.
fn signals(
    options: &Measure,
    loaded: &Loaded,
    plan: &SignalPlan,
    path: &Path,
) -> Result<(Pair, &'static str), Failure> {
    if options.recording.is_some() {
        return Ok((recorded(options, loaded)?, "the recording"));
    }
    const MOST: u64 = 1 << 24;
    if plan.samples > MOST {
        let (path, found) = (path.display(), plan.samples);
        return Err(Failure::Call(format!("{path}: {found} samples; up to {MOST} are measured")));
    }
    let samples = plan.start().next_block(MOST as usize);
    let values = match plan.converter {
        Some(converter) => Values::Integers(converter.start().convert(&samples)),
        None => Values::Reals(samples),
    };
    let Some(implementation) = loaded.implementation()? else {
        if options.device.is_some() {
            loaded.need_implementation("measure --device")?;
        }
        let input = values.reals();
        let output = loaded.study.design.form.start().run(&input);
        return Ok(((input, output), "the filter in floating point"));
    };
    let fixed = implementation.fixed;
    let input = words(path, &values, 0, fixed.input)?;
    if options.device.is_some() {
        return Ok((ask(options, fixed, input)?, "the program"));
    }
    let output = Simulator::new(&implementation.checked).run(&input);
    let scaled =
        |words: Vec<i64>, step: f64| words.into_iter().map(|word| word as f64 * step).collect();
    let pair = (scaled(input, fixed.input.step()), scaled(output, fixed.output.step()));
    Ok((pair, "the filter on integers"))
}
