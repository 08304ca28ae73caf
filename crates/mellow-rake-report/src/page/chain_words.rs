//! A chain on integers in words: the word at every joint, what is proved of it, and what rounding did.

use crate::Document;
use crate::numbers::without_minus_zero;
use crate::units::frequencies;
use mellow_rake::study::{ChainRecord, ChainWordsRecord, MixerRecord, StageWordsRecord};

const NOTES: &str = "  reaches: the lowest and highest value for any input and any roundings; error: of all \
    roundings so far, at most, in steps of what is given; noise: of the roundings, on white noise of half \
    scale";

const CHOSEN: &str = "  * the fraction was chosen: the largest for which the level fits";

/// What a chain is on integers.
pub(super) fn words(page: &mut Document, record: &ChainRecord, fixed: &ChainWordsRecord) {
    page.gap();
    page.lines("on integers");
    let row = |(number, stage): (usize, &StageWordsRecord)| {
        let mark = if stage.output_is_chosen { " *" } else { "" };
        vec![
            format!("{}", number + 1),
            stage.input.to_string(),
            held(stage),
            format!("{}{mark}", stage.output),
            format!("{} to {}", level(stage.lowest), level(stage.highest)),
            if stage.fits { "never".to_owned() } else { "can".to_owned() },
            format!("{:.2}", stage.error_bound_lsb),
        ]
    };
    let mut rows: Vec<Vec<String>> = fixed.stages.iter().enumerate().map(row).collect();
    if let Some(mixer) = &fixed.mixer {
        let place = if record.lanes_in == record.channels { 0 } else { rows.len() };
        rows.insert(place, mixed(mixer));
    }
    page.table(
        &["stage", "takes", "taps or sums", "gives", "reaches", "limit acts", "error"],
        &rows,
    );
    page.paragraph(NOTES, 4);
    let mixer_is_chosen = fixed.mixer.as_ref().is_some_and(|mixer| mixer.output_is_chosen);
    if mixer_is_chosen || fixed.stages.iter().any(|stage| stage.output_is_chosen) {
        page.paragraph(CHOSEN, 4);
    }
    page.gap();
    if let Some(mixer) = &fixed.mixer {
        oscillators(page, record, mixer);
    }
    measured(page, record, fixed);
    if fixed.left_gain_db.abs() > 1e-9 {
        page.paragraph(
            &format!(
                "  the sums are not a power of two, and no stage has taps to make that good: the level is \
                 {:+.4} dB beside the design",
                fixed.left_gain_db
            ),
            4,
        );
    }
    let is_recursive = fixed.stages.iter().any(|stage| stage.structure.is_some());
    let what = if is_recursive { "coefficients" } else { "taps" };
    match fixed.meets_spec {
        Some(true) => page.verdict(Some(true), format!("with rounded {what}: meets the spec")),
        Some(false) => page.verdict(
            Some(false),
            format!(
                "with rounded {what}: MISSES the spec; more bits in `coefficients` would bring it nearer"
            ),
        ),
        None => page.verdict(None, "no ripple and no attenuation were asked for"),
    }
    match fixed.no_limit_acts {
        true => page.verdict(Some(true), "levels: proved that no limit ever acts"),
        false => page.verdict(
            None,
            "levels: a limit can act, on inputs of full scale; more whole bits in what is given would keep \
             it from that",
        ),
    }
}

/// The row of a mixer among those of the stages.
fn mixed(mixer: &MixerRecord) -> Vec<String> {
    let mark = if mixer.output_is_chosen { " *" } else { "" };
    vec![
        "mixer".to_owned(),
        mixer.input.to_string(),
        mixer.values.to_string(),
        format!("{}{mark}", mixer.output),
        format!("{} to {}", level(mixer.lowest), level(mixer.highest)),
        if mixer.fits { "never".to_owned() } else { "can".to_owned() },
        format!("{:.2}", mixer.error_bound_lsb),
    ]
}

