//! `mrake measure --modulated`: what becomes of keyed symbols.

use super::signal::plan_file;
use crate::arguments::Measure;
use crate::bench::{Pair, ask, recorded};
use crate::failure::{Failure, Outcome};
use crate::figures::{self, density_panel, mask_series};
use crate::load::{Loaded, read_mask, words};
use crate::print::{self, number, table, wrapped};
use crate::text::units::hertz;
use mellow_rake::datapath::Simulator;
use mellow_rake::signal::{
    CarrierError, Mask, MaskMargin, SignalPlan, Spectrum, SpectrumWish, VectorError, Waveform,
    delay_between, measure_vector_error, spectrum,
};
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet, draw};
use mellow_rake_files::{Values, write_whole};
use num_complex::Complex64;
use serde::Serialize;
use std::path::Path;

#[derive(Serialize)]
struct ModulatedObject<'a> {
    name: String,
    signal: String,
    behind: &'static str,
    samples: usize,
    symbols: usize,
    delay_samples: f64,
    before: ErrorObject,
    after: ErrorObject,
    carriers: &'a [CarrierError],
    error_limit_db: Option<f64>,
    mask: Option<MaskMargin>,
    held: bool,
    received: Vec<[f64; 2]>,
    sent: Vec<[f64; 2]>,
}

#[derive(Serialize)]
struct ErrorObject {
    rms: f64,
    rms_db: f64,
    largest: f64,
    equalized_rms: f64,
}

impl ErrorObject {
    fn of(error: &VectorError) -> Self {
        let VectorError { rms, largest, equalized_rms, .. } = *error;
        ErrorObject { rms, rms_db: 20.0 * rms.log10(), largest, equalized_rms }
    }
}

