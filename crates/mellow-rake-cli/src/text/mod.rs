//! A design in words: asked beside achieved, coefficients, and the fixed-point side.

pub(crate) mod quality;
pub(crate) mod units;
mod words;

pub(crate) use words::words;

use crate::measured::Measured;
use crate::print::{without_minus_zero, wrapped};
use mellow_rake::design::{Choice, order_that_keeps};
use mellow_rake::filter::{Form, Section};
use mellow_rake::signal::MaskMargin;
use quality::quality_table;
use std::fmt::Write;

/// What the words of the table mean.
const NOTES: &str = "  null: below -200 dB; -3 dB means half power, -6 dB half amplitude, all from the largest gain; margin: of the \
                     last column, below zero where it misses what was asked";

/// So many taps are printed; of more, the first and the last.
const SHOWN_TAPS: usize = 24;

/// How a spectrum stands to a mask.
pub(crate) fn mask(margin: &MaskMargin) -> String {
    let MaskMargin { margin_db, at_hz, level_db, allowed_db, points, above } = margin;
    let verdict = match above {
        0 => format!("below the mask by {margin_db:.1} dB or more"),
        above => {
            format!("ABOVE THE MASK at {above} of {points} points, by up to {:.1} dB", -margin_db)
        }
    };
    format!(
        "{verdict}, at {} Hz: {level_db:.1} dB of the largest density, {allowed_db:.1} allowed",
        units::hertz(*at_hz)
    )
}

impl Measured {
    /// Asked beside achieved.
    pub(crate) fn text(&self) -> String {
        let design = &self.loaded.design;
        let assumptions: &[String] = match &design.choice {
            Choice::Notch(_) | Choice::Recursive(_) => &[],
            Choice::Fir(choice) => &choice.assumptions,
            Choice::Direct(choice) => &choice.assumptions,
        };
        let title = &design.choice;
        let spec = &self.loaded.spec;
        let mut text = format!("{} at {} Hz: {title}\n\n", spec.name, spec.sample_rate.hertz());
        let [designed, rounded] = self.rows();
        text.push_str(&quality_table(&designed.unwrap_or_default(), rounded.as_deref()));
        text.push('\n');
        if let Some(equalizer) = &design.equalizer {
            let line = format!(
                "  equalizer: {} all-pass sections bring the delay ripple from {:.3} to {:.3} samples (asked {})",
                equalizer.sections,
                equalizer.ripple_before,
                equalizer.ripple_after,
                equalizer.asked_ripple
            );
            text.push_str(&wrapped(&line, 4));
        }
        text.push_str(&wrapped(NOTES, 4));
        for assumption in assumptions {
            text.push_str(&wrapped(&format!("  {assumption}"), 4));
        }
        match self.meets_spec() {
            Some(true) => text.push_str("  as designed: meets the spec\n"),
            Some(false) => {
                text.push_str("  as designed: MISSES the spec");
                if let Some(order) = order_that_keeps(&self.loaded.spec) {
                    let _ = write!(text, "; order = {order} keeps the template");
                }
                text.push('\n');
            }
            None => text.push_str("  nothing was asked that the response could miss\n"),
        }
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
        text.push_str(&coefficients(&design.form));
        if let Some(implementation) = &self.implementation {
            text.push_str(&words::words(implementation));
        }
        text
    }
}

/// The coefficients in f64, with the sign convention.
fn coefficients(form: &Form) -> String {
    let mut text = String::new();
    match form {
        Form::Sections(sections) => {
            text.push_str(
                "\nCoefficients, y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2]\n",
            );
            for Section { b: [b0, b1, b2], a: [a1, a2] } in &sections.0 {
                let _ = writeln!(text, "  b {b0:?} {b1:?} {b2:?}\n  a 1 {a1:?} {a2:?}");
            }
        }
        Form::Taps(taps) => {
            let count = taps.0.len();
            let _ = writeln!(text, "\nTaps, y[n] = h[0] x[n] + ... + h[{}] x[n-{0}]", count - 1);
            let shown = if count > SHOWN_TAPS { SHOWN_TAPS / 4 } else { count };
            for (k, tap) in taps.0.iter().enumerate().take(shown) {
                let _ = writeln!(text, "  h[{k}] {tap:?}");
            }
            if count > SHOWN_TAPS {
                let _ = writeln!(text, "  ... ({} more; all with --json)", count - 2 * shown);
                for (k, tap) in taps.0.iter().enumerate().skip(count - shown) {
                    let _ = writeln!(text, "  h[{k}] {tap:?}");
                }
            }
            let sum = without_minus_zero(format!("{:.6}", taps.0.iter().sum::<f64>()));
            let _ = writeln!(text, "  sum of the taps {sum}");
        }
    }
    text
}
