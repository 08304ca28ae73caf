//! Recordings as CSV: a header, then one sample a line.

use mellow_rake::units::SampleRate;
use std::fmt::Write;

/// The samples of a column: integers stay integers.
#[derive(Debug, Clone, PartialEq)]
pub enum Values {
    /// Every field is an integer: counts, words.
    Integers(Vec<i64>),
    /// Some field has a decimal point or an exponent.
    Reals(Vec<f64>),
}

impl Values {
    /// Number of samples.
    pub fn len(&self) -> usize {
        match self {
            Values::Integers(values) => values.len(),
            Values::Reals(values) => values.len(),
        }
    }

    /// The samples as numbers in their own unit.
    pub fn reals(&self) -> Vec<f64> {
        match self {
            Values::Integers(values) => values.iter().map(|&value| value as f64).collect(),
            Values::Reals(values) => values.clone(),
        }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
}

/// A named column.
#[derive(Debug, Clone, PartialEq)]
pub struct Column {
    /// Its name in the header.
    pub name: String,
    /// Its samples.
    pub values: Values,
}

/// A CSV file with a header.
#[derive(Debug, Clone, PartialEq)]
pub struct CsvTable {
    /// The columns, of equal length.
    pub columns: Vec<Column>,
}

/// What can be wrong with a CSV recording. Lines count from 1, the header being line 1.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum CsvError {
    /// The file is not CSV, or a line has another number of fields than the header.
    #[error("line {line}: {message}")]
    Form {
        /// The line.
        line: u64,
        /// What the CSV reader says.
        message: String,
    },
    /// A field is no number.
    #[error(
        "line {line}, column `{column}`: found `{found}`; accepted: a number with a decimal point (not a comma), as -12 or 3.5e-2"
    )]
    Field {
        /// The line.
        line: u64,
        /// The column.
        column: String,
        /// The field, cut to 40 characters.
        found: String,
    },
    /// There is no header or no sample.
    #[error("the file holds no samples; accepted: a header line, then one sample a line")]
    Empty,
    /// The first line looks like samples.
    #[error("line 1: found numbers where a header with column names is wanted, as `time_s,strain`")]
    NoHeader,
    /// There is no such column.
    #[error("no column `{name}`; there are: {}", .known.join(", "))]
    NoColumn {
        /// The name asked for.
        name: String,
        /// The columns that there are.
        known: Vec<String>,
    },
    /// Several columns could be meant.
    #[error("several columns could be meant; choose one of: {}", .known.join(", "))]
    Ambiguous {
        /// The columns that there are.
        known: Vec<String>,
    },
    /// The time column does not fit the sample rate.
    #[error(
        "line {line}, column `{column}`: time goes on by {found} s; at {rate_hz} Hz it goes on by {expected} s a sample"
    )]
    Time {
        /// The line.
        line: u64,
        /// The time column.
        column: String,
        /// The step found, in seconds.
        found: f64,
        /// The step expected, in seconds.
        expected: f64,
        /// The sample rate, in hertz.
        rate_hz: f64,
    },
}

fn is_time(name: &str) -> bool {
    let name = name.to_ascii_lowercase();
    name == "t" || name == "time" || name.starts_with("time_") || name.starts_with("time ")
}

/// What stands between the fields: read off the first line.
fn delimiter(bytes: &[u8]) -> u8 {
    let first = bytes.split(|byte| *byte == b'\n').next().unwrap_or(&[]);
    [b'\t', b';'].into_iter().find(|byte| first.contains(byte)).unwrap_or(b',')
}

