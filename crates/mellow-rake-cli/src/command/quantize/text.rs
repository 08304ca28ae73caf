//! What `mrake quantize` found, on one page.

use super::objects::{
    Enough, NoiseObject, OverflowObject, PolynomialObject, QuantizeObject, RemedyObject,
    SectionCycles, StructureRow, StructureSweep, SweepObject, SweepRow,
};
use crate::print::{number, table, wrapped};
use crate::text::words;
use mellow_rake::Effort;
use mellow_rake::implementation::Implementation;

pub(super) fn text(
    filter: &Implementation,
    object: &QuantizeObject<'_>,
    advice: Option<String>,
) -> String {
    let QuantizeObject { name, noise, structures, .. } = object;
    let mut text = format!("{name} in the words of its spec\n{}", words(filter));
    let [designed, rounded] = object.template_margin_db;
    let verdict = match (designed, rounded) {
        (_, None) => "no template was asked for".to_owned(),
        (_, Some(margin)) if margin >= 0.0 => "keeps the template".to_owned(),
        (_, Some(margin)) => format!("MISSES the template by {:.4} dB", -margin),
    };
    text.push_str(&format!("\nResponse with rounded coefficients: {verdict}\n"));
    if let Some(remedies) = &object.remedies {
        text.push_str(&remedies_text(remedies));
    }
    if let Some(matters) = &object.most_sensitive {
        let which = match filter.rounded.taps() {
            Some(_) => format!("tap {}", matters.index),
            None => format!("{} of section {}", matters.name, matters.index + 1),
        };
        let line = format!(
            "  the coefficient that matters most: {which}; one LSB of it changes the response by {:.4} % of its peak at {} Hz",
            100.0 * matters.response_change,
            crate::text::units::hertz(matters.at_hz)
        );
        text.push_str(&wrapped(&line, 4));
    }
    if let Some(pole) = &object.most_moved_pole {
        let line = format!(
            "  the pole that moved most, at {} Hz and radius {:.6}: by {:.2e}, {:.3} % of its distance from the unit circle",
            crate::text::units::hertz(pole.hz),
            pole.radius,
            pole.moved,
            100.0 * pole.share
        );
        text.push_str(&wrapped(&line, 4));
    }
    if let Some(found) = &object.as_one_polynomial {
        text.push_str(&wrapped(&polynomial_text(found, filter), 4));
    }
    text.push_str(&noise_text(noise));
    if let Some(cycles) = object.oscillations {
        text.push_str(&cycles_text(
            cycles,
            filter.carried().maximum() as f64,
            filter.no_limit_acts(),
            filter.fixed.effort,
        ));
    }
    text.push_str(&structures_text(structures));
    if let Some(untried) = object.untried {
        text.push_str(&wrapped(&untried_text(untried, filter.fixed.effort), 4));
    }
    if let Some(advice) = advice {
        text.push('\n');
        text.push_str(&wrapped(&advice, 2));
    }
    if let Some(sweep) = object.sweep {
        text.push_str(&sweep_text(sweep));
    }
    text
}

/// What would keep a template that is lost, or what was tried in vain.
fn remedies_text(remedies: &[RemedyObject]) -> String {
    let kept: Vec<String> = remedies
        .iter()
        .filter(|remedy| remedy.keeps())
        .map(|remedy| format!("{} ({} dB to spare)", remedy.change, number(remedy.margin_db, 4)))
        .collect();
    let tried: Vec<&str> = remedies.iter().map(|remedy| remedy.change.as_str()).collect();
    let text = match kept.is_empty() {
        true => format!("  tried, and none keeps it: {}", tried.join("; ")),
        false => format!("  kept with {}", kept.join(", or ")),
    };
    wrapped(&text, 4)
}

