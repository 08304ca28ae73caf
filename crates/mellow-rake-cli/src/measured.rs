//! A design with everything measured on it.

use crate::failure::Failure;
use crate::load::Loaded;
use mellow_rake::analysis::{
    BandMeasures, Bands, NotchMeasures, gain_db, linear_grid, measure_bands, measure_notch,
};
use mellow_rake::design::iir::IirChoice;
use mellow_rake::design::{Choice, NotchChoice};
use mellow_rake::filter::{EdgeMeaning, Transfer};
use mellow_rake::implementation::Implementation;
use mellow_rake::units::SampleRate;

/// What was measured on one response.
pub(crate) enum Measures {
    Notch(NotchMeasures),
    Bands(BandMeasures),
}

/// A design, its integer filter, and what was measured on both.
pub(crate) struct Measured {
    pub(crate) loaded: Loaded,
    pub(crate) implementation: Option<Implementation>,
    pub(crate) designed: Measures,
    pub(crate) rounded: Option<Measures>,
    /// Smallest and largest group delay in the pass-band, in samples, where a pass-band is known.
    pub(crate) delay: Option<[f64; 2]>,
}

/// Decibels by which a level may miss its wish: what f64 leaves of it.
const SLACK_DB: f64 = 1e-6;

impl Measured {
    pub(crate) fn new(loaded: Loaded) -> Result<Self, Failure> {
        let implementation = loaded.implementation()?;
        let rate = loaded.spec.sample_rate;
        let choice = &loaded.design.choice;
        let filter = &loaded.design.zeros_poles;
        let designed = measure(filter, rate, choice);
        let rounded =
            implementation.as_ref().map(|integers| measure(&integers.rounded, rate, choice));
        let nyquist = rate.nyquist();
        let pass = match choice {
            Choice::Notch(NotchChoice { edges_hz: [low, high], .. }) => {
                vec![(0.0, *low), (*high, nyquist)]
            }
            Choice::Recursive(choice) => {
                let bands = bands(choice);
                let edges = bands
                    .pass_hz
                    .as_ref()
                    .or((choice.meaning == EdgeMeaning::HalfPower).then_some(&choice.edges_hz));
                edges.map_or(Vec::new(), |edges| bands.stretches(edges, true, nyquist))
            }
            _ => Vec::new(),
        };
        let delay = pass
            .into_iter()
            .flat_map(|(low, high)| linear_grid(low, high, 4000))
            .map(|hz| filter.group_delay(rate.radians(hz)))
            .fold(None, |range: Option<[f64; 2]>, delay| {
                let [least, most] = range.unwrap_or([delay; 2]);
                Some([least.min(delay), most.max(delay)])
            });
        Ok(Measured { loaded, implementation, designed, rounded, delay })
    }

    /// Whether the design is what was asked.
    pub(crate) fn meets_spec(&self) -> bool {
        let filter = &self.loaded.design.zeros_poles;
        let rate = self.loaded.spec.sample_rate;
        match (&self.loaded.design.choice, &self.designed) {
            // A null at the centre, and the −3 dB points where they belong within a millionth of the width, or
            // within what f64 can tell apart at this sample rate.
            (Choice::Notch(choice), Measures::Notch(measures)) => {
                let floor = 1e3 * f64::EPSILON * rate.hertz();
                let tolerance = (1e-6 * choice.width_hz).max(floor);
                let mut edges = measures.edges_3db_hz.iter().zip(choice.edges_hz);
                measures.center_gain_db.is_none_or(|gain| gain < -100.0)
                    && edges.all(|(f, asked)| f.is_some_and(|f| (f - asked).abs() <= tolerance))
            }
            (Choice::Recursive(choice), Measures::Bands(measures)) => {
                let level = edge_level(choice);
                let met = choice.edges_hz.iter().all(|&hz| {
                    let found = gain_db(filter, rate, hz) - measures.peak_gain_db;
                    (found - level).abs() <= SLACK_DB
                });
                met && excess_db(choice, measures) == 0.0
            }
            _ => false,
        }
    }

    /// By how many decibels the filter with rounded coefficients exceeds the levels that were asked for, zero where it
    /// keeps them; `None` where no level was asked for, or nothing is rounded.
    pub(crate) fn rounded_excess_db(&self) -> Option<f64> {
        match (&self.loaded.design.choice, self.rounded.as_ref()?) {
            (Choice::Recursive(choice), Measures::Bands(measures))
                if choice.pass_hz.is_some() || choice.stop_hz.is_some() =>
            {
                Some(excess_db(choice, measures))
            }
            _ => None,
        }
    }
}

/// By how many decibels the measured levels exceed those asked for.
fn excess_db(choice: &IirChoice, measures: &BandMeasures) -> f64 {
    let ripple =
        measures.passband_ripple_db.zip(choice.ripple_db).map(|(found, asked)| found - asked);
    let attenuation = measures
        .stopband_attenuation_db
        .zip(choice.attenuation_db)
        .map(|(found, asked)| asked - found);
    let excess = ripple.unwrap_or(0.0).max(attenuation.unwrap_or(0.0));
    if excess > SLACK_DB { excess } else { 0.0 }
}

/// The gain at the edges below the peak, in decibels.
pub(crate) fn edge_level(choice: &IirChoice) -> f64 {
    match choice.meaning {
        EdgeMeaning::HalfPower => -10.0 * std::f64::consts::LOG10_2,
        EdgeMeaning::RippleEnd => -choice.ripple_db.unwrap_or(0.0),
        EdgeMeaning::StopBegin => -choice.attenuation_db.unwrap_or(0.0),
    }
}

/// Where the bands of a choice lie, as far as they were asked for.
pub(crate) fn bands(choice: &IirChoice) -> Bands {
    Bands { kind: choice.kind, pass_hz: choice.pass_hz.clone(), stop_hz: choice.stop_hz.clone() }
}

fn measure(filter: &dyn Transfer, rate: SampleRate, choice: &Choice) -> Measures {
    match choice {
        Choice::Recursive(choice) => {
            let middle = match choice.edges_hz[..] {
                [low, high] => (low * high).sqrt(),
                _ => choice.edges_hz[0],
            };
            Measures::Bands(measure_bands(filter, rate, &bands(choice), middle))
        }
        Choice::Notch(choice) => Measures::Notch(measure_notch(filter, rate, choice.center_hz)),
        _ => unreachable!("every choice is measured"),
    }
}
