//! What is in a recording.

use crate::Document;
use crate::numbers::{engineering, short};
use crate::units::{frequencies, hertz};
use mellow_rake::signal::{MaskMargin, SpectralLine, Spectrum};
use mellow_rake::study::{Inspection, LEAST_LINE_DB, LineRemedy};
use serde::Serialize;

/// A column of a recording, with what was found in it.
#[derive(Debug, Clone, Copy)]
pub struct Inspected<'a> {
    /// Its file.
    pub file: &'a str,
    /// The column.
    pub column: &'a str,
    /// What is in it.
    pub found: &'a Inspection,
    /// The unit of its values; empty for none.
    pub unit: &'a str,
    /// The largest value that it could hold, where that is known.
    pub full_scale: Option<f64>,
    /// How its spectrum stands to a mask, if there is one.
    pub mask: Option<MaskMargin>,
    /// What could be done.
    pub suggestions: &'a [Suggestion],
}

/// How a spectrum stands to a mask.
pub fn mask(margin: &MaskMargin) -> String {
    let MaskMargin { margin_db, at_hz, level_db, allowed_db, points, above, .. } = margin;
    let verdict = match above {
        0 => format!("below the mask by {margin_db:.1} dB or more"),
        above => {
            format!("ABOVE THE MASK at {above} of {points} points, by up to {:.1} dB", -margin_db)
        }
    };
    format!(
        "{verdict}, at {} Hz: {level_db:.1} dB of the largest density, {allowed_db:.1} allowed",
        hertz(*at_hz)
    )
}

/// Levels, spectrum and lines of a recording, and what could be done about them.
pub fn inspection(look: &Inspected<'_>) -> Document {
    let Inspection { rate, samples: count, levels, .. } = look.found;
    let rate = rate.hertz();
    let mut text = Document::of(&format!(
        "{}, column {}: {count} samples at {rate} Hz, {:.3} s\n\n",
        look.file,
        look.column,
        *count as f64 / rate
    ));
    let db = |value: f64| match look.full_scale {
        Some(scale) if value > 0.0 => format!("{:.1}", 20.0 * (value / scale).log10()),
        _ => "-".to_owned(),
    };
    let far = levels.highest.max(-levels.lowest);
    let row =
        |name: &str, value: f64, level: String| vec![name.to_owned(), engineering(value), level];
    let rows = [
        row("lowest", levels.lowest, String::new()),
        row("highest", levels.highest, String::new()),
        row("farthest from zero", far, db(far)),
        row("mean", levels.mean, String::new()),
        row("rms about the mean", levels.rms, db(levels.rms)),
        row("crest factor", levels.crest_factor, String::new()),
    ];
    let value = if look.unit.is_empty() { "value" } else { &format!("value, {}", look.unit) };
    text.table(&["level", value, "dB of full scale"], &rows);
    text.lines(&match levels.clipped {
        0 => "  not clipped: no three samples in a row at the lowest or highest value\n".to_owned(),
        some => format!(
            "  CLIPPED: {some} samples at the lowest or highest value, up to {} in a row\n",
            levels.longest_clip
        ),
    });
    let Spectrum { step_hz, noise_bandwidth_hz, pieces, piece, .. } = &look.found.spectrum;
    let how = format!(
        "Spectrum: {pieces} pieces of {piece} samples, {} window, {:.0} % overlap, mean removed; steps of {} \
         Hz, noise bandwidth {} Hz",
        look.found.wish.window,
        100.0 * look.found.wish.overlap,
        hertz(*step_hz),
        hertz(*noise_bandwidth_hz)
    );
    text.gap();
    text.paragraph(&how, 2);
    if let Some(margin) = &look.mask {
        text.paragraph(&format!("  {}", mask(margin)), 4);
    }
    if look.found.lines.is_empty() {
        text.lines(&format!("  no line stands {LEAST_LINE_DB} dB over the floor\n"));
        return text;
    }
    let row = |line: &SpectralLine| {
        let multiple = line.multiple_of.map_or(String::new(), |(of, factor)| {
            format!("{factor} x {}", hertz(look.found.lines[of].hertz))
        });
        vec![
            hertz(line.hertz),
            engineering(line.amplitude),
            db(line.amplitude),
            format!("{:.1}", line.over_floor_db),
            multiple,
        ]
    };
    let rows: Vec<Vec<String>> = look.found.lines.iter().map(row).collect();
    let header =
        ["line, Hz", "amplitude", "dB of full scale", "over the floor, dB", "multiple of, Hz"];
    text.table(&header, &rows);
    if !look.suggestions.is_empty() {
        text.gap();
    }
    for suggestion in look.suggestions {
        text.paragraph(&format!("  {}", suggestion.text), 4);
    }
    text
}

/// What could be done about a line: keys of a spec, and what they did to this recording.
#[derive(Debug, Clone, Serialize)]
pub struct Suggestion {
    /// In words.
    pub text: String,
    /// The keys, and what came of trying them.
    #[serde(flatten)]
    pub remedy: LineRemedy,
}

/// What could be done about each line of a recording.
pub fn suggestions(found: &Inspection) -> Vec<Suggestion> {
    found.remedies.iter().map(|remedy| suggestion(remedy.clone(), found)).collect()
}

fn suggestion(remedy: LineRemedy, found: &Inspection) -> Suggestion {
    let line = &found.lines[remedy.line];
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
        "{}, {:.0} dB over the floor; to be rid of {them}: {}. Tried on this recording: {falls} by {:.0} \
         dB{whither}; more than 1 dB is taken from {} to {}; rings down to 1 % within {}",
        plain(remedy.center_hz),
        line.over_floor_db,
        remedy.keys.join(", "),
        remedy.falls_by_db,
        plain(from),
        plain(to),
        duration(remedy.settling_samples as f64 / found.rate.hertz())
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
