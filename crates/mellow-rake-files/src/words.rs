//! Samples as words of a format.

use crate::Values;
use mellow_rake::fixed::WordFormat;
use std::path::{Path, PathBuf};

/// A sample that the input format does not hold.
#[derive(Debug, thiserror::Error)]
#[error("{}: sample {sample} is {found}, beyond the input format {format} ({low} to {high}){hint}",
    .path.display())]
pub struct SampleError {
    /// The file.
    pub path: PathBuf,
    /// Its place in the file, from 0.
    pub sample: u64,
    /// What stands there.
    pub found: String,
    /// The format.
    pub format: WordFormat,
    /// The least that it holds.
    pub low: String,
    /// The most that it holds.
    pub high: String,
    /// How it was read.
    pub hint: &'static str,
}

/// Samples as words of the input format: integers as they are, real numbers as values, rounded to the nearest
/// word, ties to the even one. `first` is the place of the first one in its file.
///
/// # Errors
/// [`SampleError`] names the first sample that the format does not hold.
pub fn words(
    path: &Path,
    values: &Values,
    first: u64,
    format: WordFormat,
) -> Result<Vec<i64>, Box<SampleError>> {
    let outside = |sample: usize, found: String, low: String, high: String, hint| {
        let (path, sample) = (path.to_owned(), first + sample as u64);
        Box::new(SampleError { path, sample, found, format, low, high, hint })
    };
    match values {
        Values::Integers(values) => {
            let (low, high) = (format.minimum(), format.maximum());
            match values.iter().position(|&value| !format.holds(value.into())) {
                None => Ok(values.clone()),
                Some(sample) => Err(outside(
                    sample,
                    format!("the integer {}", values[sample]),
                    low.to_string(),
                    high.to_string(),
                    "",
                )),
            }
        }
        Values::Reals(values) => {
            let (low, high) = (format.minimum() as f64, format.maximum() as f64);
            let step = format.step();
            let word = |(sample, value): (usize, &f64)| {
                let word = (value / step).round_ties_even();
                if (low..=high).contains(&word) {
                    return Ok(word as i64);
                }
                let hint = "; a column with decimal points is read as values of the format";
                let (low, high) = (low * step, high * step);
                Err(outside(sample, value.to_string(), low.to_string(), high.to_string(), hint))
            };
            values.iter().enumerate().map(word).collect()
        }
    }
}
