//! The figure of a chain of stages: from input to output with what folds, the pass-band, and each stage.

use mellow_rake::filter::Form;
use mellow_rake::filter::complex::modulus;
use mellow_rake::rates::{Chain, Path, Stage};
use mellow_rake::study::ChainStudy;
use mellow_rake_figures::{Axis, Panel, Pen, Region, Series, Shape, Sheet};

/// Points of a curve.
const POINTS: usize = 2400;

/// What f64 leaves of an exact zero; the panels end far above this.
const NOTHING: f64 = 1e-30;

fn decibels(gain: f64) -> f64 {
    20.0 * gain.max(NOTHING).log10()
}

fn line(name: &str, pen: Pen, points: Vec<(f64, f64)>) -> Series {
    Series { name: name.to_owned(), pen, shape: Shape::Line(points) }
}

/// Even steps from 0 to a frequency.
fn grid(to: f64) -> impl Iterator<Item = f64> {
    (0..=POINTS).map(move |k| to * k as f64 / POINTS as f64)
}

/// A chain from input to output, its pass-band, and its stages.
pub fn chain(study: &ChainStudy) -> Sheet {
    let stages = study.chain().stages().len();
    Sheet {
        title: format!(
            "{}: {} to {} in {stages} stage{}",
            study.spec.name,
            crate::units::frequencies(&[study.chain().input_rate().hertz()], ""),
            crate::units::frequencies(&[study.chain().output_rate().hertz()], ""),
            if stages == 1 { "" } else { "s" }
        ),
        panels: vec![whole(study), pass_band(study), each(study)],
    }
}

/// The chains that are drawn: as designed, and with rounded taps under integers.
fn curves(study: &ChainStudy) -> Vec<(&'static str, Pen, &Chain)> {
    match study.integers() {
        None => vec![("from input to output", Pen::Over, study.chain())],
        Some((found, _)) => {
            vec![("designed", Pen::Under, study.chain()), ("rounded", Pen::Over, &found.rounded)]
        }
    }
}

/// The foot of a panel that shows an attenuation.
fn foot(study: &ChainStudy) -> f64 {
    let asked = study.spec.change.attenuation_db;
    let found = study.attenuation_db().unwrap_or(60.0);
    -(asked.unwrap_or(found).max(found.min(160.0)) + 30.0)
}

/// What is counted on an axis of frequencies.
fn place(side: &str, study: &ChainStudy) -> String {
    match crate::units::listed(&study.spec.change.carriers_hz) {
        Some(carrier) => format!("distance from {carrier} {side}"),
        None => format!("frequency {side}"),
    }
}

/// Every frequency that goes in, or where the rate goes up that comes out, with how strong it is.
fn whole(study: &ChainStudy) -> Panel {
    let (chain, change) = (study.chain(), &study.spec.change);
    let clean = study.clean_hz();
    let (input, output) = (chain.input_rate().hertz(), chain.output_rate().hertz());
    let strongest = |paths: Vec<Path>, keep: &dyn Fn(&Path) -> bool| {
        let levels = paths.iter().filter(|path| keep(path)).map(|path| modulus(path.response));
        levels.fold(0.0, f64::max)
    };
    let mut forbidden = Vec::new();
    let above = |x: (f64, f64)| {
        let level = study.spec.gain_db() - change.attenuation_db?;
        Some(Region { x, y: (level, f64::INFINITY) })
    };
    // Around each multiple of the lower rate, up to half of the higher one.
    let around = |low: f64, half: f64| {
        let centers = (1..).map(move |k| f64::from(k) * low);
        centers
            .take_while(move |hz| hz - clean < half)
            .filter_map(move |hz| above((hz - clean, (hz + clean).min(half))))
    };
    let curves = curves(study);
    let each = |of: &dyn Fn(&Chain) -> Vec<(f64, f64)>| -> Vec<Series> {
        curves.iter().map(|(name, pen, chain)| line(name, *pen, of(chain))).collect()
    };
    let (title, axis, series) = if change.up == 1 {
        forbidden.extend(around(output, input / 2.0));
        let curve = |chain: &Chain| {
            let level = |hz: f64| (hz, decibels(strongest(chain.leaving_from(hz), &|_| true)));
            grid(input / 2.0).map(level).collect()
        };
        (
            "what goes in, and how strong it comes out",
            Axis::linear(&place("at the input", study), "Hz", (0.0, input / 2.0)),
            each(&curve),
        )
    } else if change.down == 1 {
        forbidden.extend(around(input, output / 2.0));
        let curve = |chain: &Chain| {
            let level = |hz: f64| (hz, decibels(strongest(chain.arriving_at(hz), &|_| true)));
            grid(output / 2.0).map(level).collect()
        };
        (
            "what comes out, and how strong it is",
            Axis::linear(&place("at the output", study), "Hz", (0.0, output / 2.0)),
            each(&curve),
        )
    } else {
        forbidden.extend(above((0.0, clean)));
        let of = |chain: &Chain, direct: bool| {
            let level = |hz: f64| {
                let own = move |path: &Path| path.is_direct == direct;
                (hz, decibels(strongest(chain.arriving_at(hz), &own)))
            };
            let to = if direct { input.min(output) / 2.0 } else { output / 2.0 };
            grid(to).map(level).collect::<Vec<_>>()
        };
        let mut series = each(&|chain| of(chain, true));
        // Of those that run.
        let last = curves.last().map_or(chain, |(.., chain)| chain);
        series.push(line("strongest alias or image", Pen::Rank(2), of(last, false)));
        (
            "what comes out; no alias and no image may be in the shaded part",
            Axis::linear("frequency at the output", "Hz", (0.0, output / 2.0)),
            series,
        )
    };
    let level = study.spec.gain_db();
    let y = Axis::linear("gain", "dB", (level + foot(study), level + 6.0));
    Panel { forbidden, series, ..Panel::new(title, axis, y) }
}

