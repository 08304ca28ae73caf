//! Recordings in WAV files.

use crate::{Column, Values};
use std::io::Cursor;

/// A recording from a WAV file: one column for each channel.
#[derive(Debug, Clone, PartialEq)]
pub struct WavRecording {
    /// Samples per second.
    pub rate_hz: u32,
    /// The largest size of a sample: 2 to the bits less one of integers, 1 of floating point.
    pub full_scale: f64,
    /// The channels: `channel` if there is one, else `channel_1`, `channel_2`, …
    pub columns: Vec<Column>,
}

/// Why a file is no WAV recording.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum WavError {
    /// The file is not in a form that can be read.
    #[error(
        "not a readable WAV file: {message}; accepted: PCM of 8 to 32 bits or 32-bit floating point"
    )]
    Form {
        /// What the WAV reader says.
        message: String,
    },
    /// There are no samples.
    #[error("the WAV file holds no samples")]
    Empty,
    /// The rate is another than that of the spec.
    #[error("the recording has {found_hz} samples per second; the spec says {expected_hz}")]
    Rate {
        /// The file's rate.
        found_hz: u32,
        /// The spec's rate.
        expected_hz: f64,
    },
}

impl WavRecording {
    /// Reads a WAV file. Integer samples stay integers, floating-point samples stay as they are.
    ///
    /// # Errors
    /// [`WavError`]
    pub fn parse(bytes: &[u8]) -> Result<Self, WavError> {
        let form = |error: hound::Error| WavError::Form { message: error.to_string() };
        let mut reader = hound::WavReader::new(Cursor::new(bytes)).map_err(form)?;
        let hound::WavSpec { channels, sample_rate, sample_format, bits_per_sample } =
            reader.spec();
        let channels = usize::from(channels).max(1);
        let name = |k: usize| {
            if channels == 1 { "channel".to_owned() } else { format!("channel_{}", k + 1) }
        };
        let mut columns = Vec::new();
        match sample_format {
            hound::SampleFormat::Int => {
                let all: Vec<i64> = reader
                    .samples::<i32>()
                    .map(|sample| sample.map(i64::from))
                    .collect::<Result<_, _>>()
                    .map_err(form)?;
                for k in 0..channels {
                    let own = all.iter().copied().skip(k).step_by(channels).collect();
                    columns.push(Column { name: name(k), values: Values::Integers(own) });
                }
            }
            hound::SampleFormat::Float => {
                let all: Vec<f64> = reader
                    .samples::<f32>()
                    .map(|sample| sample.map(f64::from))
                    .collect::<Result<_, _>>()
                    .map_err(form)?;
                for k in 0..channels {
                    let own = all.iter().copied().skip(k).step_by(channels).collect();
                    columns.push(Column { name: name(k), values: Values::Reals(own) });
                }
            }
        }
        if columns.iter().any(|column| column.values.is_empty()) {
            return Err(WavError::Empty);
        }
        let full_scale = match sample_format {
            hound::SampleFormat::Int => (1u64 << (bits_per_sample.clamp(1, 63) - 1)) as f64,
            hound::SampleFormat::Float => 1.0,
        };
        Ok(WavRecording { rate_hz: sample_rate, full_scale, columns })
    }

    /// Checks the rate against that of a spec.
    ///
    /// # Errors
    /// [`WavError::Rate`]
    pub fn check_rate(&self, expected_hz: f64) -> Result<(), WavError> {
        if f64::from(self.rate_hz) == expected_hz {
            return Ok(());
        }
        Err(WavError::Rate { found_hz: self.rate_hz, expected_hz })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn channels_come_apart_and_keep_their_integers() {
        let spec = hound::WavSpec {
            channels: 2,
            sample_rate: 8000,
            bits_per_sample: 24,
            sample_format: hound::SampleFormat::Int,
        };
        let mut bytes = Cursor::new(Vec::new());
        let mut writer = hound::WavWriter::new(&mut bytes, spec).unwrap();
        for sample in [1, -8_388_608, 3, 8_388_607] {
            writer.write_sample(sample).unwrap();
        }
        writer.finalize().unwrap();
        let recording = WavRecording::parse(bytes.get_ref()).unwrap();
        assert_eq!(recording.columns[0].values, Values::Integers(vec![1, 3]));
        assert_eq!(recording.columns[1].values, Values::Integers(vec![-8_388_608, 8_388_607]));
        assert_eq!(recording.full_scale, 8_388_608.0);
        assert!(recording.check_rate(8000.0).is_ok() && recording.check_rate(8001.0).is_err());
        for cut in 0..bytes.get_ref().len() {
            let _ = WavRecording::parse(&bytes.get_ref()[..cut]);
        }
        assert!(WavRecording::parse(b"time_s,strain\n").is_err());
    }
}
