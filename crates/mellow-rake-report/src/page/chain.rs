//! A chain of stages in words: its stages, asked beside found, and what folds onto what.

use super::chain_words::words;
use crate::Document;
use crate::numbers::{engineering, without_minus_zero};
use crate::units::{duration, frequencies, listed};
use mellow_rake::rates::{Comb, FoldedBand};
use mellow_rake::spec::Least;
use mellow_rake::study::{ChainRecord, ChainStudy, StageRecord, WeighedRecord};

/// Bands that are shown, the strongest first.
const MOST_BANDS: usize = 6;

const NOTES: &str = "  products: taps that are zero left out, symmetric ones not folded; error vector: what \
    the pass-band leaves of a signal that fills it evenly, behind one gain and one delay";

const SUMS: &str = "  sums^n: n integrators and n combs, which only add; the stage at the lowest rate makes \
    good what they take from the pass-band; on integers their words grow by";

const RECURSIVE: &str = "  sections: a recursive filter works for every sample of the rate at which it \
    filters, and delays frequencies differently; the error vector holds that too";

/// A chain: its stages, what it does from input to output, what folds, and what was weighed.
pub fn chain(study: &ChainStudy) -> Document {
    let record = study.record();
    let count = record.stages.len();
    let ending = if count == 1 { "" } else { "s" };
    let heading = format!(
        "{}: {}, from {} to {} in {count} stage{ending}\n\n",
        record.name,
        change(record.up, record.down),
        hertz(record.input_rate_hz),
        hertz(record.output_rate_hz)
    );
    let mut page = Document::of(&heading);
    if let Some(line) = samples(&record) {
        page.paragraph(&line, 2);
        page.gap();
    }
    stages(&mut page, &record);
    page.gap();
    whole(&mut page, study, &record);
    page.paragraph(NOTES, 4);
    if record.stages.iter().any(|stage| !stage.sections.is_empty()) {
        page.paragraph(RECURSIVE, 4);
    }
    if record.lanes_in.max(record.lanes_out) > 1 {
        let all = record.lanes_in.max(record.lanes_out) as f64 * record.multiplies_per_second;
        let mixer = record.mixer_multiplies_per_second;
        let more = match mixer > 0.0 {
            true => format!(", {} of them in the mixer", engineering(mixer)),
            false => String::new(),
        };
        page.paragraph(
            &format!(
                "  a row counts for one of the {} words of a sample; all of them take {} products/s{more}",
                record.lanes_in.max(record.lanes_out),
                engineering(all + mixer)
            ),
            4,
        );
    }
    let grown: Vec<String> = record
        .stages
        .iter()
        .filter_map(|stage| stage.growth_bits.map(|bits| format!("{bits} bits")))
        .collect();
    if !grown.is_empty() {
        page.paragraph(&format!("{SUMS} {}", grown.join(" and ")), 4);
    }
    match study.designed_measures().meets(&study.spec.change) {
        Some(true) => page.verdict(Some(true), "from input to output: meets the spec"),
        Some(false) => page.verdict(Some(false), "from input to output: MISSES the spec"),
        None => page.verdict(None, "no ripple and no attenuation were asked for"),
    }
    let clean = match listed(&record.carriers_hz) {
        Some(carrier) => format!("{} around {carrier}", hertz(study.clean_hz())),
        None => hertz(study.clean_hz()),
    };
    let falls = format!("what falls onto 0 to {clean}, the strongest first");
    bands(&mut page, &falls, study.folded(), &record, |band| band.worst_input_hertz);
    let images = format!("images of 0 to {clean}, the strongest first");
    bands(&mut page, &images, study.imaged(), &record, |band| band.worst_output_hertz);
    if let Some(fixed) = &record.fixed {
        words(&mut page, &record, fixed);
    }
    weighed(&mut page, &record, study.spec.change.least);
    page
}

