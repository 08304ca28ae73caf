//! Which coefficients matter: what the filter does when one of them, or all, are a little off.

use super::passband;
use crate::design::Choice;
use crate::filter::ZerosPolesGain;
use crate::filter::complex::modulus;
use crate::filter::{Form, Section, Sections, Taps, Transfer};
use crate::random::NoiseSource;
use crate::response::Bands;
use crate::units::SampleRate;
use crate::units::level::decibels;
use num_complex::Complex64;

/// By how much a coefficient is changed.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum Change {
    /// By the same amount for all: of fixed-point coefficients, one LSB.
    Step(f64),
    /// By a share of its own value.
    Fraction(f64),
}

impl Change {
    fn of(self, value: f64) -> f64 {
        match self {
            Change::Step(step) => step,
            Change::Fraction(share) => share * value.abs(),
        }
    }
}

/// What a change of one coefficient does, up or down, whichever is worse.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct CoefficientSensitivity {
    /// "b0" … "a2", or "h" for a tap.
    pub name: &'static str,
    /// The section or the number of the tap, from 0.
    pub index: usize,
    /// Its value.
    pub value: f64,
    /// The change.
    pub change: f64,
    /// The largest change of the response |ΔH| at any frequency looked at, over the peak gain.
    pub response_change: f64,
    /// Where that is, in hertz.
    pub at_hz: f64,
    /// The largest change of the gain in the pass-band, in decibels; `None` where no pass-band is known.
    pub passband_change_db: Option<f64>,
    /// How far a pole moves in the z-plane; `None` for coefficients that move none.
    pub pole_move: Option<f64>,
    /// Whether a pole leaves the unit circle.
    pub is_unstable: bool,
    /// The template margin with the change less that without, in decibels; `None` without a template.
    pub margin_change_db: Option<f64>,
}

/// The coefficients of a filter by what a change of each does, worst first.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Sensitivity {
    /// By how much each was changed.
    pub change: Change,
    /// The smallest distance of the response from its template, in decibels; below zero where it is missed;
    /// `None` without a template.
    pub margin_db: Option<f64>,
    /// Ranked by the change of the response, equal ones by what they cost of the margin; an unstable filter
    /// comes before all others.
    pub coefficients: Vec<CoefficientSensitivity>,
}

/// A response on a grid, held against its template.
struct Look {
    /// e^{−jω}
    turns: Vec<Complex64>,
    in_pass: Vec<bool>,
    in_stop: Vec<bool>,
    ripple_db: Option<f64>,
    attenuation_db: Option<f64>,
}

impl Look {
    fn new(choice: &Choice, rate: SampleRate, hertz: &[f64]) -> Self {
        let nyquist = rate.nyquist();
        let pass = passband(choice, nyquist);
        let (stop, [ripple_db, attenuation_db]) = match choice {
            Choice::Recursive(choice) => {
                let stop = choice.stop_hz.as_ref();
                let stop = stop.map(|stop| Bands::from(choice).stretches(stop, false, nyquist));
                (
                    stop,
                    [choice.ripple_db.filter(|_| choice.pass_hz.is_some()), choice.attenuation_db],
                )
            }
            Choice::Fir(choice) => {
                let bands = choice.band.map(|kind| Bands { kind, pass_hz: None, stop_hz: None });
                let stop = bands.zip(choice.stop_hz.as_ref());
                let stop = stop.map(|(bands, stop)| bands.stretches(stop, false, nyquist));
                (
                    stop,
                    [choice.ripple_db.filter(|_| choice.pass_hz.is_some()), choice.attenuation_db],
                )
            }
            Choice::Notch(_) | Choice::Direct(_) => (None, [None, None]),
        };
        let inside = |stretches: &Option<Vec<(f64, f64)>>| -> Vec<bool> {
            let stretches = stretches.as_deref().unwrap_or(&[]);
            let within = |hz: &f64| stretches.iter().any(|(low, high)| (*low..=*high).contains(hz));
            hertz.iter().map(within).collect()
        };
        let turn = |hz: &f64| {
            let omega = rate.radians(*hz);
            Complex64::new(libm::cos(omega), -libm::sin(omega))
        };
        Look {
            turns: hertz.iter().map(turn).collect(),
            in_pass: inside(&pass),
            attenuation_db: attenuation_db.filter(|_| stop.is_some()),
            in_stop: inside(&stop),
            ripple_db,
        }
    }

