//! What a language can express, and what is refused: alike for all of them.

use super::WriteError;
use super::lower::{Addend, Addition, Local, Lowered, Statement, Step, Sum, Value};
use crate::datapath::Checked;

/// Whether a program takes one word and gives one, as all writers need it.
///
/// # Errors
/// [`WriteError::Firing`] for others.
pub(super) fn per_sample(target: &'static str, checked: &Checked) -> Result<(), WriteError> {
    let datapath = checked.datapath();
    match datapath.is_per_sample() {
        true => Ok(()),
        false => {
            let (takes, gives) = (datapath.words_in(), datapath.words_out());
            Err(WriteError::Firing { target, takes, gives })
        }
    }
}

/// The limits of a language whose types end somewhere.
#[derive(Debug, Clone, Copy)]
pub(super) struct Capability {
    /// Its name.
    pub(super) target: &'static str,
    /// Bits of its widest word.
    pub(super) widest: u32,
}

impl Capability {
    /// Whether the language can say all of a program.
    ///
    /// # Errors
    /// [`WriteError`] names the first operation that it cannot, in the order of the program.
    pub(super) fn check(self, lowered: &Lowered) -> Result<(), WriteError> {
        self.block(&lowered.body)
    }

    fn block(self, body: &[Statement]) -> Result<(), WriteError> {
        for statement in body {
            match statement {
                Statement::Let { local, value: Value::Round { dropped, .. } } => {
                    let fits = "take fewer fraction bits in the coefficients or more in the output";
                    self.shift(*local, (*dropped).max(0) as u32, fits)?;
                }
                Statement::Sum(sum) => self.sum(sum)?,
                Statement::Repeat { body, .. } => self.block(body)?,
                Statement::Let { .. } | Statement::Deliver { .. } | Statement::Advance { .. } => {}
            }
        }
        Ok(())
    }

    fn sum(self, sum: &Sum) -> Result<(), WriteError> {
        let (target, limit) = (self.target, self.widest);
        let needed = 129 - sum.need.product.leading_zeros();
        if sum.need.rounds_products && needed > limit {
            let (node, fits) = (sum.local.node, "take shorter coefficients or data");
            return Err(WriteError::Product { target, node, needed, limit, fits });
        }
        for step in &sum.steps {
            let (Step::Add(Addition { addend, .. })
            | Step::Loop { addition: Addition { addend, .. }, .. }) = step
            else {
                continue;
            };
            if let Addend::Product { rounded: Some((bits, _)), .. } = addend {
                let fits = "take fewer fraction bits in the coefficients or more in the products";
                self.shift(sum.local, *bits, fits)?;
            }
        }
        Ok(())
    }

    fn shift(self, at: Local, shift: u32, fits: &'static str) -> Result<(), WriteError> {
        let (target, limit) = (self.target, self.widest - 1);
        match shift > limit {
            true => Err(WriteError::Shift { target, node: at.node, shift, limit, fits }),
            false => Ok(()),
        }
    }
}
