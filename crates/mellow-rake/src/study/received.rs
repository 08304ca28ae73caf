//! What a filter does to the symbols of a modulated signal.

use super::adjacent::{Reading, beside};
use super::{Adjacent, ChainStudy, Study};
use crate::rates::CarrierWay;
use crate::signal::{
    CarrierError, KeyedCarrier, MaskMargin, Part, SignalPlan, VectorError, Waveform, compared,
    delay_between, measure_vector_error, measure_vector_error_at,
};
use crate::units::SampleRate;
use num_complex::Complex64;

/// Error vectors before and behind a filter.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Received {
    /// The name of the spec.
    pub name: String,
    /// That of the signal.
    pub signal: String,
    /// What it went through.
    pub behind: &'static str,
    /// Samples received.
    pub samples: usize,
    /// Symbols compared.
    pub symbols: usize,
    /// By how many samples that come out it delays them.
    pub delay_samples: f64,
    /// By how many hertz what comes out was moved down, where that is complex; else null.
    pub moved_hz: Option<f64>,
    /// The errors before the filter.
    pub before: ErrorRecord,
    /// Those behind it in floating point, where `after` are those behind integers.
    pub designed: Option<ErrorRecord>,
    /// Those behind it.
    pub after: ErrorRecord,
    /// What is expected behind integers, in decibels: the error in floating point with the noise that is
    /// predicted of the roundings, taken for white.
    pub predicted_db: Option<f64>,
    /// Each carrier by itself.
    pub carriers: Vec<CarrierError>,
    /// What is allowed, in decibels.
    pub error_limit_db: Option<f64>,
    /// The channels beside that of the symbols.
    pub adjacent: Adjacent,
    /// How the spectrum stands to a mask.
    pub mask: Option<MaskMargin>,
    /// Whether all that is allowed is kept.
    pub held: bool,
    /// The symbols received, each over the gain of its carrier.
    pub received: Vec<[f64; 2]>,
    /// Those that were sent.
    pub sent: Vec<[f64; 2]>,
    /// All that was measured before and behind the filter.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub errors: [VectorError; 2],
}

/// Error vectors as figures.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ErrorRecord {
    /// The root of the mean square, as a ratio.
    pub rms: f64,
    /// The same in decibels.
    pub rms_db: f64,
    /// The largest.
    pub largest: f64,
    /// With each carrier equalized by itself.
    pub equalized_rms: f64,
}

impl ErrorRecord {
    fn of(error: &VectorError) -> Self {
        let VectorError { rms, largest, equalized_rms, .. } = *error;
        ErrorRecord { rms, rms_db: 20.0 * libm::log10(rms), largest, equalized_rms }
    }
}

/// Why there are no symbols.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum NotReceived {
    /// The signal has another rate than the filter.
    #[error("the plan has {plan_hz} samples per second, the spec {spec_hz}")]
    Rate {
        /// That of the plan, in hertz.
        plan_hz: f64,
        /// That of the spec.
        spec_hz: f64,
    },
    /// The signal has none.
    #[error("no part has symbols; kind = \"keyed\" and kind = \"multicarrier\" have")]
    NoSymbols,
    /// They lie beyond what comes out of a chain.
    #[error(
        "its symbols reach up to {highest_hz} Hz, and what comes out has {nyquist_hz} Hz at the most; a \
         carrier that is nearer would do"
    )]
    Beyond {
        /// Up to where they reach, in hertz.
        highest_hz: f64,
        /// Half of the rate that comes out.
        nyquist_hz: f64,
    },
    /// Carriers that cannot be told apart at the rate that comes out.
    #[error(
        "its carriers are told apart over whole samples, and their spacing is no whole part of the \
         {output_hz} Hz that come out"
    )]
    Spacing {
        /// The rate that comes out, in hertz.
        output_hz: f64,
    },
    /// Complex samples or several channels go in, and a plan makes one of real samples.
    #[error(
        "complex samples or several channels go into this chain; a plan makes one channel of real samples"
    )]
    Complex,
    /// The samples that go into a chain that puts them on a carrier are no symbols of the part.
    #[error(
        "{input_hz} samples per second go into this chain, and these are symbols of a part with kind = \
         \"keyed\", symbol_rate = \"{input_hz} Hz\" and carrier = {} only",
        any_of(carriers_hz)
    )]
    Symbols {
        /// The rate of what goes in.
        input_hz: f64,
        /// The carriers that it is put on.
        carriers_hz: Vec<f64>,
    },
    /// What is allowed of channels beside that of the symbols, and none lies in what comes out.
    #[error(
        "no channel of {width_hz} Hz whose middle is {spacing_hz} Hz from that of the symbols lies below the \
         {nyquist_hz} Hz that come out, with enough samples to tell it; one that is nearer, or a longer \
         signal, would do"
    )]
    NoneBeside {
        /// How wide a channel is, in hertz.
        width_hz: f64,
        /// How far the next is, in hertz.
        spacing_hz: f64,
        /// Half of the rate that comes out.
        nyquist_hz: f64,
    },
    /// A part that was asked for and has none.
    #[error("part {number} has no symbols; of {count} parts these have some: {those}")]
    Part {
        /// Its number, the first is 1.
        number: usize,
        /// How many parts there are.
        count: usize,
        /// The numbers of those that have some, or `none`.
        those: String,
    },
    /// None arrived.
    #[error("no symbols were received")]
    Nothing,
}

