//! `mrake measure`

use crate::arguments::{Excitation, Measure};
use crate::bench::{Pair, ask, recorded};
use crate::failure::{Failure, Outcome};
use crate::figures;
use crate::load::Loaded;
use crate::print;
use mellow_rake::signal::{
    Averaging, SpectrumWish, TransferEstimate, chirp_words, delay_between, measure_transfer,
    noise_words, stepped_words, tone_words,
};
use mellow_rake::study::MeasuredTone;
use mellow_rake_report::{figure, page};

pub(crate) fn run(options: &Measure) -> Result<Outcome, Failure> {
    if let Some(plan) = &options.modulated {
        return super::modulated::run(options, plan);
    }
    if options.within.is_some_and(|within| within.decibels() <= 0.0) {
        return Err(Failure::Call("--within: a level above 0 dB is wanted".to_owned()));
    }
    let loaded = Loaded::file(&options.spec)?;
    loaded.implementation()?;
    let is_stepped = options.device.is_some() && options.excitation == Excitation::Steps;
    let (found, samples) = match (&options.device, &options.recording) {
        (Some(_), _) if is_stepped => stepped(options, &loaded)?,
        (Some(_), _) => averaged(options, &loaded, answers(options, &loaded)?)?,
        (None, Some(_)) => averaged(options, &loaded, recorded(options, &loaded)?)?,
        (None, None) => {
            return Err(Failure::Call(
                "--device PROGRAM, --recording FILE with --input and --output, or --modulated PLAN, is wanted"
                    .to_owned(),
            ));
        }
    };
    let study = &loaded.study;
    let tolerance_db = options.within.map(|within| within.decibels());
    let mut object =
        study.measured(&found, samples, options.designed, tolerance_db, options.two_sided);
    object.excitation = options.device.as_ref().map(|_| options.excitation.as_str());
    object.tones = tones(options, &loaded)?;
    figures::write(options.figure.as_deref(), || {
        Ok(figure::measured(&object, study.spec.sample_rate))
    })?;
    if options.json {
        print::json(&object)?;
    } else {
        print::page(&page::measured(&object))?;
    }
    Ok(Outcome::of(object.held))
}

/// Cross-spectrum over auto-spectrum, with the delay taken off.
fn averaged(
    options: &Measure,
    loaded: &Loaded,
    (input, output): Pair,
) -> Result<(TransferEstimate, usize), Failure> {
    let mut wish = SpectrumWish::for_length(input.len());
    wish.piece = options.piece.unwrap_or(wish.piece);
    wish.averaging = options.fading.map_or(Averaging::Even, Averaging::Exponential);
    let delay = delay_between(&input, &output);
    let wrong = |error: mellow_rake::signal::SpectrumError| Failure::Call(error.to_string());
    let found = measure_transfer(&input, &output, loaded.study.spec.sample_rate, wish, delay);
    Ok((found.map_err(wrong)?, input.len()))
}

/// Noise or a chirp of half the input's range into a program, and what comes back, as values.
fn answers(options: &Measure, loaded: &Loaded) -> Result<Pair, Failure> {
    let fixed = loaded.need_implementation("measure --device")?.fixed;
    let count = options.samples;
    let half = fixed.input.maximum() as f64 / 2.0;
    let words = match options.excitation {
        Excitation::Chirp => {
            let piece = options.piece.unwrap_or(SpectrumWish::for_length(count).piece).max(8);
            chirp_words(half, piece, count)
        }
        // Half of the largest word of 64 bits is an i64, signed or not.
        _ => noise_words(
            options.seed,
            [fixed.input.minimum(), fixed.input.maximum()].map(|end| (end / 2) as i64),
            count,
        ),
    };
    ask(options, fixed, words)
}

/// One tone after the other into a program.
fn stepped(options: &Measure, loaded: &Loaded) -> Result<(TransferEstimate, usize), Failure> {
    let fixed = loaded.need_implementation("measure --device")?.fixed;
    let study = &loaded.study;
    let half = fixed.input.maximum() as f64 / 2.0;
    let rate = study.spec.sample_rate;
    let (words, steps) = stepped_words(half, rate, options.steps, study.settled_samples());
    let samples = words.len();
    let (input, output) = ask(options, fixed, words)?;
    Ok((study.stepped((&input, &output), &steps).map_err(|error| loaded.failure(error))?, samples))
}

/// Single tones of half the input's range, measured once the filter has settled.
fn tones(options: &Measure, loaded: &Loaded) -> Result<Vec<MeasuredTone>, Failure> {
    let (study, rate) = (&loaded.study, loaded.study.spec.sample_rate);
    let mut tones = Vec::new();
    for frequency in &options.tones {
        let fixed = loaded.need_implementation("measure --tones")?.fixed;
        let hz = frequency.hertz(rate);
        if !(hz > 0.0 && hz < rate.nyquist()) {
            let nyquist = rate.nyquist();
            return Err(Failure::Call(format!(
                "--tones: {hz} Hz does not lie between 0 Hz and the Nyquist frequency, {nyquist} Hz"
            )));
        }
        let skipped = study.settled_samples();
        let periods = (40.0 * rate.hertz() / hz).clamp(16_384.0, 4_194_304.0) as usize;
        let half = fixed.input.maximum() as f64 / 2.0;
        let (input, output) = ask(options, fixed, tone_words(half, rate, hz, skipped + periods))?;
        let pair = (&input[skipped..], &output[skipped..]);
        tones.push(
            study
                .measured_tone(pair, hz, options.designed)
                .map_err(|error| loaded.failure(error))?,
        );
    }
    Ok(tones)
}
