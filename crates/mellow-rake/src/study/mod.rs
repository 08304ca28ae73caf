//! The one entry: a spec, the filter that it asks for, the integers that stand for it, and what is known of
//! them.
//!
//! ```
//! use mellow_rake::spec::template;
//! use mellow_rake::study::{InTurn, Study};
//! let study = Study::of_text(template("lowpass").unwrap(), |_| unreachable!("it names no file"))?;
//! assert_eq!(study.meets_spec(), Some(true));
//! let page = study.quantization(&InTurn)?;
//! // Its words lose a thousandth of a decibel too much; what keeps it was tried.
//! assert!(page.template_margin_db[1].unwrap() < 0.0);
//! assert!(page.remedies.unwrap().iter().any(|remedy| remedy.keeps()));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod adjacent;
mod chain;
mod chain_hardware;
mod chain_record;
mod chain_words;
mod contender;
mod error;
mod families;
mod forms;
#[cfg(feature = "spec-file")]
mod inspection;
mod jobs;
#[cfg(feature = "spec-file")]
mod line_remedies;
mod measured;
mod quality_record;
mod quantization;
mod received;
#[cfg(feature = "serde")]
mod record;
mod sensitivity;
mod shared_unit;
mod test_project;

pub use adjacent::{Adjacent, AdjacentLevels};
pub use chain::{ChainMeasures, ChainStudy, ChainStudyError};
pub use chain_hardware::{ChainHardwareRecord, ChainPartRecord, StepRegisterRecord};
pub use chain_record::{BandRecord, ChainRecord, StageRecord, WeighedRecord};
pub use chain_words::{
    ChainNoise, ChainWordsRecord, MixerRecord, OscillatorRecord, StageWordsRecord,
};
pub use contender::{Compared, Contender};
pub use error::StudyError;
pub use families::{FamilyRow, NoFamilies};
pub use forms::{FormRecord, FormValue, OtherForm};
#[cfg(feature = "spec-file")]
pub use inspection::{Inspection, LEAST_LINE_DB, inspect};
pub use jobs::{InTurn, Job, Jobs, Workers};
#[cfg(feature = "spec-file")]
pub use line_remedies::{LineRemedy, line_remedies};
pub use measured::{GOOD_COHERENCE, MeasuredResponse, MeasuredTone};
pub use quality_record::{QualityRecord, quality_records};
pub use quantization::{
    ConverterFigures, Impossible, LowerRate, MovedPole, NoiseFigures, OverflowOscillations,
    PolynomialFigures, Quantization, Quieter, Remedy, SectionOscillations, Sensitive,
    StructureFigures, StructureSweep, Sweep, SweepRow, SweepWish, Swept, Width,
};
pub use received::{ErrorLimits, ErrorRecord, NotReceived, Passed, Received};
#[cfg(feature = "serde")]
pub use record::DesignRecord;
pub use sensitivity::{CoefficientStudy, SHARE_OF_A_COEFFICIENT};
pub use shared_unit::SharedUnit;
pub use test_project::TestWish;

use crate::design::{Design, design};
use crate::filter::Form;
use crate::float::{FloatBound, FloatFilter};
use crate::hardware::{HardwareChoice, HardwareError, HardwareUnit, SignalFlow, choose};
use crate::implementation::{Goal, Implementation, advice, implement_toward};
use crate::quality::{QualityRow, Report, meets_spec};
#[cfg(feature = "spec-file")]
use crate::spec::{Coefficients, DirectWish, Want};
use crate::spec::{Float, Spec, SpecPlace, Tune, Wish};
use crate::write::{self, GeneratedFile, Language, Symbols, WriteError};
use std::sync::OnceLock;

/// A spec with the filter that it asks for. The integers and the reports are made when they are first asked
/// for, and kept.
#[derive(Debug, Clone)]
pub struct Study {
    /// What was asked.
    pub spec: Spec,
    /// What was designed.
    pub design: Design,
    /// The text that places are named in.
    text: Option<String>,
    implementation: OnceLock<Result<Option<Implementation>, StudyError>>,
    float: OnceLock<Result<Option<FloatFilter>, StudyError>>,
    float_bound: OnceLock<Option<FloatBound>>,
    hardware: OnceLock<Result<Option<HardwareChoice>, StudyError>>,
    designed: OnceLock<Report>,
    rounded: OnceLock<Option<Report>>,
}

