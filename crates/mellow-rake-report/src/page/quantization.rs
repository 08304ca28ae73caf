//! What `mrake quantize` found, on one page.

use super::words::words;
use crate::Document;
use crate::numbers::number;
use crate::units::hertz;
use mellow_rake::Effort;
use mellow_rake::implementation::Implementation;
use mellow_rake::study::{
    Impossible, LowerRate, NoiseFigures, OverflowOscillations, PolynomialFigures, Quantization,
    Quieter, Remedy, SectionOscillations, StructureFigures, StructureSweep, Sweep, SweepRow, Width,
};

/// What the words of a spec do to its filter.
pub fn quantization(filter: &Implementation, object: &Quantization) -> Document {
    let mut text = Document::of(&format!("{} in the words of its spec", object.name));
    text.append(words(filter));
    let [designed, rounded] = object.template_margin_db;
    let verdict = match (designed, rounded) {
        (_, None) => "no template was asked for".to_owned(),
        (_, Some(margin)) if margin >= 0.0 => "keeps the template".to_owned(),
        (_, Some(margin)) => format!("MISSES the template by {:.4} dB", -margin),
    };
    text.lines(&format!("\nResponse with rounded coefficients: {verdict}\n"));
    if let Some(remedies) = &object.remedies {
        text.append(remedies_text(remedies));
    }
    if let Some(matters) = &object.most_sensitive {
        let which = match filter.rounded.taps() {
            Some(_) => format!("tap {}", matters.index),
            None => format!("{} of section {}", matters.name, matters.index + 1),
        };
        let line = format!(
            "  the coefficient that matters most: {which}; one LSB of it changes the response by {:.4} % of \
                its peak at {} Hz",
            100.0 * matters.response_change,
            hertz(matters.at_hz)
        );
        text.paragraph(&line, 4);
    }
    if let Some(pole) = &object.most_moved_pole {
        let line = format!(
            "  the pole that moved most, at {} Hz and radius {:.6}: by {:.2e}, {:.3} % of its distance from \
                the unit circle",
            hertz(pole.hz),
            pole.radius,
            pole.moved,
            100.0 * pole.share
        );
        text.paragraph(&line, 4);
    }
    if let Some(found) = &object.as_one_polynomial {
        text.paragraph(&polynomial_text(found, filter), 4);
    }
    text.append(noise_text(&object.noise));
    if let Some(cycles) = &object.oscillations {
        text.append(cycles_text(
            cycles,
            filter.carried().maximum() as f64,
            filter.no_limit_acts(),
            filter.fixed.effort,
        ));
    }
    text.append(structures_text(&object.structures));
    if let Some(untried) = object.untried {
        text.paragraph(&untried_text(untried, filter.fixed.effort), 4);
    }
    if let Some(quieter) = &object.quieter {
        text.gap();
        text.paragraph(&quieter_text(object.structure, quieter), 2);
    }
    if let Some(sweep) = &object.sweep {
        text.append(sweep_text(sweep));
    }
    text
}

/// What would keep a template that is lost, or what was tried in vain.
fn remedies_text(remedies: &[Remedy]) -> Document {
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
    Document::words(&text, 4)
}

/// The filter in other structures.
fn structures_text(structures: &[StructureFigures]) -> Document {
    if structures.is_empty() {
        return Document::default();
    }
    let mut text = Document::of("\nOther structures in the same words, noise predicted\n");
    let row = |row: &StructureFigures| {
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
    text.table(&header, &rows);
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
        text.paragraph(&format!("  {}: {reason}", names.join(", ")), 4);
    }
    text
}

fn noise_text(noise: &NoiseFigures) -> Document {
    let NoiseFigures { words, constant_input_error_lsb, converter, .. } = noise;
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
        Document::of("\nNoise at the output, rms in LSB, on white noise of half scale\n");
    text.table(&["from", "predicted", "measured"], &rows);
    if let Some(added) = converter.as_ref().and_then(|found| found.added_by_filter_db) {
        text.lines(&format!(
            "  the filter's roundings raise the noise of the converter by {added:.2} dB\n"
        ));
    }
    if let Some(error) = *constant_input_error_lsb {
        text.lines(&format!(
            "  constant inputs: {error:.1} LSB off at most once settled, at 65 levels up to half of full \
                scale\n"
        ));
    }
    if words.limited_samples > 0 {
        text.lines(&format!(
            "  limits acted in {} samples: no rounding there\n",
            words.limited_samples
        ));
    }
    text
}

