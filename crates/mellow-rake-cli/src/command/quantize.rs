//! `mrake quantize`: what the words do to the filter, on one page.

use crate::arguments::{Quantize, Sweep};
use crate::failure::{Failure, Outcome};
use crate::figures::{self, View, Wishes};
use crate::load::Loaded;
use crate::measured::Measured;
use crate::print::{self, number, table, wrapped};
use crate::stream::progress;
use crate::text::words;
use mellow_rake::analysis::{Change, Report, adaptive_grid, measure_time, sensitivity};
use mellow_rake::datapath::{CycleSearch, LimitCycle, zero_input_cycles};
use mellow_rake::fixed::WordFormat;
use mellow_rake::implementation::{Implementation, implement_toward};
use mellow_rake::signal::{NoiseSource, SpectrumWish, spectrum};
use mellow_rake::spec::{ArrangementWish, Fixed, IntegerWish, Structure};
use mellow_rake::verify::{WordNoise, constant_input_error, measure_word_noise};
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet, draw};
use mellow_rake_files::write_whole;
use rayon::prelude::*;
use serde::Serialize;

/// Samples of white noise that the filter is measured on.
const SAMPLES: usize = 65_536;

#[derive(Serialize)]
struct QuantizeObject<'a> {
    name: String,
    structure: &'static str,
    coefficients: WordFormat,
    state: Option<WordFormat>,
    template_margin_db: [Option<f64>; 2],
    most_sensitive: Option<MattersObject>,
    noise: NoiseObject,
    oscillations: Option<&'a [SectionCycles]>,
    structures: &'a [StructureRow],
    sweep: Option<&'a SweepObject>,
}

#[derive(Serialize)]
struct MattersObject {
    name: &'static str,
    index: usize,
    response_change: f64,
    at_hz: f64,
}

/// Noise on white noise of half scale, and what constant inputs leave.
#[derive(Serialize)]
struct NoiseObject {
    #[serde(flatten)]
    words: WordNoise,
    constant_input_error_lsb: Option<f64>,
}

/// What a section does without an input.
#[derive(Serialize)]
struct SectionCycles {
    section: usize,
    exhaustive: Option<bool>,
    states: Option<u64>,
    count: Option<usize>,
    bound_lsb: Option<f64>,
    amplitude_lsb: Option<i64>,
    period_samples: Option<usize>,
    start: Option<Vec<i64>>,
}

/// The filter in another structure with the same words.
#[derive(Serialize)]
struct StructureRow {
    structure: &'static str,
    noise_rms_lsb: Option<f64>,
    error_bound_lsb: Option<f64>,
    keeps_template: Option<bool>,
    state_bits: Option<u64>,
    multiplies: Option<usize>,
    reason: Option<String>,
}

#[derive(Serialize)]
struct SweepObject {
    of: &'static str,
    rows: Vec<SweepRow>,
    fewest: Option<u32>,
}

#[derive(Serialize)]
struct SweepRow {
    bits: u32,
    format: Option<WordFormat>,
    template_excess_db: Option<f64>,
    keeps_template: Option<bool>,
    noise_rms_lsb: Option<f64>,
    noise_rms: Option<f64>,
    error_bound_lsb: Option<f64>,
    reason: Option<String>,
}

pub(crate) fn run(options: &Quantize) -> Result<Outcome, Failure> {
    let measured = Measured::new(Loaded::file(&options.spec)?)?;
    let filter = measured.need_implementation("quantize")?;
    let noise = noise(&measured, filter);
    let cycles = (!filter.fixed.structure.is_for_taps()).then(|| oscillations(filter));
    let structures = structures(&measured, filter.fixed);
    let sweep = options.sweep.as_ref().map(|wish| sweep(&measured, filter.fixed, wish));
    let matters = matters(&measured, filter);
    if let Some(path) = &options.figure {
        let sheet = sheet(&measured, filter, &noise.words.error)?;
        write_whole(path, &draw(&sheet, figures::format(path)?)?)?;
        eprintln!("{} written", path.display());
    }
    let choice = &measured.loaded.design.choice;
    let excess = |report: &Report| report.measures.template_excess_db(choice);
    let object = QuantizeObject {
        name: measured.loaded.spec.name.to_string(),
        structure: filter.fixed.structure.as_str(),
        coefficients: filter.table.format,
        state: filter.state.as_ref().map(|state| state.format),
        template_margin_db: [
            excess(&measured.designed),
            measured.rounded.as_ref().and_then(excess),
        ]
        .map(|excess| excess.map(|excess| 0.0 - excess)),
        most_sensitive: matters,
        noise,
        oscillations: cycles.as_deref(),
        structures: &structures,
        sweep: sweep.as_ref(),
    };
    if options.json {
        print::json(&object)?;
    } else {
        print::text(&text(&measured, filter, &object))?;
    }
    let keeps = object.template_margin_db[1].is_none_or(|margin| margin >= 0.0);
    Ok(Outcome::of(keeps))
}

