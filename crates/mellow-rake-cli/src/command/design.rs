//! `mrake design`

use crate::arguments::Design;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::Loaded;
use crate::measured::Measured;
use crate::objects::{DesignObject, design_object};
use crate::print::{self, number, table};
use mellow_rake::analysis::{
    BandMeasures, FamilyFigures, Measures, NotchMeasures, compare_families,
};
use mellow_rake::design::iir::IirChoice;
use mellow_rake::design::{Choice, DesignError, NotchChoice, wish};
use mellow_rake::filter::{EdgeMeaning, Family, Section};
use mellow_rake::implementation::Implementation;
use mellow_rake::spec::{RecursiveEdges, Want};
use serde::Serialize;
use std::fmt::Write;

impl Measured {
    /// Asked beside achieved.
    pub(crate) fn text(&self) -> String {
        let design = &self.loaded.design;
        let reports: Vec<&Measures> =
            std::iter::once(&self.designed).chain(&self.rounded).collect();
        let (title, rows) = match &design.choice {
            Choice::Notch(choice) => (notch_title(choice), notch_rows(choice, &reports)),
            Choice::Recursive(choice) => (band_title(choice), band_rows(choice, &reports)),
        };
        let spec = &self.loaded.spec;
        let mut text = format!(
            "{} at {} Hz: {title}

",
            spec.name,
            spec.sample_rate.hertz()
        );
        let header = ["measured on the response", "asked", "designed", "rounded"];
        text.push_str(&table(&header[..2 + reports.len()], &rows));
        text.push('\n');
        if let Some([least, most]) = self.delay {
            let _ =
                writeln!(text, "  group delay in the pass-band: {least:.3} to {most:.3} samples");
        }
        text.push_str("  null: below -200 dB; -3 dB means half power, -6 dB half amplitude\n");
        let verdict = if self.meets_spec() { "meets" } else { "MISSES" };
        let _ = writeln!(text, "  as designed: {verdict} the spec");
        match self.rounded_excess_db() {
            Some(0.0) => text.push_str("  with rounded coefficients: keeps the template\n"),
            Some(excess) => {
                let _ = writeln!(
                    text,
                    "  with rounded coefficients: exceeds the template by {excess:.4} dB"
                );
            }
            None => {}
        }
        text.push_str(
            "\nCoefficients, y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2]\n",
        );
        for Section { b: [b0, b1, b2], a: [a1, a2] } in &design.sections.0 {
            let _ = writeln!(text, "  b {b0:?} {b1:?} {b2:?}\n  a 1 {a1:?} {a2:?}");
        }
        if let Some(implementation) = &self.implementation {
            text.push_str(&words(implementation));
        }
        text
    }
}

/// A row of the table: one figure of every report.
fn row<M>(name: &str, asked: &str, reports: &[&M], pick: impl Fn(&M) -> String) -> Vec<String> {
    let mut row = vec![name.to_owned(), asked.to_owned()];
    row.extend(reports.iter().map(|report| pick(report)));
    row
}

/// A gain in decibels, or that there is none.
fn gain(gain: Option<f64>) -> String {
    match gain {
        Some(gain) if gain > -200.0 => signed(gain),
        _ => "null".to_owned(),
    }
}

/// A gain with its sign, and zero without.
fn signed(gain: f64) -> String {
    let text = format!("{gain:+.4}");
    if text.trim_start_matches(['+', '-', '0', '.']).is_empty() {
        "0.0000".to_owned()
    } else {
        text
    }
}

fn notch_title(choice: &NotchChoice) -> String {
    let NotchChoice { center_hz, width_hz, q, .. } = choice;
    format!(
        "second-order notch at {center_hz} Hz, {width_hz} Hz between the -3 dB points (q {q:.4})"
    )
}

fn notch_rows(choice: &NotchChoice, reports: &[&Measures]) -> Vec<Vec<String>> {
    let reports: Vec<&NotchMeasures> = reports
        .iter()
        .filter_map(|report| match report {
            Measures::Notch(measures) => Some(measures),
            Measures::Bands(_) => None,
        })
        .collect();
    let hertz = |value: f64| format!("{value:.4}");
    let [low, high] = choice.edges_hz.map(hertz);
    let edge = |side: usize| move |m: &NotchMeasures| number(m.edges_3db_hz[side], 4);
    let half = |side: usize| move |m: &NotchMeasures| number(m.edges_6db_hz[side], 4);
    vec![
        row("deepest point, Hz", &hertz(choice.center_hz), &reports, |m| hertz(m.null_hz)),
        row("gain at the centre, dB", "null", &reports, |m| gain(m.center_gain_db)),
        row("lower -3 dB point, Hz", &low, &reports, edge(0)),
        row("upper -3 dB point, Hz", &high, &reports, edge(1)),
        row("width, Hz", &hertz(choice.width_hz), &reports, |m| number(m.width_hz, 4)),
        row("lower -6 dB point, Hz", "-", &reports, half(0)),
        row("upper -6 dB point, Hz", "-", &reports, half(1)),
        row("gain at 0 Hz, dB", "0", &reports, |m| signed(m.dc_gain_db)),
        row("gain at Nyquist, dB", "0", &reports, |m| signed(m.nyquist_gain_db)),
        row("largest gain, dB", "0", &reports, |m| signed(m.peak_gain_db)),
    ]
}

/// "0.6 Hz", or "5 Hz and 15 Hz"
fn edges(edges: &[f64]) -> String {
    edges.iter().map(|hz| format!("{hz} Hz")).collect::<Vec<_>>().join(" and ")
}

