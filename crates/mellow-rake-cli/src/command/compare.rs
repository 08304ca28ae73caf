//! `mrake compare`

use crate::arguments::Compare;
use crate::failure::{Failure, Outcome};
use crate::figures::{self, Plan, Scene, Subject, View};
use crate::load::{Loaded, read_curve};
use crate::measured::Measured;
use crate::objects::{QualityObject, quality};
use crate::print::{self, table, wrapped};
use crate::stream::progress;
use crate::text::quality::{found, label};
use crate::vary::variants;
use mellow_rake::filter::{PhaseResponse, Transfer};
use mellow_rake::quality::{QualityRow, Reading, Report, passband};
use mellow_rake::response::{
    Deviation, ResponseDifference, deviation, largest_gain_difference_db,
    largest_response_difference,
};
use mellow_rake::units::SampleRate;
use mellow_rake_figures::Pen;
use serde::Serialize;

/// A filter among others.
struct Contender {
    label: String,
    measured: Measured,
    /// Whether the filter with rounded coefficients is meant.
    is_rounded: bool,
}

impl Contender {
    fn report(&self) -> &Report {
        match &self.measured.rounded {
            Some(rounded) if self.is_rounded => rounded,
            _ => &self.measured.designed,
        }
    }

    fn rows(&self) -> Vec<QualityRow> {
        self.report().rows(&self.measured.loaded.design.choice, self.rate())
    }

    fn rate(&self) -> SampleRate {
        self.measured.loaded.spec.sample_rate
    }

    fn filter(&self) -> &dyn PhaseResponse {
        match &self.measured.implementation {
            Some(integers) if self.is_rounded => &integers.rounded,
            _ => self.measured.loaded.design.transfer(),
        }
    }

    fn subject(&self, rank: usize) -> Subject<'_> {
        let (pen, design) = (Pen::Rank(rank), &self.measured.loaded.design);
        match &self.measured.implementation {
            Some(integers) if self.is_rounded => {
                Subject::rounded(&self.label, pen, &integers.rounded, &design.choice, self.rate())
            }
            _ => Subject::designed(&self.label, pen, design, self.rate()),
        }
    }

    /// Whether what was asked is kept; `None` where nothing was.
    fn keeps(&self) -> Option<bool> {
        if self.is_rounded {
            self.measured.rounded_excess_db().map(|excess| excess == 0.0)
        } else {
            self.measured.meets_spec()
        }
    }

    /// The smallest margin of ripple and attenuation, in decibels.
    fn margin_db(&self) -> Option<f64> {
        let rows = self.rows();
        let limits = rows.iter().filter(|row| matches!(row.key, "ripple" | "attenuation"));
        limits.filter_map(QualityRow::margin).reduce(f64::min)
    }

    /// The rounding noise that is predicted at the output of the integer filter, in decibels of an rms value of 1.
    fn noise_db(&self) -> Option<f64> {
        let integers = self.measured.implementation.as_ref().filter(|_| self.is_rounded)?;
        let rms = integers.predicted_noise().ok()?.rms();
        (rms > 0.0).then(|| 20.0 * rms.log10())
    }

    /// The largest difference of gain from another filter in the pass-band of that one, in decibels.
    fn difference_from(&self, other: &Contender) -> Option<f64> {
        let nyquist = self.rate().nyquist().min(other.rate().nyquist());
        let stretches = passband(&other.measured.loaded.design.choice, nyquist)?;
        let both: [(&dyn Transfer, SampleRate); 2] =
            [(self.filter(), self.rate()), (other.filter(), other.rate())];
        largest_gain_difference_db(both, &stretches)
    }
}

/// A filter that could not be had.
#[derive(Serialize)]
struct Refused {
    label: String,
    reason: String,
}

#[derive(Serialize)]
struct ContenderObject<'a> {
    label: &'a str,
    name: String,
    coefficients: &'static str,
    kind: &'static str,
    order: usize,
    keeps_template: Option<bool>,
    smallest_margin_db: Option<f64>,
    multiplies_times_least: f64,
    rounding_noise_db: Option<f64>,
    passband_difference_db: Option<f64>,
    response_difference: Option<ResponseDifference>,
    reference: Option<Deviation>,
    quality: Vec<QualityObject>,
}

