//! The package that would be published: a program outside the workspace depends on it alone, without default
//! features.

use std::path::Path;
use std::process::Command;

fn run(command: &mut Command) -> String {
    let output = command.output().unwrap_or_else(|error| panic!("{command:?}: {error}"));
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    assert!(output.status.success(), "{command:?}\n{}", text(&output.stderr));
    text(&output.stdout)
}

#[test]
fn a_stranger_builds_on_the_packaged_core() {
    let home = Path::new(env!("CARGO_MANIFEST_DIR"));
    let target = Path::new(env!("CARGO_TARGET_TMPDIR")).join("packaged");
    let cargo = || {
        let mut cargo = Command::new(env!("CARGO"));
        cargo.env("CARGO_TARGET_DIR", &target).env_remove("RUSTFLAGS");
        cargo
    };
    let manifest = home.join("Cargo.toml");
    let manifest = manifest.to_str().unwrap();
    run(cargo()
        .args(["package", "--manifest-path", manifest, "--no-verify", "--allow-dirty"])
        .args(["--offline", "--quiet"]));
    let stranger = tempfile::tempdir().unwrap();
    let package = format!("mellow-rake-{}", env!("CARGO_PKG_VERSION"));
    let archive = target.join("package").join(format!("{package}.crate"));
    // New to cargo, which goes by times: a package has the same for all its files, always.
    run(Command::new("tar").arg("-xmf").arg(archive).arg("-C").arg(stranger.path()));
    // Nothing in it comes from elsewhere.
    for folder in ["tests", "benches"] {
        assert!(!stranger.path().join(&package).join(folder).exists());
    }
    let source = stranger.path().join("src");
    std::fs::create_dir(&source).unwrap();
    std::fs::write(source.join("main.rs"), include_str!("packaged/main.rs")).unwrap();
    let text = format!(
        "[package]\nname = \"stranger\"\nedition = \"2024\"\n[dependencies]\n\
         mellow-rake = {{ path = \"{package}\", default-features = false }}\n[workspace]\n"
    );
    std::fs::write(stranger.path().join("Cargo.toml"), text).unwrap();
    std::fs::copy(home.join("../../Cargo.lock"), stranger.path().join("Cargo.lock")).unwrap();
    let printed = run(cargo().current_dir(stranger.path()).args(["run", "--offline", "--quiet"]));
    // The notch of the front page of the docs, in Q14, and what it does to half of full scale.
    let integers = "[[16131, -27507, 16131, -27507, 15877]]";
    // b0/2 = 16131·16384/2^14, b1 less a1 of that, by hand: 16131 and (−27507·16384 + 27507·16131)/2^14.
    assert!(printed.starts_with(&format!("{integers} [0, 16131, -425,")), "{printed}");
    for name in ["pump_hum.h", "pump_hum.c", "pump_hum_pipe.c"] {
        assert!(printed.contains(name), "{printed}");
    }
}