impl CsvTable {
    /// Reads a table with a header; every field below it must be a number. Fields stand between tabs if the header holds one,
    /// else between semicolons if it holds one, else between commas.
    ///
    /// # Errors
    /// [`CsvError`] with the line and column.
    pub fn parse(bytes: &[u8]) -> Result<Self, CsvError> {
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(delimiter(bytes))
            .trim(csv::Trim::All)
            .from_reader(bytes);
        let form = |error: csv::Error| CsvError::Form {
            line: error.position().map_or(1, csv::Position::line),
            message: error.to_string(),
        };
        let names: Vec<String> =
            reader.headers().map_err(form)?.iter().map(str::to_owned).collect();
        if names.iter().any(|name| name.parse::<f64>().is_ok()) {
            return Err(CsvError::NoHeader);
        }
        let mut reals: Vec<Vec<f64>> = vec![Vec::new(); names.len()];
        let mut integers: Vec<Option<Vec<i64>>> = vec![Some(Vec::new()); names.len()];
        for record in reader.records() {
            let record = record.map_err(form)?;
            let line = record.position().map_or(0, csv::Position::line);
            for (index, field) in record.iter().enumerate() {
                let real = field.parse::<f64>().ok().filter(|value| value.is_finite());
                let real = real.ok_or_else(|| CsvError::Field {
                    line,
                    column: names[index].clone(),
                    found: field.chars().take(40).collect(),
                })?;
                reals[index].push(real);
                match (field.parse::<i64>(), &mut integers[index]) {
                    (Ok(value), Some(values)) => values.push(value),
                    (Err(_), values) => *values = None,
                    (Ok(_), None) => {}
                }
            }
        }
        if reals.first().is_none_or(Vec::is_empty) {
            return Err(CsvError::Empty);
        }
        let columns = names
            .into_iter()
            .zip(reals.into_iter().zip(integers))
            .map(|(name, (reals, integers))| Column {
                name,
                values: integers.map_or(Values::Reals(reals), Values::Integers),
            })
            .collect();
        Ok(CsvTable { columns })
    }

    /// The column of that name; without a name, the only one that is not a time.
    ///
    /// # Errors
    /// [`CsvError::NoColumn`], [`CsvError::Ambiguous`].
    pub fn choose(&self, name: Option<&str>) -> Result<&Column, CsvError> {
        let known = || self.columns.iter().map(|column| column.name.clone()).collect();
        if let Some(name) = name {
            let found = self.columns.iter().find(|column| column.name == name);
            return found
                .ok_or_else(|| CsvError::NoColumn { name: name.to_owned(), known: known() });
        }
        let mut signals = self.columns.iter().filter(|column| !is_time(&column.name));
        match (signals.next(), signals.next()) {
            (Some(column), None) => Ok(column),
            (None, _) if self.columns.len() == 1 => Ok(&self.columns[0]),
            _ => Err(CsvError::Ambiguous { known: known() }),
        }
    }

    /// The sample rate that a time column says, in seconds, if there is one: its steps must be even, as in
    /// [`check_rate`](CsvTable::check_rate).
    ///
    /// # Errors
    /// [`CsvError::Time`] with the line of the first uneven step.
    pub fn rate(&self) -> Result<Option<SampleRate>, CsvError> {
        let Some(column) = self.columns.iter().find(|column| is_time(&column.name)) else {
            return Ok(None);
        };
        let times = column.values.reals();
        let (Some(first), Some(last)) = (times.first(), times.last()) else {
            return Ok(None);
        };
        let steps = times.len().saturating_sub(1) as f64;
        let hertz = steps / (last - first);
        // Printed times are rounded: a rate that is whole but for that is meant to be whole.
        let whole = hertz.round();
        let is_whole = (hertz - whole).abs() < 1e-6 * whole;
        match SampleRate::from_hertz(if is_whole { whole } else { hertz }) {
            None => Ok(None),
            Some(rate) => self.check_rate(rate).map(|()| Some(rate)),
        }
    }

    /// Checks a time column, if there is one, against the sample rate: each step within a hundredth of the
    /// sample period, and no drift over the whole file.
    ///
    /// # Errors
    /// [`CsvError::Time`] with the line.
    pub fn check_rate(&self, rate: SampleRate) -> Result<(), CsvError> {
        let Some(column) = self.columns.iter().find(|column| is_time(&column.name)) else {
            return Ok(());
        };
        let times = column.values.reals();
        let expected = 1.0 / rate.hertz();
        for (index, pair) in times.windows(2).enumerate() {
            let found = pair[1] - pair[0];
            let drift = (pair[1] - times[0]) - (index + 1) as f64 * expected;
            // Printed times are rounded: allow for the last digit of a step, but not for it adding up.
            if (found - expected).abs() > 0.01 * expected || drift.abs() > 0.5 * expected {
                return Err(CsvError::Time {
                    line: index as u64 + 3,
                    column: column.name.clone(),
                    found,
                    expected,
                    rate_hz: rate.hertz(),
                });
            }
        }
        Ok(())
    }
}

