//! `mrake design`

use crate::arguments::Design;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::AnySpec;
use crate::print;
use mellow_rake::study::{ChainStudy, DesignRecord, FamilyRow, FormRecord};
use mellow_rake_report::figure::{self, RESPONSE, Scene};
use mellow_rake_report::page;
use serde::Serialize;

/// A design, and what else was asked for.
#[derive(Serialize)]
struct WithMore<'a> {
    #[serde(flatten)]
    design: DesignRecord,
    #[serde(skip_serializing_if = "Option::is_none")]
    families: Option<&'a [FamilyRow]>,
    #[serde(skip_serializing_if = "<[FormRecord]>::is_empty")]
    forms: &'a [FormRecord],
}

/// Designs, draws and prints.
pub(crate) fn run(options: &Design) -> Result<Outcome, Failure> {
    let loaded = match AnySpec::file(&options.spec)? {
        AnySpec::Filter(loaded) => loaded,
        AnySpec::Chain(study) => return chain(options, &study),
    };
    loaded.implementation()?;
    let study = &loaded.study;
    let wishes = options.drawing.wishes(study.spec.sample_rate).map_err(Failure::Call)?;
    let missing = |error| Failure::Call(format!("--families needs {error}"));
    let families = match options.families {
        true => Some(study.families().map_err(missing)?),
        false => None,
    };
    let (scene, title) = match &families {
        Some(rows) => (
            Scene::of_families(study, rows, wishes),
            format!("{}: all families against one template", study.spec.name),
        ),
        None => {
            let scene = Scene::of(study, wishes);
            let title = format!("{}: {}", study.spec.name, scene.plan.title);
            (scene, title)
        }
    };
    let sketches = figures::draw_all(&scene, &title, &options.drawing, &RESPONSE)?;
    let forms: Vec<FormRecord> = options.forms.iter().map(|form| study.in_form(*form)).collect();
    if options.json {
        let (design, families) = (study.record(), families.as_deref());
        print::json(&WithMore { design, families, forms: &forms })?;
    } else {
        let mut text = page::design(study);
        if let Some(families) = families {
            text.append(page::families(&families));
        }
        text.append(page::forms(&forms));
        if options.roots {
            text.append(page::roots(study));
        }
        text.append(sketches);
        print::page(&text)?;
    }
    Ok(Outcome::of(study.meets_spec() != Some(false)))
}

/// A chain of stages: one sheet, and one page.
fn chain(options: &Design, study: &ChainStudy) -> Result<Outcome, Failure> {
    let drawing = &options.drawing;
    let asked = [
        ("--families", options.families),
        ("--form", !options.forms.is_empty()),
        ("--roots", options.roots),
        ("--panels", !drawing.panels.is_empty()),
        ("--span", drawing.span.is_some()),
        ("--levels", drawing.levels.is_some()),
        ("--log", drawing.log),
    ];
    if let Some((option, _)) = asked.iter().find(|(_, is_asked)| *is_asked) {
        return Err(Failure::Call(format!(
            "{}: {option} is for one filter, and this is a chain of stages; --figure and --sketch draw it \
             from input to output, its pass-band and its stages",
            options.spec.display()
        )));
    }
    let sheet = figure::chain(study);
    let sketches = figures::sketched(sheet.panels.first().cloned(), drawing)?;
    figures::write(drawing.figure.as_deref(), || Ok(sheet))?;
    if options.json {
        print::json(&study.record())?;
    } else {
        let mut text = page::chain(study);
        text.append(sketches);
        print::page(&text)?;
    }
    Ok(Outcome::of(study.meets_spec() != Some(false)))
}
