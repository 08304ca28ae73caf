//! `mrake compare`

use super::cores::counted;
use crate::arguments::Compare;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::{Loaded, read_curve, read_text};
use crate::print;
use crate::work::progress;
use mellow_rake::study::{Compared, Contender};
use mellow_rake::verify::CoreCost;
use mellow_rake_files::{VariantError, variants};
use mellow_rake_report::figure::{Scene, View};
use mellow_rake_report::page::{self, Refused};
use mellow_rake_rig::{Core, CoreCostError};
use serde::Serialize;
use std::path::{Path, PathBuf};

#[derive(Serialize)]
struct CompareObject<'a> {
    filters: Vec<FilterObject<'a>>,
    refused: &'a [Refused],
    /// What was asked for and not run, each with the reason.
    not_run: &'a [NotRun],
}

#[derive(Serialize)]
struct FilterObject<'a> {
    #[serde(flatten)]
    compared: &'a Compared,
    /// What its C takes on each core at each level, where that was asked for.
    cores: &'a [CoreCost],
}

#[derive(Serialize)]
struct NotRun {
    label: String,
    core: &'static str,
    reason: String,
}

/// What the C of each filter takes; of one that has none, nothing.
fn costs(
    contenders: &[Contender],
    cores: &[Core],
) -> Result<(Vec<Vec<CoreCost>>, Vec<NotRun>), Failure> {
    let mut all = vec![Vec::new(); contenders.len()];
    let mut not_run: Vec<NotRun> = Vec::new();
    let bar = progress((contenders.len() * cores.len()) as u64, "counting");
    for (contender, found) in contenders.iter().zip(&mut all) {
        let has_float = matches!(contender.study.float(), Ok(Some(_)));
        for core in cores {
            bar.inc(1);
            if !contender.is_rounded() && !has_float {
                continue;
            }
            let reason = match counted(&contender.study, *core) {
                Ok(Ok(rows)) => {
                    found.extend(rows);
                    continue;
                }
                Ok(Err(reason)) => reason,
                // A filter that has no C is one of several.
                Err(CoreCostError::Study(error)) => error.to_string(),
                Err(error) => return Err(Failure::Call(format!("{}: {error}", contender.label))),
            };
            not_run.push(NotRun { label: contender.label.clone(), core: core.as_str(), reason });
        }
    }
    bar.finish_and_clear();
    Ok((all, not_run))
}

pub(crate) fn run(options: &Compare) -> Result<Outcome, Failure> {
    let (contenders, refused) = contenders(options)?;
    let mut reference = match &options.reference {
        Some(path) => read_curve(path)?,
        None => Vec::new(),
    };
    reference.sort_by(|a, b| a.0.total_cmp(&b.0));
    let Some(first) = contenders.first() else {
        let reasons: Vec<String> = refused.iter().map(|r| r.reason.clone()).collect();
        return Err(Failure::Call(reasons.join("\nmrake: ")));
    };
    let nyquist = contenders.iter().map(|c| c.rate().nyquist()).fold(0.0, f64::max);
    if let Some((hz, _)) = reference.iter().find(|(hz, _)| !(0.0..=nyquist).contains(hz)) {
        return Err(Failure::Call(format!(
            "the reference has a point at {hz} Hz; accepted: 0 Hz to the Nyquist frequency, {nyquist} Hz"
        )));
    }
    let compared: Vec<Compared> =
        contenders.iter().map(|one| one.compared(&contenders, &reference)).collect();
    let wishes = options.drawing.wishes(first.rate()).map_err(Failure::Call)?;
    let scene = Scene::of_contenders(&contenders, &reference, wishes);
    let title = match &options.vary {
        Some(wish) => {
            format!("{}: {}", first.study.spec.name, wish.split('=').next().unwrap_or(""))
        }
        None => format!("{} filters", contenders.len()),
    };
    let (costs, not_run) = costs(&contenders, &options.cost)?;
    let views = [View::Gain, View::Edges, View::Passband, View::Difference];
    let sketches = figures::draw_all(&scene, &title, &options.drawing, &views)?;
    if options.json {
        let filters = compared.iter().zip(&costs);
        let filters = filters.map(|(compared, cores)| FilterObject { compared, cores }).collect();
        print::json(&CompareObject { filters, refused: &refused, not_run: &not_run })?;
    } else {
        let mut text = page::comparison(&contenders, &compared, &costs, &refused);
        for NotRun { label, core, reason } in &not_run {
            text.paragraph(&format!("  {label}, {core}: not run: {reason}"), 4);
        }
        text.append(sketches);
        print::page(&text)?;
    }
    let held = refused.is_empty()
        && not_run.is_empty()
        && contenders.iter().all(|one| one.keeps() != Some(false));
    Ok(Outcome::of(held))
}

