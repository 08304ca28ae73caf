//! A choice in words.

use super::fir::FirChoice;
use super::iir::IirChoice;
use super::{Choice, NotchChoice};
use crate::filter::{EdgeMeaning, Mapping};
use crate::spec::Phase;
use std::fmt;

/// What was decided, in one to a few lines.
///
/// ```
/// use mellow_rake::{design::design, spec::{Spec, template}};
/// let spec = Spec::parse(template("lowpass").unwrap())?;
/// let words = design(&spec)?.choice.to_string();
/// assert!(words.starts_with("elliptic lowpass of order 5, the smallest that keeps the template"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
impl fmt::Display for Choice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Choice::Notch(choice) => f.write_str(&notch_title(choice)),
            Choice::Recursive(choice) => f.write_str(&band_title(choice)),
            Choice::Fir(choice) => f.write_str(&fir_title(choice)),
            Choice::Direct(choice) => f.write_str(&choice.title),
        }
    }
}

fn notch_title(choice: &NotchChoice) -> String {
    let NotchChoice { center_hz, width_hz, q, .. } = choice;
    let (center, width) = (plain(*center_hz), plain(*width_hz));
    format!("second-order notch at {center} Hz, {width} Hz between the -3 dB points (q {q:.4})")
}

/// "0.6 Hz", or "5 Hz and 15 Hz"
fn edges(edges: &[f64]) -> String {
    edges.iter().map(|hz| format!("{} Hz", plain(*hz))).collect::<Vec<_>>().join(" and ")
}

fn band_title(choice: &IirChoice) -> String {
    let IirChoice { kind, family, order, .. } = choice;
    let smallest =
        if choice.order_is_smallest { ", the smallest that keeps the template" } else { "" };
    let at = edges(&choice.edges_hz);
    let meaning = match choice.meaning {
        EdgeMeaning::HalfPower => format!("-3 dB at {at}"),
        EdgeMeaning::RippleEnd => format!("the ripple ends exactly at {at}"),
        EdgeMeaning::StopBegin => format!("the stop-band begins exactly at {at}"),
    };
    let mapping = match choice.mapping {
        Mapping::Bilinear => "",
        Mapping::ImpulseInvariant => {
            "\n  of the analogue filter, whose impulse response is sampled; what folds back moves the edges"
        }
    };
    format!("{family} {} of order {order}{smallest};\n  {meaning}{mapping}", kind.as_str())
}

fn fir_title(choice: &FirChoice) -> String {
    let FirChoice { kind, method, taps, window, .. } = choice;
    let smallest =
        if choice.taps_are_smallest { ", the fewest that keep the template" } else { "" };
    let how = match (window, *method) {
        (Some(window), _) => format!("window {window}, "),
        (None, "closed-form") => String::new(),
        (None, method) => format!("{method}, "),
    };
    let phase = match (choice.phase, choice.linear_phase) {
        (Phase::Minimum, _) => "minimum phase".to_owned(),
        (_, Some(kind)) => format!("linear phase of type {}", kind.as_str()),
        _ => "no exactly linear phase".to_owned(),
    };
    let mut title = format!("{kind} with {taps} taps{smallest};\n  {how}{phase}");
    if let (Some(error), Some(least), Some(count)) =
        (choice.largest_error, choice.least_error, choice.alternations)
    {
        title.push_str(&format!(
            "\n  weighted error {error:.4e}, alternating at {count} frequencies: with so many taps\n  none \
             is below {least:.4e}"
        ));
    }
    let differ = choice.bands.windows(2).any(|pair| pair[0].weight != pair[1].weight);
    for band in choice.bands.iter().filter(|_| differ) {
        let [low, high] = band.edges_hz.map(rounded);
        title.push_str(&format!("\n  {low} to {high} Hz: weight {:.4}", band.weight));
    }
    title
}

/// A number without the last digits of f64, which nobody asked for: ten significant ones at most.
pub(super) fn plain(value: f64) -> String {
    let shortest = value.to_string();
    let digits = shortest.chars().filter(char::is_ascii_digit).count();
    if digits <= 10 || value == 0.0 || !value.is_finite() {
        return shortest;
    }
    let whole = libm::floor(libm::log10(value.abs())) as i32;
    let behind = (9 - whole).clamp(0, 300) as usize;
    let text = format!("{value:.behind$}");
    if text.contains('.') {
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    } else {
        text
    }
}

/// A frequency with at most four digits behind the point.
fn rounded(hertz: f64) -> String {
    let text = format!("{hertz:.4}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

#[cfg(test)]
mod tests {
    use super::plain;

    #[test]
    fn last_digits_are_left_out() {
        let cases = [
            (87.5, "87.5"),
            (0.03 * 32.0, "0.96"),
            (223.359_541_990_298_88, "223.359542"),
            (1.0 / 3.0, "0.3333333333"),
            (123_456_789_012.25, "123456789012"),
            (1e-12 / 3.0, "0.0000000000003333333333"),
        ];
        for (value, expected) in cases {
            assert_eq!(plain(value), expected);
        }
    }
}
