//! Writes the filters of `filters/`, in C and in Rust; a spec that is missed fails the build.

use mellow_rake::spec::Tune;
use mellow_rake::write::Language;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    mellow_rake_build::Generator::new("filters")
        .languages([Language::C, Language::Rust])
        .tune(Tune::CortexM4)
        .write()?;
    Ok(())
}
