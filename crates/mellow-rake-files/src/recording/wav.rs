//! Recordings as WAV files.

use super::Input;
use crate::{Encoding, RecordingError, Values};
use std::io::BufReader;
use std::path::Path;

type Hound = hound::WavReader<BufReader<Box<dyn Input>>>;

/// The samples of a WAV file, one after the other.
pub(crate) struct WavSource {
    reader: Hound,
    is_float: bool,
    channels: usize,
    left: u64,
    pub(crate) frames: u64,
    pub(crate) rate_hz: u32,
    /// 2 to the bits less one of integers, 1 of floating point.
    pub(crate) full_scale: f64,
    /// The encoding that holds its samples.
    pub(crate) encoding: Encoding,
}

/// What is wrong, in our words, with what is accepted.
fn message(error: &hound::Error) -> String {
    match error {
        hound::Error::FormatError(what) => (*what).to_owned(),
        hound::Error::Unsupported => {
            "accepted: PCM of 8 to 32 bits or 32-bit floating point".to_owned()
        }
        other => other.to_string(),
    }
}

impl WavSource {
    pub(crate) fn open(input: Box<dyn Input>, path: &Path) -> Result<Self, RecordingError> {
        let form = |message: String| RecordingError::Form {
            path: path.to_owned(),
            format: "WAV",
            message,
        };
        let input = BufReader::with_capacity(1 << 16, input);
        let reader = hound::WavReader::new(input).map_err(|error| form(message(&error)))?;
        let spec = reader.spec();
        let bits = u32::from(spec.bits_per_sample);
        let channels = usize::from(spec.channels);
        if channels == 0 || !(1..=32).contains(&bits) {
            return Err(form(format!("{channels} channels of {bits} bits")));
        }
        let is_float = spec.sample_format == hound::SampleFormat::Float;
        let frames = u64::from(reader.duration());
        Ok(WavSource {
            is_float,
            channels,
            left: frames,
            frames,
            rate_hz: spec.sample_rate,
            full_scale: if is_float { 1.0 } else { 2f64.powi(bits as i32 - 1) },
            encoding: if is_float { Encoding::float(false) } else { Encoding::signed(bits) },
            reader,
        })
    }

    pub(crate) fn channels(&self) -> usize {
        self.channels
    }

    /// The next samples, at most so many, of the wanted channels. An error comes with the sample that could
    /// not be read.
    pub(crate) fn next(
        &mut self,
        wanted: &[usize],
        most: usize,
    ) -> Result<Vec<Values>, (u64, String)> {
        let frames = self.left.min(most as u64);
        let at = self.frames - self.left;
        let channels = self.channels;
        let count = frames as usize * channels;
        let place = |index: usize| at + (index / channels) as u64;
        // The channels of a sample stand together.
        let part = |wanted: usize| (wanted..count).step_by(channels);
        let block = if self.is_float {
            let mut all = Vec::with_capacity(count);
            for (index, sample) in self.reader.samples::<f32>().take(count).enumerate() {
                all.push(f64::from(sample.map_err(|error| (place(index), message(&error)))?));
            }
            let found = all.len();
            if found < count {
                return Err((place(found), "it ends here".to_owned()));
            }
            wanted.iter().map(|&k| Values::Reals(part(k).map(|n| all[n]).collect())).collect()
        } else {
            let mut all = Vec::with_capacity(count);
            for (index, sample) in self.reader.samples::<i32>().take(count).enumerate() {
                all.push(i64::from(sample.map_err(|error| (place(index), message(&error)))?));
            }
            let found = all.len();
            if found < count {
                return Err((place(found), "it ends here".to_owned()));
            }
            wanted.iter().map(|&k| Values::Integers(part(k).map(|n| all[n]).collect())).collect()
        };
        self.left -= frames;
        Ok(block)
    }
}
