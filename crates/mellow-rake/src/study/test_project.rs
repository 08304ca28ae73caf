//! A test of generated code where it is to run.

use super::{Study, StudyError};
use crate::filter::Form;
use crate::units::Level;
use crate::units::level::decibels;
use crate::verify::Proof;
use crate::write::{TestProject, TestSignal, TestWords};

/// What a test is made with.
#[derive(Debug, Clone, Copy)]
#[non_exhaustive]
pub struct TestWish<'a> {
    /// A recording, as values, beside the signals that are made up.
    pub recording: Option<&'a [f64]>,
    /// What must come out for it, as values; what the filter in floating point gives, if it is not given.
    pub reference: Option<&'a [f64]>,
    /// Samples of each signal at most.
    pub samples: usize,
}

impl Default for TestWish<'_> {
    /// No recording, 1,000 samples.
    fn default() -> Self {
        TestWish { recording: None, reference: None, samples: 1_000 }
    }
}

impl<'a> TestWish<'a> {
    /// With a recording, and what must come out for it.
    pub fn of_recording(self, recording: &'a [f64], reference: Option<&'a [f64]>) -> Self {
        TestWish { recording: Some(recording), reference, ..self }
    }

    /// With so many samples of each signal at most.
    pub fn within(self, samples: usize) -> Self {
        TestWish { samples, ..self }
    }
}

/// The signals that are worth their place in a memory.
const KEPT: [&str; 5] =
    ["recording", "white noise, half scale", "impulse", "step", "worst-case signs"];

/// More than this no double precision has.
const HIGHEST_DB: f64 = 300.0;

/// By so many decibels a signal-to-error ratio may be below that of the simulator, where the spec says none.
const ROOM_DB: f64 = 6.0;

impl Study {
    /// Signals, what must come out for them, and how near that must be: of an integer filter the words of the
    /// simulator, of one in floating point a signal-to-error ratio against the designed filter, `min_ser` of
    /// the spec or, where it does not count, 6 dB less than the simulator has.
    ///
    /// # Errors
    /// As of [`integers`](Study::integers) and [`float`](Study::float), and [`StudyError::Reference`] for a
    /// reference that is shorter than the recording.
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::spec::{Fixed, Structure};
    /// let fixed = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    /// let study = Wish::notch("1 kHz", "87.5 Hz", "5 Hz").words(fixed).study()?;
    /// let project = study.test_project(Default::default())?;
    /// assert_eq!(project.signals[0].input.len(), 1000);
    /// assert_eq!(project.signals[0].expected.len(), 1000);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn test_project(&self, wish: TestWish<'_>) -> Result<TestProject, StudyError> {
        let (form, min_ser) = (&self.design.form, self.spec.verify.min_ser);
        let (words, (_, expected)) = match (self.float()?, self.spec.float) {
            (Some(filter), Some(float)) => {
                let effort = self.spec.effort;
                let recording = wish.recording;
                let found = Proof::begin_float(filter, form, float, recording, min_ser, effort)
                    .map_err(|error| StudyError::Float { place: None, error })?;
                (TestWords::Numbers(filter.format()), found)
            }
            _ => {
                let integers = self.integers()?;
                let (input, output) = (integers.fixed.input, integers.fixed.output);
                let nearest = |value: &f64| {
                    let integer = libm::rint(value / input.step());
                    integer.clamp(input.minimum() as f64, input.maximum() as f64) as i64
                };
                let recording: Option<Vec<i64>> =
                    wish.recording.map(|values| values.iter().map(nearest).collect());
                let found = Proof::begin(integers, form, recording.as_deref(), min_ser);
                (TestWords::Integers([input, output]), found)
            }
        };
        let kept = expected.into_iter().filter(|(stimulus, _)| KEPT.contains(&stimulus.name));
        let signal = |(stimulus, mut expected): (crate::verify::Stimulus, Vec<i64>)| {
            let mut input = stimulus.samples;
            input.truncate(wish.samples);
            expected.truncate(wish.samples);
            let given = wish.reference.filter(|_| stimulus.name == "recording");
            let reference = match given {
                Some(given) => given.iter().take(input.len()).copied().collect(),
                None => designed(form, &input, words),
            };
            let mut signal =
                TestSignal { name: stimulus.name, input, expected, reference, least_ratio_db: 0.0 };
            let wished = min_ser.filter(|_| stimulus.is_signal).map(Level::decibels);
            let own = || libm::floor(ratio_db(&signal, words).min(HIGHEST_DB) - ROOM_DB);
            signal.least_ratio_db = wished.unwrap_or_else(own);
            signal
        };
        if let (Some(recording), Some(reference)) = (wish.recording, wish.reference) {
            let (found, needed) = (reference.len(), recording.len().min(wish.samples));
            if found < needed {
                return Err(StudyError::Reference { found, needed });
            }
        }
        let signals: Vec<TestSignal> =
            kept.map(signal).filter(|signal| !signal.input.is_empty()).collect();
        Ok(TestProject { words, signals })
    }
}

/// The values of words that go in or come out.
fn values(words: &[i64], of: TestWords, is_output: bool) -> Vec<f64> {
    let value = |word: &i64| match of {
        TestWords::Integers(formats) => formats[usize::from(is_output)].value(*word),
        TestWords::Numbers(format) => format.number(*word),
    };
    words.iter().map(value).collect()
}

/// What the designed filter makes of an input.
fn designed(form: &Form, input: &[i64], words: TestWords) -> Vec<f64> {
    form.start().run(&values(input, words, false))
}

/// The signal-to-error ratio of what is expected.
fn ratio_db(signal: &TestSignal, words: TestWords) -> f64 {
    let found = values(&signal.expected, words, true);
    let power: f64 = signal.reference.iter().map(|r| r * r).sum();
    let errors = found.iter().zip(&signal.reference).map(|(y, r)| (y - r) * (y - r));
    let error: f64 = errors.sum();
    if error > 0.0 { decibels(libm::sqrt(power / error)) } else { f64::INFINITY }
}
