//! Axes: ranges, ticks, units with engineering prefixes.

use plotters::coord::ranged1d::{DefaultFormatting, KeyPointHint, Ranged};
use std::ops::Range;

/// An axis.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Axis {
    /// What is shown along it.
    pub name: String,
    /// Its unit. Hertz, seconds and volts are shown with a prefix that fits the range; anything else as it
    /// is.
    pub unit: String,
    /// From and to, in the unit.
    pub range: (f64, f64),
    /// Whether equal ratios take equal lengths; both ends must then be above zero.
    pub is_logarithmic: bool,
    /// Names for 0, 1, 2, … instead of numbers.
    pub names: Vec<String>,
}

/// Units that take a prefix.
const PREFIXED: [&str; 3] = ["Hz", "s", "V"];

impl Axis {
    /// A linear axis.
    pub fn linear(name: &str, unit: &str, range: (f64, f64)) -> Self {
        let (name, unit) = (name.to_owned(), unit.to_owned());
        Axis { name, unit, range, is_logarithmic: false, names: Vec::new() }
    }

    /// A logarithmic axis.
    pub fn logarithmic(name: &str, unit: &str, range: (f64, f64)) -> Self {
        Axis { is_logarithmic: true, ..Axis::linear(name, unit, range) }
    }

    /// Whether the range can be drawn.
    pub(crate) fn is_sound(&self) -> bool {
        let (low, high) = self.range;
        let size = high.abs().max(low.abs());
        // Beyond that pixels are not told apart in f64, or the units have no name.
        size < 1e30
            && high - low > (1e-12 * size).max(1e-30)
            && !(self.is_logarithmic && (low < 1e-30 || high / low < 1.0 + 1e-9))
    }

    /// A place along the axis: a logarithm where it is logarithmic.
    pub(crate) fn place(&self, value: f64) -> f64 {
        if self.is_logarithmic { value.max(f64::MIN_POSITIVE).log10() } else { value }
    }

    /// The range in places.
    pub(crate) fn places(&self) -> Range<f64> {
        self.place(self.range.0)..self.place(self.range.1)
    }

    /// The size of what is shown as 1, and the unit with its prefix.
    fn scaled(&self) -> (f64, String) {
        let (low, high) = self.range;
        if self.is_logarithmic || !PREFIXED.contains(&self.unit.as_str()) {
            return (1.0, self.unit.clone());
        }
        let largest = low.abs().max(high.abs());
        // Nobody says 600 mHz for 0.6 Hz.
        let is_plain = self.unit == "Hz" && (0.01..1.0).contains(&largest);
        let (size, prefix) = if is_plain { (1.0, "") } else { prefix(largest) };
        (size, format!("{prefix}{}", self.unit))
    }

    /// "frequency in kHz"
    pub(crate) fn title(&self) -> String {
        match self.scaled().1.as_str() {
            "" => self.name.clone(),
            unit => format!("{} in {unit}", self.name),
        }
    }

    /// Where ticks stand, as places, with what is written there; about `count` of them.
    pub(crate) fn ticks(&self, count: usize) -> Vec<(f64, String)> {
        if !self.names.is_empty() {
            return self.named_ticks(count);
        }
        if self.is_logarithmic {
            return self.logarithmic_ticks();
        }
        let (low, high) = self.range;
        let (size, _) = self.scaled();
        let step = round_step((high - low) / size / count.max(1) as f64);
        // A tick at the very end is not lost to rounding.
        let first = (low / size / step - 1e-6).ceil() as i64;
        let last = (high / size / step + 1e-6).floor() as i64;
        let digits = (-(step * 1.0001).log10().floor()).clamp(0.0, 12.0) as usize;
        (first..=last)
            .map(|k| {
                let value = k as f64 * step;
                let is_plain = value.abs() < 1e7 && digits < 8;
                let text =
                    if is_plain { format!("{value:.digits$}") } else { format!("{value:.2e}") };
                (value * size, without_minus_zero(text))
            })
            .collect()
    }

    fn named_ticks(&self, count: usize) -> Vec<(f64, String)> {
        // All of them, or every second, fifth, tenth, ... where there is no room.
        let room = (self.names.len() as f64 / count.max(1) as f64 / 3.0).max(1.0);
        let every = round_step(room).max(1.0) as usize;
        let named = self.names.iter().enumerate().step_by(every);
        named.map(|(k, name)| (k as f64, name.clone())).collect()
    }

