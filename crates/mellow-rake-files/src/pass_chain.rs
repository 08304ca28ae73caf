//! Recordings through chains of stages, block by block: what comes out has another rate.

use crate::{RecordingError, RecordingReader, SampleError, Scale, Values, words};
use mellow_rake::fixed::WordFormat;
use mellow_rake::network::{Network, NetworkSimulator};
use mellow_rake::rates::{Chain, RunningChain};
use rayon::prelude::*;
use std::path::Path;

/// Samples of every channel that are worked on at a time.
const BLOCK: usize = 1 << 16;

/// On what numbers a chain runs.
#[derive(Clone, Copy)]
pub enum ChainMode<'a> {
    /// In floating point.
    Float,
    /// On the integers of a network.
    BitTrue(&'a Network),
}

/// What filters one channel.
enum Engine<'a> {
    Float(RunningChain),
    Integers(NetworkSimulator<'a>, WordFormat),
}

/// One channel on its way through.
struct Channel<'a> {
    engine: Engine<'a>,
    /// Words of a sample that goes in, and of one that comes out.
    lanes: [usize; 2],
    /// The last sample that went in, as values and as words.
    last: (Vec<f64>, Vec<i64>),
    taken: u64,
    after: Values,
    failed: Option<Box<SampleError>>,
}

impl Channel<'_> {
    fn take(&mut self, path: &Path, block: &Values) {
        let begin = block.len().saturating_sub(self.lanes[0]);
        match &mut self.engine {
            Engine::Float(running) => {
                let block = block.reals();
                self.last.0 = block[begin..].to_vec();
                self.after = Values::Reals(running.run(&block));
            }
            Engine::Integers(simulator, format) => {
                match words(path, block, self.taken * self.lanes[0] as u64, *format) {
                    Ok(block) => {
                        self.last.1 = block[begin..].to_vec();
                        self.after = Values::Integers(simulator.run(&block));
                    }
                    Err(error) => self.failed = Some(error),
                }
            }
        }
        self.taken += (block.len() / self.lanes[0]) as u64;
    }

    /// Samples that came out last.
    fn came(&self) -> usize {
        self.after.len() / self.lanes[1]
    }

    /// Some more samples like the last one.
    fn hold(&mut self) {
        self.after = match &mut self.engine {
            Engine::Float(running) => Values::Reals(running.run(&self.last.0.repeat(HELD))),
            Engine::Integers(simulator, _) => {
                Values::Integers(simulator.run(&self.last.1.repeat(HELD)))
            }
        };
    }
}

/// Samples that are held at a time.
const HELD: usize = 1 << 12;

/// What came of a recording.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct ChainPassed {
    /// In how many firings of a program on integers a limit acted, of all columns together.
    pub limited: Option<u64>,
}

/// Takes the columns of a recording through a chain, all channels side by side; `sink` is given how many
/// samples were read and the columns that come out, in order. Of a chain with several words in a sample each
/// channel has so many columns, one behind the other: of complex samples the real part first. Of what comes
/// out `removed` samples are taken off at the beginning, and as many made at the end from the last sample,
/// held. `path` is named where a sample is no word.
///
/// # Errors
/// Of the reader and of the sink; on integers [`SampleError`] for the first sample that is no word.
pub fn pass_chain<E>(
    reader: &mut RecordingReader,
    path: &Path,
    columns: &[usize],
    (chain, mode): (&Chain, ChainMode<'_>),
    scale: Option<&Scale>,
    removed: u64,
    mut sink: impl FnMut(u64, &[Values]) -> Result<(), E>,
) -> Result<ChainPassed, E>
where
    E: From<RecordingError> + From<Box<SampleError>> + Send,
{
    let mut left = chain.outputs_of(reader.samples());
    let mut skip = removed as usize;
    let lanes = [chain.lanes_in(), chain.lanes_out()];
    let channel = |_: &[usize]| Channel {
        engine: match mode {
            ChainMode::Float => Engine::Float(chain.start()),
            ChainMode::BitTrue(network) => Engine::Integers(network.start(), network.input()),
        },
        lanes,
        last: (vec![0.0; lanes[0]], vec![0; lanes[0]]),
        taken: 0,
        after: Values::Reals(Vec::new()),
        failed: None,
    };
    let mut channels: Vec<Channel<'_>> = columns.chunks(lanes[0]).map(channel).collect();
    let mut deliver = |read: u64, channels: &mut [Channel<'_>]| {
        if let Some(error) = channels.iter_mut().find_map(|channel| channel.failed.take()) {
            return Err(error.into());
        }
        let came = channels.first().map_or(0, Channel::came);
        let skipped = skip.min(came);
        skip -= skipped;
        let given = usize::try_from(left).unwrap_or(usize::MAX).min(came - skipped);
        left -= given as u64;
        let taken = |channel: &mut Channel<'_>| {
            channel.after.take_front(skipped * lanes[1]);
            let taken = channel.after.take_front(given * lanes[1]);
            (0..lanes[1]).map(|lane| taken.lane(lane, lanes[1])).collect::<Vec<_>>()
        };
        let after: Vec<Values> = channels.iter_mut().flat_map(taken).collect();
        sink(read, &after).map(|()| left)
    };
    loop {
        let block = reader.next_block(columns, BLOCK)?;
        let count = block.first().map_or(0, Values::len);
        if count == 0 {
            break;
        }
        channels.par_iter_mut().zip(block.par_chunks(lanes[0])).for_each(|(channel, block)| {
            let block = Values::side_by_side(block);
            match scale {
                Some(scale) => channel.take(path, &scale.apply(&block)),
                None => channel.take(path, &block),
            }
        });
        deliver(count as u64, &mut channels)?;
    }
    // A few thousand held samples at a time, until all that the recording makes has come.
    while deliver(0, &mut channels)? > 0 {
        channels.iter_mut().for_each(Channel::hold);
    }
    let limited = channels.iter().filter_map(|channel| match &channel.engine {
        Engine::Integers(simulator, _) => Some(simulator.limited_firings()),
        Engine::Float(_) => None,
    });
    Ok(ChainPassed { limited: limited.reduce(|sum, one| sum + one) })
}