/// The filter in other structures.
pub(super) fn structures_text(structures: &[StructureRow]) -> String {
    let mut text = String::from("\nOther structures in the same words, noise predicted\n");
    let row = |row: &StructureRow| {
        let keeps = match (row.keeps_template, &row.reason) {
            (_, Some(_)) => "not possible".to_owned(),
            (Some(true), _) => "kept".to_owned(),
            (Some(false), _) => "MISSED".to_owned(),
            (None, _) => "-".to_owned(),
        };
        vec![
            row.structure.to_owned(),
            number(row.noise_rms_lsb, 2),
            number(row.error_bound_lsb, 1),
            row.multiplies.map_or("-".to_owned(), |count| count.to_string()),
            row.state_bits.map_or("-".to_owned(), |bits| bits.to_string()),
            keeps,
        ]
    };
    let rows: Vec<Vec<String>> = structures.iter().map(row).collect();
    let header =
        ["structure", "noise, LSB", "bound, LSB", "multiplies", "memory, bits", "template"];
    text.push_str(&table(&header, &rows));
    // Several for the same reason stand in one line.
    let mut reasons: Vec<(&str, Vec<&str>)> = Vec::new();
    for row in structures {
        let Some(reason) = row.reason.as_deref() else { continue };
        match reasons.iter_mut().find(|(known, _)| *known == reason) {
            Some((_, names)) => names.push(row.structure),
            None => reasons.push((reason, vec![row.structure])),
        }
    }
    for (reason, names) in reasons {
        text.push_str(&wrapped(&format!("  {}: {reason}", names.join(", ")), 4));
    }
    text
}

pub(super) fn noise_text(noise: &NoiseObject) -> String {
    let NoiseObject { words, constant_input_error_lsb, converter } = noise;
    let row = |name: &str, predicted: Option<f64>, measured: Option<f64>| {
        vec![name.to_owned(), number(predicted, 3), number(measured, 3)]
    };
    let mut rows = vec![
        row("its own roundings", words.predicted_rms_lsb, Some(words.measured_rms_lsb)),
        row("rounded coefficients", None, Some(words.coefficient_rms_lsb)),
        row("the last bit of the input", words.input_rounding_rms_lsb, None),
    ];
    if let Some(found) = converter {
        let name = format!("the converter's {} bits", found.bits);
        rows.push(row(&name, Some(found.rounding_rms_lsb), None));
        rows.push(row("the converter's own noise", Some(found.noise_rms_lsb), None));
    }
    let mut text =
        String::from("\nNoise at the output, rms in LSB, on white noise of half scale\n");
    text.push_str(&table(&["from", "predicted", "measured"], &rows));
    if let Some(added) = converter.as_ref().and_then(|found| found.added_by_filter_db) {
        text.push_str(&format!(
            "  the filter's roundings raise the noise of the converter by {added:.2} dB\n"
        ));
    }
    if let Some(error) = *constant_input_error_lsb {
        text.push_str(&format!(
            "  constant inputs: {error:.1} LSB off at most once settled, at 65 levels up to half of full scale\n"
        ));
    }
    if words.limited_samples > 0 {
        text.push_str(&format!(
            "  limits acted in {} samples: no rounding there\n",
            words.limited_samples
        ));
    }
    text
}

pub(super) fn cycles_text(
    cycles: &[SectionCycles],
    full_scale: f64,
    no_limit_acts: bool,
    effort: Effort,
) -> String {
    let mut text = String::from(
        "\nOscillations without an input while no limit acts, each section by itself\n",
    );
    let row = |one: &SectionCycles| {
        let how = match (one.exhaustive, one.states) {
            (Some(true), Some(states)) => format!("all {states} states"),
            (Some(false), Some(states)) => format!("{states} random states"),
            _ => "no bound proved".to_owned(),
        };
        let found = match (one.exhaustive, one.count) {
            (Some(true), Some(0)) => "none: proved".to_owned(),
            (_, Some(0)) => "none found".to_owned(),
            (_, Some(count)) => count.to_string(),
            (_, None) => "-".to_owned(),
        };
        let whole = |value: Option<i64>| value.map_or("-".to_owned(), |value| value.to_string());
        vec![
            one.section.to_string(),
            how,
            found,
            whole(one.amplitude_lsb),
            number(one.bound_lsb, 1),
            one.period_samples.map_or("-".to_owned(), |period| period.to_string()),
            one.start.as_ref().map_or("-".to_owned(), |start| {
                let words: Vec<String> = start.iter().map(ToString::to_string).collect();
                words.join(" ")
            }),
        ]
    };
    let rows: Vec<Vec<String>> = cycles.iter().map(row).collect();
    let header =
        ["section", "searched", "found", "largest, LSB", "bound, LSB", "period", "from the state"];
    text.push_str(&table(&header, &rows));
    if no_limit_acts {
        text.push_str("  no limit can ever act, so none keeps anything up: proved\n");
    }
    for one in cycles {
        if let (Some(open @ 1..), Some(starts)) = (one.open, one.states) {
            let section = one.section;
            let line = format!(
                "  section {section}: {open} of {starts} random states did not come round in time{}",
                longer(effort)
            );
            text.push_str(&wrapped(&line, 4));
        }
        if let Some(found) = &one.overflow {
            text.push_str(&overflow_text(one, found, full_scale));
        }
    }
    text
}

