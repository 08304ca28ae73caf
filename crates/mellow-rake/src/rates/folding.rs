//! Which frequency comes out where, and how strong.

use super::Chain;
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
pub(super) struct Choice(pub(super) usize);

impl Choice {
    pub(super) fn of(&mut self, count: usize) -> usize {
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
        one.response(rate.radians(within)) * image * alias
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

    /// The way back from a frequency that comes out, by the aliases of a number: what it is behind, within
    /// and before each stage, the last stage first. Gives the frequency that goes in, and whether it has been
    /// no image and no alias.
    pub(super) fn way_back(
        &self,
        output_hertz: f64,
        number: usize,
        visit: &mut dyn FnMut(usize, [f64; 3]),
    ) -> (f64, bool) {
        let (mut hertz, mut is_direct, mut choice) = (output_hertz, true, Choice(number));
        for stage in (0..self.stages().len()).rev() {
            let after = self.rate_before(stage + 1).hertz();
            let chosen = choice.of(self.stages()[stage].down());
            let within = wrapped(hertz + chosen as f64 * after, self.rate_within(stage).hertz());
            let before = wrapped(within, self.rate_before(stage).hertz());
            visit(stage, [before, within, hertz]);
            is_direct &= chosen == 0 && before == within;
            hertz = before;
        }
        (hertz, is_direct)
    }

    pub(super) fn arriving(&self, output_hertz: f64, number: usize) -> Path {
        let output_hertz = wrapped(output_hertz, self.output_rate().hertz());
        let mut response = Complex64::new(1.0, 0.0);
        let (input_hertz, is_direct) = self.way_back(output_hertz, number, &mut |stage, way| {
            response *= self.passage(stage, way);
        });
        Path { input_hertz, output_hertz, response, is_direct }
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

    /// The way on of a frequency that goes in, by the images of a number; as [`way_back`](Self::way_back),
    /// but the first stage first. Gives the frequency that comes out.
    pub(super) fn way_on(
        &self,
        input_hertz: f64,
        number: usize,
        visit: &mut dyn FnMut(usize, [f64; 3]),
    ) -> (f64, bool) {
        let (mut hertz, mut is_direct, mut choice) = (input_hertz, true, Choice(number));
        for stage in 0..self.stages().len() {
            let chosen = choice.of(self.stages()[stage].up());
            let image = hertz + chosen as f64 * self.rate_before(stage).hertz();
            let within = wrapped(image, self.rate_within(stage).hertz());
            let after = wrapped(within, self.rate_before(stage + 1).hertz());
            visit(stage, [hertz, within, after]);
            is_direct &= chosen == 0 && after == within;
            hertz = after;
        }
        (hertz, is_direct)
    }

    pub(super) fn leaving(&self, input_hertz: f64, number: usize) -> Path {
        let input_hertz = wrapped(input_hertz, self.input_rate().hertz());
        let mut response = Complex64::new(1.0, 0.0);
        let (output_hertz, is_direct) = self.way_on(input_hertz, number, &mut |stage, way| {
            response *= self.passage(stage, way);
        });
        Path { input_hertz, output_hertz, response, is_direct }
    }
}
