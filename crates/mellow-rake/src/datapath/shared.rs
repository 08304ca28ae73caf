//! What roundings drop, as remainders of sums of words: which of them drop the same, and which drop it
//! unevenly.
//!
//! A lattice multiplies the word that it has just made by k and, a sample later, the same word by −k; both
//! products are rounded. What is added to them in whole steps changes nothing about what is dropped, so the
//! two errors are not independent of each other but nearly opposite.

use super::entangled::in_common;
use super::factors::Factors;
use super::movement::Movement;
use super::range::{Start, idle_bits};
use super::walk::Place;
use super::{Datapath, Fold, Node, Operation, RoundingSource, Row, Sign, Term};
use crate::fixed::Rounding;
use std::collections::BTreeMap;

/// A word that sums are made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Atom {
    /// Remembered in a row of a line.
    Row(usize, usize),
    /// Not remembered.
    Made(Place),
}

/// The bits that a rounding drops: Σ coefficient · word, modulo 2 to the power of their number; the words by
/// their age.
pub(super) type Dropped = BTreeMap<(Atom, usize), i128>;

/// Two roundings that drop the same bits.
#[derive(Debug, Clone, Copy)]
pub(super) struct Twins {
    /// By its index among the sources.
    pub(super) first: usize,
    /// The other, which drops them earlier or at the same time.
    pub(super) second: usize,
    /// So many samples earlier.
    pub(super) lag: usize,
    /// Whether it drops those of the word with the other sign.
    pub(super) is_negated: bool,
    /// Whether one of the two is taken away where the other is added.
    pub(super) is_opposed: bool,
}

/// A single rounding: of a sum, or of one of the products that a source holds together.
struct Single {
    source: usize,
    dropped: Dropped,
    age: usize,
}

/// Roundings that are compared with each other at most.
const MOST_SINGLES: usize = 500;

/// All pairs of roundings that drop the same bits.
pub(super) fn twins(
    datapath: &Datapath,
    fractions: &[i32],
    sources: &[RoundingSource],
) -> Vec<Twins> {
    let reading = Reading::new(datapath, fractions);
    let mut singles = Vec::new();
    for (source, found) in sources.iter().enumerate() {
        if let Some((dropped, age)) = reading.dropped(found) {
            singles.push(Single { source, dropped, age });
        }
        let products = reading.products(found).into_iter();
        singles.extend(products.map(|(dropped, age)| Single { source, dropped, age }));
    }
    let mut found = Vec::new();
    if singles.len() > MOST_SINGLES {
        return found;
    }
    for (at, right) in singles.iter().enumerate() {
        let second = &sources[right.source];
        let negated = right
            .dropped
            .iter()
            .map(|(word, value)| (*word, (-value).rem_euclid(1 << second.dropped)));
        let negated: Dropped = negated.collect();
        for (index, left) in singles.iter().enumerate() {
            let first = &sources[left.source];
            let is_later = left.age > right.age || (left.age == right.age && index > at);
            if !is_later || first.dropped != second.dropped || first.rounding != second.rounding {
                continue;
            }
            let is_same = left.dropped == right.dropped;
            if is_same || left.dropped == negated {
                found.push(Twins {
                    first: left.source,
                    second: right.source,
                    lag: left.age - right.age,
                    is_negated: !is_same,
                    is_opposed: first.sign != second.sign,
                });
            }
        }
    }
    found
}