/// What was not compared.
fn untried_text(untried: usize, effort: Effort) -> String {
    let more = effort.more();
    let more = more.map_or(String::new(), |more| format!("; effort = {} tries more", more.get()));
    format!(
        "  {untried} comparisons with other structures and words were not tried, as each takes long{more}"
    )
}

/// How what the effort left untried is asked for.
pub(super) fn longer(effort: Effort) -> String {
    effort
        .more()
        .map_or(String::new(), |more| format!("; effort = {} follows them longer", more.get()))
}

/// What a section does when it is left with words as large as they can be.
fn overflow_text(one: &SectionCycles, found: &OverflowObject, full_scale: f64) -> String {
    let OverflowObject { starts, oscillating, open, .. } = found;
    let section = one.section;
    if one.bound_lsb.is_some_and(|bound| bound >= full_scale) {
        let line = format!(
            "  section {section}: its roundings alone may reach full scale, so what limits keep up cannot be told apart"
        );
        return wrapped(&line, 4);
    }
    let mut line = match (found.amplitude_lsb, found.period_samples, &found.start) {
        (Some(amplitude), Some(period), Some(start)) => {
            let start: Vec<String> = start.iter().map(ToString::to_string).collect();
            format!(
                "  section {section}, left with words of any size: {oscillating} of {starts} random states go on for ever, at {amplitude} LSB \
                 with a period of {period}, as from the state {}",
                start.join(" ")
            )
        }
        _ => format!(
            "  section {section}, left with words of any size: none of {starts} random states goes on above the bound"
        ),
    };
    if *open > 0 {
        line.push_str(&format!("; {open} did not come round in time"));
    }
    wrapped(&line, 4)
}

pub(super) fn sweep_text(sweep: &SweepObject) -> String {
    let row = |row: &SweepRow| {
        let keeps = match (row.keeps_template, &row.reason) {
            (_, Some(_)) => "not possible".to_owned(),
            (Some(true), _) => "kept".to_owned(),
            (Some(false), _) => {
                format!("missed by {} dB", number(row.template_excess_db, 4))
            }
            (None, _) => "-".to_owned(),
        };
        let rms = row.noise_rms.map_or("-".to_owned(), |rms| format!("{:.1}", 20.0 * rms.log10()));
        vec![
            row.bits.to_string(),
            row.format.map_or("-".to_owned(), |format| format.to_string()),
            keeps,
            number(row.noise_rms_lsb, 2),
            rms,
            number(row.error_bound_lsb, 1),
        ]
    };
    let rows: Vec<Vec<String>> = sweep.rows.iter().map(row).collect();
    let header = ["bits", "format", "template", "noise, LSB", "noise, dB of 1", "bound, LSB"];
    let what = if sweep.of == "between" { "words between sections" } else { sweep.of };
    let mut text = format!("\nWidths of the {what}\n{}", table(&header, &rows));
    let reasons: Vec<&SweepRow> = sweep.rows.iter().filter(|row| row.reason.is_some()).collect();
    if let Some(last) = reasons.last() {
        let reason = last.reason.as_deref().unwrap_or("");
        text.push_str(&wrapped(&format!("  {} bits: {reason}", last.bits), 4));
    }
    if sweep.rows.iter().any(|row| row.keeps_template.is_some()) {
        text.push_str(&enough_text("the template is kept", sweep.for_template));
    }
    if sweep.rows.iter().any(|row| row.added_to_converter_db.is_some()) {
        let what = "the converter's noise is raised by less than 1 dB";
        text.push_str(&enough_text(what, sweep.for_converter));
    }
    if let Some(structures) = &sweep.structures {
        text.push_str(&structure_sweeps_text(what, structures));
    }
    text
}

