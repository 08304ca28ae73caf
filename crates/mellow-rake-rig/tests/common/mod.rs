//! Filters that go through every path.

#![allow(dead_code, unreachable_pub)] // each test program uses its own part

use mellow_rake::datapath::{
    Checked, Datapath, Operation, SectionWords, direct_form_1, fir_direct,
};
use mellow_rake::design::iir::{IirWish, Points, design_iir};
use mellow_rake::design::notch;
use mellow_rake::filter::{BandKind, EdgeMeaning, Family, Sections};
use mellow_rake::fixed::{Overflow, RoundedTable, Rounding, WordFormat, round_coefficients};
use mellow_rake::spec::Name;
use mellow_rake::units::SampleRate;
use mellow_rake::write::{GeneratedFile, Symbols, c, rust, verilog, vhdl};

/// A filter and its text.
pub struct Case {
    pub name: &'static str,
    pub checked: Checked,
    pub files: Vec<GeneratedFile>,
}

pub fn all_files(checked: &Checked, name: &str) -> Vec<GeneratedFile> {
    let symbols = Symbols::new(&Name::new(name).unwrap());
    let mut files = c::write(checked, &symbols).unwrap();
    files.extend(rust::write(checked, &symbols).unwrap());
    files.extend(verilog::write(checked, &symbols).unwrap());
    files.extend(vhdl::write(checked, &symbols).unwrap());
    files
}

pub fn notch_row(center: f64, width: f64) -> Vec<f64> {
    let design = notch(center, width, SampleRate::from_hertz(1.0).unwrap()).unwrap();
    let section = design.sections.0[0];
    section.b.into_iter().chain(section.a).collect()
}

/// The sections of a recursive filter.
pub fn recursive_rows(wish: &IirWish) -> Vec<Vec<f64>> {
    let (_, filter) = design_iir(wish, SampleRate::from_hertz(1.0).unwrap()).unwrap();
    let sections = Sections::from_zeros_poles(&filter).0;
    sections.iter().map(|section| section.b.into_iter().chain(section.a).collect()).collect()
}

/// An elliptic band-pass of order 12: six sections.
pub fn band_rows() -> Vec<Vec<f64>> {
    let wish = IirWish {
        kind: BandKind::Bandpass,
        family: Family::Elliptic,
        points: Points::Recipe {
            meaning: EdgeMeaning::RippleEnd,
            edges: vec![0.26, 0.3],
            order: 12,
        },
        ripple_db: Some(0.5),
        attenuation_db: Some(60.0),
    };
    recursive_rows(&wish)
}

pub fn table(rows: &[Vec<f64>], format: &str) -> RoundedTable {
    round_coefficients(rows, format.parse().unwrap()).unwrap()
}

pub fn words(input: &str, output: &str, rounding: Rounding, overflow: Overflow) -> SectionWords {
    let (input, output) = (input.parse().unwrap(), output.parse().unwrap());
    SectionWords { input, output, rounding, overflow }
}

/// The datapath with its accumulators cut to `width` bits: they wrap.
pub fn with_accumulator(mut datapath: Datapath, width: u32) -> Datapath {
    let cut = |operations: &mut Vec<(_, Operation)>| {
        for (_, operation) in operations {
            if let Operation::Accumulate { format, .. } = operation {
                *format =
                    WordFormat::new(true, width.min(format.width()), format.fraction()).unwrap();
            }
        }
    };
    for (_, operation) in &mut datapath.body {
        if let Operation::Repeat { body, .. } = operation {
            cut(&mut body.operations);
        }
    }
    cut(&mut datapath.body);
    datapath
}

pub fn cases() -> Vec<Case> {
    let pump = notch_row(0.0875, 0.005);
    let harmonics: Vec<Vec<f64>> =
        (1..=4).map(|k| notch_row(0.0875 * f64::from(k), 0.02)).collect();
    let long: Vec<f64> = (0..40).map(|k| (f64::from(k) * 0.7).sin() / 12.0).collect();
    let fir = |taps: &[f64], format: &str, rounding, overflow, input: &str, output: &str| {
        let taps = table(&[taps.to_vec()], format);
        fir_direct(&taps, input.parse().unwrap(), output.parse().unwrap(), rounding, overflow)
            .unwrap()
    };
    let saturate = Overflow::Saturate;
    let made = vec![
        (
            "notch",
            direct_form_1(
                &table(std::slice::from_ref(&pump), "s16"),
                words("s16f15", "s16f15", Rounding::HalfUp, saturate),
            )
            .unwrap(),
        ),
        (
            "cascade",
            direct_form_1(
                &table(&harmonics, "s18"),
                words("s12f11", "s20f17", Rounding::HalfEven, saturate),
            )
            .unwrap(),
        ),
        (
            "band",
            direct_form_1(
                &table(&band_rows(), "s24"),
                words("s16f15", "s24f21", Rounding::HalfUp, saturate),
            )
            .unwrap(),
        ),
        (
            "wide",
            direct_form_1(
                &table(std::slice::from_ref(&pump), "s28"),
                words("s32f31", "s32f30", Rounding::HalfAway, saturate),
            )
            .unwrap(),
        ),
        (
            "wrapping",
            direct_form_1(
                &table(&harmonics[..2], "s10"),
                words("s9f8", "s9f8", Rounding::TowardZero, Overflow::Wrap),
            )
            .unwrap(),
        ),
        ("average", fir(&[0.125; 8], "s8f7", Rounding::HalfUp, saturate, "s16f15", "s16f15")),
        ("long_taps", fir(&long, "s14", Rounding::Floor, saturate, "s16f15", "s12f11")),
        ("unsigned", fir(&[0.25, 0.5, 0.25], "u6f4", Rounding::HalfUp, saturate, "u8f8", "u6f4")),
        ("one_tap", fir(&[-1.0], "s16f15", Rounding::HalfEven, saturate, "s16f15", "s16f15")),
        ("widening", fir(&[1.0, -1.0], "s2f0", Rounding::Floor, saturate, "s16f0", "s24f4")),
        (
            "short_sum",
            with_accumulator(
                fir(&long, "s16", Rounding::HalfUp, Overflow::Wrap, "s16f15", "s16f15"),
                30,
            ),
        ),
        (
            "widest_sum",
            with_accumulator(
                fir(&[0.9, -0.9, 0.9], "s32f31", Rounding::HalfEven, saturate, "s31f30", "s32f31"),
                62,
            ),
        ),
    ];
    made.into_iter()
        .map(|(name, datapath)| {
            let checked = datapath.check().unwrap_or_else(|error| panic!("{name}: {error}"));
            let files = all_files(&checked, name);
            Case { name, checked, files }
        })
        .collect()
}

/// The files with one text replaced in the one that has it; it must be there.
pub fn mutated(files: &[GeneratedFile], ending: &str, from: &str, to: &str) -> Vec<GeneratedFile> {
    let mut files = files.to_vec();
    let file = files
        .iter_mut()
        .find(|file| file.name.ends_with(ending) && file.text.contains(from))
        .unwrap_or_else(|| panic!("no {ending} file has `{from}`"));
    // The last place: the program is also described in the comment at the top.
    let at = file.text.rfind(from).unwrap();
    file.text.replace_range(at..at + from.len(), to);
    files
}
