//! Recordings as text: lines of numbers with commas, semicolons or tabs between them.

use super::Input;
use super::error::CsvError;
use crate::Values;
use crate::limits::{Lines, MOST_BYTES_OF_A_FIELD, MOST_COLUMNS};
use csv::StringRecord;
use mellow_rake::units::SampleRate;
use std::collections::HashMap;
use std::io::{BufRead, BufReader, Seek, SeekFrom};

/// Whether a column of this name holds times.
pub(crate) fn is_time(name: &str) -> bool {
    let name = name.to_ascii_lowercase();
    name == "t" || name == "time" || name.starts_with("time_") || name.starts_with("time ")
}

/// A text that was read through once, and is read again in blocks.
pub(crate) struct TextReader {
    reader: csv::Reader<Lines<BufReader<Box<dyn Input>>>>,
    has_header: bool,
    /// Of each column.
    pub(crate) names: Vec<String>,
    /// Whether every field of a column is an integer.
    pub(crate) integers: Vec<bool>,
    /// Lines with samples.
    pub(crate) frames: u64,
    record: StringRecord,
}

/// What stands between the fields: read off the first line that is no comment.
fn delimiter(input: &mut BufReader<Box<dyn Input>>) -> Result<u8, CsvError> {
    let (mut line, mut quotes) = (Vec::new(), 0);
    loop {
        let before = line.len();
        // A line of many megabytes is no line of a recording.
        let read = std::io::Read::take(&mut *input, 1 << 20).read_until(b'\n', &mut line);
        let is_end = read.map_err(unreadable)? == 0 || line.len() > 1 << 20;
        // The mark of the encoding that some files begin with is no part of a line.
        let plain = line.strip_prefix("\u{feff}".as_bytes()).unwrap_or(&line);
        let is_comment = plain.starts_with(b"#");
        // A quote that is still open takes the next line with it.
        quotes += line[before..].iter().filter(|byte| **byte == b'"').count();
        if is_end || (quotes % 2 == 0 && !is_comment) {
            break;
        }
        if is_comment {
            line.clear();
            quotes = 0;
        }
    }
    input.rewind().map_err(unreadable)?;
    // What stands in quotes is part of a name.
    let mut is_quoted = false;
    line.retain(|byte| {
        is_quoted ^= *byte == b'"';
        !is_quoted
    });
    Ok([b'\t', b';'].into_iter().find(|byte| line.contains(byte)).unwrap_or(b','))
}

fn unreadable(error: std::io::Error) -> CsvError {
    CsvError::Form { line: 1, message: error.to_string() }
}

fn form(error: csv::Error, line: u64) -> CsvError {
    let message = match error.kind() {
        csv::ErrorKind::UnequalLengths { expected_len, len, .. } => format!(
            "{len} fields where the lines before have {expected_len} (are there decimal commas? a point is \
                wanted)"
        ),
        csv::ErrorKind::Utf8 { .. } => "not UTF-8 text".to_owned(),
        _ => error.to_string(),
    };
    CsvError::Form { line, message }
}

/// The even steps of a time column, checked line by line.
struct Clock {
    column: usize,
    expected: Option<f64>,
    first: f64,
    last: f64,
    /// A unit of the last printed digit.
    digit: f64,
}

impl Clock {
    fn check(
        &mut self,
        frame: u64,
        line: u64,
        time: f64,
        field: &str,
        name: &str,
    ) -> Result<(), CsvError> {
        if frame == 0 {
            (self.first, self.last) = (time, time);
        }
        let digits = field.split_once('.').map_or(0, |(_, behind)| behind.len());
        let is_plain = !field.contains(['e', 'E']);
        if is_plain {
            self.digit = 0.1f64.powi(digits.min(30) as i32);
        }
        if let (Some(expected), true) = (self.expected, frame > 0) {
            let found = time - self.last;
            let drift = (time - self.first) - frame as f64 * expected;
            // Printed times are rounded: a step may be off by a unit of the last digit, but that must not add
            // up.
            let rounding = if is_plain { 1.01 * self.digit } else { 0.0 };
            if (found - expected).abs() > 0.01 * expected + rounding
                || drift.abs() > 0.5 * expected + rounding
            {
                let rate_hz = 1.0 / expected;
                let column = name.to_owned();
                return Err(CsvError::Time { line, column, found, expected, rate_hz });
            }
        }
        self.last = time;
        Ok(())
    }

