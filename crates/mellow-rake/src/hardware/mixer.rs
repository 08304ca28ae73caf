//! Mixers in hardware: one multiplier, one product a clock.
//!
//! Words of a sample come one behind the other. Each is held while its products are made, one behind the
//! other, and the next can come with the last of them. A product goes through four registers: the place in
//! the table with the word, the value of the table, the product, and the word that goes out, or the sum on
//! its way to it.

use super::{ClockInput, ClockOutput, Load};
use crate::fixed::Waves;
use crate::network::Mixer;

/// Registers that a product goes through, the word that goes out the last of them.
const STAGES: usize = 4;

/// Clocks from the last word of a sample that is taken to the last that is given.
pub(crate) fn mixer_latency(mixer: &Mixer) -> usize {
    let products = products_of_channel(mixer);
    let of_last = products.iter().rev().skip(1).take_while(|one| !one.takes).count() + 1;
    STAGES + of_last
}

/// Words that are held in it and on their way.
pub(crate) const MIXER_PLACES: usize = STAGES + 1;

/// One product of a sample.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct MixerProduct {
    /// The number of the oscillator.
    pub(crate) oscillator: usize,
    /// Whether the word that goes in is multiplied by the sine, else by the cosine.
    pub(crate) is_sine: bool,
    /// Whether the product is taken away.
    pub(crate) is_minus: bool,
    /// The word that goes out that it is a part of.
    pub(crate) word: usize,
    /// Whether it is the first of that word.
    pub(crate) is_first: bool,
    /// Whether it is the last.
    pub(crate) is_last: bool,
    /// Whether it is the last of the word that goes in.
    pub(crate) takes: bool,
}

/// The products of a sample of all channels in their order.
pub(crate) fn mixer_products(mixer: &Mixer, channels: usize) -> Vec<MixerProduct> {
    let of_channel = products_of_channel(mixer);
    std::iter::repeat_n(of_channel, channels).flatten().collect()
}

fn products_of_channel(mixer: &Mixer) -> Vec<MixerProduct> {
    let terms = mixer.terms();
    let (words_in, _) = mixer.words();
    let mut all = Vec::new();
    for from in 0..words_in {
        let begin = all.len();
        for (word, own) in terms.iter().enumerate() {
            for (place, term) in own.iter().enumerate() {
                if term.word == from {
                    all.push(MixerProduct {
                        oscillator: term.oscillator,
                        is_sine: term.is_sine,
                        is_minus: term.is_minus,
                        word,
                        is_first: place == 0,
                        is_last: place + 1 == own.len(),
                        takes: false,
                    });
                }
            }
        }
        if let Some(last) = all[begin..].last_mut() {
            last.takes = true;
        }
    }
    all
}

/// A product on its way, with its sign.
type OnTheWay = Option<(MixerProduct, i64)>;

/// The registers of a mixer, stepped clock by clock.
pub(crate) struct MixerMachine<'a> {
    mixer: &'a Mixer,
    channels: usize,
    products: Vec<MixerProduct>,
    /// The number of the next product.
    next: usize,
    /// The waves of its sample.
    waves: Vec<Waves<'a>>,
    now: Vec<[i64; 2]>,
    held: Option<i64>,
    way: [OnTheWay; STAGES - 1],
    /// The sum so far of each word that goes out.
    sums: Vec<i64>,
    standing: Option<i64>,
}

impl<'a> MixerMachine<'a> {
    /// At power-up.
    pub(crate) fn new(mixer: &'a Mixer, channels: usize) -> Self {
        let waves: Vec<Waves<'_>> = mixer.oscillators().iter().map(|own| own.waves(0)).collect();
        MixerMachine {
            channels,
            mixer,
            products: mixer_products(mixer, channels),
            next: 0,
            now: waves.iter().map(Waves::now).collect(),
            waves,
            held: None,
            way: [None; STAGES - 1],
            sums: vec![0; mixer.words().1],
            standing: None,
        }
    }

    /// The word that stands there to be taken.
    pub(crate) fn standing(&self) -> Option<i64> {
        self.standing
    }

    /// What the outputs are in this clock, and what the registers become at its end.
    pub(crate) fn clock(&mut self, input: ClockInput) -> ClockOutput {
        let advances = self.standing.is_none() || input.out_ready;
        let product = self.products[self.next];
        let is_free = self.held.is_none() || (advances && product.takes);
        let seen = ClockOutput {
            in_ready: is_free,
            out_valid: self.standing.is_some(),
            out_data: self.standing.unwrap_or(0),
            load_pending: false,
        };
        if input.rst {
            *self = MixerMachine::new(self.mixer, self.channels);
            return seen;
        }
        let held = self.held;
        if is_free {
            self.held = input.in_valid.then_some(input.in_data);
        }
        if advances {
            self.standing = None;
            if let Some((of, value)) = self.way[STAGES - 2] {
                let sum = if of.is_first { value } else { self.sums[of.word] + value };
                self.sums[of.word] = sum;
                self.standing = of.is_last.then_some(sum);
            }
            self.way.rotate_right(1);
            self.way[0] = held.map(|word| {
                let wave = self.now[product.oscillator];
                let value = word * wave[usize::from(product.is_sine)];
                (product, if product.is_minus { -value } else { value })
            });
            if held.is_some() {
                self.next += 1;
                if self.next == self.products.len() {
                    self.next = 0;
                    self.waves.iter_mut().for_each(Waves::advance);
                    self.now = self.waves.iter().map(Waves::now).collect();
                }
            }
        }
        // A step counts from the clock behind the write on.
        if let Some(Load { address, data }) = input.load.filter(|_| self.mixer.has_loadable_steps())
            && let Some(waves) = self.waves.get_mut(address)
        {
            waves.set_step(data as u32);
        }
        seen
    }
}
