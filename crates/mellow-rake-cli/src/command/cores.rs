//! `mrake cost --on` with processor cores

use super::chain;
use crate::arguments::Cost;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::{AnySpec, Loaded, read_text};
use crate::print;
use crate::work::progress;
use mellow_rake::spec::{ChainSpec, Tune};
use mellow_rake::study::ChainStudy;
use mellow_rake::units::SampleRate;
use mellow_rake::verify::CoreCost;
use mellow_rake_files::{Variant, variants};
use mellow_rake_report::figure;
use mellow_rake_report::page::{self, CoreRow, CoresPage};
use mellow_rake_rig::{Core, CoreCostError, chain_cost, study_cost};
use serde::Serialize;
use std::path::PathBuf;

/// What the C of a filter takes.
#[derive(Serialize)]
struct CoresObject {
    /// The value that a key has in it, of several.
    #[serde(skip_serializing_if = "Option::is_none")]
    value: Option<String>,
    name: String,
    /// Of the datapath; there is none in floating point.
    multiplies_per_sample: Option<usize>,
    adds_per_sample: Option<usize>,
    clock_hz: Option<f64>,
    #[serde(skip)]
    rate: SampleRate,
    cores: Vec<CoreObject>,
}

#[derive(Serialize)]
#[serde(untagged)]
enum CoreObject {
    Run(CoreCost),
    NotRun { core: &'static str, not_run: String },
}

#[derive(Serialize)]
struct VariedObject {
    filters: Vec<CoresObject>,
    refused: Vec<RefusedObject>,
}

#[derive(Serialize)]
struct RefusedObject {
    value: String,
    reason: String,
}

/// What a filter takes on a core; a tool that is missing, or memory, is told, another failure is one.
pub(super) fn counted(
    study: &mellow_rake::study::Study,
    core: Core,
) -> Result<Result<Vec<CoreCost>, String>, CoreCostError> {
    match study_cost(study, core) {
        Err(CoreCostError::Rig(error)) if error.is_not_run() => Ok(Err(error.to_string())),
        found => found.map(Ok),
    }
}

fn object(loaded: &Loaded, cores: &[Core], options: &Cost) -> Result<CoresObject, Failure> {
    if loaded.float()?.is_none() {
        loaded.need_implementation("cost --on a core")?;
    }
    let rate = loaded.study.spec.sample_rate;
    let clock_hz = clock(options, rate)?;
    let mut rows = Vec::new();
    for core in cores {
        match counted(&loaded.study, *core) {
            Ok(Ok(found)) => rows.extend(found.into_iter().map(CoreObject::Run)),
            Ok(Err(not_run)) => rows.push(CoreObject::NotRun { core: core.as_str(), not_run }),
            Err(CoreCostError::Study(error)) => return Err(loaded.failure(*error)),
            Err(error) => return Err(Failure::Call(error.to_string())),
        }
    }
    let cost = loaded.implementation()?.map(|words| words.checked.cost());
    Ok(CoresObject {
        value: None,
        name: loaded.study.spec.name.to_string(),
        multiplies_per_sample: cost.map(|cost| cost.multiplies_per_sample),
        adds_per_sample: cost.map(|cost| cost.adds_per_sample),
        clock_hz,
        rate,
        cores: rows,
    })
}

/// The clock that was stated, in hertz.
fn clock(options: &Cost, rate: SampleRate) -> Result<Option<f64>, Failure> {
    let hertz = options.clock.map(|clock| clock.hertz(rate));
    match hertz.is_some_and(|clock| !(1.0..=1e12).contains(&clock)) {
        true => Err(Failure::Call("--clock: from 1 Hz to 1 THz".to_owned())),
        false => Ok(hertz),
    }
}

/// What the C of a chain takes on processors, for a sample that goes in.
fn of_chain(options: &Cost, study: &ChainStudy, cores: &[Core]) -> Result<Outcome, Failure> {
    if options.vary.is_some() {
        return Err(Failure::Call(format!(
            "{}: --vary is for one filter, and this is a chain of stages",
            options.spec.display()
        )));
    }
    let rate = study.spec.sample_rate;
    let mut rows = Vec::new();
    for core in cores {
        match chain_cost(study, *core) {
            Ok(Some(found)) => rows.extend(found.into_iter().map(CoreObject::Run)),
            Ok(None) => return Err(chain::no_words(&options.spec)),
            Err(CoreCostError::Rig(error)) if error.is_not_run() => {
                let not_run = error.to_string();
                rows.push(CoreObject::NotRun { core: core.as_str(), not_run });
            }
            Err(CoreCostError::Chain(error)) => return Err(chain::failure(&options.spec, *error)),
            Err(error) => return Err(Failure::Call(error.to_string())),
        }
    }
    let object = CoresObject {
        value: None,
        name: study.spec.name.to_string(),
        multiplies_per_sample: None,
        adds_per_sample: None,
        clock_hz: clock(options, rate)?,
        rate,
        cores: rows,
    };
    shown(options, &object, Some(study.spec.firmware.tune))
}

/// Draws and prints what was counted.
fn shown(options: &Cost, object: &CoresObject, tune: Option<Tune>) -> Result<Outcome, Failure> {
    let rows: Vec<CoreRow> = object.rows().collect();
    figures::write(options.figure.as_deref(), || Ok(figure::cores(&object.name, &rows)))?;
    let not_run: Vec<_> = object.not_run().collect();
    if options.json {
        print::json(object)?;
    } else {
        print::page(&page::cores(&CoresPage {
            name: &object.name,
            key: None,
            rows: &rows,
            not_run: &not_run,
            refused: &[],
            clock_hz: object.clock_hz,
            tune,
        }))?;
    }
    Ok(Outcome::of(not_run.is_empty()))
}

impl CoresObject {
    fn rows(&self) -> impl Iterator<Item = CoreRow<'_>> {
        let work = self.multiplies_per_sample.zip(self.adds_per_sample);
        self.cores.iter().filter_map(move |core| match core {
            CoreObject::Run(cost) => {
                Some(CoreRow { value: self.value.as_deref(), rate: self.rate, work, cost })
            }
            CoreObject::NotRun { .. } => None,
        })
    }

