//! What the firmware has to give, and what it gives on a Cortex-M4 that QEMU emulates.

use mellow_rake::datapath::Simulator;
use mellow_rake::study::Study;
use mellow_rake_files::{ReadingChoice, RecordingReader, words};
use mellow_rake_rig::{C_FLAGS, ToolName, run};
use std::error::Error;
use std::path::Path;
use std::time::Duration;

pub(crate) type Failure = Box<dyn Error>;

/// Long enough for a machine that does much else.
const LIMIT: Duration = Duration::from_secs(120);

/// Clocks of the board in a tick.
pub(crate) const CLOCKS_IN_A_TICK: u32 = 25_000;

/// A filter, what its converter has, and what has to come out.
pub(crate) struct Channel {
    pub(crate) name: &'static str,
    pub(crate) input: Vec<i64>,
    pub(crate) expected: Vec<i64>,
    /// Bytes of a word that comes out.
    bytes: usize,
}

/// Words of the carrier in a tick.
const CARRIER_BLOCK: usize = 96;

/// The filters of the project, each with a recording of the buoy in its converter.
pub(crate) fn channels(project: &Path) -> Result<[Channel; 3], Failure> {
    Ok([
        channel(project, "pump_hum", "mooring/mooring.csv")?,
        channel(project, "breath", "breath/breath.csv")?,
        channel(project, "carrier_band", "modem/modem.wav")?,
    ])
}

fn channel(project: &Path, name: &'static str, recording: &str) -> Result<Channel, Failure> {
    let spec = std::fs::read_to_string(project.join(format!("filters/{name}.toml")))?;
    let study = Study::of_text(&spec, |file| Err(format!("{file}: no spec here names a file")))?;
    let checked = &study.integers()?.checked;
    let path = project.join("../../demo").join(recording);
    let mut reader = RecordingReader::open(&path, &ReadingChoice::default())?;
    let column = reader.choose(None)?;
    let values = reader.rest(&[column])?.swap_remove(0);
    let mut input = words(&path, &values, 0, checked.input())?;
    if name == "carrier_band" {
        input.truncate(input.len() / CARRIER_BLOCK * CARRIER_BLOCK);
    }
    let expected = Simulator::new(checked).run(&input);
    let bytes = if checked.output().width() > 16 { 4 } else { 2 };
    Ok(Channel { name, input, expected, bytes })
}

/// What the filters gave, and the most clocks of a tick. `written` is the folder of their C.
pub(crate) fn on_the_board(
    project: &Path,
    written: &Path,
    channels: &[Channel],
) -> Result<(Vec<Vec<i64>>, u32), Failure> {
    let (compiler, emulator) = (ToolName::ARM_GCC.find()?, ToolName::QEMU_ARM.find()?);
    let folder = tempfile::tempdir()?;
    for Channel { name, input, .. } in channels {
        let bytes: Vec<u8> = input.iter().flat_map(|word| (*word as i16).to_le_bytes()).collect();
        std::fs::write(folder.path().join(format!("{name}.in")), bytes)?;
    }
    let board = project.join("board");
    let mut command = compiler.command(folder.path());
    command.args(C_FLAGS).args(["-mcpu=cortex-m4", "-mthumb", "-ffreestanding", "-nostdlib"]);
    command.arg(format!("-DCARRIER_BAND_BLOCK={CARRIER_BLOCK}"));
    command.arg("-I").arg(written).arg("-T").arg(board.join("board.ld"));
    command.args(["main.c", "host.c", "start.c"].map(|file| board.join(file)));
    command.args(channels.iter().map(|channel| written.join(format!("{}.c", channel.name))));
    command.args(["-lgcc", "-o", "firmware.elf"]);
    run(&mut command, b"", LIMIT)?;
    // An instruction takes a clock of 25 MHz, nearly: 32 ns. Nobody waits while nothing is done.
    let mut command = emulator.command(folder.path());
    command.args(["-M", "mps2-an386", "-kernel", "firmware.elf", "-nographic", "-monitor", "none"]);
    command.args(["-serial", "none", "-semihosting-config", "enable=on,target=native"]);
    command.args(["-icount", "shift=5,sleep=off"]);
    run(&mut command, b"", LIMIT)?;
    let read = |file: String| std::fs::read(folder.path().join(file));
    let mut all = Vec::new();
    for Channel { name, bytes, .. } in channels {
        let found = read(format!("{name}.out"))?;
        all.push(found.chunks_exact(*bytes).map(little_endian).collect());
    }
    let load = little_endian(&read("load.out".to_owned())?) as u32;
    Ok((all, load))
}

/// A signed word.
fn little_endian(bytes: &[u8]) -> i64 {
    let unused = 64 - 8 * bytes.len() as u32;
    let word = bytes.iter().rev().fold(0u64, |word, byte| word << 8 | u64::from(*byte));
    (word << unused) as i64 >> unused
}

/// Prints how it went; whether all are equal.
pub(crate) fn told(title: &str, channels: &[Channel], found: &[Vec<i64>]) -> bool {
    let mut all = true;
    for (Channel { name, expected, .. }, found) in channels.iter().zip(found) {
        let differs = expected.iter().zip(found).position(|(one, other)| one != other);
        let verdict = match differs {
            None if expected.len() == found.len() => format!("equal: {} samples", found.len()),
            None => format!("{} samples instead of {}", found.len(), expected.len()),
            Some(at) => {
                format!("differs at sample {at}: {} instead of {}", found[at], expected[at])
            }
        };
        all &= verdict.starts_with("equal");
        println!("  {title:<16} {name:<13} {verdict}");
    }
    all
}
