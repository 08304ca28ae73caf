//! Several filters on one unit of hardware.

use super::{Study, StudyError, place};
use crate::datapath::{Checked, Simulator};
use crate::hardware::{HardwareError, HardwareRecord, SignalFlow, TimeShared, TimeSharedChoice};
use crate::implementation::Implementation;
use crate::verify::Stimulus;
use crate::write::{self, GeneratedFile, Language, Symbols};

/// Filters that take turns on one unit: a sample of the first, one of the second, and so on, and again.
///
/// The table `[hardware]` of the first says what the unit is to be like, and its name is that of the unit;
/// those of the others are not looked at.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Fixed, Structure};
/// use mellow_rake::study::SharedUnit;
/// use mellow_rake::write::Language;
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let swell = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).words(words).study()?;
/// let drift = Wish::highpass("1 kHz").cutoff("5 Hz").butterworth(2).words(words).study()?;
/// let shared = SharedUnit::of(&swell, &[&drift])?;
/// // 10 clocks for two sections, 5 for one.
/// assert_eq!(shared.choice().unit.interval(), 15);
/// assert_eq!(shared.files(&[Language::Verilog])?.len(), 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct SharedUnit<'a> {
    studies: Vec<&'a Study>,
    integers: Vec<&'a Implementation>,
    choice: TimeSharedChoice,
}

impl<'a> SharedUnit<'a> {
    /// A filter with others.
    ///
    /// # Errors
    /// As of [`Study::integers`] for each, and [`StudyError::Hardware`] where they cannot share a unit.
    pub fn of(first: &'a Study, others: &[&'a Study]) -> Result<Self, StudyError> {
        let studies: Vec<&Study> = std::iter::once(first).chain(others.iter().copied()).collect();
        let integers: Vec<&Implementation> =
            studies.iter().map(|study| study.integers()).collect::<Result<_, _>>()?;
        let wish = first.spec.hardware.unwrap_or_default();
        let failed = |error: HardwareError| {
            let place = place(first.text.as_deref(), &[error.key().to_owned()]);
            StudyError::Hardware { place, error }
        };
        if wish.loads_coefficients {
            let (key, accepted) = ("coefficients", "\"constant\"");
            return Err(failed(HardwareError::NoTurns { key, accepted }));
        }
        let rate = first.spec.sample_rate;
        let other = studies.iter().position(|study| study.spec.sample_rate != rate);
        if let Some(index) = other {
            let (found, needed) = (studies[index].spec.sample_rate.hertz(), rate.hertz());
            return Err(failed(HardwareError::Rates { filter: index + 1, found, needed }));
        }
        let flow = |one: &&Implementation| SignalFlow::of(&one.checked);
        let flows: Result<Vec<SignalFlow>, _> = integers.iter().map(flow).collect();
        let choice = flows.and_then(|flows| TimeSharedChoice::of(&flows, &wish, rate));
        Ok(SharedUnit { choice: choice.map_err(failed)?, studies, integers })
    }

    /// The unit, with the reasons for it.
    pub fn choice(&self) -> &TimeSharedChoice {
        &self.choice
    }

    /// The filters, in the order of their turns.
    pub fn studies(&self) -> &[&'a Study] {
        &self.studies
    }

    /// The integers of each.
    pub fn integers(&self) -> &[&'a Implementation] {
        &self.integers
    }

    /// The unit as data that is complete.
    ///
    /// # Errors
    /// [`StudyError::Hardware`] where a sum is wider than a unit is written for.
    pub fn record(&self) -> Result<HardwareRecord, StudyError> {
        let names: Vec<String> =
            self.studies.iter().map(|study| study.spec.name.to_string()).collect();
        HardwareRecord::of_time_shared(&self.choice, &names)
            .map_err(|error| StudyError::Hardware { place: None, error })
    }

    /// The unit in hardware languages, with its constraint where a clock is stated. Other languages have
    /// none: their filters are written one by one.
    ///
    /// # Errors
    /// As of [`record`](SharedUnit::record).
    pub fn files(&self, languages: &[Language]) -> Result<Vec<GeneratedFile>, StudyError> {
        let symbols = Symbols::new(&self.studies[0].spec.name);
        let unit: &TimeShared = &self.choice.unit;
        let programs: Vec<&Checked> = self.integers.iter().map(|one| &one.checked).collect();
        let mut files = Vec::new();
        let mut beside = None;
        for language in [Language::Verilog, Language::Vhdl] {
            if !languages.contains(&language) {
                continue;
            }
            let written = match language {
                Language::Vhdl => write::vhdl::write_time_shared(unit, &programs, &symbols),
                _ => write::verilog::write_time_shared(unit, &programs, &symbols),
            };
            files.extend(written.map_err(|error| StudyError::Hardware { place: None, error })?);
            beside = beside.or(Some(language));
        }
        if let (Some(hertz), Some(language)) = (self.choice.clock, beside) {
            let port = unit.resources().interface.clock_port();
            files.push(write::clock_constraint(hertz, port, language, &symbols));
        }
        Ok(files)
    }

    /// Stimuli of the filters, one list for each, as the unit takes them: a sample of each in turn, zeros
    /// behind those that end sooner. Beside each what must come out, as the bit-true simulators say.
    pub fn in_turn(&self, stimuli: &[Vec<Stimulus>]) -> Vec<(Stimulus, Vec<i64>)> {
        let one = |index: usize| {
            let samples = |list: &Vec<Stimulus>| -> Vec<i64> {
                list.get(index).map_or(Vec::new(), |one| one.samples.clone())
            };
            let of_each: Vec<Vec<i64>> = stimuli.iter().map(samples).collect();
            let longest = of_each.iter().map(Vec::len).max().unwrap_or(0);
            let mut simulators: Vec<Simulator<'_>> =
                self.integers.iter().map(|one| Simulator::new(&one.checked)).collect();
            let mut pairs = Vec::with_capacity(longest * of_each.len());
            for at in 0..longest {
                for (samples, simulator) in of_each.iter().zip(&mut simulators) {
                    let word = samples.get(at).copied().unwrap_or(0);
                    pairs.push((word, simulator.step(word)));
                }
            }
            let (samples, expected) = pairs.into_iter().unzip();
            (Stimulus { samples, ..stimuli[0][index].clone() }, expected)
        };
        (0..stimuli.first().map_or(0, Vec::len)).map(one).collect()
    }
}
