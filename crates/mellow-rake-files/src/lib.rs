//! Recordings and results in open file formats.
//!
//! ```
//! use mellow_rake_files::{CsvTable, Values};
//! let table = CsvTable::parse(b"time_s,strain\n0.000,12\n0.001,-7\n")?;
//! assert_eq!(table.columns[1].values, Values::Integers(vec![12, -7]));
//! # Ok::<(), mellow_rake_files::CsvError>(())
//! ```

mod coefficients;
mod csv_table;
mod curve;
mod encoding;
mod limits;
mod pass;
mod pass_chain;
mod recording;
mod scale;
mod values;
mod variants;
mod whole;
mod words;

pub use coefficients::{
    CoefficientError, coefficients_beside, coefficients_from_csv, coefficients_from_json,
};
pub use csv_table::{CsvTable, write_columns};
pub use curve::{CurveError, curve_from_csv};
pub use encoding::{ByteOrder, Encoding, EncodingError, NumberKind};
pub use limits::{
    MOST_BYTES_IN_MEMORY, MOST_BYTES_OF_A_FIELD, MOST_BYTES_OF_A_LINE, MOST_BYTES_OF_A_SPEC,
    MOST_COLUMNS, read_whole,
};
pub use pass::{Mode, Passed, pass};
pub use pass_chain::{ChainMode, ChainPassed, pass_chain};
pub use recording::{
    CsvError, FileFormat, OutputForm, ReadingChoice, RecordingError, RecordingPlan,
    RecordingReader, RecordingWriter,
};
pub use scale::Scale;
pub use values::{Column, Values};
pub use variants::{Variant, VariantError, variants};
pub use whole::{WriteFileError, abandon_unfinished, write_whole};
pub use words::{SampleError, words};
