//! Recursive filters in closed form, placed by hand, or given by their coefficients.

use super::notch::second_order;
use super::{DesignError, notch};
use crate::convert::{ConvertError, Polynomials, from_polynomials};
use crate::filter::complex::modulus;
use crate::filter::{Form, Section, Sections, Taps, Transfer, ZerosPolesGain, polynomial_roots};
use crate::spec::{Calibration, Coefficients, DirectWish, LARGEST_TAPS, Leak, Root};
use crate::units::SampleRate;
use num_complex::Complex64;

/// What is known of a filter that follows directly from a few numbers.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct DirectChoice {
    /// The kind, as in the spec file.
    pub kind: &'static str,
    /// What it is, in words.
    pub title: String,
    /// Points of the response that the wish fixes.
    pub marks: Vec<Mark>,
    /// Assumptions that were made, one sentence each.
    pub assumptions: Vec<String>,
}

/// A point of the response.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Mark {
    /// Where, in hertz.
    pub hertz: f64,
    /// What is asked for there.
    pub asked: Asked,
}

/// What is asked for at a point of the response.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum Asked {
    /// A gain in decibels.
    GainDb(f64),
    /// No gain at all.
    Null,
    /// A phase in degrees, taken modulo 360.
    PhaseDegrees(f64),
}

/// Why a directly given filter is none.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum DirectError {
    /// A number is out of range.
    #[error("found {found}; accepted: {accepted}")]
    Range {
        /// The key.
        key: &'static str,
        /// What was found.
        found: f64,
        /// What would be accepted.
        accepted: String,
    },
    /// The filter would grow without bound.
    #[error("a pole of the given filter lies at radius {radius}: {why}")]
    Unstable {
        /// The largest radius.
        radius: f64,
        /// What may be wrong.
        why: &'static str,
    },
    /// The gain cannot be calibrated where it is zero.
    #[error("the gain at {hertz} Hz is zero")]
    NoGain {
        /// Where, in hertz.
        hertz: f64,
    },
    /// The coefficients are still in their file.
    #[error("the coefficients in {path} were not read")]
    NotRead {
        /// The file.
        path: String,
    },
    /// The form of the coefficients is of no use.
    #[error("{what}")]
    Shape {
        /// What is wrong and what would be accepted.
        what: String,
    },
    /// Zeros and poles cannot be read off the coefficients.
    #[error("{why}")]
    Convert {
        /// The key.
        key: &'static str,
        /// What is in the way.
        why: ConvertError,
    },
}

impl DirectError {
    /// The key of a spec that this is about, where it is one.
    pub fn key(&self) -> Option<&'static str> {
        match self {
            DirectError::Range { key, .. } | DirectError::Convert { key, .. } => Some(key),
            DirectError::NoGain { .. } => Some("want.gain_at"),
            DirectError::NotRead { .. } => Some("want.file"),
            DirectError::Shape { .. } => Some("want"),
            DirectError::Unstable { .. } => None,
        }
    }
}

const HALF_POWER_DB: f64 = -10.0 * std::f64::consts::LOG10_2;

/// A filter with the choice that led to it.
pub(super) type Direct = (DirectChoice, Option<ZerosPolesGain>, Form);

fn real(re: f64) -> Complex64 {
    Complex64::new(re, 0.0)
}

fn mark(hertz: f64, asked: Asked) -> Mark {
    Mark { hertz, asked }
}

fn between(hertz: f64, rate: SampleRate) -> Result<f64, DesignError> {
    // Written so that a NaN is refused too.
    if hertz > 0.0 && hertz < rate.nyquist() {
        Ok(rate.radians(hertz))
    } else {
        Err(DesignError::Edge { found_hz: hertz, nyquist_hz: rate.nyquist() })
    }
}

/// A filter before it is known to be stable: its title, the points that the wish fixes, assumptions.
type Closed = (String, Vec<Mark>, Vec<String>, ZerosPolesGain);

