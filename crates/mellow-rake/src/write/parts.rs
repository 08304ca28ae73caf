//! The programs and mixers of a network with what stands around each: zeros that are put in front of it, and
//! what is kept behind it.

use super::WriteError;
use crate::datapath::Checked;
use crate::fixed::WordFormat;
use crate::network::{MixedTerm, Mixer, Network, Step};
use std::fmt::Write;

/// What the words of a part go through.
pub(super) enum What<'a> {
    /// A program, each lane by itself.
    Program(&'a Checked),
    /// A mixer.
    Mixer(&'a Mixer),
}

/// A program or a mixer with the zeros that are put in front of it and what is kept behind it.
pub(super) struct Part<'a> {
    /// What it is.
    pub(super) what: What<'a>,
    /// Words side by side in a sample that goes in.
    pub(super) lanes: usize,
    /// Behind each word that comes in so many less one zeros.
    pub(super) fill: usize,
    /// Of every so many words that it gives the last goes on.
    pub(super) keep: usize,
}

/// The programs and mixers of a network, in the order of the signal.
///
/// # Errors
/// [`WriteError::Steps`] where words are kept in front of all programs or behind a mixer, or zeros put in
/// behind the programs or in front of a mixer.
pub(super) fn parts<'a>(
    network: &'a Network,
    target: &'static str,
) -> Result<Vec<Part<'a>>, WriteError> {
    let mut parts: Vec<Part<'_>> = Vec::new();
    let mut fill = 1;
    for (step, lanes) in network.steps().iter().zip(network.lanes()) {
        match step {
            Step::Fire(checked) => {
                parts.push(Part { what: What::Program(checked), lanes: *lanes, fill, keep: 1 });
                fill = 1;
            }
            Step::Mix(mixer) if fill == 1 => {
                parts.push(Part { what: What::Mixer(mixer), lanes: *lanes, fill, keep: 1 });
            }
            Step::Mix(_) => return Err(WriteError::Steps { target }),
            Step::Fill(factor) => fill *= factor,
            Step::Keep(factor) => match parts.last_mut() {
                Some(part) if fill == 1 && part.program().is_some() => part.keep *= factor,
                _ => return Err(WriteError::Steps { target }),
            },
        }
    }
    match fill {
        1 => Ok(parts),
        _ => Err(WriteError::Steps { target }),
    }
}

impl Part<'_> {
    /// The program, where it is one.
    pub(super) fn program(&self) -> Option<&Checked> {
        match self.what {
            What::Program(checked) => Some(checked),
            What::Mixer(_) => None,
        }
    }

    /// The words that go in and those that come out.
    pub(super) fn formats(&self) -> [WordFormat; 2] {
        match self.what {
            What::Program(checked) => [checked.input(), checked.output()],
            What::Mixer(mixer) => [mixer.input(), mixer.output()],
        }
    }

    /// Words side by side in a sample that comes out.
    pub(super) fn lanes_out(&self) -> usize {
        match self.what {
            What::Program(_) => self.lanes,
            What::Mixer(mixer) => mixer.words().1 * self.channels(),
        }
    }

    /// Of a mixer the channels that share it.
    pub(super) fn channels(&self) -> usize {
        match self.what {
            What::Program(_) => 1,
            What::Mixer(mixer) => self.lanes / mixer.words().0,
        }
    }

    /// Words of a lane that go in for one firing.
    pub(super) fn takes(&self) -> usize {
        self.program().map_or(1, |checked| checked.datapath().words_in())
    }

    /// Words of a lane that come out of it.
    pub(super) fn gives(&self) -> usize {
        self.program().map_or(1, |checked| checked.datapath().words_out())
    }

    /// The most words of a lane that come out of so many.
    pub(super) fn most(&self, words: usize) -> usize {
        (words * self.fill).div_ceil(self.takes()).saturating_mul(self.gives()).div_ceil(self.keep)
    }

    /// What stands around the program, in words.
    pub(super) fn said(&self) -> String {
        let mut text = String::new();
        if self.lanes > 1 && self.program().is_some() {
            let _ = write!(text, ", for each of {} words side by side", self.lanes);
        }
        if self.fill > 1 {
            let _ = write!(text, ", behind each word {} zeros", self.fill - 1);
        }
        if self.keep > 1 {
            let _ = write!(text, ", of every {} words that it gives the last is kept", self.keep);
        }
        text
    }
}

