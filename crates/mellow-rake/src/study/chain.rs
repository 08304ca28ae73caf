//! A chain with everything that is known of it.

use crate::hardware::{NetworkHardware, NetworkHardwareError};
use crate::implementation::{ChainImplementError, ChainImplementation, implement_chain};
use crate::rates::{Chain, ChainDesign, ChainError, FoldedBand, PassBand, realize};
use crate::spec::{ChainSpec, ChainWish, RateChange, SpecError, SpecPlace, Tune};
#[cfg(feature = "spec-file")]
use crate::spec::{Coefficients, DirectWish, Want};
use crate::write::{self, GeneratedFile, Language, Symbols, WriteError, c, rust, verilog, vhdl};
use std::fmt::{self, Display};
use std::sync::OnceLock;

/// Why a spec gives no chain.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum ChainStudyError {
    /// The text is no spec of a chain.
    Spec(Box<SpecError>),
    /// The file of coefficients that a stage names is none.
    Coefficients {
        /// Where it is named.
        place: SpecPlace,
        /// What is wrong.
        what: String,
    },
    /// Nothing can be designed.
    Design {
        /// Where the wish stands, if it stands in a text.
        place: Option<SpecPlace>,
        /// What is wrong.
        error: Box<ChainError>,
    },
    /// It cannot run on the words that were asked for.
    Words {
        /// Where they stand, if they stand in a text.
        place: Option<SpecPlace>,
        /// What is wrong.
        error: Box<ChainImplementError>,
    },
    /// It cannot be built in the hardware that was asked for.
    Hardware {
        /// Where that stands, if it stands in a text.
        place: Option<SpecPlace>,
        /// What is wrong.
        error: Box<NetworkHardwareError>,
    },
    /// It cannot be said in a language.
    Write(WriteError),
}

impl Display for ChainStudyError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ChainStudyError::Spec(error) => error.fmt(f),
            ChainStudyError::Coefficients { place, what } => f.write_str(&place.refusal(what)),
            ChainStudyError::Design { place: Some(place), error } => {
                f.write_str(&place.refusal(error))
            }
            ChainStudyError::Design { place: None, error } => error.fmt(f),
            ChainStudyError::Words { place: Some(place), error } => {
                f.write_str(&place.refusal(error))
            }
            ChainStudyError::Words { place: None, error } => error.fmt(f),
            ChainStudyError::Hardware { place: Some(place), error } => {
                f.write_str(&place.refusal(error))
            }
            ChainStudyError::Hardware { place: None, error } => error.fmt(f),
            ChainStudyError::Write(error) => error.fmt(f),
        }
    }
}

impl std::error::Error for ChainStudyError {}

/// A chain with everything that is known of it.
///
/// ```
/// use mellow_rake::spec::template;
/// use mellow_rake::study::ChainStudy;
/// let study = ChainStudy::of_text(template("chain").unwrap(), |_| Err("there is none".to_owned()))?;
/// assert_eq!(study.meets_spec(), Some(true));
/// let strongest = &study.folded()[0];
/// assert!(strongest.worst_db <= -study.spec.change.attenuation_db.unwrap());
/// # Ok::<(), mellow_rake::study::ChainStudyError>(())
/// ```
#[derive(Debug, Clone)]
pub struct ChainStudy {
    /// What is asked for.
    pub spec: ChainSpec,
    /// Its stages, and how they came about.
    pub design: ChainDesign,
    designed: ChainMeasures,
    integers: Option<(ChainImplementation, ChainMeasures)>,
    text: Option<String>,
    hardware: OnceLock<Result<Option<NetworkHardware>, ChainStudyError>>,
}

/// What a chain does from input to output.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ChainMeasures {
    /// The gain over the pass-band.
    pub pass_band: PassBand,
    /// The bands that fall onto what must stay clean, the strongest first.
    pub folded: Vec<FoldedBand>,
    /// The images of what must stay clean, the strongest first.
    pub imaged: Vec<FoldedBand>,
    /// The gain that the stages ask for, over which aliases and images are weakened, in decibels.
    pub gain_db: f64,
}

impl ChainMeasures {
    fn of(chain: &Chain, spec: &ChainSpec) -> Self {
        let pass_hz = spec.change.pass_hz;
        let clean = spec.change.kept.ends_at(pass_hz, spec.lower_rate_hz());
        ChainMeasures {
            pass_band: chain.pass_band(pass_hz),
            folded: chain.folded([0.0, clean]),
            imaged: chain.imaged([0.0, clean]),
            gain_db: spec.gain_db(),
        }
    }

