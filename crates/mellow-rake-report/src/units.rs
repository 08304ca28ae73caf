//! Frequencies in words.

use mellow_rake::quality::Place;

/// A frequency as a number of hertz for a column: four digits behind the point, fewer of large ones, more of
/// small ones.
pub fn hertz(value: f64) -> String {
    let digits = match value.abs() {
        size if size >= 1e6 => 1,
        size if size >= 1e4 => 2,
        size if size >= 1.0 => 4,
        0.0 => 4,
        _ => 6,
    };
    format!("{value:.digits$}")
}

/// The unit in which frequencies up to this one are read: its size in hertz, and its name.
fn unit(largest: f64) -> (f64, &'static str) {
    match largest {
        size if size >= 1e9 => (1e9, "GHz"),
        size if size >= 1e6 => (1e6, "MHz"),
        size if size >= 1e4 => (1e3, "kHz"),
        _ => (1.0, "Hz"),
    }
}

/// "22.5 and 31.5 kHz"
pub fn frequencies(all: &[f64], between: &str) -> String {
    let largest = all.iter().fold(0.0f64, |most, hz| most.max(hz.abs()));
    let (size, name) = unit(largest);
    let number = |hz: &f64| {
        let text = format!("{:.5}", hz / size);
        text.trim_end_matches('0').trim_end_matches('.').to_owned()
    };
    format!("{} {name}", all.iter().map(number).collect::<Vec<_>>().join(between))
}

/// Frequencies one by one: "27 kHz", "27 and 33 kHz", "27, 30 and 33 kHz"; nothing of none.
pub(crate) fn listed(all: &[f64]) -> Option<String> {
    let text = frequencies(all, ", ");
    match (all.len(), text.rsplit_once(", ")) {
        (0, _) => None,
        (_, Some((before, last))) => Some(format!("{before} and {last}")),
        _ => Some(text),
    }
}

/// A length of time: "1.25 ms".
///
/// ```
/// use mellow_rake_report::units::duration;
/// let all = [0.0, 2.5, 0.001_25, 7.3e-5, -4e-8].map(duration);
/// assert_eq!(all, ["0 s", "2.5 s", "1.25 ms", "73 us", "-40 ns"]);
/// ```
pub fn duration(seconds: f64) -> String {
    let (size, name) = match seconds.abs() {
        size if size >= 1.0 || size == 0.0 => (1.0, "s"),
        size if size >= 1e-3 => (1e-3, "ms"),
        size if size >= 1e-6 => (1e-6, "us"),
        _ => (1e-9, "ns"),
    };
    let text = format!("{:.4}", seconds / size);
    format!("{} {name}", text.trim_end_matches('0').trim_end_matches('.'))
}

/// Where a quantity is found, with a blank before it.
pub fn place(place: &Place) -> String {
    match place {
        Place::Everywhere => String::new(),
        Place::To(edges) => format!(" to {}", frequencies(edges, " and ")),
        Place::From(edges) => format!(" from {}", frequencies(edges, " and ")),
        Place::At(hz) => format!(" at {}", frequencies(&[*hz], "")),
        Place::Between(low, high) => format!(" {}", frequencies(&[*low, *high], " to ")),
    }
}