#[derive(Serialize)]
struct CompareObject<'a> {
    filters: Vec<ContenderObject<'a>>,
    refused: &'a [Refused],
}

pub(crate) fn run(options: &Compare) -> Result<Outcome, Failure> {
    let (contenders, refused) = contenders(options)?;
    let reference = match &options.reference {
        Some(path) => {
            let mut points = read_curve(path)?;
            points.sort_by(|a, b| a.0.total_cmp(&b.0));
            points
        }
        None => Vec::new(),
    };
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
    let objects: Vec<ContenderObject<'_>> =
        contenders.iter().map(|one| object(one, first, &contenders, &reference)).collect();
    let wishes = options.drawing.wishes(first.rate()).map_err(Failure::Call)?;
    let scene = Scene {
        subjects: subjects(&contenders),
        plan: plan(&contenders),
        wishes,
        reference: &reference,
    };
    let title = match &options.vary {
        Some(wish) => {
            format!("{}: {}", first.measured.loaded.spec.name, wish.split('=').next().unwrap_or(""))
        }
        None => format!("{} filters", contenders.len()),
    };
    let views = [View::Gain, View::Edges, View::Passband, View::Difference];
    let sketches = figures::draw_all(&scene, &title, &options.drawing, &views)?;
    if options.json {
        print::json(&CompareObject { filters: objects, refused: &refused })?;
    } else {
        print::text(&(text(&contenders, &objects, &refused) + &sketches))?;
    }
    let held = refused.is_empty() && contenders.iter().all(|one| one.keeps() != Some(false));
    Ok(Outcome::of(held))
}

/// All filters that were asked for, and those that could not be had.
fn contenders(options: &Compare) -> Result<(Vec<Contender>, Vec<Refused>), Failure> {
    let mut sources = Vec::new();
    for path in &options.specs {
        let text = Loaded::read_text(path)?;
        match &options.vary {
            None => {
                let stem = path.file_stem().unwrap_or_default().to_string_lossy();
                sources.push((stem.into_owned(), path.clone(), text.clone(), (path, text)));
            }
            Some(wish) => {
                let many = options.specs.len() > 1;
                let stem = path.file_stem().unwrap_or_default().to_string_lossy();
                for variant in variants(path, &text, wish)? {
                    let label =
                        if many { format!("{stem} {}", variant.label) } else { variant.label };
                    sources.push((label, variant.path, variant.text, (path, text.clone())));
                }
            }
        }
    }
    // Files of one name in several folders are told apart by their paths.
    let labels: Vec<String> = sources.iter().map(|source| source.0.clone()).collect();
    for source in &mut sources {
        if labels.iter().filter(|label| **label == source.0).count() > 1 {
            source.0 = source.1.display().to_string();
        }
    }
    let (mut contenders, mut refused): (Vec<Contender>, _) = (Vec::new(), Vec::new());
    // Words are judged against the filter that they stand for.
    let against_design =
        options.vary.as_ref().is_some_and(|wish| wish.trim().starts_with("fixed."));
    let bar = progress(sources.len() as u64, "designing");
    for (label, path, text, (original, shown)) in sources {
        bar.inc(1);
        let loaded = || Loaded::variant(&path, &text, (original, &shown));
        match loaded().and_then(Measured::new) {
            Ok(measured) => {
                let is_rounded = !options.designed && measured.implementation.is_some();
                if is_rounded && against_design && contenders.is_empty() {
                    let measured = Measured::new(loaded()?)?;
                    let label = "designed".to_owned();
                    contenders.push(Contender { label, measured, is_rounded: false });
                }
                contenders.push(Contender { label, measured, is_rounded });
            }
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

fn subjects(contenders: &[Contender]) -> Vec<Subject<'_>> {
    contenders.iter().enumerate().map(|(rank, one)| one.subject(rank)).collect()
}

/// Axes that show all filters; a template only where it is that of all.
fn plan(contenders: &[Contender]) -> Plan {
    let plans = contenders.iter().map(|one| {
        let choice = &one.measured.loaded.design.choice;
        Plan::of(choice, one.report().measures.peak_gain_db(), one.rate().nyquist())
    });
    let joined = plans.reduce(Plan::joined);
    joined.unwrap_or_else(Plan::empty)
}

fn object<'a>(
    one: &'a Contender,
    first: &Contender,
    all: &[Contender],
    reference: &[(f64, f64)],
) -> ContenderObject<'a> {
    let least = all.iter().map(|one| one.report().cost[0]).min().unwrap_or(1).max(1);
    let spec = &one.measured.loaded.spec;
    let inside: Vec<(f64, f64)> =
        reference.iter().copied().filter(|(hz, _)| *hz <= one.rate().nyquist()).collect();
    let is_first = std::ptr::eq(one, first);
    // The distance of a notch from a low-pass says nothing.
    let is_alike = spec.want.kind() == first.measured.loaded.spec.want.kind();
    ContenderObject {
        label: &one.label,
        name: spec.name.to_string(),
        coefficients: if one.is_rounded { "rounded" } else { "designed" },
        kind: spec.want.kind(),
        order: one.measured.loaded.design.order(),
        keeps_template: one.keeps(),
        smallest_margin_db: one.margin_db(),
        multiplies_times_least: one.report().cost[0] as f64 / least as f64,
        rounding_noise_db: one.noise_db(),
        passband_difference_db: if is_first || !is_alike {
            None
        } else {
            one.difference_from(first)
        },
        response_difference: if is_first {
            None
        } else {
            largest_response_difference([
                (one.filter(), one.rate()),
                (first.filter(), first.rate()),
            ])
        },
        reference: deviation(one.filter(), one.rate(), &inside),
        quality: quality(if one.is_rounded {
            one.measured.rows()
        } else {
            let [designed, _] = one.measured.rows();
            [designed, None]
        }),
    }
}

