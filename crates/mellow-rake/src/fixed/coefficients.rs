//! Rounding a table of coefficients to integers.

use super::WordFormat;
use super::word::parts;
use std::fmt;
use std::ops::Range;
use std::str::FromStr;

/// The format asked for a table of coefficients; without a fraction, the one that loses least is chosen.
///
/// ```
/// use mellow_rake::fixed::CoefficientFormat;
/// let format: CoefficientFormat = "s16".parse()?;
/// assert_eq!((format.width, format.fraction), (16, None));
/// # Ok::<(), mellow_rake::fixed::QuantizeError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CoefficientFormat {
    /// Whether the words are two's complement.
    pub signed: bool,
    /// All bits of a word, 1 to 64.
    pub width: u32,
    /// Bits behind the binary point, or `None` to choose.
    pub fraction: Option<i32>,
}

/// Why coefficients cannot be written in the wished format.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum QuantizeError {
    /// The text is no coefficient format.
    #[error(
        "`{found}` is no coefficient format; accepted: s16 (fraction chosen), s18f17, u12, Q15"
    )]
    Form {
        /// The text as given.
        found: String,
    },
    /// A coefficient does not fit the format.
    #[error(
        "the coefficient {value} (row {row}, column {column}) does not fit {format}, which holds \
         {low} to {high}; {fits} would hold every coefficient of the table"
    )]
    DoesNotFit {
        /// The coefficient.
        value: f64,
        /// Its row in the table, from 0.
        row: usize,
        /// Its column in the table, from 0.
        column: usize,
        /// The format asked for.
        format: WordFormat,
        /// The smallest value of that format.
        low: f64,
        /// The largest value of that format.
        high: f64,
        /// A format of the same width that would do.
        fits: String,
    },
    /// A coefficient is not finite.
    #[error("the coefficient at row {row}, column {column} is {value}, not a finite number")]
    NotFinite {
        /// The coefficient.
        value: f64,
        /// Its row in the table, from 0.
        row: usize,
        /// Its column in the table, from 0.
        column: usize,
    },
}

/// A table of coefficients as integers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RoundedTable {
    /// The format of every word; of those with the finest fraction where not all have the same.
    pub format: WordFormat,
    /// For each coefficient, by how many bits its fraction is smaller than that of the format; empty where
    /// none is.
    pub exponents: Vec<Vec<u32>>,
    /// The integers, row by row.
    pub rows: Vec<Vec<i64>>,
}

impl RoundedTable {
    /// Integers of one format.
    pub fn new(format: WordFormat, rows: Vec<Vec<i64>>) -> Self {
        RoundedTable { format, exponents: Vec::new(), rows }
    }

    /// By how many bits the fraction of a coefficient is smaller than that of the format.
    pub fn exponent(&self, row: usize, column: usize) -> u32 {
        self.exponents.get(row).and_then(|row| row.get(column)).copied().unwrap_or(0)
    }

    /// The format of a coefficient.
    pub fn format_at(&self, row: usize, column: usize) -> WordFormat {
        self.format.coarser(self.exponent(row, column))
    }

    /// The value of a coefficient.
    pub fn value(&self, row: usize, column: usize) -> f64 {
        self.format_at(row, column).value(self.rows[row][column])
    }

    /// The values of a row.
    pub fn values(&self, row: usize) -> impl Iterator<Item = f64> + '_ {
        (0..self.rows[row].len()).map(move |column| self.value(row, column))
    }

    /// One row by itself; `None` where there is none.
    pub fn row(&self, row: usize) -> Option<RoundedTable> {
        let rows = vec![self.rows.get(row)?.clone()];
        let exponents =
            self.exponents.get(row).map(|exponents| vec![exponents.clone()]).unwrap_or_default();
        Some(RoundedTable { format: self.format, exponents, rows })
    }
}

impl FromStr for CoefficientFormat {
    type Err = QuantizeError;

