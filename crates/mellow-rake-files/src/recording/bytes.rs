//! Recordings as bytes: raw numbers, with or without the header of an NPY file.

use super::Input;
use crate::encoding::{ByteOrder, Encoding, NumberKind};
use crate::{RecordingError, Values};
use npyz::{DType, Endianness, NpyHeader, Order, TypeChar};
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::Path;

/// Bytes of the header of an NPY file at most: one of plain numbers has some hundred.
const MOST_BYTES_OF_A_HEADER: u64 = 1 << 16;
/// Opening brackets in it at most: plain numbers have two. What reads the header tries a bracket as more than
/// one thing, so that its time doubles with each that stands within another.
const MOST_BRACKETS_OF_A_HEADER: usize = 8;

/// An NPY file up to its numbers, as its first bytes say how long that is (NumPy Enhancement Proposal 1), or
/// what is wrong with it. Nothing is understood yet: only how much there is to understand is limited.
fn npy_prelude(input: &mut impl Read) -> Result<Vec<u8>, String> {
    let mut read = |bytes: &mut Vec<u8>, count: u64| {
        let before = bytes.len() as u64;
        let all = input.take(count).read_to_end(bytes).map_err(|error| error.to_string())? as u64;
        let need = before + count;
        if all == count {
            Ok(())
        } else {
            Err(format!("its header ends at byte {}, not {need}", before + all))
        }
    };
    let mut prelude = Vec::new();
    read(&mut prelude, 8)?;
    // From version 2 on the length has four bytes.
    let size = if prelude[6] == 1 { 2 } else { 4 };
    read(&mut prelude, size)?;
    let length = prelude[8..].iter().rev().fold(0, |length, &byte| length << 8 | u64::from(byte));
    if length > MOST_BYTES_OF_A_HEADER {
        return Err(format!(
            "its header has {length} bytes; accepted: up to {MOST_BYTES_OF_A_HEADER}"
        ));
    }
    read(&mut prelude, length)?;
    let brackets = prelude.iter().filter(|byte| b"([{".contains(byte)).count();
    if brackets > MOST_BRACKETS_OF_A_HEADER {
        return Err(format!(
            "its header opens {brackets} brackets, of which plain numbers have 2; accepted: up to \
                {MOST_BRACKETS_OF_A_HEADER}"
        ));
    }
    Ok(prelude)
}

/// Numbers one after the other, the channels of a sample together.
pub(crate) struct ByteReader {
    input: BufReader<Box<dyn Input>>,
    encoding: Encoding,
    channels: usize,
    left: u64,
    pub(crate) frames: u64,
    buffer: Vec<u8>,
}

impl ByteReader {
    pub(crate) fn encoding(&self) -> Encoding {
        self.encoding
    }

    /// Bytes of this encoding, up to the end.
    pub(crate) fn raw(
        mut input: Box<dyn Input>,
        path: &Path,
        encoding: Encoding,
        channels: usize,
    ) -> Result<Self, RecordingError> {
        let system = |source| RecordingError::System { path: path.to_owned(), source };
        let bytes = input.seek(SeekFrom::End(0)).map_err(system)?;
        input.seek(SeekFrom::Start(0)).map_err(system)?;
        let frame = (encoding.bytes() * channels) as u64;
        let frames = bytes / frame;
        if bytes % frame != 0 {
            let path = path.to_owned();
            let expected = (frames + 1) * frame;
            return Err(RecordingError::Cut { path, byte: bytes, sample: frames, expected });
        }
        let input = BufReader::with_capacity(1 << 16, input);
        Ok(ByteReader { input, encoding, channels, left: frames, frames, buffer: Vec::new() })
    }

