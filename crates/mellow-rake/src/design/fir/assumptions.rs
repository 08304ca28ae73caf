//! What a design takes for granted, in words.

use super::task::Task;
use crate::spec::{FirMethod, FirShape};

impl Task<'_> {
    /// What was taken for granted, in words.
    pub(super) fn assumptions(&self) -> Vec<String> {
        let mut all = Vec::new();
        let mut say = |text: &str| all.push(text.to_owned());
        match (&self.wish.method, &self.wish.shape) {
            (_, FirShape::Band { .. }) if self.wish.unity_gain => {
                say("gain scaled to exactly 1 in the middle of the pass-band");
            }
            (FirMethod::Window(_), FirShape::Band { .. }) => {
                say(
                    "gain as the windowed ideal response gives it, not scaled; cut-off at half amplitude \
                        (-6 dB)",
                );
            }
            (FirMethod::Window(_), FirShape::Hilbert { .. }) => {
                say(
                    "ideal shift over all frequencies, windowed; the edges are where it is measured",
                );
            }
            (FirMethod::Window(_), FirShape::Differentiator { .. }) => {
                say(
                    "the ideal slope ends at the pass-band edge, where the window leaves about half of it",
                );
            }
            (FirMethod::Equiripple { .. }, FirShape::Differentiator { .. }) => {
                say("the error of the slope counts relative to it");
            }
            (FirMethod::LeastSquares { .. }, FirShape::Differentiator { .. }) => {
                say("the error of the slope counts absolutely");
            }
            (
                FirMethod::Equiripple { weights },
                FirShape::Band { ripple_db, attenuation_db, .. },
            ) if weights.is_empty() && ripple_db.is_some() && attenuation_db.is_some() => {
                say(
                    "weights from ripple and attenuation: both are missed or kept by the same factor",
                );
            }
            (FirMethod::LeastSquares { .. }, _) => {
                say("the error is multiplied by the weight of its band and then squared");
            }
            _ => {}
        }
        match &self.wish.shape {
            FirShape::Points(_) => say("straight lines between the points, gain over frequency"),
            FirShape::Differentiator { .. } => {
                say(
                    "derivative with respect to the sample index: times the sample rate for one per second",
                );
            }
            FirShape::Smoother { derivative, .. } if *derivative > 0 => {
                say(
                    "derivative with respect to the sample index: times the sample rate for one per second",
                );
            }
            FirShape::RaisedCosine { root, .. } => say(if *root {
                "gain 1 in the ideal pass-band; two in series make a raised cosine of 1/samples-per-symbol \
                    at its peak"
            } else {
                "gain 1 in the ideal pass-band; 1/samples-per-symbol at the peak of the response"
            }),
            FirShape::Hilbert { .. } => {
                say("positive frequencies are turned by -90 degrees, beyond the delay");
            }
            _ => {}
        }
        all
    }
}
