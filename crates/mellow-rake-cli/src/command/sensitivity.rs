//! `mrake sensitivity`

use crate::arguments::Sensitivity as Options;
use crate::failure::{Failure, Outcome};
use crate::figures::{self, Plan};
use crate::load::Loaded;
use crate::print::{self, number, table, wrapped};
use crate::text::units::hertz;
use mellow_rake::filter::Form;
use mellow_rake::implementation::Implementation;
use mellow_rake::quality::{
    Change, CoefficientSensitivity, Sensitivity, ToleranceBand, passband, sensitivity,
    tolerance_band,
};
use mellow_rake::response::{adaptive_grid, gain_db, linear_grid, peak_gain_db};
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet, draw};
use mellow_rake_files::write_whole;
use serde::Serialize;

/// Of so many products of a response the tolerance band is looked at on the whole grid; of more, on a coarser one.
const MOST_WORK: usize = 200_000_000;
/// The most filters that are tried.
const MOST_TRIALS: usize = 100_000;
/// The share of a coefficient by which it is changed where there are no words.
const SHARE: f64 = 1e-3;

#[derive(Serialize)]
struct SensitivityObject<'a> {
    name: String,
    coefficients_are: &'static str,
    change: Change,
    margin_db: Option<f64>,
    coefficients: &'a [CoefficientSensitivity],
    tolerance_band: Option<&'a ToleranceBand>,
}

pub(crate) fn run(options: &Options) -> Result<Outcome, Failure> {
    if options.share.is_some_and(|share| !(share > 0.0 && share < 1.0)) {
        return Err(Failure::Call("--share: a share lies between 0 and 1, as 0.001".to_owned()));
    }
    if options.trials > MOST_TRIALS {
        return Err(Failure::Call(format!("--trials: at most {MOST_TRIALS}")));
    }
    let loaded = Loaded::file(&options.spec)?;
    let implementation = loaded.implementation()?;
    let subject = Subject::new(&loaded, implementation.as_ref(), options.share);
    let found = subject.rank();
    let band = (options.trials > 0).then(|| subject.scatter(options));
    if let Some(path) = &options.figure {
        let sheet = subject.sheet(&found, band.as_ref());
        write_whole(path, &draw(&sheet, figures::format(path)?)?)?;
        print::note(&format!("{} written", path.display()));
    }
    if options.json {
        print::json(&SensitivityObject {
            name: loaded.spec.name.to_string(),
            coefficients_are: subject.which,
            change: subject.change,
            margin_db: found.margin_db,
            coefficients: &found.coefficients,
            tolerance_band: band.as_ref(),
        })?;
    } else {
        print::text(&subject.text(&found, band.as_ref(), options.rows))?;
    }
    Ok(Outcome::Held)
}

/// The filter whose coefficients are changed.
struct Subject<'a> {
    loaded: &'a Loaded,
    form: &'a Form,
    which: &'static str,
    change: Change,
    /// The change in words.
    how: String,
    plan: Plan,
    hertz: Vec<f64>,
}

impl<'a> Subject<'a> {
    fn new(loaded: &'a Loaded, words: Option<&'a Implementation>, share: Option<f64>) -> Self {
        let rate = loaded.spec.sample_rate;
        let form = words.map_or(&loaded.design.form, |words| &words.rounded);
        let (change, how) = match (share, words) {
            (None, Some(words)) => {
                let format = words.table.format;
                (Change::Step(format.step()), format!("one LSB of {format}"))
            }
            _ => {
                let share = share.unwrap_or(SHARE);
                (Change::Fraction(share), format!("{share} of itself"))
            }
        };
        let plan = Plan::of(&loaded.design.choice, peak_gain_db(form, rate), rate.nyquist());
        let mut hertz = adaptive_grid(form, rate, 0.0, rate.nyquist(), 0.1);
        hertz.extend(adaptive_grid(form, rate, plan.pass.0.0, plan.pass.0.1, plan.pass.1 / 500.0));
        hertz.extend(linear_grid(plan.pass.0.0, plan.pass.0.1, 200));
        hertz.extend(&plan.points);
        hertz.sort_by(f64::total_cmp);
        hertz.dedup();
        let which = if words.is_some() { "rounded" } else { "designed" };
        Subject { loaded, form, which, change, how, plan, hertz }
    }

    fn rank(&self) -> Sensitivity {
        let (design, rate) = (&self.loaded.design, self.loaded.spec.sample_rate);
        sensitivity(self.form, &design.choice, rate, &self.hertz, self.change)
    }

