//! The table of `docs/hardware.md`: what filters take in hardware, built by Yosys and, for the iCE40, placed
//! and routed by nextpnr.

use mellow_rake::Wish;
use mellow_rake::fixed::Rounding;
use mellow_rake::hardware::Estimate;
use mellow_rake::hardware::HardwareUnit;
use mellow_rake::spec::{Architecture, Fixed, Hardware, Structure};
use mellow_rake::study::Study;
use mellow_rake::write::Language;
use mellow_rake_rig::{Family, synthesize};
use std::error::Error;

/// Recursive low-passes of an order.
fn sections(
    order: usize,
    structure: Structure,
    word: &str,
    hardware: Hardware,
) -> Result<Study, Box<dyn Error>> {
    let words = Fixed::new(structure, word.parse()?);
    let wish = Wish::lowpass("1 kHz").cutoff("100 Hz").butterworth(order).words(words);
    Ok(wish.hardware(hardware).study()?)
}

/// Four sections whose sums are rounded by more than wires.
fn rounded_to_even(hardware: Hardware) -> Result<Study, Box<dyn Error>> {
    let mut words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    words.rounding = Rounding::HalfEven;
    let wish = Wish::lowpass("1 kHz").cutoff("100 Hz").butterworth(8).words(words);
    Ok(wish.hardware(hardware).study()?)
}

/// Taps, as a spec has them.
fn taps(wish: &str, structure: &str, hardware: Hardware) -> Result<Study, Box<dyn Error>> {
    let text = format!(
        "name = \"taps\"\nsample_rate = \"1 kHz\"\n{wish}\n[fixed]\ninput = \"s16f15\"\n\
         coefficients = \"s16\"\nstructure = \"{structure}\"\n"
    );
    let spec = mellow_rake::spec::Spec::parse(&text)?;
    Ok(Study::of(mellow_rake::spec::Spec { hardware: Some(hardware), ..spec })?)
}

fn lowpass(count: usize, hardware: Hardware) -> Result<Study, Box<dyn Error>> {
    let wish = format!(
        "[want]\nkind = \"lowpass\"\ncutoff = \"100 Hz\"\n[method]\ndesign = \"window\"\n\
         window = \"hamming\"\ntaps = {count}"
    );
    taps(&wish, "fir-direct", hardware)
}

fn half_band(hardware: Hardware) -> Result<Study, Box<dyn Error>> {
    let wish = "[want]\nkind = \"half-band\"\npass_edge = \"220 Hz\"\n[method]\ndesign = \"equiripple\"\n\
                taps = 63";
    taps(wish, "fir-skip-zeros", hardware)
}

fn main() -> Result<(), Box<dyn Error>> {
    let serial = Hardware { multipliers: Some(1), pre_adder: Some(false), ..Hardware::default() };
    let pairs = Hardware { pre_adder: Some(true), ..serial };
    let parallel = Hardware { architecture: Some(Architecture::Parallel), ..Hardware::default() };
    let loadable = Hardware { loads_coefficients: true, ..serial };
    let wide = |samples_per_clock| Hardware { samples_per_clock, ..Hardware::default() };
    let several = |multipliers| Hardware { multipliers: Some(multipliers), ..serial };
    let direct = Structure::DirectForm1;
    let designs = [
        ("4 sections", sections(8, direct, "s16f15", serial)?),
        (
            "4 sections, 4 channels",
            sections(8, direct, "s16f15", Hardware { channels: 4, ..serial })?,
        ),
        ("4 sections, 4 multipliers", sections(8, direct, "s16f15", several(4))?),
        ("4 sections, loadable", sections(8, direct, "s16f15", loadable)?),
        ("4 sections, 24-bit words", sections(8, direct, "s24f23", serial)?),
        (
            "4 sections, transposed form II",
            sections(8, Structure::DirectForm2Transposed, "s16f15", serial)?,
        ),
        ("4 sections, errors fed back", sections(8, Structure::ErrorFeedback2, "s16f15", serial)?),
        ("4 sections, half to even", rounded_to_even(Hardware { pipelining: Some(1), ..serial })?),
        (
            "4 sections, half to even, pipelining 2",
            rounded_to_even(Hardware { pipelining: Some(2), ..serial })?,
        ),
        ("12 sections", sections(24, direct, "s16f15", serial)?),
        ("16 taps", lowpass(16, serial)?),
        ("16 taps, parallel", lowpass(16, parallel)?),
        ("16 taps, 2 samples a clock", lowpass(16, wide(2))?),
        ("16 taps, 4 samples a clock", lowpass(16, wide(4))?),
        ("64 taps", lowpass(64, serial)?),
        ("64 taps, loadable", lowpass(64, loadable)?),
        ("64 taps, pre-adder", lowpass(64, pairs)?),
        ("64 taps, 4 multipliers", lowpass(64, several(4))?),
        ("2,000 taps", lowpass(2_000, serial)?),
        ("half-band of 63 taps", half_band(serial)?),
        ("half-band of 63 taps, pre-adder", half_band(pairs)?),
    ];
    println!(
        "| filter | clocks | latency | multipliers in use | iCE40: LUT, FF, mult., RAM | MHz | \
         ECP5: LUT, FF, mult., RAM | Xilinx 7: LUT, FF, mult., RAM |"
    );
    println!("| --- | --- | --- | --- | --- | --- | --- | --- |");
    for (name, study) in designs {
        let choice = study.hardware()?.ok_or("no hardware")?;
        let estimate = match &choice.unit {
            HardwareUnit::Serial(scheduled) => Estimate::of(scheduled)?,
            HardwareUnit::Staged(staged) => Estimate::of_staged(staged)?,
            HardwareUnit::Parallel(chain) => Estimate::of_parallel(chain),
        };
        let files = study.files(&[Language::Verilog])?;
        let mut cells = Vec::new();
        for family in Family::ALL {
            let built = synthesize(family, &files, None)?;
            let numbers = [built.luts, built.registers, built.multipliers, built.rams];
            cells.push(numbers.map(|number| number.to_string()).join(", "));
            if family == Family::Ice40 {
                let clock = built.clock_hz.map(|clock| format!("{:.1}", clock / 1e6));
                cells.push(clock.or(built.not_placed).unwrap_or_default());
            }
        }
        println!(
            "| {name} | {} | {} | {:.0} % | {} |",
            estimate.interval,
            estimate.latency,
            100.0 * estimate.use_of_multipliers,
            cells.join(" | ")
        );
    }
    Ok(())
}