/// What went through a filter or a chain, and what came of it. Of complex samples the parts stand side by
/// side.
#[derive(Debug, Clone, Copy)]
pub struct Passed<'a> {
    /// What went in.
    pub input: &'a [f64],
    /// What came out.
    pub output: &'a [f64],
    /// What came out of it in floating point, where `output` came out of integers.
    pub designed: Option<&'a [f64]>,
    /// What it went through.
    pub behind: &'static str,
    /// The number of the part whose symbols are received, the first is 1; without it the first with symbols.
    pub part: Option<usize>,
}

/// What is allowed.
#[derive(Debug, Clone, Copy, Default)]
pub struct ErrorLimits {
    /// The largest error vector, root of the mean square, in decibels.
    pub error_db: Option<f64>,
    /// The highest level of a channel beside that of the symbols over it, in decibels.
    pub adjacent_db: Option<f64>,
    /// How far the middles of channels are apart, in hertz; without it as far as the symbols' band is wide.
    pub spacing_hz: Option<f64>,
    /// How the spectrum stands to a mask.
    pub mask: Option<MaskMargin>,
}

impl Study {
    /// The part of a plan that has symbols: that with a number, the first is 1, or the first that has some.
    ///
    /// # Errors
    /// [`NotReceived`] where none has, or the plan has another sample rate than the spec.
    pub fn part_with_symbols<'a>(
        &self,
        plan: &'a SignalPlan,
        number: Option<usize>,
    ) -> Result<&'a Part, NotReceived> {
        with_symbols(plan, number, self.spec.sample_rate)
    }

    /// The symbols of a signal before and behind a filter.
    ///
    /// # Errors
    /// [`NotReceived`] where there are no symbols.
    pub fn received(
        &self,
        plan: &SignalPlan,
        passed: Passed<'_>,
        limits: ErrorLimits,
    ) -> Result<Received, NotReceived> {
        let (part, rate) = (self.part_with_symbols(plan, passed.part)?, self.spec.sample_rate);
        let delay = delay_between(passed.input, passed.output) as f64;
        let names = [self.spec.name.to_string(), plan.name.to_string()];
        received(names, part, passed, limits, (delay, [rate, rate], None), None)
    }
}

