//! From what is wanted to a filter in f64.

mod advice;
mod direct;
mod double_double;
mod equalizer;
pub mod fir;
pub mod iir;
mod notch;
mod title;

pub use advice::{DesignAdvice, advice, order_that_keeps};
pub use direct::{Asked, DirectChoice, DirectError, Mark};
pub use equalizer::{EqualizerChoice, EqualizerError, equalize};
pub(crate) use fir::ideal::root_raised_cosine;
pub use notch::{NotchChoice, NotchDesign, notch};

use crate::filter::{BandKind, Family, Form, Mapping, PhaseResponse, Sections, ZerosPolesGain};
use crate::response::{Bands, NoRoots, RootMeasures, measure_roots, zeros_and_poles};
use crate::spec::{Recursive, RecursiveEdges, Spec, Want};
use crate::units::{Frequency, Level, SampleRate};
use fir::{ExchangeError, FirChoice, FirError, LeastSquaresError, design_fir};
use iir::{IirChoice, IirWish, Points, design_iir, design_impulse_invariant};

/// What was decided before anything was computed.
#[derive(Debug, Clone, PartialEq)]
pub enum Choice {
    /// A second-order notch.
    Notch(NotchChoice),
    /// A recursive filter through an analogue prototype.
    Recursive(IirChoice),
    /// A finite impulse response.
    Fir(FirChoice),
    /// A recursive filter in closed form, placed by hand, or given by its coefficients.
    Direct(DirectChoice),
}

impl Choice {
    /// The bands, of filters that let one through.
    pub(crate) fn bands(&self) -> Option<Bands> {
        match self {
            Choice::Recursive(choice) => Some(Bands::from(choice)),
            Choice::Fir(choice) => Some(Bands {
                kind: choice.band?,
                pass_hz: choice.pass_hz.clone(),
                stop_hz: choice.stop_hz.clone(),
            }),
            Choice::Notch(_) | Choice::Direct(_) => None,
        }
    }

    /// Ripple and attenuation that were asked for, in decibels, of filters that let a band through.
    pub(crate) fn levels(&self) -> Option<(Option<f64>, Option<f64>)> {
        match self {
            Choice::Recursive(choice) => Some((choice.ripple_db, choice.attenuation_db)),
            Choice::Fir(choice) => Some((choice.ripple_db, choice.attenuation_db)),
            Choice::Notch(_) | Choice::Direct(_) => None,
        }
    }
}

/// A filter as designed, with the choices that led to it.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Design {
    /// What was decided before anything was computed.
    pub choice: Choice,
    /// Zeros, poles and gain, of recursive filters.
    pub zeros_poles: Option<ZerosPolesGain>,
    /// The same filter as it runs: second-order sections, or taps.
    pub form: Form,
    /// The all-passes behind it that flatten its delay, if they were asked for; `zeros_poles` and `form` hold
    /// them.
    pub equalizer: Option<EqualizerChoice>,
}

impl Design {
    /// The most accurate form: zeros and poles if they are there, else taps.
    pub fn transfer(&self) -> &dyn PhaseResponse {
        match &self.zeros_poles {
            Some(zeros_poles) => zeros_poles,
            None => &self.form,
        }
    }

    /// Its zeros and poles, as they were designed where that is known, else those of its form.
    ///
    /// # Errors
    /// [`NoRoots`] as for [`zeros_and_poles`].
    pub fn roots(&self, rate: SampleRate) -> Result<Vec<RootMeasures>, NoRoots> {
        let roots = match &self.zeros_poles {
            Some(filter) => [filter.zeros.clone(), filter.poles.clone()],
            None => zeros_and_poles(&self.form)?,
        };
        Ok(measure_roots(roots, rate))
    }

    /// The order: all poles of a recursive filter, one less than the taps of a finite response.
    pub fn order(&self) -> usize {
        match (&self.zeros_poles, &self.form) {
            (Some(zeros_poles), _) => zeros_poles.poles.len(),
            (None, Form::Taps(taps)) => taps.0.len() - 1,
            (None, Form::Sections(sections)) => 2 * sections.0.len(),
        }
    }
}

