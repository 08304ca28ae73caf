//! `mrake demo` of chains: what they are made of, what becomes of symbols, and the proof.

use super::cost::{ChainCostObject, chain_cost};
use super::generate::write_files;
use super::modulated::chain_signals;
use super::{chain, demo};
use crate::failure::{Failure, Outcome};
use crate::print;
use crate::work::prove_chain;
use mellow_rake::signal::SignalPlan;
use mellow_rake::spec::SpecError;
use mellow_rake::study::{ChainRecord, ChainStudy, ErrorLimits, Passed, Received};
use mellow_rake::verify::Proof;
use mellow_rake::write::Language;
use mellow_rake_figures::{Format, draw};
use mellow_rake_files::write_whole;
use mellow_rake_report::{Document, figure, page};
use mellow_rake_rig::{Family, Target, TargetWords};
use serde::Serialize;
use std::path::Path;

/// A chain, and the signal whose symbols go through it; each as text, and the file that it is in.
#[derive(Clone, Copy)]
pub(super) struct ChainExample {
    pub(super) spec: &'static str,
    pub(super) spec_file: &'static str,
    pub(super) plan: &'static str,
    pub(super) plan_file: &'static str,
    /// The gate arrays that it is built for: a place for every cell is found in a minute or two.
    pub(super) families: &'static [Family],
}

/// What the modem hears, taken down for a receiver.
pub(super) const DOWN: ChainExample = ChainExample {
    spec: include_str!("../../demo/modem/telemetry_down.toml"),
    spec_file: "telemetry_down.toml",
    plan: include_str!("../../demo/modem/telemetry.toml"),
    plan_file: "telemetry.toml",
    families: &[Family::Ice40],
};

/// What it sends, taken up from symbols.
const UP: ChainExample = ChainExample {
    spec: include_str!("../../demo/modem/telemetry_up.toml"),
    spec_file: "telemetry_up.toml",
    families: &[],
    ..DOWN
};

/// What came of it.
#[derive(Serialize)]
pub(super) struct ChainDemoObject {
    #[serde(flatten)]
    cost: ChainCostObject,
    design: ChainRecord,
    symbols: Received,
    proof: Proof,
    verdict: &'static str,
}

/// All that was found out about a chain.
pub(super) struct Shown {
    pub(super) files: Vec<String>,
    pub(super) page: Document,
    pub(super) object: ChainDemoObject,
    pub(super) held: bool,
}

/// Writes a chain into a folder, sends symbols through it, builds it, and proves it, on a recording as well
/// where there is one.
pub(super) fn chain(
    home: &Path,
    folder: &Path,
    example: ChainExample,
    recording: Option<&[i64]>,
) -> Result<Shown, Failure> {
    let ChainExample { spec, spec_file, plan: plan_text, plan_file, families } = example;
    let (path, plan_path) = (home.join(spec_file), home.join(plan_file));
    let study = ChainStudy::of_text(spec, |_| Err("it names no file".to_owned()))
        .map_err(|error| chain::failure(&path, error))?;
    let plan = SignalPlan::parse(plan_text)
        .map_err(|error: SpecError| Failure::Call(format!("{}: {error}", plan_path.display())))?;
    std::fs::create_dir_all(folder)
        .map_err(|source| Failure::Read { path: folder.to_owned(), source })?;
    write_whole(&folder.join(spec_file), spec.as_bytes())?;
    write_whole(&folder.join(plan_file), plan_text.as_bytes())?;
    let languages = Language::ALL.map(|(language, ..)| language);
    let generated = chain::files(&path, &study, &languages)?;
    write_files(folder, &generated)?;

    let signals = chain_signals(&study, &plan, &plan_path)?;
    let symbols = study
        .received(&plan, signals.passed(), ErrorLimits::default())
        .map_err(|error| Failure::Call(format!("{}: {error}", plan_path.display())))?;
    let picture = format!("{}.png", study.spec.name);
    write_whole(&folder.join(&picture), &draw(&figure::chain(&study), Format::Png)?)?;

    let (cost, cost_page, met) = chain_cost(&path, &study, families)?;
    let (integers, _) = study.integers().ok_or_else(|| chain::no_words(&path))?;
    let words = TargetWords::of_chain(&study).map_err(|error| chain::failure(&path, error))?;
    let words = words.ok_or_else(|| chain::no_words(&path))?;
    let targets = [Target::HostC, Target::Rust, Target::Icarus];
    let proof = prove_chain((integers, study.chain()), words, recording, &targets, &generated);
    let (proved, verdict) = proof.verdict(false);

    let mut page = page::chain(&study);
    page.gap();
    page.append(page::received(&symbols));
    page.gap();
    page.append(cost_page);
    page.gap();
    page.append(page::proof(&proof));
    let mut files = [spec_file, plan_file].map(str::to_owned).to_vec();
    files.extend(generated.iter().map(|file| file.name.clone()));
    files.push(picture);
    // A synthesizer that is not there has not failed.
    let held = proved && met != Some(false) && study.meets_spec() != Some(false);
    let design = study.record();
    let object = ChainDemoObject { cost, design, symbols, proof, verdict };
    Ok(Shown { files, page, object, held })
}

#[derive(Serialize)]
struct UplinkObject {
    demo: &'static str,
    folder: String,
    files: Vec<String>,
    chain: ChainDemoObject,
    verdict: &'static str,
}

/// The way up, which is a chain alone.
pub(super) fn uplink(folder: &Path, json: bool) -> Result<Outcome, Failure> {
    let Shown { mut files, mut page, object, held } =
        chain(&Path::new("demo").join("modem"), folder, UP, None)?;
    files.push("result.json".to_owned());
    let verdict = object.verdict;
    let object = UplinkObject {
        demo: "uplink",
        folder: folder.display().to_string(),
        files,
        chain: object,
        verdict,
    };
    let result = serde_json::to_string_pretty(&object)?;
    write_whole(&folder.join("result.json"), format!("{result}\n").as_bytes())?;
    if json {
        print::json(&object)?;
    } else {
        demo::ending(&mut page, verdict, &object.folder, &object.files);
        print::page(&page)?;
    }
    Ok(Outcome::of(held))
}

impl super::modulated::Signals {
    fn passed(&self) -> Passed<'_> {
        Passed {
            input: &self.input,
            output: &self.output,
            designed: self.designed.as_deref(),
            behind: self.behind,
            part: None,
        }
    }
}