/// White noise of half scale, as words.
fn white(filter: &Implementation) -> Vec<i64> {
    let mut noise = NoiseSource::new(1);
    let input = filter.fixed.input;
    let [low, high] = [input.minimum(), input.maximum()].map(|end| (end / 2) as i64);
    (0..SAMPLES).map(|_| noise.integer(low, high)).collect()
}

fn noise(measured: &Measured, filter: &Implementation) -> NoiseObject {
    NoiseObject {
        words: measure_word_noise(filter, &measured.loaded.design.form, &white(filter)),
        constant_input_error_lsb: constant_error(measured, filter),
    }
}

/// The largest error of 65 constant inputs up to half of full scale, after four times as long as the filter settles; `None` where
/// that is too long.
fn constant_error(measured: &Measured, filter: &Implementation) -> Option<f64> {
    const LEVELS: i128 = 64;
    let rate = measured.loaded.spec.sample_rate;
    let length = 4 * measure_time(&filter.rounded, 1.0, rate).settling_samples + 512;
    if length > 1 << 17 {
        return None;
    }
    let [low, high] = [filter.fixed.input.minimum(), filter.fixed.input.maximum()];
    let level = |k: i128| ((low + (high - low) * k / LEVELS) / 2) as i64;
    let errors = (0..=LEVELS as i64).into_par_iter();
    errors.map(|k| constant_input_error(filter, level(k.into()), length)).reduce_with(f64::max)
}

fn oscillations(filter: &Implementation) -> Vec<SectionCycles> {
    let bar = progress(filter.table.rows.len() as u64, "looking for oscillations");
    let one = |index: usize| {
        let found = filter.section(index).and_then(|section| zero_input_cycles(&section));
        bar.inc(1);
        let largest = found.as_ref().and_then(|found| found.largest.first().cloned());
        let of = |pick: fn(&LimitCycle) -> i64| largest.as_ref().map(pick);
        let (exhaustive, states) = match found.as_ref().map(|found| found.search) {
            Some(CycleSearch::Exhaustive { states }) => (Some(true), Some(states)),
            Some(CycleSearch::Sampled { starts }) => (Some(false), Some(starts)),
            None => (None, None),
        };
        SectionCycles {
            section: index + 1,
            exhaustive,
            states,
            count: found.as_ref().map(|found| found.count),
            bound_lsb: found.as_ref().map(|found| found.bound),
            amplitude_lsb: of(|cycle| cycle.amplitude),
            period_samples: largest.as_ref().map(|cycle| cycle.period),
            start: largest.map(|cycle| cycle.start),
        }
    };
    let cycles = (0..filter.table.rows.len()).into_par_iter().map(one).collect();
    bar.finish_and_clear();
    cycles
}

