//! A design as data, complete: what `docs/json.md` describes field by field.

use super::{QualityRecord, Study, quality_records};
use crate::datapath::{Cost, Description, describe};
use crate::design::fir::FirChoice;
use crate::design::iir::IirChoice;
use crate::design::{Choice, DirectChoice, EqualizerChoice, NotchChoice};
use crate::filter::{Form, Mapping, ZerosPolesGain};
use crate::fixed::WordFormat;
use crate::float::{FloatFormat, FloatStructure};
use crate::implementation::Implementation;
use crate::quality::{BandDeviation, MarkMeasure, Measures, Report};
use crate::response::{RootMeasures, TimeMeasures};
use serde::Serialize;

/// Zeros and poles as `[re, im]`.
fn pairs(filter: &ZerosPolesGain) -> [Vec<[f64; 2]>; 2] {
    [&filter.zeros, &filter.poles].map(|roots| roots.iter().map(|z| [z.re, z.im]).collect())
}

/// A design, what was measured on it, and the filter on integers, complete: with it and `docs/arithmetic.md`
/// the filter can be built again, bit for bit.
#[derive(Debug, Clone, Serialize)]
pub struct DesignRecord {
    name: String,
    sample_rate_hz: f64,
    kind: &'static str,
    method: String,
    order: usize,
    zeros: Option<Vec<[f64; 2]>>,
    poles: Option<Vec<[f64; 2]>>,
    gain: Option<f64>,
    sections: Option<Vec<SectionRecord>>,
    taps: Option<Vec<f64>>,
    asked: AskedRecord,
    equalizer: Option<EqualizerChoice>,
    achieved: Achieved,
    time: TimeMeasures,
    quality: Vec<QualityRecord>,
    roots: Option<Vec<RootMeasures>>,
    meets_spec: Option<bool>,
    quantized: Option<QuantizedRecord>,
    /// The filter in floating point, if the spec asks for one.
    #[serde(skip_serializing_if = "Option::is_none")]
    float: Option<FloatRecord>,
}

/// A filter in floating point, complete: with it and `docs/arithmetic.md` it can be built again, bit for bit.
#[derive(Debug, Clone, Serialize)]
struct FloatRecord {
    format: FloatFormat,
    structure: FloatStructure,
    rows: Vec<Vec<f64>>,
    peak: f64,
    error_bound: Option<f64>,
    largest_number: Option<f64>,
    achieved: Option<Achieved>,
    template_excess_db: Option<f64>,
}

#[derive(Debug, Clone, Serialize)]
struct SectionRecord {
    b: [f64; 3],
    a: [f64; 3],
}

/// What was asked, as far as it applies.
#[derive(Debug, Clone, Serialize)]
#[serde(untagged)]
enum AskedRecord {
    Notch { center_hz: f64, width_hz: f64, q: f64, edges_3db_hz: [f64; 2] },
    Recursive(IirChoice),
    Fir(FirChoice),
    Direct(DirectChoice),
}

/// What came out, measured on a response.
#[derive(Debug, Clone, Serialize)]
struct Achieved {
    passband_ripple_db: Option<f64>,
    stopband_attenuation_db: Option<f64>,
    edges_1db_hz: Vec<Option<f64>>,
    edges_3db_hz: Vec<Option<f64>>,
    edges_6db_hz: Vec<Option<f64>>,
    transition_width_hz: Option<f64>,
    side_lobe_db: Option<f64>,
    stop_center_hz: Option<f64>,
    dc_gain_db: Option<f64>,
    nyquist_gain_db: Option<f64>,
    peak_gain_db: f64,
    worst_stop_hz: Option<f64>,
    null_hz: Option<f64>,
    center_gain_db: Option<f64>,
    width_hz: Option<f64>,
    marks: Vec<MarkMeasure>,
    bands: Vec<BandDeviation>,
    passband_group_delay_samples: Option<[f64; 2]>,
    multiplies_per_sample: usize,
    adds_per_sample: usize,
    state_words: usize,
}

