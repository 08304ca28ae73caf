//! The linear reading of steps: what each makes of the words before it, and where errors come in.

use super::group::group;
use super::{Mixer, NetworkError, Step};
use crate::datapath::{Bounds, Checked, Node, NotPredicted, Operation, RoundingSource};
use crate::filter::PeakGain;
use crate::fixed::WordFormat;

/// One step, or a group of steps that is finite only as a whole, as a linear firing.
#[derive(Debug, Clone)]
pub(super) struct Block {
    /// The number of its last step.
    pub(super) step: usize,
    pub(super) takes: usize,
    pub(super) gives: usize,
    /// From each word that goes in to each that comes out: `responses[out][in][firings before]`.
    pub(super) responses: Vec<Vec<Vec<f64>>>,
    /// What the l1 norms of these may be off, each output taken by itself.
    pub(super) slack: f64,
    /// Where errors come in; or why their noise is not predicted.
    pub(super) sources: Vec<Source>,
    pub(super) not_predicted: Option<NotPredicted>,
    /// Whether some of them follow the signs of words.
    pub(super) follows_signs: bool,
    /// The format of what goes out.
    pub(super) output: WordFormat,
    /// Whether what goes out was rounded and limited here.
    pub(super) limits: bool,
    /// A program with limits of its own inside, or whose last one acts on what it remembers.
    pub(super) inner: Option<Box<Checked>>,
    /// The mixer that it is: then nothing else of it is a linear firing.
    pub(super) mixer: Option<Mixer>,
}

/// Errors that come in at each firing.
#[derive(Debug, Clone)]
pub(super) struct Source {
    /// For each time of a firing at which one comes in, what it is in the words that go out, from the first
    /// word of that firing on.
    pub(super) phases: Vec<Vec<f64>>,
    pub(super) low: f64,
    pub(super) high: f64,
    pub(super) mean: f64,
    pub(super) variance: f64,
}

impl Source {
    /// An error that comes in at one of the words of a firing as it goes out: what it is in these.
    pub(super) fn at_output(out: usize) -> Vec<f64> {
        let mut words = vec![0.0; out + 1];
        words[out] = 1.0;
        words
    }
}

/// A value on its way, and the sum of the sizes of what it is made of.
pub(super) type Sized = [f64; 2];

impl Block {
    /// Some words at their places among all, as the words that they become.
    pub(super) fn through(&self, begin: usize, words: &[Sized]) -> (usize, Vec<Sized>) {
        let first = begin / self.takes;
        let length = self.responses.iter().flatten().map(Vec::len).max().unwrap_or(0);
        let firings = (begin + words.len()).div_ceil(self.takes) - first + length;
        let mut output = vec![[0.0; 2]; firings * self.gives];
        for (place, word) in words.iter().enumerate().filter(|(_, word)| word[1] != 0.0) {
            let place = begin + place;
            let (firing, at) = (place / self.takes - first, place % self.takes);
            for (out, responses) in self.responses.iter().enumerate() {
                for (age, h) in responses[at].iter().enumerate() {
                    let slot = &mut output[(firing + age) * self.gives + out];
                    slot[0] += word[0] * h;
                    slot[1] += word[1] * h.abs();
                }
            }
        }
        while output.last().is_some_and(|word| word[1] == 0.0) {
            output.pop();
        }
        (first * self.gives, output)
    }

    /// Products and sums that go into one word, at the most.
    pub(super) fn operations(&self) -> usize {
        let of_word = |responses: &Vec<Vec<f64>>| responses.iter().map(Vec::len).sum::<usize>();
        2 * self.responses.iter().map(of_word).max().unwrap_or(0) + 2
    }

    /// A whole signal, from the zero state on.
    pub(super) fn run(&self, words: &[f64]) -> Vec<f64> {
        let firings = words.len() / self.takes;
        let word = |firing: usize, responses: &Vec<Vec<f64>>| -> f64 {
            let mut sum = 0.0;
            for (at, response) in responses.iter().enumerate() {
                for (age, h) in response.iter().enumerate().take(firing + 1) {
                    sum += h * words[(firing - age) * self.takes + at];
                }
            }
            sum
        };
        let of_firing = |firing: usize| self.responses.iter().map(move |all| word(firing, all));
        (0..firings).flat_map(of_firing).collect()
    }
}

/// The blocks of some steps.
pub(super) fn blocks(steps: &[Step]) -> Result<Vec<Block>, NetworkError> {
    let mut blocks: Vec<Block> = Vec::new();
    let mut at = 0;
    while at < steps.len() {
        let is_open = |step: Option<&Step>| match step {
            Some(Step::Fire(program)) => program.facts().bounds().is_err(),
            _ => false,
        };
        let next = steps.get(at + 1);
        let begins = match next {
            Some(Step::Keep(_)) => is_open(steps.get(at)),
            Some(Step::Fill(_)) => is_open(steps.get(at + 2)),
            _ => false,
        };
        if let (true, Step::Fire(first), Some(change), Some(Step::Fire(second))) =
            (begins, &steps[at], next, steps.get(at + 2))
        {
            blocks.push(group([first, second], change, at + 2)?);
            at += 3;
            continue;
        }
        let before = blocks.last().map(|block| block.output);
        blocks.push(match &steps[at] {
            Step::Mix(mixer) => {
                let block = moved(at, [1, 1], vec![vec![vec![1.0]]], mixer.output());
                Block { mixer: Some((**mixer).clone()), ..block }
            }
            Step::Fire(program) => fired(program, at)?,
            Step::Keep(factor) => {
                let mut responses = vec![Vec::new(); *factor];
                responses[factor - 1] = vec![1.0];
                moved(at, [*factor, 1], vec![responses], before.unwrap_or(super::input_of(steps)))
            }
            Step::Fill(factor) => {
                let mut responses = vec![vec![Vec::new()]; *factor];
                responses[0][0] = vec![1.0];
                moved(at, [1, *factor], responses, before.unwrap_or(super::input_of(steps)))
            }
        });
        at += 1;
    }
    Ok(blocks)
}

