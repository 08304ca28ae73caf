//! Every format, written and read back exactly; and files that are cut, damaged, or say something else than
//! they should.

use mellow_rake::units::SampleRate;
use mellow_rake_files::{
    Encoding, FileFormat, ReadingChoice, RecordingPlan, RecordingReader, RecordingWriter, Values,
};
use proptest::prelude::*;
use std::path::Path;

const ENCODINGS: [&str; 20] = [
    "int8",
    "uint8",
    "int16-le",
    "int16-be",
    "int24-le",
    "int24-be",
    "int32-le",
    "int32-be",
    "int64-le",
    "int64-be",
    "uint16-le",
    "uint16-be",
    "uint24-le",
    "uint24-be",
    "uint32-le",
    "uint32-be",
    "float32-le",
    "float32-be",
    "float64-le",
    "float64-be",
];

fn rate(hertz: f64) -> SampleRate {
    SampleRate::from_hertz(hertz).unwrap()
}

/// Samples of this encoding, both limits among them.
fn samples(encoding: Encoding, count: usize, seed: u64) -> Values {
    let mut state = seed | 1;
    let mut next = || {
        // Knuth's multiplier; the high bits are good enough for test data.
        state =
            state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        state
    };
    match (encoding.limits(), encoding.bytes()) {
        (Some((low, high)), _) => {
            let span = (i128::from(high) - i128::from(low) + 1) as u128;
            let one = |n: usize| match n {
                0 => low,
                1 => high,
                _ => (i128::from(low) + (u128::from(next()) % span) as i128) as i64,
            };
            Values::Integers((0..count).map(one).collect())
        }
        (None, 4) => {
            let one = |n: usize| match n {
                0 => f64::from(f32::MAX),
                1 => f64::from(-f32::MIN_POSITIVE),
                _ => f64::from((next() as f32 / u64::MAX as f32) - 0.5),
            };
            Values::Reals((0..count).map(one).collect())
        }
        _ => {
            let one = |n: usize| match n {
                0 => f64::MAX,
                1 => -f64::from_bits(1),
                _ => f64::from_bits((next() >> 2) | 0x3000_0000_0000_0000) - 0.25,
            };
            Values::Reals((0..count).map(one).collect())
        }
    }
}

fn write(
    path: &Path,
    block: &[Values],
    encoding: Encoding,
    hertz: f64,
    step: usize,
) -> Result<(), String> {
    let names = (0..block.len()).map(|k| format!("sensor_{k}")).collect();
    let count = block[0].len();
    let plan = RecordingPlan { names, rate: rate(hertz), samples: count as u64, encoding };
    let mut writer = RecordingWriter::create(path, plan).map_err(|error| error.to_string())?;
    for start in (0..count).step_by(step) {
        let part = |values: &Values| match values {
            Values::Integers(v) => Values::Integers(v[start..(start + step).min(count)].to_vec()),
            Values::Reals(v) => Values::Reals(v[start..(start + step).min(count)].to_vec()),
        };
        writer
            .push(&block.iter().map(part).collect::<Vec<_>>())
            .map_err(|error| error.to_string())?;
    }
    writer.finish().map_err(|error| error.to_string())
}

fn read(path: &Path, choice: &ReadingChoice, step: usize) -> Result<Vec<Values>, String> {
    let mut reader = RecordingReader::open(path, choice).map_err(|error| error.to_string())?;
    let columns = reader.signals();
    let mut all = reader.next_block(&columns, step).map_err(|error| error.to_string())?;
    loop {
        let block = reader.next_block(&columns, step).map_err(|error| error.to_string())?;
        if block[0].is_empty() {
            assert_eq!(all[0].len() as u64, reader.samples());
            return Ok(all);
        }
        all.iter_mut().zip(block).for_each(|(values, more)| values.append(more));
    }
}

/// What a format cannot hold is refused at once, and says what it can.
fn fits(format: FileFormat, encoding: Encoding) -> bool {
    let text = encoding.to_string();
    match format {
        FileFormat::Wav => {
            ["int8", "int16-le", "int24-le", "int32-le", "float32-le"].contains(&text.as_str())
        }
        FileFormat::Npy => encoding.bytes() != 3,
        _ => true,
    }
}

