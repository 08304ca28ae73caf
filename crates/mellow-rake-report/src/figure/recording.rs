//! Panels of recordings and their spectra.

use mellow_rake::signal::{
    Mask, Spectrogram, Spectrum, SpectrumError, SpectrumWish, spectrogram, spectrum,
};
use mellow_rake::study::Inspection;
use mellow_rake::units::SampleRate;
use mellow_rake_figures::{Axis, Cells, Panel, Pen, Series, Shape, Sheet, record_line};
use std::ops::Range;

/// Samples that a figure shows at most.
const SHOWN: usize = 1 << 22;

/// The first samples of a record, for its figure.
#[derive(Default)]
pub struct Excerpt {
    /// The samples.
    pub samples: Vec<f64>,
}

impl Excerpt {
    /// More samples, as far as they are shown.
    pub fn keep(&mut self, more: &[f64]) {
        let room = SHOWN - self.samples.len();
        self.samples.extend(&more[..more.len().min(room)]);
    }

    /// What the panel of all of it is called.
    pub fn title(&self, of: u64) -> String {
        match self.samples.len() {
            shown if of > shown as u64 => format!("the first {shown} of {of} samples"),
            _ => "the whole record".to_owned(),
        }
    }
}

/// The record, a closer look at its liveliest stretch, its spectrum, with more lines if there are some, and
/// how it goes on in time.
pub fn record_sheet(
    name: &str,
    unit: &str,
    rate: SampleRate,
    shown: &Excerpt,
    of: u64,
    marks: &[(f64, f64)],
) -> Result<Sheet, SpectrumError> {
    let samples = &shown.samples;
    let found = spectrum(samples, rate, SpectrumWish::for_length(samples.len()))?;
    Ok(record_sheet_of(name, unit, rate, shown, of, &Density { found: &found, marks, mask: None }))
}

/// A spectrum with marks at places and a mask.
struct Density<'a> {
    /// The spectrum.
    pub found: &'a Spectrum,
    /// Frequencies in hertz, and levels in decibels.
    pub marks: &'a [(f64, f64)],
    /// What it is held against.
    pub mask: Option<&'a Mask>,
}

/// The same with a spectrum that is there.
fn record_sheet_of(
    name: &str,
    unit: &str,
    rate: SampleRate,
    shown: &Excerpt,
    of: u64,
    density: &Density<'_>,
) -> Sheet {
    let samples = &shown.samples;
    let trace = [Trace { name: "", pen: Pen::Over, samples }];
    let label = if unit.is_empty() { name.to_owned() } else { format!("{name}, {unit}") };
    let time = |title: &str, part: Range<usize>| {
        time_panel(title, &label, 1.0 / rate.hertz(), &trace, &part, 0)
    };
    let mut panel = density_panel(&[("", Pen::Over, density.found)]);
    if !density.marks.is_empty() {
        let places = density.marks.iter().map(|(hz, level)| (*hz, *level, 1)).collect();
        let shape = Shape::Zeros(places);
        panel.series.push(Series { name: "lines".to_owned(), pen: Pen::Under, shape });
    }
    if let Some(mask) = density.mask {
        panel.series.insert(0, mask_series(mask, density.found));
    }
    let panels = vec![
        time(&shown.title(of), 0..samples.len()),
        time("a closer look", liveliest(samples, 600)),
        panel,
        spectrogram_panel(&spectrogram(samples, rate, 200)),
    ];
    Sheet { title: format!("{name}: {of} samples at {} Hz", rate.hertz()), panels }
}

/// A mask over the density that it is held against.
pub(super) fn mask_series(mask: &Mask, spectrum: &Spectrum) -> Series {
    let top = spectrum.density.iter().copied().fold(f64::MIN_POSITIVE, f64::max);
    let points = mask.points().iter().map(|(hz, level)| (*hz, level + 10.0 * top.log10()));
    let shape = Shape::Line(points.collect());
    Series { name: "mask".to_owned(), pen: Pen::Under, shape }
}