    /// By how many decibels the strongest alias or image is weakened, below the gain that the stages ask for;
    /// `None` where there is neither.
    pub fn attenuation_db(&self) -> Option<f64> {
        let first = |bands: &[FoldedBand]| bands.first().map(|band| self.gain_db - band.worst_db);
        let both = [first(&self.folded), first(&self.imaged)];
        both.into_iter().flatten().reduce(f64::min)
    }

    /// Whether this is what was asked; `None` where no level was asked for.
    pub fn meets(&self, change: &RateChange) -> Option<bool> {
        let ripple = change.ripple_db.map(|asked| self.pass_band.ripple_db() <= asked);
        let attenuation = change
            .attenuation_db
            .map(|asked| self.attenuation_db().is_none_or(|found| found >= asked));
        match (ripple, attenuation) {
            (None, None) => None,
            _ => Some(ripple.unwrap_or(true) && attenuation.unwrap_or(true)),
        }
    }
}

impl ChainStudy {
    /// Reads and designs the text of a spec. `files` gives the coefficients of a file that a stage names, or
    /// says why there are none. Needs the feature `spec-file`.
    ///
    /// # Errors
    /// [`ChainStudyError`] names the place in the text, what was found, and what would do.
    #[cfg(feature = "spec-file")]
    pub fn of_text(
        text: &str,
        mut files: impl FnMut(&str) -> Result<Coefficients, String>,
    ) -> Result<Self, ChainStudyError> {
        let mut spec =
            ChainSpec::parse(text).map_err(|error| ChainStudyError::Spec(Box::new(error)))?;
        for (index, stage) in spec.stages.iter_mut().enumerate() {
            if let Some(Want::Direct(DirectWish::Given(coefficients))) = &mut stage.want
                && let Coefficients::File(name) = coefficients
            {
                *coefficients = files(name).map_err(|what| ChainStudyError::Coefficients {
                    place: SpecPlace::of(text, &[format!("stage.{}.want.file", index + 1)]),
                    what,
                })?;
            }
        }
        ChainStudy::designed(spec, Some(text))
    }

    /// Designs a spec that was made without a text.
    ///
    /// # Errors
    /// [`ChainStudyError`], without a place.
    pub fn of(spec: ChainSpec) -> Result<Self, ChainStudyError> {
        ChainStudy::designed(spec, None)
    }

    fn designed(spec: ChainSpec, text: Option<&str>) -> Result<Self, ChainStudyError> {
        let place = |keys: &[String]| super::place(text, keys);
        let design = realize(&spec).map_err(|error| ChainStudyError::Design {
            place: place(&error.keys()),
            error: Box::new(error),
        })?;
        let designed = ChainMeasures::of(&design.chain, &spec);
        let words = |fixed| {
            let found = implement_chain(&design.chain, fixed).map_err(|error| {
                ChainStudyError::Words { place: place(&error.keys()), error: Box::new(error) }
            })?;
            let measures = ChainMeasures::of(&found.rounded, &spec);
            Ok((found, measures))
        };
        let integers = spec.fixed.as_ref().map(words).transpose()?;
        Ok(ChainStudy {
            spec,
            design,
            designed,
            integers,
            text: text.map(str::to_owned),
            hardware: OnceLock::new(),
        })
    }

    /// The stages.
    pub fn chain(&self) -> &Chain {
        &self.design.chain
    }

    /// Up to where nothing may be disturbed, in hertz.
    pub fn clean_hz(&self) -> f64 {
        self.spec.change.kept.ends_at(self.spec.change.pass_hz, self.spec.lower_rate_hz())
    }

    /// What it does as it was designed.
    pub fn designed_measures(&self) -> &ChainMeasures {
        &self.designed
    }

    /// The chain on integers, and what it does with its rounded taps, if the spec asks for words.
    pub fn integers(&self) -> Option<(&ChainImplementation, &ChainMeasures)> {
        self.integers.as_ref().map(|(found, measures)| (found, measures))
    }