/// The oscillators of a mixer.
fn oscillators(page: &mut Document, record: &ChainRecord, mixer: &MixerRecord) {
    let row = |words: &str, found: String| vec![words.to_owned(), found];
    let carriers = mixer.oscillators.iter().zip(&record.carriers_hz);
    let own = carriers.map(|(found, asked)| {
        let free = found.spurious_free_db;
        let mut own = vec![
            row("frequency asked for", frequencies(&[*asked], "")),
            row("it is off by, Hz", off(found.frequency_error_hz)),
            row(
                "above its strongest other line, dB",
                free.map_or("no other".to_owned(), |free| format!("{free:.2}")),
            ),
            row("a value is off by, at most", format!("{:.2e}", found.value_error)),
        ];
        if mixer.dither.is_some() {
            let none = "nothing to dither".to_owned();
            let noise = found.dither_noise_db.map_or(none, |noise| format!("{noise:.2}"));
            own.insert(3, row("above all noise of the dither, dB", noise));
        }
        own
    });
    let own: Vec<Vec<Vec<String>>> = own.collect();
    let mut shared = vec![
        row("phase, bits", format!("{}", mixer.phase_bits)),
        row("address of the sine, bits", format!("{}", mixer.address_bits)),
        row("values of a quarter of a turn", format!("{}", 1u32 << (mixer.address_bits - 2))),
    ];
    if mixer.steps_are_loadable {
        shared.push(row("steps of the phase", "can be set while it runs".to_owned()));
    }
    shared.extend(mixer.dither.map(|seed| row("seed of the dither", format!("{seed}"))));
    if let [own] = &own[..] {
        let rows = [&own[..2], &shared[..], &own[2..]].concat();
        page.table(&["oscillator of the mixer", ""], &rows);
    } else {
        page.table(&["oscillators of the mixer", ""], &shared);
        page.gap();
        let titles: Vec<&str> = own[0].iter().map(|row| row[0].as_str()).collect();
        let values = |own: &Vec<Vec<String>>| own.iter().map(|row| row[1].clone()).collect();
        page.table(&titles, &own.iter().map(values).collect::<Vec<Vec<String>>>());
    }
    page.gap();
}

/// A small difference of frequencies.
fn off(hertz: f64) -> String {
    if hertz == 0.0 { "0".to_owned() } else { format!("{hertz:.3e}") }
}

fn measured(page: &mut Document, record: &ChainRecord, fixed: &ChainWordsRecord) {
    let number = |value: f64| without_minus_zero(format!("{value:.4}"));
    let decibels =
        |value: Option<f64>| value.map_or("none".to_owned(), |found| format!("{found:.2}"));
    let mut rows = vec![
        vec![
            "ripple in the pass-band, dB".to_owned(),
            number(record.ripple_db),
            number(fixed.ripple_db),
        ],
        vec![
            "attenuation of aliases and images, dB".to_owned(),
            decibels(record.attenuation_db),
            decibels(fixed.attenuation_db),
        ],
        vec![
            "error vector from the pass-band, dB".to_owned(),
            format!("{:.2}", record.pass_band.error_vector_db),
            format!("{:.2}", fixed.pass_band.error_vector_db),
        ],
    ];
    if let Some(noise) = fixed.noise {
        rows.push(vec![
            "noise predicted, rms in LSB".to_owned(),
            String::new(),
            format!("{:.2}", noise.rms_lsb),
        ]);
        rows.push(vec![
            "that under a sine of full scale, dB".to_owned(),
            String::new(),
            format!("{:.2}", noise.below_full_scale_db),
        ]);
    }
    rows.push(vec![
        "error of the roundings, at most, LSB".to_owned(),
        String::new(),
        format!("{:.2}", fixed.error_bound_lsb),
    ]);
    page.table(&["from input to output", "designed", "rounded"], &rows);
    if let Some(why) = &fixed.not_predicted {
        page.paragraph(&format!("  the noise is not predicted: {why}"), 4);
    }
}

/// The format of taps or coefficients, or the words of sums from the first to the last.
fn held(stage: &StageWordsRecord) -> String {
    match (stage.coefficients, stage.sums.first(), stage.sums.last()) {
        (Some(format), ..) => format.to_string(),
        (None, Some(first), Some(last)) if first != last => format!("{first} to {last}"),
        (None, Some(first), _) => first.to_string(),
        _ => "-".to_owned(),
    }
}

fn level(value: f64) -> String {
    without_minus_zero(format!("{value:.4}"))
}