/// A block is a number of words, not of frames: a thousand channels take no more memory than one, and every
/// sample comes once.
#[test]
fn blocks_of_many_channels_are_short() {
    let folder = tempfile::tempdir().unwrap();
    for (channels, frames) in [(1000, 3000), (65_536, 40)] {
        let path = folder.path().join("many.raw");
        let word = |n: usize| ((n * 31) % 60_000) as i64 - 30_000;
        let bytes: Vec<u8> =
            (0..channels * frames).flat_map(|n| (word(n) as i16).to_le_bytes()).collect();
        std::fs::write(&path, bytes).unwrap();
        let choice = ReadingChoice {
            rate: Some(rate(1000.0)),
            encoding: Some("int16-le".parse().unwrap()),
            channels,
            ..ReadingChoice::default()
        };
        let mut reader = RecordingReader::open(&path, &choice).unwrap();
        let columns = reader.signals();
        assert_eq!(columns.len(), channels);
        let mut seen = 0;
        loop {
            let block = reader.next_block(&columns, 1 << 16).unwrap();
            let length = block[0].len();
            assert!(length * channels <= 1 << 20, "{length} frames of {channels} channels");
            if length == 0 {
                break;
            }
            for (channel, values) in block.iter().enumerate() {
                let Values::Integers(values) = values else { panic!("{values:?}") };
                let expected = (0..length).map(|k| word((seen + k) * channels + channel));
                assert!(values.iter().copied().eq(expected), "channel {channel} from {seen}");
            }
            seen += length;
        }
        assert_eq!(seen, frames);
    }
}

#[test]
fn every_format_holds_both_limits_of_every_encoding() {
    let folder = tempfile::tempdir().unwrap();
    for text in ENCODINGS {
        let encoding: Encoding = text.parse().unwrap();
        assert_eq!(encoding.to_string(), text);
        for ending in ["csv", "tsv", "wav", "npy", "raw", "json"] {
            for channels in [1, 3] {
                let path =
                    folder.path().join(format!("{text}_{channels}_channels_500_samples.{ending}"));
                let block: Vec<Values> =
                    (0..channels).map(|k| samples(encoding, 500, k + 7)).collect();
                let written = write(&path, &block, encoding, 1000.0, 170);
                let format = FileFormat::of(&path).unwrap();
                if !fits(format, encoding) {
                    assert!(written.is_err() && !path.exists(), "{}", path.display());
                    continue;
                }
                written.unwrap();
                let choice = ReadingChoice {
                    rate: Some(rate(1000.0)),
                    encoding: Some(encoding),
                    channels: channels as usize,
                    time: None,
                };
                assert_eq!(read(&path, &choice, 33).unwrap(), block, "{}", path.display());
                let says_rate = !matches!(format, FileFormat::Npy | FileFormat::Raw);
                let other = ReadingChoice { rate: Some(rate(1010.0)), ..choice };
                assert_eq!(read(&path, &other, 33).is_err(), says_rate, "{}", path.display());
            }
        }
    }
    // One more than a limit is refused with its place, and nothing is left.
    let path = folder.path().join("beyond.raw");
    let beyond = [Values::Integers(vec![0, 127, 128])];
    let error = write(&path, &beyond, "int8".parse().unwrap(), 1000.0, 10).unwrap_err();
    assert!(
        error.contains("sample 2 of `sensor_0` is 128; int8 holds integers from -128 to 127"),
        "{error}"
    );
    let whole = [Values::Reals(vec![0.5])];
    assert!(write(&path, &whole, "int16-le".parse().unwrap(), 1000.0, 10).is_err());
    assert!(write(&path.with_extension("wav"), &whole, Encoding::float(false), 0.5, 10).is_err());
    let left: Vec<_> =
        std::fs::read_dir(folder.path()).unwrap().map(|e| e.unwrap().file_name()).collect();
    assert!(!left.iter().any(|name| name.to_string_lossy().contains("beyond")), "{left:?}");
    assert!(left.iter().all(|name| !name.to_string_lossy().starts_with(".tmp")), "{left:?}");
}

