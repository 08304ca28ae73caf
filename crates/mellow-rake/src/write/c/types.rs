//! What C calls the types of a processor, and the helper functions for what it has no operator for.

use super::super::machine::{Arithmetic, Storage};
use super::pairs::is_half;
use crate::fixed::{Rounding, WordFormat};
use crate::spec::Tune;

/// The type of a stored word (7.18.1.1).
pub(in crate::write) fn storage(format: WordFormat) -> &'static str {
    match Storage::of(format) {
        Storage { is_signed: true, bits: 8 } => "int8_t",
        Storage { is_signed: true, bits: 16 } => "int16_t",
        Storage { is_signed: true, bits: 32 } => "int32_t",
        Storage { is_signed: true, .. } => "int64_t",
        Storage { is_signed: false, bits: 8 } => "uint8_t",
        Storage { is_signed: false, bits: 16 } => "uint16_t",
        Storage { is_signed: false, bits: 32 } => "uint32_t",
        Storage { is_signed: false, .. } => "uint64_t",
    }
}

/// The type of a word that is remembered: for cores with products of 16 by 16 bits of their own, short words
/// have that.
pub(super) fn kept(format: WordFormat, tune: Tune) -> &'static str {
    match tune.has_short_products() && is_half(format) {
        true => "int16_t",
        false => storage(format),
    }
}

/// The type that arithmetic is done in.
pub(super) fn name(arithmetic: Arithmetic) -> &'static str {
    match arithmetic {
        Arithmetic::Narrow => "int32_t",
        Arithmetic::Wide => "int64_t",
        Arithmetic::Modular => "uint64_t",
        Arithmetic::ModularNarrow => "uint32_t",
    }
}

/// A factor that shifts a word of this type to the left.
pub(super) fn shifted(arithmetic: Arithmetic, bits: u32) -> String {
    match bits {
        0 => String::new(),
        bits if bits > arithmetic.longest_shift() => " * 0".to_owned(),
        bits => format!(" * (({})1 << {bits})", name(arithmetic)),
    }
}

/// A fixed helper function, written out only when it is used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Helper {
    Floor32,
    Floor64,
    HalfUp32,
    HalfUp64,
    HalfEven32,
    HalfEven64,
    HalfAway32,
    HalfAway64,
    TowardZero32,
    TowardZero64,
    WrapSigned,
    WrapUnsigned,
    WrapSigned32,
    WrapUnsigned32,
    Saturate64,
    Unroll,
    Pair,
    Push,
    Add32,
    Sum40,
}

impl Helper {
    /// The function that reads the low bits of a sum as a word.
    pub(super) fn wrapping(is_signed: bool, arithmetic: Arithmetic) -> Helper {
        match (is_signed, arithmetic) {
            (true, Arithmetic::ModularNarrow) => Helper::WrapSigned32,
            (false, Arithmetic::ModularNarrow) => Helper::WrapUnsigned32,
            (true, _) => Helper::WrapSigned,
            (false, _) => Helper::WrapUnsigned,
        }
    }

    /// The function that rounds this way, and those that it calls.
    pub(super) fn rounding(rounding: Rounding, arithmetic: Arithmetic) -> [Helper; 2] {
        let wide = arithmetic != Arithmetic::Narrow;
        let pick = |narrow, other| if wide { other } else { narrow };
        let floor = pick(Helper::Floor32, Helper::Floor64);
        let function = match rounding {
            Rounding::Floor => floor,
            Rounding::HalfUp => pick(Helper::HalfUp32, Helper::HalfUp64),
            Rounding::HalfEven => pick(Helper::HalfEven32, Helper::HalfEven64),
            Rounding::HalfAway => pick(Helper::HalfAway32, Helper::HalfAway64),
            Rounding::TowardZero => pick(Helper::TowardZero32, Helper::TowardZero64),
        };
        [function, floor]
    }

    pub(super) fn name(self) -> &'static str {
        match self {
            Helper::Floor32 => "mellow_rake_floor_32",
            Helper::Floor64 => "mellow_rake_floor_64",
            Helper::HalfUp32 => "mellow_rake_half_up_32",
            Helper::HalfUp64 => "mellow_rake_half_up_64",
            Helper::HalfEven32 => "mellow_rake_half_even_32",
            Helper::HalfEven64 => "mellow_rake_half_even_64",
            Helper::HalfAway32 => "mellow_rake_half_away_32",
            Helper::HalfAway64 => "mellow_rake_half_away_64",
            Helper::TowardZero32 => "mellow_rake_toward_zero_32",
            Helper::TowardZero64 => "mellow_rake_toward_zero_64",
            Helper::WrapSigned => "mellow_rake_wrap_signed",
            Helper::WrapUnsigned => "mellow_rake_wrap_unsigned",
            Helper::WrapSigned32 => "mellow_rake_wrap_signed_32",
            Helper::WrapUnsigned32 => "mellow_rake_wrap_unsigned_32",
            Helper::Saturate64 => "mellow_rake_saturate_64",
            Helper::Unroll => "MELLOW_RAKE_UNROLL_ALL",
            Helper::Pair => "mellow_rake_pair",
            Helper::Push => "mellow_rake_push",
            Helper::Add32 => "mellow_rake_add_32",
            Helper::Sum40 => "mellow_rake_add_40",
        }
    }

    pub(super) fn text(self) -> &'static str {
        match self {
            Helper::Floor32 => include_str!("helpers/floor_32.c"),
            Helper::Floor64 => include_str!("helpers/floor_64.c"),
            Helper::HalfUp32 => include_str!("helpers/half_up_32.c"),
            Helper::HalfUp64 => include_str!("helpers/half_up_64.c"),
            Helper::HalfEven32 => include_str!("helpers/half_even_32.c"),
            Helper::HalfEven64 => include_str!("helpers/half_even_64.c"),
            Helper::HalfAway32 => include_str!("helpers/half_away_32.c"),
            Helper::HalfAway64 => include_str!("helpers/half_away_64.c"),
            Helper::TowardZero32 => include_str!("helpers/toward_zero_32.c"),
            Helper::TowardZero64 => include_str!("helpers/toward_zero_64.c"),
            Helper::WrapSigned => include_str!("helpers/wrap_signed.c"),
            Helper::WrapUnsigned => include_str!("helpers/wrap_unsigned.c"),
            Helper::WrapSigned32 => include_str!("helpers/wrap_signed_32.c"),
            Helper::WrapUnsigned32 => include_str!("helpers/wrap_unsigned_32.c"),
            Helper::Saturate64 => include_str!("helpers/saturate_64.c"),
            Helper::Unroll => include_str!("helpers/unroll.c"),
            Helper::Pair => include_str!("helpers/pair.c"),
            Helper::Push => include_str!("helpers/push.c"),
            Helper::Add32 => include_str!("helpers/add_32.c"),
            Helper::Sum40 => include_str!("helpers/sum_40.c"),
        }
    }
}
