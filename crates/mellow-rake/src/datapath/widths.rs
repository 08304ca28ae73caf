//! Words stated by hand: of products, of sums, and of what goes out.

use super::factors::Factors;
use super::structure::Structure;
use super::{BuildError, Datapath, DatapathError, Fold, Node, Operation, RoundedProducts, Term};
use crate::fixed::{CoefficientFormat, Overflow, Rounding, WordFormat};

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

    /// The same program with its result brought to another word before it goes out.
    pub fn delivering(
        mut self,
        output: WordFormat,
        rounding: Rounding,
        overflow: Overflow,
    ) -> Datapath {
        let next = self.nodes() as u32;
        let (round, limit) = (Node(next), Node(next + 1));
        let (word, fraction) = (self.body.result, output.fraction());
        let operations = &mut self.body.operations;
        operations.push((round, Operation::Round { word, fraction, rounding }));
        operations.push((limit, Operation::Limit { word: round, format: output, overflow }));
        self.body.result = limit;
        self.output = output;
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
        change(&mut self.body.operations);
        for (_, operation) in &mut self.body.operations {
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
        all(&mut self.body.operations);
        for (_, operation) in &mut self.body.operations {
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
