//! How words lose bits: those below by a rounding, those above by a limit.

use super::super::lower::{Limiting, Local};
use super::super::machine::Arithmetic;
use super::super::number::c_integer;
use super::expression::Statements;
use super::types::{Helper, name, storage};
use crate::fixed::{Rounding, WordFormat};

impl Statements<'_> {
    pub(super) fn round(
        &mut self,
        local: Local,
        source: Local,
        dropped: i32,
        rounding: Rounding,
    ) -> String {
        if let Some(left) = self.rounded.get(&source.node) {
            return left.clone();
        }
        // The helper works in a type that holds the word before and after, and whose width exceeds the shift.
        let long = Arithmetic::dropping(dropped.max(0) as u32);
        let working = Arithmetic::of(source.format).max(Arithmetic::of(local.format)).max(long);
        let (kind, source) = (name(Arithmetic::of(local.format)), self.word(source));
        if dropped > 0 {
            let helpers = Helper::rounding(rounding, working);
            self.helpers.extend(helpers);
            let cast = if kind == name(working) { String::new() } else { format!("({kind})") };
            format!("{cast}{}({source}, {dropped})", helpers[0].name())
        } else if dropped < 0 {
            format!("({kind}){source} * (({kind})1 << {})", -dropped)
        } else {
            format!("({kind}){source}")
        }
    }

    pub(super) fn limit(&mut self, local: Local, source: Local, how: Limiting) -> String {
        let format = local.format;
        let (kind, word) = (self.kind(local), self.word(source));
        match how {
            Limiting::Fits => format!("({kind}){word}"),
            Limiting::Saturate { below, above } => self.saturate(source, format, below, above),
            Limiting::Wrap => {
                let helper =
                    if format.is_signed() { Helper::WrapSigned } else { Helper::WrapUnsigned };
                self.helpers.insert(helper);
                format!("({kind}){}((uint64_t){word}, {})", helper.name(), format.width())
            }
        }
    }

    /// The nearest word that fits.
    fn saturate(&mut self, source: Local, format: WordFormat, below: bool, above: bool) -> String {
        let (kind, mut word) = (storage(format), self.word(source));
        let mut working = Arithmetic::of(source.format);
        if working == Arithmetic::Wide && is_signed_word(format) && below && above {
            // First to the ends of a type, which its upper half tells, and then within that.
            self.helpers.extend([Helper::Floor32, Helper::Floor64, Helper::Saturate64]);
            word = format!("mellow_rake_saturate_64({word})");
            working = Arithmetic::Narrow;
            if format.width() == 32 {
                return word;
            }
        }
        if working == Arithmetic::Narrow && self.form.is_dual && format.width() < 32 {
            self.helpers.insert(Helper::Pair);
            let instruction = if format.is_signed() { "__ssat" } else { "__usat" };
            let kind = name(Arithmetic::of(format));
            return format!("({kind}){instruction}({word}, {})", format.width());
        }
        let (low, high) = (c_integer(format.minimum()), c_integer(format.maximum()));
        let upper = if above { format!("{word} > {high} ? {high} : {word}") } else { word.clone() };
        match below {
            true => format!("({kind})({word} < {low} ? {low} : {upper})"),
            false => format!("({kind})({upper})"),
        }
    }
}

/// Whether a format is one of signed words of at most 32 bits.
fn is_signed_word(format: WordFormat) -> bool {
    format.is_signed() && format.width() <= 32
}
