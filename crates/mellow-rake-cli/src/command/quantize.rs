//! `mrake quantize`

use crate::arguments::Quantize;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::Loaded;
use crate::print;
use crate::work::AllCores;
use mellow_rake::study::SweepWish;
use mellow_rake_report::{figure, page};

pub(crate) fn run(options: &Quantize) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    let study = &loaded.study;
    if let Some(found) = study.impossible(&AllCores) {
        if options.json {
            print::json(&found)?;
        } else {
            print::page(&page::impossible(&found))?;
        }
        return Ok(Outcome::Missed);
    }
    let filter = loaded.need_implementation("quantize")?;
    let mut found = study.quantization(&AllCores).map_err(|error| loaded.failure(error))?;
    if let Some(sweep) = options.sweep {
        let wish = SweepWish { every_structure: options.every_structure, ..sweep.0 };
        found.sweep = Some(study.sweep(wish, &AllCores).map_err(|error| loaded.failure(error))?);
    }
    figures::write(options.figure.as_deref(), || {
        figure::quantization(study, filter, &found.noise.words.error)
            .map_err(|error| Failure::Call(format!("noise spectrum: {error}")))
    })?;
    if options.json {
        print::json(&found)?;
    } else {
        print::page(&page::quantization(filter, &found))?;
    }
    Ok(Outcome::of(found.template_margin_db[1].is_none_or(|margin| margin >= 0.0)))
}