/// A filter on integers, complete.
#[derive(Debug, Clone, Serialize)]
struct QuantizedRecord {
    structure: &'static str,
    coefficients: WordFormat,
    state: Option<WordFormat>,
    /// From section to section.
    between: Option<WordFormat>,
    /// Of each product before it is added, where that was asked for.
    products: Option<WordFormat>,
    /// What was not given.
    chosen: Vec<ChosenWord>,
    sections: Option<Vec<SectionRecord>>,
    taps: Option<Vec<f64>>,
    achieved: Achieved,
    time: TimeMeasures,
    template_excess_db: Option<f64>,
    reach: Vec<ReachRecord>,
    rounding_error_bound_lsb: Option<f64>,
    rounding_noise_rms_lsb: Option<f64>,
    /// Why it is not predicted.
    rounding_noise_reason: Option<String>,
    coefficient_error_gain: Option<f64>,
    cost: Cost,
    datapath: Description,
}

#[derive(Debug, Clone, Serialize)]
struct ChosenWord {
    key: &'static str,
    found: String,
    reason: &'static str,
}

#[derive(Debug, Clone, Serialize)]
struct ReachRecord {
    node: u32,
    pass: usize,
    low: f64,
    high: f64,
    format: WordFormat,
    cannot_overflow: bool,
}

fn achieved(report: &Report) -> Achieved {
    let Report { measures, delay, cost: [multiplies, adds, state], .. } = report;
    let mut object = Achieved {
        passband_ripple_db: None,
        stopband_attenuation_db: None,
        edges_1db_hz: Vec::new(),
        edges_3db_hz: Vec::new(),
        edges_6db_hz: Vec::new(),
        transition_width_hz: None,
        side_lobe_db: None,
        stop_center_hz: None,
        dc_gain_db: None,
        nyquist_gain_db: None,
        peak_gain_db: 0.0,
        worst_stop_hz: None,
        null_hz: None,
        center_gain_db: None,
        width_hz: None,
        marks: Vec::new(),
        bands: Vec::new(),
        passband_group_delay_samples: *delay,
        multiplies_per_sample: *multiplies,
        adds_per_sample: *adds,
        state_words: *state,
    };
    match measures {
        Measures::Notch(m) => {
            object.stopband_attenuation_db = m.center_gain_db.map(|gain| m.peak_gain_db - gain);
            object.edges_1db_hz = m.edges_1db_hz.to_vec();
            object.edges_3db_hz = m.edges_3db_hz.to_vec();
            object.edges_6db_hz = m.edges_6db_hz.to_vec();
            object.dc_gain_db = Some(m.dc_gain_db);
            object.nyquist_gain_db = Some(m.nyquist_gain_db);
            object.peak_gain_db = m.peak_gain_db;
            object.null_hz = Some(m.null_hz);
            object.center_gain_db = m.center_gain_db;
            object.width_hz = m.width_hz;
        }
        Measures::Bands(m) => {
            object.passband_ripple_db = m.passband_ripple_db;
            object.stopband_attenuation_db = m.stopband_attenuation_db;
            object.worst_stop_hz = m.worst_stop_hz;
            object.transition_width_hz = m.transition_width_hz;
            object.side_lobe_db = m.side_lobe_db;
            object.stop_center_hz = m.stop_center_hz;
            object.center_gain_db = m.stop_center_db;
            object.edges_1db_hz.clone_from(&m.edges_1db_hz);
            object.edges_3db_hz.clone_from(&m.edges_3db_hz);
            object.edges_6db_hz.clone_from(&m.edges_6db_hz);
            object.dc_gain_db = m.dc_gain_db;
            object.nyquist_gain_db = m.nyquist_gain_db;
            object.peak_gain_db = m.peak_gain_db;
            if let [Some(low), Some(high)] = m.edges_3db_hz[..] {
                object.width_hz = Some(high - low);
            }
        }
        Measures::General(m) => {
            object.dc_gain_db = m.dc_gain_db;
            object.nyquist_gain_db = m.nyquist_gain_db;
            object.peak_gain_db = m.peak_gain_db;
            object.marks.clone_from(&m.marks);
            object.bands.clone_from(&m.bands);
        }
    }
    object
}

fn sections(form: &Form) -> Option<Vec<SectionRecord>> {
    let object = |section: &crate::filter::Section| SectionRecord {
        b: section.b,
        a: [1.0, section.a[0], section.a[1]],
    };
    Some(form.sections()?.0.iter().map(object).collect())
}

fn taps(form: &Form) -> Option<Vec<f64>> {
    form.taps().map(|taps| taps.0.clone())
}

