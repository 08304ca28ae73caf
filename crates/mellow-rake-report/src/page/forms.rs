//! Other forms of a design, and other families for its template.

use crate::Document;
use crate::numbers::number;
use mellow_rake::convert::{AllPassSum, Loss};
use mellow_rake::design::iir::Analogue;
use mellow_rake::filter::{Mapping, Section};
use mellow_rake::study::{FamilyRow, FormRecord, FormValue};
use std::fmt::Write;

/// A design in other forms, each with what it lost.
pub fn forms(forms: &[FormRecord]) -> Document {
    let mut page = Document::default();
    for record in forms {
        let _ = writeln!(page, "\nAs {}", record.form.title());
        if let Some(why) = &record.refused {
            page.paragraph(&format!("  refused: {why}"), 4);
        }
        if let Some(value) = &record.value {
            page.append(value_text(value));
        }
        if let Some(Loss { response, poles, .. }) = record.loss {
            let moved = match poles > 0.0 {
                true => format!("; rounding can move poles by {poles:.1e} of their margin"),
                false => String::new(),
            };
            let _ = writeln!(page, "  loss: response {response:.1e} of its peak{moved}");
        }
    }
    page
}

fn value_text(value: &FormValue) -> Document {
    let mut page = Document::default();
    match value {
        FormValue::Polynomials(found) => {
            numbers(&mut page, "b", &found.b);
            numbers(&mut page, "a", &found.a);
        }
        FormValue::StateSpace(found) => {
            page.lines("  s[n+1] = A s[n] + B x[n], y[n] = C s[n] + D x[n]");
            for row in &found.a {
                numbers(&mut page, "A", row);
            }
            numbers(&mut page, "B", &found.b);
            numbers(&mut page, "C", &found.c);
            numbers(&mut page, "D", &[found.d]);
        }
        FormValue::AllPassSum(found) => {
            let AllPassSum { sign, factor, first, second, .. } = found;
            let (sign, minus) =
                (if *sign > 0.0 { '+' } else { '-' }, if *factor < 0.0 { "-" } else { "" });
            let _ = writeln!(
                page,
                "  H(z) = {minus}(A1(z) {sign} A2(z))/2; the other sign gives the power complement"
            );
            page.lines("  A1");
            rows(&mut page, first);
            page.lines("  A2");
            rows(&mut page, second);
        }
        FormValue::Parallel(found) => {
            page.lines("  H(z) = constant + sum of sections");
            numbers(&mut page, "constant", &[found.constant]);
            rows(&mut page, &found.sections);
        }
        FormValue::Prototype { analogue, mapping } => prototype(&mut page, analogue, *mapping),
        _ => {}
    }
    page
}

fn prototype(page: &mut Document, analogue: &Analogue, mapping: Mapping) {
    page.lines("  low-pass prototype, edge at 1 rad/s");
    let list = |page: &mut Document, name: &str, roots: &[[f64; 2]]| {
        for [re, im] in roots {
            let _ = writeln!(page, "    {name} {re:?} {im:+?}j");
        }
    };
    list(page, "zero", &analogue.prototype.zeros);
    list(page, "pole", &analogue.prototype.poles);
    let edges = analogue.edges_rad_s.iter().map(|e| format!("{e:?} rad/s"));
    let edges = edges.collect::<Vec<_>>().join(" and ");
    let how = match mapping {
        Mapping::Bilinear => "prewarped edges",
        Mapping::ImpulseInvariant => "edges",
    };
    let _ = writeln!(page, "  transformed to the {how} {edges}, s in rad/s");
    list(page, "zero", &analogue.filter.zeros);
    list(page, "pole", &analogue.filter.poles);
    let _ = writeln!(page, "    gain {:?}", analogue.gain);
    page.lines("  H(s), highest power first");
    numbers(page, "b", &analogue.numerator);
    numbers(page, "a", &analogue.denominator);
}

fn numbers(page: &mut Document, name: &str, values: &[f64]) {
    let list: Vec<String> = values.iter().map(|value| format!("{value:?}")).collect();
    page.paragraph(&format!("    {name} {}", list.join(" ")), 6);
}

fn rows(page: &mut Document, sections: &[Section]) {
    for Section { b: [b0, b1, b2], a: [a1, a2] } in sections {
        let _ = writeln!(page, "    b {b0:?} {b1:?} {b2:?}  a 1 {a1:?} {a2:?}");
    }
}

/// All families against one template.
pub fn families(families: &[FamilyRow]) -> Document {
    let (mut rows, mut failures) = (Vec::new(), Document::default());
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
            _ => {}
        }
    }
    let header =
        ["family", "order", "multiplies", "worst delay, samples", "variation", "step overshoot, %"];
    let mut page = Document::of("\nAll families against this template (delay in the pass-band)");
    page.table(&header, &rows);
    page.append(failures);
    page
}
