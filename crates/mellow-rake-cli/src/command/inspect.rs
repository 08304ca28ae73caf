//! `mrake inspect`

use crate::arguments::Inspect;
use crate::failure::{Failure, Outcome};
use crate::figures::{self, Density, Excerpt, record_sheet_of};
use crate::load::{Recording, read_mask};
use crate::print::{self, engineering, short, table, wrapped};
use crate::text::units::{frequencies, hertz};
use mellow_rake::signal::{
    Levels, Mask, MaskMargin, SpectralLine, Spectrum, SpectrumWish, measure_levels, spectral_lines,
    spectrum,
};
use mellow_rake::study::{LineRemedy, line_remedies};
use mellow_rake::units::SampleRate;
use mellow_rake_figures::{Format, draw};
use mellow_rake_files::write_whole;
use serde::Serialize;
use std::path::Path;

/// A line this far over the floor is shown.
const LEAST_DB: f64 = 12.0;
/// Lines that are listed.
const MOST_LINES: usize = 12;

#[derive(Serialize)]
struct InspectObject<'a> {
    file: String,
    column: &'a str,
    samples: usize,
    sample_rate_hz: f64,
    duration_s: f64,
    unit: Option<&'a str>,
    full_scale: Option<f64>,
    levels: Levels,
    lines: &'a [SpectralLine],
    suggestions: &'a [Suggestion],
    mask: Option<MaskMargin>,
    spectrum: SpectrumObject<'a>,
}

#[derive(Serialize)]
struct SpectrumObject<'a> {
    window: String,
    overlap: f64,
    #[serde(flatten)]
    spectrum: &'a Spectrum,
}

pub(crate) fn run(options: &Inspect) -> Result<Outcome, Failure> {
    let path = &options.file;
    let column = options.column.as_deref();
    let mut recording =
        Recording::part(path, &options.reading, column, options.rate, options.between)?;
    let scale = options.scaling.scale(recording.full_scale)?;
    let mut full_scale = options.scaling.full_scale.or(recording.full_scale);
    if let Some(scale) = &scale {
        recording.values = scale.apply(&recording.values);
        full_scale = Some(scale.range);
    }
    let (rate, samples) = (recording.rate, recording.values.reals());
    let mut wish = SpectrumWish::for_length(samples.len());
    wish.piece = options.piece.unwrap_or(wish.piece);
    let wrong = |error: mellow_rake::signal::SpectrumError| {
        Failure::Call(format!("{}: {error}", path.display()))
    };
    let found = spectrum(&samples, rate, wish).map_err(wrong)?;
    let lines = spectral_lines(&samples, rate, &found, LEAST_DB, MOST_LINES);
    let Some(levels) = measure_levels(&samples) else {
        return Err(Failure::Call(format!("{}: no samples", path.display())));
    };
    let suggestions: Vec<Suggestion> = line_remedies(&samples, rate, &found, &lines)
        .into_iter()
        .map(|remedy| suggestion(remedy, &lines, rate))
        .collect();
    let (mask, margin) = read_mask(options.mask.as_deref(), &found)?.unzip();
    let two_sided = options.two_sided.then(|| found.two_sided());
    let unit = scale.as_ref().map(|scale| scale.unit.as_str());
    let look = Look {
        recording: &recording,
        samples: &samples,
        found: &found,
        shown: two_sided.as_ref().unwrap_or(&found),
        lines: &lines,
        unit: unit.unwrap_or(""),
        mask: mask.as_ref(),
        margin,
    };
    if let Some(file) = &options.figure {
        let format = figures::format(file)?;
        look.draw(file, format)?;
        print::note(&format!("{} written", file.display()));
    }
    if options.json {
        print::json(&InspectObject {
            file: path.display().to_string(),
            column: &recording.name,
            samples: samples.len(),
            sample_rate_hz: rate.hertz(),
            duration_s: samples.len() as f64 / rate.hertz(),
            unit,
            full_scale,
            levels,
            lines: &lines,
            suggestions: &suggestions,
            mask: margin,
            spectrum: SpectrumObject {
                window: wish.window.to_string(),
                overlap: wish.overlap,
                spectrum: look.shown,
            },
        })?;
    } else {
        print::text(&look.text(path, &levels, full_scale, wish, &suggestions))?;
    }
    Ok(Outcome::of(margin.is_none_or(|margin| margin.above == 0)))
}

/// A recording with what was found in it.
struct Look<'a> {
    recording: &'a Recording,
    samples: &'a [f64],
    found: &'a Spectrum,
    /// The spectrum as it is shown: with one side or two.
    shown: &'a Spectrum,
    lines: &'a [SpectralLine],
    unit: &'a str,
    mask: Option<&'a Mask>,
    margin: Option<MaskMargin>,
}

