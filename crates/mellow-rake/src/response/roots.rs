//! Zeros and poles as an engineer reads them: where on the frequency axis, how near to the circle, how slow.

use crate::filter::ZerosPolesGain;
use crate::filter::complex::modulus;
use crate::filter::{Form, RootsError, polynomial_roots};
use crate::units::SampleRate;
use num_complex::Complex64;

/// Zero or pole.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "lowercase"))]
pub enum RootKind {
    /// Where H is zero.
    Zero,
    /// Where H is infinite.
    Pole,
}

/// A zero or pole, or a conjugate pair by its upper one.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct RootMeasures {
    /// Zero or pole.
    pub kind: RootKind,
    /// Real part in the z-plane.
    pub re: f64,
    /// Imaginary part, not below zero.
    pub im: f64,
    /// Whether the conjugate is there as well.
    pub is_pair: bool,
    /// How many lie here, pairs counted once: its multiplicity.
    pub count: usize,
    /// Distance from the origin.
    pub radius: f64,
    /// Its angle as a frequency, in hertz.
    pub frequency_hz: f64,
    /// Its angle in degrees: 0 at 0 Hz, 180 at the Nyquist frequency.
    pub angle_degrees: f64,
    /// After how many samples what it rings with has fallen to 1/e: −1/ln radius; `None` for zeros, for poles
    /// at the origin and for those not inside the circle.
    pub time_constant_samples: Option<f64>,
}

/// Roots that lie no farther apart count as one place.
const SAME: f64 = 1e-9;

/// So many taps at most have their zeros looked for.
pub const MOST_TAPS_WITH_ZEROS: usize = 512;

/// Why the zeros of a filter are not known.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum NoRoots {
    /// There are too many.
    #[error("zeros are looked for up to {MOST_TAPS_WITH_ZEROS} taps; there are {taps}")]
    TooMany {
        /// The taps.
        taps: usize,
    },
    /// They were not found.
    #[error(transparent)]
    Lost(#[from] RootsError),
}

/// All zeros and all poles of a form in the z-plane, each as often as it is there. Taps have their poles at
/// the origin.
///
/// # Errors
/// [`NoRoots`] for the zeros of taps that are too many or cannot be told apart.
pub fn zeros_and_poles(form: &Form) -> Result<[Vec<Complex64>; 2], NoRoots> {
    match form {
        Form::Sections(sections) => {
            let filter = ZerosPolesGain::from_sections(sections);
            Ok([filter.zeros, filter.poles])
        }
        Form::Taps(taps) => {
            let count = taps.0.len();
            if count > MOST_TAPS_WITH_ZEROS {
                return Err(NoRoots::TooMany { taps: count });
            }
            let used = taps.0.iter().rposition(|tap| *tap != 0.0).map_or(0, |last| last + 1);
            let first = taps.0.iter().position(|tap| *tap != 0.0).unwrap_or(used);
            let zeros = polynomial_roots(&taps.0[first..used])?;
            Ok([zeros, vec![Complex64::new(0.0, 0.0); used.saturating_sub(1)]])
        }
    }
}

/// Zeros and poles, by rising frequency, zeros first; conjugate pairs once, and roots at one place once with
/// their number.
///
/// ```
/// use mellow_rake::{design::notch, response::{measure_roots, zeros_and_poles}};
/// let rate = "1 kHz".parse()?;
/// let form = notch(87.5, 5.0, rate)?.sections.into();
/// let roots = measure_roots(zeros_and_poles(&form)?, rate);
/// assert_eq!((roots.len(), roots[0].radius), (2, 1.0));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn measure_roots([zeros, poles]: [Vec<Complex64>; 2], rate: SampleRate) -> Vec<RootMeasures> {
    let measures = |kind: RootKind, roots: Vec<Complex64>| {
        // What im is next to the axis is rounding; a pair shares its upper root.
        let upper = |z: &Complex64| z.im >= 0.0;
        let mut all: Vec<RootMeasures> =
            roots.into_iter().filter(upper).map(|z| measure(kind, z, rate)).collect();
        all.sort_by(|a, b| {
            a.frequency_hz.total_cmp(&b.frequency_hz).then(a.radius.total_cmp(&b.radius))
        });
        all.dedup_by(|next, first| {
            let apart = (next.re - first.re).abs().max((next.im - first.im).abs());
            let is_same = next.is_pair == first.is_pair && apart <= SAME * first.radius.max(1.0);
            first.count += if is_same { next.count } else { 0 };
            is_same
        });
        all
    };
    let mut all = measures(RootKind::Zero, zeros);
    all.extend(measures(RootKind::Pole, poles));
    all
}

fn measure(kind: RootKind, z: Complex64, rate: SampleRate) -> RootMeasures {
    let radius = modulus(z);
    let angle = if radius == 0.0 { 0.0 } else { libm::atan2(z.im, z.re) };
    // Cosines and sines of right angles are not quite zero in f64.
    let tidy = |part: f64| if part.abs() <= 4.0 * f64::EPSILON * radius { 0.0 } else { part };
    let rings = kind == RootKind::Pole && radius > 0.0 && radius < 1.0;
    RootMeasures {
        kind,
        re: tidy(z.re),
        im: tidy(z.im),
        is_pair: z.im > 0.0,
        count: 1,
        radius,
        frequency_hz: angle / (2.0 * std::f64::consts::PI) * rate.hertz(),
        angle_degrees: angle.to_degrees(),
        time_constant_samples: rings.then(|| -1.0 / libm::log(radius)),
    }
}
