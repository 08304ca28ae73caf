//! `mrake run`

use crate::arguments::Run;
use crate::failure::{Failure, Outcome};
use crate::figures::{self, Trace, density_panel, liveliest, time_panel};
use crate::load::{Loaded, Recording};
use crate::print::{self, wrapped};
use mellow_rake::analysis::measure_time;
use mellow_rake::datapath::Simulator;
use mellow_rake::filter::PhaseResponse;
use mellow_rake::signal::{SpectrumError, SpectrumWish, spectrum, zero_phase};
use mellow_rake_figures::{Pen, Sheet, draw};
use mellow_rake_files::{Column, Values, write_columns, write_whole};
use serde::Serialize;
use std::path::Path;

#[derive(Serialize)]
struct RunObject {
    name: String,
    mode: &'static str,
    input: String,
    output: String,
    column: String,
    samples: usize,
    sample_rate_hz: f64,
    limited_samples: Option<u64>,
    latency_samples: u32,
    delay_removed_samples: usize,
    delay_left_samples: Option<f64>,
    settling_samples: usize,
    affected_at_each_end: Option<usize>,
}

/// A filtered recording.
struct Filtered {
    before: Values,
    after: Values,
    limited: Option<u64>,
    /// Samples at either end of a zero-phase run that depend on what is assumed beyond it.
    affected: Option<usize>,
}

pub(crate) fn run(options: &Run) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    let rate = loaded.spec.sample_rate;
    let recording = Recording::file(&options.input, options.column.as_deref(), rate)?;
    let removed = if options.remove_delay { delay(&loaded)? } else { 0 };
    let Filtered { before, after, limited, affected } =
        filtered(options, &loaded, &recording, removed)?;
    let form = &loaded.design.form;
    // Taps have settled once they are full; a peak of 1 serves, as only the settling is asked for.
    let settling = measure_time(form, 1.0, rate).settling_samples;
    let unsettled = if options.zero_phase { 0 } else { settling.saturating_sub(removed) };
    if let Some(path) = &options.figure {
        draw_both(
            path,
            &loaded,
            &recording.name,
            &before.reals(),
            &scaled(&loaded, options, &before, &after),
            unsettled,
        )?;
        eprintln!("{} written", path.display());
    }
    let samples = before.len();
    let times = (0..samples).map(|n| n as f64 / rate.hertz()).collect();
    let column = |name: String, values| Column { name, values };
    let columns = [
        column("time_s".to_owned(), Values::Reals(times)),
        column(recording.name.clone(), before),
        column(format!("{}_filtered", recording.name), after),
    ];
    write_whole(&options.output, write_columns(&columns).as_bytes())?;
    let mode = match (options.bit_true, options.zero_phase) {
        (true, _) => "bit-true",
        (_, true) => "forward and backward",
        _ => "floating point",
    };
    let (input, output) =
        (options.input.display().to_string(), options.output.display().to_string());
    let left = form.taps().map(|taps| taps.group_delay(0.0) - removed as f64);
    if options.json {
        print::json(&RunObject {
            name: loaded.spec.name.to_string(),
            mode,
            input,
            output,
            column: recording.name,
            samples,
            sample_rate_hz: rate.hertz(),
            limited_samples: limited,
            latency_samples: 0,
            delay_removed_samples: removed,
            delay_left_samples: left.filter(|_| options.remove_delay),
            settling_samples: unsettled,
            affected_at_each_end: affected,
        })?;
        return Ok(Outcome::Held);
    }
    let limits = match limited {
        Some(count) if count > 0 => format!("; limits acted in {count} samples"),
        Some(_) => "; no limit acted".to_owned(),
        None => String::new(),
    };
    let mut text = format!(
        "{output}: {samples} samples of `{}` through {} ({mode}{limits})\n",
        recording.name, loaded.spec.name
    );
    if let Some(affected) = affected {
        let line = format!(
            "  every attenuation in decibels counts twice; the first and the last {affected} samples depend on what is assumed \
             beyond the ends: the recording turned about its last sample"
        );
        text.push_str(&wrapped(&line, 4));
    } else {
        text.push_str(&format!("  the first {unsettled} samples are the filter's start-up\n"));
    }
    if options.remove_delay {
        let left = left.unwrap_or(0.0);
        let line = format!(
            "  {removed} samples of delay taken off, {left} left; the last {removed} samples are the answer to the last one held"
        );
        text.push_str(&wrapped(&line, 4));
    }
    print::text(&text)?;
    Ok(Outcome::Held)
}

