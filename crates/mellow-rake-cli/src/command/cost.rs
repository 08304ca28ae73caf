//! `mrake cost`

use crate::arguments::Cost;
use crate::failure::{Failure, Outcome};
use crate::load::Loaded;
use crate::print;
use mellow_rake::hardware::{Built, HardwareRecord};
use mellow_rake::study::StudyError;
use mellow_rake::write::Language;
use mellow_rake_report::page;
use mellow_rake_rig::{RigError, synthesize};
use serde::Serialize;

#[derive(Serialize)]
struct CostObject {
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

pub(crate) fn run(options: &Cost) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    loaded.need_implementation("cost")?;
    let study = &loaded.study;
    let choice = study.hardware().map_err(|error| loaded.failure(error))?;
    let Some(choice) = choice else {
        let path = options.spec.display();
        return Err(Failure::Call(format!(
            "{path}: there is no table [hardware]; one with a line clock = \"12 MHz\" would do"
        )));
    };
    let hardware = HardwareRecord::of(choice)
        .map_err(|error| loaded.failure(StudyError::Hardware { place: None, error }))?;
    let files = loaded.files(&[Language::Verilog])?;
    let mut built = Vec::new();
    for family in options.on.iter().map(|on| on.family()) {
        built.push(match synthesize(family, &files, choice.clock) {
            Ok(cells) => Ok(cells),
            Err(error @ (RigError::Missing { .. } | RigError::Old { .. })) => {
                Err((family.title(), error.to_string()))
            }
            Err(error) => return Err(Failure::Call(error.to_string())),
        });
    }
    // What was named must be built, and run at the clock that was asked for.
    let is_met = |one: &Result<Built, _>| match one {
        Ok(cells) => {
            choice.clock.is_none_or(|wish| cells.clock_hz.is_none_or(|clock| clock >= wish))
        }
        Err(_) => false,
    };
    let held = built.iter().all(is_met);
    let name = study.spec.name.to_string();
    if options.json {
        let object = |one| match one {
            Ok(cells) => BuiltObject::Built(cells),
            Err((family, not_run)) => BuiltObject::NotRun { family, not_run },
        };
        let built = built.into_iter().map(object).collect();
        print::json(&CostObject { name, hardware, built })?;
    } else {
        print::page(&page::hardware(&name, study.spec.sample_rate, choice, &hardware, &built))?;
    }
    Ok(Outcome::of(held))
}