/// The filter in all structures that take it, with these words.
fn structures(measured: &Measured, fixed: Fixed) -> Vec<StructureRow> {
    let form = &measured.loaded.design.form;
    let is_alike = |one: &Structure| one.is_for_taps() == fixed.structure.is_for_taps();
    let goal = measured.loaded.goal();
    let alike: Vec<Structure> = Structure::ALL.into_iter().filter(is_alike).collect();
    let row = |structure: &Structure| {
        let structure = *structure;
        // A state that was given is for its own structure.
        let state = fixed.state.filter(|_| structure == fixed.structure);
        let mut row = StructureRow {
            structure: structure.as_str(),
            noise_rms_lsb: None,
            error_bound_lsb: None,
            keeps_template: None,
            state_bits: None,
            multiplies: None,
            reason: None,
        };
        let mut words = Fixed { structure, state, ..fixed };
        if !structure.is_cascade() {
            words.arrangement = ArrangementWish::default();
        }
        if !structure.has_plain_coefficients() {
            words.integers = IntegerWish::default();
        }
        match implement_toward(form, words, &goal) {
            Err(error) => row.reason = Some(error.to_string()),
            Ok(filter) => {
                let cost = filter.checked.cost();
                row.noise_rms_lsb = noise_lsb(&filter);
                row.error_bound_lsb = bound_lsb(&filter);
                row.keeps_template = excess_db(measured, &filter).map(|excess| excess <= 0.0);
                row.state_bits = Some(cost.state_bits);
                row.multiplies = Some(cost.multiplies_per_sample);
            }
        }
        row
    };
    alike.par_iter().map(row).collect()
}

fn noise_lsb(filter: &Implementation) -> Option<f64> {
    let lsb = filter.fixed.output.step();
    filter.predictions.as_ref().ok().map(|found| found.noise.rms() / lsb)
}

fn bound_lsb(filter: &Implementation) -> Option<f64> {
    let bounds = filter.checked.facts().bounds().as_ref().ok()?;
    Some(bounds.error.largest() / filter.fixed.output.step())
}

/// By how much the filter with rounded coefficients exceeds its template; `None` without one.
fn excess_db(measured: &Measured, filter: &Implementation) -> Option<f64> {
    let (rate, choice) = (measured.loaded.spec.sample_rate, &measured.loaded.design.choice);
    let report = Report::of(&filter.rounded, &filter.rounded, choice, [0; 3], rate);
    report.measures.template_excess_db(choice)
}

/// The coefficient whose last bit changes the response most, where the coefficients are those of sections or taps.
fn matters(measured: &Measured, filter: &Implementation) -> Option<MattersObject> {
    let structure = filter.fixed.structure;
    if filter.state.is_some()
        && !matches!(structure, Structure::DirectForm2 | Structure::DirectForm1Transposed)
    {
        return None;
    }
    let (rate, choice) = (measured.loaded.spec.sample_rate, &measured.loaded.design.choice);
    let hertz = adaptive_grid(&filter.rounded, rate, 0.0, rate.nyquist(), 0.5);
    let change = Change::Step(filter.table.format.step());
    let found = sensitivity(&filter.rounded, choice, rate, &hertz, change);
    found.coefficients.first().map(|first| MattersObject {
        name: first.name,
        index: first.index,
        response_change: first.response_change,
        at_hz: first.at_hz,
    })
}

/// The same filter with other widths, on all cores.
fn sweep(measured: &Measured, fixed: Fixed, wish: &Sweep) -> SweepObject {
    let form = &measured.loaded.design.form;
    let goal = measured.loaded.goal();
    let widths: Vec<u32> = (wish.from..=wish.to).collect();
    let bar = progress(widths.len() as u64, "sweeping");
    let words = |bits: u32| -> Option<Fixed> {
        if wish.coefficients {
            let mut coefficients = fixed.coefficients;
            coefficients.width = bits;
            coefficients.fraction = None;
            return Some(Fixed { coefficients, ..fixed });
        }
        // As many whole bits as before.
        let resized = |word: WordFormat| {
            let whole = i64::from(word.width()) - i64::from(word.fraction());
            let fraction = i32::try_from(i64::from(bits) - whole).ok()?;
            WordFormat::new(word.is_signed(), bits, fraction).ok()
        };
        let (input, output) = (resized(fixed.input)?, resized(fixed.output)?);
        Some(Fixed { input, output, state: None, ..fixed })
    };
    let row = |bits: &u32| {
        let mut row = SweepRow {
            bits: *bits,
            format: None,
            template_excess_db: None,
            keeps_template: None,
            noise_rms_lsb: None,
            noise_rms: None,
            error_bound_lsb: None,
            reason: None,
        };
        match words(*bits).map(|words| implement_toward(form, words, &goal)) {
            None => row.reason = Some("no such word".to_owned()),
            Some(Err(error)) => row.reason = Some(error.to_string()),
            Some(Ok(filter)) => {
                let is_coefficients = wish.coefficients;
                row.format =
                    Some(if is_coefficients { filter.table.format } else { filter.fixed.output });
                row.template_excess_db = excess_db(measured, &filter);
                row.keeps_template = row.template_excess_db.map(|excess| excess <= 0.0);
                row.noise_rms_lsb = noise_lsb(&filter);
                row.noise_rms = row.noise_rms_lsb.map(|rms| rms * filter.fixed.output.step());
                row.error_bound_lsb = bound_lsb(&filter);
            }
        }
        bar.inc(1);
        row
    };
    let rows: Vec<SweepRow> = widths.par_iter().map(row).collect();
    bar.finish_and_clear();
    // The fewest from which on every width keeps it.
    let broken = rows.iter().rposition(|row| row.keeps_template != Some(true));
    let first = broken.map_or(0, |last| last + 1);
    let fewest = rows.get(first).map(|row| row.bits);
    SweepObject { of: if wish.coefficients { "coefficients" } else { "data" }, rows, fewest }
}

