//! Prints the spec that an input of the target `chain` stands for.

fn main() -> std::io::Result<()> {
    for path in std::env::args().skip(1) {
        println!("# {path}\n{}", mellow_rake_fuzz::spec_of(&std::fs::read(&path)?));
    }
    Ok(())
}