/// With how few bits something holds, and from where on always.
fn enough_text(what: &str, enough: Enough) -> String {
    let text = match (enough.fewest, enough.all_from) {
        (None, _) => format!("  {what} at none of these widths"),
        (Some(fewest), Some(all)) if fewest == all => format!("  {what} from {fewest} bits on"),
        (Some(fewest), Some(all)) => {
            format!("  {what} with {fewest} bits, and always from {all} bits on")
        }
        (Some(fewest), None) => {
            format!(
                "  {what} with {fewest} bits, but not always with more: not with the most tried"
            )
        }
    };
    wrapped(&text, 4)
}

/// Structures side by side: the fewest bits of each, and the noise of all at a few equal widths.
fn structure_sweeps_text(what: &str, structures: &[StructureSweep]) -> String {
    const SHOWN: usize = 4;
    let count = structures.first().map_or(0, |one| one.rows.len());
    let mut shown: Vec<usize> =
        (0..SHOWN).map(|k| k * count.saturating_sub(1) / (SHOWN - 1)).collect();
    shown.dedup();
    let bits = |bits: Option<u32>| bits.map_or("-".to_owned(), |bits| bits.to_string());
    let row = |one: &StructureSweep| {
        let noise = |at: &usize| {
            let rms = one.rows.get(*at).and_then(|row| row.noise_rms);
            rms.map_or("-".to_owned(), |rms| format!("{:.1}", 20.0 * rms.log10()))
        };
        let mut cells = vec![
            one.structure.to_owned(),
            bits(one.for_template.fewest),
            bits(one.for_converter.fewest),
        ];
        cells.extend(shown.iter().map(noise));
        cells
    };
    let rows: Vec<Vec<String>> = structures.iter().map(row).collect();
    let widths: Vec<String> = shown
        .iter()
        .filter_map(|at| Some(format!("{} bits", structures.first()?.rows.get(*at)?.bits)))
        .collect();
    let mut header = vec!["structure", "template", "converter"];
    header.extend(widths.iter().map(String::as_str));
    format!(
        "\nEvery structure: the fewest bits of the {what} that keep the template, that raise the\n\
         converter's noise by less than 1 dB, and the noise predicted, dB of 1\n{}",
        table(&header, &rows)
    )
}

/// What the same words would do to the filter as one fraction: the mistake that sections are there to avoid.
fn polynomial_text(found: &PolynomialObject, filter: &Implementation) -> String {
    let width = filter.fixed.coefficients.width;
    let what = match (found.poles_outside, &found.most_moved_pole) {
        (0, Some(pole)) => format!(
            "the pole at {} Hz would move by {:.3} % of its distance from the unit circle",
            crate::text::units::hertz(pole.hz),
            100.0 * pole.share
        ),
        (0, None) => "it would keep its poles".to_owned(),
        (1, _) => format!(
            "a pole would lie outside the unit circle, at radius {:.6}",
            found.largest_radius
        ),
        (count, _) => {
            format!(
                "{count} poles would lie outside the unit circle, up to radius {:.6}",
                found.largest_radius
            )
        }
    };
    format!(
        "  as one polynomial of order {} instead of sections: coefficients up to {:.4} leave {} of {width} bits behind the point, \
         and {what}",
        found.order, found.largest_coefficient, found.fraction
    )
}
