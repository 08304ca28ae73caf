//! A design held against what was asked.

use super::{GeneralMeasures, measure_general};
use crate::design::fir::FirChoice;
use crate::design::{Asked, Choice, Design, NotchChoice};
use crate::filter::{EdgeMeaning, Mapping, PhaseResponse, Transfer};
use crate::response::extreme;
use crate::response::{BandMeasures, Bands, NotchMeasures, gain_db, measure_bands, measure_notch};
use crate::units::SampleRate;

/// What was measured on one response.
#[derive(Debug, Clone, PartialEq)]
pub enum Measures {
    /// Of a notch.
    Notch(NotchMeasures),
    /// Of a low-pass, high-pass, band-pass or band-stop filter.
    Bands(BandMeasures),
    /// Of any other filter.
    General(GeneralMeasures),
}

/// Decibels by which a level may miss its wish: what f64 leaves of it.
const SLACK_DB: f64 = 1e-6;

impl Measures {
    /// Measures a response, designed or rounded, in the terms of what was chosen.
    pub fn of(filter: &dyn Transfer, choice: &Choice, rate: SampleRate) -> Self {
        match choice {
            Choice::Notch(choice) => Measures::Notch(measure_notch(filter, rate, choice.center_hz)),
            Choice::Recursive(choice) => {
                let middle = match choice.edges_hz[..] {
                    [low, high] => (low * high).sqrt(),
                    _ => choice.edges_hz[0],
                };
                Measures::Bands(measure_bands(filter, rate, &Bands::from(choice), middle))
            }
            Choice::Fir(fir) => match choice.bands() {
                Some(bands) => {
                    let known = [&fir.pass_hz, &fir.cutoff_hz, &fir.stop_hz];
                    let edges = known.into_iter().flatten().next();
                    let middle = match edges.map(Vec::as_slice) {
                        Some([low, high]) => (low * high).sqrt(),
                        _ => 0.0,
                    };
                    Measures::Bands(measure_bands(filter, rate, &bands, middle))
                }
                None => Measures::General(measure_general(filter, rate, &[], &fir.bands)),
            },
            Choice::Direct(choice) => {
                Measures::General(measure_general(filter, rate, &choice.marks, &[]))
            }
        }
    }

    /// The −3 dB points, in hertz, rising for filters of a band; none where none are known.
    pub fn half_power_hz(&self) -> Vec<f64> {
        match self {
            Measures::Notch(measures) => measures.edges_3db_hz.iter().copied().flatten().collect(),
            Measures::Bands(measures) => measures.edges_3db_hz.iter().copied().flatten().collect(),
            Measures::General(_) => Vec::new(),
        }
    }

    /// The largest gain at any frequency, in decibels.
    pub fn peak_gain_db(&self) -> f64 {
        match self {
            Measures::Notch(measures) => measures.peak_gain_db,
            Measures::Bands(measures) => measures.peak_gain_db,
            Measures::General(measures) => measures.peak_gain_db,
        }
    }

    /// By how many decibels the measured levels exceed those asked for, zero where they are kept; `None`
    /// where none were asked for.
    pub fn template_excess_db(&self, choice: &Choice) -> Option<f64> {
        let (Measures::Bands(measures), Some((ripple, attenuation))) = (self, choice.levels())
        else {
            return None;
        };
        let ripple = measures.passband_ripple_db.zip(ripple);
        let attenuation = measures.stopband_attenuation_db.zip(attenuation);
        let excess = [
            ripple.map(|(found, asked)| found - asked),
            attenuation.map(|(found, asked)| asked - found),
        ];
        let worst = excess.into_iter().flatten().reduce(f64::max)?;
        Some(if worst > SLACK_DB { worst } else { 0.0 })
    }
}

