//! Curves of levels over frequency, as masks and measured responses are given.

use crate::{CsvError, CsvTable};

/// Why a file holds no curve.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum CurveError {
    /// The text cannot be read.
    #[error(transparent)]
    Csv(#[from] CsvError),
    /// A column is not there.
    #[error("a curve needs a column {}; found: {}", .accepted.join(" or "), crate::limits::listed(.found))]
    NoColumn {
        /// The names that would do.
        accepted: &'static [&'static str],
        /// The names there are.
        found: Vec<String>,
    },
}

/// A curve from CSV: frequencies in hertz (a column `frequency_hz`, `frequency`, `hz` or `frequency_Hz`) and
/// levels in decibels (`level_db`, `level`, `gain_db` or `db`), in the order of the file.
///
/// # Errors
/// [`CurveError`]
///
/// ```
/// let curve = mellow_rake_files::curve_from_csv(b"frequency_hz,level_db\n100,-40\n200,-40.5\n")?;
/// assert_eq!(curve, [(100.0, -40.0), (200.0, -40.5)]);
/// # Ok::<(), mellow_rake_files::CurveError>(())
/// ```
pub fn curve_from_csv(bytes: &[u8]) -> Result<Vec<(f64, f64)>, CurveError> {
    let table = CsvTable::parse(bytes)?;
    let column = |accepted: &'static [&'static str]| {
        let found = accepted.iter().find_map(|name| table.columns.iter().find(|c| c.name == *name));
        found.map(|column| column.values.reals()).ok_or_else(|| CurveError::NoColumn {
            accepted,
            found: table.columns.iter().map(|column| column.name.clone()).collect(),
        })
    };
    let hertz = column(&["frequency_hz", "frequency", "hz", "frequency_Hz"])?;
    let levels = column(&["level_db", "level", "gain_db", "db"])?;
    Ok(hertz.into_iter().zip(levels).collect())
}