/// Designs a filter that follows directly from a few numbers.
pub(super) fn direct(wish: &DirectWish, rate: SampleRate) -> Result<Direct, DesignError> {
    let kind = wish.kind();
    let (title, marks, assumptions, filter) = match wish {
        DirectWish::Peak { center_hz, width_hz } => peak(*center_hz, *width_hz, rate)?,
        DirectWish::Comb { fundamental_hz, widths_hz } => comb(*fundamental_hz, widths_hz, rate)?,
        DirectWish::DcBlocker { cutoff_hz } => dc_blocker(*cutoff_hz, rate)?,
        DirectWish::AllPassFirst { center_hz } => {
            let (title, marks, section) = first_order_all_pass(*center_hz, rate)?;
            return Ok(all_pass(kind, title, marks, section));
        }
        DirectWish::AllPassSecond { center_hz, width_hz } => {
            let (title, marks, section) = second_order_all_pass(*center_hz, *width_hz, rate)?;
            return Ok(all_pass(kind, title, marks, section));
        }
        DirectWish::LeakyIntegrator(leak) => leaky_integrator(leak, rate)?,
        DirectWish::Resonator { center_hz, width_hz } => two_poles(*center_hz, *width_hz, rate)?,
        DirectWish::Placed { zeros, poles, calibration } => {
            return placed(zeros, poles, *calibration, rate);
        }
        DirectWish::Given(coefficients) => return given(coefficients),
    };
    if filter.pole_radius() >= 1.0 {
        let edges_hz = marks.iter().map(|mark| mark.hertz).collect();
        return Err(DesignError::OnTheCircle { edges_hz });
    }
    let form = Form::Sections(Sections::from_zeros_poles(&filter));
    Ok((DirectChoice { kind, title, marks, assumptions }, Some(filter), form))
}

/// Half power at two edges, nothing at 0 Hz and Nyquist.
fn peak(center_hz: f64, width_hz: f64, rate: SampleRate) -> Result<Closed, DesignError> {
    let shape = second_order(center_hz, width_hz, rate)?;
    // H(z) = (1 − A(z))/2 where the notch is (1 + A(z))/2.
    let gain = shape.beta / (1.0 + shape.beta);
    let filter = ZerosPolesGain { zeros: vec![real(1.0), real(-1.0)], poles: shape.poles, gain };
    let mut marks = vec![mark(center_hz, Asked::GainDb(0.0))];
    marks.extend(shape.edges_hz.map(|hz| mark(hz, Asked::GainDb(HALF_POWER_DB))));
    marks.extend([0.0, rate.nyquist()].map(|hz| mark(hz, Asked::Null)));
    let title =
        format!("second-order peak at {center_hz} Hz, {width_hz} Hz between the -3 dB points");
    Ok((title, marks, Vec::new(), filter))
}

/// A notch at every harmonic.
fn comb(fundamental_hz: f64, widths_hz: &[f64], rate: SampleRate) -> Result<Closed, DesignError> {
    let mut filter = ZerosPolesGain { zeros: Vec::new(), poles: Vec::new(), gain: 1.0 };
    let mut marks = Vec::new();
    for (k, width) in (1u32..).zip(widths_hz) {
        let center = fundamental_hz * f64::from(k);
        let one = notch(center, *width, rate)?.zeros_poles;
        filter.zeros.extend(one.zeros);
        filter.poles.extend(one.poles);
        filter.gain *= one.gain;
        marks.push(mark(center, Asked::Null));
    }
    marks.extend([0.0, rate.nyquist()].map(|hz| mark(hz, Asked::GainDb(0.0))));
    let title =
        format!("comb of {} notches at the harmonics of {fundamental_hz} Hz", widths_hz.len());
    let note = "each width is that of its notch alone; where notches stand close, neighbours move \
        the -3 dB points";
    Ok((title, marks, vec![note.to_owned()], filter))
}

