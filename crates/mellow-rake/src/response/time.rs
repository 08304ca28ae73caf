//! What a filter does in time: impulse and step response, and the numbers read off them.

use crate::filter::{Form, Transfer};
use crate::units::SampleRate;

/// Numbers read off the impulse and step response of a filter in f64.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct TimeMeasures {
    /// How far the step response goes beyond its final value, in percent of the final value's size; where
    /// that is below a quarter of the largest swing (high-pass and band-pass filters), the swing to the other
    /// side in percent of the step.
    pub step_overshoot_percent: f64,
    /// The first sample from which on the step response stays within 1 % of its largest size around its final
    /// value.
    pub settling_samples: usize,
    /// After how many samples the slowest part of the response has fallen to 1/e: −1/ln of the largest pole
    /// radius; `None` without poles away from the origin.
    pub time_constant_samples: Option<f64>,
    /// Distance of the outermost pole from the unit circle; `None` as above.
    pub stability_margin: Option<f64>,
    /// Σ|h|: the largest output for inputs of size 1.
    pub largest_output: f64,
    /// √Σh²: the rms of the output for white noise of rms 1.
    pub noise_gain: f64,
    /// The width of the ideal band-pass at the filter's peak gain that lets the same white noise through, in
    /// hertz.
    pub noise_bandwidth_hz: f64,
}

/// Measures a filter in time. `peak_gain` is its largest gain, as a ratio.
pub fn measure_time(form: &Form, peak_gain: f64, rate: SampleRate) -> TimeMeasures {
    let impulse = form.impulse_response();
    let square: f64 = impulse.iter().map(|h| h * h).sum();
    let step = form.step_response();
    let radius = form.pole_radius();
    TimeMeasures {
        step_overshoot_percent: overshoot(&step, form.gain(0.0)),
        settling_samples: settling(&step, form.gain(0.0)),
        time_constant_samples: radius.map(|radius| -1.0 / libm::log(radius)),
        stability_margin: radius.map(|radius| 1.0 - radius),
        largest_output: impulse.iter().map(|h| h.abs()).sum(),
        noise_gain: libm::sqrt(square),
        noise_bandwidth_hz: rate.nyquist() * square / (peak_gain * peak_gain),
    }
}

/// The final value of a step response: the gain at zero frequency with the sign that the response settled to.
fn target(step: &[f64], dc_gain: f64) -> f64 {
    libm::copysign(dc_gain, step.last().copied().unwrap_or(0.0))
}

/// How far a step response goes beyond its final value, in percent.
pub(crate) fn overshoot(step: &[f64], dc_gain: f64) -> f64 {
    let largest = step.iter().fold(0.0, |most: f64, y| most.max(y.abs()));
    if dc_gain < 0.25 * largest {
        // Nothing to speak of remains of the step: what counts is the swing to the other side.
        return 100.0 * step.iter().fold(0.0, |most: f64, y| most.max(-y));
    }
    let target = target(step, dc_gain);
    let beyond = step.iter().fold(0.0, |most: f64, y| most.max((y - target) * target.signum()));
    100.0 * beyond / dc_gain
}

fn settling(step: &[f64], dc_gain: f64) -> usize {
    let target = target(step, dc_gain);
    let largest = step.iter().fold(0.0, |most: f64, y| most.max(y.abs()));
    let outside = |y: &f64| (y - target).abs() > 0.01 * largest;
    step.iter().rposition(outside).map_or(0, |last| last + 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::design;
    use crate::spec::Spec;

    fn made(want: &str) -> Form {
        let text = format!("name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\n{want}\n");
        design(&Spec::parse(&text).unwrap()).unwrap().form
    }

    /// One pole p: time constant −1/ln p, Σ|h| = 1, Σh² = (1−p)/(1+p), settled to 1 % after ln 0.01/ln p
    /// samples.
    #[test]
    fn a_leaky_integrator_measures_as_its_closed_form() {
        let rate = SampleRate::from_hertz(1000.0).unwrap();
        let found = measure_time(
            &made("kind = \"leaky-integrator\"\ntime_constant = \"25 samples\""),
            1.0,
            rate,
        );
        let p = (-1.0f64 / 25.0).exp();
        assert!((found.time_constant_samples.unwrap() - 25.0).abs() < 1e-9);
        assert!((found.stability_margin.unwrap() - (1.0 - p)).abs() < 1e-12);
        assert!((found.largest_output - 1.0).abs() < 1e-8);
        let square = (1.0 - p) / (1.0 + p);
        assert!((found.noise_gain - square.sqrt()).abs() < 1e-12);
        assert!((found.noise_bandwidth_hz - 500.0 * square).abs() < 1e-9);
        // y[n] = 1 − p^(n+1): within 1 % from n + 1 ≥ ln 0.01/ln p on.
        assert_eq!(found.settling_samples, (0.01f64.ln() / p.ln()).ceil() as usize - 1);
        assert!(found.step_overshoot_percent < 1e-9);
    }

    /// A second-order low-pass with a known damping overshoots by exp(−πζ/√(1 − ζ²)) when it is slow against
    /// the sample rate; a mean settles with its last sample; a DC blocker forgets the step.
    #[test]
    fn steps_settle_and_overshoot_as_they_must() {
        let rate = SampleRate::from_hertz(1000.0).unwrap();
        let (radius, angle): (f64, f64) = (0.999, 0.002);
        let (a1, a2) = (-2.0 * radius * angle.cos(), radius * radius);
        let section = format!("[[{:?}, 0, 0, 1, {a1:?}, {a2:?}]]", 1.0 + a1 + a2);
        let slow = made(&format!("kind = \"coefficients\"\nsections = {section}"));
        let found = measure_time(&slow, 1.0, rate);
        // s = ln z: real part ln r, imaginary part the angle; the peak lies half a period after the start.
        let expected = 100.0 * (std::f64::consts::PI * radius.ln() / angle).exp();
        assert!((found.step_overshoot_percent - expected).abs() < 0.1, "{found:?} {expected}");
        let mean = made("kind = \"average\"\n[method]\ntaps = 10");
        let found = measure_time(&mean, 1.0, rate);
        assert_eq!((found.settling_samples, found.time_constant_samples), (9, None));
        assert!((found.noise_bandwidth_hz - 50.0).abs() < 1e-9);
        let blocker = measure_time(&made("kind = \"dc-blocker\"\ncutoff = \"10 Hz\""), 1.0, rate);
        assert!(blocker.step_overshoot_percent < 1e-6 && blocker.settling_samples > 60);
    }
}