impl ChainStudy {
    /// The part of a plan that has symbols, if they come out: that with a number, the first is 1, or the
    /// first that has some.
    ///
    /// # Errors
    /// [`NotReceived`] where none has, the plan has another sample rate than the spec, or they do not come
    /// out.
    pub fn part_with_symbols<'a>(
        &self,
        plan: &'a SignalPlan,
        number: Option<usize>,
    ) -> Result<&'a Part, NotReceived> {
        if self.puts_on_carrier() {
            let part = with_symbols(plan, number, self.chain().output_rate())?;
            return self.keyed(part).map(|_| part);
        }
        let part = with_symbols(plan, number, self.spec.sample_rate)?;
        if self.chain().lanes_in() > 1 {
            return Err(NotReceived::Complex);
        }
        let output = self.chain().output_rate();
        let highest_hz = part.reach_hertz_from(self.moved_hz(part)).unwrap_or(0.0);
        let nyquist_hz = output.nyquist();
        if highest_hz >= nyquist_hz {
            return Err(NotReceived::Beyond { highest_hz, nyquist_hz });
        }
        match part.is_told_apart_at(output) {
            true => Ok(part),
            false => Err(NotReceived::Spacing { output_hz: output.hertz() }),
        }
    }

    /// The symbols of a signal before and behind a chain, at the rate that comes out.
    ///
    /// # Errors
    /// [`NotReceived`] where there are no symbols.
    pub fn received(
        &self,
        plan: &SignalPlan,
        passed: Passed<'_>,
        limits: ErrorLimits,
    ) -> Result<Received, NotReceived> {
        let part = self.part_with_symbols(plan, passed.part)?;
        let chain = self.chain();
        if self.puts_on_carrier() {
            return self.received_from_carrier(plan, part, passed, limits);
        }
        let rates = [chain.input_rate(), chain.output_rate()];
        let first = chain.first_output_seconds();
        let delay = (self.delay_at(part) - first) * rates[1].hertz();
        let noise = self.integers().and_then(|(found, _)| found.network.noise().ok());
        let variance = noise.filter(|_| passed.designed.is_some()).map(|noise| noise.variance);
        let names = [self.spec.name.to_string(), plan.name.to_string()];
        let moved = (self.chain().lanes_out() > 1).then(|| self.moved_hz(part));
        let output = self.own(part, passed.output);
        let designed = passed.designed.map(|designed| self.own(part, designed));
        let passed = Passed { output: &output, designed: designed.as_deref(), ..passed };
        received(names, part, passed, limits, (delay, rates, moved), variance)
    }

    /// Whether complex samples go in, and come out on a carrier.
    fn puts_on_carrier(&self) -> bool {
        self.chain().carrier().is_some_and(|carrier| carrier.way == CarrierWay::Up)
    }

    /// What comes out of a chain on the carrier that is nearest to the part of a plan with symbols, of
    /// several that a signal is split at; all that comes out of any other chain.
    ///
    /// # Errors
    /// As of [`part_with_symbols`](ChainStudy::part_with_symbols).
    pub fn of_part(
        &self,
        plan: &SignalPlan,
        number: Option<usize>,
        output: &[f64],
    ) -> Result<Vec<f64>, NotReceived> {
        Ok(self.own(self.part_with_symbols(plan, number)?, output))
    }

    /// The same of a part.
    fn own(&self, part: &Part, output: &[f64]) -> Vec<f64> {
        let carriers = self.spec.change.carriers_hz.len();
        if self.puts_on_carrier() || carriers < 2 {
            return output.to_vec();
        }
        let first = 2 * self.nearest(part);
        output
            .chunks_exact(2 * carriers)
            .flat_map(|words| &words[first..first + 2])
            .copied()
            .collect()
    }

    /// The number of the carrier that is nearest to a part.
    fn nearest(&self, part: &Part) -> usize {
        let middle = part.middle_hertz().unwrap_or(0.0);
        let away = |hertz: &f64| libm::fabs(hertz - middle);
        let carriers = self.spec.change.carriers_hz.iter().enumerate();
        carriers.min_by(|one, other| away(one.1).total_cmp(&away(other.1))).map_or(0, |(at, _)| at)
    }

    /// The symbols of a part, if they are what goes in, a complex sample for each, and the number of the
    /// carrier that they are put on.
    fn keyed<'a>(&self, part: &'a Part) -> Result<(&'a KeyedCarrier, usize), NotReceived> {
        let input_hz = self.chain().input_rate().hertz();
        let carriers = &self.spec.change.carriers_hz;
        if let Waveform::Keyed(keyed) = &part.waveform
            && keyed.symbol_rate == input_hz
            && let Some(place) = carriers.iter().position(|hertz| *hertz == keyed.carrier_hertz)
        {
            return Ok((keyed, place));
        }
        Err(NotReceived::Symbols { input_hz, carriers_hz: carriers.clone() })
    }

    /// What goes into a chain that puts the symbols of a plan on their carriers: each as a complex sample,
    /// the same in every channel, and zeros until the last is through; zeros on a carrier that no part has.
    /// `None` of other chains.
    ///
    /// # Errors
    /// As of [`part_with_symbols`](ChainStudy::part_with_symbols).
    pub fn symbols_in(&self, plan: &SignalPlan) -> Result<Option<Vec<f64>>, NotReceived> {
        if !self.puts_on_carrier() {
            return Ok(None);
        }
        self.part_with_symbols(plan, None)?;
        let mut of_carriers = vec![Vec::new(); self.spec.change.carriers_hz.len()];
        for part in &plan.parts {
            let Ok((keyed, place)) = self.keyed(part) else { continue };
            let symbols = keyed.symbols(part.stop - part.start, self.chain().output_rate());
            let delay = self.delay_at(part) * keyed.symbol_rate;
            let more = 2 * keyed.span as usize + libm::ceil(delay) as usize;
            let level = keyed.rms * std::f64::consts::SQRT_2;
            let zeros = std::iter::repeat_n(Complex64::default(), more);
            let all = symbols.into_iter().map(|symbol| level * symbol).chain(zeros);
            // Two parts on one carrier, one behind the other or at once, are what the plan adds.
            let own: &mut Vec<Complex64> = &mut of_carriers[place];
            for (place, sample) in all.enumerate() {
                match own.get_mut(place) {
                    Some(sum) => *sum += sample,
                    None => own.push(sample),
                }
            }
        }
        let longest = of_carriers.iter().map(Vec::len).max().unwrap_or(0);
        let words = |place: usize| -> Vec<f64> {
            let sample = |own: &Vec<Complex64>| own.get(place).copied().unwrap_or_default();
            let all = of_carriers.iter().map(sample);
            let words: Vec<f64> = all.flat_map(|sample| [sample.re, sample.im]).collect();
            words.repeat(self.chain().channels())
        };
        Ok(Some((0..longest).flat_map(words).collect()))
    }

    /// The symbols that went in as complex samples, and those on the carrier of the first channel.
    fn received_from_carrier(
        &self,
        plan: &SignalPlan,
        part: &Part,
        passed: Passed<'_>,
        limits: ErrorLimits,
    ) -> Result<Received, NotReceived> {
        let (chain, (keyed, place)) = (self.chain(), self.keyed(part)?);
        let rate = chain.output_rate();
        let part = Part { start: 0, stop: part.stop - part.start, ..part.clone() };
        let sent = keyed.symbols(part.stop, rate);
        let own = passed.input.chunks_exact(chain.lanes_in()).take(sent.len());
        let words: Vec<Complex64> =
            own.map(|words| Complex64::new(words[2 * place], words[2 * place + 1])).collect();
        let before = compared(words, sent, &[keyed.carrier_hertz], 0.0);
        let before = before.ok_or(NotReceived::Nothing)?;
        // A receiver takes the first symbol for later by half of its pulse.
        let per_symbol = rate.hertz() / keyed.symbol_rate;
        let late = self.delay_at(&part) * rate.hertz();
        let delay = late - f64::from(keyed.span) * per_symbol;
        let behind = |output: &[f64]| {
            let own: Vec<f64> = output.iter().step_by(chain.channels()).copied().collect();
            let found = measure_vector_error_at(&part, &own, delay, ([rate, rate], 0.0))?;
            Some(VectorError { delay_samples: found.delay_samples - delay + late, ..found })
        };
        let noise = self.integers().and_then(|(found, _)| found.network.noise().ok());
        let variance = noise.filter(|_| passed.designed.is_some()).map(|noise| noise.variance);
        let names = [self.spec.name.to_string(), plan.name.to_string()];
        // The symbols themselves have no spectrum.
        let words = chain.channels();
        let readings = (None, Reading { rate, words, moved: None });
        let found = Found { before, behind: &behind, readings };
        told(names, &part, passed, limits, found, variance)
    }

    /// By how many hertz what comes out of a part was moved down.
    fn moved_hz(&self, part: &Part) -> f64 {
        match self.spec.change.carriers_hz.get(self.nearest(part)) {
            Some(hertz) if self.chain().lanes_out() > 1 => *hertz,
            _ => 0.0,
        }
    }

    /// The delay in seconds where the symbols of a part are: of linear phase the same everywhere, else the
    /// slope of the phase.
    fn delay_at(&self, part: &Part) -> f64 {
        let chain = self.chain();
        chain.delay_seconds().unwrap_or_else(|| {
            let middle = part.middle_hertz().unwrap_or(0.0) - self.moved_hz(part);
            let width = part.noise_bandwidth_hertz().unwrap_or(0.0);
            let step = (width / 32.0).max(middle.abs() * 1e-6);
            let [low, high] = [middle - step, middle + step].map(|f| chain.direct_response(f));
            let turned = high * low.conj();
            -libm::atan2(turned.im, turned.re) / (2.0 * step * std::f64::consts::TAU)
        })
    }
}

