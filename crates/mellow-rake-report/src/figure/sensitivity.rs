//! The figure of coefficients that are a little off.

use super::Plan;
use mellow_rake::design::Choice;
use mellow_rake::quality::{CoefficientSensitivity, Sensitivity, ToleranceBand, passband};
use mellow_rake::response::{adaptive_grid, gain_db, linear_grid};
use mellow_rake::study::{CoefficientStudy, Study};
use mellow_rake::units::SampleRate;
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet};

impl Plan {
    /// Frequencies, in hertz, at which coefficients that are a little off are looked at: no ripple, no null
    /// and no edge is missed.
    pub fn places(&self, study: &CoefficientStudy<'_>, rate: SampleRate) -> Vec<f64> {
        let ((low, high), below) = self.pass;
        let mut hertz = adaptive_grid(study.form(), rate, 0.0, rate.nyquist(), 0.1);
        hertz.extend(adaptive_grid(study.form(), rate, low, high, below / 500.0));
        hertz.extend(linear_grid(low, high, 200));
        hertz.extend(&self.points);
        hertz.sort_by(f64::total_cmp);
        hertz.dedup();
        hertz
    }
}

/// The ranking of the coefficients, and the gain of filters with all of them off at random.
pub fn sensitivity(
    study: &Study,
    coefficients: CoefficientStudy<'_>,
    (plan, hertz): (&Plan, &[f64]),
    found: &Sensitivity,
    band: Option<&ToleranceBand>,
) -> Sheet {
    let look = Look {
        name: study.spec.name.to_string(),
        rate: study.spec.sample_rate,
        choice: &study.design.choice,
        study: coefficients,
        plan,
        hertz,
    };
    look.sheet(found, band)
}

/// What is looked at.
struct Look<'a> {
    name: String,
    rate: SampleRate,
    choice: &'a Choice,
    study: CoefficientStudy<'a>,
    plan: &'a Plan,
    hertz: &'a [f64],
}

impl Look<'_> {
    /// The ranking, and the tolerance band where it can be seen.
    fn sheet(&self, found: &Sensitivity, band: Option<&ToleranceBand>) -> Sheet {
        let (plan, nyquist) = (&self.plan, self.rate.nyquist());
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
        let title = format!("{}: coefficients changed by up to {}", self.name, self.study.how());
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
        let rate = self.rate;
        let mut series = band.map_or(Vec::new(), |band| bands(band, &|_| Some(0.0)));
        let inside = self.hertz.iter().filter(|hz| (range.0..=range.1).contains(hz));
        let line =
            inside.map(|hz| (*hz, gain_db(self.study.form(), rate, *hz).max(-1000.0))).collect();
        series.push(Series {
            name: self.study.which().to_owned(),
            pen: Pen::Over,
            shape: Shape::Line(line),
        });
        let axes = (Axis::linear("frequency", "Hz", range), Axis::linear("gain", "dB", levels));
        let forbidden = self.plan.forbidden.clone();
        Panel { series, forbidden, ..Panel::new(title, axes.0, axes.1) }
    }

    /// How far the gain of the random filters is from that of this one in the pass-band.
    fn deviation(&self, band: &ToleranceBand) -> Option<Panel> {
        let rate = self.rate;
        let range = self.plan.pass.0;
        let known = passband(self.choice, rate.nyquist());
        let stretches = known.unwrap_or_else(|| vec![range]);
        let least = self.plan.top_db - 20.0;
        let own = |hz: f64| {
            let is_inside = stretches.iter().any(|(low, high)| (*low..=*high).contains(&hz));
            let own = gain_db(self.study.form(), rate, hz);
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

/// What each coefficient does, in the order of the filter. Every tap changes the response by as much: of taps
/// it is shown what each costs of the template, if there is one.
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
