//! `mrake run`

use crate::arguments::Run;
use crate::failure::{Failure, Outcome};
use crate::figures::{self, Excerpt, Trace, density_panel, liveliest, time_panel};
use crate::load::Loaded;
use crate::print::{self, wrapped};
use crate::stream::{Mode, pass};
use crate::text::units::frequencies;
use mellow_rake::filter::{PhaseResponse, Transfer};
use mellow_rake::fixed::WordFormat;
use mellow_rake::quality::Measures;
use mellow_rake::response::measure_time;
use mellow_rake::signal::{SpectrumError, SpectrumWish, Twice, spectrum};
use mellow_rake_figures::{Pen, Sheet, draw};
use mellow_rake_files::{
    Encoding, FileFormat, RecordingPlan, RecordingReader, RecordingWriter, Values, write_whole,
};
use serde::Serialize;
use std::path::Path;

#[derive(Serialize)]
struct RunObject {
    name: String,
    mode: &'static str,
    method: &'static str,
    input: String,
    output: String,
    columns: Vec<String>,
    samples: u64,
    sample_rate_hz: f64,
    unit: Option<String>,
    encoding: Option<String>,
    written_factor: f64,
    clipped_samples: u64,
    limited_samples: Option<u64>,
    latency_samples: u32,
    delay_removed_samples: usize,
    delay_left_samples: Option<f64>,
    settling_samples: usize,
    affected_at_each_end: Option<usize>,
    /// The −3 dB points of the filter, and of a run forward and backward, in hertz.
    half_power_hz: Option<[Vec<f64>; 2]>,
}

pub(crate) fn run(options: &Run) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    let rate = loaded.spec.sample_rate;
    if is_same_file(&options.input, &options.output) {
        return Err(Failure::Call(format!(
            "{}: the output is the recording itself; another file is wanted",
            options.output.display()
        )));
    }
    let mut reader = RecordingReader::open(&options.input, &options.reading.choice(Some(rate)))?;
    let columns = columns(options, &reader)?;
    let scale = options.scaling.scale(reader.full_scale())?;
    let implementation = match options.bit_true {
        true => Some(loaded.need_implementation("run --bit-true")?),
        false => None,
    };
    let mode = match (&implementation, options.zero_phase) {
        (Some(implementation), _) => Mode::BitTrue(implementation),
        (None, true) => Mode::ZeroPhase,
        (None, false) => Mode::Float,
    };
    let removed = if options.remove_delay { delay(&loaded)? } else { 0 };
    let names: Vec<String> = columns.iter().map(|&column| reader.names()[column].clone()).collect();
    let format = FileFormat::of(&options.output)?;
    let words = implementation.as_ref().map(|implementation| implementation.fixed.output);
    let full_scale = reader.full_scale().filter(|_| scale.is_none());
    let form = Written::new(options.output_encoding, format, words, full_scale);
    let plan = RecordingPlan {
        names: match form.has_before {
            true => names.iter().flat_map(|n| [n.clone(), format!("{n}_filtered")]).collect(),
            false => names.clone(),
        },
        rate,
        samples: reader.samples(),
        encoding: form.encoding,
    };
    let mut writer = RecordingWriter::create(&options.output, plan)?;
    let samples = reader.samples();
    let mut clipped = 0;
    let mut shown = [Excerpt::default(), Excerpt::default()];
    let sink = |before: &[Values], after: &[Values]| {
        if options.figure.is_some() {
            shown[0].keep(&before[0].reals());
            shown[1].keep(&after[0].reals());
        }
        let mut block = Vec::new();
        for (before, after) in before.iter().zip(after) {
            if form.has_before {
                block.push(before.clone());
            }
            block.push(form.values(after, &mut clipped));
        }
        Ok(writer.push(&block)?)
    };
    let passed = pass(
        &mut reader,
        &options.input,
        &columns,
        (&loaded, &mode),
        scale.as_ref(),
        removed,
        sink,
    )?;
    // Taps have settled once they are full; a peak of 1 serves, as only the settling is asked for.
    let settling = measure_time(&loaded.design.form, 1.0, rate).settling_samples;
    let unsettled = if options.zero_phase { 0 } else { settling.saturating_sub(removed) };
    if let Some(path) = &options.figure {
        // Words of another format in steps of the input word, to stand on one scale.
        let steps = loaded.spec.fixed.filter(|_| options.bit_true);
        let step = steps.map_or(1.0, |fixed| fixed.output.step() / fixed.input.step());
        shown[1].samples.iter_mut().for_each(|y| *y *= step);
        draw_both(path, &loaded, &names[0], &shown, unsettled, samples)?;
        print::note(&format!("{} written", path.display()));
    }
    writer.finish()?;
    let left = loaded.design.form.taps().map(|taps| taps.group_delay(0.0) - removed as f64);
    let object = RunObject {
        name: loaded.spec.name.to_string(),
        mode: match mode {
            Mode::BitTrue(_) => "bit-true",
            Mode::ZeroPhase => "forward and backward",
            Mode::Float => "floating point",
        },
        method: passed.method,
        input: options.input.display().to_string(),
        output: options.output.display().to_string(),
        columns: names,
        samples,
        sample_rate_hz: rate.hertz(),
        unit: scale.map(|scale| scale.unit),
        encoding: (!form.is_text).then(|| form.encoding.to_string()),
        written_factor: form.factor,
        clipped_samples: clipped,
        limited_samples: passed.limited,
        latency_samples: 0,
        delay_removed_samples: removed,
        delay_left_samples: left.filter(|_| options.remove_delay),
        settling_samples: unsettled,
        affected_at_each_end: passed.affected,
        half_power_hz: options.zero_phase.then(|| {
            let design = &loaded.design;
            let once = design.transfer();
            let twice = Twice(once);
            let all: [&dyn Transfer; 2] = [once, &twice];
            all.map(|filter| Measures::of(filter, &design.choice, rate).half_power_hz())
        }),
    };
    if options.json {
        print::json(&object)?;
    } else {
        print::text(&text(&object))?;
    }
    Ok(Outcome::Held)
}

