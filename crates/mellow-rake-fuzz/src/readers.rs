//! One function per reader.

use mellow_rake::design::design;
use mellow_rake::signal::{Mask, SignalPlan, Spectrum};
use mellow_rake::spec::{Coefficients, DirectWish, Spec, SpecError, Want};
use mellow_rake_files::{
    CsvTable, Encoding, ReadingChoice, RecordingReader, Values, coefficients_from_csv,
    coefficients_from_json, curve_from_csv, write_columns,
};
use std::path::Path;

/// A refusal stands within the text, names a key (but where the text is no TOML), and is short.
fn check_place(text: &str, error: &SpecError) {
    let lines = text.matches('\n').count() + 1;
    assert!((1..=lines).contains(&error.line), "line {} of {lines}", error.line);
    let line = text.split('\n').nth(error.line - 1).unwrap_or("");
    assert!((1..=line.chars().count() + 1).contains(&error.column), "{error}");
    assert!(error.to_string().len() < 4_000, "a refusal of {} bytes", error.to_string().len());
}

pub(crate) fn spec(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    match Spec::parse(text) {
        Ok(spec) => assert_eq!(Spec::parse(text).as_ref(), Ok(&spec)),
        Err(error) => check_place(text, &error),
    }
}

pub(crate) fn plan(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    match SignalPlan::parse(text) {
        Ok(plan) => {
            let some = plan.samples.min(300) as usize;
            let whole = plan.start().next_block(some);
            let mut again = plan.start();
            let first = some / 3;
            let parts = [again.next_block(first), again.next_block(some - first)].concat();
            let bits = |samples: &[f64]| samples.iter().map(|x| x.to_bits()).collect::<Vec<_>>();
            assert_eq!(bits(&whole), bits(&parts), "in two blocks");
        }
        Err(error) => check_place(text, &error),
    }
}

/// Equal but for how a NaN is compared; recordings hold none.
fn read(path: &str, bytes: &[u8], choice: &ReadingChoice) -> Option<Vec<Values>> {
    let open = || RecordingReader::bytes(Path::new(path), bytes.to_vec(), choice);
    let mut reader = match open() {
        Ok(reader) => reader,
        Err(error) => {
            assert!(error.to_string().starts_with(path), "{error}");
            return None;
        }
    };
    let columns: Vec<usize> = (0..reader.names().len()).collect();
    // What claims more than it holds is found out by reading.
    let whole = reader.rest(&columns);
    let mut again = open().expect("it was opened a moment ago");
    let mut parts: Option<Vec<Values>> = None;
    let ended = loop {
        match again.next_block(&columns, 7) {
            Ok(block) if block.first().is_none_or(Values::is_empty) => break Ok(()),
            Ok(block) => match &mut parts {
                None => parts = Some(block),
                Some(all) => all.iter_mut().zip(block).for_each(|(all, more)| all.append(more)),
            },
            Err(error) => break Err(error),
        }
    };
    match (whole, ended) {
        (Ok(whole), Ok(())) => {
            assert_eq!(whole.first().map(Values::len), Some(reader.samples() as usize), "{path}");
            assert_eq!(Some(&whole), parts.as_ref(), "in blocks");
            Some(whole)
        }
        (Err(error), Err(_)) => {
            assert!(error.to_string().starts_with(path), "{error}");
            None
        }
        (whole, ended) => panic!("at once {whole:?}, in blocks {ended:?}"),
    }
}

pub(crate) fn csv(bytes: &[u8]) {
    read("a.csv", bytes, &ReadingChoice::default());
    let at = ReadingChoice { rate: "1 kHz".parse().ok(), ..ReadingChoice::default() };
    read("a.csv", bytes, &at);
    if let Ok(table) = CsvTable::parse(bytes) {
        // Names with quotes or line breaks in them are written with the marks that keep them.
        let text = write_columns(&table.columns);
        let again = CsvTable::parse(text.as_bytes()).expect("what was written is read");
        let values = |table: &CsvTable| table.columns.iter().map(|c| c.values.clone()).collect();
        let (first, second): (Vec<Values>, Vec<Values>) = (values(&table), values(&again));
        assert_eq!(first, second, "{text}");
    }
}