pub(super) fn run(options: &Measure, path: &Path) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    let rate = loaded.spec.sample_rate;
    let plan = plan_file(path)?;
    let call = |what: String| Failure::Call(format!("{}: {what}", path.display()));
    if plan.sample_rate.hertz() != rate.hertz() {
        let (found, wanted) = (plan.sample_rate.hertz(), rate.hertz());
        return Err(call(format!("the plan has {found} samples per second, the spec {wanted}")));
    }
    let is_keyed =
        |waveform: &Waveform| matches!(waveform, Waveform::Keyed(_) | Waveform::Multicarrier(_));
    let part = plan.parts.iter().find(|part| is_keyed(&part.waveform)).ok_or_else(|| {
        call("no part has symbols; kind = \"keyed\" and kind = \"multicarrier\" have".to_owned())
    })?;
    let ((input, output), behind) = signals(options, &loaded, &plan, path)?;
    let delay = delay_between(&input, &output);
    let missed = || call("no symbols were received".to_owned());
    let before = measure_vector_error(part, &input, 0, rate).ok_or_else(missed)?;
    let after = measure_vector_error(part, &output, delay, rate).ok_or_else(missed)?;
    let wish = SpectrumWish::for_length(output.len());
    let found = spectrum(&output, rate, wish).map_err(|error| call(error.to_string()))?;
    let (mask, margin) = read_mask(options.mask.as_deref(), &found)?.unzip();
    let error_limit_db = options.error_limit.map(|limit| limit.decibels());
    let error = ErrorObject::of(&after);
    let held = error_limit_db.is_none_or(|limit| error.rms_db <= limit)
        && margin.is_none_or(|margin| margin.above == 0);
    let pairs = |all: &[Complex64]| all.iter().map(|z| [z.re, z.im]).collect();
    let object = ModulatedObject {
        name: loaded.spec.name.to_string(),
        signal: plan.name.to_string(),
        behind,
        samples: output.len(),
        symbols: after.symbols,
        delay_samples: after.delay_samples - before.delay_samples,
        before: ErrorObject::of(&before),
        after: error,
        carriers: &after.carriers,
        error_limit_db,
        mask: margin,
        held,
        received: pairs(&after.received),
        sent: pairs(&after.sent),
    };
    if let Some(file) = &options.figure {
        let sheet = sheet(&object, (&before, &after), &found, mask.as_ref());
        write_whole(file, &draw(&sheet, figures::format(file)?)?)?;
        print::note(&format!("{} written", file.display()));
    }
    if options.json {
        print::json(&object)?;
    } else {
        print::text(&text(&object))?;
    }
    Ok(Outcome::of(held))
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
    let implementation = loaded.implementation()?;
    let Some(implementation) = implementation else {
        if options.device.is_some() {
            loaded.need_implementation("measure --device")?;
        }
        let input = values.reals();
        let output = loaded.design.form.start().run(&input);
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

/// The symbols before and after, each carrier, and the spectrum.
fn sheet(
    object: &ModulatedObject<'_>,
    (before, after): (&VectorError, &VectorError),
    found: &Spectrum,
    mask: Option<&Mask>,
) -> Sheet {
    let reach = |error: &VectorError| {
        let sizes = error.received.iter().map(|z| z.re.abs().max(z.im.abs()));
        sizes.fold(1.2, f64::max) * 1.1
    };
    let symbols = |title: &str, error: &VectorError| {
        let end = reach(error);
        let x = Axis::linear("in phase", "", (-end, end));
        let y = Axis::linear("in quadrature", "", (-end, end));
        let dots = error.received.iter().map(|z| (z.re, z.im)).collect();
        let mut ideal: Vec<(f64, f64, usize)> = Vec::new();
        for z in &error.sent {
            if !ideal.iter().any(|known| (known.0, known.1) == (z.re, z.im)) {
                ideal.push((z.re, z.im, 1));
            }
        }
        let series = |name: &str, pen, shape| Series { name: name.to_owned(), pen, shape };
        Panel {
            has_circle: true,
            series: vec![
                series("sent", Pen::Light, Shape::Poles(ideal)),
                series("received", Pen::Over, Shape::Dots(dots)),
            ],
            ..Panel::new(title, x, y)
        }
    };
    let title = |name: &str, error: &VectorError| {
        format!("{name}: error {:.2} %, {:.1} dB", 100.0 * error.rms, 20.0 * error.rms.log10())
    };
    let mut density = density_panel(&[("", Pen::Over, found)]);
    density.series.extend(mask.map(|mask| mask_series(mask, found)));
    let mut panels = vec![
        symbols(&title("before", before), before),
        symbols(&title("after", after), after),
        errors(before, after),
    ];
    if after.carriers.len() > 1 {
        let percent = |carrier: &CarrierError| (carrier.hertz, 100.0 * carrier.rms);
        let points: Vec<(f64, f64)> = after.carriers.iter().map(percent).collect();
        let most = points.iter().map(|point| point.1).fold(1e-6, f64::max);
        let ends = (points[0].0, points[points.len() - 1].0);
        let air = 0.03 * (ends.1 - ends.0);
        let x = Axis::linear("frequency", "Hz", (ends.0 - air, ends.1 + air));
        let y = Axis::linear("error vector, rms", "%", (0.0, 1.1 * most));
        let shape = Shape::Stems(points);
        let series = vec![Series { name: String::new(), pen: Pen::Over, shape }];
        panels.push(Panel { series, ..Panel::new("each carrier, equalized", x, y) });
    }
    panels.push(density);
    let title = format!("{} behind {}: {} symbols", object.signal, object.name, object.symbols);
    Sheet { title, panels }
}

/// What was received less what was sent, close enough to be seen.
fn errors(before: &VectorError, after: &VectorError) -> Panel {
    let cloud = |error: &VectorError| -> Vec<(f64, f64)> {
        let pairs = error.received.iter().zip(&error.sent);
        pairs.map(|(r, s)| (100.0 * (r.re - s.re), 100.0 * (r.im - s.im))).collect()
    };
    let (before, after) = (cloud(before), cloud(after));
    let sizes = before.iter().chain(&after).map(|(x, y)| x.abs().max(y.abs()));
    let end = sizes.fold(0.01, f64::max) * 1.1;
    let axis = |name: &str| Axis::linear(name, "%", (-end, end));
    let series =
        |name: &str, pen, points| Series { name: name.to_owned(), pen, shape: Shape::Dots(points) };
    let title = "error vectors, each carrier equalized; circle: 1 %";
    Panel {
        has_circle: true,
        series: vec![series("received", Pen::Over, after), series("before", Pen::Light, before)],
        ..Panel::new(title, axis("in phase"), axis("in quadrature"))
    }
}

fn text(object: &ModulatedObject<'_>) -> String {
    let mut text = format!(
        "{}, {} symbols, before and behind {} ({}), {:.2} samples late\n\n",
        object.signal, object.symbols, object.name, object.behind, object.delay_samples
    );
    let row = |name: &str, pick: fn(&ErrorObject) -> f64, digits: usize| {
        let value = |error| number(Some(pick(error)), digits);
        vec![name.to_owned(), value(&object.before), value(&object.after)]
    };
    let rows = [
        row("error vector, rms, %", |error| 100.0 * error.rms, 3),
        row("error vector, rms, dB", |error| error.rms_db, 2),
        row("largest, %", |error| 100.0 * error.largest, 3),
        row("rms with each carrier equalized, %", |error| 100.0 * error.equalized_rms, 3),
    ];
    text.push_str(&table(&["one gain and phase for all", "before", "after"], &rows));
    let line = "  before: what the pulses lose by being cut off, what noise and other parts of the signal add, and the converter's steps";
    text.push_str(&wrapped(line, 4));
    if object.carriers.len() > 1 {
        let mut worst: Vec<&CarrierError> = object.carriers.iter().collect();
        worst.sort_by(|a, b| b.rms.total_cmp(&a.rms));
        let row = |carrier: &&CarrierError| {
            vec![
                hertz(carrier.hertz),
                number(Some(100.0 * carrier.rms), 3),
                number(Some(carrier.gain_db), 3),
                number(Some(carrier.phase_degrees), 2),
            ]
        };
        let rows: Vec<Vec<String>> = worst.iter().take(6).map(row).collect();
        text.push_str("\nThe carriers with the largest errors, each equalized by itself\n");
        text.push_str(&table(&["carrier, Hz", "error, %", "gain, dB", "phase, degrees"], &rows));
    }
    if let Some(limit) = object.error_limit_db {
        let verdict = if object.after.rms_db <= limit { "within" } else { "NOT within" };
        text.push_str(&format!("  {verdict} {limit} dB\n"));
    }
    if let Some(margin) = &object.mask {
        text.push_str(&wrapped(&format!("  {}", crate::text::mask(margin)), 4));
    }
    text
}