    /// The rate that the first and the last time say.
    fn rate(&self, frames: u64) -> Option<SampleRate> {
        let span = self.last - self.first;
        let hertz = (frames - 1) as f64 / span;
        // Printed times are rounded: of the whole rates that they leave open the roundest is meant.
        let open = (1e-6 + self.digit / span).min(0.01) * hertz;
        let mut round = (0..12).rev().map(|zeros| {
            let place = 10f64.powi(zeros);
            (hertz / place).round() * place
        });
        let found = round.find(|rate| (rate - hertz).abs() < open).unwrap_or(hertz);
        SampleRate::from_hertz(found)
    }
}

impl TextReader {
    /// Reads everything through, without a look at times.
    pub(crate) fn untimed(input: Box<dyn Input>) -> Result<(Self, Option<SampleRate>), CsvError> {
        TextReader::start(input, |_| Ok(None))
    }

    /// Reads everything through: names, how many lines, which columns hold integers, and the rate that a time
    /// column says.
    pub(crate) fn open(
        input: Box<dyn Input>,
        rate: Option<SampleRate>,
        time: Option<&str>,
    ) -> Result<(Self, Option<SampleRate>), CsvError> {
        let clock = |names: &[String]| {
            let column = match time {
                Some(name) => Some(super::place(names, name)?),
                None => names.iter().position(|name| is_time(name)),
            };
            Ok(column.map(|column| Clock {
                column,
                expected: rate.map(|rate| 1.0 / rate.hertz()),
                first: 0.0,
                last: 0.0,
                digit: 0.0,
            }))
        };
        TextReader::start(input, clock)
    }

    fn start(
        input: Box<dyn Input>,
        clock: impl FnOnce(&[String]) -> Result<Option<Clock>, CsvError>,
    ) -> Result<(Self, Option<SampleRate>), CsvError> {
        let mut input = BufReader::with_capacity(1 << 16, input);
        let delimiter = delimiter(&mut input)?;
        let mut text = TextReader {
            reader: builder(delimiter).from_reader(Lines::new(input, delimiter)),
            has_header: false,
            names: Vec::new(),
            integers: Vec::new(),
            frames: 0,
            record: StringRecord::new(),
        };
        if text.read()?.is_none() {
            return Err(CsvError::Empty);
        }
        let is_number = |field: &str| field.parse::<f64>().is_ok();
        let numbers = text.record.iter().filter(|field| is_number(field)).count();
        text.has_header = numbers < text.record.len();
        if text.has_header && numbers > 0 {
            return Err(CsvError::MixedHeader);
        }
        text.names = match text.has_header {
            true => text.record.iter().map(str::to_owned).collect(),
            false => (1..=text.record.len()).map(|k| format!("column_{k}")).collect(),
        };
        text.check_names()?;
        let clock = clock(&text.names)?;
        let said = text.scan(clock)?;
        text.rewind()?;
        Ok((text, said))
    }

    /// Names of a length that can be shown, and no two alike.
    fn check_names(&self) -> Result<(), CsvError> {
        let (found, most) = (self.names.len(), MOST_COLUMNS);
        if found > most {
            let message = format!("{found} columns; at most {most} are read");
            return Err(CsvError::Form { line: 1, message });
        }
        let mut all = HashMap::new();
        for (index, name) in self.names.iter().enumerate() {
            if name.len() > MOST_BYTES_OF_A_FIELD {
                let name = name.chars().take(40).collect();
                return Err(CsvError::LongField {
                    line: 1,
                    column: name,
                    bytes: self.names[index].len(),
                });
            }
            if let Some(before) = all.insert(name, index) {
                let (name, columns) = (name.clone(), [before + 1, index + 1]);
                return Err(CsvError::SameName { name, columns });
            }
        }
        Ok(())
    }

