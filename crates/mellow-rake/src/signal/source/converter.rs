//! An analogue-to-digital converter: so many bits over so much, its own noise, and its two ends.

use crate::random::NoiseSource;

/// A converter.
///
/// ```
/// use mellow_rake::signal::Converter;
/// let converter = Converter { bits: 12, range: 2.0, noise: 0.0, seed: 1 };
/// let mut running = converter.start();
/// assert_eq!(running.convert(&[-2.0, 0.0, 0.001, 1.9996, 5.0]), [-2048, 0, 1, 2047, 2047]);
/// // 1.9996 would round to 2048 as well.
/// assert_eq!(running.clipped(), 2);
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Converter {
    /// 2 to 32.
    pub bits: u32,
    /// From minus this to this, less one step, above 0.
    pub range: f64,
    /// The root of the mean square of its noise, which is added before it rounds, in the unit of the range.
    pub noise: f64,
    /// Where the noise begins.
    pub seed: u64,
}

/// A converter at work.
#[derive(Debug, Clone)]
pub struct RunningConverter {
    converter: Converter,
    noise: NoiseSource,
    clipped: u64,
}

impl Converter {
    /// What a step of it is worth.
    pub fn step(&self) -> f64 {
        self.range / libm::scalbn(1.0, self.bits as i32 - 1)
    }

    /// Before the first sample.
    pub fn start(&self) -> RunningConverter {
        RunningConverter { converter: *self, noise: NoiseSource::new(self.seed), clipped: 0 }
    }
}

impl RunningConverter {
    /// The next samples as counts: the nearest, ties to the even one, and the ends for what lies beyond.
    pub fn convert(&mut self, samples: &[f64]) -> Vec<i64> {
        let Converter { bits, noise, .. } = self.converter;
        let step = self.converter.step();
        let half = libm::scalbn(1.0, bits as i32 - 1);
        let mut count = |x: &f64| {
            let added = if noise > 0.0 { noise * self.noise.normal() } else { 0.0 };
            let count = libm::rint((x + added) / step);
            self.clipped += u64::from(count < -half || count > half - 1.0);
            count.clamp(-half, half - 1.0) as i64
        };
        samples.iter().map(&mut count).collect()
    }

    /// How many samples so far lay beyond the ends.
    pub fn clipped(&self) -> u64 {
        self.clipped
    }
}
