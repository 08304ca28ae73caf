//! Filters to be drawn on common axes.

use mellow_rake::design::{Choice, Design};
use mellow_rake::filter::{Form, PhaseResponse};
use mellow_rake::quality::passband;
use mellow_rake::response::{FrequencyCurves, adaptive_grid, frequency_curves, zeros_and_poles};
use mellow_rake::units::SampleRate;
use mellow_rake_figures::Pen;
use num_complex::Complex64;

/// A filter in a figure.
pub struct Subject<'a> {
    /// Its name in the legend.
    pub name: String,
    /// How it is drawn.
    pub pen: Pen,
    /// Its most accurate form.
    pub filter: &'a dyn PhaseResponse,
    /// The form in which it runs.
    pub form: &'a Form,
    /// Zeros and poles as designed, where they are known better than by the form.
    pub design: Option<&'a Design>,
    /// What it was designed as.
    pub choice: &'a Choice,
    /// Its sample rate.
    pub rate: SampleRate,
}

impl<'a> Subject<'a> {
    /// A filter as designed.
    pub fn designed(name: &str, pen: Pen, design: &'a Design, rate: SampleRate) -> Self {
        Subject {
            name: name.to_owned(),
            pen,
            filter: design.transfer(),
            form: &design.form,
            design: Some(design),
            choice: &design.choice,
            rate,
        }
    }

    /// The filter with rounded coefficients that stands for a design.
    pub fn rounded(
        name: &str,
        pen: Pen,
        form: &'a Form,
        choice: &'a Choice,
        rate: SampleRate,
    ) -> Self {
        Subject { name: name.to_owned(), pen, filter: form, form, design: None, choice, rate }
    }

    /// Where a panel looks: straight lines follow the gain within `tolerance_db`, and the frequencies `also`
    /// are among the points.
    pub fn places(&self, (low, high): (f64, f64), tolerance_db: f64, also: &[f64]) -> Vec<f64> {
        let high = high.min(self.rate.nyquist());
        let mut hertz = adaptive_grid(self.filter, self.rate, low, high, tolerance_db);
        hertz.extend(also.iter().filter(|hz| (low..=high).contains(hz)));
        hertz.sort_by(f64::total_cmp);
        hertz.dedup();
        hertz
    }

    /// Gain, phase and delay there.
    pub fn curves(&self, hertz: &[f64]) -> FrequencyCurves {
        frequency_curves(self.filter, self.rate, hertz)
    }

    /// The stretches of the pass-band, in hertz; where none is known, the whole range.
    pub fn passband(&self) -> Vec<(f64, f64)> {
        let nyquist = self.rate.nyquist();
        passband(self.choice, nyquist).unwrap_or_else(|| vec![(0.0, nyquist)])
    }

    /// Zeros and poles, or why they are not known.
    pub fn roots(&self) -> Result<[Vec<Complex64>; 2], String> {
        match self.design.and_then(|design| design.zeros_poles.as_ref()) {
            Some(filter) => Ok([filter.zeros.clone(), filter.poles.clone()]),
            None => zeros_and_poles(self.form).map_err(|why| why.to_string()),
        }
    }

    /// The impulse response as far as there is something to see of it.
    pub fn impulse(&self) -> Vec<f64> {
        let mut response = self.form.impulse_response();
        let largest = response.iter().fold(0.0f64, |most, h| most.max(h.abs()));
        let last = response.iter().rposition(|h| h.abs() > 1e-3 * largest).unwrap_or(0);
        response.truncate((last + 2).max(8));
        response
    }

    /// The step response, and a quarter more than it takes to settle.
    pub fn step(&self) -> Vec<f64> {
        let mut response = self.form.step_response();
        let last = response.last().copied().unwrap_or(0.0);
        let largest = response.iter().fold(0.0f64, |most, y| most.max(y.abs()));
        let far = |y: &f64| (y - last).abs() > 0.01 * largest;
        let settled = response.iter().rposition(far).map_or(0, |k| k + 1);
        let wanted = (settled + settled / 4 + 8).max(16);
        // Taps have given all they have; the step goes on.
        let end = response.last().copied().unwrap_or(0.0);
        response.resize(wanted, end);
        response
    }
}
