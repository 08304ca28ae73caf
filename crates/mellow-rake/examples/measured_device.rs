//! Modem: the board answers. Is it the filter that was designed? Here one of its coefficients lost its last
//! bits.

use mellow_rake::Wish;
use mellow_rake::filter::Form;
use mellow_rake::signal::stepped_words;
use mellow_rake::spec::{Fixed, Structure};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    let wish = Wish::bandpass("96 kHz").cutoffs("25 kHz", "29 kHz").butterworth(4).words(words);
    let study = wish.study()?;
    let rate = study.spec.sample_rate;

    // What goes in: one tone after the other, each long enough to settle; and two boards, one of which is as
    // it should be.
    let fixed = study.integers()?.fixed;
    let half = fixed.input.maximum() as f64 / 2.0;
    let (tones, steps) = stepped_words(half, rate, 48, study.settled_samples());
    let input: Vec<f64> = tones.iter().map(|word| *word as f64 * fixed.input.step()).collect();
    let good = study.integers()?.rounded.clone();
    let mut spoiled = good.clone();
    if let Form::Sections(sections) = &mut spoiled {
        sections.0[0].a[0] += 0.02;
    }

    for (name, board) in [("as written", &good), ("a1 lost its last bits", &spoiled)] {
        // The board answers in words.
        let step = fixed.output.step();
        let answer = |y: f64| (y / step).round() * step;
        let output: Vec<f64> = board.stream(input.iter().copied()).map(answer).collect();
        let found = study.stepped((&input, &output), &steps)?;
        let measured = study.measured(&found, input.len(), false, Some(0.3), false);
        let Some(deviation) = &measured.deviation else { continue };
        println!("{name}");
        println!(
            "  largest deviation {:+.4} dB at {:.0} Hz",
            deviation.largest_db, deviation.at_hz
        );
        println!("  by chance there {:.4} dB are expected", deviation.expected_error_db);
        println!("  within 0.3 dB of the filter: {}\n", if measured.held { "yes" } else { "NO" });
    }
    Ok(())
}