/// The part of a plan of this rate that has symbols, by its number or the first.
fn with_symbols(
    plan: &SignalPlan,
    number: Option<usize>,
    rate: SampleRate,
) -> Result<&Part, NotReceived> {
    let (plan_hz, spec_hz) = (plan.sample_rate.hertz(), rate.hertz());
    if plan_hz != spec_hz {
        return Err(NotReceived::Rate { plan_hz, spec_hz });
    }
    let is_keyed =
        |part: &&Part| matches!(part.waveform, Waveform::Keyed(_) | Waveform::Multicarrier(_));
    let Some(number) = number else {
        return plan.parts.iter().find(is_keyed).ok_or(NotReceived::NoSymbols);
    };
    let found = number.checked_sub(1).and_then(|place| plan.parts.get(place)).filter(is_keyed);
    found.ok_or_else(|| {
        let all = plan.parts.iter().enumerate().filter(|(_, part)| is_keyed(part));
        let those: Vec<String> = all.map(|(place, _)| (place + 1).to_string()).collect();
        let those = if those.is_empty() { "none".to_owned() } else { those.join(", ") };
        NotReceived::Part { number, count: plan.parts.len(), those }
    })
}

/// Carriers, one of which is wanted.
fn any_of(carriers_hz: &[f64]) -> String {
    let all: Vec<String> = carriers_hz.iter().map(|hertz| format!("\"{hertz} Hz\"")).collect();
    all.join(" or ")
}

