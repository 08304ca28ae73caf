//! `mrake design`

use crate::arguments::Design;
use crate::command::forms::{self, FormObject, form};
use crate::command::watch;
use crate::failure::{Failure, Outcome};
use crate::figures::{self, Subject, Wishes};
use crate::load::Loaded;
use crate::measured::Measured;
use crate::objects::{DesignObject, design_object};
use crate::print::{self, number, table, without_minus_zero};
use crate::text::units::hertz;
use mellow_rake::design::{Design as Made, DesignError, wish};
use mellow_rake::filter::Family;
use mellow_rake::quality::{FamilyFigures, Kept, compare_families};
use mellow_rake::response::{RootKind, RootMeasures};
use mellow_rake::spec::{RecursiveEdges, Want};
use mellow_rake_figures::Pen;
use serde::Serialize;
use std::fmt::Write;

pub(crate) fn run(options: &Design) -> Result<Outcome, Failure> {
    if options.watch { watch::run(options) } else { once(options) }
}

/// Designs, draws and prints once.
pub(super) fn once(options: &Design) -> Result<Outcome, Failure> {
    let measured = Measured::new(Loaded::file(&options.spec)?)?;
    let wishes = options.drawing.wishes(measured.loaded.spec.sample_rate).map_err(Failure::Call)?;
    let families = if options.families { Some(families(&measured.loaded)?) } else { None };
    let sketches = draw(options, &measured, wishes, families.as_deref())?;
    let forms: Vec<FormObject> =
        options.forms.iter().map(|wanted| form(&measured.loaded, *wanted)).collect();
    if options.json {
        print::json(&WithMore { design: design_object(&measured), families, forms })?;
        return Ok(Outcome::of(measured.meets_spec() != Some(false)));
    }
    let mut text = measured.text();
    if let Some(families) = families {
        text.push_str(&families_text(&families));
    }
    text.push_str(&forms::text(&forms));
    if options.roots {
        text.push_str(&roots_text(&measured.loaded));
    }
    text.push_str(&sketches);
    print::text(&text)?;
    Ok(Outcome::of(measured.meets_spec() != Some(false)))
}

/// Zeros and poles, conjugate pairs once.
fn roots_text(loaded: &Loaded) -> String {
    let roots = match loaded.design.roots(loaded.spec.sample_rate) {
        Ok(roots) => roots,
        Err(why) => return format!("\nZeros and poles: not known: {why}\n"),
    };
    let row = |root: &RootMeasures| {
        let kind = match root.kind {
            RootKind::Zero => "zero",
            RootKind::Pole => "pole",
        };
        let what = match (root.is_pair, root.count) {
            (false, 1) => kind.to_owned(),
            (false, count) => format!("{count} {kind}s"),
            (true, 1) => format!("{kind}s, a pair"),
            (true, count) => format!("{kind}s, {count} pairs"),
        };
        vec![
            what,
            without_minus_zero(format!("{:.9}", root.re)),
            format!("{:.9}", root.im),
            format!("{:.9}", root.radius),
            hertz(root.frequency_hz),
            format!("{:.4}", root.angle_degrees),
            number(root.time_constant_samples, 3),
        ]
    };
    let header = ["", "re", "im", "radius", "Hz", "deg", "time constant, samples"];
    let rows: Vec<Vec<String>> = roots.iter().map(row).collect();
    format!("\nZeros and poles of the designed filter\n{}", table(&header, &rows))
}

/// The figure and the sketches: of the design and its rounded coefficients, or of all families.
fn draw(
    options: &Design,
    measured: &Measured,
    wishes: Wishes,
    families: Option<&[FamilyRow]>,
) -> Result<String, Failure> {
    let (loaded, drawing) = (&measured.loaded, &options.drawing);
    let mut scene = figures::scene(measured, wishes);
    let title = format!("{}: {}", loaded.spec.name, scene.plan.title);
    let Some(rows) = families else {
        return figures::draw_all(&scene, &title, drawing, &figures::RESPONSE);
    };
    let kept = rows.iter().filter_map(|row| match row {
        FamilyRow::Keeps { design, figures } => Some((design, figures)),
        FamilyRow::Fails { .. } => None,
    });
    scene.subjects = kept
        .enumerate()
        .map(|(rank, (design, figures))| {
            let name = format!("{}, order {}", figures.family, figures.order);
            Subject::designed(&name, Pen::Rank(rank), design, loaded.spec.sample_rate)
        })
        .collect();
    let title = format!("{}: all families against one template", loaded.spec.name);
    figures::draw_all(&scene, &title, drawing, &figures::RESPONSE)
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
    Keeps {
        #[serde(skip)]
        design: Box<Made>,
        #[serde(flatten)]
        figures: FamilyFigures,
    },
    Fails {
        family: Family,
        reason: String,
    },
}

fn families(loaded: &Loaded) -> Result<Vec<FamilyRow>, Failure> {
    let spec = &loaded.spec;
    let Want::Recursive(recursive) = &spec.want else {
        return Err(Failure::Call("--families needs a template of a recursive filter".to_owned()));
    };
    if !matches!(recursive.edges, RecursiveEdges::Template { .. }) {
        return Err(Failure::Call(
            "--families needs both edges: where the pass-band ends and where the stop-band begins"
                .to_owned(),
        ));
    }
    let all = compare_families(&wish(recursive, spec.sample_rate), spec.sample_rate);
    let row = |(family, found): (Family, Result<Kept, DesignError>)| match found {
        Ok((design, figures)) => FamilyRow::Keeps { design: Box::new(design), figures },
        Err(error) => FamilyRow::Fails { family, reason: error.to_string() },
    };
    Ok(all.into_iter().map(row).collect())
}

fn families_text(families: &[FamilyRow]) -> String {
    let mut rows = Vec::new();
    let mut failures = String::new();
    for row in families {
        match row {
            FamilyRow::Keeps { figures, .. } => rows.push(vec![
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
