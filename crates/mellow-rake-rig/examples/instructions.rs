//! The table of `docs/firmware.md`: what a sample of generated C takes on emulated cores.

use mellow_rake::spec::{Firmware, Spec, Tune};
use mellow_rake::study::Study;
use mellow_rake::verify::stimuli;
use mellow_rake::write::Language;
use mellow_rake_rig::{Core, Emulated, RigError};
use std::error::Error;

/// A spec, and the same tuned to a core.
fn study(wish: &str, words: &str, tune: Tune) -> Result<Study, Box<dyn Error>> {
    let text = format!("name = \"filter\"\nsample_rate = \"1 kHz\"\n{wish}\n[fixed]\n{words}\n");
    let firmware = Firmware { tune, ..Firmware::default() };
    Ok(Study::of(Spec { firmware, ..Spec::parse(&text)? })?)
}

/// Instructions or cycles for a sample, a step and a block of 32.
fn counted(study: &Study, core: Core, level: &str) -> Result<String, Box<dyn Error>> {
    let files = study.files(&[Language::C])?;
    let noise = stimuli(&study.integers()?.checked, None, None).swap_remove(0);
    let program = match Emulated::c_at(core, &files, level) {
        // Two kibibytes of memory.
        Err(RigError::Unfit { .. }) => return Ok("does not fit".to_owned()),
        built => built?,
    };
    let count = |block| program.cost(&noise.samples[..512], block).map(|cost| cost.count);
    Ok(format!("{:.1} / {:.1}", count(0)?, count(32)?))
}

fn main() -> Result<(), Box<dyn Error>> {
    let sections = |order: usize| {
        format!(
            "[want]\nkind = \"lowpass\"\ncutoff = \"100 Hz\"\n[method]\ndesign = \"butterworth\"\n\
             order = {order}"
        )
    };
    let taps = |count: usize| {
        format!(
            "[want]\nkind = \"lowpass\"\ncutoff = \"100 Hz\"\n[method]\ndesign = \"window\"\nwindow = \
             \"hamming\"\ntaps = {count}"
        )
    };
    let notch = "[want]\nkind = \"notch\"\ncenter = \"87.5 Hz\"\nwidth = \"4 Hz\"".to_owned();
    let half_band = "[want]\nkind = \"half-band\"\npass_edge = \"220 Hz\"\n[method]\n\
                     design = \"equiripple\"\ntaps = 63"
        .to_owned();
    let words = |bits: u32, structure: &str| {
        format!(
            "input = \"s{bits}f{}\"\ncoefficients = \"s{bits}\"\nstructure = \"{structure}\"",
            bits - 1
        )
    };
    let rows = [
        ("notch", notch, words(16, "direct-form-1")),
        ("1 section", sections(2), words(16, "direct-form-1")),
        ("4 sections", sections(8), words(16, "direct-form-1")),
        ("12 sections", sections(24), words(16, "direct-form-1")),
        ("4 sections, 8 bits", sections(8), words(8, "direct-form-1")),
        ("4 sections, 32 bits", sections(8), words(32, "direct-form-1")),
        ("4 sections, transposed form II", sections(8), words(16, "direct-form-2-transposed")),
        ("16 taps", taps(16), words(16, "fir-direct")),
        ("64 taps", taps(64), words(16, "fir-direct")),
        ("64 taps, folded", taps(64), words(16, "fir-folded")),
        ("64 taps, 12 bits", taps(64), words(12, "fir-direct")),
        ("64 taps, 24 bits", taps(64), words(24, "fir-direct")),
        ("501 taps", taps(501), words(16, "fir-direct")),
        ("half-band of 63 taps", half_band, words(16, "fir-skip-zeros")),
    ];
    println!(
        "| filter | Cortex-M4, tuned | Cortex-M4, C99 | Cortex-M3 | Cortex-M0 | RV32IMC | \
         ATmega328P, tuned | ATmega328P, C99 |"
    );
    println!("|---|---|---|---|---|---|---|---|");
    for (title, wish, words) in rows {
        let (plain, tuned) =
            (study(&wish, &words, Tune::Portable)?, study(&wish, &words, Tune::CortexM4)?);
        let bytewise = study(&wish, &words, Tune::Avr)?;
        let cells = [
            counted(&tuned, Core::CortexM4, "-O2")?,
            counted(&plain, Core::CortexM4, "-O2")?,
            counted(&plain, Core::CortexM3, "-O2")?,
            counted(&plain, Core::CortexM0, "-O2")?,
            counted(&plain, Core::Rv32, "-O2")?,
            counted(&bytewise, Core::Avr, "-Os")?,
            counted(&plain, Core::Avr, "-Os")?,
        ];
        println!("| {title} | {} |", cells.join(" | "));
    }
    Ok(())
}
