//! How numbers stand in bytes.

use std::fmt;
use std::str::FromStr;

/// What a number is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NumberKind {
    /// Two's complement.
    Signed,
    /// From 0 up.
    Unsigned,
    /// IEEE 754.
    Float,
}

/// Which byte of a number comes first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ByteOrder {
    /// The least significant one.
    Little,
    /// The most significant one.
    Big,
}

/// How a sample stands in bytes: `int8`, `uint8`, `int16-le`, `int24-be`, `int64-le`, `uint32-le`,
/// `float32-le`, `float64-be`, ….
///
/// ```
/// use mellow_rake_files::Encoding;
/// let encoding: Encoding = "int24-le".parse()?;
/// assert_eq!((encoding.bytes(), encoding.full_scale()), (3, 8_388_608.0));
/// assert_eq!(encoding.to_string(), "int24-le");
/// assert!("int20-le".parse::<Encoding>().is_err());
/// # Ok::<(), mellow_rake_files::EncodingError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Encoding {
    kind: NumberKind,
    bytes: usize,
    order: ByteOrder,
}

/// A text is no encoding.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error(
    "`{found}` is no encoding; accepted: int8, uint8, and int16, int24, int32, int64, uint16, uint24, \
     uint32, float32, float64 with -le or -be behind (the least or the most significant byte first), as \
     int16-le"
)]
pub struct EncodingError {
    found: String,
}

impl Encoding {
    /// Signed integers of 8, 16, 24, 32 or 64 bits (the next of these that holds so many), least significant
    /// byte first.
    ///
    /// ```
    /// use mellow_rake_files::Encoding;
    /// assert_eq!(Encoding::signed(18).to_string(), "int24-le");
    /// ```
    pub fn signed(bits: u32) -> Self {
        let bytes = match bits {
            0..=8 => 1,
            9..=16 => 2,
            17..=24 => 3,
            25..=32 => 4,
            _ => 8,
        };
        Encoding { kind: NumberKind::Signed, bytes, order: ByteOrder::Little }
    }

    /// Floating point of 32 or 64 bits, least significant byte first.
    pub fn float(double: bool) -> Self {
        let bytes = if double { 8 } else { 4 };
        Encoding { kind: NumberKind::Float, bytes, order: ByteOrder::Little }
    }

    /// An encoding, if there is such a one.
    pub(crate) fn new(kind: NumberKind, bytes: usize, order: ByteOrder) -> Option<Self> {
        let exists = match kind {
            NumberKind::Signed => matches!(bytes, 1..=4 | 8),
            NumberKind::Unsigned => matches!(bytes, 1..=4),
            NumberKind::Float => matches!(bytes, 4 | 8),
        };
        exists.then_some(Encoding { kind, bytes, order })
    }

    /// What the numbers are.
    pub fn kind(self) -> NumberKind {
        self.kind
    }

    /// Which byte comes first.
    pub(crate) fn order(self) -> ByteOrder {
        self.order
    }

    /// Bytes of a number.
    pub fn bytes(self) -> usize {
        self.bytes
    }

    /// Whether the numbers are integers.
    pub fn is_integer(self) -> bool {
        self.kind != NumberKind::Float
    }

    /// The size of a sample that stands for the end of the range: 2 to the bits (of signed ones less one) for
    /// integers, 1 for floating point.
    pub fn full_scale(self) -> f64 {
        let bits = 8 * self.bytes as i32;
        match self.kind {
            NumberKind::Signed => 2f64.powi(bits - 1),
            NumberKind::Unsigned => 2f64.powi(bits),
            NumberKind::Float => 1.0,
        }
    }

    /// The lowest and the highest integer; `None` for floating point.
    pub fn limits(self) -> Option<(i64, i64)> {
        let bits = 8 * self.bytes as u32;
        match self.kind {
            NumberKind::Signed => Some((i64::MIN >> (64 - bits), i64::MAX >> (64 - bits))),
            NumberKind::Unsigned => Some((0, (1i64 << bits) - 1)),
            NumberKind::Float => None,
        }
    }

    /// The number of so many bytes, the most significant one last.
    fn bits(self, bytes: &[u8]) -> u64 {
        let add = |sum: u64, byte: &u8| (sum << 8) | u64::from(*byte);
        match self.order {
            ByteOrder::Little => bytes.iter().rev().fold(0, add),
            ByteOrder::Big => bytes.iter().fold(0, add),
        }
    }

