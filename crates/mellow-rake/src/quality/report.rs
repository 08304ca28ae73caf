//! Everything measured on one filter, and the table of it.

use super::row::{Place, QualityRow, Reading, Wished};
use super::{GeneralMeasures, Measures, passband_delay};
use crate::design::fir::FirChoice;
use crate::design::iir::IirChoice;
use crate::design::{Asked, Choice, NotchChoice};
use crate::filter::{EdgeMeaning, Form, PhaseResponse};
use crate::response::{BandMeasures, NotchMeasures, TimeMeasures, measure_time};
use crate::units::{Level, SampleRate};

/// What one filter does, designed or rounded, and what it costs.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Report {
    /// Measured on the gain.
    pub measures: Measures,
    /// Smallest and largest group delay in the pass-band, in samples, where a pass-band is known.
    pub delay: Option<[f64; 2]>,
    /// Measured on impulse and step response.
    pub time: TimeMeasures,
    /// Multiplies, adds and words of state per sample.
    pub cost: [usize; 3],
}

impl Report {
    /// Measures a filter. `filter` is its most accurate form, `form` the one that runs, `cost` what that
    /// takes.
    ///
    /// ```
    /// use mellow_rake::quality::{Report};
    /// use mellow_rake::{design::design, spec::{Spec, template}};
    /// let spec = Spec::parse(template("lowpass").unwrap())?;
    /// let made = design(&spec)?;
    /// let cost = made.form.cost();
    /// let report = Report::of(made.transfer(), &made.form, &made.choice, cost, spec.sample_rate);
    /// for row in report.rows(&made.choice, spec.sample_rate) {
    ///     assert!(row.margin().is_none_or(|margin| margin > -1e-6), "{row:?}");
    /// }
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn of(
        filter: &dyn PhaseResponse,
        form: &Form,
        choice: &Choice,
        cost: [usize; 3],
        rate: SampleRate,
    ) -> Self {
        let measures = Measures::of(filter, choice, rate);
        let peak = Level::from_decibels(measures.peak_gain_db()).ratio();
        Report {
            delay: passband_delay(filter, choice, rate),
            time: measure_time(form, peak, rate),
            measures,
            cost,
        }
    }

    /// The table: what was found beside what was asked. The same choice always gives the same rows in the
    /// same order.
    pub fn rows(&self, choice: &Choice, rate: SampleRate) -> Vec<QualityRow> {
        let mut rows = match (&self.measures, choice) {
            (Measures::Notch(found), Choice::Notch(choice)) => notch_rows(found, choice),
            (Measures::Bands(found), Choice::Recursive(choice)) => {
                band_rows(found, &BandWish::recursive(choice))
            }
            (Measures::Bands(found), Choice::Fir(choice)) => {
                band_rows(found, &BandWish::taps(choice, found))
            }
            (Measures::General(found), _) => general_rows(found, rate.nyquist()),
            // Of another filter than the choice.
            (Measures::Notch(_) | Measures::Bands(_), _) => Vec::new(),
        };
        let row = |key, words, unit, value| QualityRow::plain(key, words, unit, value);
        if let Some([least, most]) = self.delay {
            rows.push(row("delay_least", "pass-band delay, least", "samples", Some(least)));
            rows.push(row("delay_most", "pass-band delay, most", "samples", Some(most)));
            let spread = Some(most - least);
            rows.push(row("delay_variation", "  its variation", "samples", spread));
        }
        let time = &self.time;
        let settling = Some(time.settling_samples as f64);
        rows.push(row("overshoot", "step: overshoot", "%", Some(time.step_overshoot_percent)));
        rows.push(row("settling", "step: settled to 1 %", "samples", settling));
        let constant = time.time_constant_samples;
        rows.push(row("time_constant", "slowest pole: time constant", "samples", constant));
        rows.push(row(
            "stability_margin",
            "  its distance from the circle",
            "",
            time.stability_margin,
        ));
        let bandwidth = Some(time.noise_bandwidth_hz);
        rows.push(row("noise_bandwidth", "noise bandwidth", "Hz", bandwidth));
        rows.push(row("noise_gain", "white noise, rms out/in", "x", Some(time.noise_gain)));
        rows.push(row(
            "largest_output",
            "largest output for inputs to 1",
            "x",
            Some(time.largest_output),
        ));
        let [multiplies, adds, words] = self.cost.map(|count| Some(count as f64));
        rows.push(row("multiplies", "multiplies per sample", "", multiplies));
        rows.push(row("adds", "adds per sample", "", adds));
        rows.push(row("state", "words of state", "", words));
        rows
    }
}