/// How far the remainders that a rounding drops are from being spread evenly on noise of half scale, from 0
/// (evenly) to 1: the largest |Φ(2πn/Δ)|/n over small n, with Φ the characteristic function of the word
/// before it; where it is 0 for all n the errors are uniform (A. B. Sripad & D. L. Snyder, "A necessary and
/// sufficient condition for quantization errors to be uniform and white", 1977, theorem 1). Words are taken
/// for independent and for evenly spread over as many levels as they take.
///
/// With it comes by what the variance of rounded products is to be multiplied where each is uneven in its own
/// way: ⟨e²⟩ = Δ²/12 + Δ²/π² · Σ ±Φ(2πn/Δ)/n², the signs alternating where it is rounded to the nearest.
fn unevenness(reading: &Reading<'_>, source: &RoundingSource, movement: &Movement) -> (f64, f64) {
    // Of a normal word, Φ(2π/Δ) = exp(−2π²σ²/Δ²).
    let normal = |deviation: f64| {
        let turn = std::f64::consts::PI * deviation;
        libm::exp(-2.0 * turn * turn)
    };
    if let Some(Operation::Round { word, .. }) = reading.operation(source.node) {
        // Few bits behind products that were rounded to even: more of them are even than odd.
        if let Some(Operation::Accumulate { terms, .. }) = reading.operation(*word)
            && source.rounding == Rounding::HalfEven
            && source.dropped <= 2
            && reading.drops_few(terms, source.pass)
        {
            return (1.0, 1.0);
        }
        let place = Place { node: *word, pass: source.pass };
        let even = movement.least(place).map_or(0.0, |least| normal(least / source.step));
        let Some((dropped, _)) = reading.dropped(source) else { return (even, 1.0) };
        let (own, series) = reading.uneven(&dropped, source.dropped, movement);
        // Of words that came in, each at another time, all is known.
        if dropped.keys().all(|(atom, _)| reading.is_input(*atom))
            && source.rounding != Rounding::TowardZero
        {
            let factor = exact(source.rounding, series);
            // What is left is of the size of what the series leaves out: words far below the step.
            return if factor < LEAST_FACTOR { (1.0, 1.0) } else { (0.0, factor) };
        }
        return (even.max(own), 1.0);
    }
    // In a feedback the same word is multiplied several times, and what few bits are dropped of its products
    // is not independent. Rounded to even, few bits leave more even words than odd ones to the next rounding.
    let is_unfair = movement.is_recursive || source.rounding == Rounding::HalfEven;
    if source.dropped <= FEW_BITS && is_unfair {
        return (1.0, 1.0);
    }
    let (mut most, mut sum, mut count) = (0.0f64, 0.0, 0.0);
    for (dropped, _) in reading.products(source) {
        let (uneven, series) = reading.uneven(&dropped, source.dropped, movement);
        most = most.max(uneven);
        sum += exact(source.rounding, series);
        count += 1.0;
    }
    // Without a feedback the words of a product are independent of each other.
    let is_mixed = matches!(source.rounding, Rounding::TowardZero | Rounding::HalfEven);
    if movement.is_recursive || is_mixed || count == 0.0 {
        return (most, 1.0);
    }
    (0.0, sum / count)
}

/// Terms of the series of a characteristic function.
const LARGEST: i32 = 64;

/// Φ(2πn/Δ) of a sum of words with so many levels each, evenly spread about 0, times their coefficients; Δ is
/// 2^bits.
pub(super) fn characteristic(each: &[(f64, i128)], n: i128, bits: u32) -> f64 {
    // Σ e^{j2πu·x} over so many levels about 0, relative to their number.
    let spread = |levels: f64, share: f64| {
        let angle = std::f64::consts::PI * (share - libm::rint(share));
        let sine = libm::sin(angle);
        if sine.abs() < 1e-12 {
            return 1.0;
        }
        (libm::sin(levels * angle) / (levels * sine)).clamp(-1.0, 1.0)
    };
    let each = each.iter().map(|(levels, value)| {
        let turns = value.wrapping_mul(n).rem_euclid(1 << bits.min(100));
        spread(*levels, turns as f64 * libm::scalbn(1.0, -(bits as i32)))
    });
    each.product()
}

/// By what a variance is to be multiplied, from Σ Φ/n² and Σ (−1)^n Φ/n².
fn exact(rounding: Rounding, series: [f64; 2]) -> f64 {
    let series = if rounding == Rounding::Floor { series[0] } else { series[1] };
    1.0 + 12.0 / (std::f64::consts::PI * std::f64::consts::PI) * series
}

/// The share of the noise of `sources` that comes from roundings whose remainders are not spread evenly on
/// white noise of half scale, and by what the variance of each is to be multiplied. `powers` are their shares
/// of the noise.
pub(super) fn uneven_share(
    datapath: &Datapath,
    fractions: &[i32],
    sources: &[RoundingSource],
    powers: &[f64],
    twins: &[Twins],
) -> (f64, Vec<f64>) {
    let reading = Reading::new(datapath, fractions);
    let movement = Movement::new(&reading, sources);
    // Few bits of several sums of the same words: what one drops says much about what the other does.
    let of_few = |source: &RoundingSource| {
        let words =
            reading.dropped(source).filter(|_| source.dropped <= 3 && movement.is_recursive);
        words.map(|(dropped, _)| dropped.into_keys().collect::<Vec<_>>())
    };
    let few: Vec<Option<Vec<(Atom, usize)>>> = sources.iter().map(of_few).collect();
    let is_entangled = |index: usize| {
        let mut others = few.iter().enumerate().filter(|(other, _)| *other != index);
        few[index].is_some() && others.any(|(_, words)| *words == few[index])
    };
    let (mut of_uneven, mut all) = (0.0, f64::MIN_POSITIVE);
    let mut factors = Vec::new();
    for (index, (source, power)) in sources.iter().zip(powers).enumerate() {
        let (uneven, factor) = unevenness(&reading, source, &movement);
        all += power;
        if uneven > MOST_UNEVEN || is_entangled(index) {
            of_uneven += power;
        }
        factors.push(factor);
    }
    of_uneven += in_common(&reading, &movement, sources, powers, twins);
    (of_uneven / all, factors)
}

