//! Sums as a core of 8 bits makes them: of products of 16 by 16 bits, in 32 bits or, where the proof of the
//! level does not allow it, in 40 instead of 64; and bits dropped by whole bytes, for such a core shifts by
//! one bit at a time.

use super::super::lower::processor::{every_statement, read_by};
use super::super::lower::{Addend, Addition, Factor, Lowered, Read, Statement, Step, Sum, Value};
use super::super::number::c_integer;
use super::expression::Statements;
use super::pairs::{is_of_halves, is_run};
use super::types::Helper;
use crate::fixed::Rounding;

/// The largest size of a sum of 40 bits.
const LARGEST_40: i128 = (1 << 39) - 1;

/// How a sum is made.
#[derive(Debug, Clone, Copy)]
pub(super) struct Bytewise {
    /// Whether it has 40 bits, and not 32.
    is_long: bool,
    /// What it begins with, the half of a rounding included.
    first: i128,
    /// Of the word that is made of it by dropping bits: how often the sum is doubled before, and how many
    /// bits are dropped then. `None` where something else reads the sum.
    dropped: Option<[u32; 2]>,
}

/// The rounding that alone reads a sum, and is to drop bits.
fn rounding(sum: &Sum, body: &[Statement]) -> Option<(u32, Rounding)> {
    let mut found = None;
    let mut readers = 0;
    every_statement(body, &mut |statement| {
        let reads = read_by(statement);
        readers += reads.iter().filter(|read| **read == Read::Local(sum.local)).count();
        if let Statement::Let { local, value: Value::Round { word, dropped, rounding } } = statement
            && *word == sum.local
            && local.format.width() <= if local.format.is_signed() { 32 } else { 31 }
            && matches!(rounding, Rounding::Floor | Rounding::HalfUp)
        {
            found = Some((*dropped, *rounding));
        }
    });
    let (dropped, rounding) = found.filter(|_| readers == 1)?;
    (1..=39).contains(&dropped).then_some((dropped as u32, rounding))
}

/// How a sum is made by bytes; `None` where it is longer, or not one of products of 16 by 16 bits.
pub(super) fn bytewise(sum: &Sum, lowered: &Lowered) -> Option<Bytewise> {
    let steps = sum.doubling();
    let additions = steps.iter().map(|step| match step {
        Step::Add(addition) | Step::Loop { addition, .. } => Some(addition),
        Step::Double(_) => None,
    });
    let is_of_products =
        additions.into_iter().all(|one| one.is_some_and(|one| is_of_halves(lowered, one)));
    if !is_of_products || sum.need.wraps || sum.is_of_digits {
        return None;
    }
    let rounding = rounding(sum, &lowered.body);
    let half = match rounding {
        Some((dropped, Rounding::HalfUp)) => 1i128 << (dropped - 1),
        _ => 0,
    };
    let (first, largest) = (sum.first + half, sum.need.partial + half);
    if largest > LARGEST_40 {
        return None;
    }
    // Up to a whole byte it is doubled where that is shorter than dropping one bit after the other.
    let doubled = rounding.map_or(0, |(dropped, _)| match dropped % 8 {
        0..4 => 0,
        rest => 8 - rest,
    });
    let (short, long) = (i128::from(i32::MAX), LARGEST_40);
    let fits = |doubled: u32, most: i128| (largest << doubled) <= most;
    let (is_long, doubled) = match () {
        () if fits(doubled, short) => (false, doubled),
        () if fits(doubled, long) => (true, doubled),
        () if fits(0, short) => (false, 0),
        () => (true, 0),
    };
    let dropped = rounding.map(|(dropped, _)| [doubled, dropped + doubled]);
    // What is left of 40 bits has 32.
    let dropped = dropped.filter(|[_, dropped]| !is_long || *dropped >= 8);
    let first = if dropped.is_some() { first } else { sum.first };
    Some(Bytewise { is_long, first, dropped })
}

