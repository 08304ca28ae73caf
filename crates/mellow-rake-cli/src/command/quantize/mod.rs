//! `mrake quantize`: what the words do to the filter, on one page.

mod advice;
mod budget;
mod impossible;
mod objects;
mod remedies;
mod sweep;
mod text;

use advice::advice;
use budget::Budget;
use objects::{
    ConverterObject, MattersObject, NoiseObject, OverflowObject, PoleObject, PolynomialObject,
    QuantizeObject, SectionCycles,
};
use remedies::remedies;
use sweep::{structures, sweep};
use text::text;

use crate::arguments::Quantize;
use crate::failure::{Failure, Outcome};
use crate::figures::{self, View, Wishes};
use crate::load::Loaded;
use crate::measured::Measured;
use crate::print;
use crate::stream::progress;
use mellow_rake::datapath::{
    CycleSearch, LimitCycle, Simulator, overflow_oscillations_among, zero_input_cycles_among,
};
use mellow_rake::implementation::Implementation;
use mellow_rake::quality::{Change, Measures, Report, sensitivity};
use mellow_rake::random::NoiseSource;
use mellow_rake::response::{PoleMove, adaptive_grid, measure_time, one_polynomial, pole_moves};
use mellow_rake::signal::{SpectrumWish, spectrum};
use mellow_rake::spec::Structure;
use mellow_rake::verify::{
    ConverterNoise, constant_input_error, converter_noise, measure_word_noise,
};
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet, draw};
use mellow_rake_files::write_whole;
use rayon::prelude::*;

/// Samples of white noise that the filter is measured on.
const SAMPLES: usize = 65_536;

pub(crate) fn run(options: &Quantize) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    let measured = match (loaded.implementation(), loaded.spec.fixed) {
        (Err(Failure::Implement { error, .. }), Some(fixed)) if impossible::is_of_words(&error) => {
            let measured = Measured::with(loaded, None);
            return impossible::explain(&measured, fixed, &error, options.json);
        }
        (implementation, _) => Measured::with(loaded, implementation?),
    };
    let filter = measured.need_implementation("quantize")?;
    let noise = noise(&measured, filter);
    let cycles = (!filter.fixed.structure.is_for_taps()).then(|| oscillations(filter));
    let budget = Budget::new(filter);
    let structures = structures(&measured, filter.fixed, &budget);
    let most_moved_pole = most_moved_pole(&measured, filter);
    let as_one_polynomial = as_one_polynomial(&measured, filter);
    let sweep = options
        .sweep
        .as_ref()
        .map(|wish| sweep(&measured, filter.fixed, wish, options.every_structure));
    let matters = matters(&measured, filter);
    if let Some(path) = &options.figure {
        let sheet = sheet(&measured, filter, &noise.words.error)?;
        write_whole(path, &draw(&sheet, figures::format(path)?)?)?;
        print::note(&format!("{} written", path.display()));
    }
    let choice = &measured.loaded.design.choice;
    let excess = |report: &Report| report.measures.template_excess_db(choice);
    let template_margin_db =
        [excess(&measured.designed), measured.rounded.as_ref().and_then(excess)]
            .map(|excess| excess.map(|excess| 0.0 - excess));
    let remedies = remedies(&measured, filter.fixed, template_margin_db, &budget);
    let object = QuantizeObject {
        name: measured.loaded.spec.name.to_string(),
        structure: filter.fixed.structure.as_str(),
        coefficients: filter.table.format,
        between: filter.between.map(|between| between.format),
        state: filter.state.as_ref().map(|state| state.format),
        template_margin_db,
        remedies,
        most_sensitive: matters,
        most_moved_pole,
        as_one_polynomial,
        noise,
        oscillations: cycles.as_deref(),
        structures: &structures,
        untried: None,
        sweep: sweep.as_ref(),
    };
    let advice = advice(&measured, filter, &object, &budget);
    let object = QuantizeObject { untried: budget.untried(), ..object };
    if options.json {
        print::json(&object)?;
    } else {
        print::text(&text(filter, &object, advice))?;
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
    let words = measure_word_noise(filter, &measured.loaded.design.form, &white(filter));
    NoiseObject {
        converter: converter(measured, filter),
        constant_input_error_lsb: constant_error(measured, filter),
        words,
    }
}

/// The noise of the spec's converter behind a filter.
fn behind(measured: &Measured, filter: &Implementation) -> Option<ConverterNoise> {
    converter_noise(filter, measured.loaded.spec.converter?)
}

fn converter(measured: &Measured, filter: &Implementation) -> Option<ConverterObject> {
    let lsb = filter.fixed.output.step();
    let found = behind(measured, filter)?;
    Some(ConverterObject {
        bits: measured.loaded.spec.converter?.bits,
        rounding_rms_lsb: found.rounding_rms / lsb,
        noise_rms_lsb: found.noise_rms / lsb,
        added_by_filter_db: found.raised_db,
    })
}

/// The pole that rounding moved by the largest share of its distance from the unit circle.
fn most_moved_pole(measured: &Measured, filter: &Implementation) -> Option<PoleObject> {
    let found = pole_moves(&measured.loaded.design.form, &filter.rounded);
    found.first().map(|first| moved_pole(measured, first))
}

fn moved_pole(measured: &Measured, moved: &PoleMove) -> PoleObject {
    PoleObject {
        hz: moved.from.arg().abs() / std::f64::consts::TAU
            * measured.loaded.spec.sample_rate.hertz(),
        radius: moved.from.norm(),
        moved: moved.distance(),
        share: moved.share(),
    }
}