    fn logarithmic_ticks(&self) -> Vec<(f64, String)> {
        let Range { start, end } = self.places();
        let decades = (start.floor() as i32)..=(end.ceil() as i32);
        // With few decades the steps 2 and 5 are named too; with many not every decade is.
        let every = ((end - start) / 9.0).ceil().max(1.0) as i32;
        let inner: &[f64] = if end - start < 4.0 { &[1.0, 2.0, 5.0] } else { &[1.0] };
        let values = decades.flat_map(|decade| inner.iter().map(move |m| (decade, *m)));
        values
            .filter(|(decade, _)| decade.rem_euclid(every) == 0)
            .map(|(decade, m)| m * 10f64.powi(decade))
            .filter(|value| (start - 1e-9..=end + 1e-9).contains(&value.log10()))
            .map(|value| (value.log10(), engineering(value)))
            .collect()
    }
}

/// The largest step of 1, 2 or 5 times a power of ten that is not below this one, give or take rounding.
fn round_step(least: f64) -> f64 {
    let power = 10f64.powf(least.log10().floor());
    let mantissa = least / power;
    power * [1.0, 2.0, 5.0].into_iter().find(|m| mantissa <= m * 1.0001).unwrap_or(10.0)
}

/// The power of a thousand that a size is read in, with its prefix.
fn prefix(size: f64) -> (f64, &'static str) {
    const PREFIXES: [(f64, &str); 7] =
        [(1e9, "G"), (1e6, "M"), (1e3, "k"), (1.0, ""), (1e-3, "m"), (1e-6, "µ"), (1e-9, "n")];
    let fits = |(power, _): &(f64, &str)| size >= power * 0.999_999;
    PREFIXES.into_iter().find(fits).unwrap_or((1.0, ""))
}

/// A number with the prefix in place of its power: 50m, 1, 20k.
fn engineering(value: f64) -> String {
    let (size, letter) = prefix(value);
    let text = format!("{:.3}", value / size);
    format!("{}{letter}", text.trim_end_matches('0').trim_end_matches('.'))
}

fn without_minus_zero(text: String) -> String {
    if text.trim_start_matches(['-', '0', '.']).is_empty() { text.replace('-', "") } else { text }
}

/// A range of places with its ticks, for the drawing library.
#[derive(Debug, Clone)]
pub(crate) struct Scale {
    pub(crate) range: Range<f64>,
    pub(crate) ticks: Vec<f64>,
}

impl Ranged for Scale {
    type FormatOption = DefaultFormatting;
    type ValueType = f64;

    fn map(&self, value: &f64, (from, to): (i32, i32)) -> i32 {
        let share = (value - self.range.start) / (self.range.end - self.range.start);
        // Far outside is as good as just outside, and fits an i32.
        f64::from(from) as i32 + (share.clamp(-10.0, 11.0) * f64::from(to - from)).round() as i32
    }

    fn key_points<Hint: KeyPointHint>(&self, _: Hint) -> Vec<f64> {
        self.ticks.clone()
    }

    fn range(&self) -> Range<f64> {
        self.range.clone()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn written(axis: &Axis) -> Vec<String> {
        axis.ticks(8).into_iter().map(|(_, text)| text).collect()
    }

    #[test]
    fn ticks_are_round_and_carry_the_prefix() {
        let axis = Axis::linear("frequency", "Hz", (0.0, 48_000.0));
        assert_eq!(axis.title(), "frequency in kHz");
        assert_eq!(written(&axis), ["0", "10", "20", "30", "40"]);
        assert_eq!(axis.ticks(8)[1].0, 10_000.0);
        let axis = Axis::linear("time", "s", (0.0, 0.004));
        assert_eq!((axis.title().as_str(), written(&axis)[1].as_str()), ("time in ms", "0.5"));
        let axis = Axis::linear("gain", "dB", (-0.011, 0.011));
        assert_eq!(written(&axis), ["-0.010", "-0.005", "0.000", "0.005", "0.010"]);
        let axis = Axis::linear("gain", "dB", (-0.3, 0.3));
        assert_eq!(written(&axis), ["-0.3", "-0.2", "-0.1", "0.0", "0.1", "0.2", "0.3"]);
        let axis = Axis::logarithmic("frequency", "Hz", (0.01, 500.0));
        assert_eq!(written(&axis), ["10m", "100m", "1", "10", "100"]);
        let axis = Axis::logarithmic("frequency", "Hz", (100.0, 20_000.0));
        assert_eq!(written(&axis), ["100", "200", "500", "1k", "2k", "5k", "10k", "20k"]);
        let mut axis = Axis::linear("coefficient", "", (-0.5, 2.5));
        axis.names = ["b0", "b1", "a1"].map(str::to_owned).to_vec();
        assert_eq!(written(&axis), ["b0", "b1", "a1"]);
    }

    #[test]
    fn ranges_that_are_none_are_known() {
        for (range, log) in
            [((1.0, 1.0), false), ((0.0, f64::NAN), false), ((0.0, 1.0), true), ((2.0, 1.0), false)]
        {
            let mut axis = Axis::linear("x", "", range);
            axis.is_logarithmic = log;
            assert!(!axis.is_sound(), "{axis:?}");
        }
    }
}
