//! `mrake sensitivity`

use crate::arguments::Sensitivity;
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::Loaded;
use crate::print;
use mellow_rake::quality::{Change, CoefficientSensitivity, ToleranceBand};
use mellow_rake::response::peak_gain_db;
use mellow_rake_report::figure::{self, Plan};
use mellow_rake_report::page;
use serde::Serialize;

/// The most filters that are tried.
const MOST_TRIALS: usize = 100_000;

#[derive(Serialize)]
struct SensitivityObject<'a> {
    name: String,
    coefficients_are: &'static str,
    change: Change,
    margin_db: Option<f64>,
    coefficients: &'a [CoefficientSensitivity],
    tolerance_band: Option<&'a ToleranceBand>,
}

pub(crate) fn run(options: &Sensitivity) -> Result<Outcome, Failure> {
    if options.share.is_some_and(|share| !(share > 0.0 && share < 1.0)) {
        return Err(Failure::Call("--share: a share lies between 0 and 1, as 0.001".to_owned()));
    }
    if options.trials > MOST_TRIALS {
        return Err(Failure::Call(format!("--trials: at most {MOST_TRIALS}")));
    }
    let loaded = Loaded::file(&options.spec)?;
    loaded.implementation()?;
    let (study, rate) = (&loaded.study, loaded.study.spec.sample_rate);
    let coefficients = study.coefficients(options.share);
    let peak = peak_gain_db(coefficients.form(), rate);
    let plan = Plan::of(&study.design.choice, peak, rate.nyquist());
    let hertz = plan.places(&coefficients, rate);
    let found = coefficients.ranked(&hertz);
    let trials = (options.trials, options.seed);
    let band = (options.trials > 0).then(|| coefficients.scattered(&hertz, &plan.points, trials));
    figures::write(options.figure.as_deref(), || {
        Ok(figure::sensitivity(study, coefficients, (&plan, &hertz), &found, band.as_ref()))
    })?;
    if options.json {
        print::json(&SensitivityObject {
            name: study.spec.name.to_string(),
            coefficients_are: coefficients.which(),
            change: coefficients.change,
            margin_db: found.margin_db,
            coefficients: &found.coefficients,
            tolerance_band: band.as_ref(),
        })?;
    } else {
        let name = study.spec.name.as_str();
        print::page(&page::sensitivity(name, &coefficients, &found, band.as_ref(), options.rows))?;
    }
    Ok(Outcome::Held)
}
