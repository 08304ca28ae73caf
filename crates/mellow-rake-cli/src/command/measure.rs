//! `mrake measure`

use crate::arguments::{Excitation, Measure};
use crate::bench::{Pair, ask, recorded};
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::Loaded;
use crate::print::{self, engineering, number, table, wrapped};
use crate::text::units::hertz;
use mellow_rake::filter::Transfer;
use mellow_rake::implementation::Implementation;
use mellow_rake::response::{gain_db, measure_time};
use mellow_rake::signal::{
    Averaging, SpectrumWish, TransferDeviation, TransferEstimate, chirp_words, delay_between,
    measure_transfer, noise_words, stepped_transfer, stepped_words, tone_phasor, tone_words,
    without_tone,
};
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet, draw};
use mellow_rake_files::write_whole;
use serde::Serialize;

/// Where the input explains so much of the output a measured gain is worth comparing.
const GOOD: f64 = 0.9;

/// What was measured, and how far it is from the filter that is meant.
#[derive(Serialize)]
struct MeasureObject {
    name: String,
    coefficients: &'static str,
    excitation: Option<Excitation>,
    samples: usize,
    pieces: usize,
    step_hz: f64,
    delay_samples: usize,
    points: usize,
    deviation: Option<TransferDeviation>,
    tolerance_db: Option<f64>,
    held: bool,
    tones: Vec<ToneObject>,
    hertz: Vec<f64>,
    gain_db: Vec<Option<f64>>,
    phase_degrees: Vec<f64>,
    coherence: Vec<f64>,
    #[serde(skip)]
    good: Vec<bool>,
    error_db: Vec<f64>,
    designed_gain_db: Vec<Option<f64>>,
}

/// One tone through the program, after the start-up, beside what the filter does to it.
#[derive(Serialize)]
struct ToneObject {
    hertz: f64,
    gain_db: Option<f64>,
    filter_gain_db: Option<f64>,
    phase_degrees: f64,
    filter_phase_degrees: f64,
    /// The amplitude that the filter leaves of the tone, in steps of the output.
    filter_output_lsb: f64,
    /// The rms of what is there beside the tone, in steps of the output.
    residual_lsb: f64,
    /// The least and the largest word that came out.
    output_lsb: [Option<f64>; 2],
}

impl ToneObject {
    /// Whether the filter leaves less of the tone than the output can show, half a step, or nothing came out.
    fn is_hidden(&self) -> bool {
        self.filter_output_lsb < 0.5 || self.gain_db.is_none()
    }
}

pub(crate) fn run(options: &Measure) -> Result<Outcome, Failure> {
    if let Some(plan) = &options.modulated {
        return super::modulated::run(options, plan);
    }
    if options.within.is_some_and(|within| within.decibels() <= 0.0) {
        return Err(Failure::Call("--within: a level above 0 dB is wanted".to_owned()));
    }
    let loaded = Loaded::file(&options.spec)?;
    let implementation = loaded.implementation()?;
    let is_stepped = options.device.is_some() && options.excitation == Excitation::Steps;
    let (found, samples) = match (&options.device, &options.recording) {
        (Some(_), _) if is_stepped => stepped(options, &loaded)?,
        (Some(_), _) => averaged(options, &loaded, answers(options, &loaded)?)?,
        (None, Some(_)) => averaged(options, &loaded, recorded(options, &loaded)?)?,
        (None, None) => {
            return Err(Failure::Call(
                "--device PROGRAM, --recording FILE with --input and --output, or --modulated PLAN, is wanted"
                    .to_owned(),
            ));
        }
    };
    let subject = Subject::new(&loaded, implementation.as_ref(), options.designed);
    let excited = options.device.as_ref().map(|_| options.excitation);
    let mut object = subject.judge(&found, samples, options);
    object.excitation = excited;
    object.tones = subject.tones(options)?;
    if let Some(path) = &options.figure {
        let sheet = subject.sheet(&object);
        write_whole(path, &draw(&sheet, figures::format(path)?)?)?;
        print::note(&format!("{} written", path.display()));
    }
    let outcome = Outcome::of(object.held);
    if options.json {
        print::json(&object)?;
    } else {
        print::text(&text(&object))?;
    }
    Ok(outcome)
}

/// Cross-spectrum over auto-spectrum, with the delay taken off.
fn averaged(
    options: &Measure,
    loaded: &Loaded,
    (input, output): Pair,
) -> Result<(TransferEstimate, usize), Failure> {
    let mut wish = SpectrumWish::for_length(input.len());
    wish.piece = options.piece.unwrap_or(wish.piece);
    wish.averaging = options.fading.map_or(Averaging::Even, Averaging::Exponential);
    let delay = delay_between(&input, &output);
    let wrong = |error: mellow_rake::signal::SpectrumError| Failure::Call(error.to_string());
    let found = measure_transfer(&input, &output, loaded.spec.sample_rate, wish, delay);
    Ok((found.map_err(wrong)?, input.len()))
}

