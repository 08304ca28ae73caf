//! Which C type holds what.

use crate::fixed::{Rounding, WordFormat};

/// The type of a stored word: the smallest exact one of C99 (7.18.1.1).
pub(super) fn storage(format: WordFormat) -> &'static str {
    match (format.is_signed(), format.width()) {
        (true, ..=8) => "int8_t",
        (true, ..=16) => "int16_t",
        (true, ..=32) => "int32_t",
        (true, _) => "int64_t",
        (false, ..=8) => "uint8_t",
        (false, ..=16) => "uint16_t",
        (false, ..=32) => "uint32_t",
        (false, _) => "uint64_t",
    }
}

/// The type that arithmetic is done in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Arithmetic {
    /// `int32_t`
    Narrow,
    /// `int64_t`
    Wide,
    /// `uint64_t`, for sums that wrap.
    Modular,
    /// `uint32_t`, for sums of at most 32 bits that wrap, or whose parts are wider than they are.
    ModularNarrow,
}

impl Arithmetic {
    /// The narrowest signed type that holds all integers up to this size; `None` beyond 64 bits.
    pub(super) fn holding(size: i128) -> Option<Self> {
        if size <= i32::MAX.into() {
            Some(Arithmetic::Narrow)
        } else if size <= i64::MAX.into() {
            Some(Arithmetic::Wide)
        } else {
            None
        }
    }

    /// The type for words of a format, whose smallest value may be one beyond the largest.
    pub(super) fn of(format: WordFormat) -> Self {
        let narrow = format.width() <= if format.is_signed() { 32 } else { 31 };
        if narrow { Arithmetic::Narrow } else { Arithmetic::Wide }
    }

    /// Whether sums in it are right modulo a power of two only.
    pub(super) fn wraps(self) -> bool {
        matches!(self, Arithmetic::Modular | Arithmetic::ModularNarrow)
    }

    /// A factor that shifts a word of this type to the left. A shift that the type cannot hold only occurs
    /// where all that is shifted is zero, for the partial sum, shift included, is known to fit; or where
    /// nothing is left of it modulo the power of two.
    pub(super) fn shifted(self, bits: i32) -> String {
        let most = match self {
            Arithmetic::Narrow => 30,
            Arithmetic::Wide => 62,
            Arithmetic::Modular => 63,
            Arithmetic::ModularNarrow => 31,
        };
        match bits {
            0 => String::new(),
            bits if bits > most => " * 0".to_owned(),
            bits => format!(" * (({})1 << {bits})", self.name()),
        }
    }

    pub(super) fn name(self) -> &'static str {
        match self {
            Arithmetic::Narrow => "int32_t",
            Arithmetic::Wide => "int64_t",
            Arithmetic::Modular => "uint64_t",
            Arithmetic::ModularNarrow => "uint32_t",
        }
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
        }
    }
}
