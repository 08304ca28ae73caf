//! The order of operations of a filter in floating point, as formulas that languages read alike: products
//! bind before sums, and sums are taken from the left.

use crate::float::{FloatOperation, SectionProgram};

/// How a language names what a formula is made of.
pub(super) struct Names {
    /// What comes into the section.
    pub(super) input: &'static str,
    /// What goes out.
    pub(super) output: &'static str,
    /// The row of coefficients.
    pub(super) coefficients: &'static str,
    /// What is remembered.
    pub(super) states: &'static str,
}

/// The formula of what goes out, and those of what is remembered next, in the order in which they may be
/// carried out, each with the place.
pub(super) fn formulas(program: &SectionProgram, names: &Names) -> (String, Vec<(usize, String)>) {
    let formula = Formula { program, names };
    let output = formula.of(program.output, true);
    let next = |(place, from): &(usize, usize)| (*place, formula.of(*from, false));
    (output, program.states.iter().map(next).collect())
}

struct Formula<'a> {
    program: &'a SectionProgram,
    names: &'a Names,
}

impl Formula<'_> {
    /// The formula of an operation; what goes out has a name, but where it is made.
    fn of(&self, at: usize, is_output: bool) -> String {
        if at == self.program.output && !is_output {
            return self.names.output.to_owned();
        }
        let Names { coefficients, states, input, .. } = self.names;
        match self.program.operations[at] {
            FloatOperation::Input => (*input).to_owned(),
            FloatOperation::State(place) => format!("{states}[{place}]"),
            FloatOperation::Product { column, of } => {
                format!("{coefficients}[{column}] * {}", self.factor(of))
            }
            FloatOperation::Sum(one, other) => {
                format!("{} + {}", self.of(one, false), self.term(other))
            }
            FloatOperation::Difference(one, other) => {
                format!("{} - {}", self.of(one, false), self.term(other))
            }
        }
    }

    fn is_sum(&self, at: usize) -> bool {
        let operation = self.program.operations[at];
        at != self.program.output
            && matches!(operation, FloatOperation::Sum(..) | FloatOperation::Difference(..))
    }

    /// On the right of a sum.
    fn term(&self, at: usize) -> String {
        let formula = self.of(at, false);
        if self.is_sum(at) { format!("({formula})") } else { formula }
    }

    /// On the right of a product.
    fn factor(&self, at: usize) -> String {
        let is_product = matches!(self.program.operations[at], FloatOperation::Product { .. });
        let formula = self.of(at, false);
        if self.is_sum(at) || is_product { format!("({formula})") } else { formula }
    }
}