impl Study {
    /// Reads and designs the text of a spec. `files` gives the coefficients of a file that the spec names, or
    /// says why there are none. Needs the feature `spec-file`.
    ///
    /// # Errors
    /// [`StudyError`] names the place in the text, what was found, and what would do.
    #[cfg(feature = "spec-file")]
    pub fn of_text(
        text: &str,
        files: impl FnOnce(&str) -> Result<Coefficients, String>,
    ) -> Result<Self, StudyError> {
        Study::of_changed_text(text, text, files)
    }

    /// Reads and designs a changed text of a spec; what is wrong is named at its place in the text `shown`,
    /// which the user knows.
    ///
    /// # Errors
    /// As of [`of_text`](Study::of_text).
    #[cfg(feature = "spec-file")]
    pub fn of_changed_text(
        text: &str,
        shown: &str,
        files: impl FnOnce(&str) -> Result<Coefficients, String>,
    ) -> Result<Self, StudyError> {
        let mut spec = Spec::parse(text).map_err(|mut error| {
            if text != shown && !error.key.is_empty() {
                let place = SpecPlace::of(shown, &[&error.key]);
                (error.line, error.column) = (place.line, place.column);
            }
            StudyError::Spec(Box::new(error))
        })?;
        if let Want::Direct(DirectWish::Given(coefficients)) = &mut spec.want
            && let Coefficients::File(name) = coefficients
        {
            *coefficients = files(name).map_err(|what| StudyError::Coefficients {
                place: SpecPlace::of(shown, &["want.file"]),
                what,
            })?;
        }
        Study::with_text(spec, Some(shown.to_owned()))
    }

    /// Designs a spec that was made without a text.
    ///
    /// # Errors
    /// [`StudyError`], without a place.
    pub fn of(spec: Spec) -> Result<Self, StudyError> {
        Study::with_text(spec, None)
    }

    fn with_text(spec: Spec, text: Option<String>) -> Result<Self, StudyError> {
        let design = design(&spec).map_err(|error| StudyError::Design {
            place: place(text.as_deref(), &error.keys()),
            advice: crate::design::advice(&spec, &error).map(Box::new),
            error: Box::new(error),
        })?;
        Ok(Study {
            spec,
            design,
            text,
            implementation: OnceLock::new(),
            float: OnceLock::new(),
            float_bound: OnceLock::new(),
            hardware: OnceLock::new(),
            designed: OnceLock::new(),
            rounded: OnceLock::new(),
        })
    }