/// Noise or a chirp of half the input's range into a program, and what comes back, as values.
fn answers(options: &Measure, loaded: &Loaded) -> Result<Pair, Failure> {
    let fixed = loaded.need_implementation("measure --device")?.fixed;
    let count = options.samples;
    let half = fixed.input.maximum() as f64 / 2.0;
    let words = match options.excitation {
        Excitation::Chirp => {
            let piece = options.piece.unwrap_or(SpectrumWish::for_length(count).piece).max(8);
            chirp_words(half, piece, count)
        }
        // Half of the largest word of 64 bits is an i64, signed or not.
        _ => noise_words(
            options.seed,
            [fixed.input.minimum(), fixed.input.maximum()].map(|end| (end / 2) as i64),
            count,
        ),
    };
    ask(options, fixed, words)
}

/// One tone after the other into a program.
fn stepped(options: &Measure, loaded: &Loaded) -> Result<(TransferEstimate, usize), Failure> {
    let implementation = loaded.need_implementation("measure --device")?;
    let fixed = implementation.fixed;
    let rate = loaded.spec.sample_rate;
    let half = fixed.input.maximum() as f64 / 2.0;
    let (words, steps) = stepped_words(half, rate, options.steps, settled(loaded));
    let samples = words.len();
    let (input, output) = ask(options, fixed, words)?;
    let mut found = stepped_transfer(&input, &output, rate, &steps);
    let step = fixed.output.step();
    let density = implementation.checked.noise_density(rate, &found.hertz);
    // Where no noise is predicted: a single rounding.
    let density =
        density.unwrap_or_else(|_| vec![step * step / 12.0 / rate.nyquist(); found.hertz.len()]);
    found.add_roundings(rate, half * fixed.input.step(), step, &density);
    Ok((found, samples))
}

/// Samples after which nothing of the start-up is left: three times as long as it settles, as a null shows the rest.
fn settled(loaded: &Loaded) -> usize {
    3 * measure_time(&loaded.design.form, 1.0, loaded.spec.sample_rate).settling_samples + 64
}

/// The filter that is meant.
struct Subject<'a> {
    loaded: &'a Loaded,
    filter: &'a dyn Transfer,
    which: &'static str,
}

impl<'a> Subject<'a> {
    fn new(loaded: &'a Loaded, words: Option<&'a Implementation>, designed: bool) -> Self {
        match words.filter(|_| !designed) {
            Some(words) => Subject { loaded, filter: &words.rounded, which: "rounded" },
            None => Subject { loaded, filter: loaded.design.transfer(), which: "designed" },
        }
    }

    fn judge(&self, found: &TransferEstimate, samples: usize, options: &Measure) -> MeasureObject {
        let rate = self.loaded.spec.sample_rate;
        let deviation = found.deviation(self.filter, rate, GOOD);
        let points = found.hertz.len();
        let two_sided = options.two_sided.then(|| found.two_sided());
        let found = two_sided.as_ref().unwrap_or(found);
        let level = |gain: f64| (gain > 0.0).then(|| 20.0 * gain.log10());
        let measured: Vec<Option<f64>> = found.response.iter().map(|h| level(h.norm())).collect();
        let designed: Vec<Option<f64>> = found
            .hertz
            .iter()
            .map(|hz| Some(gain_db(self.filter, rate, hz.abs())).filter(|gain| gain.is_finite()))
            .collect();
        let tolerance_db = options.within.map(|within| within.decibels());
        let held = match (tolerance_db, &deviation) {
            (Some(tolerance), Some(deviation)) => deviation.largest_db.abs() <= tolerance,
            (Some(_), None) => false,
            (None, _) => true,
        };
        MeasureObject {
            name: self.loaded.spec.name.to_string(),
            coefficients: self.which,
            excitation: None,
            samples,
            pieces: found.pieces,
            step_hz: found.step_hz,
            delay_samples: found.delay,
            points,
            deviation,
            tolerance_db,
            held,
            tones: Vec::new(),
            gain_db: measured,
            phase_degrees: found.response.iter().map(|h| h.arg().to_degrees()).collect(),
            good: good(found),
            coherence: found.coherence.clone(),
            error_db: found.error_db(),
            designed_gain_db: designed,
            hertz: found.hertz.clone(),
        }
    }

