//! Signed digits: a coefficient as a sum and difference of few powers of two.

use crate::fixed::{WordFormat, signed_digits};

/// The next integer in a direction with at most so many digits, within a format; `None` beyond its ends.
pub(super) fn next(integer: i64, up: bool, most: Option<u32>, format: WordFormat) -> Option<i64> {
    let mut value = integer;
    loop {
        value = if up { value.checked_add(1)? } else { value.checked_sub(1)? };
        if !format.holds(value.into()) {
            return None;
        }
        match most {
            Some(most) if signed_digits(value) > most => value = skip(value, up, most),
            _ => return Some(value),
        }
    }
}

/// From an integer of too many digits to just before the next of at most `most`: far ones are not gone to one
/// by one.
fn skip(integer: i64, up: bool, most: u32) -> i64 {
    let best = nearest_of(integer, most);
    // All that lies between an integer and its nearest neighbour of few digits, on that side, has more.
    match up {
        true if best > integer => best - 1,
        false if best < integer => best + 1,
        _ => integer,
    }
}

/// The nearest integer with at most so many digits, of any size: the largest power of two that brings the
/// rest nearest to zero, again and again, which for signed digits is the nearest of all.
fn nearest_of(integer: i64, most: u32) -> i64 {
    let (mut rest, mut sum) = (i128::from(integer), 0i128);
    for _ in 0..most {
        if rest == 0 {
            break;
        }
        let size = rest.unsigned_abs();
        let below = 1i128 << (127 - size.leading_zeros());
        // Of the powers around the rest the nearer one.
        let power = if 2 * size > 3 * below as u128 { 2 * below } else { below };
        let step = if rest < 0 { -power } else { power };
        sum += step;
        rest -= step;
    }
    sum.clamp(i64::MIN.into(), i64::MAX.into()) as i64
}

/// The nearest integer with at most so many digits in a format.
pub(super) fn nearest(integer: i64, most: u32, format: WordFormat) -> i64 {
    if signed_digits(integer) <= most {
        return integer;
    }
    let found = nearest_of(integer, most);
    if format.holds(found.into()) {
        return found;
    }
    // The one beyond the end does not count: from the end inward.
    next(integer, integer < 0, Some(most), format).unwrap_or(0)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// All integers of 11 bits against a list of all sums of so many powers of two.
    #[test]
    fn nearest_and_next_are_those_of_a_list() {
        let format = WordFormat::new(true, 11, 0).unwrap();
        let mut lists: Vec<Vec<i64>> = vec![vec![0]];
        for most in 1..=4 {
            let mut list: Vec<i64> = lists[most - 1].clone();
            for value in &lists[most - 1] {
                list.extend((0..11).flat_map(|k| [value + (1 << k), value - (1 << k)]));
            }
            list.sort_unstable();
            list.dedup();
            lists.push(list);
        }
        for (most, list) in lists.iter().enumerate().skip(1) {
            let list: Vec<i64> =
                list.iter().copied().filter(|v| format.holds((*v).into())).collect();
            for integer in -1024..1024 {
                assert_eq!(
                    list.binary_search(&integer).is_ok(),
                    signed_digits(integer) as usize <= most
                );
                let best = list.iter().map(|v| (v - integer).abs()).min().unwrap();
                let found = nearest(integer, most as u32, format);
                assert!(list.binary_search(&found).is_ok(), "{integer} {most}: {found}");
                assert_eq!((found - integer).abs(), best, "{integer} {most}: {found}");
                let above = list.iter().copied().find(|v| *v > integer);
                let below = list.iter().rev().copied().find(|v| *v < integer);
                assert_eq!(next(integer, true, Some(most as u32), format), above);
                assert_eq!(next(integer, false, Some(most as u32), format), below);
            }
        }
    }
}
