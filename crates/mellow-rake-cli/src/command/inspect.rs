//! `mrake inspect`

use crate::arguments::Inspect;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::{Recording, read_mask};
use crate::print;
use mellow_rake::signal::{Levels, MaskMargin, SpectralLine, Spectrum};
use mellow_rake::study::inspect;
use mellow_rake_report::figure;
use mellow_rake_report::page::{self, Inspected, Suggestion, suggestions};
use serde::Serialize;

#[derive(Serialize)]
struct InspectObject<'a> {
    file: &'a str,
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
    let wrong = |error: mellow_rake::signal::SpectrumError| {
        Failure::Call(format!("{}: {error}", path.display()))
    };
    let found = inspect(&samples, rate, options.piece).map_err(wrong)?;
    let suggestions = suggestions(&found);
    let (mask, margin) = read_mask(options.mask.as_deref(), &found.spectrum)?.unzip();
    let two_sided = options.two_sided.then(|| found.spectrum.two_sided());
    let shown = two_sided.as_ref().unwrap_or(&found.spectrum);
    let unit = scale.as_ref().map(|scale| scale.unit.as_str());
    let (name, file) = (&recording.name, path.display().to_string());
    figures::write(options.figure.as_deref(), || {
        let named = (name.as_str(), unit.unwrap_or(""));
        Ok(figure::inspection(named, &samples, &found, shown, mask.as_ref()))
    })?;
    if options.json {
        print::json(&InspectObject {
            file: &file,
            column: name,
            samples: samples.len(),
            sample_rate_hz: rate.hertz(),
            duration_s: samples.len() as f64 / rate.hertz(),
            unit,
            full_scale,
            levels: found.levels,
            lines: &found.lines,
            suggestions: &suggestions,
            mask: margin,
            spectrum: SpectrumObject {
                window: found.wish.window.to_string(),
                overlap: found.wish.overlap,
                spectrum: shown,
            },
        })?;
    } else {
        print::page(&page::inspection(&Inspected {
            file: &file,
            column: name,
            found: &found,
            unit: unit.unwrap_or(""),
            full_scale,
            mask: margin,
            suggestions: &suggestions,
        }))?;
    }
    Ok(Outcome::of(margin.is_none_or(|margin| margin.above == 0)))
}