/// What the coefficient words would do to the filter as one fraction.
fn as_one_polynomial(measured: &Measured, filter: &Implementation) -> Option<PolynomialObject> {
    let found = one_polynomial(&measured.loaded.design.form, filter.fixed.coefficients)?;
    Some(PolynomialObject {
        order: found.order,
        largest_coefficient: found.largest,
        fraction: found.fraction,
        poles_outside: found.outside,
        largest_radius: found.radius,
        most_moved_pole: found.most_moved.map(|moved| moved_pole(measured, &moved)),
    })
}

/// The largest error of 65 constant inputs up to half of full scale, after four times as long as the filter settles; `None` where
/// that is too long.
fn constant_error(measured: &Measured, filter: &Implementation) -> Option<f64> {
    const LEVELS: i128 = 64;
    /// Operations of the program: a few seconds of them.
    const MOST_OPERATIONS: u64 = 250_000_000;
    let rate = measured.loaded.spec.sample_rate;
    let length = 4 * measure_time(&filter.rounded, 1.0, rate).settling_samples + 512;
    // Machine words are run some ten times as fast as numbers of any size.
    let program = &filter.checked;
    let operations = program.datapath().operations().count() as u64;
    let each = if Simulator::new(program).is_fast() { operations.div_ceil(10) } else { operations };
    let work = (LEVELS as u64 + 1) * length as u64 * each;
    if length > 1 << 17 || work > filter.fixed.effort.times(MOST_OPERATIONS) {
        return None;
    }
    let [low, high] = [filter.fixed.input.minimum(), filter.fixed.input.maximum()];
    let level = |k: i128| ((low + (high - low) * k / LEVELS) / 2) as i64;
    let errors = (0..=LEVELS as i64).into_par_iter();
    errors.map(|k| constant_input_error(filter, level(k.into()), length)).reduce_with(f64::max)
}

fn oscillations(filter: &Implementation) -> Vec<SectionCycles> {
    let sections = filter.table.rows.len();
    let bar = progress(sections as u64, "looking for oscillations");
    let one = |index: usize| {
        let section = filter.section(index);
        let found = section.as_ref().and_then(|one| zero_input_cycles_among(one, sections));
        // Where no limit can ever act there is nothing that one could keep up.
        let may_limit = !filter.no_limit_acts();
        let overflow = section.as_ref().filter(|_| may_limit).zip(found.as_ref()).and_then(
            |(section, found)| overflow_oscillations_among(section, found.bound, sections),
        );
        bar.inc(1);
        let largest = found.as_ref().and_then(|found| found.largest.first().cloned());
        let of = |pick: fn(&LimitCycle) -> i64| largest.as_ref().map(pick);
        let (exhaustive, states, open) = match found.as_ref().map(|found| found.search) {
            Some(CycleSearch::Exhaustive { states }) => (Some(true), Some(states), Some(0)),
            Some(CycleSearch::Sampled { starts, open }) => (Some(false), Some(starts), Some(open)),
            None => (None, None, None),
        };
        SectionCycles {
            section: index + 1,
            exhaustive,
            states,
            open,
            count: found.as_ref().map(|found| found.count),
            bound_lsb: found.as_ref().map(|found| found.bound),
            amplitude_lsb: of(|cycle| cycle.amplitude),
            period_samples: largest.as_ref().map(|cycle| cycle.period),
            start: largest.map(|cycle| cycle.start),
            overflow: overflow.map(|found| OverflowObject {
                starts: found.starts,
                oscillating: found.count,
                open: found.open,
                amplitude_lsb: found.largest.as_ref().map(|cycle| cycle.amplitude),
                period_samples: found.largest.as_ref().map(|cycle| cycle.period),
                start: found.largest.map(|cycle| cycle.start),
            }),
        }
    };
    let cycles = (0..filter.table.rows.len()).into_par_iter().map(one).collect();
    bar.finish_and_clear();
    cycles
}

fn noise_lsb(filter: &Implementation) -> Option<f64> {
    let lsb = filter.fixed.output.step();
    filter.predicted_noise().ok().map(|noise| noise.rms() / lsb)
}

fn bound_lsb(filter: &Implementation) -> Option<f64> {
    let bounds = filter.checked.facts().bounds().as_ref().ok()?;
    Some(bounds.error.largest() / filter.fixed.output.step())
}

/// By how much the filter with rounded coefficients exceeds its template; `None` without one.
fn excess_db(measured: &Measured, filter: &Implementation) -> Option<f64> {
    let (rate, choice) = (measured.loaded.spec.sample_rate, &measured.loaded.design.choice);
    Measures::of(&filter.rounded, choice, rate).template_excess_db(choice)
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
    // The last bit of a coefficient whose fraction is smaller is the larger one.
    let column = |name: &str| ["b0", "b1", "b2", "a1", "a2"].iter().position(|one| *one == name);
    let lift = |index: usize, name: &str| filter.table.lift(index, column(name).unwrap_or(0));
    let all = found.coefficients.iter().map(|one| MattersObject {
        name: one.name,
        index: one.index,
        response_change: one.response_change * f64::from(lift(one.index, one.name)).exp2(),
        at_hz: one.at_hz,
    });
    all.reduce(|most, one| if one.response_change > most.response_change { one } else { most })
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
