//! A device on the bench, made up: what `mrake measure --device` talks to.
//!
//! It reads samples of 16 bits on its standard input and writes as many: text, one a line, or with `raw` as
//! bytes (int16-le). Inside is what a sensor board has: a gain of 0.9, an RC low-pass, a delay of 5 samples,
//! and noise of two counts before its converter rounds.
//!
//! `cargo run --release -p mellow-rake-cli --example bench_device -- raw < in.raw > out.raw`
//!
//! With `hang`, `die`, `rubbish`, `short` or `flood` it shows what broken devices do.

use mellow_rake::filter::{Form, Section, Sections};
use mellow_rake::random::NoiseSource;
use mellow_rake_files::Encoding;
use std::io::{Read, Write};
use std::time::Duration;

/// Share of the old output in the new one, of the RC low-pass.
const POLE: f64 = 0.6;
const DELAY: usize = 5;

fn board(input: &[i64]) -> Vec<i64> {
    let low = Section { b: [0.9 * (1.0 - POLE), 0.0, 0.0], a: [-POLE, 0.0] };
    let mut running = Form::from(Sections(vec![low])).start();
    let late = std::iter::repeat_n(0, DELAY).chain(input.iter().copied()).take(input.len());
    let through = running.run(&late.map(|x| x as f64).collect::<Vec<_>>());
    let mut noise = NoiseSource::new(33);
    let count = |y: f64| (y + 2.0 * noise.normal()).round_ties_even().clamp(-32768.0, 32767.0);
    through.into_iter().map(count).map(|y| y as i64).collect()
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let manner = std::env::args().nth(1).unwrap_or_else(|| "text".to_owned());
    let mut bytes = Vec::new();
    std::io::stdin().lock().read_to_end(&mut bytes)?;
    let mut out = std::io::stdout().lock();
    if manner == "raw" {
        let encoding: Encoding = "int16-le".parse()?;
        let input = encoding.decode(&bytes).ok_or("half a sample at the end")?;
        out.write_all(&encoding.encode(&board(&input)).ok_or("beyond 16 bits")?)?;
        return Ok(());
    }
    let text = String::from_utf8(bytes)?;
    let input = text.lines().map(str::parse).collect::<Result<Vec<i64>, _>>()?;
    match manner.as_str() {
        "hang" => std::thread::sleep(Duration::from_secs(3600)),
        "die" => return Err("the fuse is blown".into()),
        "rubbish" => writeln!(out, "12\nERR 7\n13")?,
        "flood" => loop {
            out.write_all(&[b'7'; 1 << 16])?;
        },
        manner => {
            let output = board(&input);
            let kept = if manner == "short" { output.len() / 2 } else { output.len() };
            for y in &output[..kept] {
                writeln!(out, "{y}")?;
            }
        }
    }
    Ok(())
}