    /// Back to the first line of samples.
    fn rewind(&mut self) -> Result<(), CsvError> {
        let start = csv::Position::new();
        self.reader.seek_raw(SeekFrom::Start(0), start).map_err(|error| form(error, 1))?;
        if self.has_header {
            self.read()?;
        }
        Ok(())
    }

    /// The next record and the line that it begins in; `None` at the end. Comments and empty lines in front
    /// of a record count with it, so the line is told from its end.
    fn read(&mut self) -> Result<Option<u64>, CsvError> {
        let read = self.reader.read_record(&mut self.record);
        let last = self.reader.position().line().saturating_sub(1).max(1);
        let is_read = read.map_err(|error| form(error, last))?;
        let breaks = self.record.as_slice().bytes().filter(|byte| *byte == b'\n').count() as u64;
        Ok(is_read.then(|| last.saturating_sub(breaks).max(1)))
    }

    fn scan(&mut self, mut clock: Option<Clock>) -> Result<Option<SampleRate>, CsvError> {
        self.rewind()?;
        self.integers = vec![true; self.names.len()];
        self.frames = 0;
        while let Some(line) = self.read()? {
            for (index, field) in self.record.iter().enumerate() {
                let wrong = || CsvError::Field {
                    line,
                    column: self.names[index].clone(),
                    found: field.chars().take(40).collect(),
                };
                if field.len() > MOST_BYTES_OF_A_FIELD {
                    let (column, bytes) = (self.names[index].clone(), field.len());
                    return Err(CsvError::LongField { line, column, bytes });
                }
                // What is an integer needs no second look.
                let is_integer = field.parse::<i64>().is_ok();
                self.integers[index] &= is_integer;
                let is_clock = clock.as_ref().is_some_and(|clock| clock.column == index);
                if is_integer && !is_clock {
                    continue;
                }
                let real = field.parse::<f64>().ok().filter(|value| value.is_finite());
                let real = real.ok_or_else(wrong)?;
                if let (Some(clock), true) = (&mut clock, is_clock) {
                    clock.check(self.frames, line, real, field, &self.names[index])?;
                }
            }
            self.frames += 1;
        }
        if self.frames == 0 {
            return Err(CsvError::Empty);
        }
        let Some(mut clock) = clock.filter(|clock| clock.expected.is_none()) else {
            return Ok(None);
        };
        // The rate that the ends say holds for every step between them.
        let Some(rate) = (self.frames > 1).then(|| clock.rate(self.frames)).flatten() else {
            return Ok(None);
        };
        clock.expected = Some(1.0 / rate.hertz());
        self.scan(Some(clock))?;
        Ok(Some(rate))
    }

    /// The next lines, at most so many, of the wanted columns.
    pub(crate) fn next(&mut self, wanted: &[usize], most: usize) -> Result<Vec<Values>, CsvError> {
        let mut block: Vec<Values> =
            wanted.iter().map(|&column| Values::none(self.integers[column])).collect();
        for _ in 0..most {
            let Some(line) = self.read()? else { break };
            for (values, &column) in block.iter_mut().zip(wanted) {
                let field = self.record.get(column).unwrap_or("");
                // It was readable a moment ago; it may have been written to since.
                let changed = || CsvError::Field {
                    line,
                    column: self.names[column].clone(),
                    found: field.chars().take(40).collect(),
                };
                match values {
                    Values::Integers(values) => {
                        values.push(field.parse().map_err(|_| changed())?);
                    }
                    Values::Reals(values) => values.push(field.parse().map_err(|_| changed())?),
                }
            }
        }
        Ok(block)
    }
}

fn builder(delimiter: u8) -> csv::ReaderBuilder {
    let mut builder = csv::ReaderBuilder::new();
    builder.delimiter(delimiter).has_headers(false).comment(Some(b'#')).trim(csv::Trim::All);
    builder
}