/// Whether two paths lead to one file, by whatever links.
fn is_same_file(one: &Path, other: &Path) -> bool {
    let places = [one, other].map(std::fs::canonicalize);
    let [Ok(one), Ok(other)] = places else {
        return false;
    };
    #[cfg(unix)]
    if let (Ok(one), Ok(other)) = (std::fs::metadata(&one), std::fs::metadata(&other)) {
        use std::os::unix::fs::MetadataExt;
        return one.is_file() && (one.dev(), one.ino()) == (other.dev(), other.ino());
    }
    one == other
}

/// The columns that were asked for, or the only one.
fn columns(options: &Run, reader: &RecordingReader) -> Result<Vec<usize>, Failure> {
    if options.all_columns {
        return Ok(reader.signals());
    }
    if options.column.is_empty() {
        return Ok(vec![reader.choose(None)?]);
    }
    options.column.iter().map(|name| Ok(reader.choose(Some(name))?)).collect()
}

/// How the output is written.
struct Written {
    encoding: Encoding,
    /// Samples are multiplied by this before.
    factor: f64,
    /// Whether the samples before stand beside those after, and numbers are written as text.
    has_before: bool,
    is_text: bool,
    /// Real numbers have to be rounded to integers.
    limits: Option<(i64, i64)>,
}

impl Written {
    fn new(
        wished: Option<Encoding>,
        format: FileFormat,
        words: Option<WordFormat>,
        full_scale: Option<f64>,
    ) -> Self {
        let is_text = matches!(format, FileFormat::Text | FileFormat::Json);
        let own = match (words, format) {
            // An unsigned word needs a bit more as a signed one.
            (Some(word), _) => format.signed(word.width() + u32::from(!word.is_signed())),
            (None, FileFormat::Wav) => Encoding::float(false),
            (None, _) => Encoding::float(true),
        };
        let encoding = wished.unwrap_or(own);
        // In a WAV file the full scale of floating point is 1, of integers 2 to the bits less one; elsewhere numbers are themselves.
        let factor = match (words, full_scale) {
            _ if is_text => 1.0,
            (Some(word), _) if !encoding.is_integer() => word.step(),
            (Some(_), _) => 1.0,
            (None, Some(full_scale)) if format == FileFormat::Wav && !encoding.is_integer() => {
                1.0 / full_scale
            }
            (None, Some(1.0)) if encoding.is_integer() => encoding.full_scale(),
            _ => 1.0,
        };
        let limits = encoding.limits().filter(|_| !is_text);
        Written { encoding, factor, has_before: is_text, is_text, limits }
    }

