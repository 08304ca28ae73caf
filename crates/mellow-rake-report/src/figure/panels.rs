//! The panels of a figure of filters.

use super::plan::Plan;
use super::subject::Subject;
use mellow_rake::filter::complex::modulus;
use mellow_rake::response::{FrequencyCurves, gain_db, logarithmic_grid};
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape};
use num_complex::Complex64;

/// What a panel can show.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum View {
    /// Gain over the whole range.
    Gain,
    /// Gain over the whole range as a plain ratio.
    Ratio,
    /// Gain around the edges, or around what matters.
    Edges,
    /// The pass-band at its own scale.
    Passband,
    /// The foot of the stop-band.
    Stopband,
    /// The unwrapped phase.
    Phase,
    /// The phase within half a turn.
    WrappedPhase,
    /// What is left of the phase in the pass-band without its linear part.
    PhaseError,
    /// Group delay.
    Delay,
    /// Phase delay.
    PhaseDelay,
    /// Impulse response.
    Impulse,
    /// Step response.
    Step,
    /// Zeros and poles with the unit circle.
    Roots,
    /// Zeros and poles around the poles of the upper half.
    Poles,
    /// Gain less that of the first filter.
    Difference,
}

impl View {
    /// All of them, each with its name and what it shows.
    pub const ALL: [(View, &'static str, &'static str); 15] = [
        (View::Gain, "gain", "Gain over the whole range."),
        (View::Ratio, "ratio", "Gain over the whole range as a plain ratio."),
        (View::Edges, "edges", "Gain around the edges, or around what matters."),
        (View::Passband, "passband", "The pass-band at its own scale."),
        (View::Stopband, "stopband", "The foot of the stop-band."),
        (View::Phase, "phase", "The unwrapped phase."),
        (View::WrappedPhase, "wrapped-phase", "The phase within half a turn."),
        (
            View::PhaseError,
            "phase-error",
            "What is left of the phase in the pass-band without its linear part.",
        ),
        (View::Delay, "delay", "Group delay."),
        (View::PhaseDelay, "phase-delay", "Phase delay."),
        (View::Impulse, "impulse", "Impulse response."),
        (View::Step, "step", "Step response."),
        (View::Roots, "roots", "Zeros and poles with the unit circle."),
        (View::Poles, "poles", "Zeros and poles around the poles of the upper half."),
        (View::Difference, "difference", "Gain less that of the first filter."),
    ];

    /// The view of this name.
    pub fn named(name: &str) -> Option<Self> {
        View::ALL.into_iter().find(|(_, known, _)| *known == name).map(|(view, ..)| view)
    }
}

/// What the user wants of the axes.
#[derive(Debug, Clone, Copy, Default)]
pub struct Wishes {
    /// From and to of panels over the whole range, in hertz.
    pub span_hz: Option<(f64, f64)>,
    /// From and to of the gain panel, in decibels.
    pub levels_db: Option<(f64, f64)>,
    /// A logarithmic axis for panels over the whole range.
    pub is_logarithmic: bool,
}

/// Filters, how they are looked at, and a curve to hold against them.
pub struct Scene<'a> {
    /// The filters, in the order of the legend.
    pub subjects: Vec<Subject<'a>>,
    /// What is worth a closer look.
    pub plan: Plan,
    /// What is wanted of the axes.
    pub wishes: Wishes,
    /// Frequencies and levels that were measured or published.
    pub reference: &'a [(f64, f64)],
}

/// Points of a curve of a filter at frequencies in hertz.
type Pick<'a> = dyn Fn(&Subject<'_>, &[f64]) -> Vec<(f64, f64)> + 'a;

/// What f64 leaves of a gain that is an exact zero; the figure ends far above this.
const NOTHING_DB: f64 = -1000.0;
/// The height of a panel in pixels, roughly: lines need not be truer than a quarter of one.
const PIXELS: f64 = 250.0;
/// Samples up to which a response is drawn as stems.
const STEMS: usize = 90;