/// The responses, and the noise spectrum as predicted and as measured.
fn sheet(measured: &Measured, filter: &Implementation, error: &[f64]) -> Result<Sheet, Failure> {
    let rate = measured.loaded.spec.sample_rate;
    let scene = figures::scene(measured, Wishes::default());
    let mut panels: Vec<Panel> =
        [View::Gain, View::Passband, View::Difference].map(|view| scene.panel(view)).to_vec();
    let lsb = filter.fixed.output.step();
    let level = |density: f64| 10.0 * (density / (lsb * lsb)).max(1e-30).log10();
    let wish = SpectrumWish { piece: 2048, ..SpectrumWish::for_length(error.len()) };
    let found = spectrum(error, rate, wish)
        .map_err(|error| Failure::Call(format!("noise spectrum: {error}")))?;
    let pairs = found.hertz.iter().zip(&found.density).skip(1);
    let points: Vec<(f64, f64)> = pairs.map(|(hz, density)| (*hz, level(*density))).collect();
    let mut series = Vec::new();
    let mut levels: Vec<f64> = points.iter().map(|point| point.1).collect();
    series.push(Series {
        name: "measured noise".to_owned(),
        pen: Pen::Light,
        shape: Shape::Line(points),
    });
    if let Ok(predicted) = filter.checked.noise_density(rate, &found.hertz) {
        let pairs = found.hertz.iter().zip(&predicted).skip(1);
        let points: Vec<(f64, f64)> = pairs.map(|(hz, density)| (*hz, level(*density))).collect();
        levels.extend(points.iter().map(|point| point.1));
        let shape = Shape::Line(points);
        series.push(Series { name: "predicted noise".to_owned(), pen: Pen::Over, shape });
    }
    let high = levels.iter().copied().fold(f64::MIN, f64::max);
    let low = levels.iter().copied().fold(f64::MAX, f64::min).max(high - 140.0);
    let x = Axis::linear("frequency", "Hz", (0.0, rate.nyquist()));
    let y = Axis::linear("density", "dB of 1 LSB²/Hz", (low - 5.0, high + 5.0));
    panels.push(Panel { series, ..Panel::new("rounding noise at the output", x, y) });
    let title =
        format!("{} on integers: {}", measured.loaded.spec.name, filter.fixed.structure.as_str());
    Ok(Sheet { title, panels })
}