/// Words that go on as they are.
fn moved(
    step: usize,
    [takes, gives]: [usize; 2],
    responses: Vec<Vec<Vec<f64>>>,
    output: WordFormat,
) -> Block {
    Block {
        step,
        takes,
        gives,
        responses,
        slack: 0.0,
        sources: Vec::new(),
        not_predicted: None,
        follows_signs: false,
        output,
        limits: false,
        inner: None,
        mixer: None,
    }
}

/// The longest responses of roundings, all together, that are followed through what is behind a program, with
/// the usual effort.
const LONGEST_PATHS: u64 = 1 << 18;

/// Whether a program remembers words that it has made, as a recursive filter does.
fn remembers_results(program: &Checked) -> bool {
    let datapath = program.datapath();
    let is_input = |node: Node| {
        datapath
            .operations()
            .any(|(at, operation, _)| at == node && matches!(operation, Operation::Input { .. }))
    };
    let mut stores = datapath.operations().filter_map(|(_, operation, _)| match operation {
        Operation::Store { word, .. } => Some(*word),
        _ => None,
    });
    datapath.is_per_sample() && stores.any(|word| !is_input(word))
}

/// The errors of a program that remembers what it has made: each rounding by its path, so that what is behind
/// the program meets them in their own spectrum. Their power is that of the prediction for the whole, which
/// knows more of the roundings than one by one. `None` where the paths are too long.
fn colored_sources(program: &Checked, bounds: &Bounds) -> Option<Vec<Source>> {
    let paths = program.rounding_paths().ok()?;
    let length: usize = paths.iter().map(|(_, gains)| gains[0].response().len()).sum();
    if length as u64 > program.facts().effort().times(LONGEST_PATHS) {
        return None;
    }
    let energies = paths.iter().map(|(source, gains)| source.error_moments().1 * gains[0].energy());
    let energy: f64 = energies.sum();
    let (mean, variance) = bounds.noise.map_or((0.0, 0.0), |noise| (noise.mean, noise.variance));
    let share = if energy > 0.0 { variance / energy } else { 0.0 };
    let mut sources = Vec::new();
    // What the responses lack that are not followed to their end, and the mean of all.
    let mut cut = 0.0;
    for (source, gains) in &paths {
        let ((low, high), gain) = (source.error_range(), &gains[0]);
        let variance = source.error_moments().1 * share;
        cut += (gain.l1_bound() - gain.l1()).max(0.0) * high.max(-low);
        let phases = vec![gain.response().to_vec()];
        sources.push(Source { phases, low, high, mean: 0.0, variance });
    }
    let phases = vec![Source::at_output(0)];
    sources.push(Source { phases, low: -cut, high: cut, mean, variance: 0.0 });
    Some(sources)
}

/// A program by itself.
fn fired(program: &Checked, step: usize) -> Result<Block, NetworkError> {
    let bounds = program.facts().bounds().as_ref();
    let bounds = bounds.map_err(|why| NetworkError::Unbounded { step, why: why.to_string() })?;
    let (takes, gives) = (program.datapath().words_in(), program.datapath().words_out());
    let response = |gain: &PeakGain| gain.response().to_vec();
    let slack = |gains: &[PeakGain]| -> f64 {
        gains.iter().map(|gain| (gain.l1_bound() - gain.l1()).max(0.0)).sum()
    };
    let (mean, variance) = bounds.noise.map_or((0.0, 0.0), |noise| (noise.mean, noise.variance));
    let (low, high) = (bounds.error.low, bounds.error.high);
    let white = || {
        let phases = (0..gives).map(Source::at_output).collect();
        vec![Source { phases, low, high, mean, variance }]
    };
    let remembers = remembers_results(program);
    let colored = if remembers { colored_sources(program, bounds) } else { None };
    // Errors that are not followed in their spectrum are no noise for what is behind.
    let is_long = remembers && colored.is_none();
    let result = program.datapath().result();
    let has_inner = gives == 1 && bounds.reaches.iter().any(|one| Some(one.node) != result);
    Ok(Block {
        step,
        takes,
        gives,
        responses: bounds.gains.iter().map(|own| own.iter().map(response).collect()).collect(),
        slack: bounds.gains.iter().map(|gains| slack(gains)).fold(0.0, f64::max),
        sources: colored.unwrap_or_else(white),
        not_predicted: bounds.noise.err().or(is_long.then_some(NotPredicted::Effort)),
        follows_signs: follows_signs(program),
        output: program.output(),
        limits: true,
        inner: (remembers || has_inner).then(|| Box::new(program.clone())),
        mixer: None,
    })
}

pub(super) fn follows_signs(program: &Checked) -> bool {
    program.rounding_sources().iter().any(RoundingSource::follows_signs)
}