    fn has_template(&self) -> bool {
        self.ripple_db.is_some() || self.attenuation_db.is_some()
    }

    /// The smallest distance of a response from its template, in decibels.
    fn margin(&self, response: &[Complex64]) -> Option<f64> {
        let extremes = |inside: &[bool]| {
            let gains = response.iter().zip(inside).filter(|(_, inside)| **inside);
            gains
                .map(|(h, _)| modulus(*h))
                .fold((f64::INFINITY, 0.0f64), |(low, high), gain| (low.min(gain), high.max(gain)))
        };
        let (low, high) = extremes(&self.in_pass);
        let peak = response.iter().map(|h| modulus(*h)).fold(0.0, f64::max);
        let ripple = self.ripple_db.map(|asked| asked - (decibels(high) - decibels(low)));
        let worst = extremes(&self.in_stop).1;
        let attenuation = self.attenuation_db.map(|asked| decibels(peak) - decibels(worst) - asked);
        [ripple, attenuation].into_iter().flatten().reduce(f64::min)
    }

    /// The largest change of gain in the pass-band, in decibels.
    fn passband_change(&self, before: &[Complex64], after: &[Complex64]) -> Option<f64> {
        let pairs = before.iter().zip(after).zip(&self.in_pass).filter(|(_, inside)| **inside);
        let change = |(before, after): (&Complex64, &Complex64)| {
            (decibels(modulus(*after)) - decibels(modulus(*before))).abs()
        };
        pairs.map(|(pair, _)| change(pair)).filter(|change| change.is_finite()).reduce(f64::max)
    }
}

/// The coefficient of a section by its place in b0, b1, b2, a1, a2.
fn coefficient(section: &mut Section, place: usize) -> &mut f64 {
    if place < 3 { &mut section.b[place] } else { &mut section.a[place - 3] }
}

const NAMES: [&str; 5] = ["b0", "b1", "b2", "a1", "a2"];