/// The pass-band at its own scale.
fn pass_band(study: &ChainStudy) -> Panel {
    let change = &study.spec.change;
    let band = study.pass_band();
    let to = (1.1 * change.pass_hz).min(study.spec.lower_rate_hz() / 2.0);
    let middle = f64::midpoint(band.lowest_db, band.highest_db);
    let half = change.ripple_db.map(|ripple| ripple / 2.0);
    let room = half.unwrap_or(0.0).max(band.ripple_db() / 2.0).max(1e-4) * 1.6;
    let pass = (0.0, change.pass_hz);
    let forbidden = half.map_or(Vec::new(), |half| {
        vec![
            Region { x: pass, y: (middle + half, f64::INFINITY) },
            Region { x: pass, y: (f64::NEG_INFINITY, middle - half) },
        ]
    });
    let curve = |chain: &Chain| {
        grid(to).map(|hz| (hz, decibels(modulus(chain.direct_response(hz))))).collect()
    };
    let series =
        curves(study).iter().map(|(name, pen, chain)| line(name, *pen, curve(chain))).collect();
    let x = Axis::linear("frequency", "Hz", (0.0, to));
    let y = Axis::linear("gain", "dB", (middle - room, middle + room));
    Panel { forbidden, series, ..Panel::new("pass-band", x, y) }
}

/// Each stage by itself, to half of the rate at which it filters, or as far as the first few multiples of the
/// lower rate.
fn each(study: &ChainStudy) -> Panel {
    /// So many of the lower rate.
    const MULTIPLES: f64 = 6.0;
    let chain = study.chain();
    let stages = chain.stages();
    let half = |number: usize| chain.rate_within(number).nyquist();
    let highest = (0..stages.len()).map(half).fold(0.0, f64::max);
    let to = highest.min(MULTIPLES * study.spec.lower_rate_hz());
    let curve = |(number, stage): (usize, &Stage)| {
        let rate = chain.rate_within(number);
        let gain = |hz: f64| modulus(stage.response(rate.radians(hz))) / stage.up() as f64;
        let points = grid(half(number).min(to)).map(|hz| (hz, decibels(gain(hz)))).collect();
        let name = match stage.as_sums() {
            Some(comb) => format!("stage {}, {} integrators and combs", number + 1, comb.order),
            None => match stage.form() {
                Form::Taps(taps) if taps.0.len() == 1 => format!("stage {}, a gain", number + 1),
                Form::Taps(taps) => format!("stage {}, {} taps", number + 1, taps.0.len()),
                Form::Sections(own) => format!("stage {}, {} sections", number + 1, own.0.len()),
            },
        };
        line(&name, Pen::Rank(number + 2), points)
    };
    let series: Vec<Series> = stages.iter().enumerate().map(curve).collect();
    let x = Axis::linear("frequency", "Hz", (0.0, to));
    let gains = study.spec.stages.iter().filter_map(|stage| stage.gain_db);
    let y = Axis::linear("gain", "dB", (-120.0, 6.0 + gains.fold(0.0, f64::max)));
    Panel { series, ..Panel::new("each stage by itself", x, y) }
}
