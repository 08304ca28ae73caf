//! Which frequency comes out where, and how strong.

use super::Chain;
use crate::filter::{Transfer, complex};
use crate::response::extreme;
use crate::units::level::decibels;
use num_complex::Complex64;

/// One way of a frequency through a chain.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Path {
    /// What goes in, of minus half to half of the input's rate.
    pub input_hertz: f64,
    /// What comes out, of minus half to half of the output's rate.
    pub output_hertz: f64,
    /// What it is multiplied by: e^{j2πft} with the one frequency becomes so many times e^{j2πft} with the
    /// other, t the times of the samples.
    pub response: Complex64,
    /// Whether it comes out where it went in, having been no image and no alias on the way.
    pub is_direct: bool,
}

/// A band that falls onto another.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct FoldedBand {
    /// The lowest and highest frequency that goes in.
    pub input_hertz: [f64; 2],
    /// The lowest and highest frequency that comes out.
    pub output_hertz: [f64; 2],
    /// The highest level at which any of it comes out, in decibels of what went in.
    pub worst_db: f64,
    /// The frequency that goes in where it does.
    pub worst_input_hertz: f64,
    /// The frequency that comes out there.
    pub worst_output_hertz: f64,
}

/// A frequency and what samples of a rate cannot tell from it, of minus half to half the rate.
fn wrapped(hertz: f64, rate: f64) -> f64 {
    let inside = hertz - rate * libm::round(hertz / rate);
    // A half is told from minus a half by nothing but its sign.
    if inside == -rate / 2.0 { rate / 2.0 } else { inside }
}

fn turn(cycles: f64) -> Complex64 {
    // Whole turns change nothing, and cost digits.
    let angle = std::f64::consts::TAU * (cycles - libm::round(cycles));
    Complex64::new(libm::cos(angle), libm::sin(angle))
}

/// Which of the frequencies that fall together a path takes, stage by stage.
struct Choice(usize);

impl Choice {
    fn of(&mut self, count: usize) -> usize {
        let chosen = self.0 % count;
        self.0 /= count;
        chosen
    }
}

impl Chain {
    /// What a stage with this number does on the way from one frequency to another by way of a third, at
    /// which it filters.
    fn passage(&self, stage: usize, [before, within, after]: [f64; 3]) -> Complex64 {
        let one = &self.stages()[stage];
        let rate = self.rate_within(stage);
        // An expander has images: Σ x[n]·δ[m − Ln] is the mean of L complex oscillations (P. P. Vaidyanathan,
        // Multirate Systems and Filter Banks, 1993, section 4.1.1). They and the aliases have the phase of
        // what they come from at the times of the samples.
        let image = turn((before - within) * self.begins(stage)) / one.up() as f64;
        let alias = turn((within - after) * self.begins(stage + 1));
        one.taps().response(rate.radians(within)) * image * alias
    }

    /// All that comes out at a frequency: for each alias on the way one path, the direct one first if there
    /// is one.
    ///
    /// ```
    /// use mellow_rake::filter::Taps;
    /// use mellow_rake::rates::{Chain, Stage};
    /// use mellow_rake::units::SampleRate;
    /// let mean = Stage::decimator(4, Taps(vec![0.25; 4]))?;
    /// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), vec![mean])?;
    /// let from: Vec<f64> = chain.arriving_at(10.0).iter().map(|path| path.input_hertz).collect();
    /// assert_eq!(from, [10.0, 260.0, -490.0, -240.0]);
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    pub fn arriving_at(&self, output_hertz: f64) -> Vec<Path> {
        let count: usize = self.stages().iter().map(|stage| stage.down()).product();
        (0..count).map(|number| self.arriving(output_hertz, number)).collect()
    }

    fn arriving(&self, output_hertz: f64, number: usize) -> Path {
        let output_hertz = wrapped(output_hertz, self.output_rate().hertz());
        let (mut hertz, mut response, mut is_direct) =
            (output_hertz, Complex64::new(1.0, 0.0), true);
        let mut choice = Choice(number);
        for stage in (0..self.stages().len()).rev() {
            let after = self.rate_before(stage + 1).hertz();
            let chosen = choice.of(self.stages()[stage].down());
            let within = wrapped(hertz + chosen as f64 * after, self.rate_within(stage).hertz());
            let before = wrapped(within, self.rate_before(stage).hertz());
            response *= self.passage(stage, [before, within, hertz]);
            is_direct &= chosen == 0 && before == within;
            hertz = before;
        }
        Path { input_hertz: hertz, output_hertz, response, is_direct }
    }