/// The whole samples of a delay that is the same at every frequency.
fn delay(loaded: &Loaded) -> Result<usize, Failure> {
    let taps = loaded.design.form.taps().filter(|taps| taps.linear_phase().is_some());
    let taps = taps.ok_or_else(|| {
        Failure::Call(format!(
            "{}: --remove-delay: the delay of this filter is not the same at every frequency; --zero-phase has none, and \
             taps of linear phase have one that can be taken off",
            loaded.path.display()
        ))
    })?;
    Ok(taps.group_delay(0.0) as usize)
}

fn filtered(
    options: &Run,
    loaded: &Loaded,
    recording: &Recording,
    removed: usize,
) -> Result<Filtered, Failure> {
    if options.bit_true {
        let implementation = loaded.need_implementation("run --bit-true")?;
        let mut words = recording.words(implementation.fixed.input)?;
        let count = words.len();
        words.extend(std::iter::repeat_n(words[count - 1], removed));
        let mut simulator = Simulator::new(&implementation.checked);
        let output = simulator.run(&words).split_off(removed);
        words.truncate(count);
        return Ok(Filtered {
            before: Values::Integers(words),
            after: Values::Integers(output),
            limited: Some(simulator.limited_samples()),
            affected: None,
        });
    }
    let mut samples = recording.values.reals();
    let before = recording.values.clone();
    if options.zero_phase {
        let found = zero_phase(&loaded.design.form, &samples);
        let (after, affected) = (Values::Reals(found.samples), Some(found.affected));
        return Ok(Filtered { before, after, limited: None, affected });
    }
    samples.extend(std::iter::repeat_n(samples[samples.len() - 1], removed));
    let output = loaded.design.form.start().run(&samples).split_off(removed);
    Ok(Filtered { before, after: Values::Reals(output), limited: None, affected: None })
}

/// The output in the unit of the input: words of another format in steps of the input word.
fn scaled(loaded: &Loaded, options: &Run, before: &Values, after: &Values) -> Vec<f64> {
    let scale = match (loaded.spec.fixed, before) {
        (Some(fixed), Values::Integers(_)) if options.bit_true => {
            fixed.output.step() / fixed.input.step()
        }
        _ => 1.0,
    };
    after.reals().into_iter().map(|y| y * scale).collect()
}

/// The record before and after, its liveliest stretch, and both spectra.
fn draw_both(
    path: &Path,
    loaded: &Loaded,
    name: &str,
    before: &[f64],
    after: &[f64],
    unsettled: usize,
) -> Result<(), Failure> {
    let format = figures::format(path)?;
    let rate = loaded.spec.sample_rate;
    let wrong = |error: SpectrumError| Failure::Call(format!("{}: {error}", path.display()));
    let density = |samples: &[f64]| {
        spectrum(samples, rate, SpectrumWish::for_length(samples.len())).map_err(wrong)
    };
    let spectra = [density(before)?, density(after)?];
    let traces = [
        Trace { name: "before", pen: Pen::Light, samples: before },
        Trace { name: "after", pen: Pen::Over, samples: after },
    ];
    let time = |title: &str, part: std::ops::Range<usize>| {
        time_panel(title, name, 1.0 / rate.hertz(), &traces, &part, unsettled)
    };
    let panels = vec![
        time("the whole record", 0..before.len()),
        time("a closer look", liveliest(before, 500)),
        density_panel(&[("before", Pen::Light, &spectra[0]), ("after", Pen::Over, &spectra[1])]),
    ];
    let title = format!("{name}, before and after {}", loaded.spec.name);
    write_whole(path, &draw(&Sheet { title, panels }, format)?)?;
    Ok(())
}