    /// An NPY file: a shape of samples, or of samples by channels.
    pub(crate) fn npy(
        mut input: Box<dyn Input>,
        path: &Path,
    ) -> Result<(Self, usize), RecordingError> {
        let form = |message: String| RecordingError::Form {
            path: path.to_owned(),
            format: "NPY",
            message,
        };
        let system = |source| RecordingError::System { path: path.to_owned(), source };
        let end = input.seek(SeekFrom::End(0)).map_err(system)?;
        input.seek(SeekFrom::Start(0)).map_err(system)?;
        let prelude = npy_prelude(&mut input).map_err(form)?;
        let header =
            NpyHeader::from_reader(&prelude[..]).map_err(|error| form(error.to_string()))?;
        let accepted =
            "accepted: integers of 8 to 64 bits (unsigned to 32) and floating point of 32 or 64";
        let encoding = match header.dtype() {
            DType::Plain(plain) => {
                let kind = match plain.type_char() {
                    TypeChar::Int => Some(NumberKind::Signed),
                    TypeChar::Uint => Some(NumberKind::Unsigned),
                    TypeChar::Float => Some(NumberKind::Float),
                    _ => None,
                };
                let order = match plain.endianness() {
                    Endianness::Big => ByteOrder::Big,
                    _ => ByteOrder::Little,
                };
                let size = plain.size_field() as usize;
                kind.and_then(|kind| Encoding::new(kind, size, order))
                    .ok_or_else(|| form(format!("its numbers are {plain}; {accepted}")))?
            }
            _ => return Err(form(format!("it holds records; {accepted}"))),
        };
        let (frames, channels) = match (header.shape(), header.order()) {
            (&[frames], _) => (frames, 1),
            (&[frames, channels], Order::C) => (frames, channels),
            (&[frames, 1], Order::Fortran) => (frames, 1),
            (shape, order) => {
                return Err(form(format!(
                    "its shape is {shape:?} in {order:?} order; accepted: (samples) or (samples, channels) \
                        in C order"
                )));
            }
        };
        let start = prelude.len() as u64;
        let bytes = u64::try_from(encoding.bytes()).unwrap_or(u64::MAX);
        let wanted = frames.checked_mul(channels).and_then(|all| all.checked_mul(bytes));
        let expected = wanted.and_then(|wanted| wanted.checked_add(start));
        let expected = expected.ok_or_else(|| form("its shape is beyond all files".to_owned()))?;
        let Some(channels) = usize::try_from(channels).ok().filter(|c| (1..=65_536).contains(c))
        else {
            return Err(form(format!("it has {channels} channels; accepted: 1 to 65536")));
        };
        if end > expected {
            return Err(RecordingError::Extra { path: path.to_owned(), extra: end - expected });
        }
        if end < expected {
            let sample = (end - start) / (bytes * channels as u64);
            return Err(RecordingError::Cut { path: path.to_owned(), byte: end, sample, expected });
        }
        let input = BufReader::with_capacity(1 << 16, input);
        let reader =
            ByteReader { input, encoding, channels, left: frames, frames, buffer: Vec::new() };
        Ok((reader, channels))
    }

    /// The next samples, at most so many, of the wanted channels.
    pub(crate) fn next(&mut self, wanted: &[usize], most: usize) -> std::io::Result<Vec<Values>> {
        let frames = self.left.min(most as u64) as usize;
        let size = self.encoding.bytes();
        let frame = size * self.channels;
        self.buffer.resize(frames * frame, 0);
        self.input.read_exact(&mut self.buffer)?;
        self.left -= frames as u64;
        let encoding = self.encoding;
        let channel = |&channel: &usize| {
            let samples = self.buffer.chunks_exact(frame);
            let samples = samples.map(|frame| &frame[channel * size..(channel + 1) * size]);
            if encoding.is_integer() {
                Values::Integers(samples.map(|bytes| encoding.integer(bytes)).collect())
            } else {
                Values::Reals(samples.map(|bytes| encoding.real(bytes)).collect())
            }
        };
        Ok(wanted.iter().map(channel).collect())
    }
}