/// A first-order Butterworth high-pass.
fn dc_blocker(cutoff_hz: f64, rate: SampleRate) -> Result<Closed, DesignError> {
    let t = libm::tan(between(cutoff_hz, rate)? / 2.0);
    let pole = (1.0 - t) / (1.0 + t);
    let filter =
        ZerosPolesGain { zeros: vec![real(1.0)], poles: vec![real(pole)], gain: 1.0 / (1.0 + t) };
    let marks = vec![
        mark(0.0, Asked::Null),
        mark(cutoff_hz, Asked::GainDb(HALF_POWER_DB)),
        mark(rate.nyquist(), Asked::GainDb(0.0)),
    ];
    Ok((format!("DC blocker, -3 dB at {cutoff_hz} Hz"), marks, Vec::new(), filter))
}

/// A turn by a quarter at the centre.
fn first_order_all_pass(
    center_hz: f64,
    rate: SampleRate,
) -> Result<(String, Vec<Mark>, Section), DesignError> {
    let t = libm::tan(between(center_hz, rate)? / 2.0);
    let c = (t - 1.0) / (t + 1.0);
    let section = Section { b: [c, 1.0, 0.0], a: [c, 0.0] };
    let marks = [0.0, center_hz, rate.nyquist()].map(|hz| mark(hz, Asked::GainDb(0.0)));
    let mut marks = marks.to_vec();
    marks.push(mark(center_hz, Asked::PhaseDegrees(-90.0)));
    let title = format!("first-order all-pass, -90 degrees at {center_hz} Hz");
    Ok((title, marks, section))
}

/// A turn by a half at the centre, by a quarter at both edges.
fn second_order_all_pass(
    center_hz: f64,
    width_hz: f64,
    rate: SampleRate,
) -> Result<(String, Vec<Mark>, Section), DesignError> {
    let shape = second_order(center_hz, width_hz, rate)?;
    let (a1, a2) = (shape.a1, shape.a2);
    let section = Section { b: [a2, a1, 1.0], a: [a1, a2] };
    let mut marks = vec![mark(center_hz, Asked::PhaseDegrees(-180.0))];
    for (hz, phase) in shape.edges_hz.into_iter().zip([-90.0, -270.0]) {
        marks.push(mark(hz, Asked::PhaseDegrees(phase)));
    }
    marks.push(mark(center_hz, Asked::GainDb(0.0)));
    let title = format!(
        "second-order all-pass, -180 degrees at {center_hz} Hz, -90 and -270 {width_hz} Hz apart"
    );
    Ok((title, marks, section))
}

/// One pole near 1.
fn leaky_integrator(leak: &Leak, rate: SampleRate) -> Result<Closed, DesignError> {
    let (pole, rest, title, marks) = match leak {
        Leak::Cutoff(cutoff_hz) => {
            let s = libm::sin(between(*cutoff_hz, rate)? / 2.0);
            // p² − 2p(2 − cos ω) + 1 = 0, with q = 1 − cos ω
            let q = 2.0 * s * s;
            let rest = libm::sqrt(q * (q + 2.0)) - q;
            let marks = vec![mark(*cutoff_hz, Asked::GainDb(HALF_POWER_DB))];
            (1.0 - rest, rest, format!("leaky integrator, -3 dB at {cutoff_hz} Hz"), marks)
        }
        Leak::TimeConstant(samples) => {
            if !(*samples > 0.0 && samples.is_finite()) {
                let accepted = "a time above 0".to_owned();
                let (key, found) = ("want.time_constant", *samples);
                return Err(DirectError::Range { key, found, accepted }.into());
            }
            let rest = -libm::expm1(-1.0 / samples);
            let title = format!("leaky integrator, time constant {samples} samples");
            (1.0 - rest, rest, title, Vec::new())
        }
    };
    let filter = ZerosPolesGain { zeros: vec![real(0.0)], poles: vec![real(pole)], gain: rest };
    let mut marks = marks;
    marks.push(mark(0.0, Asked::GainDb(0.0)));
    Ok((title, marks, vec!["gain 1 at 0 Hz: y = (1 - p) x + p y".to_owned()], filter))
}