/// The words that come out of a mixer, each as a sum; `product` says a product of the word that goes in with
/// this number and a wave.
pub(super) fn mixed_sums(mixer: &Mixer, product: impl Fn(usize, &str) -> String) -> Vec<String> {
    let sum = |terms: &Vec<MixedTerm>| {
        let mut sum = String::new();
        for (index, term) in terms.iter().enumerate() {
            sum.push_str(match (index, term.is_minus) {
                (0, false) => "",
                (0, true) => "-",
                (_, true) => " - ",
                (_, false) => " + ",
            });
            let wave = if term.is_sine { "sine" } else { "cosine" };
            sum.push_str(&product(term.word, &numbered(mixer, wave, term.oscillator)));
        }
        sum
    };
    mixer.terms().iter().map(sum).collect()
}

/// A name of one of several oscillators.
pub(super) fn numbered(mixer: &Mixer, name: &str, oscillator: usize) -> String {
    match mixer.oscillators().len() {
        1 => name.to_owned(),
        _ => format!("{name}{}", oscillator + 1),
    }
}

/// Whether a dither changes what it gives: whether bits of the phase are dropped.
pub(super) fn is_dithered(mixer: &Mixer) -> bool {
    let oscillator = mixer.oscillator();
    oscillator.words().dither.is_some() && oscillator.dropped_bits() > 0
}

/// The mixers whose steps can be set, each with the number of its part and of its first oscillator.
pub(super) fn loadable<'a>(parts: &[Part<'a>]) -> Vec<(&'a Mixer, usize, usize)> {
    let (mut all, mut first) = (Vec::new(), 0);
    for (index, part) in parts.iter().enumerate() {
        if let What::Mixer(mixer) = part.what
            && mixer.has_loadable_steps()
        {
            all.push((mixer, index + 1, first));
            first += mixer.oscillators().len();
        }
    }
    all
}

/// So many numbers from one on: "0", "0 or 1", "2 to 4".
pub(super) fn counted(first: usize, count: usize) -> String {
    match count {
        1 => format!("{first}"),
        2 => format!("{first} or {}", first + 1),
        _ => format!("{first} to {}", first + count - 1),
    }
}

/// What a mixer computes, in words: how its phases go on, and a line for each word that comes out.
pub(super) fn mixed_words(mixer: &Mixer) -> Vec<String> {
    let words = mixer.oscillator().words();
    let mut lines = Vec::new();
    for (index, oscillator) in mixer.oscillators().iter().enumerate() {
        let step = match mixer.has_loadable_steps() {
            true => format!(
                "{}, {} at the beginning,",
                numbered(mixer, "step", index),
                oscillator.step()
            ),
            false => oscillator.step().to_string(),
        };
        lines.push(format!(
            "{} grows by {} modulo 2^{} with each sample",
            numbered(mixer, "phase", index),
            step,
            words.phase_bits
        ));
    }
    if let Some(seed) = words.dither.filter(|_| is_dithered(mixer)) {
        let dropped = mixer.oscillator().dropped_bits();
        lines.push(format!(
            "dither begins with {seed}, and goes on by three shifts with each sample;"
        ));
        lines.push(format!("its highest {dropped} bits are added to the phase for the address"));
    }
    lines.push(format!(
        "the highest {} bits are the address of sine and cosine",
        words.address_bits
    ));
    let product = |word: usize, wave: &str| format!("input[{word}] {wave}");
    let sums = mixed_sums(mixer, product).into_iter().enumerate();
    lines.extend(sums.map(|(word, sum)| format!("output[{word}] = {sum}")));
    lines
}

/// What a sample of a network is that goes in, and one that comes out, where either is several words.
pub(super) fn samples_said(network: &Network) -> Option<[String; 2]> {
    let said = |lanes: usize| match lanes {
        1 => "one word".to_owned(),
        lanes => format!("{lanes} words side by side"),
    };
    let lanes = [network.lanes_in(), network.lanes_out()];
    (lanes != [1, 1]).then(|| lanes.map(said))
}