/// How unevenly what is dropped may be spread: its mean is off by a fiftieth of a step then (Φ/πn), its
/// variance by less than a tenth (12·Φ/π²n²).
const MOST_UNEVEN: f64 = 0.045;

/// Below this factor a series of [`LARGEST`] terms is off by a tenth: 12/π² · 1/64 of 0.2.
const LEAST_FACTOR: f64 = 0.2;

/// Bits of which two products of one word may drop much the same.
const FEW_BITS: u32 = 6;

pub(super) struct Reading<'a> {
    pub(super) datapath: &'a Datapath,
    pub(super) fractions: &'a [i32],
    /// Zeros at the ends of remembered words.
    zeros: Vec<Vec<u32>>,
    /// Where the words of each row are made.
    made: BTreeMap<(usize, usize), Place>,
}

impl<'a> Reading<'a> {
    fn new(datapath: &'a Datapath, fractions: &'a [i32]) -> Self {
        let zeros = idle_bits(datapath, fractions, Start::Zero).rows;
        let mut reading = Reading { datapath, fractions, zeros, made: BTreeMap::new() };
        for (_, operation, passes) in datapath.operations() {
            let Operation::Store { line, row, word } = operation else { continue };
            for pass in 0..passes {
                let made = reading.made(Place { node: *word, pass });
                reading.made.insert((line.0, row.at(pass)), made);
            }
        }
        reading
    }

    /// Where a word is made that is only handed on: what is stored, or limited, is the same word while no
    /// limit acts.
    fn made(&self, at: Place) -> Place {
        let (mut found, mut here) = (at, at);
        while let Some(Operation::Store { word, .. } | Operation::Limit { word, .. }) =
            self.operation(here.node)
        {
            here.node = *word;
            let made = self.operation(here.node);
            if matches!(
                made,
                Some(Operation::Input { .. } | Operation::Round { .. } | Operation::Limit { .. })
            ) {
                found = here;
            }
        }
        found
    }

    /// The first row that is given the word made there.
    fn row_of(&self, made: Place) -> Option<Atom> {
        let found = self.made.iter().find(|(_, other)| **other == made);
        found.map(|((line, row), _)| Atom::Row(*line, *row))
    }

    /// The same word by one name, of those that it has.
    fn one_name(&self, atom: Atom) -> Atom {
        let made = match atom {
            Atom::Row(line, row) => self.made.get(&(line, row)).copied(),
            Atom::Made(place) => Some(self.made(place)),
        };
        made.map_or(atom, |made| self.row_of(made).unwrap_or(Atom::Made(made)))
    }

    /// What each of the products drops that a source holds together, and the age of the youngest word in it.
    fn products(&self, source: &RoundingSource) -> Vec<(Dropped, usize)> {
        let mut found = Vec::new();
        let Some(Operation::Accumulate { terms, .. }) = self.operation(source.node) else {
            return found;
        };
        for term in terms {
            let Some(factors) = Factors::of(term).filter(|found| found.sign == source.sign) else {
                continue;
            };
            let Some((bits, _)) = factors.dropped(self.datapath) else { continue };
            let row = (factors.line.0, factors.line_row.at(source.pass));
            let zeros = self.zeros[row.0][row.1];
            for (k, value) in factors.coefficients(self.datapath, source.pass).enumerate() {
                let idle = value.trailing_zeros().saturating_add(zeros);
                if value == 0 || bits.saturating_sub(idle) != source.dropped {
                    continue;
                }
                let whole = 1i128 << source.dropped.min(100);
                let odd = i128::from(value >> value.trailing_zeros());
                let at = |age: usize, value: i128| {
                    ((self.one_name(Atom::Row(row.0, row.1)), age), value)
                };
                found.push(match term {
                    Term::Folded(fold) => {
                        let (age, mirror) =
                            (fold.age + fold.stride * k, fold.mirror - fold.stride * k);
                        let other = if fold.second == Sign::Minus { -odd } else { odd };
                        let pair = [
                            at(0, odd.rem_euclid(whole)),
                            at(mirror - age, other.rem_euclid(whole)),
                        ];
                        (Dropped::from(pair), age)
                    }
                    Term::Dot { age, .. } => {
                        (Dropped::from([at(0, odd.rem_euclid(whole))]), age + k)
                    }
                    Term::Word { .. } => continue,
                });
            }
        }
        found
    }

