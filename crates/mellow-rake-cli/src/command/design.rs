//! `mrake design`

use crate::arguments::Design;
use crate::command::forms::{self, FormObject, form};
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::Loaded;
use crate::measured::Measured;
use crate::objects::{DesignObject, design_object};
use crate::print::{self, number, table};
use mellow_rake::analysis::{FamilyFigures, compare_families};
use mellow_rake::design::{DesignError, wish};
use mellow_rake::filter::Family;
use mellow_rake::spec::{RecursiveEdges, Want};
use serde::Serialize;
use std::fmt::Write;

pub(crate) fn run(options: &Design) -> Result<Outcome, Failure> {
    let measured = Measured::new(Loaded::file(&options.spec)?)?;
    if let Some(path) = &options.figure {
        figures::response(&measured, path)?;
        eprintln!("{} written", path.display());
    }
    let families = if options.families { Some(families(&measured.loaded)?) } else { None };
    let forms: Vec<FormObject> =
        options.forms.iter().map(|wanted| form(&measured.loaded, *wanted)).collect();
    if options.json {
        print::json(&WithMore { design: design_object(&measured), families, forms })?;
    } else {
        print::text(&measured.text())?;
        if let Some(families) = families {
            print::text(&families_text(&families))?;
        }
        print::text(&forms::text(&forms))?;
    }
    Ok(Outcome::of(measured.meets_spec() != Some(false)))
}

/// A design, and what else was asked for.
#[derive(Serialize)]
struct WithMore {
    #[serde(flatten)]
    design: DesignObject,
    #[serde(skip_serializing_if = "Option::is_none")]
    families: Option<Vec<FamilyRow>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    forms: Vec<FormObject>,
}

/// What a family does for the template, or why it cannot keep it.
#[derive(Serialize)]
#[serde(untagged)]
enum FamilyRow {
    Keeps(FamilyFigures),
    Fails { family: Family, reason: String },
}

fn families(loaded: &Loaded) -> Result<Vec<FamilyRow>, Failure> {
    let spec = &loaded.spec;
    let Want::Recursive(recursive) = &spec.want else {
        return Err(Failure::Call("--families needs a template of a recursive filter".to_owned()));
    };
    if !matches!(recursive.edges, RecursiveEdges::Template { .. }) {
        return Err(Failure::Call(
            "--families needs order = \"minimum\" and both edges".to_owned(),
        ));
    }
    let all = compare_families(&wish(recursive, spec.sample_rate), spec.sample_rate);
    let row = |(family, figures): (Family, Result<FamilyFigures, DesignError>)| match figures {
        Ok(figures) => FamilyRow::Keeps(figures),
        Err(error) => FamilyRow::Fails { family, reason: error.to_string() },
    };
    Ok(all.into_iter().map(row).collect())
}

fn families_text(families: &[FamilyRow]) -> String {
    let mut rows = Vec::new();
    let mut failures = String::new();
    for row in families {
        match row {
            FamilyRow::Keeps(figures) => rows.push(vec![
                figures.family.to_string(),
                figures.order.to_string(),
                figures.multiplies_per_sample.to_string(),
                number(figures.worst_delay_samples, 2),
                number(figures.delay_variation_samples, 2),
                number(Some(figures.step_overshoot_percent), 1),
            ]),
            FamilyRow::Fails { family, reason } => {
                let _ = writeln!(failures, "  {family}: {reason}");
            }
        }
    }
    let header =
        ["family", "order", "multiplies", "worst delay, samples", "variation", "step overshoot, %"];
    format!(
        "\nAll families against this template (delay in the pass-band)\n{}{failures}",
        table(&header, &rows)
    )
}