    fn scatter(&self, options: &Options) -> ToleranceBand {
        let products = match self.form {
            Form::Sections(sections) => 5 * sections.0.len(),
            Form::Taps(taps) => taps.0.len(),
        };
        let every = (products * options.trials * self.hertz.len()).div_ceil(MOST_WORK).max(1);
        let points = &self.plan.points;
        let kept = self.hertz.iter().enumerate();
        let kept = kept.filter(|(k, hz)| k % every == 0 || points.contains(hz)).map(|(_, hz)| *hz);
        let (design, rate) = (&self.loaded.design, self.loaded.spec.sample_rate);
        let trials = (options.trials, options.seed);
        tolerance_band(
            self.form,
            &design.choice,
            rate,
            &kept.collect::<Vec<f64>>(),
            self.change,
            trials,
        )
    }

    fn text(&self, found: &Sensitivity, band: Option<&ToleranceBand>, most: usize) -> String {
        let name = &self.loaded.spec.name;
        let mut text = wrapped(
            &format!(
                "{name}: every coefficient as {}, changed up and down by {}",
                self.which, self.how
            ),
            2,
        );
        text.push('\n');
        let row = |row: &CoefficientSensitivity| {
            vec![
                coefficient_name(row),
                format!("{:.6}", row.value),
                format!("{:.1}", 20.0 * row.response_change.log10()),
                hertz(row.at_hz),
                number(row.passband_change_db, 5),
                row.pole_move.map_or("-".to_owned(), |far| format!("{far:.2e}")),
                if row.is_unstable {
                    "UNSTABLE".to_owned()
                } else {
                    row.margin_change_db.map_or("-".to_owned(), |change| format!("{change:+.5}"))
                },
            ]
        };
        let rows: Vec<Vec<String>> = found.coefficients.iter().take(most).map(row).collect();
        let header = ["", "value", "|dH|, dB", "at, Hz", "pass-band, dB", "pole by", "margin, dB"];
        text.push_str(&table(&header, &rows));
        let left = found.coefficients.len().saturating_sub(most);
        if left > 0 {
            text.push_str(&format!("  ... ({left} more; all with --json)\n"));
        }
        text.push('\n');
        text.push_str(&wrapped(
            "  |dH|: largest change of the response, from the largest gain; pass-band: largest change of gain there; margin: \
             what becomes of the distance to the template",
            4,
        ));
        if let Some(margin) = found.margin_db {
            text.push_str(&format!("  the distance to the template is {margin:+.5} dB\n"));
        }
        if let Some(band) = band {
            text.push_str(&wrapped(&self.scattered(band), 4));
        }
        text
    }

    /// What the random filters did.
    fn scattered(&self, band: &ToleranceBand) -> String {
        let ToleranceBand { trials, seed, unstable, kept, worst_margin_db, .. } = band;
        let mut line = format!(
            "  {trials} filters with all coefficients changed at random, evenly up to {} (seed {seed}), \
             looked at on {} frequencies: {unstable} unstable",
            self.how,
            band.hertz.len()
        );
        if let (Some(kept), Some(worst)) = (kept, worst_margin_db) {
            line.push_str(&format!(
                ", {kept} keep the template; the worst is {worst:+.4} dB from it"
            ));
        }
        line
    }

    /// The ranking, and the tolerance band where it can be seen.
    fn sheet(&self, found: &Sensitivity, band: Option<&ToleranceBand>) -> Sheet {
        let (plan, nyquist) = (&self.plan, self.loaded.spec.sample_rate.nyquist());
        let ((pass, below), top) = (plan.pass, plan.top_db);
        let mut panels = vec![
            ranking(found),
            self.gain(band, plan.pass_title, pass, (top - below, top + 0.4 * below)),
        ];
        panels.extend(band.and_then(|band| self.deviation(band)));
        panels.push(match plan.stop {
            Some(stop) => {
                let foot = top + plan.floor_db;
                self.gain(band, "the foot of the stop-band", stop, (foot, foot + 60.0))
            }
            None => self.gain(band, "gain", (0.0, nyquist), (top + plan.floor_db, top + 6.0)),
        });
        let title =
            format!("{}: coefficients changed by up to {}", self.loaded.spec.name, self.how);
        Sheet { title, panels }
    }

    /// The gain of this filter on the gain of the random ones.
    fn gain(
        &self,
        band: Option<&ToleranceBand>,
        title: &str,
        range: (f64, f64),
        levels: (f64, f64),
    ) -> Panel {
        let rate = self.loaded.spec.sample_rate;
        let mut series = band.map_or(Vec::new(), |band| bands(band, &|_| Some(0.0)));
        let inside = self.hertz.iter().filter(|hz| (range.0..=range.1).contains(hz));
        let line = inside.map(|hz| (*hz, gain_db(self.form, rate, *hz).max(-1000.0))).collect();
        series.push(Series {
            name: self.which.to_owned(),
            pen: Pen::Over,
            shape: Shape::Line(line),
        });
        let axes = (Axis::linear("frequency", "Hz", range), Axis::linear("gain", "dB", levels));
        let forbidden = self.plan.forbidden.clone();
        Panel { series, forbidden, ..Panel::new(title, axes.0, axes.1) }
    }