    /// An integer from its bytes; of an integer encoding.
    pub(crate) fn integer(self, bytes: &[u8]) -> i64 {
        let (bits, spare) = (self.bits(bytes), 64 - 8 * self.bytes as u32);
        match self.kind {
            NumberKind::Signed => ((bits << spare) as i64) >> spare,
            _ => bits as i64,
        }
    }

    /// A real number from its bytes.
    pub(crate) fn real(self, bytes: &[u8]) -> f64 {
        match (self.kind, self.bytes) {
            (NumberKind::Float, 4) => f64::from(f32::from_bits(self.bits(bytes) as u32)),
            (NumberKind::Float, _) => f64::from_bits(self.bits(bytes)),
            _ => self.integer(bytes) as f64,
        }
    }

    fn put(self, bits: u64, out: &mut Vec<u8>) {
        let bytes = bits.to_le_bytes();
        match self.order {
            ByteOrder::Little => out.extend(&bytes[..self.bytes]),
            ByteOrder::Big => out.extend(bytes[..self.bytes].iter().rev()),
        }
    }

    /// Integers one after the other in bytes; `None` where one is beyond the limits, or the encoding is
    /// floating point.
    ///
    /// ```
    /// use mellow_rake_files::Encoding;
    /// let big: Encoding = "int16-be".parse()?;
    /// assert_eq!(big.encode(&[-2, 258]).unwrap(), [0xff, 0xfe, 1, 2]);
    /// assert_eq!(big.decode(&[0xff, 0xfe, 1, 2]).unwrap(), [-2, 258]);
    /// assert!(big.encode(&[40_000]).is_none() && big.decode(&[1]).is_none());
    /// # Ok::<(), mellow_rake_files::EncodingError>(())
    /// ```
    pub fn encode(self, integers: &[i64]) -> Option<Vec<u8>> {
        let (low, high) = self.limits()?;
        let mut bytes = Vec::with_capacity(integers.len() * self.bytes);
        for value in integers {
            if !(low..=high).contains(value) {
                return None;
            }
            self.put(*value as u64, &mut bytes);
        }
        Some(bytes)
    }

    /// The integers that stand in bytes; `None` where the last is not whole, or the encoding is floating
    /// point.
    pub fn decode(self, bytes: &[u8]) -> Option<Vec<i64>> {
        let is_whole = self.is_integer() && bytes.len().is_multiple_of(self.bytes);
        is_whole.then(|| bytes.chunks_exact(self.bytes).map(|one| self.integer(one)).collect())
    }

    /// The bytes of an integer within the limits; floating point takes it as a number.
    pub(crate) fn put_integer(self, value: i64, out: &mut Vec<u8>) {
        match self.kind {
            NumberKind::Float => self.put_real(value as f64, out),
            _ => self.put(value as u64, out),
        }
    }

    /// The bytes of a real number in floating point, rounded to 32 bits if these are all.
    pub(crate) fn put_real(self, value: f64, out: &mut Vec<u8>) {
        match self.bytes {
            4 => self.put(u64::from((value as f32).to_bits()), out),
            _ => self.put(value.to_bits(), out),
        }
    }
}

impl FromStr for Encoding {
    type Err = EncodingError;

    fn from_str(text: &str) -> Result<Self, EncodingError> {
        let wrong = || EncodingError { found: text.chars().take(40).collect() };
        let (name, order) = match text.rsplit_once('-') {
            Some((name, "le")) => (name, Some(ByteOrder::Little)),
            Some((name, "be")) => (name, Some(ByteOrder::Big)),
            Some(_) => return Err(wrong()),
            None => (text, None),
        };
        let kinds = [
            ("uint", NumberKind::Unsigned),
            ("int", NumberKind::Signed),
            ("float", NumberKind::Float),
        ];
        let found = kinds.iter().find_map(|(word, kind)| Some((name.strip_prefix(word)?, *kind)));
        let (bits, kind) = found.ok_or_else(wrong)?;
        let bits: usize = bits.parse().map_err(|_| wrong())?;
        // More than a byte has an order, one byte has none.
        if !bits.is_multiple_of(8) || order.is_some() != (bits > 8) {
            return Err(wrong());
        }
        Encoding::new(kind, bits / 8, order.unwrap_or(ByteOrder::Little)).ok_or_else(wrong)
    }
}

impl fmt::Display for Encoding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = match self.kind {
            NumberKind::Signed => "int",
            NumberKind::Unsigned => "uint",
            NumberKind::Float => "float",
        };
        let order = match (self.bytes, self.order) {
            (1, _) => "",
            (_, ByteOrder::Little) => "-le",
            (_, ByteOrder::Big) => "-be",
        };
        write!(f, "{kind}{}{order}", 8 * self.bytes)
    }
}
