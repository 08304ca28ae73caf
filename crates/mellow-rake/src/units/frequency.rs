//! Frequencies, absolute or relative to the sample rate, and the sample rate itself.

use super::quantity::{QuantityError, split};
use std::f64::consts::TAU;
use std::fmt;
use std::str::FromStr;

const FREQUENCY_FORMS: &str = "\"87.5 Hz\", \"2 kHz\", \"1.2 MHz\", \"628 rad/s\", \"0.25 fs\", \"0.5 pi \
    rad/sample\", \"90 deg\" (an angle per sample)";
const RATE_FORMS: &str = "\"64 Hz\", \"1 kHz\", \"1.2 MHz\"";

/// A frequency as it was asked for: absolute, or as a fraction of the sample rate.
///
/// ```
/// use mellow_rake::units::{Frequency, SampleRate};
/// let rate: SampleRate = "1 kHz".parse()?;
/// assert_eq!("87.5 Hz".parse::<Frequency>()?.hertz(rate), 87.5);
/// assert_eq!("0.25 fs".parse::<Frequency>()?.hertz(rate), 250.0);
/// assert_eq!("0.5 pi rad/sample".parse::<Frequency>()?.hertz(rate), 250.0);
/// assert_eq!("90 deg".parse::<Frequency>()?.hertz(rate), 250.0);
/// assert!("87.5".parse::<Frequency>().is_err());
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Frequency {
    /// Hertz.
    Hertz(f64),
    /// A fraction of the sample rate; the Nyquist frequency is 0.5.
    OfSampleRate(f64),
}

impl Frequency {
    /// The frequency in hertz at the given sample rate.
    pub fn hertz(self, rate: SampleRate) -> f64 {
        match self {
            Frequency::Hertz(hertz) => hertz,
            Frequency::OfSampleRate(fraction) => fraction * rate.hertz(),
        }
    }
}

impl FromStr for Frequency {
    type Err = QuantityError;

    fn from_str(text: &str) -> Result<Self, QuantityError> {
        let (number, unit) = split(text, FREQUENCY_FORMS)?;
        Ok(match unit.as_str() {
            "Hz" => Frequency::Hertz(number.value()?),
            "mHz" => Frequency::Hertz(number.times_ten_to(-3)?),
            "kHz" => Frequency::Hertz(number.times_ten_to(3)?),
            "MHz" => Frequency::Hertz(number.times_ten_to(6)?),
            "GHz" => Frequency::Hertz(number.times_ten_to(9)?),
            "rad/s" => Frequency::Hertz(number.value()? / TAU),
            "fs" => Frequency::OfSampleRate(number.value()?),
            "pi rad/sample" => Frequency::OfSampleRate(number.value()? / 2.0),
            "rad/sample" => Frequency::OfSampleRate(number.value()? / TAU),
            "deg" | "deg/sample" => Frequency::OfSampleRate(number.value()? / 360.0),
            _ => {
                return Err(QuantityError::UnknownUnit {
                    found: text.to_owned(),
                    unit,
                    accepted: FREQUENCY_FORMS,
                });
            }
        })
    }
}

/// Samples per second: finite and above zero, from 1 nHz to 1 THz.
///
/// ```
/// use mellow_rake::units::SampleRate;
/// assert_eq!("96 kHz".parse::<SampleRate>()?.hertz(), 96_000.0);
/// assert!("0 Hz".parse::<SampleRate>().is_err());
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd)]
pub struct SampleRate(f64);

impl SampleRate {
    /// 1 Hz, where only the shape of a response counts.
    pub(crate) const ONE: SampleRate = SampleRate(1.0);

    /// A sample rate in hertz, or `None` outside 1 nHz to 1 THz.
    pub fn from_hertz(hertz: f64) -> Option<Self> {
        (1e-9..=1e12).contains(&hertz).then_some(SampleRate(hertz))
    }

    /// The rate in hertz.
    pub fn hertz(self) -> f64 {
        self.0
    }

    /// Half the rate, in hertz.
    pub fn nyquist(self) -> f64 {
        self.0 / 2.0
    }

    /// The angle per sample, in radians, of a frequency in hertz.
    pub fn radians(self, hertz: f64) -> f64 {
        TAU * (hertz / self.0)
    }
}

impl FromStr for SampleRate {
    type Err = QuantityError;

    fn from_str(text: &str) -> Result<Self, QuantityError> {
        let (number, unit) = split(text, RATE_FORMS)?;
        let power = match unit.as_str() {
            "Hz" => 0,
            "kHz" => 3,
            "MHz" => 6,
            "GHz" => 9,
            _ => {
                return Err(QuantityError::UnknownUnit {
                    found: text.to_owned(),
                    unit,
                    accepted: RATE_FORMS,
                });
            }
        };
        SampleRate::from_hertz(number.times_ten_to(power)?).ok_or_else(|| {
            QuantityError::OutOfRange {
                found: text.to_owned(),
                range: "a sample rate lies between 1 nHz and 1 THz",
            }
        })
    }
}

impl fmt::Display for SampleRate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} Hz", self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_form_means_the_same_frequency() {
        let rate = SampleRate::from_hertz(8000.0).unwrap();
        for text in
            ["1000 Hz", "1 kHz", "1e-3 MHz", "0.125 fs", "0.25 pi rad/sample", "45 deg", "1e6 mHz"]
        {
            assert_eq!(text.parse::<Frequency>().unwrap().hertz(rate), 1000.0, "{text}");
        }
        let radians: Frequency = "6283.185307179586 rad/s".parse().unwrap();
        // one division by 2π: within two units in the last place
        assert!((radians.hertz(rate) - 1000.0).abs() <= 1000.0 * 2.0 * f64::EPSILON);
    }

    #[test]
    fn a_bad_text_is_refused_with_the_accepted_forms() {
        for text in ["87.5", "Hz", "", "87.5 hz", "1 k", "nan Hz", "1e999 Hz", "--1 Hz", "1 Hz Hz"]
        {
            let error = text.parse::<Frequency>().unwrap_err().to_string();
            assert!(error.contains("Hz") || error.contains("finite"), "{text}: {error}");
        }
        assert!("-1 kHz".parse::<SampleRate>().is_err());
        assert!("0.5 fs".parse::<SampleRate>().is_err());
    }
}
