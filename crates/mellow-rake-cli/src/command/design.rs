//! `mrake design`

use crate::arguments::Design;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::Loaded;
use crate::objects::{AchievedObject, FLOAT_COST, achieved, design_object, quantized_object};
use crate::print::{self, number, table};
use mellow_rake::analysis::{NotchMeasures, linear_grid, measure_notch};
use mellow_rake::implementation::Implementation;
use std::fmt::Write;

/// A design with everything measured on it.
pub(crate) struct Measured {
    pub(crate) loaded: Loaded,
    pub(crate) implementation: Option<Implementation>,
    designed: NotchMeasures,
    rounded: Option<NotchMeasures>,
    delay: [f64; 2],
}

impl Measured {
    pub(crate) fn new(loaded: Loaded) -> Result<Self, Failure> {
        let implementation = loaded.implementation()?;
        let (rate, choice) = (loaded.spec.sample_rate, &loaded.design.choice);
        let filter = &loaded.design.zeros_poles;
        let designed = measure_notch(filter, rate, choice.center_hz);
        let rounded = implementation
            .as_ref()
            .map(|implementation| measure_notch(&implementation.rounded, rate, choice.center_hz));
        let [low, high] = choice.edges_hz;
        let pass =
            linear_grid(0.0, low, 4000)
                .into_iter()
                .chain(linear_grid(high, rate.nyquist(), 4000));
        let delay = pass
            .map(|hz| filter.group_delay(rate.radians(hz)))
            .fold([f64::MAX, f64::MIN], |[least, most], d| {
                [least.min(d), most.max(d)]
            });
        Ok(Measured {
            loaded,
            implementation,
            designed,
            rounded,
            delay,
        })
    }

    /// Whether the design is what was asked: a null at the centre, and the −3 dB points where they belong within
    /// a millionth of the width, or within what f64 can tell apart at this sample rate.
    pub(crate) fn meets_spec(&self) -> bool {
        let choice = &self.loaded.design.choice;
        let floor = 1e3 * f64::EPSILON * self.loaded.spec.sample_rate.hertz();
        let tolerance = (1e-6 * choice.width_hz).max(floor);
        let edges = self.designed.edges_3db_hz.iter().zip(choice.edges_hz);
        self.designed
            .center_gain_db
            .is_none_or(|gain| gain < -100.0)
            && edges
                .into_iter()
                .all(|(found, asked)| found.is_some_and(|f| (f - asked).abs() <= tolerance))
    }

    fn achieved(&self) -> AchievedObject {
        achieved(&self.designed, Some(self.delay), FLOAT_COST)
    }

    pub(crate) fn object(&self) -> crate::objects::DesignObject {
        let quantized = self
            .implementation
            .as_ref()
            .zip(self.rounded.as_ref())
            .map(|(implementation, measures)| quantized_object(implementation, measures));
        let Loaded { spec, design, .. } = &self.loaded;
        design_object(spec, design, self.achieved(), self.meets_spec(), quantized)
    }

