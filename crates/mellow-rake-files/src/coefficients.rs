//! Coefficients of a filter from CSV and JSON.

use crate::{CsvError, CsvTable, MOST_BYTES_OF_A_SPEC, Values, read_whole};
use mellow_rake::spec::Coefficients;
use num_complex::Complex64;
use serde::Deserialize;
use std::ffi::OsStr;
use std::path::Path;

/// Why a file holds no coefficients.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum CoefficientError {
    /// The CSV file cannot be read.
    #[error(transparent)]
    Csv(#[from] CsvError),
    /// The columns mean nothing.
    #[error(
        "found the columns {}; accepted: b0, b1, b2, a1, a2 (a0 beside them if it is not 1), one section a \
         line; or h, one tap a line",
        crate::limits::listed(.found)
    )]
    Columns {
        /// The columns found.
        found: Vec<String>,
    },
    /// The JSON file cannot be read.
    #[error(
        "{}; accepted: an object with sections ([{{\"b\": [b0, b1, b2], \"a\": [a0, a1, a2]}}]), taps ([h0, \
         ...]), b and a, or zeros, poles ([[re, im], ...]) and gain",
        crate::limits::shortened(&.0.to_string(), 200)
    )]
    Json(#[from] serde_json::Error),
    /// The JSON object holds none of the forms.
    #[error("none of sections, taps, b, zeros or poles is there")]
    Nothing,
}

/// The coefficients of a file that a spec names, which stands beside it: by its ending CSV or JSON.
///
/// # Errors
/// A sentence with the path and what is wrong, as [`Study::of_text`](mellow_rake::study::Study::of_text)
/// takes it.
///
/// ```
/// use mellow_rake_files::coefficients_beside;
/// use std::path::Path;
/// let error = coefficients_beside(Path::new("filters/ridge.toml"), "taps.txt").unwrap_err();
/// assert!(error.starts_with("filters/taps.txt: "));
/// ```
pub fn coefficients_beside(spec: &Path, name: &str) -> Result<Coefficients, String> {
    let path = spec.parent().unwrap_or(Path::new("")).join(name);
    let read = || -> Result<Coefficients, String> {
        let bytes = read_whole(&path, MOST_BYTES_OF_A_SPEC).map_err(|error| error.to_string())?;
        let found = match path.extension().and_then(OsStr::to_str) {
            Some("csv") => coefficients_from_csv(&bytes),
            Some("json") => coefficients_from_json(&bytes),
            _ => return Err("a file of coefficients ends in .csv or .json".to_owned()),
        };
        found.map_err(|error| error.to_string())
    };
    read().map_err(|what| format!("{}: {what}", path.display()))
}

/// What is read of a JSON object; all other keys are left alone, so that the output of `mrake design --json`
/// can be given back.
#[derive(Deserialize)]
struct Object {
    sections: Option<Vec<SectionObject>>,
    taps: Option<Vec<f64>>,
    b: Option<Vec<f64>>,
    a: Option<Vec<f64>>,
    zeros: Option<Vec<[f64; 2]>>,
    poles: Option<Vec<[f64; 2]>>,
    gain: Option<f64>,
}

#[derive(Deserialize)]
struct SectionObject {
    b: [f64; 3],
    a: [f64; 3],
}

/// Coefficients from a JSON object: the first there is of sections, taps, b and a, zeros and poles. Feedback
/// is subtracted.
///
/// # Errors
/// [`CoefficientError`]
pub fn coefficients_from_json(bytes: &[u8]) -> Result<Coefficients, CoefficientError> {
    let object: Object = serde_json::from_slice(bytes)?;
    let complex =
        |roots: Vec<[f64; 2]>| roots.iter().map(|[re, im]| Complex64::new(*re, *im)).collect();
    if let Some(sections) = object.sections {
        let row = |SectionObject { b: [b0, b1, b2], a: [a0, a1, a2] }| [b0, b1, b2, a0, a1, a2];
        return Ok(Coefficients::Sections(sections.into_iter().map(row).collect()));
    }
    if let Some(taps) = object.taps {
        return Ok(Coefficients::Taps(taps));
    }
    if let Some(b) = object.b {
        return Ok(Coefficients::Polynomials { b, a: object.a.unwrap_or_else(|| vec![1.0]) });
    }
    if object.zeros.is_none() && object.poles.is_none() {
        return Err(CoefficientError::Nothing);
    }
    Ok(Coefficients::ZerosPoles {
        zeros: complex(object.zeros.unwrap_or_default()),
        poles: complex(object.poles.unwrap_or_default()),
        gain: object.gain.unwrap_or(1.0),
    })
}

/// Coefficients from CSV: sections, or taps. Feedback is subtracted.
///
/// # Errors
/// [`CoefficientError`]
///
/// ```
/// use mellow_rake::spec::Coefficients;
/// use mellow_rake_files::coefficients_from_csv;
/// let found = coefficients_from_csv(b"h\n0.25\n0.5\n0.25\n")?;
/// assert_eq!(found, Coefficients::Taps(vec![0.25, 0.5, 0.25]));
/// # Ok::<(), mellow_rake_files::CoefficientError>(())
/// ```
pub fn coefficients_from_csv(bytes: &[u8]) -> Result<Coefficients, CoefficientError> {
    let table = CsvTable::parse(bytes)?;
    let column = |name: &str| -> Option<Vec<f64>> {
        let column = table.columns.iter().find(|column| column.name == name)?;
        Some(match &column.values {
            Values::Integers(values) => values.iter().map(|&value| value as f64).collect(),
            Values::Reals(values) => values.clone(),
        })
    };
    if let Some(taps) = column("h") {
        return Ok(Coefficients::Taps(taps));
    }
    let all = ["b0", "b1", "b2", "a1", "a2"].map(column);
    let [Some(b0), Some(b1), Some(b2), Some(a1), Some(a2)] = all else {
        let found = table.columns.iter().map(|column| column.name.clone()).collect();
        return Err(CoefficientError::Columns { found });
    };
    let a0 = column("a0").unwrap_or_else(|| vec![1.0; b0.len()]);
    let row = |k: usize| [b0[k], b1[k], b2[k], a0[k], a1[k], a2[k]];
    Ok(Coefficients::Sections((0..b0.len()).map(row).collect()))
}