fn text(measured: &Measured, filter: &Implementation, object: &QuantizeObject<'_>) -> String {
    let QuantizeObject { name, noise, structures, .. } = object;
    let mut text = format!("{name} in the words of its spec\n{}", words(filter));
    let [designed, rounded] = object.template_margin_db;
    let verdict = match (designed, rounded) {
        (_, None) => "no template was asked for".to_owned(),
        (_, Some(margin)) if margin >= 0.0 => "keeps the template".to_owned(),
        (_, Some(margin)) => format!("MISSES the template by {:.4} dB", -margin),
    };
    text.push_str(&format!("\nResponse with rounded coefficients: {verdict}\n"));
    if let Some(matters) = &object.most_sensitive {
        let which = match filter.rounded.taps() {
            Some(_) => format!("tap {}", matters.index),
            None => format!("{} of section {}", matters.name, matters.index + 1),
        };
        let line = format!(
            "  the coefficient that matters most: {which}; one LSB of it changes the response by {:.4} % of its peak at {} Hz",
            100.0 * matters.response_change,
            crate::text::units::hertz(matters.at_hz)
        );
        text.push_str(&wrapped(&line, 4));
    }
    text.push_str(&noise_text(noise));
    if let Some(cycles) = object.oscillations {
        text.push_str(&cycles_text(cycles));
    }
    text.push_str("\nOther structures in the same words, noise predicted\n");
    let row = |row: &StructureRow| {
        let keeps = match (row.keeps_template, &row.reason) {
            (_, Some(_)) => "not possible".to_owned(),
            (Some(true), _) => "kept".to_owned(),
            (Some(false), _) => "MISSED".to_owned(),
            (None, _) => "-".to_owned(),
        };
        vec![
            row.structure.to_owned(),
            number(row.noise_rms_lsb, 2),
            number(row.error_bound_lsb, 1),
            row.multiplies.map_or("-".to_owned(), |count| count.to_string()),
            row.state_bits.map_or("-".to_owned(), |bits| bits.to_string()),
            keeps,
        ]
    };
    let rows: Vec<Vec<String>> = structures.iter().map(row).collect();
    let header =
        ["structure", "noise, LSB", "bound, LSB", "multiplies", "memory, bits", "template"];
    text.push_str(&table(&header, &rows));
    for row in structures.iter().filter(|row| row.reason.is_some()) {
        let reason = row.reason.as_deref().unwrap_or("");
        text.push_str(&wrapped(&format!("  {}: {reason}", row.structure), 4));
    }
    if let Some(advice) = advice(measured, object) {
        text.push('\n');
        text.push_str(&wrapped(&advice, 2));
    }
    if let Some(sweep) = object.sweep {
        text.push_str(&sweep_text(sweep));
    }
    text
}

fn noise_text(noise: &NoiseObject) -> String {
    let NoiseObject { words, constant_input_error_lsb } = noise;
    let row = |name: &str, predicted: Option<f64>, measured: Option<f64>| {
        vec![name.to_owned(), number(predicted, 3), number(measured, 3)]
    };
    let rows = [
        row("its own roundings", words.predicted_rms_lsb, Some(words.measured_rms_lsb)),
        row("rounded coefficients", None, Some(words.coefficient_rms_lsb)),
        row("rounding of the input by a converter", words.input_rounding_rms_lsb, None),
    ];
    let mut text =
        String::from("\nNoise at the output, rms in LSB, on white noise of half scale\n");
    text.push_str(&table(&["from", "predicted", "measured"], &rows));
    if let Some(error) = *constant_input_error_lsb {
        text.push_str(&format!(
            "  constant inputs: {error:.1} LSB off at most once settled, at 65 levels up to half of full scale\n"
        ));
    }
    if words.limited_samples > 0 {
        text.push_str(&format!(
            "  limits acted in {} samples: no rounding there\n",
            words.limited_samples
        ));
    }
    text
}

fn cycles_text(cycles: &[SectionCycles]) -> String {
    let mut text = String::from(
        "\nOscillations without an input while no limit acts, each section by itself\n",
    );
    let row = |one: &SectionCycles| {
        let how = match (one.exhaustive, one.states) {
            (Some(true), Some(states)) => format!("all {states} states"),
            (Some(false), Some(states)) => format!("{states} random states"),
            _ => "no bound proved".to_owned(),
        };
        let found = match (one.exhaustive, one.count) {
            (Some(true), Some(0)) => "none: proved".to_owned(),
            (_, Some(0)) => "none found".to_owned(),
            (_, Some(count)) => count.to_string(),
            (_, None) => "-".to_owned(),
        };
        let whole = |value: Option<i64>| value.map_or("-".to_owned(), |value| value.to_string());
        vec![
            one.section.to_string(),
            how,
            found,
            whole(one.amplitude_lsb),
            number(one.bound_lsb, 1),
            one.period_samples.map_or("-".to_owned(), |period| period.to_string()),
            one.start.as_ref().map_or("-".to_owned(), |start| {
                let words: Vec<String> = start.iter().map(ToString::to_string).collect();
                words.join(" ")
            }),
        ]
    };
    let rows: Vec<Vec<String>> = cycles.iter().map(row).collect();
    let header =
        ["section", "searched", "found", "largest, LSB", "bound, LSB", "period", "from the state"];
    text.push_str(&table(&header, &rows));
    text
}