    /// What a rounding drops, as of the sample in which the youngest of its words was made, and how long ago
    /// that is. `None` where it is more than a sum of words, or longer than is worth a look.
    pub(super) fn dropped(&self, source: &RoundingSource) -> Option<(Dropped, usize)> {
        const LONGEST: usize = 64;
        let Operation::Round { word, fraction, .. } = self.operation(source.node)? else {
            return None;
        };
        let shift = u32::try_from(self.fractions[word.0 as usize] - fraction).ok()?;
        let idle = shift - source.dropped;
        let mut all = Dropped::new();
        self.expand(Place { node: *word, pass: source.pass }, 1, &mut all)?;
        if shift > 100 || all.len() > LONGEST {
            return None;
        }
        let whole = 1i128 << shift;
        let left: Dropped = all
            .into_iter()
            .map(|(word, value)| (word, value.rem_euclid(whole) >> idle))
            .filter(|(_, value)| *value != 0)
            .collect();
        let youngest = left.keys().map(|(_, age)| *age).min()?;
        let since = left.into_iter().map(|((atom, age), value)| ((atom, age - youngest), value));
        Some((since.collect(), youngest))
    }

    /// Whether some product of a sum drops few bits before it is added.
    fn drops_few(&self, terms: &[Term], pass: usize) -> bool {
        terms.iter().filter_map(Factors::of).any(|factors| {
            let mut values = factors.coefficients(self.datapath, pass).filter(|value| *value != 0);
            let bits = factors.dropped(self.datapath).map_or(0, |(bits, _)| bits);
            bits > 0 && values.any(|value| bits.saturating_sub(value.trailing_zeros()) <= FEW_BITS)
        })
    }

    /// Whether a word is one that came in.
    fn is_input(&self, atom: Atom) -> bool {
        let place = match atom {
            Atom::Row(line, row) => self.made.get(&(line, row)).copied(),
            Atom::Made(place) => Some(place),
        };
        place.is_some_and(|place| {
            matches!(self.operation(place.node), Some(Operation::Input { .. }))
        })
    }

    /// Where the word of a row comes from.
    fn stored(&self, (line, row): (usize, usize)) -> Option<Place> {
        self.datapath.operations().find_map(|(_, operation, passes)| match operation {
            Operation::Store { line: of, row: own, word } if of.0 == line => (0..passes)
                .find(|pass| own.at(*pass) == row)
                .map(|pass| Place { node: *word, pass }),
            _ => None,
        })
    }

    /// About how many steps each of these words takes, and its coefficient.
    pub(super) fn levels(&self, dropped: &Dropped, movement: &Movement) -> Vec<(f64, i128)> {
        let levels = |atom: &Atom| match atom {
            Atom::Row(line, row) => {
                let zeros = self.zeros[*line][*row].min(63) as i32;
                let step = libm::scalbn(self.datapath.lines[*line].format.step(), zeros);
                movement.levels(self.stored((*line, *row)), step)
            }
            Atom::Made(place) => {
                let fraction = self.fractions[place.node.0 as usize];
                movement.levels(Some(*place), libm::scalbn(1.0, -fraction))
            }
        };
        dropped.iter().map(|((atom, _), value)| (levels(atom), *value)).collect()
    }

    /// Of remainders of these words at so many bits.
    fn uneven(&self, dropped: &Dropped, bits: u32, movement: &Movement) -> (f64, [f64; 2]) {
        let each = self.levels(dropped, movement);
        // All remainders of so few bits are there from the first on.
        let last = LARGEST.min((1i32 << bits.min(8)) - 1);
        let (mut most, mut series) = (0.0f64, [0.0; 2]);
        for n in 1..=last {
            let (own, order) = (characteristic(&each, n.into(), bits), f64::from(n));
            most = most.max(own.abs() / order);
            let part = own / (order * order);
            series[0] += part;
            series[1] += if n % 2 == 0 { part } else { -part };
        }
        (most, series)
    }