/// Two poles and no zeros but at the origin.
fn two_poles(center_hz: f64, width_hz: f64, rate: SampleRate) -> Result<Closed, DesignError> {
    let (pole, edges_hz, gain) = resonator(center_hz, width_hz, rate)?;
    let zeros = vec![real(0.0); 2];
    let filter = ZerosPolesGain { zeros, poles: vec![pole, pole.conj()], gain };
    let mut marks = vec![mark(center_hz, Asked::GainDb(0.0))];
    marks.extend(edges_hz.map(|hz| mark(hz, Asked::GainDb(HALF_POWER_DB))));
    let title =
        format!("two-pole resonator at {center_hz} Hz, {width_hz} Hz between the -3 dB points");
    Ok((title, marks, vec!["gain 1 at the peak; no zeros but at the origin".to_owned()], filter))
}

/// An all-pass keeps its section as it is: numerator and denominator mirror each other bit by bit.
fn all_pass(kind: &'static str, title: String, marks: Vec<Mark>, section: Section) -> Direct {
    let sections = Sections(vec![section]);
    let filter = ZerosPolesGain::from_sections(&sections);
    let assumptions = vec!["phase 0 at 0 Hz, falling".to_owned()];
    (DirectChoice { kind, title, marks, assumptions }, Some(filter), Form::Sections(sections))
}

/// The pole, the −3 dB points in hertz, and the gain of two poles r·e^{±jθ} that peak at the centre.
///
/// |1 − 2r·cos θ·w + r²w²|² = 4r²(cos ω − C)² + (1 − r²)²·sin²θ with C = cos θ·(1 + r²)/(2r): the peak lies
/// where cos ω = C, half power where cos ω = C ± k, k = sinh a·√(1 − C²/cosh² a) for r = e^{−a}. The distance
/// Δ of these points fixes k = sin(Δ/2)·√(1 − C²/cos²(Δ/2)), and sinh² a =: S solves S² + S(1 − C² − k²) =
/// k².
fn resonator(
    center_hz: f64,
    width_hz: f64,
    rate: SampleRate,
) -> Result<(Complex64, [f64; 2], f64), DesignError> {
    let omega = between(center_hz, rate)?;
    let half = between(width_hz, rate)? / 2.0;
    let c = libm::cos(omega);
    let middle = c / libm::cos(half);
    if middle.abs() >= 1.0 {
        let widest = 2.0 * libm::acos(c.abs()) / std::f64::consts::TAU * rate.hertz();
        let accepted = format!("below {widest} Hz at this centre");
        return Err(DirectError::Range { key: "want.width", found: width_hz, accepted }.into());
    }
    let middle = libm::acos(middle);
    let k = libm::sin(half) * libm::sin(middle);
    let b = libm::sin(omega) * libm::sin(omega) - k * k;
    let root = libm::sqrt(b * b + 4.0 * k * k);
    let s = if b > 0.0 { 2.0 * k * k / (b + root) } else { (root - b) / 2.0 };
    let a = libm::asinh(libm::sqrt(s));
    let radius = libm::exp(-a);
    if radius >= 1.0 {
        let least_hz = rate.hertz() * f64::EPSILON / std::f64::consts::PI;
        return Err(DesignError::TooNarrow { width_hz, least_hz });
    }
    let cosine = c / libm::cosh(a);
    let sine = libm::sqrt((1.0 - cosine) * (1.0 + cosine));
    let gain = -libm::expm1(-2.0 * a) * sine;
    let hertz = |angle: f64| angle / std::f64::consts::TAU * rate.hertz();
    let edges = [hertz(middle - half), hertz(middle + half)];
    Ok((Complex64::new(cosine, sine) * radius, edges, gain))
}