/// A table as CSV; real numbers are printed so that they read back to the same f64.
pub fn write_columns(columns: &[Column]) -> String {
    let names: Vec<&str> = columns.iter().map(|column| column.name.as_str()).collect();
    let mut text = names.join(",");
    text.push('\n');
    let length = columns.iter().map(|column| column.values.len()).max().unwrap_or(0);
    for row in 0..length {
        for (index, column) in columns.iter().enumerate() {
            if index > 0 {
                text.push(',');
            }
            let _ = match &column.values {
                Values::Integers(values) => values.get(row).map(|value| write!(text, "{value}")),
                Values::Reals(values) => values.get(row).map(|value| write!(text, "{value:?}")),
            };
        }
        text.push('\n');
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_reads_back_exactly() {
        let columns = vec![
            Column { name: "a".into(), values: Values::Integers(vec![i64::MIN, 0, i64::MAX]) },
            Column { name: "b".into(), values: Values::Reals(vec![0.1, -1e-300, 2.0f64.sqrt()]) },
        ];
        let table = CsvTable::parse(write_columns(&columns).as_bytes()).unwrap();
        assert_eq!(table.columns, columns);
    }

    #[test]
    fn bad_files_are_refused_with_their_place() {
        let error = |text: &str| CsvTable::parse(text.as_bytes()).unwrap_err().to_string();
        assert!(error("a,b\n1,2\n3,x\n").contains("line 3, column `b`: found `x`"));
        assert!(error("a\n1\nnan\n").contains("line 3"));
        assert!(error("a;b\n1,5;2\n").contains("line 2, column `a`: found `1,5`"));
        assert!(error("a;b\n1,5;2\n").contains("not a comma"));
        assert!(error("a,b\n1,2\n3\n").contains("line"));
        assert!(error("1,2\n3,4\n").contains("header"));
        assert!(error("a\n").contains("no samples") && error("").contains("no samples"));
        assert!(CsvTable::parse(b"a\n\xff\n").is_err());
        let two = CsvTable::parse(b"time_s,a,b\n0,1,2\n").unwrap();
        assert!(two.choose(None).is_err() && two.choose(Some("b")).is_ok());
        assert!(two.choose(Some("c")).unwrap_err().to_string().contains("time_s, a, b"));
    }

    #[test]
    fn tabs_and_semicolons_part_fields_too() {
        let comma = CsvTable::parse(b"time_s,a b\n0,1\n1,-2.5\n").unwrap();
        for other in ["time_s\ta b\n0\t1\n1\t-2.5\n", "time_s;a b\r\n0;1\r\n1;-2.5\r\n"] {
            assert_eq!(CsvTable::parse(other.as_bytes()).unwrap(), comma);
        }
    }

    #[test]
    fn a_time_column_says_the_rate() {
        let table = |step: f64| {
            let line = |n: u32| format!("{:.4},{n}\n", f64::from(n) * step);
            CsvTable::parse(
                ("time_s,strain\n".to_owned() + &(0..500).map(line).collect::<String>()).as_bytes(),
            )
        };
        assert_eq!(table(0.001).unwrap().rate().unwrap().unwrap().hertz(), 1000.0);
        let odd = table(0.0031).unwrap().rate().unwrap().unwrap().hertz();
        assert!((odd - 1.0 / 0.0031).abs() < 1e-3, "{odd}");
        let none = CsvTable::parse(b"strain\n1\n2\n").unwrap();
        assert!(none.rate().unwrap().is_none());
        let uneven = CsvTable::parse(b"time_s,x\n0,1\n0.1,2\n0.3,3\n0.4,4\n").unwrap();
        assert!(uneven.rate().is_err());
    }

    #[test]
    fn a_time_column_must_fit_the_rate() {
        let rate = SampleRate::from_hertz(1000.0).unwrap();
        let good = CsvTable::parse(b"time_s,a\n5.000,1\n5.001,2\n5.002,3\n").unwrap();
        good.check_rate(rate).unwrap();
        let error = good.check_rate(SampleRate::from_hertz(500.0).unwrap()).unwrap_err();
        assert!(error.to_string().starts_with("line 3, column `time_s`"), "{error}");
        let gap = CsvTable::parse(b"time_s,a\n0,1\n0.001,2\n0.003,3\n").unwrap();
        assert!(gap.check_rate(rate).unwrap_err().to_string().starts_with("line 4"));
    }
}
