//! From a chain of stages in f64 to the network of integer programs that stands for it.

use super::prune::dropped_bits;
use super::{ImplementError, Implementation, implement};
use crate::datapath::{
    BuildError, Datapath, DatapathError, SumWords, combs, fir_decimator, fir_direct,
    fir_interpolator, integrators, word_change,
};
use crate::effort::Effort;
use crate::filter::{Form, Taps};
use crate::fixed::{
    CoefficientFormat, Overflow, QuantizeError, RoundedTable, WordFormat, round_coefficients,
};
use crate::network::{JointFact, Mixer, MixerError, Mixing, Network, NetworkError, Step};
use crate::rates::{Carrier, CarrierWay, Chain, Comb, RateError, Stage, Wave, scaled};
use crate::spec::{ChainFixed, Fixed, StageFixed, Structure};

/// A chain on integers, beside the one that was designed.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ChainImplementation {
    /// The words that were asked for.
    pub fixed: ChainFixed,
    /// The words of each stage.
    pub stages: Vec<StageWords>,
    /// Those of the mixer, where there is a carrier.
    pub mixer: Option<MixerWords>,
    /// The programs one behind the other.
    pub network: Network,
    /// The chain with these coefficients, in f64.
    pub rounded: Chain,
    /// What the integers multiply by beyond that: 1, or what sums lack where no stage has taps to make it
    /// good.
    pub left_gain: f64,
}

/// The words of a stage on integers.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct StageWords {
    /// What comes in.
    pub input: WordFormat,
    /// What goes out.
    pub output: WordFormat,
    /// Whether its fraction was chosen for the level that is proved.
    pub is_chosen: bool,
    /// The integers of its taps, in one row; of a recursive filter those of [`Implementation::table`].
    pub coefficients: Option<RoundedTable>,
    /// How a recursive filter is arranged.
    pub structure: Option<Structure>,
    /// The words of its integrators and combs, in the order of the signal.
    pub sums: Vec<WordFormat>,
    /// The number of the step that rounds and limits.
    step: usize,
}

/// The words of a mixer.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct MixerWords {
    /// The mixer, which gives exact products.
    pub mixer: Mixer,
    /// What these are brought to.
    pub output: WordFormat,
    /// Whether its fraction was chosen for the level that is proved.
    pub is_chosen: bool,
    /// The number of the step that rounds and limits.
    step: usize,
}

/// Why a chain cannot run on the words that were asked for.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("{}: {error}", place(*number))]
#[non_exhaustive]
pub struct ChainImplementError {
    /// The number of the stage, the first is 1; 0 is the mixer.
    pub number: usize,
    /// What is in the way.
    pub error: StageError,
}

