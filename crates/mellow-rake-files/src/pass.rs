//! Recordings through filters, block by block: what goes in and what comes out, in step.

use crate::{RecordingError, RecordingReader, SampleError, Scale, Values, words};
use mellow_rake::datapath::Simulator;
use mellow_rake::filter::{Form, OverlapSave, Running};
use mellow_rake::fixed::WordFormat;
use mellow_rake::float::{FloatFilter, FloatFormat, FloatSimulator};
use mellow_rake::implementation::Implementation;
use mellow_rake::signal::zero_phase;
use rayon::prelude::*;
use std::path::{Path, PathBuf};

/// Samples of every channel that are worked on at a time.
const BLOCK: usize = 1 << 16;

/// How a recording is filtered.
#[derive(Debug, Clone, Copy)]
pub enum Mode<'a> {
    /// In floating point.
    Float,
    /// Forward and backward in floating point; all at once.
    ZeroPhase,
    /// On integers.
    BitTrue(&'a Implementation),
    /// In the floating-point format that it was rounded to, operation by operation.
    InFormat(&'a FloatFilter),
}

/// What filters one channel.
enum Engine<'a> {
    Float(Running),
    Transforms(Box<OverlapSave>),
    Integers(Box<Simulator<'a>>, WordFormat),
    InFormat(Box<FloatSimulator>, FloatFormat),
    /// Keeps everything until the end.
    Whole {
        form: &'a Form,
        all: Vec<f64>,
        affected: usize,
    },
}

impl<'a> Engine<'a> {
    fn new(form: &'a Form, mode: &Mode<'a>) -> Self {
        match (mode, form) {
            (Mode::ZeroPhase, _) => Engine::Whole { form, all: Vec::new(), affected: 0 },
            (Mode::BitTrue(implementation), _) => Engine::Integers(
                Box::new(Simulator::new(&implementation.checked)),
                implementation.fixed.input,
            ),
            (Mode::InFormat(filter), _) => {
                Engine::InFormat(Box::new(FloatSimulator::new(filter)), filter.format())
            }
            (Mode::Float, Form::Taps(taps)) if taps.0.len() >= OverlapSave::WORTH_TAPS => {
                Engine::Transforms(Box::new(OverlapSave::new(taps)))
            }
            (Mode::Float, form) => Engine::Float(form.start()),
        }
    }

    fn title(&self) -> &'static str {
        match self {
            Engine::Float(Running::Sections(_)) => "sections",
            Engine::Float(Running::Taps(_)) => "products",
            Engine::Transforms(_) => "overlap-save",
            Engine::Integers(..) => "integers",
            Engine::InFormat(_, format) => format.as_str(),
            Engine::Whole { .. } => "forward and backward",
        }
    }
}

/// One channel on its way through.
struct Channel<'a> {
    path: PathBuf,
    engine: Engine<'a>,
    scale: Option<&'a Scale>,
    /// Samples of delay that still have to be taken off.
    skip: usize,
    /// Samples taken so far, and the last of them.
    taken: u64,
    last: f64,
    last_word: i64,
    before: Values,
    after: Values,
}

