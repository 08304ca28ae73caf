//! The same program for whatever its tables may hold: what is known of it holds for all coefficients.

use super::range::any_ranges;
use super::structure::Structure;
use super::{Checked, Coefficients, Datapath, DatapathError, Node, Operation};
use crate::fixed::{Overflow, WordFormat};

/// Why a program cannot be had for any coefficients.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum AnyCoefficientsError {
    /// Nothing that could be another.
    #[error("this filter multiplies by nothing that could be loaded")]
    NoCoefficients,
    /// Coefficients with fractions of their own.
    #[error(
        "the coefficients of table {table} have fractions of their own, which a word that is loaded cannot \
         state; a format with a fraction for all of them, as \"s18f16\", would do"
    )]
    Exponents {
        /// The table.
        table: &'static str,
    },
    /// A table that is a part of the structure.
    #[error(
        "table {table} belongs to the structure and not to the filter; direct-form-1, fir-direct, fir-folded \
         and lattice-ladder have none of that sort"
    )]
    OfStructure {
        /// The table.
        table: &'static str,
    },
    /// Tables of different widths.
    #[error("tables {one} and {other} have words of different widths; one width for both would do")]
    Widths {
        /// A table.
        one: &'static str,
        /// Another.
        other: &'static str,
    },
    /// A limit that is proved for these coefficients alone.
    #[error(
        "overflow = \"forbid\" is proved for the coefficients that were designed, not for all that can be \
         loaded; \"saturate\" or \"wrap\" would do"
    )]
    Forbid {
        /// The limit.
        node: Node,
    },
    /// Sums that are remembered, so that no width would be enough for all coefficients.
    #[error(
        "the memory of this structure holds sums, whose words are as wide as the coefficients that were \
         designed need; direct-form-1, fir-direct and fir-folded remember words of the signal"
    )]
    Remembered {
        /// The sum.
        node: Node,
    },
    /// Sums that would be too wide.
    #[error("for any coefficients: {0}")]
    Program(DatapathError),
}

impl Checked {
    /// The same program with sums as wide as any coefficients of the tables' formats need, checked for all of
    /// them: ranges, sums and limits of its facts hold whatever the tables hold, and there are no bounds.
    ///
    /// The argument is that of all ranges: each operation gives an interval that holds every result for
    /// operands of theirs, and a coefficient is no longer a point but the interval of its format. Sums that
    /// wrap for the designed coefficients do so as they did.
    ///
    /// ```
    /// use mellow_rake::datapath::fir_direct;
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// let taps = round_coefficients(&[vec![0.25; 4]], "s8f7".parse()?)?;
    /// let word = "s8f7".parse()?;
    /// let mean = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
    /// // Four products of up to 2^14 for four of up to 2^12.
    /// let any = mean.for_any_coefficients()?;
    /// assert_eq!(any.cost().accumulator_bits, 18);
    /// assert_eq!(mean.narrowed().cost().accumulator_bits, 15);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// [`AnyCoefficientsError`] says what of the program is true of its own coefficients only.
    pub fn for_any_coefficients(&self) -> Result<Checked, AnyCoefficientsError> {
        check_tables(self.datapath())?;
        for (node, operation, _) in self.datapath().operations() {
            if matches!(operation, Operation::Limit { overflow: Overflow::Forbid, .. }) {
                return Err(AnyCoefficientsError::Forbid { node });
            }
        }
        let mut datapath = self.datapath().clone();
        let fractions = Structure::check(&datapath).map_err(AnyCoefficientsError::Program)?;
        let remembered = datapath.handed_on();
        // It ends: each round widens a sum by a bit at least, and none has more than 64. In a loop what one
        // pass gives may make a sum of the next one larger, so that a sum may be widened several times.
        loop {
            let found = any_ranges(&datapath, &fractions);
            let mut wider: Vec<(Node, WordFormat)> = Vec::new();
            for (node, operation, _) in datapath.operations() {
                let Operation::Accumulate { format, .. } = operation else { continue };
                let sum = found.sums[&node];
                let wraps = self.facts().sum(node).is_none_or(|fact| fact.wraps);
                if wraps || (format.holds(sum.low) && format.holds(sum.high)) {
                    continue;
                }
                if remembered.contains(&node) {
                    return Err(AnyCoefficientsError::Remembered { node });
                }
                let needed = 129 - sum.partial.leading_zeros();
                let needed = WordFormat::new(true, needed, format.fraction())
                    .ok()
                    .filter(|format| format.width() <= 64)
                    .ok_or(DatapathError::TooWide { node, needed })
                    .map_err(AnyCoefficientsError::Program)?;
                wider.push((node, needed));
            }
            if wider.is_empty() {
                break;
            }
            widen(&mut datapath, &wider);
        }
        datapath.check_for_any(self.facts().effort()).map_err(AnyCoefficientsError::Program)
    }
}

fn check_tables(datapath: &Datapath) -> Result<(), AnyCoefficientsError> {
    if datapath.tables.is_empty() {
        return Err(AnyCoefficientsError::NoCoefficients);
    }
    for table in &datapath.tables {
        if table.exponents.iter().flatten().any(|exponent| *exponent > 0) {
            return Err(AnyCoefficientsError::Exponents { table: table.name });
        }
        if matches!(table.holds, Coefficients::Half | Coefficients::Shaping) {
            return Err(AnyCoefficientsError::OfStructure { table: table.name });
        }
        let first = &datapath.tables[0];
        let same = table.format.width() == first.format.width()
            && table.format.is_signed() == first.format.is_signed();
        if !same {
            return Err(AnyCoefficientsError::Widths { one: first.name, other: table.name });
        }
    }
    Ok(())
}

fn widen(datapath: &mut Datapath, wider: &[(Node, WordFormat)]) {
    let change = |operations: &mut Vec<(Node, Operation)>| {
        for (node, operation) in operations {
            let found = wider.iter().find(|(one, _)| one == node);
            if let (Operation::Accumulate { format, .. }, Some((_, to))) = (operation, found) {
                *format = *to;
            }
        }
    };
    change(&mut datapath.body);
    for (_, operation) in &mut datapath.body {
        if let Operation::Repeat { body, .. } = operation {
            change(&mut body.operations);
        }
    }
}
