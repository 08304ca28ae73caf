//! What the tool says where it refuses: the file that the user has before him, with line and key.

use assert_cmd::Command;
use std::path::Path;

fn refused(folder: &Path, arguments: &[&str]) -> String {
    let output = Command::cargo_bin("mrake")
        .unwrap()
        .current_dir(folder)
        .args(arguments)
        .timeout(std::time::Duration::from_secs(120))
        .output()
        .unwrap();
    let said =
        String::from_utf8(output.stderr).unwrap() + &String::from_utf8(output.stdout).unwrap();
    assert_ne!(output.status.code(), Some(0), "{said}");
    said
}

#[test]
fn files_of_coefficients_are_named_with_the_key_that_names_them() {
    let folder = tempfile::tempdir().unwrap();
    let spec = "name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"coefficients\"\n\
        file = \"taps.csv\"\n";
    std::fs::write(folder.path().join("x.toml"), spec).unwrap();
    for (content, said) in [
        (None, "taps.csv: "),
        (Some("h\n1\nx\n"), "taps.csv: line 3, column `h`: found `x`"),
        (Some("a,b\n1,2\n"), "taps.csv: found the columns a, b"),
    ] {
        if let Some(content) = content {
            std::fs::write(folder.path().join("taps.csv"), content).unwrap();
        }
        let found = refused(folder.path(), &["design", "x.toml"]);
        assert!(found.starts_with("mrake: x.toml: line 5, column 8, key `want.file`: "), "{found}");
        assert!(found.contains(said), "{found}");
    }
}

/// A value that is tried instead of that of the file: what is wrong stands where the file has the key, or
/// would have it.
#[test]
fn values_that_are_tried_are_refused_at_their_place_in_the_file() {
    let folder = tempfile::tempdir().unwrap();
    let spec = "name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\ncutoff = \"40 \
        Hz\"\n\n[method]\n\
                design = \"butterworth\"\norder = 4\n[fixed]\ninput = \"s16f15\"\n";
    std::fs::write(folder.path().join("x.toml"), spec).unwrap();
    for (wish, place) in [
        // Read, designed, and put on integers.
        ("want.cutoff=40 Hz,600 Hz", "line 5, column 10, key `want.cutoff`"),
        ("method.order=4,99", "line 9, column 9, key `method.order`"),
        ("fixed.structure=direct-form-1,fir-direct", "line 10, column 1, key `fixed.structure`"),
        ("fixed.coefficients=s16,s4", "key `fixed.coefficients`"),
    ] {
        let found = refused(folder.path(), &["compare", "x.toml", "--vary", wish]);
        let words = found.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(words.contains(place), "{wish}: {found}");
    }
}