pub(crate) fn wav(bytes: &[u8]) {
    read("a.wav", bytes, &ReadingChoice::default());
}

pub(crate) fn npy(bytes: &[u8]) {
    read("a.npy", bytes, &ReadingChoice::default());
}

pub(crate) fn json(bytes: &[u8]) {
    read("a.json", bytes, &ReadingChoice::default());
}

/// The first byte says the encoding, the second how many channels.
pub(crate) fn bytes(bytes: &[u8]) {
    const ENCODINGS: [&str; 15] = [
        "int8",
        "uint8",
        "int16-le",
        "int16-be",
        "int24-le",
        "int24-be",
        "int32-le",
        "int64-be",
        "uint16-le",
        "uint24-be",
        "uint32-le",
        "float32-le",
        "float32-be",
        "float64-le",
        "float64-be",
    ];
    let [first, second, rest @ ..] = bytes else { return };
    let name = ENCODINGS[usize::from(*first) % ENCODINGS.len()];
    let encoding: Encoding = name.parse().expect("an encoding");
    let channels = usize::from(*second);
    let choice = ReadingChoice { encoding: Some(encoding), channels, ..ReadingChoice::default() };
    let Some(found) = read("a.raw", rest, &choice) else { return };
    // Whole numbers lie within what their bytes can say.
    for values in found {
        if let (Values::Integers(values), Some((low, high))) = (values, encoding.limits()) {
            assert!(values.iter().all(|value| (low..=high).contains(value)), "{name}");
        }
    }
}

pub(crate) fn coefficients(bytes: &[u8]) {
    let found = match bytes.first() {
        Some(b'{' | b'[') => coefficients_from_json(bytes),
        _ => coefficients_from_csv(bytes),
    };
    let given = match found {
        Ok(given) => given,
        Err(error) => return assert!(error.to_string().len() < 4_000),
    };
    let sizes = match &given {
        Coefficients::Sections(rows) => rows.len(),
        Coefficients::Taps(taps) => taps.len() / 16,
        Coefficients::Polynomials { b, a } => b.len().max(a.len()),
        Coefficients::ZerosPoles { zeros, poles, .. } => zeros.len().max(poles.len()),
        _ => 0,
    };
    if sizes > 32 {
        return;
    }
    let mut spec = Spec::parse(
        "name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"coefficients\"\ntaps = [1.0]\n",
    )
    .expect("a spec");
    spec.want = Want::Direct(DirectWish::Given(given));
    if let Ok(design) = design(&spec) {
        let response = design.transfer().response(0.3);
        assert!(!response.re.is_nan() && !response.im.is_nan(), "{:?}", design.form);
    }
}

pub(crate) fn mask(bytes: &[u8]) {
    let curve = match curve_from_csv(bytes) {
        Ok(curve) => curve,
        Err(error) => return assert!(error.to_string().len() < 4_000),
    };
    if curve.len() > 4_000 {
        return;
    }
    let Some(mask) = Mask::new(curve) else { return };
    let hertz: Vec<f64> = (0..50).map(|k| 10.0 * f64::from(k)).collect();
    for at in &hertz {
        assert!(mask.level_db(*at).is_none_or(|level| !level.is_nan()), "at {at} Hz");
    }
    let density = hertz.iter().map(|at| 1.0 / (1.0 + at)).collect();
    let spectrum = Spectrum {
        hertz,
        density,
        step_hz: 10.0,
        noise_bandwidth_hz: 10.0,
        pieces: 1,
        piece: 98,
        mean: 0.0,
    };
    assert!(mask.margin(&spectrum).is_none_or(|margin| !margin.margin_db.is_nan()));
}