impl Statements<'_> {
    /// Makes a sum by bytes.
    pub(super) fn sum_of_bytes(&mut self, sum: &Sum, how: Bytewise) {
        let Bytewise { is_long, first, dropped } = how;
        let word = self.word(sum.local);
        let format = sum.local.format;
        let is_product = |step: &Step| match step {
            Step::Add(addition) | Step::Loop { addition, .. } => {
                matches!(addition.addend, Addend::Product { .. })
            }
            Step::Double(_) => false,
        };
        if is_long {
            self.helpers.insert(Helper::Sum40);
        } else if sum.steps.iter().any(is_product) {
            self.helpers.insert(Helper::Add32);
        }
        let variable = format!("{word}_sum");
        match is_long {
            true => {
                let (low, high) = (first as u32, (first >> 32) as i8);
                self.line(&format!(
                    "struct mellow_rake_sum_40 {variable} = {{ {low}UL, {high} }}; /* {format} */"
                ));
            }
            false => {
                self.line(&format!("int32_t {variable} = {}; /* {format} */", c_integer(first)));
            }
        }
        for step in sum.doubling() {
            self.step_of_bytes(&variable, &step, is_long);
        }
        let Some([doubled, dropped]) = dropped else {
            let value =
                if is_long { format!("mellow_rake_value_40({variable})") } else { variable };
            let kind = self.kind(sum.local);
            self.line(&format!("const {kind} {word} = ({kind}){value};"));
            return;
        };
        for _ in 0..doubled {
            self.line(&match is_long {
                true => format!("mellow_rake_double_40(&{variable});"),
                false => format!("{variable} += {variable};"),
            });
        }
        let (left, bits) = match is_long {
            true => {
                let bytes = (dropped / 8).min(4);
                (format!("mellow_rake_above_40({variable}, {bytes})"), dropped - 8 * bytes)
            }
            false => (variable, dropped.min(31)),
        };
        self.helpers.insert(Helper::Floor32);
        let left = if bits > 0 { format!("mellow_rake_floor_32({left}, {bits})") } else { left };
        self.rounded.insert(sum.local.node, left);
    }

    /// Coefficient and word of a product.
    fn factors(&self, addition: &Addition) -> Option<[String; 2]> {
        let Addend::Product { coefficient, factor: Factor::One(word), .. } = &addition.addend
        else {
            return None;
        };
        let word = match word {
            Read::Local(local) => self.word_as(*local, "int16_t"),
            remembered => self.read(remembered, false),
        };
        Some([self.place_of(coefficient), word])
    }

    fn step_of_bytes(&mut self, variable: &str, step: &Step, is_long: bool) {
        let add = |factors: [String; 2]| {
            let [coefficient, word] = factors;
            match is_long {
                true => format!("mellow_rake_add_40(&{variable}, {coefficient}, {word});"),
                false => {
                    format!("{variable} = mellow_rake_add_32({variable}, {coefficient}, {word});")
                }
            }
        };
        match step {
            Step::Loop { passes, addition } if is_run(self.lowered, step) => {
                let Some([coefficients, words]) = self.addresses(addition, passes.start) else {
                    return;
                };
                self.line("{");
                self.line(&format!("    const int16_t *c = {coefficients};"));
                self.line(&format!("    const int16_t *w = {words};"));
                self.line(&format!("    const int16_t *const end = c + {};", passes.len()));
                self.line("    for (; c != end; c++, w++) {");
                self.line(&format!("        {}", add(["*c".to_owned(), "*w".to_owned()])));
                self.line("    }");
                self.line("}");
            }
            Step::Loop { passes, addition } => {
                let Some(factors) = self.factors(addition) else { return };
                self.line(&format!("for (int k = {}; k < {}; k++) {{", passes.start, passes.end));
                self.line(&format!("    {}", add(factors)));
                self.line("}");
            }
            Step::Add(addition) => {
                let Some(factors) = self.factors(addition) else { return };
                self.line(&add(factors));
            }
            Step::Double(_) => {}
        }
    }
}
