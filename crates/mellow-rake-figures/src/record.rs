//! Recordings as lines.

/// Columns in which a record too dense for a line is drawn.
const COLUMNS: usize = 1180;

/// Samples as points of a line, from a time and a period in seconds; of a record too dense for that, the
/// lowest and the highest of every column of a figure.
///
/// ```
/// use mellow_rake_figures::record_line;
/// assert_eq!(record_line(1.0, 0.5, &[7.0, 8.0]), [(1.0, 7.0), (1.5, 8.0)]);
/// ```
pub fn record_line(start_s: f64, period_s: f64, values: &[f64]) -> Vec<(f64, f64)> {
    let time = |index: usize| start_s + period_s * index as f64;
    if values.len() <= 2 * COLUMNS {
        return values.iter().enumerate().map(|(index, value)| (time(index), *value)).collect();
    }
    let last = values.len() - 1;
    let column = |k: usize| {
        let at = |k: usize| k * last / COLUMNS;
        // The first sample of the next column is part of this one: nothing comes apart.
        let part = &values[at(k)..=at(k + 1)];
        let low = part.iter().copied().fold(f64::MAX, f64::min);
        let high = part.iter().copied().fold(f64::MIN, f64::max);
        [(time(at(k)), low), (time(at(k)), high)]
    };
    (0..COLUMNS).flat_map(column).chain([(time(last), values[last])]).collect()
}
