//! A design in words: asked beside achieved, coefficients, and the fixed-point side.

mod bands;
mod fir;
mod general;
mod notch;
mod rows;
mod words;

use crate::measured::Measured;
use crate::print::{table, wrapped};
use mellow_rake::analysis::Measures;
use mellow_rake::design::Choice;
use mellow_rake::filter::{Form, Section};
use std::fmt::Write;

/// So many taps are printed; of more, the first and the last.
const SHOWN_TAPS: usize = 24;

impl Measured {
    /// Asked beside achieved.
    pub(crate) fn text(&self) -> String {
        let design = &self.loaded.design;
        let reports: Vec<&Measures> =
            std::iter::once(&self.designed).chain(&self.rounded).collect();
        let nyquist = self.loaded.spec.sample_rate.nyquist();
        let (rows, assumptions): (_, &[String]) = match &design.choice {
            Choice::Notch(choice) => (notch::notch_rows(choice, &reports), &[]),
            Choice::Recursive(choice) => (bands::iir_rows(choice, &reports), &[]),
            Choice::Fir(choice) => (fir::fir_rows(choice, &reports, nyquist), &choice.assumptions),
            Choice::Direct(choice) => {
                (general::general_rows(&reports, nyquist), &choice.assumptions)
            }
        };
        let title = &design.choice;
        let spec = &self.loaded.spec;
        let mut text = format!("{} at {} Hz: {title}\n\n", spec.name, spec.sample_rate.hertz());
        let header = ["measured on the response", "asked", "designed", "rounded"];
        text.push_str(&table(&header[..2 + reports.len()], &rows));
        text.push('\n');
        match self.delay {
            Some([least, most]) if least == most => {
                let _ = writeln!(text, "  group delay: {least} samples at every frequency");
            }
            Some([least, most]) => {
                let _ = writeln!(
                    text,
                    "  group delay in the pass-band: {least:.3} to {most:.3} samples"
                );
            }
            None => {}
        }
        text.push_str(&self.in_time());
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
        text.push_str("  null: below -200 dB; -3 dB means half power, -6 dB half amplitude\n");
        for assumption in assumptions {
            text.push_str(&wrapped(&format!("  {assumption}"), 4));
        }
        match self.meets_spec() {
            Some(true) => text.push_str("  as designed: meets the spec\n"),
            Some(false) => text.push_str("  as designed: MISSES the spec\n"),
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

impl Measured {
    /// What the filter does to a step and to noise.
    fn in_time(&self) -> String {
        let time = &self.time;
        let rate = self.loaded.spec.sample_rate;
        let settled = time.settling_samples;
        let mut text = format!(
            "  step: overshoot {:.2} %, within 1 % after {settled} samples ({:.4} s)\n",
            time.step_overshoot_percent,
            settled as f64 / rate.hertz()
        );
        let _ = write!(text, "  noise bandwidth {:.4} Hz", time.noise_bandwidth_hz);
        if let (Some(constant), Some(margin)) = (time.time_constant_samples, time.stability_margin)
        {
            let _ = write!(
                text,
                "; slowest pole: time constant {constant:.2} samples, {margin:.3e} from the circle"
            );
        }
        text.push('\n');
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
            let _ = writeln!(text, "  sum of the taps {:.6}", taps.0.iter().sum::<f64>());
        }
    }
    text
}
