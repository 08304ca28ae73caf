//! `mrake cost`

use crate::arguments::Cost;
use crate::failure::{Failure, Outcome};
use crate::load::Loaded;
use crate::print;
use mellow_rake::hardware::{Built, HardwareRecord};
use mellow_rake::study::StudyError;
use mellow_rake::write::Language;
use mellow_rake_report::{Document, page};
use mellow_rake_rig::{Family, RigError, synthesize};
use serde::Serialize;

/// A unit as it is told before the build, and what came of it.
#[derive(Serialize)]
pub(crate) struct CostObject {
    name: String,
    hardware: HardwareRecord,
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
pub(crate) fn tell(loaded: &Loaded, families: &[Family]) -> Result<Told, Failure> {
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
    let mut built = Vec::new();
    for family in families {
        built.push(match synthesize(*family, &files, choice.clock) {
            Ok(cells) => Ok(cells),
            Err(error @ (RigError::Missing { .. } | RigError::Old { .. })) => {
                Err((family.title(), error.to_string()))
            }
            Err(error) => return Err(Failure::Call(error.to_string())),
        });
    }
    let is_met = |cells: &Built| {
        choice.clock.is_none_or(|wish| cells.clock_hz.is_none_or(|clock| clock >= wish))
    };
    let held = match built.iter().flatten().all(is_met) {
        true if built.iter().any(Result::is_err) => None,
        held => Some(held),
    };
    let name = study.spec.name.to_string();
    let page = page::hardware(&name, study.spec.sample_rate, choice, &hardware, &built);
    let object = |one| match one {
        Ok(cells) => BuiltObject::Built(cells),
        Err((family, not_run)) => BuiltObject::NotRun { family, not_run },
    };
    let built = built.into_iter().map(object).collect();
    Ok(Told { page, object: CostObject { name, hardware, built }, held })
}

pub(crate) fn run(options: &Cost) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    loaded.need_implementation("cost")?;
    let families: Vec<Family> = options.on.iter().map(|on| on.family()).collect();
    let told = tell(&loaded, &families)?;
    if options.json {
        print::json(&told.object)?;
    } else {
        print::page(&told.page)?;
    }
    // What was named must be built.
    Ok(Outcome::of(told.held == Some(true)))
}
