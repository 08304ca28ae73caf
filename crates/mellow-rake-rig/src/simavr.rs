//! The 8-bit core: an ATmega328P in simavr, which has the time that every instruction takes in silicon.
//!
//! The emulator reads no files of the host, so the words lie behind the program in the memory for programs,
//! as many as fit; the next run goes on with the filter that the one before has left.

use crate::{RigError, Tool, at, run};
use std::path::Path;
use std::time::{Duration, Instant};

/// Bytes of memory for programs.
const FLASH: usize = 32 * 1024;

/// The most words in a run: they are counted in 16 bits, and are a multiple of every length of a block.
const MOST: usize = 16_384;

/// A program for the core, without its words.
#[derive(Debug)]
pub(crate) struct Image {
    bytes: Vec<u8>,
}

/// What a run answers.
struct Answer {
    words: Vec<i64>,
    clocks: u64,
    untouched: u64,
    /// Bytes of a word that goes in.
    input_bytes: usize,
    /// Words of a sample that goes in.
    sample_words: usize,
    filter: Vec<u8>,
}

impl Image {
    /// Reads what the tool for copies made of a linked program.
    pub(crate) fn read(path: &Path) -> Result<Self, RigError> {
        Ok(Image { bytes: std::fs::read(path).map_err(at(path))? })
    }

    /// The words that come out, for a filter one for each that goes in, the clocks of all calls, and the
    /// bytes of a filter.
    pub(crate) fn execute(
        &self,
        emulator: &Tool,
        folder: &Path,
        input: &[i64],
        block: usize,
        is_chain: bool,
        limit: Duration,
    ) -> Result<(Vec<i64>, [i64; 2]), RigError> {
        let begun = Instant::now();
        let go = |filter: &[u8], words: &[u8], count: usize| {
            let left = limit.saturating_sub(begun.elapsed());
            let mut image = self.bytes.clone();
            image.extend([block as u8, u8::from(!filter.is_empty())]);
            image.extend((count as u16).to_le_bytes());
            image.extend(filter.iter().chain(words));
            let path = folder.join("program.hex");
            std::fs::write(&path, hexadecimal(&image)).map_err(at(&path))?;
            let mut command = emulator.command(folder);
            command.args(["-m", "atmega328p", "-f", "16000000", "program.hex"]);
            // What comes over the serial line it prints as a message.
            let text = run(&mut command, b"", left)?.messages;
            Answer::read(&text).ok_or_else(|| RigError::Failed {
                program: "the emulated program".to_owned(),
                status: "it did not come to its end".to_owned(),
                messages: text.chars().take(500).collect(),
            })
        };
        // A run without words tells their sizes.
        let mut last = go(&[], &[], 0)?;
        let free = FLASH.saturating_sub(self.bytes.len() + 4 + last.filter.len());
        let at_once = (free / (last.input_bytes * last.sample_words).max(1)).min(MOST);
        let at_once = at_once / block.max(64) * block.max(64) * last.sample_words;
        if at_once == 0 {
            return Err(failed("the program leaves no room for words", &last));
        }
        let (mut words, mut clocks) = (Vec::new(), 0);
        let bytes_of_a_filter = last.filter.len() as i64;
        for (number, chunk) in input.chunks(at_once).enumerate() {
            let bytes = |word: &i64| word.to_le_bytes().into_iter().take(last.input_bytes);
            let bytes: Vec<u8> = chunk.iter().flat_map(bytes).collect();
            let filter = if number == 0 { &[][..] } else { &last.filter };
            last = go(filter, &bytes, chunk.len() / last.sample_words)?;
            if last.untouched < 4 {
                return Err(failed("the stack met the variables", &last));
            }
            words.append(&mut last.words);
            clocks += last.clocks;
        }
        if !is_chain && words.len() != input.len() {
            return Err(RigError::Rubbish {
                program: "the emulated program".to_owned(),
                found: format!("{} words", words.len()),
                expected: "one for each sample",
            });
        }
        Ok((words, [clocks as i64, bytes_of_a_filter]))
    }
}

fn failed(what: &str, last: &Answer) -> RigError {
    RigError::Failed {
        program: "the emulated program".to_owned(),
        status: what.to_owned(),
        messages: format!("{} bytes of memory are free", last.untouched),
    }
}

impl Answer {
    /// Reads what the emulator prints of the serial line: among its own lines those that begin with a mark.
    fn read(text: &str) -> Option<Self> {
        let mut lines: Vec<(char, Vec<u8>)> = Vec::new();
        for line in text.lines() {
            // In front may be what colours it.
            let mut line = line;
            while let Some((_, rest)) = line.strip_prefix('\u{1b}').and_then(|l| l.split_once('m'))
            {
                line = rest;
            }
            let Some(mark) = line.chars().next().filter(|c| ":=+".contains(*c)) else { continue };
            let digits: Vec<u8> =
                line.chars().skip(1).map_while(|c| Some(c.to_digit(16)? as u8)).collect();
            let bytes = digits.chunks_exact(2).map(|pair| pair[0] << 4 | pair[1]);
            match (mark, lines.last_mut()) {
                ('+', Some(last)) => last.1.extend(bytes),
                _ => lines.push((mark, bytes.collect())),
            }
        }
        let end = lines.len().checked_sub(4)?;
        let (output, told) = lines.split_at(end);
        if told.iter().any(|(mark, _)| *mark != '=') || told[2].1.len() != 4 {
            return None;
        }
        let number = |bytes: &[u8]| bytes.iter().rev().fold(0, |sum, b| sum << 8 | u64::from(*b));
        let (input_bytes, output_bytes) = (told[2].1[0].into(), usize::from(told[2].1[1]));
        let (unused, is_unsigned) = (64 - 8 * output_bytes as u32, told[2].1[2] == 1);
        let word = |bytes: &[u8]| match is_unsigned {
            true => number(bytes) as i64,
            false => (number(bytes) << unused) as i64 >> unused,
        };
        let output = output.iter().filter(|(mark, _)| *mark == ':');
        Some(Answer {
            words: output
                .flat_map(|(_, bytes)| bytes.chunks_exact(output_bytes).map(word))
                .collect(),
            clocks: number(&told[0].1),
            untouched: number(&told[1].1),
            input_bytes,
            sample_words: usize::from(told[2].1[3]).max(1),
            filter: told[3].1.clone(),
        })
    }
}

/// A memory in the form that loaders of programs read: records of 32 bytes with their address and a sum that
/// makes all bytes zero (Intel, Hexadecimal Object File Format Specification, 1988).
fn hexadecimal(image: &[u8]) -> String {
    let mut text = String::new();
    for (number, bytes) in image.chunks(32).enumerate() {
        let address = ((32 * number) as u16).to_be_bytes();
        let mut record = vec![bytes.len() as u8, address[0], address[1], 0];
        record.extend(bytes);
        let sum = record.iter().fold(0u8, |sum, byte| sum.wrapping_add(*byte));
        record.push(sum.wrapping_neg());
        text.push(':');
        text.extend(record.iter().map(|byte| format!("{byte:02X}")));
        text.push('\n');
    }
    text + ":00000001FF\n"
}
