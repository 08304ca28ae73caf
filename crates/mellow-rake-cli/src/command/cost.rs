//! `mrake cost`

use super::{chain, cores};
use crate::arguments::Cost;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::{AnySpec, Loaded, read_text};
use crate::print;
use crate::work::progress;
use mellow_rake::hardware::{Built, HardwareRecord, HardwareUnit};
use mellow_rake::spec::ChainSpec;
use mellow_rake::study::{ChainHardwareRecord, ChainStudy, StudyError};
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_files::{Variant, variants};
use mellow_rake_report::page::UnitRow;
use mellow_rake_report::{Document, figure, page};
use mellow_rake_rig::{Core, Family, RigError, synthesize};
use serde::Serialize;
use std::path::Path;
use std::path::PathBuf;

/// A unit as it is told before the build, and what came of it.
#[derive(Serialize)]
pub(crate) struct CostObject {
    name: String,
    hardware: HardwareRecord,
    built: Vec<BuiltObject>,
}

/// The same of a chain.
#[derive(Serialize)]
pub(super) struct ChainCostObject {
    name: String,
    hardware: ChainHardwareRecord,
    built: Vec<BuiltObject>,
}

#[derive(Serialize)]
#[serde(untagged)]
enum BuiltObject {
    Built(Built),
    NotRun { family: &'static str, not_run: String },
}

/// What there is to be said of a unit: for people, for programs, and whether all that was built runs at the
/// clock that was asked for; `None` of that where something could not be built.
pub(crate) struct Told {
    pub(crate) page: Document,
    pub(crate) object: CostObject,
    pub(crate) held: Option<bool>,
}

/// Tells what the hardware of a spec takes, and builds it for some families.
pub(crate) fn tell(
    loaded: &Loaded,
    beside: &[Loaded],
    families: &[Family],
) -> Result<Told, Failure> {
    let name = loaded.study.spec.name.to_string();
    if let Some(shared) = loaded.shared(beside)? {
        let failure = |error| loaded.failure(error);
        let hardware = shared.record().map_err(failure)?;
        let files = shared.files(&[Language::Verilog]).map_err(failure)?;
        let built = build(families, &files, shared.choice().clock)?;
        let page = page::shared_unit(&shared, &hardware, &built);
        return Ok(Told::of(name, page, hardware, built));
    }
    let study = &loaded.study;
    let choice = study.hardware().map_err(|error| loaded.failure(error))?;
    let Some(choice) = choice else {
        return Err(Failure::Call(
            "there is no table [hardware] in the spec; one with a line clock = \"12 MHz\" would do"
                .to_owned(),
        ));
    };
    let hardware = HardwareRecord::of(choice)
        .map_err(|error| loaded.failure(StudyError::Hardware { place: None, error }))?;
    let files = loaded.files(&[Language::Verilog])?;
    let built = build(families, &files, choice.clock)?;
    let page = page::hardware(&name, study.spec.sample_rate, choice, &hardware, &built);
    Ok(Told::of(name, page, hardware, built))
}

/// What was built, or the family that was not with the reason.
type BuiltOrNot = Result<Built, (&'static str, String)>;

fn build(
    families: &[Family],
    files: &[GeneratedFile],
    clock: Option<f64>,
) -> Result<Vec<BuiltOrNot>, Failure> {
    let one = |family: &Family| match synthesize(*family, files, clock) {
        Ok(cells) => Ok(Ok(cells)),
        Err(error @ (RigError::Missing { .. } | RigError::Old { .. })) => {
            Ok(Err((family.title(), error.to_string())))
        }
        Err(error) => Err(Failure::Call(error.to_string())),
    };
    families.iter().map(one).collect()
}

impl Told {
    fn of(name: String, page: Document, hardware: HardwareRecord, built: Vec<BuiltOrNot>) -> Self {
        let (held, built) = judged(hardware.clock_hz, built);
        Told { page, object: CostObject { name, hardware, built }, held }
    }
}

/// Whether all that was built runs at a clock, `None` where something was not built, and the objects.
fn judged(clock_hz: Option<f64>, built: Vec<BuiltOrNot>) -> (Option<bool>, Vec<BuiltObject>) {
    let is_met = |cells: &Built| {
        clock_hz.is_none_or(|wish| cells.clock_hz.is_none_or(|clock| clock >= wish))
    };
    let held = match built.iter().flatten().all(is_met) {
        true if built.iter().any(Result::is_err) => None,
        held => Some(held),
    };
    let object = |one| match one {
        Ok(cells) => BuiltObject::Built(cells),
        Err((family, not_run)) => BuiltObject::NotRun { family, not_run },
    };
    (held, built.into_iter().map(object).collect())
}

/// Tells what the hardware of a chain takes, and builds it for some families.
fn of_chain(options: &Cost, study: &ChainStudy, families: &[Family]) -> Result<Outcome, Failure> {
    let asked = [
        ("--beside", !options.beside.is_empty()),
        ("--vary", options.vary.is_some()),
        ("--figure", options.figure.is_some()),
    ];
    if let Some((option, _)) = asked.iter().find(|(_, is_asked)| *is_asked) {
        return Err(Failure::Call(format!(
            "{}: {option} is for one filter, and this is a chain of stages",
            options.spec.display()
        )));
    }
    let (object, page, held) = chain_cost(&options.spec, study, families)?;
    if options.json {
        print::json(&object)?;
    } else {
        print::page(&page)?;
    }
    Ok(Outcome::of(held == Some(true)))
}

/// What the hardware of a chain takes, in words too, and whether all that was built runs at its clock; `None`
/// where something was not built.
pub(super) fn chain_cost(
    path: &Path,
    study: &ChainStudy,
    families: &[Family],
) -> Result<(ChainCostObject, Document, Option<bool>), Failure> {
    let record = study.hardware_record().map_err(|error| chain::failure(path, error))?;
    let record = record.ok_or_else(|| chain::no_words(path))?;
    let files = chain::files(path, study, &[Language::Verilog])?;
    let built = build(families, &files, record.clock_hz)?;
    let name = study.spec.name.to_string();
    let page = page::chain_hardware(&name, &record, &built);
    let (held, built) = judged(record.clock_hz, built);
    Ok((ChainCostObject { name, hardware: record, built }, page, held))
}

pub(crate) fn run(options: &Cost) -> Result<Outcome, Failure> {
    let families: Vec<Family> = options.on.iter().filter_map(|on| on.family()).collect();
    let cores: Vec<Core> = options.on.iter().filter_map(|on| on.core()).collect();
    if !cores.is_empty() {
        if !families.is_empty() {
            let what = "--on: gate arrays or processor cores, one of the two";
            return Err(Failure::Call(what.to_owned()));
        }
        return cores::run(options, &cores);
    }
    if options.tune.is_some() {
        let what = "--tune is of processor cores: --on cortex-m4";
        return Err(Failure::Call(what.to_owned()));
    }
    if options.clock.is_some() {
        let what =
            "--clock is of processor cores: --on cortex-m4; that of hardware stands in its table";
        return Err(Failure::Call(what.to_owned()));
    }
    if ChainSpec::is_chain(&read_text(&options.spec)?)
        && let AnySpec::Chain(study) = AnySpec::file(&options.spec)?
    {
        return of_chain(options, &study, &families);
    }
    let beside = Loaded::files_of(&options.beside)?;
    if let Some(wish) = &options.vary {
        return vary(options, &beside, &families, wish);
    }
    let loaded = Loaded::file(&options.spec)?;
    loaded.need_implementation("cost")?;
    let told = tell(&loaded, &beside, &families)?;
    figures::write(options.figure.as_deref(), || {
        if let Some(shared) = loaded.shared(&beside)? {
            let names = shared.studies().iter().map(|study| study.spec.name.to_string());
            return Ok(figure::time_shared(&names.collect::<Vec<_>>(), &shared.choice().unit));
        }
        let choice = loaded.study.hardware().map_err(|error| loaded.failure(error))?;
        match choice.map(|choice| &choice.unit) {
            Some(HardwareUnit::Serial(scheduled)) => {
                Ok(figure::schedule(loaded.study.spec.name.as_str(), scheduled))
            }
            Some(HardwareUnit::Staged(staged)) => {
                Ok(figure::staged(loaded.study.spec.name.as_str(), staged))
            }
            _ => Err(Failure::Call("--figure: taps in parallel have no schedule".to_owned())),
        }
    })?;
    if options.json {
        print::json(&told.object)?;
    } else {
        print::page(&told.page)?;
    }
    // What was named must be built.
    Ok(Outcome::of(told.held == Some(true)))
}

#[derive(Serialize)]
struct VariedObject {
    units: Vec<UnitObject>,
}

#[derive(Serialize)]
struct UnitObject {
    value: String,
    /// Why there is none.
    refused: Option<String>,
    #[serde(flatten)]
    cost: Option<CostObject>,
}

/// Units with several values of a key, side by side.
fn vary(
    options: &Cost,
    beside: &[Loaded],
    families: &[Family],
    wish: &str,
) -> Result<Outcome, Failure> {
    let spec = &options.spec;
    let shown = read_text(spec)?;
    let variants =
        variants(&shown, wish).map_err(|error| Failure::Call(format!("--vary {error}")))?;
    let key = wish.split('=').next().unwrap_or("").trim().to_owned();
    let (mut units, mut held) = (Vec::new(), true);
    let bar = progress(variants.len() as u64, "building");
    for Variant { key, value, text } in variants {
        bar.inc(1);
        let path = PathBuf::from(format!("{} with {key} = {value}", spec.display()));
        let told = Loaded::variant(&path, &text, (spec, &shown)).and_then(|loaded| {
            loaded.need_implementation("cost")?;
            tell(&loaded, beside, families)
        });
        units.push(match told {
            Ok(told) => {
                held &= told.held == Some(true);
                UnitObject { value, refused: None, cost: Some(told.object) }
            }
            Err(error) => {
                held = false;
                UnitObject { value, refused: Some(error.to_string()), cost: None }
            }
        });
    }
    bar.finish_and_clear();
    let rows: Vec<UnitRow> = units.iter().filter_map(UnitObject::row).collect();
    figures::write(options.figure.as_deref(), || {
        // LUTs where one family was built, bits of registers where none was.
        let of = match families {
            [family] => format!("on the {}", family.title()),
            _ => "before the build".to_owned(),
        };
        let what = if families.len() == 1 { "LUTs" } else { "bits of registers" };
        let point = |row: &UnitRow| {
            let built = row.built.iter().flatten().next().map(|built| built.luts as f64);
            let amount = built.filter(|_| families.len() == 1);
            let rate = row.record.samples_per_second(row.clock_hz);
            let bits = row.record.estimate.register_bits() as f64;
            (row.value.clone(), rate, amount.unwrap_or(bits))
        };
        let points: Vec<_> = rows.iter().map(point).collect();
        Ok(figure::units(&format!("{key}, {of}"), what, &points))
    })?;
    if options.json {
        print::json(&VariedObject { units })?;
    } else {
        let refused =
            units.iter().filter_map(|unit| Some((&unit.value[..], unit.refused.as_deref()?)));
        print::page(&page::units(&key, &rows, &refused.collect::<Vec<_>>()))?;
    }
    Ok(Outcome::of(held))
}

impl UnitObject {
    /// The unit as a row, where there is one. Without a clock it is taken to run at 1 MHz for each, so that
    /// units can be held against each other.
    fn row(&self) -> Option<UnitRow<'_>> {
        let cost = self.cost.as_ref()?;
        let built = cost.built.iter().map(|built| match built {
            BuiltObject::Built(built) => Some(built),
            BuiltObject::NotRun { .. } => None,
        });
        Some(UnitRow {
            value: self.value.clone(),
            record: &cost.hardware,
            clock_hz: cost.hardware.clock_hz.unwrap_or(1e6),
            built: built.collect(),
        })
    }
}
