//! A spec from any bytes: what they choose between are words and numbers that a spec may hold, in range and
//! out of it.

use std::fmt::Write;

/// Takes choices off bytes; zeros when they have run out.
pub(crate) struct Draw<'a>(pub(crate) &'a [u8]);

impl Draw<'_> {
    pub(crate) fn byte(&mut self) -> u8 {
        let Some((first, rest)) = self.0.split_first() else { return 0 };
        self.0 = rest;
        *first
    }

    pub(crate) fn below(&mut self, count: usize) -> usize {
        usize::from(self.byte()) % count
    }

    fn of<'w>(&mut self, words: &[&'w str]) -> &'w str {
        words[self.below(words.len())]
    }

    /// Between two positive numbers, as many in each factor of two.
    fn between(&mut self, low: f64, high: f64) -> f64 {
        let share = f64::from(u16::from_le_bytes([self.byte(), self.byte()])) / 65_535.0;
        low * (high / low).powf(share)
    }
}

/// The text of a spec at 1 kHz; small enough that a thousand a minute can be designed, proved and run.
pub(crate) fn spec_text(draw: &mut Draw<'_>) -> String {
    let mut text = "name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\n".to_owned();
    let has_taps = match draw.below(4) {
        0 => {
            let (center, q) = (draw.between(0.5, 499.0), draw.between(0.2, 200.0));
            let kind = draw.of(&["notch", "peak", "comb", "resonator", "dc-blocker", "all-pass"]);
            let _ = match kind {
                "notch" => writeln!(text, "kind = \"notch\"\ncenter = \"{center} Hz\"\nq = {q}"),
                "peak" => writeln!(
                    text,
                    "kind = \"peak\"\ncenter = \"{center} Hz\"\nq = {q}\ngain = \"{} dB\"",
                    draw.between(0.1, 40.0)
                ),
                "comb" => {
                    let width = draw.between(0.1, 5.0);
                    writeln!(
                        text,
                        "kind = \"comb\"\nfundamental = \"{} Hz\"\nwidth = \"{width} Hz\"\nharmonics = 2",
                        900.0 / (5 + draw.below(16)) as f64
                    )
                }
                "resonator" => {
                    let width = draw.between(0.1, 50.0);
                    writeln!(
                        text,
                        "kind = \"resonator\"\ncenter = \"{center} Hz\"\nwidth = \"{width} Hz\""
                    )
                }
                "dc-blocker" => writeln!(text, "kind = \"dc-blocker\"\ncutoff = \"{center} Hz\""),
                _ => writeln!(text, "kind = \"all-pass\"\ncenter = \"{center} Hz\"\nq = {q}"),
            };
            false
        }
        1 => {
            let kind = draw.of(&["lowpass", "highpass", "bandpass", "bandstop"]);
            let (low, high) = (draw.between(1.0, 450.0), draw.between(1.0, 480.0));
            let edges = match kind {
                "lowpass" | "highpass" => format!("cutoff = \"{low} Hz\""),
                _ => {
                    format!("cutoffs = [\"{} Hz\", \"{} Hz\"]", low.min(high), low.max(high) + 5.0)
                }
            };
            let design =
                draw.of(&["butterworth", "chebyshev1", "chebyshev2", "elliptic", "bessel"]);
            let order = 1 + draw.below(8);
            let _ = writeln!(
                text,
                "kind = \"{kind}\"\n{edges}\nripple = \"0.5 dB\"\nattenuation = \"{} dB\"\n[method]\ndesign \
                    = \"{design}\"\norder = {order}",
                20 + draw.below(60)
            );
            false
        }
        2 => {
            let (pass, stop) = (draw.between(5.0, 400.0), draw.between(1.1, 4.0));
            let design = draw.of(&["window", "equiripple", "least-squares"]);
            let window = if design == "window" { "window = \"hamming\"\n" } else { "" };
            let taps = match draw.below(40) {
                0 => "\"minimum\"".to_owned(),
                some => some.to_string(),
            };
            let _ = writeln!(
                text,
                "kind = \"lowpass\"\npass_edge = \"{pass} Hz\"\nstop_edge = \"{} Hz\"\nripple = \"1 \
                    dB\"\nattenuation = \"40 dB\"\n\
                 [method]\ndesign = \"{design}\"\n{window}taps = {taps}",
                pass * stop
            );
            true
        }
        _ => {
            let mut number = || (draw.between(0.01, 2.0) - 1.0).to_string();
            let taps: Vec<String> = (0..6).map(|_| number()).collect();
            let is_taps = draw.below(2) == 0;
            let _ = if is_taps {
                writeln!(text, "kind = \"coefficients\"\ntaps = [{}]", taps.join(", "))
            } else {
                writeln!(
                    text,
                    "kind = \"coefficients\"\nb = [{}]\na = [1, {}]",
                    taps[..3].join(", "),
                    taps[4..].join(", ")
                )
            };
            is_taps
        }
    };
    fixed(draw, has_taps, &mut text);
    text
}

fn fixed(draw: &mut Draw<'_>, has_taps: bool, text: &mut String) {
    let mut word = || {
        let bits = 3 + draw.below(34);
        format!("s{bits}f{}", draw.below(bits + 3))
    };
    let (input, output) = (word(), word());
    let structure = if has_taps {
        draw.of(&["fir-direct", "fir-transposed", "fir-folded", "fir-skip-zeros"])
    } else {
        draw.of(&[
            "direct-form-1",
            "direct-form-1-transposed",
            "direct-form-2",
            "direct-form-2-transposed",
            "error-feedback-1",
            "error-feedback-2",
            "coupled",
            "lattice-ladder",
            "lattice-sections",
            "all-pass-sum",
        ])
    };
    let bits = 3 + draw.below(34);
    let rounding = draw.of(&["floor", "half-up", "half-away", "half-even", "toward-zero"]);
    let overflow = draw.of(&["saturate", "wrap"]);
    let _ = writeln!(
        text,
        "[fixed]\ninput = \"{input}\"\noutput = \"{output}\"\ncoefficients = \"s{bits}\"\n\
            structure = \"{structure}\"\n\
         rounding = \"{rounding}\"\noverflow = \"{overflow}\""
    );
    // Hardware with a clock of up to some thousand clocks for a sample, or without one.
    let clock = match draw.below(3) {
        0 => String::new(),
        _ => format!("clock = \"{} fs\"\n", 1 + draw.below(2_000)),
    };
    let multipliers = match draw.below(2) {
        0 => String::new(),
        _ => format!("multipliers = {}\n", 1 + draw.below(9)),
    };
    let _ = write!(
        text,
        "[hardware]\n{clock}{multipliers}channels = {}\nsamples_per_clock = {}\nmultiplier_stages = {}\n\
         interface = \"{}\"\ncoefficients = \
         \"{}\"\npipelining = {}\n",
        1 + draw.below(4),
        draw.of(&["1", "1", "2", "5"]),
        1 + draw.below(3),
        draw.of(&["valid", "valid-ready", "axi-stream"]),
        draw.of(&["constant", "constant", "loadable"]),
        draw.of(&["\"automatic\"", "1", "2"]),
    );
}
