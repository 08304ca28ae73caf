//! `mrake signal`

use crate::arguments::Signal;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::read_text;
use crate::print;
use crate::work::progress;
use mellow_rake::signal::{Converter, SignalPlan};
use mellow_rake_files::{Encoding, FileFormat, RecordingPlan, RecordingWriter, Values};
use mellow_rake_report::Document;
use mellow_rake_report::figure::{Excerpt, record_sheet};
use mellow_rake_report::numbers::engineering;
use serde::Serialize;
use std::path::Path;

const BLOCK: usize = 1 << 16;

#[derive(Serialize)]
struct SignalObject {
    name: String,
    file: String,
    samples: u64,
    sample_rate_hz: f64,
    seed: u64,
    parts: Vec<PartObject>,
    converter: Option<ConverterObject>,
    encoding: Option<String>,
    lowest: f64,
    highest: f64,
    rms: f64,
}

#[derive(Serialize)]
struct PartObject {
    title: String,
    start: u64,
    stop: u64,
    symbols: Option<usize>,
}

#[derive(Serialize)]
struct ConverterObject {
    bits: u32,
    range: f64,
    step: f64,
    noise: f64,
    clipped_samples: u64,
}

/// The plan of a file.
pub(crate) fn plan_file(path: &Path) -> Result<SignalPlan, Failure> {
    let text = read_text(path)?;
    SignalPlan::parse(&text).map_err(|error| Failure::Spec { path: path.to_owned(), error })
}

/// The plan that the options say, in the words of a file.
fn plan_of(options: &Signal) -> Result<SignalPlan, Failure> {
    let (Some(rate), Some(length)) = (&options.rate, &options.length) else {
        return Err(Failure::Call(
            "a plan file, or --rate, --length and --part, is wanted; as mrake signal --rate \"1 kHz\" \
             --length \"2 s\" --part 'kind = \"tone\", frequency = \"87.5 Hz\", amplitude = 0.5' -o tone.csv"
                .to_owned(),
        ));
    };
    let quoted = |text: &str| toml_edit::value(text).to_string();
    let name = options.name.as_deref().unwrap_or("signal");
    let mut text = format!(
        "name = {}\nsample_rate = {}\nlength = {}\nseed = {}\npart = [\n",
        quoted(name),
        quoted(&format!("{} Hz", rate.hertz())),
        quoted(length),
        options.seed.unwrap_or(1)
    );
    for part in &options.part {
        text.push_str(&format!("  {{ {part} }},\n"));
    }
    text.push_str("]\n");
    if let Some(converter) = &options.converter {
        text.push_str(&format!("converter = {{ {converter} }}\n"));
    }
    SignalPlan::parse(&text)
        .map_err(|error| Failure::Call(format!("{error}\nwhat the options say:\n{text}")))
}

/// The lowest, the highest and the mean square so far.
struct Running {
    lowest: f64,
    highest: f64,
    squares: f64,
}