    /// The hardware of the chain on integers, as its table `[hardware]` says, or with a multiplier for each
    /// program that has products; `None` where the spec asks for no words.
    ///
    /// # Errors
    /// [`ChainStudyError::Hardware`] where what is wished for cannot do it.
    pub fn hardware(&self) -> Result<Option<&NetworkHardware>, ChainStudyError> {
        let make = || {
            let Some((found, _)) = self.integers() else { return Ok(None) };
            let wish = self.spec.hardware.unwrap_or_default();
            let built = NetworkHardware::of(&found.network, &wish, self.spec.sample_rate);
            built.map(Some).map_err(|error| {
                let place = super::place(self.text.as_deref(), &[error.key()]);
                ChainStudyError::Hardware { place, error: Box::new(error) }
            })
        };
        self.hardware.get_or_init(make).as_ref().map_err(Clone::clone).map(Option::as_ref)
    }

    /// The chain on integers as text in some languages; of hardware with a stated clock also its constraint.
    /// `None` where the spec asks for no words.
    ///
    /// # Errors
    /// [`ChainStudyError::Write`] where a language cannot say it; for hardware languages as of
    /// [`hardware`](ChainStudy::hardware).
    pub fn files(
        &self,
        languages: &[Language],
    ) -> Option<Result<Vec<GeneratedFile>, ChainStudyError>> {
        let (found, _) = self.integers()?;
        Some(self.written(found, languages))
    }

    fn written(
        &self,
        found: &ChainImplementation,
        languages: &[Language],
    ) -> Result<Vec<GeneratedFile>, ChainStudyError> {
        let symbols = Symbols::new(&self.spec.name);
        let (mut files, mut beside) = (Vec::new(), None);
        for (language, ..) in Language::ALL.iter().filter(|one| languages.contains(&one.0)) {
            let built = if language.is_hardware() { self.hardware()? } else { None };
            let written = match (language, built) {
                (Language::Verilog, Some(built)) => verilog::write_network(built, &symbols),
                (Language::Vhdl, Some(built)) => vhdl::write_network(built, &symbols),
                _ => {
                    let rate = Some(self.spec.sample_rate);
                    let written = match language {
                        Language::C => {
                            let firmware = self.spec.firmware;
                            c::write_network_for(&found.network, &symbols, firmware, rate)
                        }
                        _ => rust::write_network(&found.network, &symbols, rate),
                    };
                    files.extend(written.map_err(ChainStudyError::Write)?);
                    continue;
                }
            };
            files.extend(written.map_err(|error| ChainStudyError::Hardware {
                place: None,
                error: Box::new(NetworkHardwareError::Written(error)),
            })?);
            beside = beside.or(Some(*language));
        }
        let clock = self.spec.hardware.and_then(|hardware| Some((hardware, hardware.clock?)));
        if let (Some((hardware, hertz)), Some(language)) = (clock, beside) {
            let port = hardware.interface.clock_port();
            files.push(write::clock_constraint(hertz, port, language, &symbols));
        }
        Ok(files)
    }

    /// The same with its C tuned to a core; the integers stay what they are.
    #[must_use]
    pub fn tuned_to(mut self, tune: Tune) -> Self {
        self.spec.firmware.tune = tune;
        self
    }

    /// The gain over the pass-band, measured.
    pub fn pass_band(&self) -> PassBand {
        self.designed.pass_band
    }

    /// The bands that fall onto what must stay clean, the strongest first.
    pub fn folded(&self) -> &[FoldedBand] {
        &self.designed.folded
    }

    /// The images of what must stay clean, the strongest first.
    pub fn imaged(&self) -> &[FoldedBand] {
        &self.designed.imaged
    }

    /// By how many decibels the strongest alias or image is weakened; `None` where there is neither.
    pub fn attenuation_db(&self) -> Option<f64> {
        self.designed.attenuation_db()
    }

    /// Whether the chain is what was asked, as designed and with rounded taps; `None` where no level was
    /// asked for.
    pub fn meets_spec(&self) -> Option<bool> {
        let designed = self.designed.meets(&self.spec.change)?;
        let rounded = self.integers().and_then(|(_, found)| found.meets(&self.spec.change));
        Some(designed && rounded.unwrap_or(true))
    }
}

impl ChainWish {
    /// Its study.
    ///
    /// # Errors
    /// [`ChainStudyError`] with the keys that it is about.
    pub fn study(self) -> Result<ChainStudy, ChainStudyError> {
        ChainStudy::of(self.spec().map_err(|error| ChainStudyError::Spec(Box::new(error)))?)
    }
}