impl Scene<'_> {
    fn nyquist(&self) -> f64 {
        self.subjects.iter().map(|subject| subject.rate.nyquist()).fold(0.0, f64::max)
    }

    /// The whole range, or what was asked for.
    fn span(&self) -> (f64, f64) {
        let (low, high) = self.wishes.span_hz.unwrap_or((0.0, self.nyquist()));
        if !self.wishes.is_logarithmic || low > 0.0 {
            return (low, high);
        }
        // Down to a hundredth of the lowest frequency that matters.
        let points = self.plan.points.iter().copied().filter(|hz| *hz > 0.0);
        let least = points.fold(high, f64::min).min(high / 10.0);
        (10f64.powf((least / 100.0).log10().floor().max((high * 1e-7).log10())), high)
    }

    fn frequency(&self) -> Axis {
        let span = self.span();
        if self.wishes.is_logarithmic {
            Axis::logarithmic("frequency", "Hz", span)
        } else {
            Axis::linear("frequency", "Hz", span)
        }
    }

    /// One curve per filter over a range of frequencies.
    fn over_frequency(&self, range: (f64, f64), tolerance_db: f64, pick: &Pick<'_>) -> Vec<Series> {
        let mut also = self.plan.points.clone();
        if self.wishes.is_logarithmic && range.0 > 0.0 {
            also.extend(logarithmic_grid(range.0, range.1, 400));
        }
        let one = |subject: &Subject<'_>| {
            let places = subject.places(range, tolerance_db, &also);
            let shape = Shape::Line(pick(subject, &places));
            Series { name: subject.name.clone(), pen: subject.pen, shape }
        };
        let drawn =
            self.subjects.iter().filter(|subject| subject.rate.nyquist() > range.0).map(one);
        drawn.filter(|series| !matches!(&series.shape, Shape::Line(p) if p.len() < 2)).collect()
    }

    fn gain(&self, title: &str, x: Axis, levels: (f64, f64)) -> Panel {
        let tolerance = (levels.1 - levels.0) / PIXELS / 4.0;
        let mut series = self.over_frequency(x.range, tolerance, &|subject, hertz| {
            let level = |hz: &f64| gain_db(subject.filter, subject.rate, *hz).max(NOTHING_DB);
            hertz.iter().map(|hz| (*hz, level(hz))).collect()
        });
        series.extend(self.desired());
        if self.reference.len() > 1 {
            let shape = Shape::Line(self.reference.to_vec());
            series.push(Series { name: "reference".to_owned(), pen: Pen::Light, shape });
        }
        let y = Axis::linear("gain", "dB", levels);
        Panel { series, forbidden: self.plan.forbidden.clone(), ..Panel::new(title, x, y) }
    }

    fn ratio(&self) -> Panel {
        let x = self.frequency();
        let series = self.over_frequency(x.range, 0.1, &|subject, hertz| {
            let ratio = |hz: &f64| subject.filter.gain(subject.rate.radians(*hz));
            hertz.iter().map(|hz| (*hz, ratio(hz))).collect()
        });
        let (_, most) = reach(&series);
        Panel { series, ..Panel::new("gain", x, Axis::linear("gain, a ratio", "", (0.0, most))) }
    }

    /// The desired gain of bands, as far as it has a logarithm.
    fn desired(&self) -> Vec<Series> {
        let series = |band: &Vec<(f64, f64)>| {
            let shape = Shape::Line(band.clone());
            Series { name: "desired".to_owned(), pen: Pen::Rank(2), shape }
        };
        let seen = self.plan.desired.iter().filter(|band| band.iter().any(|(_, db)| *db > -300.0));
        seen.map(series).collect()
    }

    /// One panel.
    pub fn panel(&self, view: View) -> Panel {
        let plan = &self.plan;
        let (zoom_title, zoom, zoom_floor) = plan.zoom;
        let top = plan.top_db;
        let hertz = |range| Axis::linear("frequency", "Hz", range);
        match view {
            View::Gain => {
                let levels = self.wishes.levels_db.unwrap_or((top + plan.floor_db, top + 6.0));
                self.gain("gain", self.frequency(), levels)
            }
            View::Ratio => self.ratio(),
            View::Edges => self.gain(zoom_title, hertz(zoom), (top + zoom_floor, top + 4.0)),
            View::Passband => {
                let (pass, below) = plan.pass;
                self.gain(plan.pass_title, hertz(pass), (top - below, top + 0.4 * below))
            }
            View::Stopband => match plan.stop {
                Some(stop) => {
                    let levels = (top + plan.floor_db, top + plan.floor_db + 60.0);
                    self.gain("the foot of the stop-band", hertz(stop), levels)
                }
                None => noted(
                    "the foot of the stop-band",
                    (self.frequency(), Axis::linear("gain", "dB", (-100.0, 0.0))),
                    "no stop-band was asked for",
                ),
            },
            View::Phase => self.phase("phase, unwrapped", &|curves| &curves.phase_degrees, None),
            View::WrappedPhase => {
                self.phase("phase", &|curves| &curves.wrapped_phase_degrees, Some((-190.0, 190.0)))
            }
            View::PhaseError => self.phase_error(),
            View::Delay => {
                self.delay("group delay", 0.0, &|curves, k| Some(curves.group_delay_samples[k]))
            }
            View::PhaseDelay => {
                self.delay("phase delay", 0.02, &|curves, k| curves.phase_delay_samples[k])
            }
            View::Impulse => self.in_time("impulse response", &|subject| subject.impulse()),
            View::Step => self.in_time("step response", &|subject| subject.step()),
            View::Roots => self.roots(),
            View::Poles => self.around_the_poles(),
            View::Difference => self.difference(),
        }
    }

    fn phase(
        &self,
        title: &str,
        pick: &dyn Fn(&FrequencyCurves) -> &Vec<f64>,
        range: Option<(f64, f64)>,
    ) -> Panel {
        let x = self.frequency();
        let series = self.over_frequency(x.range, 0.5, &|subject, hertz| {
            let curves = subject.curves(hertz);
            let phase = pick(&curves);
            curves.hertz.iter().copied().zip(phase.iter().copied()).collect()
        });
        let y = Axis::linear("phase", "degrees", range.unwrap_or_else(|| reach(&series)));
        Panel { series, ..Panel::new(title, x, y) }
    }

    fn phase_error(&self) -> Panel {
        let low = self.subjects.iter().flat_map(Subject::passband).map(|band| band.0);
        let high = self.subjects.iter().flat_map(Subject::passband).map(|band| band.1);
        let range = (low.fold(f64::MAX, f64::min), high.fold(0.0, f64::max));
        let series = self.over_frequency(range, 0.01, &|subject, hertz| {
            let curves = subject.curves(hertz);
            // The widest stretch of the pass-band has the line.
            let widest =
                subject.passband().into_iter().max_by(|a, b| (a.1 - a.0).total_cmp(&(b.1 - b.0)));
            let (low, high) = widest.unwrap_or(range);
            let Some(line) = curves.linear_part(subject.rate, low, high) else {
                return Vec::new();
            };
            let rest = curves.phase_without(&line, subject.rate);
            let points = curves.hertz.iter().copied().zip(rest);
            points.filter(|(hz, _)| (low..=high).contains(hz)).collect()
        });
        let y = Axis::linear("phase", "degrees", reach(&series));
        let title = "phase in the pass-band less its linear part";
        Panel { series, ..Panel::new(title, Axis::linear("frequency", "Hz", range), y) }
    }

    /// The scale is that of the pass-band from `from`, a share of its upper end, on: where the phase at 0 Hz
    /// is not zero the phase delay grows without bound below.
    fn delay(
        &self,
        title: &str,
        from: f64,
        pick: &dyn Fn(&FrequencyCurves, usize) -> Option<f64>,
    ) -> Panel {
        let x = self.frequency();
        let series = self.over_frequency(x.range, 0.1, &|subject, hertz| {
            let curves = subject.curves(hertz);
            let point = |k: usize| Some((curves.hertz[k], pick(&curves, k)?));
            (0..curves.hertz.len()).filter_map(point).collect()
        });
        // The pass-band sets the scale: at a null of the stop-band a delay means nothing.
        let stretches: Vec<(f64, f64)> = self.subjects.iter().flat_map(Subject::passband).collect();
        let least = from * stretches.iter().map(|stretch| stretch.1).fold(0.0, f64::max);
        let in_pass = |hz: f64| {
            hz >= least && stretches.iter().any(|(low, high)| (*low..=*high).contains(&hz))
        };
        let seen = series.iter().flat_map(|series| match &series.shape {
            Shape::Line(points) => points.as_slice(),
            _ => &[],
        });
        let seen = seen.filter(|(hz, _)| in_pass(*hz)).map(|(_, delay)| *delay);
        let (low, high) = bounds(seen.chain([0.0]));
        let air = 0.12 * (high - low).max(1e-3);
        let y =
            Axis::linear("delay", "samples", (if low < 0.0 { low - air } else { low }, high + air));
        Panel { series, ..Panel::new(title, x, y) }
    }

    fn in_time(&self, title: &str, respond: &dyn Fn(&Subject<'_>) -> Vec<f64>) -> Panel {
        let all: Vec<Vec<f64>> = self.subjects.iter().map(respond).collect();
        let longest = all.iter().map(Vec::len).max().unwrap_or(0);
        let draw = |(subject, values): (&Subject<'_>, &Vec<f64>)| {
            let period = 1.0 / subject.rate.hertz();
            let points = values.iter().enumerate().map(|(n, y)| (n as f64 * period, *y)).collect();
            let is_few = longest <= STEMS && self.subjects.len() <= 2;
            let shape = if is_few { Shape::Stems(points) } else { Shape::Line(points) };
            Series { name: subject.name.clone(), pen: subject.pen, shape }
        };
        let series: Vec<Series> = self.subjects.iter().zip(&all).map(draw).collect();
        let end =
            self.subjects.iter().zip(&all).map(|(s, y)| (y.len() - 1) as f64 / s.rate.hertz());
        let end = end.fold(0.0, f64::max);
        let y = Axis::linear("output", "", reach(&series));
        let x = Axis::linear("time", "s", (-0.01 * end, end));
        Panel { series, ..Panel::new(title, x, y) }
    }

    /// All roots, within a square, with the circle; roots closer than a few pixels are drawn as one and
    /// counted.
    fn roots_within(&self, title: &str, middle: (f64, f64), half: f64) -> Panel {
        let axis = |name: &str, at: f64| Axis::linear(name, "", (at - half, at + half));
        let mut panel =
            Panel::new(title, axis("real part", middle.0), axis("imaginary part", middle.1));
        panel.has_circle = true;
        for subject in &self.subjects {
            match subject.roots() {
                Err(why) => panel.note = why,
                Ok(roots) => {
                    for (is_zero, roots) in [true, false].into_iter().zip(roots) {
                        let points = counted(&roots, 4e-3 * half);
                        let shape =
                            if is_zero { Shape::Zeros(points) } else { Shape::Poles(points) };
                        let pen = subject.pen;
                        panel.series.push(Series { name: String::new(), pen, shape });
                    }
                }
            }
        }
        panel
    }

    fn roots(&self) -> Panel {
        let all =
            self.subjects.iter().filter_map(|subject| subject.roots().ok()).flatten().flatten();
        let radii: Vec<f64> = all.map(modulus).collect();
        let far = radii.iter().filter(|r| **r > FARTHEST).count();
        let reach = radii.into_iter().filter(|r| *r <= FARTHEST).fold(1.0, f64::max);
        let mut title = "zeros (o) and poles (x)".to_owned();
        if far > 0 {
            title.push_str(&format!("; {far} farther out"));
        }
        self.roots_within(&title, (0.0, 0.0), 1.12 * reach)
    }

    /// Where the poles stand close together, at their own scale.
    fn around_the_poles(&self) -> Panel {
        let poles =
            self.subjects.iter().filter_map(|subject| Some(subject.roots().ok()?[1].clone()));
        let upper: Vec<Complex64> = poles.flatten().filter(|p| p.im >= 0.0).collect();
        let (left, right) = bounds(upper.iter().map(|p| p.re));
        let (low, high) = bounds(upper.iter().map(|p| p.im));
        if left > right {
            return self.roots();
        }
        let gap = upper.iter().map(|p| (1.0 - modulus(*p)).abs()).fold(0.0, f64::max);
        let half = (0.65 * (right - left).max(high - low)).max(1.3 * gap).max(1e-9);
        let middle = (f64::midpoint(left, right), f64::midpoint(low, high));
        self.roots_within("around the poles", middle, half)
    }

    fn difference(&self) -> Panel {
        let x = self.frequency();
        let Some((first, others)) = self.subjects.split_first() else {
            return noted("difference", (x, Axis::linear("gain", "dB", (-1.0, 1.0))), "nothing");
        };
        let plan = &self.plan;
        let range = (x.range.0, x.range.1.min(first.rate.nyquist()));
        // Where the first is next to nothing the difference says nothing.
        let least = plan.top_db + plan.floor_db;
        let one = |subject: &Subject<'_>| {
            let level = |of: &Subject<'_>, hz: f64| gain_db(of.filter, of.rate, hz);
            let places = subject.places(range, 0.05, &plan.points);
            let points = places.into_iter().filter_map(|hz| {
                let (own, of_first) = (level(subject, hz), level(first, hz));
                let is_seen = of_first > least || own > least;
                is_seen.then(|| (hz, own.max(NOTHING_DB) - of_first.max(NOTHING_DB)))
            });
            let shape = Shape::Line(points.collect());
            Series { name: subject.name.clone(), pen: subject.pen, shape }
        };
        let mut series: Vec<Series> = others.iter().map(one).collect();
        series.retain(|series| !matches!(&series.shape, Shape::Line(p) if p.len() < 2));
        let (low, high) = reach(&series);
        let y = Axis::linear("difference", "dB", (low.max(-12.0), high.min(12.0)));
        let title = format!("gain less that of {}", first.name);
        let mut panel = Panel { series, ..Panel::new(&title, x, y) };
        if panel.series.is_empty() {
            panel.y.range = (-1.0, 1.0);
        }
        panel
    }
}