/// How a spectrum goes on in time: a column for each piece, rows joined to no more than can be told apart.
fn spectrogram_panel(found: &Spectrogram) -> Panel {
    let nyquist = found.hertz.last().copied().unwrap_or(1.0);
    let per_row = found.hertz.len().div_ceil(256).max(1);
    let level = |density: &[f64]| {
        // The strongest of the rows that are joined: a line keeps its height.
        10.0 * density.iter().copied().fold(1e-300, f64::max).log10()
    };
    let columns: Vec<Vec<f64>> =
        found.density.iter().map(|column| column.chunks(per_row).map(level).collect()).collect();
    let mut levels: Vec<f64> = columns.iter().flatten().copied().collect();
    levels.sort_by(f64::total_cmp);
    let share = |part: f64| levels.get((part * levels.len() as f64) as usize).copied();
    let high = levels.last().copied().unwrap_or(0.0);
    let low = share(0.3).unwrap_or(high - 60.0).max(high - 120.0).min(high - 1.0);
    let half = match found.seconds[..] {
        [first, second, ..] => (second - first) / 2.0,
        _ => found.seconds.first().copied().unwrap_or(1.0),
    };
    let ends = (
        found.seconds.first().map_or(0.0, |t| (t - half).max(0.0)),
        found.seconds.last().map_or(1.0, |t| t + half),
    );
    let x = Axis::linear("time", "s", ends);
    let y = Axis::linear("frequency", "Hz", (0.0, nyquist));
    // A cell has its frequency in the middle.
    let step = nyquist / found.hertz.len().saturating_sub(1).max(1) as f64;
    let rows = columns.first().map_or(1, Vec::len);
    let reach = (-0.5 * step, ((rows * per_row) as f64 - 0.5) * step);
    let cells = Cells { x: ends, y: reach, columns, range: (low, high) };
    let series = Series {
        name: format!("{low:.0} to {high:.0} dB of 1 unit²/Hz"),
        pen: Pen::Over,
        shape: Shape::Cells(cells),
    };
    let mut panel = Panel::new("spectrogram", x, y);
    if found.density.is_empty() {
        panel.note = "too short".to_owned();
    } else {
        panel.series.push(series);
    }
    panel
}

/// A signal in a figure.
pub struct Trace<'a> {
    /// Its name in the legend; empty for none.
    pub name: &'a str,
    /// How it is drawn.
    pub pen: Pen,
    /// The signal.
    pub samples: &'a [f64],
}

