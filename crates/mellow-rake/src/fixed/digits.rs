//! Signed digits of an integer.

/// The least number of nonzero digits 1 and −1 in which an integer can be written as a sum of powers of two: that of its
/// canonical form, in which no two neighbours are nonzero (G. W. Reitwiesner, "Binary arithmetic", 1960, section 8). A product by it
/// takes one adder less than that.
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
