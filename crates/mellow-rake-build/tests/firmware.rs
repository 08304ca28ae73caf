//! The firmware of `examples/firmware`, whose filters are written as its build script writes them: in C on a
//! Cortex-M4 that is emulated, in Rust compiled without a library.

#[path = "../../../examples/firmware/src/runner.rs"]
mod runner;

use mellow_rake::spec::Tune;
use mellow_rake::write::Language;
use mellow_rake_build::Generator;
use mellow_rake_rig::{RUST_FLAGS, ToolName, run};
use runner::{CLOCKS_IN_A_TICK, channels, on_the_board, told};
use std::path::Path;
use std::time::Duration;

#[test]
fn the_firmware_gives_the_integers_of_the_simulator() {
    let project = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/firmware");
    let project = project.canonicalize().unwrap();
    let out = tempfile::tempdir().unwrap();
    let generator = Generator::new(project.join("filters"))
        .languages([Language::C, Language::Rust])
        .tune(Tune::CortexM4)
        .into_folder(out.path());
    assert_eq!(generator.write().unwrap().files.len(), 9);
    let channels = channels(&project).unwrap();
    let (found, clocks) = on_the_board(&project, out.path(), &channels).unwrap();
    assert!(told("C, Cortex-M4", &channels, &found));
    assert!(found.iter().all(|words| words.len() > 5_000) && clocks > 1_000);
    assert!(clocks < CLOCKS_IN_A_TICK, "{clocks}");
    // A filter that differs is seen.
    let mut other = found.clone();
    other[1][77] ^= 1;
    assert!(!told("damaged", &channels, &other));
    let mut compile = ToolName::RUSTC.find().unwrap().command(out.path());
    compile.args(RUST_FLAGS).args(["--crate-type", "lib"]).arg(project.join("src/lib.rs"));
    run(compile.env("OUT_DIR", out.path()), b"", Duration::from_secs(120)).unwrap();
}
