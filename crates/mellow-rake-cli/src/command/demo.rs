//! `mrake demo`

use crate::arguments::Demo;
use crate::command::cost::{CostObject, Told, tell};
use crate::command::demo_chain::{self, ChainDemoObject, Shown};
use crate::command::generate::write_files;
use crate::failure::{Failure, Outcome};
use crate::load::{Loaded, Recording};
use crate::print;
use crate::work::prove;
use mellow_rake::datapath::Simulator;
use mellow_rake::design::Choice;
use mellow_rake::signal::tone_level_db;
use mellow_rake::study::{DesignRecord, Study};
use mellow_rake::units::SampleRate;
use mellow_rake::verify::Proof;
use mellow_rake::write::Language;
use mellow_rake_figures::{Format, Pen, Sheet, draw};
use mellow_rake_files::write_whole;
use mellow_rake_report::Document;
use mellow_rake_report::figure::{RESPONSE, Scene, Trace, Wishes, time_panel};
use mellow_rake_report::page;
use mellow_rake_rig::{Family, Target};
use serde::Serialize;
use std::ops::Range;
use std::path::Path;

/// A recording of the buoy and the filter for it.
struct Example {
    name: &'static str,
    what: &'static str,
    recording: &'static [u8],
    recording_file: &'static str,
    spec: &'static str,
    spec_file: &'static str,
    /// The same filter in hardware that shares a multiplier, and the file that it is in.
    unit: Option<(&'static str, &'static str)>,
    /// The part of the record that the figure shows at its own scale, in seconds.
    zoom_s: (f64, f64),
}

const EXAMPLES: [Example; 3] = [
    Example {
        name: "mooring",
        what: "Mooring strain",
        recording: include_bytes!("../../demo/mooring/mooring.csv"),
        recording_file: "mooring.csv",
        spec: include_str!("../../demo/mooring/pump_hum.toml"),
        spec_file: "pump_hum.toml",
        unit: None,
        zoom_s: (8.0, 8.5),
    },
    Example {
        name: "breath",
        what: "Chest-belt respiration",
        recording: include_bytes!("../../demo/breath/breath.csv"),
        recording_file: "breath.csv",
        spec: include_str!("../../demo/breath/breath.toml"),
        spec_file: "breath.toml",
        unit: None,
        zoom_s: (40.0, 60.0),
    },
    Example {
        name: "modem",
        what: "Acoustic telemetry",
        recording: include_bytes!("../../demo/modem/modem.wav"),
        recording_file: "modem.wav",
        spec: include_str!("../../demo/modem/carrier_band.toml"),
        spec_file: "carrier_band.toml",
        unit: Some((include_str!("../../demo/modem/carrier_unit.toml"), "carrier_unit.toml")),
        zoom_s: (0.255, 0.285),
    },
];
/// The hum is measured from here on: the pump runs, and the filter's start is over.
const SETTLED_S: f64 = 3.0;

/// The level of the hum.
#[derive(Serialize)]
struct Hum {
    frequency_hz: f64,
    before_dbfs: f64,
    after_float_dbfs: f64,
    after_integer_dbfs: f64,
}

impl Hum {
    fn text(&self) -> String {
        let Hum { frequency_hz, before_dbfs, after_float_dbfs, after_integer_dbfs } = self;
        format!(
            "Hum at {frequency_hz} Hz, from {SETTLED_S} s on\n  before {before_dbfs:.1} dBFS, after \
             {after_integer_dbfs:.1} dBFS on integers ({after_float_dbfs:.1} in floating point): {:.1} dB \
             less\n\n",
            before_dbfs - after_integer_dbfs
        )
    }
}

#[derive(Serialize)]
struct DemoObject<'a> {
    demo: &'static str,
    folder: String,
    files: Vec<String>,
    hum: Option<Hum>,
    design: DesignRecord,
    proof: &'a Proof,
    verdict: &'static str,
    unit: Option<UnitObject>,
    chain: Option<ChainDemoObject>,
}