fn band_title(choice: &IirChoice) -> String {
    let IirChoice { kind, family, order, .. } = choice;
    let smallest =
        if choice.order_is_smallest { ", the smallest that keeps the template" } else { "" };
    let at = edges(&choice.edges_hz);
    let meaning = match choice.meaning {
        EdgeMeaning::HalfPower => format!("-3 dB at {at}"),
        EdgeMeaning::RippleEnd => format!("the ripple ends exactly at {at}"),
        EdgeMeaning::StopBegin => format!("the stop-band begins exactly at {at}"),
    };
    format!("{family} {} of order {order}{smallest};\n  {meaning}", kind.as_str())
}

fn band_rows(choice: &IirChoice, reports: &[&Measures]) -> Vec<Vec<String>> {
    let reports: Vec<&BandMeasures> = reports
        .iter()
        .filter_map(|report| match report {
            Measures::Bands(measures) => Some(measures),
            Measures::Notch(_) => None,
        })
        .collect();
    let asked = |level: Option<f64>| level.map_or("-".to_owned(), |level| format!("{level}"));
    let mut rows = Vec::new();
    if let Some(pass) = &choice.pass_hz {
        let name = format!("ripple to {}, dB", edges(pass));
        rows.push(row(&name, &asked(choice.ripple_db), &reports, |m| {
            number(m.passband_ripple_db, 4)
        }));
    }
    if let Some(stop) = &choice.stop_hz {
        let name = format!("attenuation from {}, dB", edges(stop));
        let asked = asked(choice.attenuation_db);
        rows.push(row(&name, &asked, &reports, |m| number(m.stopband_attenuation_db, 2)));
        rows.push(row("  worst at, Hz", "-", &reports, |m| number(m.worst_stop_hz, 4)));
    }
    let sides: &[&str] = if choice.kind.is_band() { &["lower ", "upper "] } else { &[""] };
    for (side, name) in sides.iter().enumerate() {
        let asked = match choice.meaning {
            EdgeMeaning::HalfPower => format!("{}", choice.edges_hz[side]),
            _ => "-".to_owned(),
        };
        let three = format!("{name}-3 dB point, Hz");
        rows.push(row(&three, &asked, &reports, |m| number(m.edges_3db_hz[side], 4)));
        let six = format!("{name}-6 dB point, Hz");
        rows.push(row(&six, "-", &reports, |m| number(m.edges_6db_hz[side], 4)));
    }
    rows.push(row("gain at 0 Hz, dB", "-", &reports, |m| gain(m.dc_gain_db)));
    rows.push(row("gain at Nyquist, dB", "-", &reports, |m| gain(m.nyquist_gain_db)));
    rows.push(row("largest gain, dB", "0", &reports, |m| signed(m.peak_gain_db)));
    rows
}

/// The fixed-point side of a design.
fn words(implementation: &Implementation) -> String {
    let Implementation { fixed, table, checked, predictions, .. } = implementation;
    let cost = checked.cost();
    let lsb = fixed.output.step();
    let mut text = format!(
        "\nOn integers: {}, input {}, output {}, {}, {}\n",
        fixed.structure.as_str(),
        fixed.input,
        fixed.output,
        fixed.rounding,
        fixed.overflow
    );
    for row in &table.rows {
        let _ = writeln!(
            text,
            "  coefficients {}: b {} {} {}  a {} {}",
            table.format, row[0], row[1], row[2], row[3], row[4]
        );
    }
    let _ = writeln!(
        text,
        "  per sample {} multiplies, {} adds; accumulator {} bits; {} words of memory",
        cost.multiplies_per_sample, cost.adds_per_sample, cost.accumulator_bits, cost.state_words
    );
    match checked.facts().bounds() {
        Ok(bounds) => {
            let full = fixed.output.maximum() as f64 * lsb;
            let count = table.rows.len();
            for reach in &bounds.reaches {
                let act = if reach.safe { "cannot act: proved" } else { "can act" };
                let _ = writeln!(
                    text,
                    "  worst-case level before the limit{}: {:.4} to {:.4}, {:.2} times full scale; \
                     {} {act}",
                    if count > 1 {
                        format!(" of section {}", reach.pass + 1)
                    } else {
                        String::new()
                    },
                    reach.low,
                    reach.high,
                    reach.high.max(-reach.low) / full,
                    fixed.overflow
                );
            }
            if bounds.reaches.is_empty() {
                let _ = writeln!(text, "  the output limit cannot act: proved");
            }
            let _ = writeln!(
                text,
                "  rounding error at the output: {:.1} LSB at most (proved while no limit acts)",
                bounds.error.largest() / lsb
            );
        }
        Err(why) => {
            let _ = writeln!(text, "  no bound proved: {why}");
        }
    }
    let _ = match predictions {
        Ok(predictions) => {
            writeln!(
                text,
                "  predicted rounding noise: {:.2} LSB rms",
                predictions.noise.rms() / lsb
            )
        }
        Err(why) => writeln!(text, "  no rounding noise predicted: {why}"),
    };
    text
}

pub(crate) fn run(options: &Design) -> Result<Outcome, Failure> {
    let measured = Measured::new(Loaded::file(&options.spec)?)?;
    if let Some(path) = &options.figure {
        figures::response(&measured.loaded, measured.implementation.as_ref(), path)?;
        eprintln!("{} written", path.display());
    }
    let families = if options.families { Some(families(&measured.loaded)?) } else { None };
    if options.json {
        print::json(&WithFamilies { design: design_object(&measured), families })?;
    } else {
        print::text(&measured.text())?;
        if let Some(families) = families {
            print::text(&families_text(&families))?;
        }
    }
    Ok(Outcome::of(measured.meets_spec()))
}

/// A design, and the families if they were asked for.
#[derive(Serialize)]
struct WithFamilies {
    #[serde(flatten)]
    design: DesignObject,
    #[serde(skip_serializing_if = "Option::is_none")]
    families: Option<Vec<FamilyRow>>,
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
