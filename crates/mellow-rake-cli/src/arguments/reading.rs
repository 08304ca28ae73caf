//! How recordings are read, and what their samples stand for.

use crate::failure::Failure;
use clap::Args;
use mellow_rake::units::SampleRate;
use mellow_rake_files::{Encoding, ReadingChoice, Scale};
use std::str::FromStr;

/// What a recording does not say by itself.
#[derive(Debug, Default, Args)]
pub(crate) struct FileReading {
    /// How numbers stand in a file without a header (.raw, .bin): int8, uint8, int16-le, int24-be,
    /// float32-le, ...
    #[arg(long, value_name = "ENCODING")]
    pub(crate) encoding: Option<Encoding>,
    /// How many channels such a file has, 1 to 65536.
    #[arg(long, default_value_t = 1, value_name = "COUNT",
        value_parser = clap::value_parser!(u32).range(1..=65_536))]
    pub(crate) channels: u32,
    /// The column of times in a text, by name or number [default: one called t, time or time_...].
    #[arg(long, value_name = "NAME")]
    pub(crate) time: Option<String>,
}

impl FileReading {
    /// The same for the library, with a rate.
    pub(crate) fn choice(&self, rate: Option<SampleRate>) -> ReadingChoice {
        ReadingChoice {
            rate,
            encoding: self.encoding,
            channels: self.channels as usize,
            time: self.time.clone(),
        }
    }
}

/// What samples stand for.
#[derive(Debug, Args)]
pub(crate) struct Scaling {
    /// The size of the largest sample that could stand in the recording [default: that of the file's format].
    #[arg(long, value_name = "NUMBER")]
    pub(crate) full_scale: Option<f64>,
    /// What a sample of that size stands for, with its unit, as "2.5 V"; samples are turned into it.
    #[arg(long, value_name = "QUANTITY")]
    pub(crate) range: Option<Physical>,
    /// What a sample of 0 stands for, in the same unit [default: 0].
    #[arg(long, value_name = "QUANTITY", requires = "range", allow_hyphen_values = true)]
    pub(crate) offset: Option<Physical>,
}

impl Scaling {
    /// The scale that was asked for, if one was.
    pub(crate) fn scale(&self, full_scale: Option<f64>) -> Result<Option<Scale>, Failure> {
        let full_scale = self.full_scale.or(full_scale);
        let wrong = |what: &str| Err(Failure::Call(what.to_owned()));
        if full_scale.is_some_and(|scale| !(scale > 0.0 && scale.is_finite())) {
            return wrong("--full-scale: a number above 0 is wanted");
        }
        let Some(Physical { number: range, unit }) = &self.range else {
            return Ok(None);
        };
        if *range <= 0.0 {
            return wrong("--range: a quantity above 0 is wanted, as \"2.5 V\"");
        }
        let Some(full_scale) = full_scale else {
            return wrong(
                "--range: the format does not say its largest sample; --full-scale 32768 would",
            );
        };
        let offset = match &self.offset {
            Some(offset) if offset.unit != *unit => {
                return wrong("--offset: the unit of --range is wanted");
            }
            Some(offset) => offset.number,
            None => 0.0,
        };
        let (factor, unit, range) = (range / full_scale, unit.clone(), *range);
        Ok(Some(Scale { factor, offset, unit, range }))
    }
}

/// A number with any unit.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Physical {
    pub(crate) number: f64,
    pub(crate) unit: String,
}

impl FromStr for Physical {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wanted = || "a number and a unit are wanted, as \"2.5 V\"".to_owned();
        let (number, unit) = text.trim().split_once(char::is_whitespace).ok_or_else(wanted)?;
        let number: f64 = number.parse().map_err(|_| wanted())?;
        let unit = unit.trim().to_owned();
        let is_short = unit.chars().count() <= 24 && !unit.chars().any(char::is_control);
        if !number.is_finite() || !is_short {
            return Err(wanted());
        }
        Ok(Physical { number, unit })
    }
}
