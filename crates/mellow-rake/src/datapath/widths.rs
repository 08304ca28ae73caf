//! Words stated by hand: of products, of sums, and of what goes out.

use super::factors::Factors;
use super::structure::Structure;
use super::{BuildError, Datapath, DatapathError, Fold, Node, Operation, RoundedProducts, Term};
use crate::fixed::{CoefficientFormat, Overflow, Rounding, WordFormat};
use std::collections::BTreeMap;

impl Datapath {
    /// The same program with each product of a dot product brought to a word before it is added, as
    /// multipliers do that give the upper part of a product only. Sums of products take the fraction of that
    /// word, or the finest of other terms, and 64 bits: [`narrowed`](super::Checked::narrowed) leaves what is
    /// needed. Products that are operations of their own stay exact.
    ///
    /// # Errors
    /// [`DatapathError`] where this is no program; [`BuildError::Products`] for a word that some product does
    /// not fit.
    ///
    /// ```
    /// use mellow_rake::datapath::{Simulator, fir_direct};
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// let word = "s16f15".parse()?;
    /// let taps = round_coefficients(&[vec![0.5; 3]], "s16f15".parse()?)?;
    /// let exact = fir_direct(&taps, word, "s18f15".parse()?, Rounding::HalfUp, Overflow::Saturate)?;
    /// let short = exact.clone().with_products("s16f15".parse()?, Rounding::Floor)?.check()?.narrowed();
    /// // Three halves of 3 are 1.5 each: 4.5 in all, rounded to 5, or 3 if each is cut off.
    /// let last = |filter| Simulator::new(filter).run(&[3; 3])[2];
    /// assert_eq!((last(&exact.check()?), last(&short)), (5, 3));
    /// assert_eq!(short.cost().accumulator_bits, 17);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn with_products(
        mut self,
        format: WordFormat,
        rounding: Rounding,
    ) -> Result<Datapath, WidthError> {
        let fractions = Structure::check(&self)?;
        let mut largest: Option<WordFormat> = None;
        for (node, operation, passes) in self.operations() {
            let Operation::Accumulate { terms, .. } = operation else { continue };
            for factors in terms.iter().filter_map(Factors::of) {
                for pass in 0..passes {
                    let needed = factors.rounded(&self, pass, format.fraction(), rounding);
                    let needed = needed.ok_or(DatapathError::TooWide { node, needed: 65 })?;
                    largest =
                        largest.filter(|found| found.width() >= needed.width()).or(Some(needed));
                }
            }
        }
        if let Some(needed) = largest.filter(|needed| needed.width() > format.width()) {
            return Err(BuildError::Products { found: format, needed }.into());
        }
        let rounded = Some(RoundedProducts { fraction: format.fraction(), rounding });
        self.each_sum(|_, terms, sum| {
            let word = |term: &Term| match term {
                Term::Word { word, binary_point_shift, .. } => {
                    Some(fractions[word.0 as usize].saturating_add(*binary_point_shift))
                }
                _ => None,
            };
            let finest = terms.iter().filter_map(word).fold(format.fraction(), i32::max);
            for term in terms {
                match term {
                    Term::Word { .. } => {}
                    Term::Dot { products, .. } | Term::Folded(Fold { products, .. }) => {
                        *products = rounded;
                    }
                }
            }
            *sum = WordFormat::new(true, 64, finest).unwrap_or(*sum);
        });
        Ok(self)
    }

    /// The same program with all sums of products in accumulators of a stated width, and of a stated fraction
    /// if one is given. A check tells whether such a sum may wrap.
    ///
    /// # Errors
    /// [`BuildError::Sums`] for a fraction that is smaller than that of some product.
    pub fn with_accumulators(mut self, asked: CoefficientFormat) -> Result<Datapath, WidthError> {
        let CoefficientFormat { signed, width, fraction } = asked;
        let mut refused = None;
        self.each_sum(|_, _, sum| {
            let to = fraction.unwrap_or(sum.fraction());
            match WordFormat::new(signed, width, to) {
                Ok(format) if to >= sum.fraction() => *sum = format,
                _ => refused = Some(BuildError::Sums { found: to, needed: sum.fraction() }),
            }
        });
        match refused {
            Some(error) => Err(error.into()),
            None => Ok(self),
        }
    }

    /// The same program with every word brought to another format before it goes out.
    ///
    /// ```
    /// use mellow_rake::datapath::{Simulator, fir_direct};
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// let (word, fine) = ("s16f15".parse()?, "s18f16".parse()?);
    /// let taps = round_coefficients(&[vec![0.5, 0.5]], "s16f15".parse()?)?;
    /// let mean = fir_direct(&taps, word, fine, Rounding::HalfUp, Overflow::Saturate)?;
    /// let coarse = mean.delivering(word, Rounding::Floor, Overflow::Saturate).check()?;
    /// assert_eq!(Simulator::new(&coarse).run(&[3, 4]), [1, 3]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn delivering(
        mut self,
        output: WordFormat,
        rounding: Rounding,
        overflow: Overflow,
    ) -> Datapath {
        let (fraction, format) = (output.fraction(), output);
        let mut numbers = Numbers::default();
        let body = std::mem::take(&mut self.body);
        self.body = numbers.block(body, &|numbers, operations, operation| {
            let mut operation = operation;
            if let Operation::Deliver { word, .. } = &mut operation {
                let round = Operation::Round { word: *word, fraction, rounding };
                let rounded = numbers.push(operations, round);
                let limit = Operation::Limit { word: rounded, format, overflow };
                *word = numbers.push(operations, limit);
            }
            operation
        });
        for port in &mut self.outputs {
            port.format = output;
        }
        self
    }

    /// The same program with another overflow in all its limits.
    pub(crate) fn with_overflow(mut self, wished: Overflow) -> Datapath {
        let change = |operations: &mut [(Node, Operation)]| {
            for (_, operation) in operations {
                if let Operation::Limit { overflow, .. } = operation {
                    *overflow = wished;
                }
            }
        };
        change(&mut self.body);
        for (_, operation) in &mut self.body {
            if let Operation::Repeat { body, .. } = operation {
                change(&mut body.operations);
            }
        }
        self
    }

    /// All sums that products go into.
    fn each_sum(&mut self, mut change: impl FnMut(Node, &mut Vec<Term>, &mut WordFormat)) {
        let mut all = |operations: &mut Vec<(Node, Operation)>| {
            for (node, operation) in operations {
                if let Operation::Accumulate { terms, format } = operation
                    && terms.iter().any(|term| term.products() > 0)
                {
                    change(*node, terms, format);
                }
            }
        };
        all(&mut self.body);
        for (_, operation) in &mut self.body {
            if let Operation::Repeat { body, .. } = operation {
                all(&mut body.operations);
            }
        }
    }

    /// The nodes of all sums that products go into.
    pub(crate) fn sums_of_products(&self) -> impl Iterator<Item = (Node, WordFormat)> {
        self.operations().filter_map(|(node, operation, _)| match operation {
            Operation::Accumulate { terms, format }
                if terms.iter().any(|term| term.products() > 0) =>
            {
                Some((node, *format))
            }
            _ => None,
        })
    }
}