impl Study {
    /// The whole design as data.
    pub fn record(&self) -> DesignRecord {
        let (spec, design) = (&self.spec, &self.design);
        let roots = design.zeros_poles.as_ref().map(pairs);
        let (zeros, poles) =
            roots.map_or((None, None), |[zeros, poles]| (Some(zeros), Some(poles)));
        let (method, asked) = match &design.choice {
            Choice::Notch(NotchChoice { center_hz, width_hz, q, edges_hz }) => (
                "second-order notch (all-pass plus unity, bilinear)".to_owned(),
                AskedRecord::Notch {
                    center_hz: *center_hz,
                    width_hz: *width_hz,
                    q: *q,
                    edges_3db_hz: *edges_hz,
                },
            ),
            Choice::Recursive(choice) => (
                match choice.mapping {
                    Mapping::Bilinear => {
                        format!("{} (analogue prototype, bilinear)", choice.family)
                    }
                    Mapping::ImpulseInvariant => {
                        format!("{} (analogue prototype, impulse-invariant)", choice.family)
                    }
                },
                AskedRecord::Recursive(choice.clone()),
            ),
            Choice::Fir(choice) => (choice.method.to_owned(), AskedRecord::Fir(choice.clone())),
            Choice::Direct(choice) => {
                ("closed form".to_owned(), AskedRecord::Direct(choice.clone()))
            }
        };
        let quantized = self.implementation().ok().flatten().zip(self.rounded());
        DesignRecord {
            name: spec.name.to_string(),
            sample_rate_hz: spec.sample_rate.hertz(),
            kind: spec.want.kind(),
            method,
            order: design.order(),
            zeros,
            poles,
            gain: design.zeros_poles.as_ref().map(|filter| filter.gain),
            sections: sections(&design.form),
            taps: taps(&design.form),
            asked,
            equalizer: design.equalizer.clone(),
            achieved: achieved(self.designed()),
            time: self.designed().time,
            quality: quality_records(self.rows()),
            roots: design.roots(spec.sample_rate).ok(),
            meets_spec: self.meets_spec(),
            quantized: quantized
                .map(|(filter, report)| quantized_record(filter, report, self.rounded_excess_db())),
            float: self.float_record(),
        }
    }

    fn float_record(&self) -> Option<FloatRecord> {
        let (filter, wish) = (self.float().ok()??, self.spec.float?);
        let bound = self.float_bound();
        Some(FloatRecord {
            format: filter.format(),
            structure: filter.structure(),
            rows: filter.rows().to_vec(),
            peak: wish.peak,
            error_bound: bound.map(|bound| bound.error),
            largest_number: bound.map(|bound| bound.level),
            achieved: self.rounded().map(achieved),
            template_excess_db: self.rounded_excess_db(),
        })
    }
}

fn quantized_record(
    implementation: &Implementation,
    report: &Report,
    template_excess_db: Option<f64>,
) -> QuantizedRecord {
    let checked = &implementation.checked;
    let cost = checked.cost();
    let lsb = implementation.fixed.output.step();
    let bounds = checked.facts().bounds().as_ref().ok();
    let reach = bounds.map_or(Vec::new(), |bounds| {
        let object = |reach: &crate::datapath::Reach| ReachRecord {
            node: reach.node.0,
            pass: reach.pass,
            low: reach.low,
            high: reach.high,
            format: reach.format,
            cannot_overflow: reach.safe,
        };
        bounds.reaches.iter().map(object).collect()
    });
    let predictions = implementation.predictions.as_ref().ok();
    let noise = implementation.predicted_noise();
    QuantizedRecord {
        structure: implementation.fixed.structure.as_str(),
        coefficients: implementation.table.format,
        state: implementation.state.as_ref().map(|state| state.format),
        between: implementation.between.map(|between| between.format),
        products: implementation.fixed.products,
        chosen: implementation
            .fixed
            .reasons()
            .into_iter()
            .map(|(key, found, reason)| ChosenWord { key, found, reason })
            .collect(),
        sections: sections(&implementation.rounded),
        taps: taps(&implementation.rounded),
        achieved: achieved(report),
        time: report.time,
        template_excess_db,
        reach,
        rounding_error_bound_lsb: bounds.map(|bounds| bounds.error.largest() / lsb),
        rounding_noise_rms_lsb: noise.as_ref().ok().map(|noise| noise.rms() / lsb),
        rounding_noise_reason: noise.as_ref().err().map(ToString::to_string),
        coefficient_error_gain: predictions.map(|p| p.coefficient_error.l1_bound()),
        cost,
        datapath: describe(checked),
    }
}
