//! Modem: the band of the bursts, 25 to 29 kHz, before the echo sounder at 33 kHz. Taps from a template
//! against taps by hand.

// A program of its own may use the platform's functions.
#![allow(clippy::disallowed_methods)]

use mellow_rake::Wish;
use mellow_rake::filter::{Form, Taps};
use mellow_rake::response::gain_db;
use std::f64::consts::PI;

/// A windowed cosine, as one writes it down in an evening.
fn by_hand(count: usize) -> Taps {
    let tap = |k: usize| {
        let place = k as f64 - (count - 1) as f64 / 2.0;
        let window = 0.5 - 0.5 * (2.0 * PI * (k as f64 + 0.5) / count as f64).cos();
        let ideal = |hertz: f64| match place {
            0.0 => 2.0 * hertz / 96e3,
            _ => (2.0 * PI * hertz / 96e3 * place).sin() / (PI * place),
        };
        window * (ideal(29e3) - ideal(25e3))
    };
    Taps((0..count).map(tap).collect())
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let wish = Wish::bandpass("96 kHz")
        .pass_edges("25 kHz", "29 kHz")
        .stop_edges("21 kHz", "33 kHz")
        .ripple_db(0.5)
        .attenuation_db(60.0)
        .equiripple(None);
    let study = wish.study()?;
    let rate = study.spec.sample_rate;
    let taps = study.design.form.taps().ok_or("a band of taps")?;
    println!("the template needs {} taps; it is kept: {:?}", taps.0.len(), study.meets_spec());

    let hand = Form::from(by_hand(taps.0.len()));
    println!("\n{:>8}{:>16}{:>16}", "kHz", "template, dB", "by hand, dB");
    for khz in [17.0, 21.0, 25.0, 27.0, 29.0, 33.0, 37.0] {
        let gain = |form: &Form| gain_db(form, rate, 1e3 * khz).max(-199.0);
        println!("{khz:>8}{:>16.2}{:>16.2}", gain(&study.design.form), gain(&hand));
    }
    let longer = (taps.0.len()..400).find(|count| {
        let form = Form::from(by_hand(*count));
        let floor = |hertz| gain_db(&form, rate, hertz) <= -60.0;
        (0..210).all(|k| floor(100.0 * f64::from(k)))
            && (330..480).all(|k| floor(100.0 * f64::from(k)))
    });
    match longer {
        Some(count) => println!("\nby hand the echo sounder is 60 dB down from {count} taps on"),
        None => println!("\nby hand the echo sounder is never 60 dB down with fewer than 400 taps"),
    }
    Ok(())
}
