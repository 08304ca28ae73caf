//! What each sample that goes in counts for in one that comes out.

use super::Chain;

impl Chain {
    /// The weights with which samples that go in make up one that comes out, from the first sample that
    /// counts on: its number, and the weights of it and of those behind it.
    ///
    /// ```
    /// use mellow_rake::filter::Taps;
    /// use mellow_rake::rates::{Chain, Stage};
    /// use mellow_rake::units::SampleRate;
    /// let stages = vec![Stage::decimator(2, Taps(vec![0.5, 0.25, 0.25]))?];
    /// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), stages)?;
    /// // The fourth that comes out is made at the eighth that goes in.
    /// assert_eq!(chain.weights_of(3), (5, vec![0.25, 0.25, 0.5]));
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    pub fn weights_of(&self, output: u64) -> (u64, Vec<f64>) {
        let (mut first, mut weights) = (output, vec![1.0]);
        for stage in self.stages().iter().rev() {
            let (up, down) = (stage.up() as u64, stage.down() as u64);
            // Of a recursive stage until it has come to rest.
            let taps = stage.form().impulse_response();
            // At the rate in between word m is made at time down·m + down − 1, and sample n stands at up·n.
            let time = |word: u64| down * word + down - 1;
            let oldest = |time: u64| (time + 1).saturating_sub(taps.len() as u64).div_ceil(up);
            let begin = oldest(time(first));
            let end = time(first + weights.len() as u64 - 1) / up;
            let mut before = vec![0.0; (end + 1).saturating_sub(begin) as usize];
            for (word, weight) in (first..).zip(&weights).filter(|(_, weight)| **weight != 0.0) {
                let time = time(word);
                for sample in oldest(time)..=time / up {
                    before[(sample - begin) as usize] +=
                        weight * taps[(time - up * sample) as usize];
                }
            }
            (first, weights) = (begin, before);
        }
        (first, weights)
    }

    /// After so many samples that come out everything begins anew.
    pub(crate) fn output_phases(&self) -> usize {
        self.stages().iter().map(|stage| stage.up()).product()
    }
}
