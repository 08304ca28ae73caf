//! `mrake demo`

use crate::arguments::{Demo, Language};
use crate::command::design::Measured;
use crate::command::generate::{files, write_files};
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::{Loaded, Recording};
use crate::objects::DesignObject;
use crate::print;
use crate::prove::{Proof, prove};
use mellow_rake::datapath::Simulator;
use mellow_rake::signal::tone_amplitude;
use mellow_rake::units::SampleRate;
use mellow_rake_figures::{BeforeAfter, Format, SignalPair, draw};
use mellow_rake_files::write_whole;
use mellow_rake_rig::Target;
use serde::Serialize;
use std::path::{Path, PathBuf};

const MOORING: &[u8] = include_bytes!("../../../../demo/mooring/mooring.csv");
const PUMP_HUM: &str = include_str!("../../../../demo/mooring/pump_hum.toml");
/// The hum is measured from here on: the pump runs, and the filter's start is over.
const SETTLED_S: f64 = 3.0;
/// The part of the record that the figure shows at its own scale: a snap load.
const ZOOM_S: (f64, f64) = (8.0, 8.5);

/// The level of the hum.
#[derive(Serialize)]
struct Hum {
    frequency_hz: f64,
    before_dbfs: f64,
    after_float_dbfs: f64,
    after_integer_dbfs: f64,
}

#[derive(Serialize)]
struct DemoObject<'a> {
    demo: &'static str,
    folder: String,
    files: Vec<String>,
    hum: Hum,
    design: DesignObject,
    proof: &'a Proof,
}

pub(crate) fn run(options: &Demo) -> Result<Outcome, Failure> {
    match options.name.as_str() {
        "mooring" => {}
        "breath" | "modem" => {
            return Err(Failure::Call(format!(
                "the example `{}` needs a kind of filter that is not built yet in this version; there is: mooring",
                options.name
            )));
        }
        other => {
            return Err(Failure::Call(format!(
                "no example `{other}`; there is: mooring"
            )));
        }
    }
    let folder = options
        .output
        .clone()
        .unwrap_or_else(|| PathBuf::from("lantern-reef/mooring"));
    mooring(&folder, options.json)
}

fn mooring(folder: &Path, json: bool) -> Result<Outcome, Failure> {
    let measured = Measured::new(Loaded::text(
        Path::new("demo/mooring/pump_hum.toml"),
        PUMP_HUM,
    )?)?;
    let loaded = &measured.loaded;
    let implementation = loaded.need_implementation("demo")?;
    let rate = loaded.spec.sample_rate;
    let recording = Recording::bytes(Path::new("demo/mooring/mooring.csv"), MOORING, None, rate)?;
    let words = recording.words(implementation.fixed.input)?;

    std::fs::create_dir_all(folder).map_err(|source| Failure::Read {
        path: folder.to_owned(),
        source,
    })?;
    write_whole(&folder.join("mooring.csv"), MOORING)?;
    write_whole(&folder.join("pump_hum.toml"), PUMP_HUM.as_bytes())?;
    let generated = files(
        &loaded.spec.name,
        &implementation,
        &[Language::C, Language::Verilog],
    )?;
    write_files(folder, &generated)?;

    let before = recording.reals();
    let float = loaded.design.sections.start().run(&before);
    let integer: Vec<f64> = Simulator::new(&implementation.checked)
        .run(&words)
        .iter()
        .map(|&y| y as f64)
        .collect();
    let center = loaded.design.choice.center_hz;
    let hum = Hum {
        frequency_hz: center,
        before_dbfs: level(&before, rate, center),
        after_float_dbfs: level(&float, rate, center),
        after_integer_dbfs: level(&integer, rate, center),
    };

    figures::response(loaded, Some(&implementation), &folder.join("response.png"))?;
    let figure = BeforeAfter {
        title: "mooring line, before and after pump_hum on integers",
        unit: "counts",
        whole: SignalPair {
            start_s: 0.0,
            period_s: 1.0 / rate.hertz(),
            before: &before,
            after: &integer,
        },
        zoom: ZOOM_S,
    };
    write_whole(
        &folder.join("before_after.png"),
        &draw(&figure, Format::Png)?,
    )?;

    let targets = [Target::HostC, Target::Icarus];
    let proof = prove(loaded, &implementation, Some(&words), &targets, &generated);
    let mut names: Vec<String> = ["mooring.csv", "pump_hum.toml"].map(str::to_owned).to_vec();
    names.extend(generated.iter().map(|file| file.name.clone()));
    names.extend(["response.png", "before_after.png", "result.json"].map(str::to_owned));
    let object = DemoObject {
        demo: "mooring",
        folder: folder.display().to_string(),
        files: names,
        hum,
        design: measured.object(),
        proof: &proof,
    };
    let result = serde_json::to_string_pretty(&object)?;
    write_whole(
        &folder.join("result.json"),
        format!("{result}\n").as_bytes(),
    )?;
    if json {
        print::json(&object)?;
    } else {
        let Hum {
            before_dbfs,
            after_float_dbfs,
            after_integer_dbfs,
            ..
        } = object.hum;
        print::text(&format!(
            "Mooring strain, {} samples at {} Hz, {:.0} s\n\n{}\n\
             Hum at {center} Hz, from {SETTLED_S} s on\n  \
             before {before_dbfs:.1} dBFS, after {after_integer_dbfs:.1} dBFS on integers \
             ({after_float_dbfs:.1} in floating point): {:.1} dB less\n\n{}\n\
             Written to {}:\n  {}\n",
            words.len(),
            rate.hertz(),
            words.len() as f64 / rate.hertz(),
            measured.text(),
            before_dbfs - after_integer_dbfs,
            proof.text(),
            object.folder,
            object
                .files
                .chunks(5)
                .map(|names| names.join("  "))
                .collect::<Vec<_>>()
                .join("\n  "),
        ))?;
    }
    Ok(Outcome::of(measured.meets_spec() && proof.held))
}

/// The level of the tone at `hertz` in 16-bit counts, in decibels below a full-scale sine.
fn level(counts: &[f64], rate: SampleRate, hertz: f64) -> f64 {
    let settled = (SETTLED_S * rate.hertz()) as usize;
    20.0 * (tone_amplitude(&counts[settled..], rate, hertz) / 32768.0).log10()
}