/// A root and its conjugate, exact on the axis and, for zeros of radius 1, on the circle as nearly as f64
/// allows.
fn root(root: &Root, rate: SampleRate, key: &'static str) -> Result<Vec<Complex64>, DesignError> {
    let Root { frequency_hz, radius } = *root;
    let nyquist = rate.nyquist();
    if !(0.0..=nyquist).contains(&frequency_hz) {
        let accepted = format!("a frequency from 0 Hz to {nyquist} Hz");
        return Err(DirectError::Range { key, found: frequency_hz, accepted }.into());
    }
    let is_pole = key == "want.poles";
    if !(radius >= 0.0 && radius.is_finite() && (!is_pole || radius < 1.0)) {
        let accepted =
            if is_pole { "a radius of at least 0 and below 1" } else { "a radius of at least 0" };
        return Err(DirectError::Range { key, found: radius, accepted: accepted.to_owned() }.into());
    }
    if frequency_hz == 0.0 || radius == 0.0 {
        return Ok(vec![real(radius)]);
    }
    if frequency_hz == nyquist {
        return Ok(vec![real(-radius)]);
    }
    let angle = rate.radians(frequency_hz);
    let z = Complex64::new(radius * libm::cos(angle), radius * libm::sin(angle));
    Ok(vec![z, z.conj()])
}

fn placed(
    zeros: &[Root],
    poles: &[Root],
    calibration: Calibration,
    rate: SampleRate,
) -> Result<Direct, DesignError> {
    /// More roots than any order of the other kinds.
    const MOST: usize = 48;
    let collect = |roots: &[Root], key| -> Result<Vec<Complex64>, DesignError> {
        let all: Result<Vec<Vec<Complex64>>, DesignError> =
            roots.iter().map(|z| root(z, rate, key)).collect();
        Ok(all?.concat())
    };
    let mut filter = ZerosPolesGain {
        zeros: collect(zeros, "want.zeros")?,
        poles: collect(poles, "want.poles")?,
        gain: 1.0,
    };
    let order = filter.zeros.len().max(filter.poles.len());
    if order == 0 || order > MOST {
        let accepted = format!("1 to {MOST} zeros and poles, conjugates counted");
        return Err(DirectError::Range { key: "want", found: order as f64, accepted }.into());
    }
    // As many zeros as poles: the filter answers at once.
    filter.zeros.resize(order, real(0.0));
    filter.poles.resize(order, real(0.0));
    let Calibration { level, at_hz } = calibration;
    if !(level > 0.0 && level.is_finite()) {
        let accepted = "a level above 0".to_owned();
        return Err(DirectError::Range { key: "want.gain", found: level, accepted }.into());
    }
    let at = match at_hz {
        Some(hertz) if (0.0..=rate.nyquist()).contains(&hertz) => hertz,
        Some(found) => {
            let accepted = format!("0 Hz to {} Hz, or \"peak\"", rate.nyquist());
            return Err(DirectError::Range { key: "want.gain_at", found, accepted }.into());
        }
        None => crate::response::peak_frequency(&filter, &filter.poles, rate),
    };
    let found = filter.gain(rate.radians(at));
    if found < 1e-14 {
        return Err(DirectError::NoGain { hertz: at }.into());
    }
    filter.gain = level / found;
    let mut marks = vec![mark(at, Asked::GainDb(20.0 * libm::log10(level)))];
    for zero in zeros.iter().filter(|zero| zero.radius == 1.0) {
        marks.push(mark(zero.frequency_hz, Asked::Null));
    }
    let where_to = if at_hz.is_none() { "at the largest gain, " } else { "at " };
    let title = format!(
        "{} zeros and {} poles placed by hand, {:.4} dB {where_to}{at} Hz",
        zeros.len(),
        poles.len(),
        20.0 * libm::log10(level)
    );
    let assumptions = vec![
        "conjugates are implied; zeros or poles at the origin fill up the shorter list".to_owned(),
        "the factor in front is positive".to_owned(),
    ];
    let form = Form::Sections(Sections::from_zeros_poles(&filter));
    Ok((DirectChoice { kind: "placed", title, marks, assumptions }, Some(filter), form))
}