/// Changes every coefficient that is not zero, up and down, and ranks them by what that does.
///
/// `hertz` is where to look, rising; [`adaptive_grid`](crate::response::adaptive_grid) misses no ripple and
/// no null. Only the section that holds the coefficient is computed anew; nothing is linearized.
///
/// ```
/// use mellow_rake::quality::{Change, sensitivity};
/// use mellow_rake::response::{adaptive_grid};
/// use mellow_rake::{design::design, spec::{Spec, template}};
/// let spec = Spec::parse(template("lowpass").unwrap())?;
/// let (made, rate) = (design(&spec)?, spec.sample_rate);
/// let grid = adaptive_grid(made.transfer(), rate, 0.0, rate.nyquist(), 0.1);
/// let found = sensitivity(&made.form, &made.choice, rate, &grid, Change::Fraction(1e-4));
/// assert!(found.coefficients[0].response_change >= found.coefficients[1].response_change);
/// assert!(found.coefficients[0].name.starts_with('a'), "the poles are what matters");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn sensitivity(
    form: &Form,
    choice: &Choice,
    rate: SampleRate,
    hertz: &[f64],
    change: Change,
) -> Sensitivity {
    let look = Look::new(choice, rate, hertz);
    let before: Vec<Complex64> = hertz.iter().map(|hz| form.response(rate.radians(*hz))).collect();
    let peak = before.iter().map(|h| modulus(*h)).fold(f64::MIN_POSITIVE, f64::max);
    let margin_db = look.margin(&before);
    let judge = |name, index, value: f64, tries: [Try; 2]| {
        let [one, two] = tries.map(|Try { response, pole_move, is_unstable }| {
            let far = |k: &usize| modulus(response[*k] - before[*k]);
            let at = (0..hertz.len()).max_by(|a, b| far(a).total_cmp(&far(b))).unwrap_or(0);
            CoefficientSensitivity {
                name,
                index,
                value,
                change: change.of(value),
                response_change: if hertz.is_empty() { 0.0 } else { far(&at) / peak },
                at_hz: hertz.get(at).copied().unwrap_or(0.0),
                passband_change_db: look.passband_change(&before, &response),
                pole_move,
                is_unstable,
                margin_change_db: look.margin(&response).zip(margin_db).map(|(new, old)| new - old),
            }
        });
        let worse = |a: Option<f64>, b: Option<f64>| a.zip(b).map(|(a, b)| a.max(b));
        CoefficientSensitivity {
            passband_change_db: worse(one.passband_change_db, two.passband_change_db),
            pole_move: worse(one.pole_move, two.pole_move),
            is_unstable: one.is_unstable || two.is_unstable,
            margin_change_db: one.margin_change_db.zip(two.margin_change_db).map(|(a, b)| a.min(b)),
            ..if one.response_change >= two.response_change { one } else { two }
        }
    };
    let mut coefficients = Vec::new();
    match form {
        Form::Sections(sections) => {
            for (index, section) in sections.0.iter().enumerate() {
                let others = others(sections, index, &look.turns);
                let of = |changed: &Section| -> Vec<Complex64> {
                    let pairs = others.iter().zip(&look.turns);
                    pairs.map(|(rest, w)| rest * changed.response(*w)).collect()
                };
                for (place, name) in NAMES.into_iter().enumerate() {
                    let value = *coefficient(&mut section.clone(), place);
                    if value == 0.0 {
                        continue;
                    }
                    let tries = [1.0, -1.0].map(|sign| {
                        let mut changed = *section;
                        *coefficient(&mut changed, place) += sign * change.of(value);
                        let pole_move = (place >= 3).then(|| poles_moved(section, &changed));
                        let is_unstable = !changed.is_stable();
                        Try { response: of(&changed), pole_move, is_unstable }
                    });
                    coefficients.push(judge(name, index, value, tries));
                }
            }
        }
        Form::Taps(taps) => {
            for (index, &value) in taps.0.iter().enumerate().filter(|(_, tap)| **tap != 0.0) {
                let tries = [1.0, -1.0].map(|sign| {
                    let by = sign * change.of(value);
                    let turn = |hz: &f64| {
                        let angle = rate.radians(*hz) * index as f64;
                        Complex64::new(libm::cos(angle), -libm::sin(angle))
                    };
                    let response = before.iter().zip(hertz).map(|(h, hz)| h + turn(hz) * by);
                    Try { response: response.collect(), pole_move: None, is_unstable: false }
                });
                coefficients.push(judge("h", index, value, tries));
            }
        }
    }
    coefficients.sort_by(|a, b| {
        let harm = |row: &CoefficientSensitivity| -row.margin_change_db.unwrap_or(0.0);
        let equal = (a.response_change / b.response_change - 1.0).abs() < 1e-6;
        let response = b.response_change.total_cmp(&a.response_change);
        let response = if equal { std::cmp::Ordering::Equal } else { response };
        b.is_unstable.cmp(&a.is_unstable).then(response).then(harm(b).total_cmp(&harm(a)))
    });
    Sensitivity { change, margin_db, coefficients }
}

/// A filter with one coefficient changed.
struct Try {
    response: Vec<Complex64>,
    pole_move: Option<f64>,
    is_unstable: bool,
}

/// The product of all sections but one.
fn others(sections: &Sections, without: usize, turns: &[Complex64]) -> Vec<Complex64> {
    let product = |w: &Complex64| {
        let rest = sections.0.iter().enumerate().filter(|(index, _)| *index != without);
        rest.fold(Complex64::new(1.0, 0.0), |h, (_, section)| h * section.response(*w))
    };
    turns.iter().map(product).collect()
}

