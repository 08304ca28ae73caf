//! The generator as a build script calls it: on a folder of specs.

mod firmware;

use mellow_rake::spec::Tune;
use mellow_rake::study::Study;
use mellow_rake::write::Language;
use mellow_rake_build::{BuildError, Generator};
use std::path::Path;

const HUM: &str = "name = \"pump_hum\"\nsample_rate = \"1 kHz\"\n\n[want]\nkind = \"notch\"\ncenter = \"87.5 \
                   Hz\"\nwidth = \"5 Hz\"\n\n[fixed]\ninput = \"s16f15\"\n";

const SWELL: &str = "name = \"swell\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\npass_edge = \"40 \
                     Hz\"\nstop_edge = \"90 Hz\"\nripple = \"1 dB\"\nattenuation = \"40 dB\"\n[method]\n\
                     design = \"elliptic\"\norder = \"minimum\"\n[float]\nformat = \"f32\"\n";

const GIVEN: &str = "name = \"ridge\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"coefficients\"\nfile = \
                     \"taps.csv\"\n[fixed]\ninput = \"s16f15\"\nstructure = \"fir-direct\"\n";

fn put(folder: &Path, files: &[(&str, &str)]) {
    for (name, text) in files {
        std::fs::write(folder.join(name), text).unwrap();
    }
}

#[test]
fn a_folder_of_specs_becomes_the_files_of_its_filters() {
    let (specs, out) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    put(specs.path(), &[("hum.toml", HUM), ("swell.toml", SWELL), ("a_ridge.toml", GIVEN)]);
    put(specs.path(), &[("taps.csv", "h\n0.25\n0.5\n0.25\n"), ("notes.txt", "no spec")]);
    let generator = Generator::new(specs.path())
        .languages([Language::C, Language::Rust])
        .tune(Tune::CortexM4)
        .into_folder(out.path().join("filters"));
    let written = generator.clone().write().unwrap();
    let names: Vec<_> =
        written.files.iter().map(|file| file.file_name().unwrap().to_str().unwrap()).collect();
    assert_eq!(
        names,
        [
            "ridge.h",
            "ridge.c",
            "ridge.rs",
            "pump_hum.h",
            "pump_hum.c",
            "pump_hum.rs",
            "swell.h",
            "swell.c",
            "swell.rs"
        ]
    );
    // What the library writes of the same spec, byte for byte.
    let study = Study::of_text(HUM, |_| Err(String::new())).unwrap();
    for file in study.tuned_to(Tune::CortexM4).unwrap().files(&[Language::C]).unwrap() {
        let found = std::fs::read_to_string(written.folder.join(&file.name));
        assert!(file.name.ends_with("_pipe.c") || found.unwrap() == file.text, "{}", file.name);
    }
    // The folder, the specs, and the file that one of them names.
    let inputs = ["", "a_ridge.toml", "taps.csv", "hum.toml", "swell.toml"];
    assert_eq!(
        written.inputs,
        inputs.map(|name| match name {
            "" => specs.path().to_owned(),
            name => specs.path().join(name),
        })
    );
    // A second time nothing is touched; what was changed by hand is put right.
    let path = written.folder.join("pump_hum.c");
    let before = std::fs::metadata(&path).unwrap().modified().unwrap();
    put(&written.folder, &[("swell.c", "/* mine */")]);
    assert_eq!(generator.write().unwrap(), written);
    assert_eq!(std::fs::metadata(&path).unwrap().modified().unwrap(), before);
    assert!(
        std::fs::read_to_string(written.folder.join("swell.c")).unwrap().contains("swell_step")
    );
}

/// Each with the file and the line that is wrong, and nothing is written.
#[test]
fn what_cannot_be_built_is_named_with_its_line() {
    let out = tempfile::tempdir().unwrap();
    let error_of = |files: &[(&str, &str)]| -> String {
        let specs = tempfile::tempdir().unwrap();
        put(specs.path(), files);
        let generator = Generator::new(specs.path()).into_folder(out.path().join("filters"));
        let error = generator.write().unwrap_err().to_string();
        assert!(!out.path().join("filters").exists(), "{error}");
        error.replace(&format!("{}/", specs.path().display()), "")
    };
    let unknown = HUM.replace("width", "widht");
    assert!(error_of(&[("hum.toml", &unknown)]).starts_with("hum.toml: line 7"), "{unknown}");
    let coarse = SWELL
        .replace("[float]\nformat = \"f32\"", "[fixed]\ninput = \"s8f7\"\ncoefficients = \"s7\"");
    let error = error_of(&[("a.toml", HUM), ("swell.toml", &coarse)]);
    assert!(error.starts_with("swell.toml: line 3: the rounded filter misses"), "{error}");
    assert!(error.contains("`mrake quantize swell.toml`"), "{error}");
    // A word that must not overflow, and can.
    let forbidden = format!("{HUM}overflow = \"forbid\"\ncoefficients = \"s8f6\"\n");
    let error = error_of(&[("hum.toml", &forbidden)]);
    assert!(error.starts_with("hum.toml: line "), "{error}");
    let error = error_of(&[("a.toml", HUM), ("b.toml", HUM)]);
    assert!(error.contains("a.toml and b.toml: both are named `pump_hum`"), "{error}");
    assert!(error_of(&[("a_ridge.toml", GIVEN)]).contains("taps.csv"));
    assert!(error_of(&[("notes.txt", "no spec")]).contains("no file ending in .toml"));
    let nowhere = Generator::new("there/is/no/such/folder").into_folder(out.path()).write();
    assert!(matches!(nowhere, Err(BuildError::Read { .. })));
}