impl Look<'_> {
    fn text(
        &self,
        path: &Path,
        levels: &Levels,
        full_scale: Option<f64>,
        wish: SpectrumWish,
        suggestions: &[Suggestion],
    ) -> String {
        let (rate, count) = (self.recording.rate.hertz(), self.samples.len());
        let mut text = format!(
            "{}, column {}: {count} samples at {rate} Hz, {:.3} s\n\n",
            path.display(),
            self.recording.name,
            count as f64 / rate
        );
        let db = |value: f64| match full_scale {
            Some(scale) if value > 0.0 => format!("{:.1}", 20.0 * (value / scale).log10()),
            _ => "-".to_owned(),
        };
        let far = levels.highest.max(-levels.lowest);
        let row = |name: &str, value: f64, level: String| {
            vec![name.to_owned(), engineering(value), level]
        };
        let rows = [
            row("lowest", levels.lowest, String::new()),
            row("highest", levels.highest, String::new()),
            row("farthest from zero", far, db(far)),
            row("mean", levels.mean, String::new()),
            row("rms about the mean", levels.rms, db(levels.rms)),
            row("crest factor", levels.crest_factor, String::new()),
        ];
        let value = if self.unit.is_empty() { "value" } else { &format!("value, {}", self.unit) };
        text.push_str(&table(&["level", value, "dB of full scale"], &rows));
        text.push_str(&match levels.clipped {
            0 => "  not clipped: no three samples in a row at the lowest or highest value\n"
                .to_owned(),
            some => format!(
                "  CLIPPED: {some} samples at the lowest or highest value, up to {} in a row\n",
                levels.longest_clip
            ),
        });
        let Spectrum { step_hz, noise_bandwidth_hz, pieces, piece, .. } = self.found;
        let how = format!(
            "Spectrum: {pieces} pieces of {piece} samples, {} window, {:.0} % overlap, mean removed; steps of {} Hz, \
             noise bandwidth {} Hz",
            wish.window,
            100.0 * wish.overlap,
            hertz(*step_hz),
            hertz(*noise_bandwidth_hz)
        );
        text.push('\n');
        text.push_str(&wrapped(&how, 2));
        if let Some(margin) = &self.margin {
            text.push_str(&wrapped(&format!("  {}", crate::text::mask(margin)), 4));
        }
        if self.lines.is_empty() {
            text.push_str(&format!("  no line stands {LEAST_DB} dB over the floor\n"));
            return text;
        }
        let row = |line: &SpectralLine| {
            let multiple = line.multiple_of.map_or(String::new(), |(of, factor)| {
                format!("{factor} x {}", hertz(self.lines[of].hertz))
            });
            vec![
                hertz(line.hertz),
                engineering(line.amplitude),
                db(line.amplitude),
                format!("{:.1}", line.over_floor_db),
                multiple,
            ]
        };
        let rows: Vec<Vec<String>> = self.lines.iter().map(row).collect();
        let header =
            ["line, Hz", "amplitude", "dB of full scale", "over the floor, dB", "multiple of, Hz"];
        text.push_str(&table(&header, &rows));
        if !suggestions.is_empty() {
            text.push('\n');
        }
        for suggestion in suggestions {
            text.push_str(&wrapped(&format!("  {}", suggestion.text), 4));
        }
        text
    }

    fn draw(&self, file: &Path, format: Format) -> Result<(), Failure> {
        let tops = self.lines.iter().filter_map(|line| {
            let at = (line.hertz / self.found.step_hz).round() as usize;
            let side = if self.shown.hertz[0] < 0.0 { 0.5 } else { 1.0 };
            Some((line.hertz, 10.0 * (side * self.found.density.get(at)?).log10()))
        });
        let tops: Vec<(f64, f64)> = tops.collect();
        let mut shown = Excerpt::default();
        shown.keep(self.samples);
        let density = Density { found: self.shown, marks: &tops, mask: self.mask };
        let (name, rate) = (&self.recording.name, self.recording.rate);
        let count = self.samples.len() as u64;
        let sheet = record_sheet_of(name, self.unit, rate, &shown, count, &density);
        write_whole(file, &draw(&sheet, format)?)?;
        Ok(())
    }
}

/// What could be done about a line: keys of a spec, and what they did to this recording.
#[derive(Serialize)]
struct Suggestion {
    text: String,
    #[serde(flatten)]
    remedy: LineRemedy,
}

fn suggestion(remedy: LineRemedy, lines: &[SpectralLine], rate: SampleRate) -> Suggestion {
    let line = &lines[remedy.line];
    let plain = |hz: f64| frequencies(&[hz], "");
    let (them, falls) = match remedy.harmonics {
        1 => ("it".to_owned(), "it falls"),
        most => (format!("it and its multiples up to {most}"), "each falls"),
    };
    let whither = if remedy.to_the_floor { ", to the floor" } else { "" };
    // As many digits as the width can use.
    let digit = 10f64.powf((remedy.width_hz / 50.0).log10().floor());
    let [from, to] = remedy.touched_hz.map(|hz| (hz / digit).round() * digit);
    let text = format!(
        "{}, {:.0} dB over the floor; to be rid of {them}: {}. Tried on this recording: {falls} by {:.0} dB{whither}; more than \
         1 dB is taken from {} to {}; rings down to 1 % within {}",
        plain(remedy.center_hz),
        line.over_floor_db,
        remedy.keys.join(", "),
        remedy.falls_by_db,
        plain(from),
        plain(to),
        duration(remedy.settling_samples as f64 / rate.hertz())
    );
    Suggestion { text, remedy }
}

/// "1.5 s" or "40 ms"
fn duration(seconds: f64) -> String {
    let (value, unit) = match seconds {
        s if s >= 1.0 => (s, "s"),
        s if s >= 1e-3 => (1e3 * s, "ms"),
        s => (1e6 * s, "us"),
    };
    format!("{} {unit}", short(value, 3))
}