/// Whether a design, with what was measured on it, is what was asked; `None` where nothing was asked that a
/// response could miss, as of taps with nothing but a number.
///
/// A notch: a null at the centre, and the −3 dB points within a millionth of the width, or within what f64
/// can tell apart at this sample rate. Otherwise: every edge of a recursive filter at its level, every fixed
/// point at its gain or phase, and the template kept, within 1e-6 dB or degrees. Taps: the half-amplitude
/// points within half of sample rate over taps of a cut-off, and nothing outside above an attenuation that
/// was asked for without a stop-band.
pub fn meets_spec(design: &Design, measures: &Measures, rate: SampleRate) -> Option<bool> {
    Some(match (&design.choice, measures) {
        (Choice::Notch(choice), Measures::Notch(measures)) => {
            let floor = 1e3 * f64::EPSILON * rate.hertz();
            let tolerance = (1e-6 * choice.width_hz).max(floor);
            let mut edges = measures.edges_3db_hz.iter().zip(choice.edges_hz);
            measures.center_gain_db.is_none_or(|gain| gain < -100.0)
                && edges.all(|(f, asked)| f.is_some_and(|f| (f - asked).abs() <= tolerance))
        }
        // Folding moves the edges of a sampled impulse response: nobody promised them.
        (Choice::Recursive(choice), _) if choice.mapping == Mapping::ImpulseInvariant => {
            return measures.template_excess_db(&design.choice).map(|excess| excess == 0.0);
        }
        (Choice::Recursive(choice), Measures::Bands(found)) => {
            let level = match choice.meaning {
                EdgeMeaning::HalfPower => -10.0 * std::f64::consts::LOG10_2,
                EdgeMeaning::RippleEnd => -choice.ripple_db.unwrap_or(0.0),
                EdgeMeaning::StopBegin => -choice.attenuation_db.unwrap_or(0.0),
            };
            let at_level = |hz: &f64| {
                let gain = gain_db(design.transfer(), rate, *hz) - found.peak_gain_db;
                (gain - level).abs() <= SLACK_DB
            };
            choice.edges_hz.iter().all(at_level)
                && measures.template_excess_db(&design.choice).is_none_or(|excess| excess == 0.0)
        }
        (Choice::Fir(choice), Measures::Bands(found)) => {
            let template = measures.template_excess_db(&design.choice).map(|excess| excess == 0.0);
            let checks =
                [template, keeps_side_lobes(choice, found), keeps_cutoff(choice, found, rate)];
            return checks.into_iter().flatten().reduce(|all, one| all && one);
        }
        (Choice::Direct(choice), Measures::General(found)) if !choice.marks.is_empty() => {
            found.marks.iter().all(|point| match (point.mark.asked, point.found) {
                (Asked::Null, found) => found.is_none(),
                (Asked::GainDb(asked) | Asked::PhaseDegrees(asked), Some(found)) => {
                    (found - asked).abs() <= SLACK_DB
                }
                _ => false,
            })
        }
        _ => return None,
    })
}

/// Whether nothing outside rises above an attenuation that was asked for without a stop-band; `None` where it
/// was not.
fn keeps_side_lobes(choice: &FirChoice, found: &BandMeasures) -> Option<bool> {
    let asked = choice.attenuation_db.filter(|_| choice.stop_hz.is_none())?;
    Some(found.outside_db.is_some_and(|level| level <= SLACK_DB - asked))
}

/// Whether the half-amplitude points lie at the cut-offs that were asked for, as nearly as so many taps can
/// tell two frequencies apart.
fn keeps_cutoff(choice: &FirChoice, found: &BandMeasures, rate: SampleRate) -> Option<bool> {
    // Samples of a response put a cut-off on a grid of so many steps; what lies between them comes on top.
    let steps = if choice.method == "frequency-sampling" { 1.0 } else { 2.0 };
    let near = rate.hertz() / (steps * choice.taps as f64);
    let mut pairs = choice.cutoff_hz.as_ref()?.iter().zip(&found.edges_6db_hz);
    Some(pairs.all(|(asked, found)| found.is_some_and(|hz| (hz - asked).abs() <= near)))
}

/// Smallest and largest group delay in the pass-band, in samples: outside the −3 dB points of a notch, else
/// in the pass-band that was asked for or between the half-power points; `None` where no pass-band is known.
///
/// Extremes are refined, not sampled.
pub fn passband_delay(
    filter: &dyn PhaseResponse,
    choice: &Choice,
    rate: SampleRate,
) -> Option<[f64; 2]> {
    let nyquist = rate.nyquist();
    if let Choice::Fir(FirChoice { linear_phase: Some(_), .. }) = choice {
        // The same at every frequency.
        return Some([filter.group_delay(0.0); 2]);
    }
    let delay = |hz: f64| filter.group_delay(rate.radians(hz));
    let stretches = passband(choice, nyquist)?;
    let ends = stretches.into_iter().map(|(low, high)| {
        let extent = filter.extent();
        let least = extreme(low, high, nyquist, extent, &delay);
        let most = extreme(low, high, nyquist, extent, &|hz| -delay(hz));
        [delay(least), delay(most)]
    });
    ends.reduce(|a, b| [a[0].min(b[0]), a[1].max(b[1])])
}

/// The stretches of the pass-band, in hertz, as far as they are known.
pub fn passband(choice: &Choice, nyquist: f64) -> Option<Vec<(f64, f64)>> {
    Some(match choice {
        Choice::Notch(NotchChoice { edges_hz: [low, high], .. }) => {
            vec![(0.0, *low), (*high, nyquist)]
        }
        Choice::Recursive(own) => {
            let half_power = (own.meaning == EdgeMeaning::HalfPower).then_some(&own.edges_hz);
            choice.bands()?.stretches(own.pass_hz.as_ref().or(half_power)?, true, nyquist)
        }
        Choice::Fir(own) => {
            let edges = own.pass_hz.as_ref().or(own.cutoff_hz.as_ref())?;
            choice.bands()?.stretches(edges, true, nyquist)
        }
        Choice::Direct(_) => return None,
    })
}
