//! A design in words: asked beside achieved, coefficients, and the fixed-point side.

use super::quality::quality_table;
use super::words::words;
use crate::Document;
use crate::numbers::without_minus_zero;
use mellow_rake::design::{Choice, order_that_keeps};
use mellow_rake::filter::{Form, Section};
use mellow_rake::float::FloatFilter;
use mellow_rake::study::Study;
use std::fmt::Write;

/// What the words of the table mean.
const NOTES: &str = "  null: below -200 dB; -3 dB means half power, -6 dB half amplitude, all from the \
    largest gain; margin: of the last column, below zero where it misses what was asked";

/// So many taps are printed; of more, the first and the last.
const SHOWN_TAPS: usize = 24;

/// A design: asked beside achieved, its coefficients, and its words.
pub fn design(study: &Study) -> Document {
    let (spec, design) = (&study.spec, &study.design);
    let title = &design.choice;
    let heading = format!("{} at {} Hz: {title}\n\n", spec.name, spec.sample_rate.hertz());
    let mut page = Document::of(&heading);
    let [designed, rounded] = study.rows();
    quality_table(&mut page, &designed.unwrap_or_default(), rounded.as_deref());
    page.gap();
    if let Some(equalizer) = &design.equalizer {
        let line = format!(
            "  equalizer: {} all-pass sections bring the delay ripple from {:.3} to {:.3} samples (asked {})",
            equalizer.sections,
            equalizer.ripple_before,
            equalizer.ripple_after,
            equalizer.asked_ripple
        );
        page.paragraph(&line, 4);
    }
    page.paragraph(NOTES, 4);
    let assumptions: &[String] = match &design.choice {
        Choice::Notch(_) | Choice::Recursive(_) => &[],
        Choice::Fir(choice) => &choice.assumptions,
        Choice::Direct(choice) => &choice.assumptions,
    };
    for assumption in assumptions {
        page.paragraph(&format!("  {assumption}"), 4);
    }
    verdicts(&mut page, study);
    coefficients(&mut page, &design.form);
    if let Ok(Some(implementation)) = study.implementation() {
        page.append(words(implementation));
    }
    if let Ok(Some(filter)) = study.float() {
        float(&mut page, study, filter);
    }
    page
}

/// The filter in floating point.
fn float(page: &mut Document, study: &Study, filter: &FloatFilter) {
    let Some(wish) = study.spec.float else { return };
    let chosen = if wish.is_chosen { " (chosen)" } else { "" };
    let format = filter.format();
    page.gap();
    page.lines(&format!("In {format}, {}{chosen}", filter.structure().as_str()));
    let text = match study.float_bound() {
        Some(bound) => format!(
            "  proved for inputs up to {}: its arithmetic is off by at most {:.3e} at the output ({:.1} \
             steps of {format} at 1), and no number on the way is beyond {:.4}, so nothing overflows",
            wish.peak,
            bound.error,
            bound.error / (2.0 * format.unit_roundoff()),
            bound.level
        ),
        None => "  nothing is proved of the errors of its arithmetic: they may keep themselves up"
            .to_owned(),
    };
    page.paragraph(&text, 4);
}

/// Whether the designed and the rounded filter are what was asked.
fn verdicts(page: &mut Document, study: &Study) {
    match study.meets_spec() {
        Some(true) => page.verdict(Some(true), "as designed: meets the spec"),
        Some(false) => {
            let advice = order_that_keeps(&study.spec)
                .map_or(String::new(), |order| format!("; order = {order} keeps the template"));
            page.verdict(Some(false), format!("as designed: MISSES the spec{advice}"));
        }
        None => page.verdict(None, "nothing was asked that the response could miss"),
    }
    match study.rounded_excess_db() {
        Some(0.0) => page.verdict(Some(true), "with rounded coefficients: keeps the template"),
        Some(excess) => {
            let text = format!("with rounded coefficients: exceeds the template by {excess:.4} dB");
            page.verdict(Some(false), text);
        }
        None => {}
    }
}

/// The coefficients in f64, with the sign convention.
fn coefficients(page: &mut Document, form: &Form) {
    match form {
        Form::Sections(sections) => {
            page.lines(
                "\nCoefficients, y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2]",
            );
            for Section { b: [b0, b1, b2], a: [a1, a2] } in &sections.0 {
                let _ = writeln!(page, "  b {b0:?} {b1:?} {b2:?}\n  a 1 {a1:?} {a2:?}");
            }
        }
        Form::Taps(taps) => {
            let count = taps.0.len();
            let _ = writeln!(page, "\nTaps, y[n] = h[0] x[n] + ... + h[{}] x[n-{0}]", count - 1);
            let shown = if count > SHOWN_TAPS { SHOWN_TAPS / 4 } else { count };
            for (k, tap) in taps.0.iter().enumerate().take(shown) {
                let _ = writeln!(page, "  h[{k}] {tap:?}");
            }
            if count > SHOWN_TAPS {
                let _ = writeln!(page, "  ... ({} more; all with --json)", count - 2 * shown);
                for (k, tap) in taps.0.iter().enumerate().skip(count - shown) {
                    let _ = writeln!(page, "  h[{k}] {tap:?}");
                }
            }
            let sum = without_minus_zero(format!("{:.6}", taps.0.iter().sum::<f64>()));
            let _ = writeln!(page, "  sum of the taps {sum}");
        }
    }
}
