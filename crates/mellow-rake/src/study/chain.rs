//! A chain with everything that is known of it.

use crate::rates::{Chain, ChainDesign, ChainError, FoldedBand, PassBand, realize};
use crate::spec::{ChainSpec, SpecError, SpecPlace};
#[cfg(feature = "spec-file")]
use crate::spec::{Coefficients, DirectWish, Want};
use std::fmt::{self, Display};

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
    pass_band: PassBand,
    folded: Vec<FoldedBand>,
    imaged: Vec<FoldedBand>,
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
        ChainStudy::designed(spec).map_err(|error| ChainStudyError::Design {
            place: Some(SpecPlace::of(text, &error.keys())),
            error: Box::new(error),
        })
    }

    /// Designs a spec that was made without a text.
    ///
    /// # Errors
    /// [`ChainStudyError`], without a place.
    pub fn of(spec: ChainSpec) -> Result<Self, ChainStudyError> {
        ChainStudy::designed(spec)
            .map_err(|error| ChainStudyError::Design { place: None, error: Box::new(error) })
    }

    fn designed(spec: ChainSpec) -> Result<Self, ChainError> {
        let design = realize(&spec)?;
        let pass_band = design.chain.pass_band(spec.change.pass_hz);
        let clean = spec.change.kept.ends_at(spec.change.pass_hz, spec.lower_rate_hz());
        let folded = design.chain.folded([0.0, clean]);
        let imaged = design.chain.imaged([0.0, clean]);
        Ok(ChainStudy { spec, design, pass_band, folded, imaged })
    }

    /// The stages.
    pub fn chain(&self) -> &Chain {
        &self.design.chain
    }

    /// Up to where nothing may be disturbed, in hertz.
    pub fn clean_hz(&self) -> f64 {
        self.spec.change.kept.ends_at(self.spec.change.pass_hz, self.spec.lower_rate_hz())
    }

    /// The gain over the pass-band, measured.
    pub fn pass_band(&self) -> PassBand {
        self.pass_band
    }

    /// The bands that fall onto what must stay clean, the strongest first.
    pub fn folded(&self) -> &[FoldedBand] {
        &self.folded
    }

    /// The images of what must stay clean, the strongest first.
    pub fn imaged(&self) -> &[FoldedBand] {
        &self.imaged
    }

    /// By how many decibels the strongest alias or image is weakened; `None` where there is neither.
    pub fn attenuation_db(&self) -> Option<f64> {
        let first = |bands: &[FoldedBand]| bands.first().map(|band| -band.worst_db);
        let both = [first(&self.folded), first(&self.imaged)];
        both.into_iter().flatten().reduce(f64::min)
    }

    /// Whether the chain is what was asked; `None` where no level was asked for.
    pub fn meets_spec(&self) -> Option<bool> {
        let change = self.spec.change;
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