    pub(super) fn operation(&self, node: Node) -> Option<&Operation> {
        self.datapath.operations().find(|(other, ..)| *other == node).map(|(_, found, _)| found)
    }

    /// Adds a product of a word to a sum of them. The zeros at the end of a remembered word count with its
    /// coefficient.
    fn add(&self, to: &mut Dropped, atom: Atom, age: usize, value: i128) {
        let atom = self.one_name(atom);
        let zeros = match atom {
            Atom::Row(line, row) => self.zeros[line][row],
            Atom::Made(_) => 0,
        };
        let sum = to.entry((atom, age)).or_insert(0);
        *sum = sum.wrapping_add(value.checked_shl(zeros).unwrap_or(0));
    }

    fn expand(&self, at: Place, factor: i128, to: &mut Dropped) -> Option<()> {
        let row = |row: Row| row.at(at.pass);
        match self.operation(at.node)? {
            Operation::Tap { line, row: of, age } => {
                self.add(to, Atom::Row(line.0, row(*of)), *age, factor);
            }
            Operation::Product { table, row: of, column, word } => {
                let value = self.datapath.tables[table.0].coefficient(row(*of), *column);
                self.expand(Place { node: *word, ..at }, factor.checked_mul(value.into())?, to)?;
            }
            Operation::Accumulate { terms, format } => {
                for term in terms {
                    self.term(at, term, format.fraction(), factor, to)?;
                }
            }
            Operation::Round { word, fraction, .. }
                if *fraction >= self.fractions[word.0 as usize] =>
            {
                let zeros = u32::try_from(fraction - self.fractions[word.0 as usize]).ok()?;
                let factor = factor.checked_mul(1i128.checked_shl(zeros)?)?;
                self.expand(Place { node: *word, ..at }, factor, to)?;
            }
            // What a loop gives is made of more than is worth a look.
            Operation::Repeat { .. } => return None,
            _ => self.add(to, Atom::Made(at), 0, factor),
        }
        Some(())
    }

    fn term(
        &self,
        at: Place,
        term: &Term,
        fraction: i32,
        factor: i128,
        to: &mut Dropped,
    ) -> Option<()> {
        let signed = |sign: Sign| if sign == Sign::Minus { -factor } else { factor };
        match term {
            Term::Word { sign, word, binary_point_shift } => {
                let shift = fraction - self.fractions[word.0 as usize] - binary_point_shift;
                let scale = 1i128.checked_shl(u32::try_from(shift).ok()?)?;
                let factor = signed(*sign).checked_mul(scale)?;
                self.expand(Place { node: *word, ..at }, factor, to)
            }
            Term::Dot {
                sign,
                table,
                table_row,
                column,
                line,
                line_row,
                age,
                count,
                products: None,
            } => {
                let table = &self.datapath.tables[table.0];
                let own = table.format.fraction() + self.datapath.lines[line.0].format.fraction();
                let scale = 1i128.checked_shl(u32::try_from(fraction - own).ok()?)?;
                let factor = signed(*sign).checked_mul(scale)?;
                for k in 0..*count {
                    let value = table.coefficient(table_row.at(at.pass), column + k);
                    let word = Atom::Row(line.0, line_row.at(at.pass));
                    self.add(to, word, age + k, factor.checked_mul(value.into())?);
                }
                Some(())
            }
            Term::Folded(fold @ Fold { products: None, .. }) => {
                let table = &self.datapath.tables[fold.table.0];
                let line = &self.datapath.lines[fold.line.0];
                let own = table.format.fraction() + line.format.fraction();
                let scale = 1i128.checked_shl(u32::try_from(fraction - own).ok()?)?;
                let row = Atom::Row(fold.line.0, fold.line_row.at(at.pass));
                for k in 0..fold.count {
                    let value = table.coefficient(fold.table_row.at(at.pass), fold.column + k);
                    let one = factor.checked_mul(scale)?.checked_mul(value.into())?;
                    let other = if fold.second == Sign::Minus { -one } else { one };
                    let ages = [fold.age + fold.stride * k, fold.mirror - fold.stride * k];
                    for (age, value) in ages.into_iter().zip([one, other]) {
                        self.add(to, row, age, value);
                    }
                }
                Some(())
            }
            // Rounded products have no sum of words.
            _ => None,
        }
    }
}