    /// How far the gain of the random filters is from that of this one in the pass-band.
    fn deviation(&self, band: &ToleranceBand) -> Option<Panel> {
        let rate = self.loaded.spec.sample_rate;
        let range = self.plan.pass.0;
        let known = passband(&self.loaded.design.choice, rate.nyquist());
        let stretches = known.unwrap_or_else(|| vec![range]);
        let least = self.plan.top_db - 20.0;
        let own = |hz: f64| {
            let is_inside = stretches.iter().any(|(low, high)| (*low..=*high).contains(&hz));
            let own = gain_db(self.form, rate, hz);
            (is_inside && own > least).then_some(own)
        };
        let series = bands(band, &own);
        let reach = series.iter().flat_map(|series| match &series.shape {
            Shape::Band(points) => points.as_slice(),
            _ => &[],
        });
        let most = reach.flat_map(|(_, low, high)| [low.abs(), high.abs()]).fold(0.0, f64::max);
        let y = Axis::linear("difference", "dB", (-1.1 * most, 1.1 * most));
        let x = Axis::linear("frequency", "Hz", range);
        let title = "pass-band: gain of the random filters less this one's";
        (most > 0.0).then(|| Panel { series, ..Panel::new(title, x, y) })
    }
}

/// The gain of all random filters and of nine in ten, less what `own` says; where it says nothing, nothing.
fn bands(band: &ToleranceBand, own: &dyn Fn(f64) -> Option<f64>) -> Vec<Series> {
    if band.unstable == band.trials {
        return Vec::new();
    }
    let between = |low: &[f64], high: &[f64]| {
        let points = band.hertz.iter().zip(low.iter().zip(high)).filter_map(|(hz, (low, high))| {
            let own = own(*hz)?;
            Some((*hz, (low - own).max(-1000.0), (high - own).max(-1000.0)))
        });
        Shape::Band(points.collect())
    };
    let named = |name: &str, pen: Pen, shape| Series { name: name.to_owned(), pen, shape };
    vec![
        named("all random filters", Pen::Rank(4), between(&band.lowest_db, &band.highest_db)),
        named("90 % of them", Pen::Under, between(&band.low_db, &band.high_db)),
    ]
}

/// The name with its place: of section 2, or the number of the tap.
fn coefficient_name(row: &CoefficientSensitivity) -> String {
    match row.name {
        "h" => format!("h[{}]", row.index),
        name => format!("{name} of section {}", row.index + 1),
    }
}

/// What each coefficient does, in the order of the filter. Every tap changes the response by as much: of taps it is shown
/// what each costs of the template, if there is one.
fn ranking(found: &Sensitivity) -> Panel {
    let mut rows: Vec<&CoefficientSensitivity> = found.coefficients.iter().collect();
    // b before a.
    let place = |row: &CoefficientSensitivity| (row.index, row.name.starts_with('a'), row.name);
    rows.sort_by_key(|row| place(row));
    let is_taps = rows.iter().all(|row| row.name == "h");
    let costs: Option<Vec<f64>> = rows.iter().map(|row| row.margin_change_db).collect();
    let (title, name, values) = match costs.filter(|_| is_taps) {
        Some(costs) => ("what a change of each tap does to the margin", "change of margin", costs),
        None => {
            let level =
                |row: &&CoefficientSensitivity| 20.0 * row.response_change.max(1e-15).log10();
            let title = "what a change of each coefficient does to the response";
            (title, "largest change", rows.iter().map(level).collect())
        }
    };
    let along = |k: usize| if is_taps { rows[k].index as f64 } else { k as f64 };
    let points: Vec<(f64, f64)> = values.iter().enumerate().map(|(k, y)| (along(k), *y)).collect();
    let (low, high) = values.iter().fold((f64::MAX, f64::MIN), |(a, b), y| (a.min(*y), b.max(*y)));
    let last = points.last().map_or(1.0, |point| point.0.max(1.0));
    let mut x = Axis::linear("tap", "", (-0.02 * last, 1.02 * last));
    if !is_taps {
        x = Axis::linear("section and coefficient", "", (-0.7, last + 0.7));
        x.names = rows.iter().map(|row| format!("{} {}", row.index + 1, row.name)).collect();
    }
    let air = (0.15 * (high - low)).max(1e-9);
    let range = match (low > high, name) {
        (true, _) => (-100.0, 0.0),
        (false, "change of margin") => (low.min(0.0) - air, high.max(0.0) + air),
        _ => (low - 6.0, high + 6.0),
    };
    let stems = Series { name: String::new(), pen: Pen::Over, shape: Shape::Stems(points) };
    Panel { series: vec![stems], ..Panel::new(title, x, Axis::linear(name, "dB", range)) }
}
