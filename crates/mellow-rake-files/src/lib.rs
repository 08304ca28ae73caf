//! Recordings and results in open file formats.
//!
//! ```
//! use mellow_rake_files::{CsvTable, Values};
//! let table = CsvTable::parse(b"time_s,strain\n0.000,12\n0.001,-7\n")?;
//! let column = table.choose(None)?;
//! assert_eq!(column.values, Values::Integers(vec![12, -7]));
//! # Ok::<(), mellow_rake_files::CsvError>(())
//! ```

mod coefficients;
mod csv_table;
mod wav;
mod whole;

pub use coefficients::{CoefficientError, coefficients_from_csv, coefficients_from_json};
pub use csv_table::{Column, CsvError, CsvTable, Values, write_columns};
pub use wav::{WavError, WavRecording};
pub use whole::{WriteFileError, write_whole};
