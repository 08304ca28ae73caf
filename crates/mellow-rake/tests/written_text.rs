//! The text that the demo's notch and band-pass and an averaging FIR filter are written as, beside the
//! reviewed files in `expected/`.
//!
//! After a wanted change run once with `MELLOW_RAKE_ACCEPT=1` and read what changed. The compilers and
//! simulators that the other tests drive decide whether it is right; this test shows that it is the same on
//! every machine.

use mellow_rake::Wish;
use mellow_rake::datapath::{Checked, fir_direct};
use mellow_rake::design::design;
use mellow_rake::filter::Form;
use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
use mellow_rake::float::{FloatFilter, FloatFormat, FloatStructure};
use mellow_rake::implementation::{Goal, implement_toward};
use mellow_rake::spec::{Name, Spec, kinds, template};
use mellow_rake::write::{GeneratedFile, Symbols, c, rust, verilog, vhdl};
use std::path::Path;

fn compare_with_expected(checked: &Checked, name: &Name) {
    let symbols = Symbols::new(name);
    let mut files = c::write(checked, &symbols).unwrap();
    files.extend(rust::write(checked, &symbols).unwrap());
    files.extend(verilog::write(checked, &symbols).unwrap());
    files.extend(vhdl::write(checked, &symbols).unwrap());
    compare(files);
}

fn compare(files: Vec<GeneratedFile>) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/expected");
    // The pipes and the test bench are fixed text behind a few lines of names.
    let own = |file: &GeneratedFile| !file.name.contains("_pipe.") && !file.name.contains("_tb.");
    for file in files.into_iter().filter(own) {
        // No source of this crate.
        let name = file.name.replace(".rs", ".rs.txt");
        let path = folder.join(name);
        if std::env::var_os("MELLOW_RAKE_ACCEPT").is_some() {
            std::fs::write(&path, &file.text).unwrap();
        }
        let expected =
            std::fs::read_to_string(&path).unwrap_or_else(|error| panic!("{path:?}: {error}"));
        assert!(!file.text.contains('\r'), "{}", file.name);
        let lines = || file.text.lines().zip(expected.lines()).enumerate();
        if let Some((line, (written, expected))) = lines().find(|(_, (a, b))| a != b) {
            panic!("{}, line {}: written\n{written}\nexpected\n{expected}", file.name, line + 1);
        }
        assert_eq!(file.text.len(), expected.len(), "{}", file.name);
    }
}

#[test]
fn the_written_text_is_the_reviewed_text() {
    for text in [
        include_str!("../../../demo/mooring/pump_hum.toml"),
        include_str!("../../../demo/modem/carrier_band.toml"),
    ] {
        let spec = Spec::parse(text).unwrap();
        let design = design(&spec).unwrap();
        let goal = Goal::of(&spec, &design);
        let filter = implement_toward(&design.form, spec.fixed.unwrap(), &goal).unwrap();
        compare_with_expected(&filter.checked, &spec.name);
    }

    for (name, want, format, structure) in [
        ("hum_f32", "notch", FloatFormat::Single, FloatStructure::DirectForm2Transposed),
        ("swell_f64", "lowpass", FloatFormat::Double, FloatStructure::DirectForm1),
        ("mean_f32", "average", FloatFormat::Single, FloatStructure::FirDirect),
    ] {
        let wish = match want {
            "notch" => Wish::notch("1 kHz", "87.5 Hz", "5 Hz"),
            "lowpass" => Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4),
            _ => Wish::average("1 kHz", 8),
        };
        let filter = FloatFilter::new(&wish.filter().unwrap(), format, structure).unwrap();
        let symbols = Symbols::new(&Name::new(name).unwrap());
        let mut files = c::write_float(&filter, &symbols);
        files.extend(rust::write_float(&filter, &symbols));
        compare(files);
    }

    let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse().unwrap()).unwrap();
    let word = "s16f15".parse().unwrap();
    let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate).unwrap();
    compare_with_expected(&average.check().unwrap(), &Name::new("average").unwrap());
}

/// The same bits of f64 on every machine: a sum over the bits of every coefficient of every kind, exchange,
/// normal equations, roots and all. It changes only when a method is changed on purpose.
#[test]
fn every_kind_is_designed_to_the_same_bits() {
    let mut found = String::new();
    for kind in kinds() {
        let spec = Spec::parse(template(kind).unwrap()).unwrap();
        let numbers: Vec<f64> = match design(&spec).unwrap().form {
            Form::Taps(taps) => taps.0,
            Form::Sections(sections) => {
                sections.0.iter().flat_map(|s| s.b.into_iter().chain(s.a)).collect()
            }
        };
        // Fowler, Noll and Vo's hash of the bytes.
        let hash = numbers
            .iter()
            .flat_map(|v| v.to_bits().to_le_bytes())
            .fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| {
                (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
            });
        found.push_str(&format!("{kind} {} {hash:016x}\n", numbers.len()));
    }
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/expected/bits.txt");
    if std::env::var_os("MELLOW_RAKE_ACCEPT").is_some() {
        std::fs::write(&path, &found).unwrap();
    }
    assert_eq!(found, std::fs::read_to_string(&path).unwrap());
}