/// Why a wish cannot be designed.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum DesignError {
    /// The centre of a notch does not lie between zero and the Nyquist frequency.
    #[error(
        "the centre {center_hz} Hz does not lie between 0 Hz and the Nyquist frequency {nyquist_hz} Hz"
    )]
    Center {
        /// The centre asked for, in hertz.
        center_hz: f64,
        /// Half the sample rate, in hertz.
        nyquist_hz: f64,
    },
    /// The width of a notch does not lie between zero and the Nyquist frequency.
    #[error(
        "the width {width_hz} Hz does not lie between 0 Hz and the Nyquist frequency {nyquist_hz} Hz"
    )]
    Width {
        /// The width asked for, in hertz.
        width_hz: f64,
        /// Half the sample rate, in hertz.
        nyquist_hz: f64,
    },
    /// The width is so small that the poles fall on the unit circle in double precision.
    #[error(
        "a width of {width_hz} Hz puts the poles on the unit circle in double precision; at this sample rate \
         {least_hz:.3e} Hz is the least that can be told apart"
    )]
    TooNarrow {
        /// The width asked for, in hertz.
        width_hz: f64,
        /// The least width, in hertz.
        least_hz: f64,
    },
    /// An edge does not lie between zero and the Nyquist frequency.
    #[error(
        "the edge {found_hz} Hz does not lie between 0 Hz and the Nyquist frequency {nyquist_hz} Hz"
    )]
    Edge {
        /// The edge asked for, in hertz.
        found_hz: f64,
        /// Half the sample rate, in hertz.
        nyquist_hz: f64,
    },
    /// The edges of a band do not rise.
    #[error("the edges {low_hz} Hz and {high_hz} Hz do not rise; accepted: the lower one first")]
    FallingEdges {
        /// The first, in hertz.
        low_hz: f64,
        /// The second, in hertz.
        high_hz: f64,
    },
    /// A kind of filter was given the wrong number of edges.
    #[error("a {} filter has {wanted} edge(s); {found} were given", .kind.as_str())]
    EdgeCount {
        /// The kind.
        kind: BandKind,
        /// Edges given.
        found: usize,
        /// Edges needed.
        wanted: usize,
    },
    /// Pass-band and stop-band overlap or stand on the wrong sides.
    #[error(
        "the pass-band edges {pass_hz:?} Hz and stop-band edges {stop_hz:?} Hz leave no transition for a {} \
         filter",
        .kind.as_str()
    )]
    Overlap {
        /// The kind.
        kind: BandKind,
        /// Where the pass-band ends, in hertz.
        pass_hz: Vec<f64>,
        /// Where the stop-band begins, in hertz.
        stop_hz: Vec<f64>,
    },
    /// The order is out of range.
    #[error(
        "an order of {found} is out of range: {step}1 to {largest} (order counts all poles of the digital \
            filter)"
    )]
    Order {
        /// The order asked for.
        found: usize,
        /// The largest order.
        largest: usize,
        /// "even, " for the band types.
        step: &'static str,
    },
    /// The family, or the way of asking, needs a level that was not given.
    #[error("a filter of family {family} asked for in this way needs `{what}`")]
    Missing {
        /// The key.
        what: &'static str,
        /// The family.
        family: Family,
    },
    /// A level is out of range.
    #[error("{what}: {found} dB is out of range: {accepted}")]
    Level {
        /// The key.
        what: &'static str,
        /// The level in decibels.
        found: f64,
        /// The range.
        accepted: &'static str,
    },
    /// No order up to the largest keeps the template.
    #[error("no {family} filter up to order {largest} keeps this template{would_do}")]
    OutOfReach {
        /// The family asked for.
        family: Family,
        /// The largest order.
        largest: usize,
        /// The family that does, if one does.
        would_do: String,
    },
    /// The roots of the prototype did not settle.
    #[error(
        "the poles of the {family} prototype of order {order} did not settle (residual {residual:e})"
    )]
    NoConvergence {
        /// The family.
        family: Family,
        /// Its order.
        order: usize,
        /// The relative residual that remained.
        residual: f64,
    },
    /// The edges are so close to zero, to Nyquist, or to each other that a pole falls on the unit circle.
    #[error(
        "edges at {edges_hz:?} Hz put a pole on the unit circle in double precision at this sample rate"
    )]
    OnTheCircle {
        /// The edges, in hertz.
        edges_hz: Vec<f64>,
    },
    /// The analogue filter cannot be sampled.
    #[error("this filter has no impulse-invariant form: {why}")]
    NoImpulseInvariance {
        /// What is in the way.
        why: &'static str,
    },
    /// The delay cannot be made as flat as asked.
    #[error(transparent)]
    Equalizer(#[from] EqualizerError),
    /// A finite impulse response that cannot be designed.
    #[error(transparent)]
    Fir(#[from] FirError),
    /// A directly given filter that is none.
    #[error(transparent)]
    Direct(#[from] DirectError),
}

/// The keys that edges stand under.
const EDGES: [&str; 6] = [
    "want.cutoff",
    "want.cutoffs",
    "want.pass_edge",
    "want.pass_edges",
    "want.stop_edge",
    "want.stop_edges",
];

impl DesignError {
    /// The one key of a spec that this is about, where it is one.
    fn key(&self) -> Option<&'static str> {
        match self {
            DesignError::NoImpulseInvariance { .. } => Some("method.mapping"),
            DesignError::Equalizer(error) => Some(error.key()),
            DesignError::Fir(error) => error.key(),
            DesignError::Direct(error) => error.key(),
            _ => None,
        }
    }

    /// The keys of a spec that this may be about, as `method.taps`; the most likely first.
    pub fn keys(&self) -> Vec<String> {
        if let Some(key) = self.key() {
            return vec![key.to_owned()];
        }
        let keys: &[&str] = match self {
            DesignError::Center { .. } => &["want.center", "want.fundamental"],
            DesignError::Width { .. } | DesignError::TooNarrow { .. } => {
                &["want.width", "want.q", "want.widths"]
            }
            DesignError::Edge { .. }
            | DesignError::FallingEdges { .. }
            | DesignError::EdgeCount { .. }
            | DesignError::Overlap { .. }
            | DesignError::OnTheCircle { .. } => &EDGES,
            DesignError::Order { .. } | DesignError::NoConvergence { .. } => {
                &["method.order", "want.order", "method.design"]
            }
            DesignError::Missing { what, .. } | DesignError::Level { what, .. } => {
                return vec![if what.contains('.') {
                    (*what).to_owned()
                } else {
                    format!("want.{what}")
                }];
            }
            DesignError::OutOfReach { .. } => &["method.design", "want.attenuation", "want.kind"],
            DesignError::NoImpulseInvariance { .. } => &["method.mapping"],
            DesignError::Equalizer(_) => &["equalizer.delay_ripple"],
            DesignError::Fir(error) => match error {
                FirError::Exchange(ExchangeError::Bands(_)) => &["want.bands", "want.pass_edge"],
                FirError::LeastSquares(LeastSquaresError::Bands(_)) => {
                    &["want.bands", "want.pass_edge"]
                }
                FirError::MinimumPhase(_) => &["method.phase"],
                _ => &["method.taps", "want.taps", "method.design"],
            },
            DesignError::Direct(_) => {
                &["want.a", "want.sections", "want.poles", "want.file", "want.leak", "want.kind"]
            }
        };
        keys.iter().map(|key| (*key).to_owned()).collect()
    }
}

/// Designs what a spec asks for.
///
/// # Errors
/// [`DesignError`] when the wish has no filter.
pub fn design(spec: &Spec) -> Result<Design, DesignError> {
    let rate = spec.sample_rate;
    match &spec.want {
        Want::Notch { center, width } => {
            let center_hz = center.hertz(rate);
            notch(center_hz, width.hertz(center_hz, rate), rate).map(Design::from)
        }
        Want::Recursive(recursive) => {
            let wish = wish(recursive, rate);
            let (choice, zeros_poles) = match recursive.mapping {
                Mapping::Bilinear => design_iir(&wish, rate)?,
                Mapping::ImpulseInvariant => design_impulse_invariant(&wish, rate)?,
            };
            let sections = Sections::from_zeros_poles(&zeros_poles);
            let form = Form::Sections(sections);
            let design = Design {
                choice: Choice::Recursive(choice),
                zeros_poles: Some(zeros_poles),
                form,
                equalizer: None,
            };
            match &spec.equalizer {
                Some(wish) => Ok(equalize(design, *wish, rate)?),
                None => Ok(design),
            }
        }
        Want::Fir(wish) => {
            let (choice, taps) = design_fir(wish, rate)?;
            let form = Form::Taps(taps);
            Ok(Design { choice: Choice::Fir(choice), zeros_poles: None, form, equalizer: None })
        }
        Want::Direct(wish) => {
            let (choice, zeros_poles, form) = direct::direct(wish, rate)?;
            Ok(Design { choice: Choice::Direct(choice), zeros_poles, form, equalizer: None })
        }
    }
}

impl From<NotchDesign> for Design {
    fn from(notch: NotchDesign) -> Self {
        let NotchDesign { choice, zeros_poles, sections } = notch;
        Design {
            choice: Choice::Notch(choice),
            zeros_poles: Some(zeros_poles),
            form: Form::Sections(sections),
            equalizer: None,
        }
    }
}

/// A recursive filter as a spec asks for it, in hertz and decibels.
pub fn wish(recursive: &Recursive, rate: SampleRate) -> IirWish {
    let hertz = |edges: &[Frequency]| edges.iter().map(|edge| edge.hertz(rate)).collect::<Vec<_>>();
    let points = match &recursive.edges {
        RecursiveEdges::Template { order, pass, stop } => {
            Points::Template { order: *order, pass: hertz(pass), stop: hertz(stop) }
        }
        RecursiveEdges::Recipe { meaning, edges, order } => {
            Points::Recipe { meaning: *meaning, edges: hertz(edges), order: *order }
        }
    };
    IirWish {
        kind: recursive.kind,
        family: recursive.family,
        points,
        ripple_db: recursive.ripple.map(Level::decibels),
        attenuation_db: recursive.attenuation.map(Level::decibels),
    }
}
