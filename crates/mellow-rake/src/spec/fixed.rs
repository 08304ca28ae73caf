//! The words that a filter runs on, and its structure.

use super::Structure;
use crate::effort::Effort;
use crate::fixed::{CoefficientFormat, Overflow, Rounding, WordFormat};

/// Which words of a filter were not given and so were chosen when the spec was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub struct ChosenWords {
    /// The output: as the input.
    pub output: bool,
    /// The coefficients: as wide as the input, 8 to 32 bits.
    pub coefficients: bool,
    /// The structure: the direct form of sections or taps.
    pub structure: bool,
    /// The rounding: half-up.
    pub rounding: bool,
    /// The overflow: saturate.
    pub overflow: bool,
}

/// The words that a filter runs on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fixed {
    /// What of all this was chosen.
    pub chosen: ChosenWords,
    /// What comes in.
    pub input: WordFormat,
    /// What goes out.
    pub output: WordFormat,
    /// The coefficients.
    pub coefficients: CoefficientFormat,
    /// Which coefficients share a fraction.
    pub fractions: Fractions,
    /// Each product before it is added; exact if it is not given.
    pub products: Option<WordFormat>,
    /// The sums of products; as narrow as is proved if it is not given, their fraction that of the finest
    /// product.
    pub accumulator: Option<CoefficientFormat>,
    /// What goes from section to section, and what the feedback of direct form I remembers; chosen if it is
    /// not given.
    pub between: Option<WordFormat>,
    /// What is remembered, where the structure has words of its own for that; chosen if it is not given.
    pub state: Option<WordFormat>,
    /// How the filter is arranged.
    pub structure: Structure,
    /// How bits are dropped from the right.
    pub rounding: Rounding,
    /// What happens when a word does not fit.
    pub overflow: Overflow,
    /// In which order sections stand, and how large the words between them are.
    pub arrangement: ArrangementWish,
    /// How integers are chosen for the coefficients.
    pub integers: IntegerWish,
    /// Whether there is a multiplier; without one products are sums of shifted words.
    pub multiplier: bool,
    /// How much work proofs and searches may do.
    pub effort: Effort,
}

impl Fixed {
    /// The usual words for a structure and what comes in: all that can be chosen is.
    ///
    /// ```
    /// use mellow_rake::spec::{Fixed, Structure};
    /// let fixed = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    /// assert_eq!((fixed.output.to_string(), fixed.coefficients.to_string()), ("s16f15".into(),
    ///     "s16".into()));
    /// let narrow = Fixed { coefficients: "s12".parse()?, ..fixed };
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn new(structure: Structure, input: WordFormat) -> Self {
        // Whatever comes in, signs go out.
        let width = input.width() + u32::from(!input.is_signed());
        let output = WordFormat::new(true, width.min(64), input.fraction()).unwrap_or(input);
        let width = input.width().clamp(8, 32);
        Fixed {
            chosen: ChosenWords {
                output: true,
                coefficients: true,
                structure: true,
                rounding: true,
                overflow: true,
            },
            input,
            output,
            coefficients: CoefficientFormat { signed: true, width, fraction: None },
            fractions: Fractions::Common,
            products: None,
            accumulator: None,
            between: None,
            state: None,
            structure,
            rounding: Rounding::HalfUp,
            overflow: Overflow::Saturate,
            arrangement: ArrangementWish::default(),
            integers: IntegerWish::default(),
            multiplier: true,
            effort: Effort::default(),
        }
    }

    /// The same words for another structure, without what that has no place for.
    pub fn in_structure(self, structure: Structure) -> Self {
        let mut fixed = Fixed { structure, ..self };
        if structure != self.structure {
            // A state that was given is for its own structure.
            fixed.state = None;
            fixed.accumulator = None;
        }
        if !structure.is_cascade() {
            fixed.arrangement = ArrangementWish::default();
            (fixed.between, fixed.fractions) = (None, Fractions::Common);
        }
        if !structure.adds_whole_products() {
            fixed.products = None;
        }
        if !structure.has_plain_coefficients() {
            if fixed.fractions == Fractions::ZerosAndPoles {
                fixed.fractions = Fractions::PerSection;
            }
            fixed.integers = IntegerWish::default();
        }
        fixed
    }

