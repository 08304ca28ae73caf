//! Recordings as bytes: raw numbers, with or without the header of an NPY file.

use super::Input;
use crate::encoding::{ByteOrder, Encoding, NumberKind};
use crate::{RecordingError, Values};
use npyz::{DType, Endianness, NpyHeader, Order, TypeChar};
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::Path;

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
        // The header says its own length; no more than the file is read for it.
        let header = NpyHeader::from_reader((&mut input).take(end))
            .map_err(|error| form(error.to_string()))?;
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
        let start = input.stream_position().map_err(system)?;
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