/// Part of some recordings over time; what a filter has not settled to yet is shaded.
pub fn time_panel(
    title: &str,
    level: &str,
    period_s: f64,
    traces: &[Trace<'_>],
    part: &Range<usize>,
    unsettled: usize,
) -> Panel {
    let parts = || traces.iter().map(|trace| (trace, &trace.samples[part.clone()]));
    let all = parts().flat_map(|(_, samples)| samples);
    let (low, high) = all.fold((f64::MAX, f64::MIN), |(a, b), v| (a.min(*v), b.max(*v)));
    let air = 0.06 * (high - low).max(1e-9 * high.abs()).max(1e-12);
    let time = |index: usize| index as f64 * period_s;
    let x = Axis::linear("time", "s", (time(part.start), time(part.end - 1)));
    let y = Axis::linear(level, "", (low - air, high + air));
    let mut series = Vec::new();
    if unsettled > part.start {
        let end = time(unsettled.min(part.end - 1));
        let ends = [time(part.start), end].map(|t| (t, low - air, high + air));
        let shape = Shape::Band(ends.to_vec());
        series.push(Series { name: "start-up".to_owned(), pen: Pen::Rank(4), shape });
    }
    series.extend(parts().map(|(trace, samples)| {
        let shape = Shape::Line(record_line(time(part.start), period_s, samples));
        Series { name: trace.name.to_owned(), pen: trace.pen, shape }
    }));
    Panel { series, ..Panel::new(title, x, y) }
}

/// So many samples where the signal changes most.
pub fn liveliest(samples: &[f64], shown: usize) -> Range<usize> {
    let shown = shown.min(samples.len());
    let change = |at: usize| -> f64 {
        samples[at..at + shown].windows(2).map(|pair| (pair[1] - pair[0]).abs()).sum()
    };
    let starts = (0..=samples.len() - shown).step_by((shown / 2).max(1));
    let best = starts.map(|at| (at, change(at)));
    let best = best.fold((0, f64::MIN), |best, new| if new.1 > best.1 { new } else { best }).0;
    best..best + shown
}

/// Power spectral densities, in decibels.
pub fn density_panel(spectra: &[(&str, Pen, &Spectrum)]) -> Panel {
    let level = |density: f64| 10.0 * density.max(1e-300).log10();
    let mut series = Vec::new();
    let mut levels = Vec::new();
    let mut ends = (0.0f64, 0.0f64);
    for (name, pen, spectrum) in spectra {
        let pairs = spectrum.hertz.iter().zip(&spectrum.density);
        let points: Vec<(f64, f64)> = pairs.map(|(hz, density)| (*hz, level(*density))).collect();
        levels.extend(points.iter().skip(1).map(|point| point.1));
        if let (Some(first), Some(last)) = (points.first(), points.last()) {
            ends = (ends.0.min(first.0), ends.1.max(last.0));
        }
        series.push(Series { name: (*name).to_owned(), pen: *pen, shape: Shape::Line(points) });
    }
    levels.sort_by(f64::total_cmp);
    let high = levels.last().copied().unwrap_or(0.0);
    // The lowest percent may be next to nothing.
    let low = levels.get(levels.len() / 100).copied().unwrap_or(high).max(high - 160.0);
    let x = Axis::linear("frequency", "Hz", ends);
    let y = Axis::linear("density", "dB of 1 unit²/Hz", (low - 6.0, high + 6.0));
    Panel { series, ..Panel::new("power spectral density", x, y) }
}

/// A recording that was looked at: all of it, a closer look, its spectrum with its lines and a mask, and how
/// it goes on in time. The spectrum is drawn as `shown`: with one side or two.
pub fn inspection(
    (name, unit): (&str, &str),
    samples: &[f64],
    found: &Inspection,
    shown: &Spectrum,
    mask: Option<&Mask>,
) -> Sheet {
    let tops = found.lines.iter().filter_map(|line| {
        let at = (line.hertz / found.spectrum.step_hz).round() as usize;
        let side = if shown.hertz[0] < 0.0 { 0.5 } else { 1.0 };
        Some((line.hertz, 10.0 * (side * found.spectrum.density.get(at)?).log10()))
    });
    let tops: Vec<(f64, f64)> = tops.collect();
    let mut excerpt = Excerpt::default();
    excerpt.keep(samples);
    let density = Density { found: shown, marks: &tops, mask };
    record_sheet_of(name, unit, found.rate, &excerpt, samples.len() as u64, &density)
}

/// The record before and after, its liveliest stretch, and both spectra.
///
/// # Errors
/// [`SpectrumError`] where there are too few samples for a spectrum.
pub fn before_and_after(
    (name, filter): (&str, &str),
    rate: SampleRate,
    shown: &[Excerpt; 2],
    unsettled: usize,
    samples: u64,
) -> Result<Sheet, SpectrumError> {
    let [before, after] = [&shown[0].samples[..], &shown[1].samples];
    let density =
        |samples: &[f64]| spectrum(samples, rate, SpectrumWish::for_length(samples.len()));
    let spectra = [density(before)?, density(after)?];
    let traces = [
        Trace { name: "before", pen: Pen::Light, samples: before },
        Trace { name: "after", pen: Pen::Over, samples: after },
    ];
    let time = |title: &str, part: Range<usize>| {
        time_panel(title, name, 1.0 / rate.hertz(), &traces, &part, unsettled)
    };
    let panels = vec![
        time(&shown[0].title(samples), 0..before.len()),
        time("a closer look", liveliest(before, 500)),
        density_panel(&[("before", Pen::Light, &spectra[0]), ("after", Pen::Over, &spectra[1])]),
    ];
    let title = format!("{name}, before and after {}", filter);
    Ok(Sheet { title, panels })
}