pub(crate) fn run(options: &Signal) -> Result<Outcome, Failure> {
    let mut plan = match &options.plan {
        Some(path) => plan_file(path)?,
        None => plan_of(options)?,
    };
    plan.seed = options.seed.unwrap_or(plan.seed);
    let path = &options.output;
    let format = FileFormat::of(path)?;
    let own = match (plan.converter, format) {
        (Some(converter), _) => format.signed(converter.bits),
        (None, FileFormat::Wav) => Encoding::float(false),
        (None, _) => Encoding::float(true),
    };
    let encoding = options.output_encoding.unwrap_or(own);
    if plan.converter.is_none() && encoding.is_integer() {
        return Err(Failure::Call(format!(
            "--output-encoding {encoding}: integers need a table [converter], which says how numbers become \
                counts"
        )));
    }
    let (names, rate, samples) = (vec![plan.name.to_string()], plan.sample_rate, plan.samples);
    let record = RecordingPlan { names, rate, samples, encoding };
    let mut writer = RecordingWriter::create(path, record)?;
    let (mut signal, mut converter) = (plan.start(), plan.converter.map(|one| one.start()));
    let mut levels = Running { lowest: f64::MAX, highest: f64::MIN, squares: 0.0 };
    let mut shown = Excerpt::default();
    let bar = progress(samples, "making");
    loop {
        let block = signal.next_block(BLOCK);
        if block.is_empty() {
            break;
        }
        bar.inc(block.len() as u64);
        let values = match &mut converter {
            Some(converter) => Values::Integers(converter.convert(&block)),
            None => Values::Reals(block),
        };
        let reals = values.reals();
        for x in &reals {
            levels.lowest = levels.lowest.min(*x);
            levels.highest = levels.highest.max(*x);
            levels.squares += x * x;
        }
        if options.figure.is_some() {
            shown.keep(&reals);
        }
        writer.push(&[values])?;
    }
    bar.finish_and_clear();
    if let Some(figure) = &options.figure {
        let unit = if converter.is_some() { "counts" } else { "" };
        figures::write(Some(figure), || {
            record_sheet(plan.name.as_str(), unit, rate, &shown, samples, &[])
                .map_err(|error| Failure::Call(format!("{}: {error}", figure.display())))
        })?;
    }
    writer.finish()?;
    let has_bytes = !matches!(format, FileFormat::Text | FileFormat::Json);
    let object = SignalObject {
        name: plan.name.to_string(),
        file: path.display().to_string(),
        samples,
        sample_rate_hz: rate.hertz(),
        seed: plan.seed,
        parts: parts(&plan),
        converter: plan.converter.map(|one: Converter| ConverterObject {
            bits: one.bits,
            range: one.range,
            step: one.step(),
            noise: one.noise,
            clipped_samples: converter.map_or(0, |running| running.clipped()),
        }),
        encoding: has_bytes.then(|| encoding.to_string()),
        lowest: levels.lowest,
        highest: levels.highest,
        rms: (levels.squares / samples as f64).sqrt(),
    };
    if options.json {
        print::json(&object)?;
    } else {
        print::page(&text(&object, format))?;
    }
    Ok(Outcome::Held)
}

fn parts(plan: &SignalPlan) -> Vec<PartObject> {
    let part = |part: &mellow_rake::signal::Part| PartObject {
        title: part.waveform.title(plan.sample_rate),
        start: part.start,
        stop: part.stop,
        symbols: part.symbols(plan.sample_rate),
    };
    plan.parts.iter().map(part).collect()
}

fn text(object: &SignalObject, format: FileFormat) -> Document {
    let SignalObject { file, name, samples, sample_rate_hz, seed, .. } = object;
    let mut text = Document::of(&format!(
        "{file}: `{name}`, {samples} samples at {sample_rate_hz} Hz, {:.3} s, seed {seed}\n\n",
        *samples as f64 / sample_rate_hz
    ));
    let row = |part: &PartObject| {
        let symbols = part.symbols.map_or("-".to_owned(), |count| count.to_string());
        vec![part.title.clone(), part.start.to_string(), part.stop.to_string(), symbols]
    };
    let rows: Vec<Vec<String>> = object.parts.iter().map(row).collect();
    text.table(&["part", "from sample", "to", "symbols"], &rows);
    if let Some(one) = &object.converter {
        text.lines(&format!(
            "  converter: {} bits over ±{}, {} a count, noise {} rms; {}\n",
            one.bits,
            one.range,
            one.step,
            one.noise,
            match one.clipped_samples {
                0 => "nothing cut off".to_owned(),
                count => format!("{count} SAMPLES CUT OFF"),
            }
        ));
    }
    let SignalObject { lowest, highest, rms, .. } = object;
    text.lines(&format!(
        "  from {} to {}, {} rms\n",
        engineering(*lowest),
        engineering(*highest),
        engineering(*rms)
    ));
    if let Some(encoding) = &object.encoding {
        text.lines(&format!("  written as {encoding}\n"));
    }
    if format == FileFormat::Wav && object.converter.is_none() && highest.max(-lowest) > 1.0 {
        text.lines("  beyond ±1, where players of WAV files cut off\n");
    }
    text
}
