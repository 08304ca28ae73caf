//! Signed digits of an integer.

/// The least number of nonzero digits 1 and −1 in which an integer can be written as a sum of powers of two:
/// that of its canonical form, in which no two neighbours are nonzero (G. W. Reitwiesner, "Binary
/// arithmetic", 1960, section 8). A product by it takes one adder less than that.
///
/// ```
/// use mellow_rake::fixed::signed_digits;
/// // 7 = 8 − 1, 11 = 8 + 2 + 1 = 8 + 4 − 1.
/// assert_eq!([0, 1, -7, 11, 64].map(signed_digits), [0, 1, 2, 3, 1]);
/// ```
pub fn signed_digits(integer: i64) -> u32 {
    let size = u128::from(integer.unsigned_abs());
    (size ^ (3 * size)).count_ones()
}

/// The canonical form itself: the powers of two that add up to an integer, the smallest first, and whether
/// each is taken away.
///
/// ```
/// use mellow_rake::fixed::signed_digit_powers;
/// assert_eq!(signed_digit_powers(7), [(0, true), (3, false)]);
/// assert_eq!(signed_digit_powers(-96), [(5, false), (7, true)]);
/// ```
pub fn signed_digit_powers(integer: i64) -> Vec<(u32, bool)> {
    let mut rest = i128::from(integer);
    let mut powers = Vec::new();
    while rest != 0 {
        let power = rest.trailing_zeros();
        // Of the two odd neighbours in units of the last digit the one that leaves a multiple of four.
        let is_minus = (rest >> power) & 3 == 3;
        rest += if is_minus { 1i128 << power } else { -(1i128 << power) };
        powers.push((power, is_minus));
    }
    powers
}

#[cfg(test)]
mod tests {
    use super::*;

    /// They add up, no two are neighbours, and they are as few as are counted.
    #[test]
    fn powers_are_the_canonical_form() {
        let ends = [i64::MIN, i64::MIN + 1, i64::MAX, i64::MAX - 1];
        for integer in (-5000..5000).chain(ends) {
            let powers = signed_digit_powers(integer);
            let value = |&(power, is_minus): &(u32, bool)| {
                if is_minus { -(1i128 << power) } else { 1i128 << power }
            };
            assert_eq!(powers.iter().map(value).sum::<i128>(), integer.into());
            assert_eq!(powers.len(), signed_digits(integer) as usize);
            assert!(powers.windows(2).all(|pair| pair[1].0 >= pair[0].0 + 2), "{powers:?}");
        }
    }
}