    /// The samples as they are written; counts those that the encoding cuts off.
    fn values(&self, after: &Values, clipped: &mut u64) -> Values {
        let (Values::Reals(samples), Some((low, high))) = (after, self.limits) else {
            return match after {
                _ if self.factor == 1.0 => after.clone(),
                _ => Values::Reals(after.reals().into_iter().map(|y| y * self.factor).collect()),
            };
        };
        let mut word = |y: &f64| {
            let word = (y * self.factor).round_ties_even();
            *clipped += u64::from(word < low as f64 || word > high as f64);
            (word as i64).clamp(low, high)
        };
        Values::Integers(samples.iter().map(&mut word).collect())
    }
}

fn text(object: &RunObject) -> String {
    let limits = match object.limited_samples {
        Some(count) if count > 0 => format!("; limits acted in {count} samples"),
        Some(_) => "; no limit acted".to_owned(),
        None => String::new(),
    };
    let RunObject { output, samples, columns, name, mode, method, .. } = object;
    let how = if *method == "overlap-save" { ", overlap-save" } else { "" };
    let mut text = format!(
        "{output}: {samples} samples of `{}` through {name} ({mode}{how}{limits})\n",
        columns.join("`, `")
    );
    if let Some(encoding) = &object.encoding {
        let scaled = match object.written_factor {
            1.0 => String::new(),
            factor if factor < 1.0 => format!(", 1 for {}", 1.0 / factor),
            factor => format!(", {factor} for 1"),
        };
        let clipped = match object.clipped_samples {
            0 => String::new(),
            count => format!("; {count} SAMPLES CUT OFF at the ends of its range"),
        };
        text.push_str(&format!("  written as {encoding}{scaled}{clipped}\n"));
    }
    if let Some(affected) = object.affected_at_each_end {
        let moved = match &object.half_power_hz {
            Some([once, twice]) if !twice.is_empty() && once.len() == twice.len() => format!(
                ", so the -3 dB points move from {} to {}",
                frequencies(once, " and "),
                frequencies(twice, " and ")
            ),
            _ => String::new(),
        };
        let line = format!(
            "  every attenuation in decibels counts twice{moved}; the first and the last {affected} samples depend on what is assumed \
             beyond the ends: the recording turned about its last sample"
        );
        text.push_str(&wrapped(&line, 4));
    } else {
        let unsettled = object.settling_samples;
        text.push_str(&format!("  the first {unsettled} samples are the filter's start-up\n"));
    }
    if let Some(left) = object.delay_left_samples {
        let removed = object.delay_removed_samples;
        let line = format!(
            "  {removed} samples of delay taken off, {left} left; the last {removed} samples are the answer to the last one held"
        );
        text.push_str(&wrapped(&line, 4));
    }
    text
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

/// The record before and after, its liveliest stretch, and both spectra.
fn draw_both(
    path: &Path,
    loaded: &Loaded,
    name: &str,
    shown: &[Excerpt; 2],
    unsettled: usize,
    samples: u64,
) -> Result<(), Failure> {
    let [before, after] = [&shown[0].samples[..], &shown[1].samples];
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
        time(&shown[0].title(samples), 0..before.len()),
        time("a closer look", liveliest(before, 500)),
        density_panel(&[("before", Pen::Light, &spectra[0]), ("after", Pen::Over, &spectra[1])]),
    ];
    let title = format!("{name}, before and after {}", loaded.spec.name);
    write_whole(path, &draw(&Sheet { title, panels }, format)?)?;
    Ok(())
}
