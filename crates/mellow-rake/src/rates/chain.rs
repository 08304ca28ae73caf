//! Stages one behind the other, from a sample rate on.

use super::{Carrier, RateError, Stage};
use crate::units::SampleRate;
use num_complex::Complex64;

/// Stages one behind the other, the first of them fed at a known rate.
#[derive(Debug, Clone, PartialEq)]
pub struct Chain {
    pub(super) stages: Vec<Stage>,
    /// The rate that the first stage takes, and that which each gives.
    pub(super) rates: Vec<SampleRate>,
    /// The rate at which each stage filters.
    pub(super) between: Vec<SampleRate>,
    pub(super) channels: usize,
    /// Whether its stages see complex samples.
    pub(super) is_complex: bool,
    pub(super) carrier: Option<Carrier>,
}

impl Chain {
    /// The largest factor up, and down, of all stages together.
    pub const LARGEST_FACTOR: usize = 1 << 16;

    /// A chain of stages, the first of which takes `rate`.
    ///
    /// # Errors
    /// [`RateError`] for no stage, a rate that leaves the range of [`SampleRate`], or factors whose product
    /// is beyond [`LARGEST_FACTOR`](Self::LARGEST_FACTOR).
    pub fn new(rate: SampleRate, stages: Vec<Stage>) -> Result<Self, RateError> {
        if stages.is_empty() {
            return Err(RateError::NoStages);
        }
        let (mut rates, mut between) = (vec![rate], Vec::new());
        let mut all = [1usize; 2];
        // As fractions of the input's rate, so that a chain up and down again has it exactly.
        let (mut above, mut below) = (1u128, 1u128);
        for (index, stage) in stages.iter().enumerate() {
            let number = index + 1;
            for (product, way, factor) in [(0, "up", stage.up()), (1, "down", stage.down())] {
                all[product] *= factor;
                if all[product] > Chain::LARGEST_FACTOR {
                    return Err(RateError::Chain { stage: number, way, found: all[product] });
                }
            }
            let mut at = |up: usize, down: usize| {
                (above, below) = (above * up as u128, below * down as u128);
                let hertz = rate.hertz() * above as f64 / below as f64;
                SampleRate::from_hertz(hertz).ok_or(RateError::Rate { stage: number, hertz })
            };
            between.push(at(stage.up(), 1)?);
            rates.push(at(1, stage.down())?);
        }
        Ok(Chain { stages, rates, between, channels: 1, is_complex: false, carrier: None })
    }

    /// Its stages.
    pub fn stages(&self) -> &[Stage] {
        &self.stages
    }

    /// The rate of what goes in.
    pub fn input_rate(&self) -> SampleRate {
        self.rates[0]
    }

    /// The rate of what comes out.
    pub fn output_rate(&self) -> SampleRate {
        self.rates[self.stages.len()]
    }

    /// The rate that a stage takes; the first has number 0. With the number of stages, what the last gives.
    ///
    /// # Panics
    /// Where there is no such stage.
    pub fn rate_before(&self, stage: usize) -> SampleRate {
        self.rates[stage]
    }

    /// The rate at which a stage filters; the first has number 0.
    ///
    /// # Panics
    /// Where there is no such stage.
    pub fn rate_within(&self, stage: usize) -> SampleRate {
        self.between[stage]
    }

    /// The time of the first sample that comes out, in seconds after that of the first one that goes in.
    pub fn first_output_seconds(&self) -> f64 {
        self.begins(self.stages.len())
    }

    /// The time of the first sample behind so many stages, in seconds.
    pub(super) fn begins(&self, stages: usize) -> f64 {
        let kept = |stage: usize| (self.stages[stage].down() - 1) as f64;
        (0..stages).map(|stage| kept(stage) / self.between[stage].hertz()).sum()
    }

    /// How many samples come out of so many: each stage gives `up` for every `down`, and nothing for what is
    /// left.
    ///
    /// ```
    /// use mellow_rake::filter::Taps;
    /// use mellow_rake::rates::{Chain, Stage};
    /// use mellow_rake::units::SampleRate;
    /// let stage = Stage::new(2, 3, Taps(vec![1.0, 2.0, 1.0]))?;
    /// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), vec![stage])?;
    /// assert_eq!(chain.outputs_of(100), 66);
    /// assert_eq!(chain.start().run(&[1.0; 100]).len(), 66);
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    pub fn outputs_of(&self, samples: u64) -> u64 {
        let through =
            |words: u128, stage: &Stage| words * stage.up() as u128 / stage.down() as u128;
        let words = self.stages.iter().fold(u128::from(samples), through);
        u64::try_from(words).unwrap_or(u64::MAX)
    }

    /// How many of the first samples that come out still hold some of the zeros before the first one that
    /// goes in; of a recursive stage, until it has come to rest.
    pub fn start_up_outputs(&self) -> u64 {
        let reach =
            |(stage, rate): (&Stage, &SampleRate)| (stage.length() - 1) as f64 / rate.hertz();
        let seconds: f64 = self.stages.iter().zip(&self.between).map(reach).sum();
        let samples = (seconds - self.first_output_seconds()) * self.output_rate().hertz();
        // Of whole numbers of samples the last digits of the sum do not make one more.
        libm::ceil(samples - 1e-6).max(0.0) as u64
    }

    /// The delay of all stages in seconds, the same at every frequency; `None` where taps are not of linear
    /// phase, or a stage is recursive.
    ///
    /// ```
    /// use mellow_rake::filter::Taps;
    /// use mellow_rake::rates::{Chain, Stage};
    /// use mellow_rake::units::SampleRate;
    /// let mean = Stage::decimator(4, Taps(vec![0.25; 4]))?;
    /// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), vec![mean])?;
    /// assert_eq!(chain.delay_seconds(), Some(0.0015));
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    pub fn delay_seconds(&self) -> Option<f64> {
        let delay = |(stage, rate): (&Stage, &SampleRate)| Some(stage.delay()? / rate.hertz());
        self.stages.iter().zip(&self.between).map(delay).sum()
    }

    /// The same delay in samples that come out, from the first of them on; `None` as of
    /// [`delay_seconds`](Self::delay_seconds).
    pub fn delay_outputs(&self) -> Option<f64> {
        let behind = |seconds: f64| (seconds - self.first_output_seconds()).max(0.0);
        self.delay_seconds().map(|seconds| behind(seconds) * self.output_rate().hertz())
    }

    /// What a frequency is multiplied by that is below half of every rate on the way, and so comes out where
    /// it went in. Phases are those at the times of the samples.
    pub fn direct_response(&self, hertz: f64) -> Complex64 {
        let stages = self.stages.iter().zip(&self.between);
        stages
            .map(|(stage, rate)| stage.response(rate.radians(hertz)) / stage.up() as f64)
            .product()
    }

    /// Products in a second, taps that are zero left out.
    pub fn multiplies_per_second(&self) -> f64 {
        self.per_second(Stage::multiplies_per_output)
    }

    /// Additions in a second.
    pub fn adds_per_second(&self) -> f64 {
        self.per_second(Stage::adds_per_output)
    }

    fn per_second(&self, per_output: impl Fn(&Stage) -> f64) -> f64 {
        let outputs = self.rates[1..].iter().map(|rate| rate.hertz());
        self.stages.iter().zip(outputs).map(|(stage, rate)| per_output(stage) * rate).sum()
    }
}