/// Bytes as other programs write them, made by hand from the published layouts.
#[test]
fn bytes_of_other_hands_are_read() {
    let read = |name: &str, bytes: &[u8], choice: &ReadingChoice| {
        let mut reader = RecordingReader::bytes(name.as_ref(), bytes.to_vec(), choice).unwrap();
        let all = reader.signals();
        reader.rest(&all).unwrap()
    };
    let plain = ReadingChoice::default();
    // NPY version 1.0: magic, version, header length, header padded to a multiple of 64.
    let mut npy =
        b"\x93NUMPY\x01\x00\x76\x00{'descr': '>i2', 'fortran_order': False, 'shape': (2, 2), }"
            .to_vec();
    npy.resize(127, b' ');
    npy.push(b'\n');
    npy.extend([0x80, 0x00, 0x7f, 0xff, 0x00, 0x01, 0xff, 0xff]);
    let channels = [vec![-32768, 1], vec![32767, -1]].map(Values::Integers);
    assert_eq!(read("a.npy", &npy, &plain), channels);
    // WAV with 8 bits is unsigned about 128 (RIFF/WAVE of 1991).
    let mut wav = b"RIFF\x28\0\0\0WAVEfmt \x10\0\0\0\x01\0\x01\0\
        \x40\x1f\0\0\x40\x1f\0\0\x01\0\x08\0data\x04\0\0\0"
        .to_vec();
    wav.extend([0u8, 128, 255, 127]);
    assert_eq!(read("a.wav", &wav, &plain), [Values::Integers(vec![-128, 0, 127, -1])]);
    // Not the samples it promises: a place, whichever byte it ends at.
    for cut in 0..wav.len() {
        let opened = RecordingReader::bytes("a.wav".as_ref(), wav[..cut].to_vec(), &plain);
        let error = opened.and_then(|mut wav| wav.rest(&[0])).unwrap_err().to_string();
        assert!(error.starts_with("a.wav: not a readable WAV file"), "{cut}: {error}");
        assert!(cut < 44 || error.contains(&format!("sample {} of 4", cut - 44)), "{cut}: {error}");
    }
    for cut in 0..npy.len() {
        let error =
            RecordingReader::bytes("a.npy".as_ref(), npy[..cut].to_vec(), &plain).err().unwrap();
        assert!(
            cut < 128
                || error
                    .to_string()
                    .contains(&format!("cut off at byte {cut}, in sample {}", (cut - 128) / 4)),
            "{error}"
        );
    }
    npy.push(0);
    let error = RecordingReader::bytes("a.npy".as_ref(), npy, &plain).err().unwrap();
    assert!(error.to_string().contains("1 bytes behind"), "{error}");
    let pairs =
        ReadingChoice { encoding: Some("int16-le".parse().unwrap()), channels: 2, ..plain.clone() };
    let error = RecordingReader::bytes("a.raw".as_ref(), vec![0; 7], &pairs).err().unwrap();
    assert!(error.to_string().contains("cut off at byte 7, in sample 1"), "{error}");
    assert!(RecordingReader::bytes("a.raw".as_ref(), vec![0; 8], &plain).is_err());
    assert!(RecordingReader::bytes("a.flac".as_ref(), vec![0; 8], &pairs).is_err());
    let nan = ReadingChoice { encoding: Some("float64-be".parse().unwrap()), ..plain.clone() };
    let bytes: Vec<u8> = [1.0, f64::NAN].iter().flat_map(|x| x.to_be_bytes()).collect();
    let error =
        RecordingReader::bytes("a.bin".as_ref(), bytes, &nan).unwrap().rest(&[0]).unwrap_err();
    assert!(error.to_string().contains("sample 1 of `channel` is NaN"), "{error}");
    // JSON in its three shapes.
    let expected = [Values::Integers(vec![1, -3]), Values::Reals(vec![0.5, 2.0])];
    assert_eq!(read("a.json", b"[[1, 0.5], [-3, 2]]", &plain), expected);
    assert_eq!(
        read("a.json", b"{\"b\": [1, -3], \"sample_rate_hz\": 8, \"a\": [0.5, 2]}", &plain),
        expected
    );
    assert_eq!(read("a.json", b"[1, -3]", &plain)[..], expected[..1]);
    for bad in [
        "[1, \"2\"]",
        "[[1], [2, 3]]",
        "{\"a\": [1], \"b\": [1, 2]}",
        "{\"a\": 1}",
        "7",
        "[1",
        "[]",
        "{}",
        "{\"sample_rate_hz\": -1, \"a\": [1]}",
    ] {
        assert!(RecordingReader::bytes("a.json".as_ref(), bad.into(), &plain).is_err(), "{bad}");
    }
}

