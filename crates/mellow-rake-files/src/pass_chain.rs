//! Recordings through chains of stages, block by block: what comes out has another rate.

use crate::{RecordingError, RecordingReader, Scale, Values};
use mellow_rake::rates::{Chain, RunningChain};
use rayon::prelude::*;

/// Samples of every channel that are worked on at a time.
const BLOCK: usize = 1 << 16;

/// One channel on its way through.
struct Channel {
    running: RunningChain,
    last: f64,
    after: Vec<f64>,
}

/// Takes the columns of a recording through a chain in floating point, all channels side by side; `sink` is
/// given how many samples were read and what comes out of each column, in order. Of what comes out `removed`
/// samples are taken off at the beginning, and as many made at the end from the last sample, held.
///
/// # Errors
/// Of the reader and of the sink.
pub fn pass_chain<E: From<RecordingError> + Send>(
    reader: &mut RecordingReader,
    columns: &[usize],
    chain: &Chain,
    scale: Option<&Scale>,
    removed: u64,
    mut sink: impl FnMut(u64, &[Values]) -> Result<(), E>,
) -> Result<(), E> {
    let mut left = chain.outputs_of(reader.samples());
    let mut skip = removed as usize;
    let channel = |_: &usize| Channel { running: chain.start(), last: 0.0, after: Vec::new() };
    let mut channels: Vec<Channel> = columns.iter().map(channel).collect();
    let mut deliver = |read: u64, channels: &mut [Channel]| {
        let came = channels.first().map_or(0, |channel| channel.after.len());
        let skipped = skip.min(came);
        skip -= skipped;
        let given = usize::try_from(left).unwrap_or(usize::MAX).min(came - skipped);
        left -= given as u64;
        let taken = |channel: &mut Channel| {
            let after = std::mem::take(&mut channel.after);
            Values::Reals(after[skipped..skipped + given].to_vec())
        };
        let after: Vec<Values> = channels.iter_mut().map(taken).collect();
        sink(read, &after).map(|()| left)
    };
    loop {
        let block = reader.next_block(columns, BLOCK)?;
        let count = block.first().map_or(0, Values::len);
        if count == 0 {
            break;
        }
        channels.par_iter_mut().zip(block).for_each(|(channel, block)| {
            let block = scale.map_or(block.reals(), |scale| scale.apply(&block).reals());
            channel.last = block.last().copied().unwrap_or(channel.last);
            channel.after = channel.running.run(&block);
        });
        deliver(count as u64, &mut channels)?;
    }
    // A few thousand held samples at a time, until all that the recording makes has come.
    while deliver(0, &mut channels)? > 0 {
        for channel in &mut channels {
            channel.after = channel.running.run(&[channel.last; 1 << 12]);
        }
    }
    Ok(())
}
