//! The processor that a program is written for.

use super::error::Problem;

/// Firmware of a filter that has no words.
pub(super) fn without_words() -> Problem {
    let accepted =
        "a table [fixed] beside it: floating point is written in one form for all processors"
            .to_owned();
    Problem::Range { found: "no words".to_owned(), accepted }
}

/// The core that C is tuned to, and Rust as far as several outputs of taps are made at a time. Whatever it
/// is, the same integers come out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum Tune {
    /// To none: C99 for every processor.
    #[default]
    Portable,
    /// Arm Cortex-M0 and M0+.
    CortexM0,
    /// Arm Cortex-M3.
    CortexM3,
    /// Arm Cortex-M4.
    CortexM4,
    /// Arm Cortex-M7.
    CortexM7,
    /// Arm Cortex-M33 with its DSP extension.
    CortexM33,
    /// RISC-V of 32 bits with multiplication.
    Rv32,
    /// AVR of 8 bits with multiplication.
    Avr,
    /// The computer that compiles it, or another of 64 bits.
    Host,
}

impl Tune {
    /// All of them, each with its name and what is done for it, and why.
    pub const ALL: [(Tune, &'static str, &'static str); 9] = [
        (Tune::Portable, "portable", "C99 alone, one text for every processor"),
        (
            Tune::CortexM0,
            "cortex-m0",
            "C99 alone, one output at a time: there are eight registers that arithmetic can use, and no \
             product longer than 32 bits",
        ),
        (
            Tune::CortexM3,
            "cortex-m3",
            "C99 alone, four outputs of taps at a time: a long product is added in one instruction, pairs of \
             words are not",
        ),
        (Tune::CortexM4, "cortex-m4", PAIRS),
        (Tune::CortexM7, "cortex-m7", PAIRS),
        (Tune::CortexM33, "cortex-m33", PAIRS),
        (
            Tune::Rv32,
            "rv32",
            "C99 alone, four outputs of taps at a time: no instruction adds a product, and what is loaded \
             serves four",
        ),
        (
            Tune::Avr,
            "avr",
            "products of 16 by 16 bits in assembler, added in 32 bits, or in 40 where the level needs them; \
             bits dropped by whole bytes; one output at a time; C99 in the same file for all others",
        ),
        (
            Tune::Host,
            "host",
            "C99 alone, four outputs of taps at a time, which a compiler puts into the instructions for \
             vectors",
        ),
    ];

    /// The word for it in spec files and on the command line.
    pub fn as_str(self) -> &'static str {
        self.entry().1
    }

    /// What is done for it, and why.
    pub fn reason(self) -> &'static str {
        self.entry().2
    }

    fn entry(self) -> (Tune, &'static str, &'static str) {
        Tune::ALL.into_iter().find(|(tune, ..)| *tune == self).unwrap_or(Tune::ALL[0])
    }

    /// Whether products are made two at a time.
    pub(crate) fn has_pairs(self) -> bool {
        matches!(self, Tune::CortexM4 | Tune::CortexM7 | Tune::CortexM33)
    }

    /// Whether words and coefficients of up to 16 bits are kept in 16, for products of their own.
    pub(crate) fn has_short_products(self) -> bool {
        self.has_pairs() || self == Tune::Avr
    }

    /// Whether it has too few registers for several outputs at a time; `None` where the compiler says.
    pub(crate) fn makes_several(self) -> Option<bool> {
        match self {
            Tune::Portable => None,
            Tune::CortexM0 | Tune::Avr => Some(false),
            _ => Some(true),
        }
    }
}

const PAIRS: &str = "words and coefficients of 16 bits two at a time, by the instructions that add two \
    products, and limits by the instruction for that, where the compiler says that they are there; four \
    outputs of taps at a time, so that what is loaded serves twice; C99 in the same file for all others";

/// What C and Rust are to be good at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum CodeGoal {
    /// What the compiler is told to make it good at: small with `-Os`, fast without.
    #[default]
    Automatic,
    /// Fast, also with `-Os`.
    Speed,
    /// Small: blocks are loops over samples, and no loop is written out.
    Size,
}

impl CodeGoal {
    /// All of them, each with the word for it in spec files.
    pub const ALL: [(&'static str, CodeGoal); 3] =
        [("automatic", CodeGoal::Automatic), ("speed", CodeGoal::Speed), ("size", CodeGoal::Size)];
}

/// What the C and the Rust of a filter on integers are to be like.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Firmware, Fixed, Structure, Tune};
/// use mellow_rake::write::Language;
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let firmware = Firmware { tune: Tune::CortexM4, ..Firmware::default() };
/// let wish = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words);
/// let files = wish.firmware(firmware).study()?.files(&[Language::C])?;
/// assert!(files[1].text.contains("__smlad("));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Firmware {
    /// The core.
    pub tune: Tune,
    /// What it is to be good at.
    pub goal: CodeGoal,
    /// Streams that come interleaved: with more than one there is a function for blocks of all of them.
    pub channels: usize,
}

impl Default for Firmware {
    /// For every processor, one stream.
    fn default() -> Self {
        Firmware { tune: Tune::Portable, goal: CodeGoal::Automatic, channels: 1 }
    }
}

impl Firmware {
    /// The most streams.
    pub const MOST_CHANNELS: usize = 64;
}