#[test]
fn a_time_column_says_the_rate_and_must_fit_it() {
    let open = |text: &str, choice: &ReadingChoice| {
        RecordingReader::bytes("a.csv".as_ref(), text.into(), choice)
    };
    let plain = ReadingChoice::default();
    let at = |hertz: f64| ReadingChoice { rate: Some(rate(hertz)), ..ReadingChoice::default() };
    let even = |step: f64, digits: usize| -> String {
        let line = |n: u32| format!("{:.digits$},{n}\n", 5.0 + f64::from(n) * step);
        "time_s,strain\n".to_owned() + &(0..500).map(line).collect::<String>()
    };
    let found = |text: &str| open(text, &plain).unwrap().rate().map(SampleRate::hertz);
    assert_eq!(found(&even(0.001, 4)), Some(1000.0));
    // Six digits of a period of 10.4 microseconds: rounded by up to a twentieth of it, and yet even.
    assert_eq!(found(&even(1.0 / 96_000.0, 6)), Some(96_000.0));
    assert!((found(&even(0.0031, 4)).unwrap() - 1.0 / 0.0031).abs() < 1e-3);
    assert_eq!(found("strain\n1\n2\n"), None);
    assert_eq!(found("0,4\n1,5\n2,6\n"), None);
    let second = ReadingChoice { time: Some("2".to_owned()), ..plain.clone() };
    let numbers = open("4,0\n5,0.5\n6,1\n", &second).unwrap();
    assert_eq!((numbers.rate().unwrap().hertz(), numbers.choose(None).unwrap()), (2.0, 0));
    let error = |text: &str, choice: &ReadingChoice| open(text, choice).err().unwrap().to_string();
    let uneven = "time_s,x\n0.00,1\n0.10,2\n0.30,3\n0.40,4\n";
    assert!(error(uneven, &plain).contains("line 3, column `time_s`"), "{}", error(uneven, &plain));
    assert!(open(&even(0.001, 3), &at(1000.0)).is_ok());
    assert!(error(&even(0.001, 4), &at(500.0)).starts_with("a.csv: line 3, column `time_s`"));
    // A rate that is a little off shows once half a sample has added up: 0.5/1002 s in steps of 2
    // microseconds.
    let late = error(&even(0.001, 5), &at(1002.0));
    let line: u32 = late.split([' ', ',']).nth(2).unwrap().parse().unwrap();
    assert!((245..265).contains(&line), "{late}");
    assert!(
        error("a,b\n1,2\n", &ReadingChoice { time: Some("3".into()), ..plain })
            .contains("a, b; or their numbers")
    );
}

proptest! {
    /// Whatever stands in a file, it is read or refused.
    #[test]
    fn damaged_files_are_refused_or_read(ending in 0usize..5, flips in prop::collection::vec((0usize..400,
        any::<u8>()), 1..6), cut in 0usize..400) {
        let folder = tempfile::tempdir().unwrap();
        let ending = ["csv", "wav", "npy", "json", "raw"][ending];
        let path = folder.path().join(format!("made.{ending}"));
        let encoding = Encoding::signed(16);
        write(&path, &[samples(encoding, 40, 3), samples(encoding, 40, 4)], encoding, 48_000.0, 7).unwrap();
        let mut bytes = std::fs::read(&path).unwrap();
        let length = bytes.len();
        for (place, byte) in flips {
            bytes[place % length] = byte;
        }
        bytes.truncate(cut.max(1));
        std::fs::write(&path, &bytes).unwrap();
        let choice = ReadingChoice { encoding: Some(encoding), channels: 2, ..ReadingChoice::default() };
        if let Ok(mut reader) = RecordingReader::open(&path, &choice) {
            let all = reader.signals();
            if let Ok(values) = reader.rest(&all) {
                prop_assert!(values.iter().all(|one| one.len() as u64 == reader.samples()));
            }
        }
    }
}

#[test]
fn no_encoding_is_made_up() {
    for bad in [
        "int12",
        "int16",
        "int8-le",
        "float16-le",
        "uint64-le",
        "int16_le",
        "",
        "int-le",
        "float24-be",
    ] {
        let error = bad.parse::<Encoding>().unwrap_err();
        assert!(error.to_string().contains("int16-le"), "{bad}");
    }
}
