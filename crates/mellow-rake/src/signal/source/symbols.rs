//! Symbols of keyed carriers.

use crate::random::NoiseSource;
use num_complex::Complex64;

/// How bits stand on a carrier: the points that a symbol can be, with a mean square of 1 (J. G. Proakis,
/// "Digital Communications", 4th ed. 2001, section 4.3).
///
/// ```
/// use mellow_rake::signal::Keying;
/// for keying in Keying::ALL {
///     let points = keying.points();
///     let power: f64 = points.iter().map(|p| p.norm_sqr()).sum::<f64>() / points.len() as f64;
///     assert!((power - 1.0).abs() < 1e-15, "{}", keying.as_str());
/// }
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keying {
    /// On or off.
    OnOff,
    /// Two phases.
    Bpsk,
    /// Four phases.
    Qpsk,
    /// Sixteen points on a square.
    Qam16,
}

impl Keying {
    /// All of them.
    pub const ALL: [Keying; 4] = [Keying::OnOff, Keying::Bpsk, Keying::Qpsk, Keying::Qam16];

    /// Its word.
    pub fn as_str(self) -> &'static str {
        match self {
            Keying::OnOff => "on-off",
            Keying::Bpsk => "bpsk",
            Keying::Qpsk => "qpsk",
            Keying::Qam16 => "16qam",
        }
    }

    /// The points that a symbol can be.
    pub fn points(self) -> Vec<Complex64> {
        let root = libm::sqrt(0.5);
        match self {
            Keying::OnOff => {
                vec![Complex64::new(0.0, 0.0), Complex64::new(libm::sqrt(2.0), 0.0)]
            }
            Keying::Bpsk => vec![Complex64::new(1.0, 0.0), Complex64::new(-1.0, 0.0)],
            Keying::Qpsk => {
                let corner = |k: u32| {
                    let sign = |bit: u32| if k & bit == 0 { root } else { -root };
                    Complex64::new(sign(1), sign(2))
                };
                (0..4).map(corner).collect()
            }
            Keying::Qam16 => {
                let level = |k: u32| (2.0 * f64::from(k) - 3.0) / libm::sqrt(10.0);
                (0..16).map(|k| Complex64::new(level(k & 3), level(k >> 2))).collect()
            }
        }
    }

    /// So many symbols at random.
    pub(crate) fn symbols(self, count: usize, seed: u64) -> Vec<Complex64> {
        let (points, mut noise) = (self.points(), NoiseSource::new(seed));
        let last = points.len() as i64 - 1;
        (0..count).map(|_| points[noise.integer(0, last) as usize]).collect()
    }
}