/// Symbols before and behind something that is late by about so many of the samples that come out, which have
/// the second rate. `noise` is the variance that roundings are expected to add.
fn received(
    [name, signal]: [String; 2],
    part: &Part,
    passed: Passed<'_>,
    limits: ErrorLimits,
    (delay, rates, moved): (f64, [SampleRate; 2], Option<f64>),
    noise: Option<f64>,
) -> Result<Received, NotReceived> {
    let before = measure_vector_error(part, passed.input, 0, rates[0]);
    let before = before.ok_or(NotReceived::Nothing)?;
    // The delay of what went in counts in samples of the other rate.
    let early = before.delay_samples * (rates[1].hertz() / rates[0].hertz());
    let behind = |output: &[f64]| {
        let found = match moved {
            None => measure_vector_error_at(part, output, delay, (rates, 0.0)),
            Some(moved) => {
                let pairs = output.chunks_exact(2).map(|pair| Complex64::new(pair[0], pair[1]));
                let samples: Vec<Complex64> = pairs.collect();
                measure_vector_error_at(part, &samples, delay, (rates, moved))
            }
        }?;
        Some(VectorError { delay_samples: found.delay_samples - early, ..found })
    };
    let readings = (
        Some(Reading { rate: rates[0], words: 1, moved: None }),
        Reading { rate: rates[1], words: if moved.is_some() { 2 } else { 1 }, moved },
    );
    let found = Found { before, behind: &behind, readings };
    told([name, signal], part, passed, limits, found, noise)
}

/// How symbols are received.
struct Found<'a> {
    before: VectorError,
    /// What is found in what came out, with the delay that it has.
    behind: &'a dyn Fn(&[f64]) -> Option<VectorError>,
    /// How what went in is read, where that is a signal, and what came out.
    readings: (Option<Reading>, Reading),
}

/// What is said of symbols.
fn told(
    [name, signal]: [String; 2],
    part: &Part,
    passed: Passed<'_>,
    limits: ErrorLimits,
    Found { before, behind, readings }: Found<'_>,
    noise: Option<f64>,
) -> Result<Received, NotReceived> {
    let Reading { rate, moved, .. } = readings.1;
    let after = behind(passed.output).ok_or(NotReceived::Nothing)?;
    let designed = passed.designed.and_then(behind);
    let error = ErrorRecord::of(&after);
    let predicted_db = noise.zip(designed.as_ref()).and_then(|(variance, designed)| {
        let gains = designed.carriers.iter().map(|one| libm::pow(10.0, one.gain_db / 10.0));
        let gain = gains.sum::<f64>() / designed.carriers.len() as f64;
        let rms = part.symbols_rms()?;
        let signal = rms * rms * gain;
        // White noise lies evenly from zero to half of the rate; of complex samples both parts have as much,
        // over twice the band, and their signal has half of the power of the real one.
        let share = part.noise_bandwidth_hertz()? / rate.nyquist();
        let share = if moved.is_some() { 2.0 * share } else { share };
        Some(10.0 * libm::log10(designed.rms * designed.rms + variance * share / signal))
    });
    let pairs = |all: &[Complex64]| all.iter().map(|z| [z.re, z.im]).collect();
    let adjacent = beside(part, passed, limits, readings.0, readings.1)?;
    let ErrorLimits { error_db, mask, .. } = limits;
    let delay_samples = after.delay_samples;
    Ok(Received {
        name,
        signal,
        behind: passed.behind,
        samples: passed.output.len() / if moved.is_some() { 2 } else { 1 },
        symbols: after.symbols,
        delay_samples,
        moved_hz: moved,
        before: ErrorRecord::of(&before),
        designed: designed.as_ref().map(ErrorRecord::of),
        after: error,
        predicted_db,
        carriers: after.carriers.clone(),
        error_limit_db: error_db,
        mask,
        held: error_db.is_none_or(|limit| error.rms_db <= limit)
            && adjacent.is_held()
            && mask.is_none_or(|margin| margin.above == 0),
        adjacent,
        received: pairs(&after.received),
        sent: pairs(&after.sent),
        errors: [before, after],
    })
}