    /// Cores that were not run, with the value where there are several, and the reason.
    fn not_run(&self) -> impl Iterator<Item = (String, &str)> {
        self.cores.iter().filter_map(|core| match core {
            CoreObject::Run(_) => None,
            CoreObject::NotRun { core, not_run } => {
                let value = self.value.iter().map(|value| format!("{value}, ")).collect::<String>();
                Some((format!("{value}{core}"), not_run.as_str()))
            }
        })
    }
}

/// What the C of a filter, or of several, takes on processors.
pub(super) fn run(options: &Cost, cores: &[Core]) -> Result<Outcome, Failure> {
    if !options.beside.is_empty() {
        let what = "--beside is of hardware, not of processor cores";
        return Err(Failure::Call(what.to_owned()));
    }
    if ChainSpec::is_chain(&read_text(&options.spec)?)
        && let AnySpec::Chain(study) = AnySpec::file(&options.spec)?.tuned(options.tune)?
    {
        return of_chain(options, &study, cores);
    }
    if let Some(wish) = &options.vary {
        return vary(options, cores, wish);
    }
    let loaded = Loaded::file(&options.spec)?.tuned(options.tune)?;
    let object = object(&loaded, cores, options)?;
    let tune = loaded.implementation()?.map(|_| loaded.study.spec.firmware.tune);
    shown(options, &object, tune)
}

/// Several values of a key, side by side.
fn vary(options: &Cost, cores: &[Core], wish: &str) -> Result<Outcome, Failure> {
    let spec = &options.spec;
    let shown = read_text(spec)?;
    let variants =
        variants(&shown, wish).map_err(|error| Failure::Call(format!("--vary {error}")))?;
    let (mut filters, mut refused) = (Vec::new(), Vec::new());
    let bar = progress(variants.len() as u64, "counting");
    for Variant { key, value, text } in variants {
        bar.inc(1);
        let path = PathBuf::from(format!("{} with {key} = {value}", spec.display()));
        let found = Loaded::variant(&path, &text, (spec, &shown))
            .and_then(|loaded| loaded.tuned(options.tune))
            .and_then(|loaded| object(&loaded, cores, options));
        match found {
            Ok(object) => filters.push(CoresObject { value: Some(value), ..object }),
            Err(error) => refused.push(RefusedObject { value, reason: error.to_string() }),
        }
    }
    bar.finish_and_clear();
    let key = wish.split('=').next().unwrap_or("").trim();
    let rows: Vec<CoreRow> = filters.iter().flat_map(CoresObject::rows).collect();
    let name = filters.first().map_or("nothing", |object| &object.name);
    figures::write(options.figure.as_deref(), || {
        Ok(figure::cores(&format!("{name}: {key}"), &rows))
    })?;
    let not_run: Vec<_> = filters.iter().flat_map(CoresObject::not_run).collect();
    let refused_rows: Vec<_> =
        refused.iter().map(|one| (one.value.as_str(), one.reason.as_str())).collect();
    let held = not_run.is_empty() && refused.is_empty();
    let text = page::cores(&CoresPage {
        name,
        key: Some(key),
        rows: &rows,
        not_run: &not_run,
        refused: &refused_rows,
        clock_hz: filters.first().and_then(|object| object.clock_hz),
        tune: options.tune,
    });
    if options.json {
        print::json(&VariedObject { filters, refused })?;
    } else {
        print::page(&text)?;
    }
    Ok(Outcome::of(held))
}