/// The largest distance from a pole of the changed section to where the nearest pole was.
fn poles_moved(before: &Section, after: &Section) -> f64 {
    let poles = |section: &Section| ZerosPolesGain::from_sections(&Sections(vec![*section])).poles;
    let old = poles(before);
    let nearest =
        |pole: Complex64| old.iter().map(|was| modulus(pole - was)).fold(f64::INFINITY, f64::min);
    poles(after).into_iter().map(nearest).filter(|far| far.is_finite()).fold(0.0, f64::max)
}

/// What filters with all coefficients off at random do.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ToleranceBand {
    /// The largest change of each coefficient.
    pub change: Change,
    /// Filters tried.
    pub trials: usize,
    /// Where the random numbers begin.
    pub seed: u64,
    /// Filters that were unstable; they are not part of the band.
    pub unstable: usize,
    /// Filters that kept their template at the frequencies looked at; `None` without a template.
    pub kept: Option<usize>,
    /// The smallest template margin of all stable filters, in decibels.
    pub worst_margin_db: Option<f64>,
    /// Frequencies in hertz.
    pub hertz: Vec<f64>,
    /// The lowest gain of all stable filters at each frequency, in decibels; −∞ for none.
    pub lowest_db: Vec<f64>,
    /// The gain that 5 % of them stay below.
    pub low_db: Vec<f64>,
    /// The gain that 5 % of them exceed.
    pub high_db: Vec<f64>,
    /// The highest gain.
    pub highest_db: Vec<f64>,
}

/// Changes all coefficients that are not zero at random, evenly up to `change` in both directions, `trials`
/// times.
///
/// The same seed gives the same band on every machine.
pub fn tolerance_band(
    form: &Form,
    choice: &Choice,
    rate: SampleRate,
    hertz: &[f64],
    change: Change,
    (trials, seed): (usize, u64),
) -> ToleranceBand {
    let look = Look::new(choice, rate, hertz);
    let mut noise = NoiseSource::new(seed);
    let mut off = |value: f64| match value {
        0.0 => 0.0,
        value => value + change.of(value) * (2.0 * noise.uniform() - 1.0),
    };
    let mut gains: Vec<Vec<f64>> = vec![Vec::with_capacity(trials); hertz.len()];
    let (mut unstable, mut kept, mut worst) = (0, 0, None);
    for _ in 0..trials {
        let changed = match form {
            Form::Sections(sections) => {
                let change = |s: &Section| Section { b: s.b.map(&mut off), a: s.a.map(&mut off) };
                Form::Sections(Sections(sections.0.iter().map(change).collect()))
            }
            Form::Taps(taps) => Form::Taps(Taps(taps.0.iter().map(|tap| off(*tap)).collect())),
        };
        if changed.sections().is_some_and(|sections| !sections.is_stable()) {
            unstable += 1;
            continue;
        }
        let response: Vec<Complex64> =
            hertz.iter().map(|hz| changed.response(rate.radians(*hz))).collect();
        for (h, gains) in response.iter().zip(&mut gains) {
            gains.push(modulus(*h));
        }
        if let Some(margin) = look.margin(&response) {
            kept += usize::from(margin >= 0.0);
            worst = Some(worst.map_or(margin, |worst: f64| worst.min(margin)));
        }
    }
    let mut band = ToleranceBand {
        change,
        trials,
        seed,
        unstable,
        kept: look.has_template().then_some(kept),
        worst_margin_db: worst,
        hertz: hertz.to_vec(),
        lowest_db: Vec::new(),
        low_db: Vec::new(),
        high_db: Vec::new(),
        highest_db: Vec::new(),
    };
    for mut gains in gains {
        gains.sort_by(f64::total_cmp);
        let last = gains.len().saturating_sub(1);
        let at = |share: f64| {
            let place = libm::rint(share * last as f64) as usize;
            gains.get(place).map_or(f64::NEG_INFINITY, |gain| decibels(*gain))
        };
        band.lowest_db.push(at(0.0));
        band.low_db.push(at(0.05));
        band.high_db.push(at(0.95));
        band.highest_db.push(at(1.0));
    }
    band
}