/// The same filter in hardware.
#[derive(Serialize)]
struct UnitObject {
    #[serde(flatten)]
    cost: CostObject,
    proof: Proof,
    verdict: &'static str,
}

/// The filter in hardware: its files, what they take, and the proof that they are right.
fn unit(
    home: &Path,
    folder: &Path,
    (spec, file): (&str, &str),
    words: &[i64],
) -> Result<(Vec<String>, Document, UnitObject, bool), Failure> {
    let loaded = Loaded::text(&home.join(file), spec)?;
    write_whole(&folder.join(file), spec.as_bytes())?;
    let generated = loaded.files(&[Language::Verilog])?;
    write_files(folder, &generated)?;
    let Told { mut page, object: cost, held } = tell(&loaded, &[], &[Family::Ice40])?;
    let implementation = loaded.need_implementation("demo")?;
    let targets = [Target::Icarus];
    let proof = prove(&loaded.study, implementation, Some(words), &targets, &generated);
    let (proved, verdict) = proof.verdict(false);
    page.gap();
    page.lines(&format!("Its Verilog against the bit-true simulator: {verdict}"));
    let mut names = vec![file.to_owned()];
    names.extend(generated.iter().map(|file| file.name.clone()));
    // A synthesizer that is not there has not failed.
    Ok((names, page, UnitObject { cost, proof, verdict }, proved && held != Some(false)))
}

pub(crate) fn run(options: &Demo) -> Result<Outcome, Failure> {
    let names = EXAMPLES.map(|example| example.name).join(", ");
    if options.name == "uplink" {
        let folder = options.output.clone().unwrap_or_else(|| "lantern-reef/uplink".into());
        return demo_chain::uplink(&folder, options.json);
    }
    let Some(example) = EXAMPLES.iter().find(|example| example.name == options.name) else {
        let name = &options.name;
        return Err(Failure::Call(format!("no example `{name}`; there are: {names}, uplink")));
    };
    let folder =
        options.output.clone().unwrap_or_else(|| Path::new("lantern-reef").join(example.name));
    show(example, &folder, options.json)
}

