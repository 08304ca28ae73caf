//! Numbers in words.

/// A number with so many digits behind the point, or a dash.
pub fn number(value: Option<f64>, digits: usize) -> String {
    value.map_or_else(|| "-".to_owned(), |value| without_minus_zero(format!("{value:.digits$}")))
}

/// A number with as many digits behind the point as it needs, at most so many.
pub fn short(value: f64, digits: usize) -> String {
    let text = without_minus_zero(format!("{value:.digits$}"));
    match text.contains('.') {
        true => text.trim_end_matches('0').trim_end_matches('.').to_owned(),
        false => text,
    }
}

/// A number of five significant digits in engineering notation: its power of ten is a multiple of three, and
/// left out from 0.01 to below 100,000.
pub fn engineering(value: f64) -> String {
    const DIGITS: i32 = 5;
    if value == 0.0 || !value.is_finite() {
        return without_minus_zero(value.to_string());
    }
    // Rounded first: 0.99999999 is 1.
    let rounded: f64 = format!("{value:.4e}").parse().unwrap_or(value);
    let exponent = rounded.abs().log10().floor() as i32;
    let power = if (-2..DIGITS).contains(&exponent) { 0 } else { exponent.div_euclid(3) * 3 };
    let digits = (DIGITS - 1 - (exponent - power)).max(0) as u32;
    let text = short(rounded / 10f64.powi(power), digits as usize);
    if power == 0 { text } else { format!("{text}e{power}") }
}

/// A printed number; zero without a sign.
pub fn without_minus_zero(text: String) -> String {
    let is_zero = text.trim_start_matches(['+', '-', '0', '.']).is_empty();
    if is_zero { text.replace(['+', '-'], "") } else { text }
}

#[cfg(test)]
mod tests {
    #[test]
    fn powers_of_ten_are_multiples_of_three() {
        for (value, expected) in [
            (0.0, "0"),
            (-0.0, "0"),
            (707.576_73, "707.58"),
            (99_999.6, "100e3"),
            (12_345.6, "12346"),
            (0.012_345_67, "0.012346"),
            (0.001_234_567, "1.2346e-3"),
            (-4.7e-9, "-4.7e-9"),
            (0.999_999_99, "1"),
            (2.5e7, "25e6"),
        ] {
            assert_eq!(super::engineering(value), expected);
        }
    }
}