/// A given filter: its title, its roots if it has any but taps, itself.
type Given = (String, Option<ZerosPolesGain>, Form);

fn given(coefficients: &Coefficients) -> Result<Direct, DesignError> {
    let mut assumptions = vec![
        "feedback is subtracted: y[n] = sum of b[k] x[n-k] less sum of a[k] y[n-k]".to_owned(),
    ];
    let (title, filter, form) = match coefficients {
        Coefficients::File(path) => return Err(DirectError::NotRead { path: path.clone() }.into()),
        Coefficients::Taps(taps) => given_taps(taps)?,
        Coefficients::Polynomials { b, a } => given_polynomials(b, a, &mut assumptions)?,
        Coefficients::Sections(rows) => given_sections(rows, &mut assumptions)?,
        Coefficients::ZerosPoles { zeros, poles, gain } => {
            given_roots(zeros, poles, *gain, &mut assumptions)?
        }
    };
    let choice = DirectChoice { kind: "coefficients", title, marks: Vec::new(), assumptions };
    Ok((choice, filter, form))
}

fn shape(what: &str) -> DesignError {
    DirectError::Shape { what: what.to_owned() }.into()
}

fn all_finite(values: &[f64]) -> bool {
    values.iter().all(|value| value.is_finite())
}

fn all_zero(values: &[f64]) -> bool {
    values.iter().all(|value| *value == 0.0)
}

fn given_taps(taps: &[f64]) -> Result<Given, DesignError> {
    if taps.is_empty() || taps.len() > LARGEST_TAPS || !all_finite(taps) {
        return Err(shape(&format!("taps must be 1 to {LARGEST_TAPS} finite numbers")));
    }
    if all_zero(taps) {
        return Err(shape("all taps are 0, so that nothing comes out; one must be another number"));
    }
    let title = format!("{} taps as given", taps.len());
    Ok((title, None, Form::Taps(Taps(taps.to_vec()))))
}

/// Numerator and denominator, split into sections.
fn given_polynomials(
    b: &[f64],
    a: &[f64],
    assumptions: &mut Vec<String>,
) -> Result<Given, DesignError> {
    let finite = all_finite(b) && all_finite(a);
    if b.is_empty() || a.is_empty() || !finite || a[0] == 0.0 {
        return Err(shape("b and a must be finite numbers with a[0] other than 0"));
    }
    if all_zero(b) {
        return Err(shape("all of b are 0, so that nothing comes out; one must be another number"));
    }
    if all_zero(&a[1..]) {
        let taps: Vec<f64> = b.iter().map(|b| b / a[0]).collect();
        return given_taps(&taps);
    }
    if b.len().max(a.len()) > 49 {
        return Err(shape("b and a may have 49 numbers at most; sections have no such limit"));
    }
    let found = from_polynomials(&Polynomials { b: b.to_vec(), a: a.to_vec() });
    let found = found.map_err(|why| {
        // Poles that are not fixed by their coefficients, or that were not found; else it is the
        // zeros.
        let of_poles = matches!(why, ConvertError::LosesPoles { .. });
        let key = if of_poles || polynomial_roots(a).is_err() { "want.a" } else { "want.b" };
        DirectError::Convert { key, why }
    })?;
    assumptions.push(format!(
        "split into sections: the response changed by {:.1e} of its peak, rounding of the given \
         numbers can move poles by {:.1e} of their distance from the circle",
        found.loss.response, found.loss.poles
    ));
    let title = format!("b ({} numbers) and a ({}) as given", b.len(), a.len());
    stable(&found.form, "were the signs of a meant the other way round (feedback = \"added\")?")?;
    let sections = Sections::from_zeros_poles(&found.form);
    Ok((title, Some(found.form), Form::Sections(sections)))
}