/// Roots farther out than this are counted, not drawn.
const FARTHEST: f64 = 2.5;

/// Roots with how often each is there, as far as they are this much apart.
fn counted(roots: &[Complex64], apart: f64) -> Vec<(f64, f64, usize)> {
    let mut all: Vec<(f64, f64, usize)> = Vec::new();
    for root in roots {
        let same = |at: &&mut (f64, f64, usize)| (at.0 - root.re).hypot(at.1 - root.im) < apart;
        match all.iter_mut().find(same) {
            Some(known) => known.2 += 1,
            None => all.push((root.re, root.im, 1)),
        }
    }
    all
}

fn noted(title: &str, (x, y): (Axis, Axis), note: &str) -> Panel {
    Panel { note: note.to_owned(), ..Panel::new(title, x, y) }
}

fn bounds(values: impl Iterator<Item = f64>) -> (f64, f64) {
    let finite = values.filter(|v| v.is_finite());
    finite.fold((f64::MAX, f64::MIN), |(low, high), v| (low.min(v), high.max(v)))
}

/// The range of all points upward, with some air; from −1 to 1 where there are none.
fn reach(series: &[Series]) -> (f64, f64) {
    let all = series.iter().flat_map(|series| match &series.shape {
        Shape::Line(points) | Shape::Stems(points) => points.as_slice(),
        _ => &[],
    });
    let (low, high) = bounds(all.map(|(_, y)| *y));
    if low > high {
        return (-1.0, 1.0);
    }
    let air = 0.07 * (high - low).max(1e-6 * high.abs()).max(1e-9);
    (low - air, high + air)
}