    /// Asked beside achieved.
    pub(crate) fn text(&self) -> String {
        let Loaded { spec, design, .. } = &self.loaded;
        let choice = &design.choice;
        let mut text = format!(
            "{}: second-order notch at {} Hz, {} Hz between the -3 dB points (q {:.4}), sample rate {} Hz\n\n",
            spec.name,
            choice.center_hz,
            choice.width_hz,
            choice.q,
            spec.sample_rate.hertz()
        );
        let gain = |gain: Option<f64>| match gain {
            Some(gain) if gain > -200.0 => format!("{gain:.2}"),
            _ => "null".to_owned(),
        };
        let measures = [Some(&self.designed), self.rounded.as_ref()];
        let row = |name: &str, asked: String, pick: &dyn Fn(&NotchMeasures) -> String| {
            let mut row = vec![name.to_owned(), asked];
            row.extend(measures.iter().flatten().map(|measures| pick(measures)));
            row
        };
        let [low, high] = choice.edges_hz;
        let edge = |side: usize| move |m: &NotchMeasures| number(m.edges_3db_hz[side], 4);
        let rows = [
            row(
                "deepest point, Hz",
                format!("{:.4}", choice.center_hz),
                &|m| format!("{:.4}", m.null_hz),
            ),
            row("gain at the centre, dB", "null".to_owned(), &|m| {
                gain(m.center_gain_db)
            }),
            row("lower -3 dB point, Hz", format!("{low:.4}"), &edge(0)),
            row("upper -3 dB point, Hz", format!("{high:.4}"), &edge(1)),
            row("width, Hz", format!("{:.4}", choice.width_hz), &|m| {
                number(m.width_hz, 4)
            }),
            row("lower -6 dB point, Hz", "-".to_owned(), &|m| {
                number(m.edges_6db_hz[0], 4)
            }),
            row("upper -6 dB point, Hz", "-".to_owned(), &|m| {
                number(m.edges_6db_hz[1], 4)
            }),
            row("gain at 0 Hz, dB", "0".to_owned(), &|m| {
                signed(m.dc_gain_db)
            }),
            row("gain at Nyquist, dB", "0".to_owned(), &|m| {
                signed(m.nyquist_gain_db)
            }),
            row("largest gain, dB", "0".to_owned(), &|m| {
                signed(m.peak_gain_db)
            }),
        ];
        let header = ["measured on the response", "asked", "designed", "rounded"];
        text.push_str(&table(
            &header[..if self.rounded.is_some() { 4 } else { 3 }],
            &rows,
        ));
        let [least, most] = self.delay;
        let _ = writeln!(
            text,
            "\n  group delay outside the -3 dB points: {least:.3} to {most:.3} samples\n  \
             null: below -200 dB; -3 dB means half power, -6 dB half amplitude"
        );
        let _ = writeln!(
            text,
            "  {}",
            if self.meets_spec() {
                "as designed: meets the spec"
            } else {
                "as designed: MISSES THE SPEC"
            }
        );
        let section = &design.sections.0[0];
        let _ = write!(
            text,
            "\nCoefficients, y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2]\n  \
             b {:?} {:?} {:?}\n  a 1 {:?} {:?}\n",
            section.b[0], section.b[1], section.b[2], section.a[0], section.a[1]
        );
        if let Some(implementation) = &self.implementation {
            text.push_str(&words(implementation));
        }
        text
    }
}

/// A gain with its sign, and zero without.
fn signed(gain: f64) -> String {
    let text = format!("{gain:+.4}");
    if text.trim_start_matches(['+', '-', '0', '.']).is_empty() {
        "0.0000".to_owned()
    } else {
        text
    }
}

/// The fixed-point side of a design.
fn words(implementation: &Implementation) -> String {
    let Implementation {
        fixed,
        table,
        checked,
        predictions,
        ..
    } = implementation;
    let cost = checked.cost();
    let lsb = fixed.output.step();
    let mut text = format!(
        "\nOn integers: {}, input {}, output {}, {}, {}\n",
        fixed.structure.as_str(),
        fixed.input,
        fixed.output,
        fixed.rounding,
        fixed.overflow
    );
    for row in &table.rows {
        let _ = writeln!(
            text,
            "  coefficients {}: b {} {} {}  a {} {}",
            table.format, row[0], row[1], row[2], row[3], row[4]
        );
    }
    let _ = writeln!(
        text,
        "  per sample {} multiplies, {} adds; accumulator {} bits; {} words of memory",
        cost.multiplies_per_sample, cost.adds_per_sample, cost.accumulator_bits, cost.state_words
    );
    match checked.facts().bounds() {
        Ok(bounds) => {
            let full = fixed.output.maximum() as f64 * lsb;
            for reach in &bounds.reaches {
                let act = if reach.safe {
                    "cannot act: proved"
                } else {
                    "can act"
                };
                let _ = writeln!(
                    text,
                    "  worst-case level before the output limit: {:.4} to {:.4}, {:.2} times full scale; \
                     {} {act}",
                    reach.low,
                    reach.high,
                    reach.high.max(-reach.low) / full,
                    fixed.overflow
                );
            }
            if bounds.reaches.is_empty() {
                let _ = writeln!(text, "  the output limit cannot act: proved");
            }
            let _ = writeln!(
                text,
                "  rounding error at the output: {:.1} LSB at most (proved while no limit acts)",
                bounds.error.largest() / lsb
            );
        }
        Err(why) => {
            let _ = writeln!(text, "  no bound proved: {why}");
        }
    }
    let _ = match predictions {
        Ok(predictions) => {
            writeln!(
                text,
                "  predicted rounding noise: {:.2} LSB rms",
                predictions.noise.rms() / lsb
            )
        }
        Err(why) => writeln!(text, "  no rounding noise predicted: {why}"),
    };
    text
}

pub(crate) fn run(options: &Design) -> Result<Outcome, Failure> {
    let measured = Measured::new(Loaded::file(&options.spec)?)?;
    if let Some(path) = &options.figure {
        figures::response(&measured.loaded, measured.implementation.as_ref(), path)?;
        eprintln!("{} written", path.display());
    }
    if options.json {
        print::json(&measured.object())?;
    } else {
        print::text(&measured.text())?;
    }
    Ok(Outcome::of(measured.meets_spec()))
}