/// What is mixed, or that samples are complex.
fn samples(record: &ChainRecord) -> Option<String> {
    let (distances, each) = match record.carriers_hz.len() {
        ..=1 => ("all frequencies below are distances from that", ""),
        _ => ("all frequencies below are distances from these", ", a pair for each"),
    };
    let channels = match record.channels {
        1 => String::new(),
        channels => format!("  {channels} channels, whose samples stand side by side:"),
    };
    let words = match (listed(&record.carriers_hz), record.lanes_in / record.channels) {
        (Some(carrier), 1) => {
            format!(
                "real samples in, mixed down from {carrier}, complex samples out{each}; {distances}"
            )
        }
        (Some(carrier), _) => format!(
            "complex samples in{each}, mixed up to {carrier} at the end, real samples out; {distances}"
        ),
        (None, 2) => "complex samples in and out".to_owned(),
        (None, _) if record.channels > 1 => "real samples in and out".to_owned(),
        (None, _) => return None,
    };
    let gap = if channels.is_empty() { "  " } else { " " };
    Some(format!("{channels}{gap}{words}"))
}

/// "up by 3 and down by 2"
fn change(up: usize, down: usize) -> String {
    match (up, down) {
        (1, 1) => "at one rate".to_owned(),
        (up, 1) => format!("up by {up}"),
        (1, down) => format!("down by {down}"),
        (up, down) => format!("up by {up} and down by {down}"),
    }
}

/// Integrators and combs in the place of taps: "sums^4".
fn sums(comb: Comb) -> String {
    match comb.delay {
        1 => format!("sums^{}", comb.order),
        delay => format!("sums^{}, delay {delay}", comb.order),
    }
}

/// How many taps a stage has, or how many sections: "3 sections".
fn held(taps: usize, sections: usize) -> String {
    match sections {
        0 => taps.to_string(),
        1 => "1 section".to_owned(),
        many => format!("{many} sections"),
    }
}

/// The short form of a stage's factors: "up 3", "down 2".
fn factors(up: usize, down: usize) -> String {
    match (up, down) {
        (1, 1) => "-".to_owned(),
        (up, 1) => format!("up {up}"),
        (1, down) => format!("down {down}"),
        (up, down) => format!("up {up}, down {down}"),
    }
}

fn hertz(value: f64) -> String {
    frequencies(&[value], "")
}

/// A frequency where something was found: to a hundred-thousandth of the lower rate.
fn found_at(record: &ChainRecord, value: f64) -> String {
    let step = record.input_rate_hz.min(record.output_rate_hz) * 1e-5;
    hertz((value / step).round() * step)
}

fn stages(page: &mut Document, record: &ChainRecord) {
    let header = [
        "stage",
        "change",
        "filters at",
        "gives",
        "taps",
        "products/s",
        "adds/s",
        "words",
        "delay",
    ];
    let row = |(number, stage): (usize, &StageRecord)| {
        vec![
            format!("{}", number + 1),
            factors(stage.up, stage.down),
            hertz(stage.filter_rate_hz),
            hertz(stage.output_rate_hz),
            match stage.comb {
                Some(comb) => sums(comb),
                None => match (stage.up, stage.down, &stage.taps[..]) {
                    (1, 1, [gain]) => format!("x {gain:.4}"),
                    _ => held(stage.taps.len(), stage.sections.len()),
                },
            },
            engineering(stage.multiplies_per_second),
            engineering(stage.adds_per_second),
            format!("{}", stage.words),
            stage.delay_s.map_or("varies".to_owned(), duration),
        ]
    };
    let mut rows: Vec<Vec<String>> = record.stages.iter().enumerate().map(row).collect();
    if rows.len() > 1 {
        rows.push(vec![
            "all".to_owned(),
            factors(record.up, record.down),
            String::new(),
            hertz(record.output_rate_hz),
            String::new(),
            engineering(record.multiplies_per_second),
            engineering(record.adds_per_second),
            format!("{}", record.words),
            record.delay_s.map_or("varies".to_owned(), duration),
        ]);
    }
    page.table(&header, &rows);
}

