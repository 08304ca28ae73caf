//! What a synthesizer is told beside a design.

use super::{GeneratedFile, Language, ORIGIN, Symbols};

/// The clock, in a file of constraints beside the design: NAME.sdc, which most synthesizers read. `hertz` is
/// the clock, `port` the name of its port, `language` that of the design.
///
/// ```
/// use mellow_rake::write::{Language, Symbols, clock_constraint};
/// let symbols = Symbols::new(&mellow_rake::spec::Name::new("swell")?);
/// let file = clock_constraint(12e6, "clk", Language::Vhdl, &symbols);
/// assert!(file.text.ends_with("create_clock -name clk -period 83.333 [get_ports clk]\n"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn clock_constraint(
    hertz: f64,
    port: &str,
    language: Language,
    symbols: &Symbols,
) -> GeneratedFile {
    // Nanoseconds; rounded down, so that what keeps it keeps the clock.
    let period = (1e12 / hertz).floor() / 1e3;
    GeneratedFile {
        language,
        name: format!("{}.sdc", symbols.base()),
        text: format!(
            "# {ORIGIN}\ncreate_clock -name {port} -period {period:.3} [get_ports {port}]\n"
        ),
    }
}
