//! The JSON objects; docs/json.md describes them field by field.

use mellow_rake::analysis::NotchMeasures;
use mellow_rake::datapath::{Cost, Description, describe};
use mellow_rake::design::Design;
use mellow_rake::fixed::WordFormat;
use mellow_rake::implementation::Implementation;
use mellow_rake::spec::Spec;
use num_pair::pairs;
use serde::Serialize;

mod num_pair {
    use mellow_rake::filter::ZerosPolesGain;

    /// Zeros and poles as `[re, im]`.
    pub(super) fn pairs(filter: &ZerosPolesGain) -> [Vec<[f64; 2]>; 2] {
        [&filter.zeros, &filter.poles].map(|roots| roots.iter().map(|z| [z.re, z.im]).collect())
    }
}

/// `mrake design --json`
#[derive(Serialize)]
pub(crate) struct DesignObject {
    name: String,
    sample_rate_hz: f64,
    kind: &'static str,
    method: &'static str,
    order: usize,
    zeros: Vec<[f64; 2]>,
    poles: Vec<[f64; 2]>,
    gain: f64,
    sections: Vec<SectionObject>,
    taps: Option<Vec<f64>>,
    asked: AskedObject,
    achieved: AchievedObject,
    meets_spec: bool,
    quantized: Option<QuantizedObject>,
}

#[derive(Serialize)]
struct SectionObject {
    b: [f64; 3],
    a: [f64; 3],
}

#[derive(Serialize)]
struct AskedObject {
    center_hz: f64,
    width_hz: f64,
    q: f64,
    edges_3db_hz: [f64; 2],
}

/// What came out, measured on a response.
#[derive(Serialize)]
pub(crate) struct AchievedObject {
    passband_ripple_db: Option<f64>,
    stopband_attenuation_db: Option<f64>,
    edges_3db_hz: [Option<f64>; 2],
    edges_6db_hz: [Option<f64>; 2],
    transition_width_hz: Option<f64>,
    dc_gain_db: f64,
    nyquist_gain_db: f64,
    peak_gain_db: f64,
    null_hz: f64,
    center_gain_db: Option<f64>,
    width_hz: Option<f64>,
    passband_group_delay_samples: Option<[f64; 2]>,
    multiplies_per_sample: usize,
    adds_per_sample: usize,
    state_words: usize,
}

/// A filter on integers, complete.
#[derive(Serialize)]
pub(crate) struct QuantizedObject {
    structure: &'static str,
    coefficients: WordFormat,
    sections: Vec<SectionObject>,
    achieved: AchievedObject,
    reach: Vec<ReachObject>,
    rounding_error_bound_lsb: Option<f64>,
    rounding_noise_rms_lsb: Option<f64>,
    coefficient_error_gain: Option<f64>,
    cost: Cost,
    datapath: Description,
}

#[derive(Serialize)]
struct ReachObject {
    node: u32,
    pass: usize,
    low: f64,
    high: f64,
    format: WordFormat,
    cannot_overflow: bool,
}

/// The cost of a notch in f64, direct form I.
pub(crate) const FLOAT_COST: (usize, usize, usize) = (5, 4, 4);

pub(crate) fn achieved(
    measures: &NotchMeasures,
    delay: Option<[f64; 2]>,
    (multiplies, adds, state): (usize, usize, usize),
) -> AchievedObject {
    AchievedObject {
        passband_ripple_db: None,
        stopband_attenuation_db: measures
            .center_gain_db
            .map(|gain| measures.peak_gain_db - gain),
        edges_3db_hz: measures.edges_3db_hz,
        edges_6db_hz: measures.edges_6db_hz,
        transition_width_hz: None,
        dc_gain_db: measures.dc_gain_db,
        nyquist_gain_db: measures.nyquist_gain_db,
        peak_gain_db: measures.peak_gain_db,
        null_hz: measures.null_hz,
        center_gain_db: measures.center_gain_db,
        width_hz: measures.width_hz,
        passband_group_delay_samples: delay,
        multiplies_per_sample: multiplies,
        adds_per_sample: adds,
        state_words: state,
    }
}

fn sections(sections: &mellow_rake::filter::Sections) -> Vec<SectionObject> {
    sections
        .0
        .iter()
        .map(|section| SectionObject {
            b: section.b,
            a: [1.0, section.a[0], section.a[1]],
        })
        .collect()
}

pub(crate) fn design_object(
    spec: &Spec,
    design: &Design,
    achieved: AchievedObject,
    meets_spec: bool,
    quantized: Option<QuantizedObject>,
) -> DesignObject {
    let [zeros, poles] = pairs(&design.zeros_poles);
    DesignObject {
        name: spec.name.to_string(),
        sample_rate_hz: spec.sample_rate.hertz(),
        kind: spec.want.kind(),
        method: "second-order notch (all-pass plus unity, bilinear)",
        order: poles.len(),
        zeros,
        poles,
        gain: design.zeros_poles.gain,
        sections: sections(&design.sections),
        taps: None,
        asked: AskedObject {
            center_hz: design.choice.center_hz,
            width_hz: design.choice.width_hz,
            q: design.choice.q,
            edges_3db_hz: design.choice.edges_hz,
        },
        achieved,
        meets_spec,
        quantized,
    }
}

pub(crate) fn quantized_object(
    implementation: &Implementation,
    measures: &NotchMeasures,
) -> QuantizedObject {
    let checked = &implementation.checked;
    let cost = checked.cost();
    let lsb = implementation.fixed.output.step();
    let bounds = checked.facts().bounds().as_ref().ok();
    let reach = bounds.map_or(Vec::new(), |bounds| {
        let object = |reach: &mellow_rake::datapath::Reach| ReachObject {
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
    let counts = (
        cost.multiplies_per_sample,
        cost.adds_per_sample,
        cost.state_words,
    );
    QuantizedObject {
        structure: implementation.fixed.structure.as_str(),
        coefficients: implementation.table.format,
        sections: sections(&implementation.rounded),
        achieved: achieved(measures, None, counts),
        reach,
        rounding_error_bound_lsb: bounds.map(|bounds| bounds.error.largest() / lsb),
        rounding_noise_rms_lsb: predictions.map(|predictions| predictions.noise.rms() / lsb),
        coefficient_error_gain: predictions.map(|p| p.coefficient_error.l1_bound()),
        cost,
        datapath: describe(checked),
    }
}