/// Columns of the terminal that the tables keep within.
const COLUMNS: usize = 80;

fn text(contenders: &[Contender], objects: &[ContenderObject<'_>], refused: &[Refused]) -> String {
    let mut rows = joined_rows(contenders);
    let mut more = |name: &str, cells: Vec<String>| {
        if cells.iter().any(|cell| cell != "-") {
            rows.push([vec![name.to_owned()], cells].concat());
        }
    };
    let cells = |pick: &dyn Fn(&ContenderObject<'_>) -> String| objects.iter().map(pick).collect();
    let level = |level: Option<f64>| print::number(level, 4);
    if objects.iter().any(|o| o.multiplies_times_least > 1.0) {
        more("multiplies, times the least", cells(&|o| format!("{:.1}", o.multiplies_times_least)));
    }
    more("predicted rounding noise, dB of 1", cells(&|o| print::number(o.rounding_noise_db, 2)));
    more("from the first in its pass-band, dB", cells(&|o| level(o.passband_difference_db)));
    let share =
        |found: Option<ResponseDifference>| print::number(found.map(|d| 100.0 * d.of_peak), 4);
    more("from the first at most, % of peak", cells(&|o| share(o.response_difference)));
    more("  at, Hz", cells(&|o| level(o.response_difference.map(|d| d.at_hz))));
    more("from the reference, at most, dB", cells(&|o| level(o.reference.map(|d| d.largest_db))));
    more("  at, Hz", cells(&|o| level(o.reference.map(|d| d.at_hz))));
    more("  rms, dB", cells(&|o| level(o.reference.map(|d| d.rms_db))));
    more(
        "  the reference shifted to fit, dB",
        cells(&|o| level(o.reference.map(|d| d.without_offset_db))),
    );
    let kept = |keeps: Option<bool>| match keeps {
        Some(true) => "yes",
        Some(false) => "NO",
        None => "-",
    };
    more("smallest margin of the template, dB", cells(&|o| level(o.smallest_margin_db)));
    more("keeps what was asked", cells(&|o| kept(o.keeps_template).to_owned()));
    let mut text = String::new();
    // So many columns side by side as there is room for.
    let width = |column: usize| {
        let cells = rows.iter().map(|row| row[column].chars().count());
        cells.max().unwrap_or(0)
    };
    let widths: Vec<usize> = contenders
        .iter()
        .enumerate()
        .map(|(k, one)| width(k + 1).max(one.label.chars().count()) + 2)
        .collect();
    let mut from = 0;
    while from < contenders.len() {
        let mut to = from + 1;
        let mut used = width(0) + 3 + widths[from];
        while to < contenders.len() && used + widths[to] <= COLUMNS {
            used += widths[to];
            to += 1;
        }
        let mut header = vec!["measured on the response"];
        header.extend(contenders[from..to].iter().map(|one| one.label.as_str()));
        let part: Vec<Vec<String>> =
            rows.iter().map(|row| [&row[..1], &row[from + 1..to + 1]].concat()).collect();
        text.push_str(&table(&header, &part));
        text.push('\n');
        from = to;
    }
    let rounded = contenders.iter().filter(|one| one.is_rounded).count();
    let what = match (rounded, contenders.len() - rounded) {
        (0, _) => "coefficients as designed",
        (_, 0) => "coefficients as rounded by [fixed]; --designed compares them unrounded",
        (_, 1) if contenders[0].label == "designed" => {
            "coefficients as rounded by [fixed], but for the first column"
        }
        _ => "coefficients as rounded where the spec has a table [fixed], else as designed",
    };
    text.push_str(&wrapped(&format!("  {what}"), 4));
    for Refused { label, reason } in refused {
        text.push_str(&wrapped(&format!("  {label}: none: {reason}"), 4));
    }
    text.push_str(&work(contenders));
    text
}

/// The rows of all filters: of each kind, and for the lower and the upper side, one.
fn joined_rows(contenders: &[Contender]) -> Vec<Vec<String>> {
    let all: Vec<Vec<(QualityRow, usize)>> =
        contenders.iter().map(|one| numbered(one.rows())).collect();
    let mut order: Vec<(QualityRow, usize)> = Vec::new();
    for rows in &all {
        for (row, number) in rows {
            if !order.iter().any(|(known, n)| known.key == row.key && n == number) {
                order.push((row.clone(), *number));
            }
        }
    }
    let line = |(row, number): (QualityRow, usize)| {
        let of = |rows: &Vec<(QualityRow, usize)>| {
            rows.iter().find(|(r, n)| r.key == row.key && *n == number).map(|(r, _)| r.clone())
        };
        let found_rows: Vec<Option<QualityRow>> = all.iter().map(of).collect();
        let is_there = |row: &Option<QualityRow>| {
            row.as_ref().is_some_and(|row| row.found != Reading::Missing)
        };
        if !found_rows.iter().any(is_there) {
            return None;
        }
        // Frequencies stand in the name only where all agree on them.
        let mut named = row.clone();
        if found_rows.iter().flatten().any(|other| other.place != row.place) {
            named.place = mellow_rake::quality::Place::Everywhere;
        }
        let cell = |row: &Option<QualityRow>| row.as_ref().map_or("-".to_owned(), found);
        Some([vec![label(&named)], found_rows.iter().map(cell).collect()].concat())
    };
    order.into_iter().filter_map(line).collect()
}

/// Rows with how many of the same key came before.
fn numbered(rows: Vec<QualityRow>) -> Vec<(QualityRow, usize)> {
    let keys: Vec<&'static str> = rows.iter().map(|row| row.key).collect();
    let before = |k: usize| keys[..k].iter().filter(|key| **key == keys[k]).count();
    rows.into_iter().enumerate().map(|(k, row)| (row, before(k))).collect()
}

/// What the most work buys against the least, in a sentence.
fn work(contenders: &[Contender]) -> String {
    let cost = |one: &&Contender| one.report().cost[0];
    let pair = contenders.iter().min_by_key(cost).zip(contenders.iter().max_by_key(cost));
    let Some((least, most)) = pair.filter(|(least, most)| cost(most) > cost(least)) else {
        return String::new();
    };
    let per_second = |one: &Contender| cost(&one) as f64 * one.rate().hertz();
    let name = |one: &Contender| {
        let design = &one.measured.loaded.design;
        match design.form.taps() {
            Some(taps) => format!("{} ({} taps)", one.label, taps.0.len()),
            None => format!("{} (order {})", one.label, design.order()),
        }
    };
    let ratio = per_second(most) / per_second(least);
    let line = format!(
        "  {} against {}: {ratio:.1} times the multiplications per second ({} against {})",
        name(most),
        name(least),
        per_second(most),
        per_second(least),
    );
    wrapped(&line, 4)
}
