//! `mrake run` of a chain of stages: the output has another rate.

use super::run::{columns, is_same_file};
use crate::arguments::Run;
use crate::failure::{Failure, Outcome};
use crate::print;
use crate::work::progress;
use mellow_rake::study::ChainStudy;
use mellow_rake_files::{
    ChainMode, FileFormat, OutputForm, RecordingPlan, RecordingReader, RecordingWriter, Values,
    pass_chain,
};
use mellow_rake_report::Document;
use mellow_rake_report::units::{duration, frequencies};
use serde::Serialize;

#[derive(Serialize)]
struct ChainRunObject {
    name: String,
    mode: &'static str,
    input: String,
    output: String,
    columns: Vec<String>,
    samples: u64,
    sample_rate_hz: f64,
    output_samples: u64,
    output_rate_hz: f64,
    unit: Option<String>,
    encoding: Option<String>,
    written_factor: f64,
    clipped_samples: u64,
    limited_firings: Option<u64>,
    delay_s: Option<f64>,
    delay_removed_samples: u64,
    delay_left_samples: Option<f64>,
    start_up_samples: u64,
}

/// Takes a recording through a chain.
pub(super) fn run(options: &Run, study: &ChainStudy) -> Result<Outcome, Failure> {
    let call = |what: &str| Failure::Call(format!("{}: {what}", options.spec.display()));
    let network = match (options.bit_true, study.integers()) {
        (false, _) => None,
        (true, Some((found, _))) => Some(&found.network),
        (true, None) => {
            return Err(call(
                "--bit-true: the spec has no table [fixed]; one with the words, as input = \"s16f15\", asks \
                 for integers",
            ));
        }
    };
    if options.zero_phase {
        return Err(call(
            "--zero-phase: what a chain throws away between two samples is not there for a run backward; \
             --remove-delay takes the delay off",
        ));
    }
    if options.figure.is_some() {
        return Err(call(
            "--figure draws before and after at one rate; `mrake inspect FILE --figure` draws either file",
        ));
    }
    if is_same_file(&options.input, &options.output) {
        return Err(Failure::Call(format!(
            "{}: the output is the recording itself; another file is wanted",
            options.output.display()
        )));
    }
    let chain = study.chain();
    let (rate, output_rate) = (chain.input_rate(), chain.output_rate());
    let mut reader = RecordingReader::open(&options.input, &options.reading.choice(Some(rate)))?;
    let columns = columns_of(options, &reader, chain.lanes_in())?;
    let scale = options.scaling.scale(reader.full_scale())?;
    let behind = chain.delay_outputs();
    let removed = match (options.remove_delay, behind) {
        (false, _) => 0,
        // Of a whole number the last digits do not make one less.
        (true, Some(samples)) => (samples + 1e-6) as u64,
        (true, None) => {
            return Err(call(
                "--remove-delay: the delay of this chain is not the same at every frequency; taps of linear \
                 phase in all stages have one that can be taken off",
            ));
        }
    };
    let names: Vec<String> = columns.iter().map(|&column| reader.names()[column].clone()).collect();
    let format = FileFormat::of(&options.output)?;
    let full_scale = reader.full_scale().filter(|_| scale.is_none());
    let words = network.map(|network| network.output());
    let form = OutputForm::new(options.output_encoding, format, words, full_scale);
    let samples = reader.samples();
    let plan = RecordingPlan {
        names: names_out(
            &names,
            [chain.lanes_in(), chain.lanes_out()].map(|all| all / chain.channels()),
        ),
        rate: output_rate,
        samples: chain.outputs_of(samples),
        encoding: form.encoding,
    };
    let output_samples = plan.samples;
    let mut writer = RecordingWriter::create(&options.output, plan)?;
    let mut clipped = 0;
    let bar = progress(samples, "filtering");
    let sink = |read: u64, after: &[Values]| -> Result<(), Failure> {
        bar.inc(read);
        let written: Vec<Values> =
            after.iter().map(|after| form.values(after, &mut clipped)).collect();
        Ok(writer.push(&written)?)
    };
    let mode = network.map_or(ChainMode::Float, ChainMode::BitTrue);
    let passed = pass_chain(
        &mut reader,
        &options.input,
        &columns,
        (chain, mode),
        scale.as_ref(),
        removed,
        sink,
    )?;
    bar.finish_and_clear();
    writer.finish()?;
    let object = ChainRunObject {
        name: study.spec.name.to_string(),
        mode: if network.is_some() { "bit-true" } else { "floating point" },
        input: options.input.display().to_string(),
        output: options.output.display().to_string(),
        columns: names,
        samples,
        sample_rate_hz: rate.hertz(),
        output_samples,
        output_rate_hz: output_rate.hertz(),
        unit: scale.map(|scale| scale.unit),
        encoding: (!form.is_text).then(|| form.encoding.to_string()),
        written_factor: form.factor,
        clipped_samples: clipped,
        limited_firings: passed.limited,
        delay_s: chain.delay_seconds(),
        delay_removed_samples: removed,
        delay_left_samples: behind.filter(|_| options.remove_delay).map(|all| all - removed as f64),
        start_up_samples: chain.start_up_outputs().saturating_sub(removed),
    };
    if options.json {
        print::json(&object)?;
    } else {
        print::page(&text(&object))?;
    }
    Ok(Outcome::Held)
}