/// What was asked beside what was found from input to output.
fn whole(page: &mut Document, study: &ChainStudy, record: &ChainRecord) {
    let band = study.pass_band();
    let level = |value: f64| without_minus_zero(format!("{value:.4}"));
    let row = |words: String, asked: String, found: String, margin: Option<f64>| {
        let margin = margin.map_or(String::new(), |margin| format!("{margin:+.4}"));
        vec![words, asked, found, margin]
    };
    let asked = |sign: &str, value: Option<f64>| {
        value.map_or("-".to_owned(), |value| format!("{sign} {value}"))
    };
    let edge = hertz(record.pass_edge_hz);
    let mut rows = vec![
        row(
            format!("ripple from 0 to {edge}, dB"),
            asked("<=", record.asked_ripple_db),
            level(record.ripple_db),
            record.asked_ripple_db.map(|asked| asked - record.ripple_db),
        ),
        row(
            format!("lowest gain there, at {}, dB", found_at(record, band.lowest_hz)),
            "-".to_owned(),
            level(band.lowest_db),
            None,
        ),
        row(
            format!("highest gain there, at {}, dB", found_at(record, band.highest_hz)),
            "-".to_owned(),
            level(band.highest_db),
            None,
        ),
        row(
            "attenuation of aliases and images, dB".to_owned(),
            asked(">=", record.asked_attenuation_db),
            record.attenuation_db.map_or("none".to_owned(), |found| format!("{found:.2}")),
            record
                .attenuation_db
                .zip(record.asked_attenuation_db)
                .map(|(found, asked)| found - asked),
        ),
        row(
            "error vector from the pass-band, dB".to_owned(),
            "-".to_owned(),
            format!("{:.2}", band.error_vector_db),
            None,
        ),
        row(
            "first word out after the first in".to_owned(),
            "-".to_owned(),
            duration(record.first_output_s),
            None,
        ),
    ];
    if record.gain_db != 0.0 {
        let gain = f64::midpoint(band.lowest_db, band.highest_db);
        let asked = without_minus_zero(format!("{:.4}", record.gain_db));
        let words = "gain, the middle of these, dB".to_owned();
        rows.insert(3, row(words, asked, level(gain), None));
    }
    page.table(&["measured from input to output", "asked", "found", "margin"], &rows);
}

/// Bands that fall together.
fn bands(
    page: &mut Document,
    title: &str,
    all: &[FoldedBand],
    record: &ChainRecord,
    place: fn(&FoldedBand) -> f64,
) {
    let asked = record.asked_attenuation_db;
    if all.is_empty() {
        return;
    }
    page.gap();
    let more = all.len().saturating_sub(MOST_BANDS);
    let rows: Vec<Vec<String>> = all
        .iter()
        .take(MOST_BANDS)
        .map(|band| {
            let range = |ends: [f64; 2]| frequencies(&ends, " to ");
            vec![
                range(band.input_hertz),
                range(band.output_hertz),
                format!("{:.2}", band.worst_db),
                found_at(record, place(band)),
                asked.map_or(String::new(), |asked| {
                    format!("{:+.2}", record.gain_db - band.worst_db - asked)
                }),
            ]
        })
        .collect();
    page.lines(title);
    page.table(&["goes in", "comes out", "at most, dB", "worst at", "margin"], &rows);
    if more > 0 {
        let bands = if more == 1 { "band" } else { "bands" };
        page.lines(&format!("  and {more} more {bands}, weaker than these"));
    }
}

/// The ways that were looked at.
fn weighed(page: &mut Document, record: &ChainRecord, least: Least) {
    let Some(ways) = record.ways.filter(|ways| *ways > 1) else { return };
    page.gap();
    let row = |(place, way): (usize, &WeighedRecord)| {
        let all: Vec<String> = way.factors.iter().map(|[up, down]| factors(*up, *down)).collect();
        let taps = way.taps.iter().zip(&way.combs);
        let taps: Vec<String> =
            taps.map(|(taps, comb)| comb.map_or(taps.to_string(), sums)).collect();
        let how = match (place, way.designed) {
            (0, _) => "taken",
            (_, true) => "designed",
            (_, false) => "estimate",
        };
        vec![
            all.join("; "),
            taps.join(" + "),
            engineering(way.multiplies_per_second),
            format!("{}", way.words),
            duration(way.delay_s),
            how.to_owned(),
        ]
    };
    let by = match least {
        Least::Memory => "words that are remembered",
        Least::Delay => "delay",
        _ => "products in a second",
    };
    let rows: Vec<Vec<String>> = record.weighed.iter().enumerate().map(row).collect();
    let designed = record.weighed.iter().filter(|way| way.designed).count();
    page.paragraph(
        &format!(
            "weighed by {by}: {ways} ways to cut the change; of the {} cheapest by estimate \
             {designed} could be designed, and were counted",
            record.tried.unwrap_or(0)
        ),
        0,
    );
    page.table(&["stages", "taps", "products/s", "words", "delay", ""], &rows);
}
