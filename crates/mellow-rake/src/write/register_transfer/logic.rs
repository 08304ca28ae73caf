//! Boolean functions of the number of a clock, as few products of literals as are found.

use super::value::{Signal, Value, all, any, fixed_bit};
use std::collections::BTreeSet;

/// A product of literals: where `care` has a bit, the number's bit is that of `value`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Cube {
    care: u32,
    value: u32,
}

impl Cube {
    fn holds(self, number: u32) -> bool {
        number & self.care == self.value
    }
}

/// A function of a number, from its value for each: `None` where any would do. By W. V. Quine, "The problem
/// of simplifying truth functions", 1952, and E. J. McCluskey, "Minimization of Boolean functions", 1956:
/// all products that cannot be shorter, of which those that cover most of what is left are taken until
/// nothing is.
pub(super) fn sum_of_products(values: &[Option<bool>], number: &Signal) -> Value {
    let bits = number.width();
    let all_numbers = 1u32 << bits;
    let value = |n: u32| values.get(n as usize).copied().flatten();
    let wanted: Vec<u32> = (0..all_numbers).filter(|n| value(*n) == Some(true)).collect();
    if wanted.is_empty() {
        return fixed_bit(false);
    }
    let mut cubes: BTreeSet<Cube> = (0..all_numbers)
        .filter(|n| value(*n) != Some(false))
        .map(|value| Cube { care: all_numbers - 1, value })
        .collect();
    let mut primes: Vec<Cube> = Vec::new();
    while !cubes.is_empty() {
        let mut wider = BTreeSet::new();
        for cube in &cubes {
            let mut is_prime = true;
            for bit in (0..bits).map(|bit| 1 << bit).filter(|bit| cube.care & bit != 0) {
                let other = Cube { value: cube.value ^ bit, ..*cube };
                if cubes.contains(&other) {
                    is_prime = false;
                    wider.insert(Cube { care: cube.care & !bit, value: cube.value & !bit });
                }
            }
            if is_prime {
                primes.push(*cube);
            }
        }
        cubes = wider;
    }
    let mut left = wanted;
    let mut sum: Vec<Cube> = Vec::new();
    while !left.is_empty() {
        let covered = |cube: &Cube| left.iter().filter(|n| cube.holds(**n)).count();
        // Of equal ones the shortest, then the first.
        let best = primes
            .iter()
            .copied()
            .max_by_key(|cube| (covered(cube), std::cmp::Reverse((cube.care.count_ones(), *cube))));
        let best = best.expect("each wanted number is in some product");
        left.retain(|n| !best.holds(*n));
        sum.push(best);
    }
    sum.sort_unstable();
    if sum[0].care == 0 {
        return fixed_bit(true);
    }
    let product = |cube: &Cube| {
        let literal = |place: u32| match cube.value >> place & 1 {
            1 => number.bit_at(place),
            _ => number.bit_at(place).not(),
        };
        all((0..bits).rev().filter(|place| cube.care >> place & 1 == 1).map(literal).collect())
    };
    any(sum.iter().map(product).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::random::NoiseSource;

    /// What an expression is for a number; it knows nothing of how the expression came about.
    fn value(of: &Value, number: u32) -> bool {
        match of {
            Value::Constant { value, .. } => *value == 1,
            Value::BitOf { place, .. } => number >> place & 1 == 1,
            Value::Not(bit) => !value(bit, number),
            Value::And(bits) => bits.iter().all(|bit| value(bit, number)),
            Value::Or(bits) => bits.iter().any(|bit| value(bit, number)),
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn sums_of_products_have_the_values_that_were_asked_for() {
        let mut noise = NoiseSource::new(7);
        let mut shorter = 0;
        for _ in 0..400 {
            let bits = noise.integer(1, 7) as u32;
            let known = noise.integer(1, 1 << bits) as usize;
            let any = |noise: &mut NoiseSource| {
                [None, Some(false), Some(true)][noise.integer(0, 2) as usize]
            };
            let values: Vec<Option<bool>> = (0..known).map(|_| any(&mut noise)).collect();
            let sum = sum_of_products(&values, &Signal::unsigned("n", bits));
            for (number, wanted) in values.iter().enumerate() {
                if let Some(wanted) = wanted {
                    assert_eq!(value(&sum, number as u32), *wanted, "{number} {values:?}\n{sum:?}");
                }
            }
            let trues = values.iter().filter(|value| **value == Some(true)).count();
            let products = if let Value::Or(products) = &sum { products.len() } else { 1 };
            shorter += usize::from(trues > products);
        }
        assert!(shorter > 200, "{shorter}");
    }
}
