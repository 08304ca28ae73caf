//! The form in which a filter runs.

use super::{
    Landmark, LinearSystem, PhaseResponse, RunningSections, RunningTaps, Section, Sections, Taps,
    Transfer,
};
use num_complex::Complex64;

/// What both forms do, through the one that is there.
macro_rules! either {
    ($form:expr, $one:ident => $what:expr) => {
        match $form {
            Form::Sections($one) => $what,
            Form::Taps($one) => $what,
        }
    };
}

/// A filter as it runs: second-order sections one after the other, or taps.
#[derive(Debug, Clone, PartialEq)]
pub enum Form {
    /// A recursive filter.
    Sections(Sections),
    /// A finite impulse response.
    Taps(Taps),
}

/// A filter at work in f64: the floating-point reference.
#[derive(Debug, Clone)]
pub enum Running {
    /// Sections at work.
    Sections(RunningSections),
    /// Taps at work.
    Taps(RunningTaps),
}

impl From<Sections> for Form {
    fn from(sections: Sections) -> Self {
        Form::Sections(sections)
    }
}

impl From<Taps> for Form {
    fn from(taps: Taps) -> Self {
        Form::Taps(taps)
    }
}

impl Form {
    /// Products, additions and words of state per sample in f64: direct form I for sections, direct form for
    /// taps. A coefficient of a section that is zero costs nothing: a section of the first order takes three
    /// products.
    pub fn cost(&self) -> [usize; 3] {
        match self {
            Form::Sections(sections) => {
                let cost = |Section { b, a }: &Section| {
                    let products = b.iter().chain(a).filter(|value| **value != 0.0).count();
                    // As far back as either side reaches.
                    let reach = |values: &[f64]| {
                        values.iter().rposition(|value| *value != 0.0).map_or(0, |last| last + 1)
                    };
                    [products, products.saturating_sub(1), reach(&b[1..]) + reach(a)]
                };
                sections
                    .0
                    .iter()
                    .map(cost)
                    .fold([0; 3], |sum, own| [sum[0] + own[0], sum[1] + own[1], sum[2] + own[2]])
            }
            Form::Taps(taps) => [taps.0.len(), taps.0.len() - 1, taps.0.len() - 1],
        }
    }

    /// A filter in the zero state.
    pub fn start(&self) -> Running {
        match self {
            Form::Sections(sections) => Running::Sections(sections.start()),
            Form::Taps(taps) => Running::Taps(taps.start()),
        }
    }

    /// The largest pole radius; `None` for taps and for poles at the origin.
    pub fn pole_radius(&self) -> Option<f64> {
        let sections = self.sections()?;
        let radius = sections.0.iter().map(Section::pole_radius).fold(0.0, f64::max);
        (radius > 0.0).then_some(radius)
    }

    /// How many samples of a response are looked at: all taps; or until the slowest pole has fallen by 180
    /// dB, from 64 to a million.
    pub(crate) fn length(&self) -> usize {
        match (self, self.pole_radius()) {
            (Form::Taps(taps), _) => taps.0.len(),
            (_, Some(radius)) => (-20.7 / libm::log(radius)).clamp(64.0, 1e6) as usize,
            (Form::Sections(sections), None) => 4 * sections.0.len() + 64,
        }
    }

    /// The impulse response in f64, to its end or until it has fallen by 180 dB (at most a million samples).
    ///
    /// ```
    /// use mellow_rake::filter::{Form, Taps};
    /// assert_eq!(Form::from(Taps(vec![0.5, 0.25])).impulse_response(), [0.5, 0.25]);
    /// ```
    pub fn impulse_response(&self) -> Vec<f64> {
        let mut running = self.start();
        (0..self.length()).map(|n| running.step(if n == 0 { 1.0 } else { 0.0 })).collect()
    }

    /// The response to a step from 0 to 1, as long as the impulse response.
    pub fn step_response(&self) -> Vec<f64> {
        let mut running = self.start();
        (0..self.length()).map(|_| running.step(1.0)).collect()
    }