fn given_sections(rows: &[[f64; 6]], assumptions: &mut Vec<String>) -> Result<Given, DesignError> {
    if rows.is_empty() || rows.len() > 64 || !all_finite(rows.as_flattened()) {
        return Err(shape("sections must be 1 to 64 rows of 6 finite numbers: b0 b1 b2 a0 a1 a2"));
    }
    if rows.iter().any(|row| row[3] == 0.0) {
        return Err(shape("a0 of a section is 0; each row is b0 b1 b2 a0 a1 a2"));
    }
    if let Some(row) = rows.iter().position(|row| all_zero(&row[..3])) {
        let what = format!("b0, b1 and b2 of section {} are 0, so that nothing comes out", row + 1);
        return Err(shape(&format!("{what}; one must be another number")));
    }
    let section = |&[b0, b1, b2, a0, a1, a2]: &[f64; 6]| Section {
        b: [b0 / a0, b1 / a0, b2 / a0],
        a: [a1 / a0, a2 / a0],
    };
    let sections = Sections(rows.iter().map(section).collect());
    let filter = ZerosPolesGain::from_sections(&sections);
    if !sections.is_stable() {
        let radius = filter.pole_radius();
        let why = "were the signs of a meant the other way round (feedback = \"added\")?";
        return Err(DirectError::Unstable { radius, why }.into());
    }
    assumptions.push("sections stay in the given order with the given gains".to_owned());
    let count = rows.len();
    let title = if count == 1 { "one section".to_owned() } else { format!("{count} sections") };
    Ok((format!("{title} as given"), Some(filter), Form::Sections(sections)))
}

fn given_roots(
    zeros: &[Complex64],
    poles: &[Complex64],
    gain: f64,
    assumptions: &mut Vec<String>,
) -> Result<Given, DesignError> {
    let finite = |z: &Complex64| z.re.is_finite() && z.im.is_finite();
    if !zeros.iter().chain(poles).all(finite) || !gain.is_finite() || gain == 0.0 {
        return Err(shape("zeros, poles and gain must be finite and the gain other than 0"));
    }
    if zeros.len().max(poles.len()) > 128 {
        return Err(shape("zeros and poles may be 128 at most"));
    }
    let (Some(zeros), Some(mut poles)) =
        (crate::filter::paired(zeros.to_vec()), crate::filter::paired(poles.to_vec()))
    else {
        return Err(shape("zeros and poles that are not real must come in conjugate pairs"));
    };
    if zeros.len() > poles.len() {
        assumptions.push(
            "poles at the origin stand for the delay that more zeros than poles need".to_owned(),
        );
        poles.resize(zeros.len(), real(0.0));
    } else if zeros.len() < poles.len() {
        let delay = poles.len() - zeros.len();
        assumptions.push(format!(
            "{delay} zeros fewer than poles: the filter answers {delay} samples late"
        ));
    }
    let filter = ZerosPolesGain { zeros, poles, gain };
    let title = format!("{} zeros and {} poles as given", filter.zeros.len(), filter.poles.len());
    stable(&filter, "poles must lie inside the unit circle")?;
    let sections = Sections::from_zeros_poles(&filter);
    Ok((title, Some(filter), Form::Sections(sections)))
}

fn stable(filter: &ZerosPolesGain, why: &'static str) -> Result<(), DesignError> {
    let radius = filter.poles.iter().map(|pole| modulus(*pole)).fold(0.0, f64::max);
    if radius < 1.0 { Ok(()) } else { Err(DirectError::Unstable { radius, why }.into()) }
}