/// What is in the way of a stage.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum StageError {
    /// The coefficients do not fit.
    #[error(transparent)]
    Coefficients(#[from] QuantizeError),
    /// Rounding left nothing of the taps.
    #[error("rounded to {format}, nothing is left of its taps: all of them are 0")]
    NothingLeft {
        /// The format of the coefficients.
        format: WordFormat,
    },
    /// The sections of a recursive filter cannot run on these words.
    #[error(transparent)]
    Sections(#[from] Box<ImplementError>),
    /// A structure of sections, and a stage without any.
    #[error("structure = \"{}\": that is one of sections, and the stage has none", found.facts().name)]
    Structure {
        /// The structure.
        found: Structure,
    },
    /// The program cannot be built.
    #[error(transparent)]
    Build(#[from] BuildError),
    /// The program is none.
    #[error(transparent)]
    Program(#[from] DatapathError),
    /// Integrators and combs that need more bits than there are.
    #[error(
        "its sums need {needed} bits, {growth} more than what comes in; at most 64 are there: a smaller \
         factor or order, or fewer bits in, would do"
    )]
    Sums {
        /// Bits needed.
        needed: u32,
        /// Bits that words grow by.
        growth: u32,
    },
    /// No format has room for the level.
    #[error("what it gives reaches {level:e}, for which no word of {width} bits is there")]
    NoFormat {
        /// The level.
        level: f64,
        /// The width asked for.
        width: u32,
    },
    /// A level beyond the word of a limit that must not act.
    #[error(
        "overflow = \"forbid\": what it gives can reach {low} to {high}, and {format} ends before that; \
         {more} more whole bits would do"
    )]
    CanOverflow {
        /// The lowest value.
        low: f64,
        /// The highest.
        high: f64,
        /// The format.
        format: WordFormat,
        /// Bits missing.
        more: u32,
    },
    /// The programs are no network.
    #[error(transparent)]
    Network(#[from] NetworkError),
    /// There is no such oscillator.
    #[error(transparent)]
    Mixer(#[from] MixerError),
    /// The rounded taps are no chain.
    #[error(transparent)]
    Rate(#[from] RateError),
}

fn place(number: usize) -> String {
    if number == 0 { "the mixer".to_owned() } else { format!("stage {number}") }
}

impl ChainImplementError {
    /// The keys of the spec that this may be about, the most likely first.
    pub fn keys(&self) -> Vec<String> {
        let key = match &self.error {
            StageError::Coefficients(_) | StageError::NothingLeft { .. } => "coefficients",
            StageError::Sums { .. } => "comb",
            StageError::Structure { .. } => "structure",
            StageError::Sections(error) => error.key().rsplit('.').next().unwrap_or("fixed"),
            StageError::NoFormat { .. } | StageError::CanOverflow { .. } => "output",
            _ => "input",
        };
        let number = self.number;
        if number == 0 {
            let own = match &self.error {
                StageError::Mixer(_) => "oscillator",
                StageError::NoFormat { .. } | StageError::CanOverflow { .. } => key,
                _ => "input",
            };
            let keys = [&format!("fixed.{own}"), "change.carrier", "fixed"];
            return keys.map(str::to_owned).to_vec();
        }
        let mut keys = vec![format!("stage.{number}.fixed.{key}"), format!("fixed.{key}")];
        if matches!(self.error, StageError::Sums { .. }) {
            keys = vec![
                format!("stage.{number}.comb"),
                format!("stage.{number}"),
                "change".to_owned(),
            ];
        }
        keys.push("fixed".to_owned());
        keys
    }
}

/// Puts a chain on integers: the taps rounded, a word at every joint, sums as wide as they grow.
///
/// The words between stages are as wide as was asked for, or as the wider of what goes in and what comes out;
/// their fraction is the largest for which it is proved that the level fits. What a power of two leaves of
/// the gain of integrators and combs is made good by the taps behind them, or before them.
///
/// # Errors
/// [`ChainImplementError`] names the stage and what would fit.
///
/// ```
/// use mellow_rake::implementation::implement_chain;
/// use mellow_rake::rates::{Comb, Chain, Stage};
/// use mellow_rake::spec::ChainFixed;
/// use mellow_rake::units::SampleRate;
/// let mean = Stage::comb(1, 4, Comb { order: 2, delay: 1 })?;
/// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), vec![mean])?;
/// let words = implement_chain(&chain, &ChainFixed::new("s16f15".parse()?))?;
/// assert_eq!(words.stages[0].sums[0].to_string(), "s20f19");
/// assert_eq!(words.network.start().run(&[1000; 12]), [625, 1000, 1000]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn implement_chain(
    chain: &Chain,
    fixed: &ChainFixed,
) -> Result<ChainImplementation, ChainImplementError> {
    let (levels, left_gain) = levels(chain);
    let count = chain.stages().len();
    let lanes = chain.lanes_in();
    let mut steps: Vec<Step> = Vec::new();
    let mut stages: Vec<StageWords> = Vec::new();
    let mut rounded = Vec::new();
    let at_mixer = |error: StageError| ChainImplementError { number: 0, error };
    let carrier = chain.carrier();
    let mut mixer = match carrier.filter(|carrier| carrier.way == CarrierWay::Down) {
        None => None,
        Some(carrier) => {
            let asked = between(fixed);
            let made = mixed(carrier, fixed, (lanes, &mut steps), fixed.input, asked);
            Some(made.map_err(at_mixer)?)
        }
    };
    let is_last =
        |index: usize| index + 1 == count && carrier.is_none_or(|one| one.way == CarrierWay::Down);
    for (index, stage) in chain.stages().iter().enumerate() {
        let fail = |error: StageError| ChainImplementError { number: index + 1, error };
        let own = fixed.of_stage(index);
        let entering = mixer.as_ref().map_or(fixed.input, |mixer| mixer.output);
        let input = stages.last().map_or(entering, |before| before.output);
        let taps = match (stage.as_sums(), stage.taps()) {
            (None, Some(taps)) => Some(table(stage, taps, levels[index], own).map_err(fail)?),
            _ => None,
        };
        let recursive = stage.taps().is_none().then(|| scaled(stage.form(), levels[index]));
        if let Some(found) = own.structure.filter(|_| recursive.is_none()) {
            return Err(fail(StageError::Structure { found }));
        }
        let effort = fixed.effort;
        let maker = Maker { stage, own, taps: taps.as_ref(), recursive, input, effort, lanes };
        let asked = match own.output {
            Some(asked) => asked,
            None if is_last(index) => given(fixed.output),
            None => between(fixed),
        };
        let make = |output| maker.make(&steps, output);
        // Words between sections are as wide, and their level is not known before it is tried.
        let tries = if maker.recursive.is_some() { 3 * TRIES } else { TRIES };
        let (made, sums, output) = settle(asked, tries, &make).map_err(fail)?;
        let step =
            steps.len() + made.iter().rposition(|step| matches!(step, Step::Fire(_))).unwrap_or(0);
        steps.extend(made);
        let is_chosen = asked.fraction.is_none();
        let sections = maker.sections(output).map_err(fail)?;
        let form = match (&taps, &sections) {
            (Some(table), _) => Some(Form::from(Taps(table.values(0).collect()))),
            (None, Some(sections)) => Some(sections.rounded.clone()),
            (None, None) => None,
        };
        rounded.push(match form {
            Some(form) => {
                let form = scaled(&form, 1.0 / levels[index]);
                let rounded = Stage::new(stage.up(), stage.down(), form);
                rounded.map_err(|error| fail(error.into()))?
            }
            None => stage.clone(),
        });
        let structure = sections.as_ref().map(|sections| sections.fixed.structure);
        let coefficients = taps.or_else(|| sections.map(|sections| sections.table));
        stages.push(StageWords { input, output, is_chosen, coefficients, structure, sums, step });
    }
    let fail = |error: StageError| ChainImplementError { number: count, error };
    if let Some(carrier) = carrier.filter(|carrier| carrier.way == CarrierWay::Up) {
        let input = stages.last().map_or(fixed.input, |before| before.output);
        let made = mixed(carrier, fixed, (lanes, &mut steps), input, given(fixed.output));
        mixer = Some(made.map_err(at_mixer)?);
    }
    let network = Network::of_lanes(lanes, steps).map_err(|error| fail(error.into()))?;
    let of_stage = |(index, stage): (usize, &StageWords)| {
        (index + 1, stage.step, fixed.of_stage(index).overflow)
    };
    let of_mixer = mixer.iter().map(|mixer| (0, mixer.step, fixed.usual.overflow));
    for (number, step, overflow) in of_mixer.chain(stages.iter().enumerate().map(of_stage)) {
        let joint = network.joints().iter().find(|joint| joint.step == step);
        let forbids = overflow == Overflow::Forbid;
        if let Some(joint) = joint.filter(|joint| forbids && !joint.fits) {
            let (low, high, format) = (joint.low, joint.high, joint.format);
            let most = format.maximum() as f64 * format.step();
            let more = libm::ceil(libm::log2(high.max(-low) / most)).max(1.0) as u32;
            let error = StageError::CanOverflow { low, high, format, more };
            return Err(ChainImplementError { number, error });
        }
    }
    let rounded = Chain::new(chain.input_rate(), rounded).map_err(|error| fail(error.into()))?;
    let rounded = match (carrier, &mixer) {
        (Some(carrier), Some(words)) => {
            let values = words.mixer.oscillators().iter().cloned().map(Wave::Values);
            rounded.around(Carrier { way: carrier.way, waves: values.collect() })
        }
        _ if chain.is_complex() => rounded.of_complex(),
        _ => rounded,
    };
    let rounded = rounded.of_channels(chain.channels());
    Ok(ChainImplementation { fixed: fixed.clone(), stages, mixer, network, rounded, left_gain })
}

/// A word that is given.
fn given(format: WordFormat) -> CoefficientFormat {
    CoefficientFormat {
        signed: format.is_signed(),
        width: format.width(),
        fraction: Some(format.fraction()),
    }
}

/// The word between two stages of which nothing is said.
fn between(fixed: &ChainFixed) -> CoefficientFormat {
    let width = fixed.input.width().max(fixed.output.width());
    fixed.between.unwrap_or(CoefficientFormat { signed: true, width, fraction: None })
}

/// The steps of a mixer behind others, and what rounds its products.
fn mixed(
    carrier: &Carrier,
    fixed: &ChainFixed,
    (lanes, steps): (usize, &mut Vec<Step>),
    input: WordFormat,
    asked: CoefficientFormat,
) -> Result<MixerWords, StageError> {
    let turns = carrier.waves.iter().map(|wave| match wave {
        Wave::Turns(turns) => *turns,
        Wave::Meant(oscillator) | Wave::Values(oscillator) => oscillator.turns(),
    });
    let turns: Vec<f64> = turns.collect();
    let words = fixed.oscillator.words_of(&turns);
    let mixing = match carrier.way {
        CarrierWay::Down => Mixing::RealToComplex,
        CarrierWay::Up => Mixing::ComplexToReal,
    };
    let mixer = Mixer::several(words, &turns, mixing, input)?;
    let mixer = match fixed.oscillator.loads_steps {
        true => mixer.with_loadable_steps(),
        false => mixer,
    };
    let StageFixed { rounding, overflow, .. } = fixed.usual;
    let before: &[Step] = steps;
    let make = |output: WordFormat| {
        let change = word_change(mixer.output(), output, rounding, held(overflow));
        let change = Step::fire(change.check_within(fixed.effort)?);
        let made = vec![Step::mix(mixer.clone()), change];
        let all = before.iter().chain(&made).cloned().collect();
        let joint = Network::of_lanes(lanes, all)?.joints().last().copied();
        Ok((made, Vec::new(), joint.ok_or(NetworkError::NoProgram)?))
    };
    let (made, _, output) = settle(asked, TRIES, &make)?;
    steps.extend(made);
    let (step, is_chosen) = (steps.len() - 1, asked.fraction.is_none());
    Ok(MixerWords { mixer, output, is_chosen, step })
}

/// A limit that must not act is proved over the whole network, and saturates until then.
fn held(overflow: Overflow) -> Overflow {
    match overflow {
        Overflow::Forbid => Overflow::Saturate,
        other => other,
    }
}

/// How often a word with another whole bit is tried, behind the one that the level tells.
const TRIES: usize = 3;

/// What is made for a word: steps, the words of sums, and the level of what goes out.
type Making<'a> =
    &'a dyn Fn(WordFormat) -> Result<(Vec<Step>, Vec<WordFormat>, JointFact), StageError>;

/// The steps with a word that is given or that has room for the level.
fn settle(asked: CoefficientFormat, tries: usize, make: Making<'_>) -> Result<Made, StageError> {
    let CoefficientFormat { signed, width, fraction } = asked;
    let format = |fraction: i32, level: f64| {
        WordFormat::new(signed, width, fraction).map_err(|_| StageError::NoFormat { level, width })
    };
    if let Some(fraction) = fraction {
        let output = format(fraction, 0.0)?;
        let (steps, sums, _) = make(output)?;
        return Ok((steps, sums, output));
    }
    // A level hardly depends on the word that it is rounded to; a second look may need one bit more.
    let most = width as i32 - i32::from(signed);
    let mut output = format(most, 0.0)?;
    let (steps, sums, joint) = make(output)?;
    let mut level = joint.high.max(-joint.low);
    let mut whole = libm::ceil(libm::log2(level.max(f64::MIN_POSITIVE))) as i32;
    if whole >= 0 && joint.fits {
        return Ok((steps, sums, output));
    }
    // What is above a power of two by roundings alone may still fit.
    if level < 1.01 * libm::scalbn(1.0, whole - 1) {
        whole -= 1;
    }
    // Limits between sections may need more room; where none that is tried is enough, they act.
    let mut held = None;
    for _ in 0..tries {
        output = format(most - whole, level)?;
        let (steps, sums, joint) = make(output)?;
        if joint.fits {
            return Ok((steps, sums, output));
        }
        (level, whole) = (joint.high.max(-joint.low), whole + 1);
        if held.is_none() && level <= output.maximum() as f64 * output.step() {
            held = Some((steps, sums, output));
        }
    }
    held.ok_or(StageError::NoFormat { level, width })
}

impl ChainImplementation {
    /// The level of what a stage gives, the first has number 0; `None` where there is no such stage.
    pub fn joint(&self, stage: usize) -> Option<JointFact> {
        let step = self.stages.get(stage)?.step;
        self.network.joints().iter().find(|joint| joint.step == step).copied()
    }

    /// The level of what the mixer gives; `None` where there is none.
    pub fn mixer_joint(&self) -> Option<JointFact> {
        let step = self.mixer.as_ref()?.step;
        self.network.joints().iter().find(|joint| joint.step == step).copied()
    }
}

/// By what the taps of each stage are multiplied to make good what sums lack, and what nobody makes good.
fn levels(chain: &Chain) -> (Vec<f64>, f64) {
    let stages = chain.stages();
    let (mut levels, mut left) = (vec![1.0; stages.len()], 1.0);
    for (index, stage) in stages.iter().enumerate() {
        let Some(comb) = stage.as_sums() else { continue };
        let (up, down) = (stage.up(), stage.down());
        let gain = comb.sums_gain(up, down) as f64;
        let part = gain / libm::scalbn(1.0, comb.sums_growth_bits(up, down) as i32);
        let has_taps = |index: &usize| stages[*index].as_sums().is_none();
        let behind = (index + 1..stages.len()).find(has_taps);
        match behind.or_else(|| (0..index).rev().find(has_taps)) {
            Some(partner) => levels[partner] /= part,
            None => left *= part,
        }
    }
    (levels, left)
}

/// The integers of the taps of a stage; of fewer taps than its factor, zeros fill up.
fn table(
    stage: &Stage,
    taps: &Taps,
    level: f64,
    own: StageFixed,
) -> Result<RoundedTable, StageError> {
    let mut taps: Vec<f64> = taps.0.iter().map(|tap| tap * level).collect();
    taps.resize(taps.len().max(stage.up()).max(stage.down()), 0.0);
    let table = round_coefficients(&[taps], own.coefficients)?;
    match table.rows[0].iter().all(|tap| *tap == 0) {
        true => Err(StageError::NothingLeft { format: table.format }),
        false => Ok(table),
    }
}

/// What makes the steps of one stage.
struct Maker<'a> {
    stage: &'a Stage,
    own: StageFixed,
    taps: Option<&'a RoundedTable>,
    /// Its sections, where it has some.
    recursive: Option<Form>,
    input: WordFormat,
    effort: Effort,
    /// Words side by side in what goes into the chain.
    lanes: usize,
}