    fn from_str(text: &str) -> Result<Self, QuantizeError> {
        let form = || QuantizeError::Form { found: text.chars().take(40).collect() };
        if text.starts_with('Q') {
            let format: WordFormat = text.parse().map_err(|_| form())?;
            return Ok(CoefficientFormat {
                signed: true,
                width: format.width(),
                fraction: Some(format.fraction()),
            });
        }
        let (signed, width, fraction) = parts(text).ok_or_else(form)?;
        WordFormat::new(signed, width, fraction.unwrap_or(0)).map_err(|_| form())?;
        Ok(CoefficientFormat { signed, width, fraction })
    }
}

impl fmt::Display for CoefficientFormat {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{}", if self.signed { 's' } else { 'u' }, self.width)?;
        if let Some(fraction) = self.fraction { write!(f, "f{fraction}") } else { Ok(()) }
    }
}

/// Rounds every coefficient of `rows` to the nearest integer (ties to even) in one common format.
///
/// Without a stated fraction the largest one is taken that still holds every rounded coefficient.
///
/// # Errors
/// [`QuantizeError::DoesNotFit`] when a stated fraction leaves too little room, or when negative
/// coefficients meet an unsigned format; [`QuantizeError::NotFinite`].
///
/// ```
/// use mellow_rake::fixed::round_coefficients;
/// let table = round_coefficients(&[vec![1.0, -1.7]], "s16".parse()?)?;
/// assert_eq!(table.format.to_string(), "s16f14");
/// assert_eq!(table.rows, [[16384, -27853]]);
/// # Ok::<(), mellow_rake::fixed::QuantizeError>(())
/// ```
pub fn round_coefficients(
    rows: &[Vec<f64>],
    asked: CoefficientFormat,
) -> Result<RoundedTable, QuantizeError> {
    for (row, values) in rows.iter().enumerate() {
        if let Some(column) = values.iter().position(|v| !v.is_finite()) {
            return Err(QuantizeError::NotFinite { value: values[column], row, column });
        }
    }
    let format = |fraction: i32| WordFormat::new(asked.signed, asked.width, fraction).ok();
    let chosen = (-256..=256).rev().find(|&f| {
        let all_fit = |f| format(f).is_some_and(|format| misfit(rows, format).is_none());
        all_fit(f)
    });
    let fraction = asked.fraction.or(chosen).unwrap_or(0);
    let format =
        format(fraction).ok_or_else(|| QuantizeError::Form { found: asked.to_string() })?;
    if let Some((row, column)) = misfit(rows, format) {
        return Err(QuantizeError::DoesNotFit {
            value: rows[row][column],
            row,
            column,
            format,
            low: format.minimum() as f64 * format.step(),
            high: format.maximum() as f64 * format.step(),
            fits: match chosen {
                Some(f) => format!("{}{}f{f}", if asked.signed { 's' } else { 'u' }, asked.width),
                None => format!("a signed format (s{})", asked.width),
            },
        });
    }
    let rows = rows
        .iter()
        .map(|values| values.iter().map(|&v| nearest(v, fraction) as i64).collect())
        .collect();
    Ok(RoundedTable::new(format, rows))
}