    /// Why each word that was not given is what it is: the key, what was chosen, and the reason.
    pub fn reasons(&self) -> Vec<(&'static str, String, &'static str)> {
        let ChosenWords { output, coefficients, structure, rounding, overflow } = self.chosen;
        let in_taps = self.structure.is_for_taps();
        let of_structure = match in_taps {
            true => "one sum, one rounding, any taps",
            false => {
                "one rounding a section, and nothing remembered that is larger than the output"
            }
        };
        let all = [
            (output, "output", self.output.to_string(), "as the input"),
            (
                coefficients,
                "coefficients",
                self.coefficients.to_string(),
                "as wide as the input; a sweep finds the fewest bits that meet the template",
            ),
            (structure, "structure", self.structure.as_str().to_owned(), of_structure),
            (
                rounding,
                "rounding",
                self.rounding.to_string(),
                "errors of at most half a step for one addition",
            ),
            (
                overflow,
                "overflow",
                self.overflow.to_string(),
                "a word that is too large loses its excess, not its sign",
            ),
        ];
        let chosen = all.into_iter().filter(|(is_chosen, ..)| *is_chosen);
        chosen.map(|(_, key, what, why)| (key, what, why)).collect()
    }

    /// The words that go from section to section: the output, if nothing else is given.
    pub fn carried(&self) -> WordFormat {
        self.between.filter(|_| self.structure.is_cascade()).unwrap_or(self.output)
    }
}

/// In which order sections stand, and how large the words between them are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct ArrangementWish {
    /// What is brought to 1 at the output of each section but the last.
    pub scaling: Scaling,
    /// Whether the factors between sections are powers of two.
    pub powers_of_two: bool,
    /// Whether pairs of poles, pairs of zeros and the order of sections are searched for the least noise.
    pub quietest: bool,
}

/// What is brought to 1 at the output of each section but the last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Scaling {
    /// The sections are as the design made them.
    #[default]
    AsDesigned,
    /// The largest value that any input of size 1 can reach: the l1 norm.
    WorstCase,
    /// The largest value that a sine of size 1 can reach: the peak of the response.
    Peak,
    /// The rms value of white noise of rms 1: the l2 norm.
    Energy,
}

impl Scaling {
    /// All kinds.
    pub const ALL: [Scaling; 4] =
        [Scaling::AsDesigned, Scaling::WorstCase, Scaling::Peak, Scaling::Energy];

    /// The word for it in the spec file.
    pub fn as_str(self) -> &'static str {
        match self {
            Scaling::AsDesigned => "as-designed",
            Scaling::WorstCase => "worst-case",
            Scaling::Peak => "peak",
            Scaling::Energy => "energy",
        }
    }
}

/// Which coefficients of a cascade share a fraction.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Fractions {
    /// All.
    #[default]
    Common,
    /// Those of a section.
    PerSection,
    /// b0, b1, b2 of a section, and a1, a2 of it.
    ZerosAndPoles,
}

impl Fractions {
    /// All kinds.
    pub const ALL: [Fractions; 3] =
        [Fractions::Common, Fractions::PerSection, Fractions::ZerosAndPoles];

    /// The word for it in the spec file.
    pub fn as_str(self) -> &'static str {
        match self {
            Fractions::Common => "common",
            Fractions::PerSection => "per-section",
            Fractions::ZerosAndPoles => "zeros-and-poles",
        }
    }
}

/// How integers are chosen for the coefficients.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct IntegerWish {
    /// Whether integers next to the nearest are tried, too, for the most margin within the template.
    pub search: bool,
    /// The most nonzero signed digits (1, −1) that a coefficient may have; any if it is not given.
    pub digits: Option<u32>,
    /// Whether the integers of the taps add up to exactly 1.
    pub unit_sum: bool,
}