/// The columns that were asked for, so many for each sample; or all that there are if they are so many.
fn columns_of(
    options: &Run,
    reader: &RecordingReader,
    lanes: usize,
) -> Result<Vec<usize>, Failure> {
    let asks = options.all_columns || !options.column.is_empty();
    if lanes == 1 || asks {
        let found = columns(options, reader)?;
        return match found.len() % lanes {
            0 => Ok(found),
            _ => Err(of_lanes(options, lanes, found.len())),
        };
    }
    let all = reader.signals();
    if all.len() == lanes { Ok(all) } else { Err(of_lanes(options, lanes, all.len())) }
}

fn of_lanes(options: &Run, lanes: usize, found: usize) -> Failure {
    Failure::Call(format!(
        "{}: a sample of this chain is {lanes} columns side by side, of complex ones the real part first, \
         and here are {found}; --column for each names them, --all-columns takes all",
        options.input.display()
    ))
}

/// The columns that come out: of complex samples NAME_i and NAME_q.
fn names_out(names: &[String], lanes: [usize; 2]) -> Vec<String> {
    match lanes {
        [1, 2] => names.iter().flat_map(|n| [format!("{n}_i"), format!("{n}_q")]).collect(),
        [2, 1] => {
            let real = |both: &[String]| both[0].strip_suffix("_i").unwrap_or(&both[0]).to_owned();
            names.chunks(2).map(real).collect()
        }
        _ => names.to_vec(),
    }
}

fn text(object: &ChainRunObject) -> Document {
    let ChainRunObject { name, output, columns, samples, output_samples, .. } = object;
    let limits = match object.limited_firings {
        Some(0) => "; no limit acted".to_owned(),
        Some(count) => format!("; limits acted {count} times"),
        None => String::new(),
    };
    let mut text = Document::of(&format!(
        "{output}: {samples} samples of `{}` at {} through {name}, {output_samples} at {} ({}{limits})\n",
        columns.join("`, `"),
        frequencies(&[object.sample_rate_hz], ""),
        frequencies(&[object.output_rate_hz], ""),
        object.mode
    ));
    text.append(super::run::written(
        &object.encoding,
        object.written_factor,
        object.clipped_samples,
    ));
    text.lines(&format!(
        "  the first {} samples are the start-up of its stages\n",
        object.start_up_samples
    ));
    match (object.delay_s, object.delay_left_samples) {
        (_, Some(left)) => text.paragraph(
            &format!(
                "  {} samples of delay taken off, {left:.4} left; the last ones are the answer to the last \
                 sample held",
                object.delay_removed_samples
            ),
            4,
        ),
        (Some(delay), None) => {
            let line = "later; --remove-delay takes the whole samples of that off";
            text.lines(&format!("  everything comes {} {line}", duration(delay)));
        }
        (None, None) => {}
    }
    text
}