    /// All that a frequency becomes: for each image on the way one path.
    ///
    /// ```
    /// use mellow_rake::filter::Taps;
    /// use mellow_rake::rates::{Chain, Stage};
    /// use mellow_rake::units::SampleRate;
    /// let hold = Stage::interpolator(2, Taps(vec![1.0, 1.0]))?;
    /// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), vec![hold])?;
    /// let paths = chain.leaving_from(100.0);
    /// assert_eq!([paths[0].output_hertz, paths[1].output_hertz], [100.0, -900.0]);
    /// assert!(paths[1].response.norm() < paths[0].response.norm());
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    pub fn leaving_from(&self, input_hertz: f64) -> Vec<Path> {
        let count: usize = self.stages().iter().map(|stage| stage.up()).product();
        (0..count).map(|number| self.leaving(input_hertz, number)).collect()
    }

    fn leaving(&self, input_hertz: f64, number: usize) -> Path {
        let input_hertz = wrapped(input_hertz, self.input_rate().hertz());
        let (mut hertz, mut response, mut is_direct) =
            (input_hertz, Complex64::new(1.0, 0.0), true);
        let mut choice = Choice(number);
        for stage in 0..self.stages().len() {
            let chosen = choice.of(self.stages()[stage].up());
            let image = hertz + chosen as f64 * self.rate_before(stage).hertz();
            let within = wrapped(image, self.rate_within(stage).hertz());
            let after = wrapped(within, self.rate_before(stage + 1).hertz());
            response *= self.passage(stage, [hertz, within, after]);
            is_direct &= chosen == 0 && after == within;
            hertz = after;
        }
        Path { input_hertz, output_hertz: hertz, response, is_direct }
    }

    /// What falls onto a band of the output, the band of each alias by itself and the strongest first:
    /// frequencies of real signals, none of them below zero.
    ///
    /// `band` is of 0 to half of the output's rate, the lower end first. Levels are looked for on a grid of
    /// six points for each ripple that so many taps can make, at least 2,000, and refined.
    pub fn folded(&self, band: [f64; 2]) -> Vec<FoldedBand> {
        let count: usize = self.stages().iter().map(|stage| stage.down()).product();
        self.bands(
            band,
            count,
            &|hertz, number| self.arriving(hertz, number),
            self.output_rate().hertz(),
        )
    }

    /// Where a band of the input comes out beside itself, the band of each image by itself and the strongest
    /// first: frequencies of real signals, none of them below zero.
    ///
    /// `band` is of 0 to half of the input's rate, the lower end first. Levels are looked for as by
    /// [`folded`](Self::folded).
    pub fn imaged(&self, band: [f64; 2]) -> Vec<FoldedBand> {
        let count: usize = self.stages().iter().map(|stage| stage.up()).product();
        self.bands(
            band,
            count,
            &|hertz, number| self.leaving(hertz, number),
            self.input_rate().hertz(),
        )
    }

    fn bands(
        &self,
        [low, high]: [f64; 2],
        count: usize,
        path: &dyn Fn(f64, usize) -> Path,
        rate: f64,
    ) -> Vec<FoldedBand> {
        // Over how many samples of that rate the responses of all stages are spread.
        let spread = |stage: usize| {
            self.stages()[stage].taps().0.len() as f64 / self.rate_within(stage).hertz()
        };
        let seconds: f64 = (0..self.stages().len()).map(spread).sum();
        let extent = libm::ceil(seconds * rate) as usize;
        let level = |hertz: f64, number: usize| complex::modulus(path(hertz, number).response);
        let middle = f64::midpoint(low, high);
        let mut all: Vec<FoldedBand> = (0..count)
            .filter(|number| !path(middle, *number).is_direct)
            .map(|number| {
                let worst = extreme(low, high, rate / 2.0, extent, &|hertz| -level(hertz, number));
                let at = |hertz: f64| path(hertz, number);
                let ends = |one: &dyn Fn(&Path) -> f64| {
                    let all = [low, middle, high].map(|hertz| one(&at(hertz)).abs());
                    let least = all.iter().copied().fold(f64::INFINITY, f64::min);
                    [least, all.iter().copied().fold(0.0, f64::max)]
                };
                let found = at(worst);
                FoldedBand {
                    input_hertz: ends(&|path| path.input_hertz),
                    output_hertz: ends(&|path| path.output_hertz),
                    worst_db: decibels(complex::modulus(found.response)),
                    worst_input_hertz: found.input_hertz.abs(),
                    worst_output_hertz: found.output_hertz.abs(),
                }
            })
            .collect();
        all.sort_by(|a, b| b.worst_db.total_cmp(&a.worst_db));
        all
    }
}