    /// Filters a signal in its place, from the zero state: causal, as a device does it.
    ///
    /// ```
    /// use mellow_rake::filter::{Form, Taps};
    /// let mut signal = [2.0, 4.0, 6.0];
    /// Form::from(Taps(vec![0.5, 0.5])).apply(&mut signal);
    /// assert_eq!(signal, [1.0, 3.0, 5.0]);
    /// ```
    pub fn apply(&self, signal: &mut [f64]) {
        let filtered = self.start().run(signal);
        signal.copy_from_slice(&filtered);
    }

    /// Filters samples as they come, from the zero state.
    ///
    /// ```
    /// use mellow_rake::filter::{Form, Taps};
    /// let mean = Form::from(Taps(vec![0.5, 0.5]));
    /// assert!(mean.stream([2.0, 4.0, 6.0]).map(|y| 2.0 * y).eq([2.0, 6.0, 10.0]));
    /// ```
    pub fn stream<S: IntoIterator<Item = f64>>(&self, samples: S) -> Stream<S::IntoIter> {
        Stream { running: self.start(), samples: samples.into_iter() }
    }

    /// The sections of a recursive filter.
    pub fn sections(&self) -> Option<&Sections> {
        match self {
            Form::Sections(sections) => Some(sections),
            Form::Taps(_) => None,
        }
    }

    /// The taps of a finite impulse response.
    pub fn taps(&self) -> Option<&Taps> {
        match self {
            Form::Taps(taps) => Some(taps),
            Form::Sections(_) => None,
        }
    }
}

/// Samples behind a filter, one for each that comes: see [`Form::stream`].
#[derive(Debug, Clone)]
pub struct Stream<S> {
    running: Running,
    samples: S,
}

impl<S: Iterator<Item = f64>> Iterator for Stream<S> {
    type Item = f64;

    fn next(&mut self) -> Option<f64> {
        self.samples.next().map(|sample| self.running.step(sample))
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.samples.size_hint()
    }
}

impl<S: ExactSizeIterator<Item = f64>> ExactSizeIterator for Stream<S> {}

impl<S: std::iter::FusedIterator<Item = f64>> std::iter::FusedIterator for Stream<S> {}

impl Running {
    /// One sample.
    pub fn step(&mut self, input: f64) -> f64 {
        match self {
            Running::Sections(running) => running.step(input),
            Running::Taps(running) => running.step(input),
        }
    }

    /// A whole signal, or the next block of one: the same numbers as sample by sample, in less time.
    ///
    /// ```
    /// use mellow_rake::filter::{Form, Taps};
    /// let mut mean = Form::from(Taps(vec![0.5, 0.5])).start();
    /// assert_eq!([mean.run(&[2.0, 4.0]), mean.run(&[6.0])].concat(), [1.0, 3.0, 5.0]);
    /// ```
    pub fn run(&mut self, input: &[f64]) -> Vec<f64> {
        match self {
            Running::Sections(running) => running.run(input),
            Running::Taps(running) => running.run(input),
        }
    }
}

impl Transfer for Form {
    fn response(&self, omega: f64) -> Complex64 {
        either!(self, form => form.response(omega))
    }

    fn extent(&self) -> usize {
        either!(self, form => form.extent())
    }
}

impl PhaseResponse for Form {
    fn group_delay(&self, omega: f64) -> f64 {
        either!(self, form => form.group_delay(omega))
    }

    fn phase(&self, omegas: &[f64]) -> Vec<f64> {
        either!(self, form => form.phase(omegas))
    }

    fn landmarks(&self) -> Vec<Landmark> {
        either!(self, form => form.landmarks())
    }
}

impl LinearSystem for Form {
    fn states(&self) -> usize {
        either!(self, form => form.states())
    }
    fn observed(&self) -> usize {
        either!(self, form => form.observed())
    }
    fn step(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        either!(self, form => LinearSystem::step(form, state, drive, seen));
    }
    fn step_absolute(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        either!(self, form => form.step_absolute(state, drive, seen));
    }
    fn operations(&self) -> usize {
        either!(self, form => form.operations())
    }
    fn finite(&self) -> Option<usize> {
        either!(self, form => form.finite())
    }
}
