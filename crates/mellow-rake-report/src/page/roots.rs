//! Zeros and poles.

use crate::Document;
use crate::numbers::{number, without_minus_zero};
use crate::units::hertz;
use mellow_rake::response::{RootKind, RootMeasures};
use mellow_rake::study::Study;

/// Zeros and poles of a design, conjugate pairs once.
pub fn roots(study: &Study) -> Document {
    let roots = match study.design.roots(study.spec.sample_rate) {
        Ok(roots) => roots,
        Err(why) => return Document::of(&format!("\nZeros and poles: not known: {why}")),
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
    let mut page = Document::of("\nZeros and poles of the designed filter");
    page.table(&header, &rows);
    page
}