fn cycles_text(
    cycles: &[SectionOscillations],
    full_scale: f64,
    no_limit_acts: bool,
    effort: Effort,
) -> Document {
    let mut text = Document::of(
        "\nOscillations without an input while no limit acts, each section by itself\n",
    );
    let row = |one: &SectionOscillations| {
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
    text.table(&header, &rows);
    if no_limit_acts {
        text.lines("  no limit can ever act, so none keeps anything up: proved\n");
    }
    for one in cycles {
        if let (Some(open @ 1..), Some(starts)) = (one.open, one.states) {
            let section = one.section;
            let line = format!(
                "  section {section}: {open} of {starts} random states did not come round in time{}",
                longer(effort)
            );
            text.paragraph(&line, 4);
        }
        if let Some(found) = &one.overflow {
            text.append(overflow_text(one, found, full_scale));
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
fn longer(effort: Effort) -> String {
    effort
        .more()
        .map_or(String::new(), |more| format!("; effort = {} follows them longer", more.get()))
}

/// What a section does when it is left with words as large as they can be.
fn overflow_text(
    one: &SectionOscillations,
    found: &OverflowOscillations,
    full_scale: f64,
) -> Document {
    let OverflowOscillations { starts, oscillating, open, .. } = found;
    let section = one.section;
    if one.bound_lsb.is_some_and(|bound| bound >= full_scale) {
        let line = format!(
            "  section {section}: its roundings alone may reach full scale, so what limits keep up cannot \
                be told apart"
        );
        return Document::words(&line, 4);
    }
    let mut line = match (found.amplitude_lsb, found.period_samples, &found.start) {
        (Some(amplitude), Some(period), Some(start)) => {
            let start: Vec<String> = start.iter().map(ToString::to_string).collect();
            format!(
                "  section {section}, left with words of any size: {oscillating} of {starts} random states \
                 go on for ever, at {amplitude} LSB with a period of {period}, as from the state {}",
                start.join(" ")
            )
        }
        _ => format!(
            "  section {section}, left with words of any size: none of {starts} random states goes on above \
                the bound"
        ),
    };
    if *open > 0 {
        line.push_str(&format!("; {open} did not come round in time"));
    }
    Document::words(&line, 4)
}

fn sweep_text(sweep: &Sweep) -> Document {
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
    let mut text = Document::of(&format!("\nWidths of the {what}"));
    text.table(&header, &rows);
    let reasons: Vec<&SweepRow> = sweep.rows.iter().filter(|row| row.reason.is_some()).collect();
    if let Some(last) = reasons.last() {
        let reason = last.reason.as_deref().unwrap_or("");
        text.paragraph(&format!("  {} bits: {reason}", last.bits), 4);
    }
    if sweep.rows.iter().any(|row| row.keeps_template.is_some()) {
        text.append(enough_text("the template is kept", sweep.for_template));
    }
    if sweep.rows.iter().any(|row| row.added_to_converter_db.is_some()) {
        let what = "the converter's noise is raised by less than 1 dB";
        text.append(enough_text(what, sweep.for_converter));
    }
    if let Some(structures) = &sweep.structures {
        text.append(structure_sweeps_text(what, structures));
    }
    text
}

/// With how few bits something holds, and from where on always.
fn enough_text(what: &str, enough: Width) -> Document {
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
    Document::words(&text, 4)
}

/// Structures side by side: the fewest bits of each, and the noise of all at a few equal widths.
fn structure_sweeps_text(what: &str, structures: &[StructureSweep]) -> Document {
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
    let mut text = Document::of(&format!(
        "\nEvery structure: the fewest bits of the {what} that keep the template, that raise the\n\
         converter's noise by less than 1 dB, and the noise predicted, dB of 1"
    ));
    text.table(&header, &rows);
    text
}

/// What the same words would do to the filter as one fraction: the mistake that sections are there to avoid.
fn polynomial_text(found: &PolynomialFigures, filter: &Implementation) -> String {
    let width = filter.fixed.coefficients.width;
    let what = match (found.poles_outside, &found.most_moved_pole) {
        (0, Some(pole)) => format!(
            "the pole at {} Hz would move by {:.3} % of its distance from the unit circle",
            hertz(pole.hz),
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
        "  as one polynomial of order {} instead of sections: coefficients up to {:.4} leave {} of {width} \
         bits behind the point, and {what}",
        found.order, found.largest_coefficient, found.fraction
    )
}

/// Where the noise is far above what the last rounding and the input leave: why, and what does better.
fn quieter_text(structure: &str, found: &Quieter) -> String {
    let own = found.noise_rms_lsb;
    let why = found.pole_radius.map_or(String::new(), |radius| {
        format!(
            ", for its poles, at a radius of {radius:.5}, amplify every rounding of the feedback"
        )
    });
    let mut ways = Vec::new();
    if let Some(row) = &found.structure {
        ways.push(format!(
            "{} in the same words leaves {}, with {}",
            row.structure,
            number(row.noise_rms_lsb, 2),
            costs(row)
        ));
    }
    if let Some((wide, noise)) = found.wider {
        ways.push(format!(
            "{structure} with words of {} bits inside (between = \"{wide}\"), rounded at its end, leaves \
                {noise:.2}",
            wide.width()
        ));
    }
    if let Some(LowerRate { factor, noise_rms_lsb, .. }) = found.at_lower_rate {
        ways.push(format!(
            "after the rate was lowered {factor} times, the same words and structure leave {noise_rms_lsb:.2}"
        ));
    }
    let ways = if ways.is_empty() {
        "nothing that was tried does much better".to_owned()
    } else {
        ways.join("; ")
    };
    format!("{structure} leaves {own:.1} LSB of noise{why}: {ways}.")
}

/// What a structure costs.
fn costs(row: &StructureFigures) -> String {
    let (multiplies, bits) = (row.multiplies.unwrap_or(0), row.state_bits.unwrap_or(0));
    format!("{multiplies} multiplies a sample and {bits} bits of memory")
}

/// Words that cannot carry a filter: why, and what can.
pub fn impossible(found: &Impossible) -> Document {
    let structure = found.structure;
    let mut text =
        Document::of(&format!("{} in the words of its spec: not possible\n\n", found.name));
    text.paragraph(&format!("  {}", found.reason), 4);
    text.append(structures_text(&found.structures));
    let mut ways = Vec::new();
    if let Some(bits) = found.fewest_coefficient_bits {
        let noise = found
            .noise_rms_lsb
            .map_or(String::new(), |noise| format!(" and leaves {noise:.2} LSB of noise"));
        let mut way = format!("{structure} needs coefficients of {bits} bits{noise}");
        if let Some(row) = &found.with_as_many_bits {
            let noise = number(row.noise_rms_lsb, 2);
            way.push_str(&format!(", {} with as many {noise}", row.structure));
        }
        ways.push(way);
    }
    let does = |row: &StructureFigures, what: String| {
        format!("{} does it in these words and {what}, with {}", row.structure, costs(row))
    };
    if let Some(row) = found.quietest() {
        ways.push(does(row, format!("leaves {} LSB", number(row.noise_rms_lsb, 2))));
    } else if let Some(row) = found.surest() {
        let bound = number(row.error_bound_lsb, 0);
        ways.push(does(row, format!("errs by {bound} LSB at most, noise not predicted")));
    }
    if let [LowerRate { factor, noise_rms_lsb, .. }, rest @ ..] = &found.at_lower_rates[..] {
        let mut way = format!(
            "{structure} in these words does it after the rate was lowered {factor} times, and leaves \
                {noise_rms_lsb:.2} LSB"
        );
        if let Some(LowerRate { factor, noise_rms_lsb, .. }) = rest.last() {
            way.push_str(&format!(" ({factor} times: {noise_rms_lsb:.2})"));
        }
        ways.push(way);
    }
    let why = found.pole_radius.map_or(String::new(), |radius| {
        format!("The poles lie at a radius of {radius:.7}, where coefficients of few bits cannot put them: ")
    });
    let ways =
        if ways.is_empty() { "No width up to 48 bits does it".to_owned() } else { ways.join("; ") };
    text.gap();
    text.paragraph(&format!("{why}{ways}."), 2);
    text
}