fn show(example: &Example, folder: &Path, json: bool) -> Result<Outcome, Failure> {
    let Example { name, recording, recording_file, spec, spec_file, unit: other, zoom_s, .. } =
        *example;
    let home = Path::new("demo").join(name);
    let loaded = Loaded::text(&home.join(spec_file), spec)?;
    let study = &loaded.study;
    let implementation = loaded.need_implementation("demo")?;
    let rate = study.spec.sample_rate;
    let samples = Recording::bytes(&home.join(recording_file), recording, rate)?;
    let words = samples.words(implementation.fixed.input)?;

    std::fs::create_dir_all(folder)
        .map_err(|source| Failure::Read { path: folder.to_owned(), source })?;
    write_whole(&folder.join(recording_file), recording)?;
    write_whole(&folder.join(spec_file), spec.as_bytes())?;
    let generated = loaded.files(&Language::ALL.map(|(language, ..)| language))?;
    write_files(folder, &generated)?;

    let before = samples.values.reals();
    let float = study.design.form.start().run(&before);
    // Output words in steps of the input word, so that both stand on one scale.
    let scale = implementation.fixed.output.step() / implementation.fixed.input.step();
    let output = Simulator::new(&implementation.checked).run(&words);
    let integer: Vec<f64> = output.iter().map(|&y| y as f64 * scale).collect();
    let hum = match &study.design.choice {
        Choice::Notch(choice) => Some(Hum {
            frequency_hz: choice.center_hz,
            before_dbfs: level(&before, rate, choice.center_hz),
            after_float_dbfs: level(&float, rate, choice.center_hz),
            after_integer_dbfs: level(&integer, rate, choice.center_hz),
        }),
        _ => None,
    };

    let path = folder.join("response.png");
    let scene = Scene::of(study, Wishes::default());
    let title = format!("{}: {}", study.spec.name, scene.plan.title);
    write_whole(&path, &draw(&scene.sheet(&title, &RESPONSE), Format::Png)?)?;
    let traces = [
        Trace { name: "before", pen: Pen::Light, samples: &before },
        Trace { name: "after", pen: Pen::Over, samples: &integer },
    ];
    let panel = |title: &str, part: Range<usize>| {
        time_panel(title, "level in counts", 1.0 / rate.hertz(), &traces, &part, 0)
    };
    let sample = |seconds: f64| ((seconds * rate.hertz()).round() as usize).min(before.len());
    let close = sample(zoom_s.0)..sample(zoom_s.1);
    let title = format!("{name}, before and after {} on integers", study.spec.name);
    let panels = vec![panel("the whole record", 0..before.len()), panel("a closer look", close)];
    let picture = draw(&Sheet { title, panels }, Format::Png)?;
    write_whole(&folder.join("before_after.png"), &picture)?;

    let targets = [Target::HostC, Target::Rust, Target::Icarus, Target::Ghdl];
    let proof = prove(study, implementation, Some(&words), &targets, &generated);
    let mut names: Vec<String> = [recording_file, spec_file].map(str::to_owned).to_vec();
    names.extend(generated.iter().map(|file| file.name.clone()));
    let unit = other.map(|other| unit(&home, folder, other, &words)).transpose()?;
    let (unit, unit_page, unit_held) = match unit {
        None => (None, None, true),
        Some((files, page, object, held)) => {
            names.extend(files);
            (Some(object), Some(page), held)
        }
    };
    let down = (name == "modem").then_some(demo_chain::DOWN);
    let down = down.map(|one| demo_chain::chain(&home, folder, one, Some(&words))).transpose()?;
    let (down, down_page, down_held) = match down {
        None => (None, None, true),
        Some(Shown { files, page, object, held }) => {
            names.extend(files);
            (Some(object), Some(page), held)
        }
    };
    names.extend(["response.png", "before_after.png", "result.json"].map(str::to_owned));
    let (held, verdict) = proof.verdict(false);
    let object = DemoObject {
        demo: name,
        folder: folder.display().to_string(),
        files: names,
        hum,
        design: study.record(),
        proof: &proof,
        verdict,
        unit,
        chain: down,
    };
    let result = serde_json::to_string_pretty(&object)?;
    write_whole(&folder.join("result.json"), format!("{result}\n").as_bytes())?;
    if json {
        print::json(&object)?;
    } else {
        let more = [unit_page, down_page].into_iter().flatten().collect();
        let page = account(example, study, (words.len(), rate), (&proof, more), &object);
        print::page(&page)?;
    }
    Ok(Outcome::of(study.meets_spec() != Some(false) && held && unit_held && down_held))
}

/// All that was done, in words.
fn account(
    example: &Example,
    study: &Study,
    (samples, rate): (usize, SampleRate),
    (proof, more): (&Proof, Vec<Document>),
    object: &DemoObject<'_>,
) -> Document {
    let mut text = Document::of(&format!(
        "{}, {samples} samples at {} Hz, {:.0} s\n\n",
        example.what,
        rate.hertz(),
        samples as f64 / rate.hertz()
    ));
    text.append(page::design(study));
    text.gap();
    if let Some(hum) = &object.hum {
        text.lines(&hum.text());
    }
    text.append(page::proof(proof));
    for page in more {
        text.gap();
        text.append(page);
    }
    ending(&mut text, object.verdict, &object.folder, &object.files);
    text
}

/// The verdict, and what was written.
pub(super) fn ending(page: &mut Document, verdict: &str, folder: &str, files: &[String]) {
    page.lines(&format!("\nVerdict: {verdict}\n\nWritten to {folder}:"));
    for names in files.chunks(5) {
        page.lines(&format!("  {}", names.join("  ")));
    }
}

/// The level of the tone at `hertz` in 16-bit counts, once the start is over.
fn level(counts: &[f64], rate: SampleRate, hertz: f64) -> f64 {
    let settled = (SETTLED_S * rate.hertz()) as usize;
    tone_level_db(&counts[settled..], rate, hertz, 32768.0)
}
