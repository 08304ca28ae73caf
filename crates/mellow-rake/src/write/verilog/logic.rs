//! Boolean functions of the number of a clock, as few products of literals as are found.

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

/// A function of numbers of so many bits as a text, from its value for each number: `None` where any would
/// do. By W. V. Quine, "The problem of simplifying truth functions", 1952, and E. J. McCluskey,
/// "Minimization of Boolean functions", 1956: all products that cannot be shorter, of which those that cover
/// most of what is left are taken until nothing is.
pub(super) fn sum_of_products(values: &[Option<bool>], bits: u32, number: &str) -> String {
    let all = 1u32 << bits;
    let value = |n: u32| values.get(n as usize).copied().flatten();
    let wanted: Vec<u32> = (0..all).filter(|n| value(*n) == Some(true)).collect();
    if wanted.is_empty() {
        return "1'b0".to_owned();
    }
    let mut cubes: BTreeSet<Cube> = (0..all)
        .filter(|n| value(*n) != Some(false))
        .map(|value| Cube { care: all - 1, value })
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
    let product = |cube: &Cube| {
        let literal = |bit: u32| {
            let mark = if cube.value >> bit & 1 == 1 { "" } else { "~" };
            // A vector of one bit has no parts.
            if bits == 1 { format!("{mark}{number}") } else { format!("{mark}{number}[{bit}]") }
        };
        let cared = (0..bits).rev().filter(|bit| cube.care >> bit & 1 == 1);
        cared.map(literal).collect::<Vec<_>>().join(" & ")
    };
    if sum[0].care == 0 {
        return "1'b1".to_owned();
    }
    let products: Vec<String> = sum.iter().map(product).collect();
    match products.len() {
        1 => products[0].clone(),
        _ => products.iter().map(|one| format!("({one})")).collect::<Vec<_>>().join(" | "),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::random::NoiseSource;

    /// What a text means for a number; it reads the sum and shares nothing with what wrote it.
    fn value(text: &str, number: u32) -> bool {
        let literal = |text: &str| {
            let (negated, name) = match text.trim().strip_prefix('~') {
                Some(name) => (true, name),
                None => (false, text.trim()),
            };
            let place = name.trim_start_matches("n").trim_matches(['[', ']']);
            let bit: u32 = if place.is_empty() { 0 } else { place.parse().unwrap() };
            (number >> bit & 1 == 1) != negated
        };
        let product = |text: &str| match text.trim().trim_matches(['(', ')']) {
            "1'b0" => false,
            "1'b1" => true,
            product => product.split('&').all(literal),
        };
        text.split('|').any(product)
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
            let text = sum_of_products(&values, bits, "n");
            for (number, wanted) in values.iter().enumerate() {
                if let Some(wanted) = wanted {
                    assert_eq!(value(&text, number as u32), *wanted, "{number} {values:?}\n{text}");
                }
            }
            let trues = values.iter().filter(|value| **value == Some(true)).count();
            shorter += usize::from(trues > text.matches('|').count() + 1);
        }
        assert!(shorter > 200, "{shorter}");
    }
}