    /// The same filter with its C tuned to a core, whatever its spec says. Its integers stay the same.
    ///
    /// # Errors
    /// [`StudyError::NoWords`] where it has no words: floating point is written in one form for all
    /// processors.
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::spec::{Fixed, Structure, Tune};
    /// use mellow_rake::write::Language;
    /// let words = Fixed::new(Structure::FirDirect, "s16f15".parse()?);
    /// let study = Wish::taps("1 kHz", [0.1, 0.2, 0.4, 0.2, 0.1]).words(words).study()?;
    /// let files = study.tuned_to(Tune::CortexM7)?.files(&[Language::C])?;
    /// assert!(files[1].text.contains("__ARM_FEATURE_DSP"));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn tuned_to(mut self, tune: Tune) -> Result<Self, StudyError> {
        if self.spec.fixed.is_none() {
            return Err(StudyError::NoWords);
        }
        self.spec.firmware.tune = tune;
        Ok(self)
    }

    /// What integers are chosen for.
    pub fn goal(&self) -> Goal {
        Goal::of(&self.spec, &self.design)
    }

    /// The integer filter; `None` where the spec has no words.
    ///
    /// # Errors
    /// [`StudyError::Implement`] where the words of the spec cannot carry the filter.
    pub fn implementation(&self) -> Result<Option<&Implementation>, StudyError> {
        self.implementation
            .get_or_init(|| self.implement())
            .as_ref()
            .map_err(Clone::clone)
            .map(Option::as_ref)
    }

    /// The integer filter that cannot be done without.
    ///
    /// # Errors
    /// As of [`implementation`](Study::implementation), and [`StudyError::NoWords`] where the spec has none.
    pub fn integers(&self) -> Result<&Implementation, StudyError> {
        self.implementation()?.ok_or(StudyError::NoWords)
    }

    /// What its arithmetic can do at most, for inputs up to the peak of the spec; `None` where the spec does
    /// not ask for floating point or nothing is proved.
    pub fn float_bound(&self) -> Option<FloatBound> {
        let (filter, wish) = (self.float().ok()??, self.spec.float?);
        *self.float_bound.get_or_init(|| filter.bound(wish.peak, self.spec.effort).ok()?)
    }

    /// The filter in floating point; `None` where the spec does not ask for it.
    ///
    /// # Errors
    /// [`StudyError::Float`] where the format cannot carry the filter.
    pub fn float(&self) -> Result<Option<&FloatFilter>, StudyError> {
        let make = || {
            let Some(Float { format, structure, .. }) = self.spec.float else { return Ok(None) };
            FloatFilter::new(&self.design.form, format, structure).map(Some).map_err(|error| {
                let place = place(self.text.as_deref(), &["float.format".to_owned()]);
                StudyError::Float { place, error }
            })
        };
        self.float.get_or_init(make).as_ref().map_err(Clone::clone).map(Option::as_ref)
    }

    /// The schedule of the integers on shared multipliers; `None` where the spec does not ask for hardware.
    ///
    /// # Errors
    /// As of [`integers`](Study::integers), and [`StudyError::Hardware`] where what is wished for cannot do
    /// it.
    pub fn hardware(&self) -> Result<Option<&HardwareChoice>, StudyError> {
        let make = || {
            let Some(wish) = self.spec.hardware else { return Ok(None) };
            let checked = &self.integers()?.checked;
            let is_stated = self.spec.fixed.is_some_and(|fixed| fixed.accumulator.is_some());
            let flow = match wish.loads_coefficients {
                false => SignalFlow::of(checked),
                true if is_stated => Err(HardwareError::Accumulator),
                true => SignalFlow::loadable(checked),
            };
            let chosen = flow.and_then(|flow| choose(&flow, &wish, self.spec.sample_rate));
            chosen.map(Some).map_err(|error| {
                let place = place(self.text.as_deref(), &[error.key().to_owned()]);
                StudyError::Hardware { place, error }
            })
        };
        self.hardware.get_or_init(make).as_ref().map_err(Clone::clone).map(Option::as_ref)
    }

    /// Clocks from a word that goes into what is written in a language to the word that comes out; `None` of
    /// programs, which have none, and where nothing can be written.
    pub fn latency_clocks(&self, language: Language) -> Option<u32> {
        match (language, self.hardware()) {
            (Language::Verilog | Language::Vhdl, Ok(Some(chosen))) => {
                u32::try_from(chosen.unit.latency()).ok()
            }
            _ => language.latency_clocks(),
        }
    }

    fn implement(&self) -> Result<Option<Implementation>, StudyError> {
        let Some(fixed) = self.spec.fixed else {
            return Ok(None);
        };
        let (form, goal) = (&self.design.form, self.goal());
        implement_toward(form, fixed, &goal).map(Some).map_err(|error| StudyError::Implement {
            place: place(self.text.as_deref(), &[error.key().to_owned()]),
            advice: advice(form, fixed, &goal, &error).map(Box::new),
            error: Box::new(error),
        })
    }

    /// The integer filter, or that in floating point, as text in some languages: what a firmware project or
    /// a synthesizer takes; of hardware with a stated clock also its constraint.
    ///
    /// # Errors
    /// As of [`integers`](Study::integers), for hardware languages also of [`hardware`](Study::hardware), and
    /// [`StudyError::Write`] where a language cannot say it.
    pub fn files(&self, languages: &[Language]) -> Result<Vec<GeneratedFile>, StudyError> {
        let symbols = Symbols::new(&self.spec.name);
        let mut files = Vec::new();
        let asked = Language::ALL.iter().filter(|(one, ..)| languages.contains(one));
        if let Some(filter) = self.float()? {
            for (language, name, _) in asked {
                files.extend(match language {
                    Language::C => write::c::write_float(filter, &symbols),
                    Language::Rust => write::rust::write_float(filter, &symbols),
                    Language::Verilog | Language::Vhdl => {
                        return Err(StudyError::Write(WriteError::Float { target: name }));
                    }
                });
            }
            return Ok(files);
        }
        let filter = self.integers()?;
        // Hardware that cannot be is nothing to a processor.
        let asks_for_hardware = languages.iter().any(|language| language.is_hardware());
        let hardware = if asks_for_hardware { self.hardware()? } else { None };
        for (language, ..) in asked {
            if let (Some(chosen), Language::Verilog | Language::Vhdl) = (hardware, language) {
                let (checked, is_vhdl) = (&filter.checked, *language == Language::Vhdl);
                let written = match &chosen.unit {
                    HardwareUnit::Serial(unit) if is_vhdl => {
                        write::vhdl::write_scheduled(unit, checked, &symbols)
                    }
                    HardwareUnit::Serial(unit) => {
                        write::verilog::write_scheduled(unit, checked, &symbols)
                    }
                    HardwareUnit::Staged(staged) if is_vhdl => {
                        write::vhdl::write_staged(staged, checked, &symbols)
                    }
                    HardwareUnit::Staged(staged) => {
                        write::verilog::write_staged(staged, checked, &symbols)
                    }
                    HardwareUnit::Parallel(chain) if is_vhdl => {
                        Ok(write::vhdl::write_parallel(chain, checked, &symbols))
                    }
                    HardwareUnit::Parallel(chain) => {
                        Ok(write::verilog::write_parallel(chain, checked, &symbols))
                    }
                };
                files.extend(written.map_err(|error| StudyError::Hardware { place: None, error })?);
                continue;
            }
            files.extend(
                match language {
                    Language::C => {
                        let (firmware, rate) = (self.spec.firmware, self.spec.sample_rate);
                        write::c::write_for(&filter.checked, &symbols, firmware, Some(rate))
                    }
                    Language::Rust => {
                        write::rust::write_for(&filter.checked, &symbols, self.spec.firmware)
                    }
                    Language::Vhdl => write::vhdl::write(&filter.checked, &symbols),
                    Language::Verilog => write::verilog::write(&filter.checked, &symbols),
                }
                .map_err(StudyError::Write)?,
            );
        }
        let clock = self.spec.hardware.as_ref().and_then(|hardware| hardware.clock);
        let beside =
            [Language::Verilog, Language::Vhdl].into_iter().find(|one| languages.contains(one));
        if let (Some(hertz), Some(language)) = (clock, beside) {
            let port = self.spec.hardware.map_or("clk", |hardware| hardware.interface.clock_port());
            files.push(write::clock_constraint(hertz, port, language, &symbols));
        }
        let map = hardware.and_then(|chosen| chosen.unit.flow().load_map.as_ref());
        if let (Some(map), Some(_)) = (map, beside) {
            files.push(write::c::write_load_map(map, &symbols));
        }
        Ok(files)
    }

    /// What was measured on the designed filter.
    pub fn designed(&self) -> &Report {
        self.designed.get_or_init(|| {
            let Design { form, choice, .. } = &self.design;
            let rate = self.spec.sample_rate;
            Report::of(self.design.transfer(), form, choice, form.cost(), rate)
        })
    }

    /// What was measured on the filter with rounded coefficients; `None` where there is none.
    pub fn rounded(&self) -> Option<&Report> {
        let report = || {
            let (choice, rate) = (&self.design.choice, self.spec.sample_rate);
            if let Ok(Some(filter)) = self.float() {
                let form = filter.rounded();
                return Some(Report::of(&form, &form, choice, form.cost(), rate));
            }
            let integers = self.implementation().ok()??;
            let cost = integers.checked.cost();
            let cost = [cost.multiplies_per_sample, cost.adds_per_sample, cost.state_words];
            let form = &integers.rounded;
            Some(Report::of(form, form, choice, cost, rate))
        };
        self.rounded.get_or_init(report).as_ref()
    }

    /// Asked beside found, of the designed and of the rounded filter.
    pub fn rows(&self) -> [Option<Vec<QualityRow>>; 2] {
        let (choice, rate) = (&self.design.choice, self.spec.sample_rate);
        [Some(self.designed()), self.rounded()].map(|report| Some(report?.rows(choice, rate)))
    }

    /// Whether the designed filter is what was asked; `None` where nothing was that a response could miss.
    pub fn meets_spec(&self) -> Option<bool> {
        meets_spec(&self.design, &self.designed().measures, self.spec.sample_rate)
    }

    /// By how many decibels the filter with rounded coefficients exceeds the levels asked for; `None` without
    /// a template or words.
    pub fn rounded_excess_db(&self) -> Option<f64> {
        self.rounded()?.measures.template_excess_db(&self.design.choice)
    }
}

/// Where the first of some keys stands in a text; `None` where there is no text.
#[cfg(feature = "spec-file")]
fn place(text: Option<&str>, keys: &[String]) -> Option<SpecPlace> {
    text.map(|text| SpecPlace::of(text, keys))
}

/// Without a reader of texts there is none.
#[cfg(not(feature = "spec-file"))]
fn place(_: Option<&str>, _: &[String]) -> Option<SpecPlace> {
    None
}

impl Wish {
    /// Its study.
    ///
    /// # Errors
    /// [`StudyError`] with the keys that it is about.
    pub fn study(self) -> Result<Study, StudyError> {
        Study::of(self.spec().map_err(|error| StudyError::Spec(Box::new(error)))?)
    }

    /// The filter, in floating point.
    ///
    /// # Errors
    /// As of [`study`](Wish::study).
    pub fn filter(self) -> Result<Form, StudyError> {
        Ok(self.study()?.design.form)
    }
}
