//! `mrake run`

use crate::arguments::Run;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::{AnySpec, Loaded};
use crate::print;
use crate::work::progress;
use mellow_rake::filter::{PhaseResponse, Transfer};
use mellow_rake::quality::Measures;
use mellow_rake::response::measure_time;
use mellow_rake::signal::Twice;
use mellow_rake_files::{
    FileFormat, Mode, OutputForm, RecordingPlan, RecordingReader, RecordingWriter, Values, pass,
};
use mellow_rake_report::Document;
use mellow_rake_report::figure::{Excerpt, before_and_after};
use mellow_rake_report::units::frequencies;
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
    let loaded = match AnySpec::file(&options.spec)? {
        AnySpec::Filter(loaded) => loaded,
        AnySpec::Chain(study) => return super::run_chain::run(options, &study),
    };
    let rate = loaded.study.spec.sample_rate;
    if is_same_file(&options.input, &options.output) {
        return Err(Failure::Call(format!(
            "{}: the output is the recording itself; another file is wanted",
            options.output.display()
        )));
    }
    let mut reader = RecordingReader::open(&options.input, &options.reading.choice(Some(rate)))?;
    let columns = columns(options, &reader)?;
    let scale = options.scaling.scale(reader.full_scale())?;
    let number = if options.bit_true { loaded.float()? } else { None };
    let implementation = match options.bit_true && number.is_none() {
        true => Some(loaded.need_implementation("run --bit-true")?),
        false => None,
    };
    let mode = match (implementation, options.zero_phase) {
        _ if number.is_some() => number.map_or(Mode::Float, Mode::InFormat),
        (Some(implementation), _) => Mode::BitTrue(implementation),
        (None, true) => Mode::ZeroPhase,
        (None, false) => Mode::Float,
    };
    let removed = if options.remove_delay { delay(&loaded)? } else { 0 };
    let names: Vec<String> = columns.iter().map(|&column| reader.names()[column].clone()).collect();
    let format = FileFormat::of(&options.output)?;
    let words = implementation.map(|implementation| implementation.fixed.output);
    let full_scale = reader.full_scale().filter(|_| scale.is_none());
    let form = OutputForm::new(options.output_encoding, format, words, full_scale);
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
    let bar = progress(samples, "filtering");
    let sink = |before: &[Values], after: &[Values]| -> Result<(), Failure> {
        bar.inc(before[0].len() as u64);
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
        (&loaded.study.design.form, &mode),
        scale.as_ref(),
        removed,
        sink,
    )?;
    bar.finish_and_clear();
    // Taps have settled once they are full; a peak of 1 serves, as only the settling is asked for.
    let settling = measure_time(&loaded.study.design.form, 1.0, rate).settling_samples;
    let unsettled = if options.zero_phase { 0 } else { settling.saturating_sub(removed) };
    if let Some(path) = &options.figure {
        // Words of another format in steps of the input word, to stand on one scale.
        let steps = loaded.study.spec.fixed.filter(|_| options.bit_true);
        let step = steps.map_or(1.0, |fixed| fixed.output.step() / fixed.input.step());
        shown[1].samples.iter_mut().for_each(|y| *y *= step);
        figures::write(Some(path), || {
            let named = (names[0].as_str(), loaded.study.spec.name.as_str());
            before_and_after(named, rate, &shown, unsettled, samples)
                .map_err(|error| Failure::Call(format!("{}: {error}", path.display())))
        })?;
    }
    writer.finish()?;
    let left = loaded.study.design.form.taps().map(|taps| taps.group_delay(0.0) - removed as f64);
    let object = RunObject {
        name: loaded.study.spec.name.to_string(),
        mode: match mode {
            Mode::BitTrue(_) | Mode::InFormat(_) => "bit-true",
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
            let design = &loaded.study.design;
            let once = design.transfer();
            let twice = Twice(once);
            let all: [&dyn Transfer; 2] = [once, &twice];
            all.map(|filter| Measures::of(filter, &design.choice, rate).half_power_hz())
        }),
    };
    if options.json {
        print::json(&object)?;
    } else {
        print::page(&text(&object))?;
    }
    Ok(Outcome::Held)
}

/// Whether two paths lead to one file, by whatever links.
pub(super) fn is_same_file(one: &Path, other: &Path) -> bool {
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
pub(super) fn columns(options: &Run, reader: &RecordingReader) -> Result<Vec<usize>, Failure> {
    if options.all_columns {
        return Ok(reader.signals());
    }
    if options.column.is_empty() {
        return Ok(vec![reader.choose(None)?]);
    }
    options.column.iter().map(|name| Ok(reader.choose(Some(name))?)).collect()
}

fn text(object: &RunObject) -> Document {
    let limits = match object.limited_samples {
        Some(count) if count > 0 => format!("; limits acted in {count} samples"),
        Some(_) => "; no limit acted".to_owned(),
        None => String::new(),
    };
    let RunObject { output, samples, columns, name, mode, method, .. } = object;
    let how = if *method == "overlap-save" { ", overlap-save" } else { "" };
    let mut text = Document::of(&format!(
        "{output}: {samples} samples of `{}` through {name} ({mode}{how}{limits})\n",
        columns.join("`, `")
    ));
    text.append(written(&object.encoding, object.written_factor, object.clipped_samples));
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
            "  every attenuation in decibels counts twice{moved}; the first and the last {affected} samples \
             depend on what is assumed beyond the ends: the recording turned about its last sample"
        );
        text.paragraph(&line, 4);
    } else {
        let unsettled = object.settling_samples;
        text.lines(&format!("  the first {unsettled} samples are the filter's start-up\n"));
    }
    if let Some(left) = object.delay_left_samples {
        let removed = object.delay_removed_samples;
        let line = format!(
            "  {removed} samples of delay taken off, {left} left; the last {removed} samples are the answer \
                to the last one held"
        );
        text.paragraph(&line, 4);
    }
    text
}

/// How numbers stand in the file that was written.
pub(super) fn written(encoding: &Option<String>, factor: f64, clipped: u64) -> Document {
    let Some(encoding) = encoding else { return Document::default() };
    let scaled = match factor {
        1.0 => String::new(),
        factor if factor < 1.0 => format!(", 1 for {}", 1.0 / factor),
        factor => format!(", {factor} for 1"),
    };
    let clipped = match clipped {
        0 => String::new(),
        count => format!("; {count} SAMPLES CUT OFF at the ends of its range"),
    };
    Document::of(&format!("  written as {encoding}{scaled}{clipped}\n"))
}

/// The whole samples of a delay that is the same at every frequency.
fn delay(loaded: &Loaded) -> Result<usize, Failure> {
    let taps = loaded.study.design.form.taps().filter(|taps| taps.linear_phase().is_some());
    let taps = taps.ok_or_else(|| {
        Failure::Call(format!(
            "{}: --remove-delay: the delay of this filter is not the same at every frequency; --zero-phase \
             has none, and taps of linear phase have one that can be taken off",
            loaded.path.display()
        ))
    })?;
    Ok(taps.group_delay(0.0) as usize)
}
