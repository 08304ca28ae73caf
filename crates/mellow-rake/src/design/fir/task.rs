//! Making the taps of a wish by its method.

use super::wished_bands::middles;
use super::{Band, FirError, equiripple, ideal, least_squares, shapes};
use crate::filter::{BandKind, LinearPhase, Taps};
use crate::spec::{FirEdges, FirMethod, FirShape, FirWish};
use crate::units::SampleRate;
use crate::window::{Window, window_values};
use std::f64::consts::TAU;

/// Taps with what an optimal method says of them.
#[derive(Default)]
pub(super) struct Made {
    pub(super) taps: Vec<f64>,
    pub(super) errors: Option<[f64; 2]>,
    pub(super) alternations: Option<usize>,
    pub(super) assumption: Option<&'static str>,
}

impl From<Vec<f64>> for Made {
    fn from(taps: Vec<f64>) -> Self {
        Made { taps, ..Made::default() }
    }
}

pub(super) struct Task<'a> {
    pub(super) wish: &'a FirWish,
    pub(super) rate: SampleRate,
    pub(super) bands: Vec<Band>,
}

impl Task<'_> {
    pub(super) fn refused(&self, there: &'static str) -> FirError {
        let (method, kind) = (self.wish.method.as_str(), self.wish.shape.kind());
        FirError::Method { method, kind, there }
    }

    /// The type of linear phase that this kind has with so many taps, or why it has none.
    pub(super) fn linear_phase(&self, taps: usize) -> Result<LinearPhase, FirError> {
        let even = taps.is_multiple_of(2);
        let parity = |why| Err(FirError::Parity { kind: self.wish.shape.kind(), found: taps, why });
        let nyquist = self.rate.nyquist();
        // Whether the response is antisymmetric, and whether something is wanted at the Nyquist frequency.
        let (antisymmetric, to_the_end) = match &self.wish.shape {
            FirShape::Band { kind, .. } => {
                (false, matches!(kind, BandKind::Highpass | BandKind::Bandstop))
            }
            FirShape::Multiband(bands) => {
                let last = bands.last();
                (false, last.is_some_and(|b| b.edges_hz[1] >= nyquist && b.level[1] != 0.0))
            }
            FirShape::Points(points) => {
                (false, points.last().is_some_and(|(_, gain)| *gain != 0.0))
            }
            FirShape::Differentiator { pass_hz } => (true, *pass_hz >= nyquist),
            FirShape::Hilbert { pass_hz } => (true, pass_hz[1] >= nyquist),
            FirShape::Smoother { derivative, .. } => (derivative % 2 == 1, false),
            FirShape::MthBand { factor, .. } => {
                if even {
                    return parity("the middle of the response must fall on a tap");
                }
                let equiripple = matches!(self.wish.method, FirMethod::Equiripple { .. });
                if equiripple && *factor == 2 && taps % 4 != 3 {
                    let why = "the outermost taps of a half-band filter would be zero";
                    return parity(why);
                }
                (false, false)
            }
            FirShape::RaisedCosine { .. } | FirShape::Average => (false, false),
        };
        match (to_the_end, antisymmetric, even) {
            (true, false, true) => parity(
                "a symmetric response with an even number of taps is zero at the Nyquist frequency",
            ),
            (true, true, false) => parity(
                "an antisymmetric response with an odd number of taps is zero at the Nyquist frequency",
            ),
            _ => Ok(LinearPhase::of(antisymmetric, taps)),
        }
    }

    /// Makes the filter with so many taps, of linear phase.
    pub(super) fn make(&self, taps: usize) -> Result<Made, FirError> {
        let kind = self.linear_phase(taps)?;
        let part = |hertz: &f64| hertz / self.rate.hertz();
        match (&self.wish.method, &self.wish.shape) {
            (FirMethod::Window(window), shape) => self.windowed(*window, shape, taps),
            (FirMethod::Equiripple { .. }, FirShape::MthBand { factor, pass_hz }) => {
                if *factor != 2 {
                    return Err(self.refused("\"window\", \"least-squares\"; \"equiripple\" for half-band"));
                }
                let found = shapes::half_band(part(&pass_hz.unwrap_or(0.0)), taps)?;
                Ok(Made {
                    taps: found.taps,
                    errors: Some([found.error, found.least_error]),
                    alternations: Some(found.alternations.len()),
                    assumption: Some("pass-band and stop-band err alike, by the symmetry of a half-band \
                        filter"),
                })
            }
            (FirMethod::Equiripple { .. }, _) if !self.bands.is_empty() => {
                let found = equiripple(&self.bands, kind, taps)?;
                Ok(Made {
                    taps: self.scaled(self.signed(found.taps)),
                    errors: Some([found.error, found.least_error]),
                    alternations: Some(found.alternations.len()),
                    assumption: None,
                })
            }
            (FirMethod::LeastSquares { .. }, shape) if !self.bands.is_empty() => {
                let every = match shape {
                    FirShape::MthBand { factor, .. } => Some(*factor),
                    _ => None,
                };
                let found = least_squares(&self.bands, kind, taps, every)?;
                let assumption = found.smallest_of_many.then_some(
                    "the bands leave more freedom than 32 digits tell apart: of equally good taps the \
                        smallest",
                );
                let taps = self.scaled(self.signed(found.taps));
                Ok(Made { taps, assumption, ..Made::default() })
            }
            (FirMethod::FrequencySampling { transition_samples }, FirShape::Band { kind, edges, .. }) => {
                let pass: Vec<f64> = match edges {
                    FirEdges::Pass(pass) | FirEdges::Transition { pass, .. } => {
                        pass.iter().map(part).collect()
                    }
                    FirEdges::Cutoff(cutoffs) => {
                        let cutoffs: Vec<f64> = cutoffs.iter().map(part).collect();
                        shapes::pass_edges(*kind, &cutoffs, taps, transition_samples)
                    }
                };
                let sampled = shapes::sampled_band(*kind, &pass, taps, transition_samples);
                Ok(self.scaled(sampled).into())
            }
            (FirMethod::FrequencySampling { .. }, FirShape::Points(points)) => {
                let points: Vec<(f64, f64)> = points.iter().map(|(f, g)| (part(f), *g)).collect();
                Ok(shapes::sampled_points(&points, taps).into())
            }
            (FirMethod::ClosedForm, FirShape::Smoother { degree, derivative }) => {
                if *degree >= taps || derivative > degree {
                    let at_fault = derivative > degree;
                    return Err(FirError::Range {
                        key: if at_fault { "method.derivative" } else { "method.degree" },
                        found: if at_fault { *derivative as f64 } else { *degree as f64 },
                        accepted: if at_fault {
                            format!("0 to the degree, {degree}")
                        } else {
                            format!("less than the {taps} taps")
                        },
                    });
                }
                Ok(shapes::smoothing(taps, *degree, *derivative).into())
            }
            (FirMethod::ClosedForm, FirShape::Average) => Ok(vec![1.0 / taps as f64; taps].into()),
            (FirMethod::ClosedForm, FirShape::RaisedCosine { .. }) => {
                self.windowed(Window::Rectangular, &self.wish.shape, taps)
            }
            (_, shape) => Err(self.refused(match shape {
                FirShape::Band { .. } => {
                    "\"window\", \"equiripple\", \"least-squares\", \"frequency-sampling\", or a recursive \
                        family"
                }
                FirShape::Multiband(_) => "\"equiripple\", \"least-squares\"",
                FirShape::Points(_) => "\"frequency-sampling\", \"least-squares\", \"equiripple\"",
                FirShape::Smoother { .. } | FirShape::Average => "none but its own: leave the key out",
                FirShape::RaisedCosine { .. } => "\"window\", or none: leave the key out",
                _ => "\"window\", \"equiripple\", \"least-squares\"",
            })),
        }
    }

    /// A shift by −90° has amplitude −1 in the convention H = j·A.
    pub(super) fn signed(&self, mut taps: Vec<f64>) -> Vec<f64> {
        if matches!(self.wish.shape, FirShape::Hilbert { .. }) {
            taps.iter_mut().for_each(|tap| *tap = -*tap);
        }
        taps
    }

    /// Taps of a band with a gain of exactly 1 in the middle of the pass-band, where that is wished for.
    fn scaled(&self, mut taps: Vec<f64>) -> Vec<f64> {
        if let (true, FirShape::Band { kind, edges, .. }) = (self.wish.unity_gain, &self.wish.shape)
        {
            let (FirEdges::Cutoff(edges)
            | FirEdges::Pass(edges)
            | FirEdges::Transition { pass: edges, .. }) = edges;
            let parts: Vec<f64> = edges.iter().map(|hertz| hertz / self.rate.hertz()).collect();
            let gain = Taps(taps.clone()).amplitude(TAU * middle(*kind, &parts));
            taps.iter_mut().for_each(|tap| *tap /= gain);
        }
        taps
    }

    pub(super) fn windowed(
        &self,
        window: Window,
        shape: &FirShape,
        taps: usize,
    ) -> Result<Made, FirError> {
        let part = |hertz: &f64| hertz / self.rate.hertz();
        let mut between = None;
        let response: Box<dyn Fn(f64) -> f64> = match shape {
            FirShape::Band { kind, edges, .. } => {
                let edges = match edges {
                    FirEdges::Cutoff(edges) => edges.clone(),
                    FirEdges::Transition { pass, stop } => middles(pass, stop),
                    FirEdges::Pass(_) => {
                        let needs = "cutoff(s), or both edges, between which the cut-off is put";
                        return Err(FirError::Edges { method: "window", needs });
                    }
                };
                let edges: Vec<f64> = edges.iter().map(part).collect();
                let kind = *kind;
                between = Some(middle(kind, &edges));
                Box::new(move |m| ideal::band(kind, &edges, m))
            }
            FirShape::Differentiator { pass_hz } => {
                let edge = part(pass_hz);
                Box::new(move |m| ideal::differentiator(edge, m))
            }
            FirShape::Hilbert { .. } => Box::new(|m| ideal::hilbert([0.0, 0.5], m)),
            FirShape::MthBand { factor, .. } => {
                let factor = *factor;
                Box::new(move |m| ideal::mth_band(factor, m))
            }
            FirShape::RaisedCosine { symbol_rate_hz, rolloff, root } => {
                let (period, rolloff) = (self.rate.hertz() / symbol_rate_hz, *rolloff);
                if *root {
                    Box::new(move |m| ideal::root_raised_cosine(period, rolloff, m))
                } else {
                    Box::new(move |m| ideal::raised_cosine(period, rolloff, m))
                }
            }
            _ => {
                return Err(
                    self.refused("\"equiripple\", \"least-squares\", \"frequency-sampling\"")
                );
            }
        };
        let antisymmetric = self.linear_phase(taps)?.is_antisymmetric();
        let mut values = ideal::symmetric(taps, antisymmetric, &response);
        for (value, weight) in values.iter_mut().zip(window_values(window, taps)) {
            *value *= weight;
        }
        if let Some(at) = between.filter(|_| self.wish.unity_gain) {
            let gain = Taps(values.clone()).amplitude(TAU * at);
            values.iter_mut().for_each(|value| *value /= gain);
        }
        Ok(values.into())
    }
}

/// The middle of the pass-band whose edges are given as parts of the sample rate.
fn middle(kind: BandKind, edges: &[f64]) -> f64 {
    match (kind, edges) {
        (BandKind::Highpass, _) => 0.5,
        (BandKind::Bandpass, [low, high, ..]) => f64::midpoint(*low, *high),
        _ => 0.0,
    }
}