    /// Single tones of half the input's range, measured once the filter has settled.
    fn tones(&self, options: &Measure) -> Result<Vec<ToneObject>, Failure> {
        let rate = self.loaded.spec.sample_rate;
        let mut tones = Vec::new();
        for frequency in &options.tones {
            let fixed = self.loaded.need_implementation("measure --tones")?.fixed;
            let hz = frequency.hertz(rate);
            if !(hz > 0.0 && hz < rate.nyquist()) {
                let nyquist = rate.nyquist();
                return Err(Failure::Call(format!(
                    "--tones: {hz} Hz does not lie between 0 Hz and the Nyquist frequency, {nyquist} Hz"
                )));
            }
            let skipped = settled(self.loaded);
            let periods = (40.0 * rate.hertz() / hz).clamp(16_384.0, 4_194_304.0) as usize;
            let half = fixed.input.maximum() as f64 / 2.0;
            let words = tone_words(half, rate, hz, skipped + periods);
            let (input, output) = ask(options, fixed, words)?;
            let output = &output[skipped..];
            let before = tone_phasor(&input[skipped..], rate, hz);
            let after = tone_phasor(output, rate, hz);
            let (found, expected) = (after / before, self.filter.response(rate.radians(hz)));
            let steps = |value: f64| value / fixed.output.step();
            let left = without_tone(output, rate, hz, after);
            let ends = |pick: fn(f64, f64) -> f64| output.iter().copied().reduce(pick);
            let level = |gain: f64| (gain > 0.0).then(|| 20.0 * gain.log10());
            let [phase, wanted] = [found, expected].map(|h| h.arg().to_degrees());
            tones.push(ToneObject {
                hertz: hz,
                gain_db: level(found.norm()),
                filter_gain_db: level(expected.norm()),
                // Within half a turn of the filter's.
                phase_degrees: phase - 360.0 * ((phase - wanted) / 360.0).round(),
                filter_phase_degrees: wanted,
                filter_output_lsb: steps(expected.norm() * before.norm()),
                residual_lsb: steps(left),
                output_lsb: [ends(f64::min), ends(f64::max)].map(|end| end.map(steps)),
            });
        }
        Ok(tones)
    }

    /// The measured gain on that of the filter, the deviation with its expected error, and the coherence.
    fn sheet(&self, object: &MeasureObject) -> Sheet {
        let nyquist = self.loaded.spec.sample_rate.nyquist();
        let from = if object.hertz[0] < 0.0 { -nyquist } else { 0.0 };
        let x = || Axis::linear("frequency", "Hz", (from, nyquist));
        let points = |levels: &[Option<f64>]| -> Vec<(f64, f64)> {
            let pairs = object.hertz.iter().zip(levels);
            pairs.filter_map(|(hz, level)| Some((*hz, (*level)?))).collect()
        };
        let line = |name: &str, pen: Pen, points: Vec<(f64, f64)>| Series {
            name: name.to_owned(),
            pen,
            shape: Shape::Line(points),
        };
        let measured = points(&object.gain_db);
        let top = measured.iter().map(|point| point.1).fold(f64::MIN, f64::max);
        let low = measured.iter().skip(2).map(|point| point.1).fold(f64::MAX, f64::min);
        let levels = (low.max(top - 120.0) - 6.0, top + 6.0);
        let gain = vec![
            line("measured", Pen::Under, measured),
            line(self.which, Pen::Over, points(&object.designed_gain_db)),
        ];
        let good = || (0..object.hertz.len()).filter(|k| object.good[*k]);
        let deviation = |k: usize| {
            let difference = object.gain_db[k]? - object.designed_gain_db[k]?;
            Some((object.hertz[k], difference))
        };
        let deviations: Vec<(f64, f64)> = good().filter_map(deviation).collect();
        let errors =
            good().map(|k| (object.hertz[k], -3.0 * object.error_db[k], 3.0 * object.error_db[k]));
        let errors: Vec<(f64, f64, f64)> = errors.collect();
        let most = deviations.iter().map(|p| p.1.abs()).chain(errors.iter().map(|e| e.2));
        let most = most.fold(1e-3, f64::max).min(20.0);
        let mut apart = Vec::new();
        if deviations.len() > 1 {
            let shape = Shape::Band(errors);
            apart.push(Series {
                name: "three expected errors".to_owned(),
                pen: Pen::Rank(4),
                shape,
            });
            apart.push(line("measured less the filter", Pen::Over, deviations));
        }
        let coherence = object.hertz.iter().copied().zip(object.coherence.iter().copied());
        let coherence = vec![line("", Pen::Over, coherence.collect())];
        let panel = |title: &str, y: Axis, series| Panel { series, ..Panel::new(title, x(), y) };
        Sheet {
            title: format!("{}: measured, {} samples", object.name, object.samples),
            panels: vec![
                panel("gain", Axis::linear("gain", "dB", levels), gain),
                panel(
                    "deviation where the coherence is good",
                    Axis::linear("difference", "dB", (-1.1 * most, 1.1 * most)),
                    apart,
                ),
                panel("coherence", Axis::linear("coherence", "", (0.0, 1.05)), coherence),
            ],
        }
    }
}