fn notch_rows(found: &NotchMeasures, choice: &NotchChoice) -> Vec<QualityRow> {
    let edge = |key, words, value: Option<f64>, asked: Option<f64>| {
        let wished = asked.map_or(Wished::Nothing, Wished::Exactly);
        QualityRow::plain(key, words, "Hz", value).wished(wished)
    };
    let decibels = |key, words, value| QualityRow::plain(key, words, "dB", value);
    let [low, high] = choice.edges_hz;
    let depth = QualityRow::plain("center_gain", "gain at the centre", "dB", None);
    vec![
        edge("null", "deepest point", Some(found.null_hz), Some(choice.center_hz)),
        depth.reading(Reading::level(found.center_gain_db)).wished(Wished::Null),
        edge("edge_1db", "lower -1 dB point", found.edges_1db_hz[0], None),
        edge("edge_3db", "lower -3 dB point", found.edges_3db_hz[0], Some(low)),
        edge("edge_6db", "lower -6 dB point", found.edges_6db_hz[0], None),
        edge("edge_6db", "upper -6 dB point", found.edges_6db_hz[1], None),
        edge("edge_3db", "upper -3 dB point", found.edges_3db_hz[1], Some(high)),
        edge("edge_1db", "upper -1 dB point", found.edges_1db_hz[1], None),
        edge("width", "width between the -3 dB points", found.width_hz, Some(choice.width_hz)),
        decibels("dc_gain", "gain at 0 Hz", Some(found.dc_gain_db)).wished(Wished::Exactly(0.0)),
        decibels("nyquist_gain", "gain at Nyquist", Some(found.nyquist_gain_db))
            .wished(Wished::Exactly(0.0)),
        decibels("peak_gain", "largest gain", Some(found.peak_gain_db))
            .wished(Wished::Exactly(0.0)),
    ]
}

/// What was asked of a filter that lets a band through.
struct BandWish<'a> {
    is_band: bool,
    pass_hz: &'a [f64],
    stop_hz: &'a [f64],
    ripple_db: Option<f64>,
    attenuation_db: Option<f64>,
    half_power_hz: &'a [f64],
    half_amplitude_hz: &'a [f64],
    peak_db: Option<f64>,
}

/// Edges, or none.
fn edges(edges: Option<&Vec<f64>>) -> &[f64] {
    edges.map_or(&[], Vec::as_slice)
}

impl<'a> BandWish<'a> {
    fn recursive(choice: &'a IirChoice) -> Self {
        let IirChoice { kind, ripple_db, attenuation_db, .. } = *choice;
        let half_power = choice.meaning == EdgeMeaning::HalfPower;
        BandWish {
            is_band: kind.is_band(),
            pass_hz: edges(choice.pass_hz.as_ref()),
            stop_hz: edges(choice.stop_hz.as_ref()),
            ripple_db,
            attenuation_db,
            half_power_hz: edges(half_power.then_some(&choice.edges_hz)),
            half_amplitude_hz: &[],
            peak_db: Some(0.0),
        }
    }

    fn taps(choice: &'a FirChoice, found: &BandMeasures) -> Self {
        let FirChoice { ripple_db, attenuation_db, .. } = *choice;
        BandWish {
            is_band: found.edges_3db_hz.len() > 1,
            pass_hz: edges(choice.pass_hz.as_ref()),
            stop_hz: edges(choice.stop_hz.as_ref()),
            ripple_db,
            attenuation_db,
            half_power_hz: &[],
            half_amplitude_hz: edges(choice.cutoff_hz.as_ref()),
            peak_db: None,
        }
    }
}