/// Rounds every coefficient to the nearest integer, each group of columns of each row with the largest
/// fraction that holds it, but at most `most` bits more than a common one could have.
///
/// # Errors
/// As of [`round_coefficients`]; a fraction that is given is that of all.
///
/// ```
/// use mellow_rake::fixed::round_groups;
/// let table = round_groups(&[vec![1.0, -1.7], vec![0.1, 0.2]], "s8".parse()?, &[0..2], 15)?;
/// assert_eq!((table.format_at(0, 0).to_string(), table.format_at(1, 0).to_string()), ("s8f6".into(),
///     "s8f9".into()));
/// assert_eq!(table.rows, [[64, -109], [51, 102]]);
/// # Ok::<(), mellow_rake::fixed::QuantizeError>(())
/// ```
pub fn round_groups(
    rows: &[Vec<f64>],
    asked: CoefficientFormat,
    groups: &[Range<usize>],
    most: u32,
) -> Result<RoundedTable, QuantizeError> {
    let common = round_coefficients(rows, asked)?;
    if asked.fraction.is_some() {
        return Ok(common);
    }
    let highest = common.format.fraction().saturating_add_unsigned(most);
    // The fraction of every coefficient, and its integer.
    let mut fractions: Vec<Vec<i32>> =
        rows.iter().map(|row| vec![common.format.fraction(); row.len()]).collect();
    let mut integers = common.rows.clone();
    for (row, values) in rows.iter().enumerate() {
        for group in groups {
            let Some(values) = values.get(group.clone()).filter(|values| !values.is_empty()) else {
                continue;
            };
            let group_rows = [values.to_vec()];
            let finest = round_coefficients(&group_rows, asked)?.format.fraction().min(highest);
            let asked = CoefficientFormat { fraction: Some(finest), ..asked };
            let rounded = round_coefficients(&group_rows, asked)?;
            fractions[row][group.clone()].fill(finest);
            integers[row][group.clone()].copy_from_slice(&rounded.rows[0]);
        }
    }
    let finest = fractions.iter().flatten().copied().max().unwrap_or(common.format.fraction());
    let format = WordFormat::new(asked.signed, asked.width, finest)
        .map_err(|_| QuantizeError::Form { found: asked.to_string() })?;
    let exponent = |fraction: &i32| (finest - fraction) as u32;
    let exponents: Vec<Vec<u32>> =
        fractions.iter().map(|row| row.iter().map(exponent).collect()).collect();
    let exponents = if exponents.iter().flatten().all(|exponent| *exponent == 0) {
        Vec::new()
    } else {
        exponents
    };
    Ok(RoundedTable { format, exponents, rows: integers })
}

/// The nearest integer to `value · 2^fraction`, ties to even, as an exact f64.
fn nearest(value: f64, fraction: i32) -> f64 {
    libm::rint(libm::scalbn(value, fraction))
}

/// Row and column of the first coefficient that `format` does not hold.
fn misfit(rows: &[Vec<f64>], format: WordFormat) -> Option<(usize, usize)> {
    rows.iter().enumerate().find_map(|(row, values)| {
        let column = values.iter().position(|&value| {
            let integer = nearest(value, format.fraction());
            // 2^63 and its neighbours: compare in i128, where every f64 below 2^100 is exact.
            let wrong_sign = value < 0.0 && !format.is_signed();
            let too_large = wrong_sign || integer.abs() >= 1e30 || !format.holds(integer as i128);
            too_large || i64::try_from(integer as i128).is_err()
        })?;
        Some((row, column))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_stated_fraction_that_is_too_large_names_what_fits() {
        let error = round_coefficients(&[vec![0.5, -1.7]], "s16f15".parse().unwrap()).unwrap_err();
        let text = error.to_string();
        assert!(text.contains("column 1") && text.contains("s16f14"), "{text}");
        let error = round_coefficients(&[vec![-0.5]], "u16".parse().unwrap()).unwrap_err();
        assert!(error.to_string().contains("signed"), "{error}");
        assert!(round_coefficients(&[vec![f64::NAN]], "s16".parse().unwrap()).is_err());
    }

    /// −1 fits a word without whole bits, +1 does not: the two ends are not alike.
    #[test]
    fn minus_one_fits_where_plus_one_does_not() {
        let low = round_coefficients(&[vec![-1.0]], "s16".parse().unwrap()).unwrap();
        assert_eq!((low.format.to_string().as_str(), low.rows[0][0]), ("s16f15", -32768));
        let high = round_coefficients(&[vec![1.0]], "s16".parse().unwrap()).unwrap();
        assert_eq!((high.format.to_string().as_str(), high.rows[0][0]), ("s16f14", 16384));
        // 1 − 2^-17 would round up to 32768 at 15 bits of fraction: it takes 14.
        let edge =
            round_coefficients(&[vec![1.0 - 1.0 / 131_072.0]], "s16".parse().unwrap()).unwrap();
        assert_eq!(edge.format.fraction(), 14);
    }
}