/// Which points know something, by their distance from 0 Hz: those that are spoiled lie there.
fn good(found: &TransferEstimate) -> Vec<bool> {
    let spoiled = found.spoiled as f64 * found.step_hz;
    let points = found.hertz.iter().zip(&found.coherence);
    points.map(|(hertz, share)| *share >= GOOD && hertz.abs() >= spoiled - 1e-9).collect()
}

/// What came out instead of a tone that the output cannot show.
fn hidden(tone: &ToneObject) -> String {
    let whole = |end: Option<f64>| end.map_or("-".to_owned(), |lsb| format!("{lsb:.0}"));
    let [low, high] = tone.output_lsb;
    let found = match (low, high) {
        (Some(low), Some(high)) if low == high => format!("the output stays at {low:.0} LSB"),
        _ => format!(
            "the output goes on between {} and {} LSB, {:.2} LSB rms about its mean",
            whole(low),
            whole(high),
            tone.residual_lsb
        ),
    };
    let but = match tone.filter_output_lsb < 0.5 {
        true => ", less than the output can show",
        false => ", but nothing of it came out",
    };
    format!(
        "{} Hz: the filter leaves {} LSB of the tone{but}; {found}",
        hertz(tone.hertz),
        engineering(tone.filter_output_lsb)
    )
}

fn text(object: &MeasureObject) -> String {
    let is_stepped = object.excitation == Some(Excitation::Steps);
    let late = match is_stepped {
        true => String::new(),
        false => format!(", the output {} samples late", object.delay_samples),
    };
    let mut text = format!("{}: {} samples{late}\n\n", object.name, object.samples);
    let row = |name: &str, value: String| vec![name.to_owned(), value];
    let deviation = object.deviation.as_ref();
    let good = deviation.map_or(0, |deviation| deviation.good_points);
    let of = |pick: fn(&TransferDeviation) -> f64| deviation.map(pick);
    let rows = [
        row(if is_stepped { "tones" } else { "pieces averaged" }, object.pieces.to_string()),
        row("steps of, Hz", if is_stepped { "-".to_owned() } else { hertz(object.step_hz) }),
        row("points with a coherence of 0.9 or more", format!("{good} of {}", object.points)),
        row("largest deviation there, dB", number(of(|d| d.largest_db), 4)),
        row("  at, Hz", of(|d| d.at_hz).map_or("-".to_owned(), hertz)),
        row("  error expected there by chance, dB", number(of(|d| d.expected_error_db), 4)),
        row("deviation, rms, dB", number(of(|d| d.rms_db), 4)),
        row("within three expected errors, %", number(of(|d| 100.0 * d.within_three_errors), 1)),
    ];
    let against = format!("against the {} coefficients", object.coefficients);
    text.push_str(&table(&["measured", &against], &rows));
    text.push('\n');
    let how = match is_stepped {
        true => {
            "  each tone once the filter has settled; the coherence is the share of the output that the tone explains, and what it does \
             not is taken for noise"
        }
        false => {
            "  cross-spectrum over auto-spectrum of the input; of Gaussian errors 99.7 % lie within three, and what leaks beyond the \
             steps of the measurement adds to them"
        }
    };
    text.push_str(&wrapped(how, 4));
    if !object.tones.is_empty() {
        let row = |tone: &ToneObject| {
            vec![
                hertz(tone.hertz),
                number(tone.gain_db.filter(|_| !tone.is_hidden()), 4),
                number(tone.filter_gain_db, 4),
                number(Some(tone.phase_degrees).filter(|_| !tone.is_hidden()), 3),
                number(Some(tone.filter_phase_degrees), 3),
            ]
        };
        let rows: Vec<Vec<String>> = object.tones.iter().map(row).collect();
        let header = ["tone, Hz", "gain, dB", "of the filter", "phase, degrees", "of the filter"];
        text.push_str(&format!("\n{}\n", table(&header, &rows)));
        for tone in object.tones.iter().filter(|tone| tone.is_hidden()) {
            text.push_str(&wrapped(&format!("  {}", hidden(tone)), 4));
        }
    }
    if let Some(tolerance) = object.tolerance_db {
        let verdict = if object.held { "within" } else { "NOT within" };
        text.push_str(&format!("  {verdict} {tolerance} dB wherever the coherence is good\n"));
    }
    text
}