fn band_rows(found: &BandMeasures, wish: &BandWish<'_>) -> Vec<QualityRow> {
    let row = QualityRow::plain;
    let mut rows = Vec::new();
    if !wish.pass_hz.is_empty() {
        let asked = wish.ripple_db.map_or(Wished::Nothing, Wished::AtMost);
        let ripple = row("ripple", "ripple", "dB", found.passband_ripple_db);
        rows.push(ripple.wished(asked).at(Place::To(wish.pass_hz.to_vec())));
    }
    if !wish.stop_hz.is_empty() {
        let asked = wish.attenuation_db.map_or(Wished::Nothing, Wished::AtLeast);
        let attenuation = row("attenuation", "attenuation", "dB", found.stopband_attenuation_db);
        rows.push(attenuation.wished(asked).at(Place::From(wish.stop_hz.to_vec())));
        rows.push(row("worst_stop", "  worst at", "Hz", found.worst_stop_hz));
    }
    if !wish.pass_hz.is_empty() && !wish.stop_hz.is_empty() {
        rows.push(row("transition", "widest transition", "Hz", found.transition_width_hz));
    }
    let wished = |edges: &[f64], side: usize| {
        edges.get(side).map_or(Wished::Nothing, |hz| Wished::Exactly(*hz))
    };
    let names: &[[&'static str; 3]] = if wish.is_band {
        &[
            ["lower -1 dB point", "lower -3 dB point", "lower -6 dB point"],
            ["upper -1 dB point", "upper -3 dB point", "upper -6 dB point"],
        ]
    } else {
        &[["-1 dB point", "-3 dB point", "-6 dB point"]]
    };
    for (side, [one, three, six]) in names.iter().enumerate() {
        let at = |edges: &[Option<f64>]| edges.get(side).copied().flatten();
        rows.push(row("edge_1db", one, "Hz", at(&found.edges_1db_hz)));
        let half_power = row("edge_3db", three, "Hz", at(&found.edges_3db_hz));
        rows.push(half_power.wished(wished(wish.half_power_hz, side)));
        let half_amplitude = row("edge_6db", six, "Hz", at(&found.edges_6db_hz));
        rows.push(half_amplitude.wished(wished(wish.half_amplitude_hz, side)));
    }
    let gain = |key, words, value| row(key, words, "dB", None).reading(Reading::level(value));
    if let Some(center) = found.stop_center_hz {
        rows.push(row("stop_center", "centre of the stop-band", "Hz", Some(center)));
        rows.push(gain("stop_center_gain", "  gain there", found.stop_center_db));
    }
    // An attenuation without a stop-band to hold it in is that of whatever lies outside.
    let asked = wish.attenuation_db.filter(|_| wish.stop_hz.is_empty());
    let level = if asked.is_some() { found.outside_db } else { found.side_lobe_db };
    let mut side_lobe = row("side_lobe", "largest side lobe", "dB", None);
    if level.is_some() {
        side_lobe = side_lobe.reading(Reading::level(level));
    }
    rows.push(side_lobe.wished(asked.map_or(Wished::Nothing, |level| Wished::AtMost(-level))));
    rows.push(gain("dc_gain", "gain at 0 Hz", found.dc_gain_db));
    rows.push(gain("nyquist_gain", "gain at Nyquist", found.nyquist_gain_db));
    let asked = wish.peak_db.map_or(Wished::Nothing, Wished::Exactly);
    rows.push(row("peak_gain", "largest gain", "dB", Some(found.peak_gain_db)).wished(asked));
    rows
}

fn general_rows(found: &GeneralMeasures, nyquist: f64) -> Vec<QualityRow> {
    let row = QualityRow::plain;
    let mut rows = Vec::new();
    for point in &found.marks {
        let at = Place::At(point.mark.hertz);
        let gain = || row("gain", "gain", "dB", None).reading(Reading::level(point.found));
        rows.push(match point.mark.asked {
            Asked::GainDb(level) => gain().wished(Wished::Exactly(level)).at(at),
            Asked::Null => gain().wished(Wished::Null).at(at),
            Asked::PhaseDegrees(degrees) => row("phase", "phase", "degrees", point.found)
                .wished(Wished::Exactly(degrees))
                .at(at),
        });
    }
    for band in &found.bands {
        let words = if band.band.relative { "relative error" } else { "largest error" };
        let error = row("band_error", words, "", Some(band.largest));
        let [from, to] = band.band.edges_hz;
        rows.push(error.wished(Wished::Gain(band.band.level)).at(Place::Between(from, to)));
    }
    // Not twice, where the wish fixes an end.
    let fixed = |hz: f64| {
        let is_there = |row: &QualityRow| row.key == "gain" && row.place == Place::At(hz);
        rows.iter().any(is_there)
    };
    let ends = [
        ("dc_gain", "gain at 0 Hz", found.dc_gain_db, 0.0),
        ("nyquist_gain", "gain at Nyquist", found.nyquist_gain_db, nyquist),
    ];
    let ends: Vec<QualityRow> = ends
        .into_iter()
        .filter(|(.., hz)| !fixed(*hz))
        .map(|(key, words, gain, _)| row(key, words, "dB", None).reading(Reading::level(gain)))
        .collect();
    rows.extend(ends);
    rows.push(row("peak_gain", "largest gain", "dB", Some(found.peak_gain_db)));
    rows.push(row("peak_at", "  at", "Hz", Some(found.peak_hz)));
    rows
}