/// Why a program cannot have the words that were asked for.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum WidthError {
    /// The words do not fit.
    #[error(transparent)]
    Build(#[from] BuildError),
    /// It is no program.
    #[error(transparent)]
    Datapath(#[from] DatapathError),
}

impl Factors {
    /// The format that holds every product of a pass brought to a fraction; `None` beyond 64 bits.
    fn rounded(
        &self,
        datapath: &Datapath,
        pass: usize,
        fraction: i32,
        rounding: Rounding,
    ) -> Option<WordFormat> {
        let format = datapath.lines[self.line.0].format;
        let size = format.minimum().abs().max(format.maximum()) * self.words as i128;
        let shift = self.fraction(datapath) - fraction;
        let sizes = self.coefficients(datapath, pass).map(|value| {
            let product = i128::from(value).abs().saturating_mul(size);
            match u32::try_from(shift) {
                Ok(dropped) => rounding.shift_right(product, dropped.min(126)) + 1,
                Err(_) => product.saturating_mul(1i128 << (-shift).min(126)).saturating_add(1),
            }
        });
        let largest = sizes.max().unwrap_or(0);
        WordFormat::holding(-largest.max(1), largest - 1, fraction)
    }
}

/// Numbers operations afresh, in program order.
#[derive(Default)]
struct Numbers {
    next: u32,
    /// The new number of each old one.
    of: BTreeMap<Node, Node>,
}

impl Numbers {
    fn take(&mut self) -> Node {
        self.next += 1;
        Node(self.next - 1)
    }

    fn push(&mut self, to: &mut Vec<(Node, Operation)>, operation: Operation) -> Node {
        let node = self.take();
        to.push((node, operation));
        node
    }

    /// The operations of a block with their new numbers; `change` may put others before each.
    fn block(
        &mut self,
        old: Vec<(Node, Operation)>,
        change: &impl Fn(&mut Numbers, &mut Vec<(Node, Operation)>, Operation) -> Operation,
    ) -> Vec<(Node, Operation)> {
        let mut operations = Vec::new();
        for (node, mut operation) in old {
            // A loop's own number comes before those inside.
            let number = matches!(operation, Operation::Repeat { .. }).then(|| self.take());
            if let Operation::Repeat { body, .. } = &mut operation {
                let inner = std::mem::take(&mut body.operations);
                body.operations = self.block(inner, change);
            }
            operation.rename_words(|word| self.of.get(&word).copied().unwrap_or(word));
            let operation = change(self, &mut operations, operation);
            let number = number.unwrap_or_else(|| self.take());
            self.of.insert(node, number);
            operations.push((number, operation));
        }
        operations
    }
}