/// Steps, the words of sums, and what goes out.
type Made = (Vec<Step>, Vec<WordFormat>, WordFormat);

impl Maker<'_> {
    /// The steps with a word for what goes out, and the level there.
    fn make(
        &self,
        before: &[Step],
        output: WordFormat,
    ) -> Result<(Vec<Step>, Vec<WordFormat>, JointFact), StageError> {
        let mut extra = 0;
        loop {
            let (made, sums) = match (self.taps, self.stage.as_sums()) {
                (Some(taps), _) => (self.taps_steps(taps, output)?, Vec::new()),
                (None, Some(comb)) => self.sums_steps(comb, output, extra)?,
                (None, None) => (self.recursive_steps(output)?, Vec::new()),
            };
            let all = before.iter().chain(&made).cloned().collect();
            match Network::of_lanes(self.lanes, all) {
                Ok(network) => {
                    let joint = network.joints().last().copied();
                    return match joint {
                        Some(joint) => Ok((made, sums, joint)),
                        None => Err(NetworkError::NoProgram.into()),
                    };
                }
                // Bits that are dropped on the way may need room of their own.
                Err(NetworkError::Sum { more, .. }) if extra < 3 => extra += more,
                Err(error) => return Err(error.into()),
            }
        }
    }

    fn fire(&self, program: Result<Datapath, BuildError>) -> Result<Step, StageError> {
        Ok(Step::fire(program?.check_within(self.effort)?))
    }

    /// The sections on integers, where there are some.
    fn sections(&self, output: WordFormat) -> Result<Option<Implementation>, StageError> {
        let Some(form) = &self.recursive else { return Ok(None) };
        let StageFixed { coefficients, rounding, overflow, .. } = self.own;
        let usual = Fixed::new(self.own.structure.unwrap_or(Structure::DirectForm1), self.input);
        let effort = self.effort;
        let fixed = Fixed { output, coefficients, rounding, overflow, effort, ..usual };
        Ok(Some(implement(form, fixed).map_err(Box::new)?))
    }

    /// All samples of the rate in between are made, and those kept that are wanted.
    fn recursive_steps(&self, output: WordFormat) -> Result<Vec<Step>, StageError> {
        let sections = self.sections(output)?.ok_or(NetworkError::NoProgram)?;
        let (up, down) = (self.stage.up(), self.stage.down());
        let fill = (up > 1).then_some(Step::Fill(up));
        let keep = (down > 1).then_some(Step::Keep(down));
        Ok(fill.into_iter().chain([Step::fire(sections.checked)]).chain(keep).collect())
    }

    fn taps_steps(
        &self,
        table: &RoundedTable,
        output: WordFormat,
    ) -> Result<Vec<Step>, StageError> {
        let (input, rounding, overflow) = (self.input, self.own.rounding, held(self.own.overflow));
        let (up, down) = (self.stage.up(), self.stage.down());
        let program = match (up, down) {
            (1, 1) => fir_direct(table, input, output, rounding, overflow),
            (1, down) => fir_decimator(table, down, input, output, rounding, overflow),
            (up, _) => fir_interpolator(table, up, input, output, rounding, overflow),
        };
        let keep = (up > 1 && down > 1).then_some(Step::Keep(down));
        Ok(std::iter::once(self.fire(program)?).chain(keep).collect())
    }

    fn sums_steps(
        &self,
        comb: Comb,
        output: WordFormat,
        extra: u32,
    ) -> Result<(Vec<Step>, Vec<WordFormat>), StageError> {
        let (up, down) = (self.stage.up(), self.stage.down());
        let growth = comb.sums_growth_bits(up, down);
        let (input, shift) = (self.input, growth as i32);
        let needed = input.width() + u32::from(!input.is_signed()) + growth + extra;
        let fraction = input.fraction() + shift;
        let dropped = match self.own.prune && up == 1 {
            true => dropped_bits(comb, down, fraction - output.fraction(), needed),
            false => vec![0; 2 * comb.order],
        };
        let word = |dropped: &u32| {
            WordFormat::new(true, needed - dropped, fraction - *dropped as i32)
                .map_err(|_| StageError::Sums { needed, growth })
        };
        let all = dropped.iter().map(word).collect::<Result<Vec<_>, _>>()?;
        let (first, second) = all.split_at(comb.order);
        let first =
            SumWords { input, binary_point_shift: shift, sums: first.to_vec(), output: None };
        let second = SumWords {
            input: first.sums[comb.order - 1],
            binary_point_shift: 0,
            sums: second.to_vec(),
            output: Some((output, self.own.rounding, held(self.own.overflow))),
        };
        let steps = match up > 1 {
            false => vec![
                self.fire(integrators(&first))?,
                Step::Keep(down),
                self.fire(combs(&second, comb.delay))?,
            ],
            true => vec![
                self.fire(combs(&first, comb.delay))?,
                Step::Fill(up),
                self.fire(integrators(&second))?,
            ],
        };
        Ok((steps, all))
    }
}