fn sweep_text(sweep: &SweepObject) -> String {
    let row = |row: &SweepRow| {
        let keeps = match (row.keeps_template, &row.reason) {
            (_, Some(_)) => "not possible".to_owned(),
            (Some(true), _) => "kept".to_owned(),
            (Some(false), _) => {
                format!("missed by {} dB", number(row.template_excess_db, 4))
            }
            (None, _) => "-".to_owned(),
        };
        let rms = row.noise_rms.map_or("-".to_owned(), |rms| format!("{:.1}", 20.0 * rms.log10()));
        vec![
            row.bits.to_string(),
            row.format.map_or("-".to_owned(), |format| format.to_string()),
            keeps,
            number(row.noise_rms_lsb, 2),
            rms,
            number(row.error_bound_lsb, 1),
        ]
    };
    let rows: Vec<Vec<String>> = sweep.rows.iter().map(row).collect();
    let header = ["bits", "format", "template", "noise, LSB", "noise, dB of 1", "bound, LSB"];
    let mut text = format!("\nWidths of the {}\n{}", sweep.of, table(&header, &rows));
    let reasons: Vec<&SweepRow> = sweep.rows.iter().filter(|row| row.reason.is_some()).collect();
    if let Some(last) = reasons.last() {
        let reason = last.reason.as_deref().unwrap_or("");
        text.push_str(&wrapped(&format!("  {} bits: {reason}", last.bits), 4));
    }
    let has_template = sweep.rows.iter().any(|row| row.keeps_template.is_some());
    match sweep.fewest {
        Some(bits) => text.push_str(&format!("  the template is kept from {bits} bits on\n")),
        None if has_template => text.push_str("  the template is not kept up to the widest\n"),
        None => {}
    }
    text
}

/// One sentence where another structure does much better than the one that was asked for.
fn advice(measured: &Measured, object: &QuantizeObject<'_>) -> Option<String> {
    let own = object.noise.words.predicted_rms_lsb?;
    let input = object.noise.words.input_rounding_rms_lsb.unwrap_or(0.0);
    // The last rounding alone leaves 0.29 LSB; nothing can be better than that.
    let floor = input.max(0.2887);
    if own < 4.0 * floor {
        return None;
    }
    // Not one that loses a template which this one keeps.
    let keeps = object.template_margin_db[1].is_some_and(|margin| margin >= 0.0);
    let possible = object.structures.iter();
    let possible = possible.filter(|row| !(keeps && row.keeps_template == Some(false)));
    let quiet: Vec<(&StructureRow, f64)> =
        possible.filter_map(|row| Some((row, row.noise_rms_lsb?))).collect();
    let least = quiet.iter().map(|(_, noise)| *noise).reduce(f64::min)?;
    // Of those that are about as quiet the one that remembers least.
    let near = quiet.into_iter().filter(|(_, noise)| *noise <= 1.2 * least);
    let best = near.min_by_key(|(row, _)| row.state_bits.unwrap_or(u64::MAX))?;
    let poles = measured.loaded.design.form.pole_radius();
    let near = poles.map_or(String::new(), |radius| {
        format!(
            ", for its poles, at a radius of {radius:.5}, amplify every rounding of the feedback"
        )
    });
    if best.1 > own / 2.0 {
        return Some(format!(
            "{} leaves {own:.1} LSB of noise{near}; no other structure in these words does much better: wider data, or a lower sample \
             rate before the filter, would.",
            object.structure
        ));
    }
    Some(format!(
        "{} leaves {own:.1} LSB of noise{near}; {} in the same words leaves {:.2}, with {} multiplies a sample and {} bits of memory.",
        object.structure,
        best.0.structure,
        best.1,
        best.0.multiplies.unwrap_or(0),
        best.0.state_bits.unwrap_or(0)
    ))
}