/// A spec to be designed.
struct Source<'a> {
    label: String,
    /// How errors name it.
    path: PathBuf,
    text: String,
    original: &'a Path,
    shown: String,
}

/// The specs, or the variants of each.
fn sources(options: &Compare) -> Result<Vec<Source<'_>>, Failure> {
    let mut sources = Vec::new();
    for spec in &options.specs {
        let shown = read_text(spec)?;
        let stem = spec.file_stem().unwrap_or_default().to_string_lossy();
        match &options.vary {
            None => sources.push(Source {
                label: stem.into_owned(),
                path: spec.clone(),
                text: shown.clone(),
                original: spec,
                shown,
            }),
            Some(wish) => {
                let many = options.specs.len() > 1;
                let wrong = |error| match error {
                    VariantError::Text(error) => {
                        Failure::Call(format!("{}: {error}", spec.display()))
                    }
                    error => Failure::Call(format!("--vary {error}")),
                };
                for variant in variants(&shown, wish).map_err(wrong)? {
                    let value = &variant.value;
                    let path = format!("{} with {} = {value}", spec.display(), variant.key);
                    sources.push(Source {
                        label: if many { format!("{stem} {value}") } else { value.clone() },
                        path: PathBuf::from(path),
                        text: variant.text,
                        original: spec,
                        shown: shown.clone(),
                    });
                }
            }
        }
    }
    // Files of one name in several folders are told apart by their paths.
    let labels: Vec<String> = sources.iter().map(|source| source.label.clone()).collect();
    for source in &mut sources {
        if labels.iter().filter(|label| **label == source.label).count() > 1 {
            source.label = source.path.display().to_string();
        }
    }
    Ok(sources)
}

/// All filters that were asked for, and those that could not be had.
fn contenders(options: &Compare) -> Result<(Vec<Contender>, Vec<Refused>), Failure> {
    let sources = sources(options)?;
    let (mut contenders, mut refused): (Vec<Contender>, _) = (Vec::new(), Vec::new());
    // Words are judged against the filter that they stand for.
    let against_design =
        options.vary.as_ref().is_some_and(|wish| wish.trim().starts_with("fixed."));
    let bar = progress(sources.len() as u64, "designing");
    for Source { label, path, text, original, shown } in sources {
        bar.inc(1);
        let study = || -> Result<_, Failure> {
            let loaded = Loaded::variant(&path, &text, (original, &shown))?;
            let has_words = loaded.implementation()?.is_some();
            Ok((loaded.study, has_words && !options.designed))
        };
        match study() {
            Ok((study, true)) => {
                if against_design && contenders.is_empty() {
                    let study = study.clone();
                    contenders.push(Contender::designed("designed".to_owned(), study));
                }
                contenders.push(Contender::rounded(label, study));
            }
            Ok((study, false)) => contenders.push(Contender::designed(label, study)),
            // One value of many may ask for the impossible; a single spec may not.
            Err(failure) if options.vary.is_some() => {
                refused.push(Refused { label, reason: failure.to_string() });
            }
            Err(failure) => return Err(failure),
        }
    }
    bar.finish_and_clear();
    Ok((contenders, refused))
}