impl Channel<'_> {
    fn push(&mut self, block: Values) -> Result<(), Box<SampleError>> {
        let block = match self.scale {
            Some(scale) => scale.apply(&block),
            None => block,
        };
        self.last = block.last().unwrap_or(self.last);
        let out = match &mut self.engine {
            Engine::Integers(simulator, format) => {
                let words = words(&self.path, &block, self.taken, *format)?;
                let out = Values::Integers(simulator.run(&words));
                self.taken += words.len() as u64;
                self.last_word = words.last().copied().unwrap_or(self.last_word);
                self.before.append(Values::Integers(words));
                self.came(out);
                return Ok(());
            }
            Engine::Float(running) => running.run(&block.reals()),
            Engine::InFormat(simulator, _) => simulator.run(&block.reals()),
            Engine::Transforms(fast) => fast.push(&block.reals()),
            Engine::Whole { all, .. } => {
                all.extend(block.reals());
                Vec::new()
            }
        };
        self.taken += block.len() as u64;
        self.before.append(block);
        self.came(Values::Reals(out));
        Ok(())
    }

    fn came(&mut self, mut out: Values) {
        let skipped = out.take_front(self.skip).len();
        self.skip -= skipped;
        self.after.append(out);
    }

    /// What is left, with the last sample held as long as the delay that was taken off.
    fn finish(&mut self, held: usize) {
        let last = self.last;
        let out = match &mut self.engine {
            Engine::Float(running) => Values::Reals(running.run(&vec![last; held])),
            Engine::InFormat(simulator, _) => Values::Reals(simulator.run(&vec![last; held])),
            Engine::Transforms(fast) => {
                let mut out = fast.push(&vec![last; held]);
                out.extend(fast.finish());
                Values::Reals(out)
            }
            Engine::Integers(simulator, _) => {
                Values::Integers(simulator.run(&vec![self.last_word; held]))
            }
            Engine::Whole { form, all, affected } => {
                let found = zero_phase(form, all);
                *affected = found.affected;
                all.clear();
                Values::Reals(found.samples)
            }
        };
        self.came(out);
    }
}

/// What a pass of a recording was like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Passed {
    /// How it was computed.
    pub method: &'static str,
    /// On integers: in how many samples of all channels some limit acted.
    pub limited: Option<u64>,
    /// Of a zero-phase run: samples at either end that depend on what is assumed beyond it.
    pub affected: Option<usize>,
}

/// Takes the columns of a recording through a filter, all channels side by side; `sink` is given the samples
/// before and after, as many of each, in order. From the samples after, `removed` are taken off at the
/// beginning.
///
/// # Errors
/// Of the reader, of a sample that the words do not hold, and of the sink.
pub fn pass<'a, E>(
    reader: &mut RecordingReader,
    path: &Path,
    columns: &[usize],
    (form, mode): (&'a Form, &Mode<'a>),
    scale: Option<&'a Scale>,
    removed: usize,
    mut sink: impl FnMut(&[Values], &[Values]) -> Result<(), E>,
) -> Result<Passed, E>
where
    E: From<RecordingError> + From<Box<SampleError>> + Send,
{
    let none = || match mode {
        Mode::BitTrue(_) => Values::Integers(Vec::new()),
        _ => Values::Reals(Vec::new()),
    };
    let channel = |_: &usize| Channel {
        path: path.to_owned(),
        engine: Engine::new(form, mode),
        scale,
        skip: removed,
        taken: 0,
        last: 0.0,
        last_word: 0,
        // The first block says of what kind the samples before are.
        before: Values::Integers(Vec::new()),
        after: none(),
    };
    let mut channels: Vec<Channel<'_>> = columns.iter().map(channel).collect();
    let mut deliver = |channels: &mut [Channel<'_>]| {
        let ready = channels.iter().map(|c| c.before.len().min(c.after.len())).min().unwrap_or(0);
        let mut before = Vec::new();
        let mut after = Vec::new();
        for channel in channels {
            before.push(channel.before.take_front(ready));
            after.push(channel.after.take_front(ready));
        }
        if ready > 0 { sink(&before, &after) } else { Ok(()) }
    };
    loop {
        let block = reader.next_block(columns, BLOCK)?;
        let count = block.first().map_or(0, Values::len);
        if count == 0 {
            break;
        }
        let pairs: Vec<_> = channels.iter_mut().zip(block).collect();
        pairs.into_par_iter().try_for_each(|(channel, block)| channel.push(block))?;
        deliver(&mut channels)?;
    }
    channels.par_iter_mut().for_each(|channel| channel.finish(removed));
    deliver(&mut channels)?;
    let method = channels.first().map_or("", |channel| channel.engine.title());
    let limited = channels.iter().map(|channel| match &channel.engine {
        Engine::Integers(simulator, _) => Some(simulator.limited_samples()),
        _ => None,
    });
    let limited = limited.fold(None, |sum, one| one.map(|one| sum.unwrap_or(0) + one));
    let affected = channels.iter().find_map(|channel| match &channel.engine {
        Engine::Whole { affected, .. } => Some(*affected),
        _ => None,
    });
    Ok(Passed { method, limited, affected })
}
