//! What is taken in and given out has limits, and nothing is lost in silence.

use mellow_rake_files::{
    CsvTable, Encoding, FileFormat, MOST_BYTES_OF_A_FIELD, MOST_BYTES_OF_A_LINE, MOST_COLUMNS,
    ReadingChoice, RecordingPlan, RecordingReader, RecordingWriter, Values,
};
use std::path::Path;

fn read(name: &str, bytes: Vec<u8>) -> Result<Vec<Values>, String> {
    let mut reader = RecordingReader::bytes(Path::new(name), bytes, &ReadingChoice::default())
        .map_err(|error| error.to_string())?;
    let all: Vec<usize> = (0..reader.names().len()).collect();
    reader.rest(&all).map_err(|error| error.to_string())
}

#[test]
fn text_without_an_end_is_refused() {
    let long = MOST_BYTES_OF_A_LINE as usize;
    // A quote that is not closed takes all that follows into one field.
    let mut open = b"a,b\n1,\"2\n".to_vec();
    open.resize(2 * long, b'\n');
    let error = read("a.csv", open).unwrap_err();
    assert!(error.contains("quote that is not closed"), "{error}");
    // The same in the first line, looked through once for what stands between fields.
    let mut open = b"\"a,b".to_vec();
    open.resize(2 * long, b'\n');
    let error = read("a.csv", open).unwrap_err();
    assert!(error.contains("quote that is not closed"), "{error}");
    // A quote within a field, or in a comment, opens nothing.
    let row = format!("0.{},2\n", "7".repeat(898));
    let rows = row.repeat(1 + long / 900);
    for head in ["a\"\",b\n", "# 5\" pipe\na,b\n", "a,b\n# \"\n", "\"a \"\"x\"\" \",b\n"] {
        let found = read("a.csv", format!("{head}{rows}").into_bytes()).unwrap();
        assert_eq!((found.len(), found[1].len()), (2, 1 + long / 900), "{head}");
    }
    let error = read("a.csv", vec![b'7'; long + 10]).unwrap_err();
    assert!(error.contains("a line of more than"), "{error}");
    let fields = |count: usize| "1,".repeat(count - 1) + "1\n";
    assert_eq!(read("a.csv", fields(MOST_COLUMNS).into_bytes()).unwrap().len(), MOST_COLUMNS);
    let error = read("a.csv", fields(MOST_COLUMNS + 1).into_bytes()).unwrap_err();
    assert!(error.contains("65537 columns; at most 65536"), "{error}");
    let digits = |count: usize| format!("a,b\n1,0.{}\n", "1".repeat(count - 2)).into_bytes();
    assert!(read("a.csv", digits(MOST_BYTES_OF_A_FIELD)).is_ok());
    let error = read("a.csv", digits(MOST_BYTES_OF_A_FIELD + 1)).unwrap_err();
    assert!(error.contains("line 2, column `b`: 1001 bytes; accepted: up to 1000"), "{error}");
}

/// The header of an NPY file is an expression: its brackets can stand within each other, and its length is
/// what it says itself.
#[test]
fn a_header_is_as_long_as_that_of_numbers() {
    let npy = |text: &str, claimed: u32| {
        let mut bytes = b"\x93NUMPY\x02\x00".to_vec();
        bytes.extend(claimed.to_le_bytes());
        bytes.extend(text.as_bytes());
        read("a.npy", bytes)
    };
    let whole = |text: &str| npy(text, text.len() as u32);
    let plain = "{'descr': '|i1', 'fortran_order': False, 'shape': (1,), }\n";
    let numbers = npy(&format!("{plain}\x07"), plain.len() as u32);
    assert_eq!(numbers, Ok(vec![Values::Integers(vec![7])]));
    let error = whole(plain).unwrap_err();
    assert!(error.contains("cut off at byte 70, in sample 0"), "{error}");
    let error = npy(plain, u32::MAX).unwrap_err();
    assert!(error.contains("4294967295 bytes; accepted: up to 65536"), "{error}");
    let error = npy(plain, 1_000).unwrap_err();
    assert!(error.contains("ends at byte 70, not 1012"), "{error}");
    for open in ["[", "(", "{", "[(", "'[", "\\'["] {
        for times in [1, 3, 8, 30, 1_000, 20_000] {
            for close in ["", "]", ")"] {
                let nested = format!("{{'descr': {}0{}", open.repeat(times), close.repeat(times));
                assert!(whole(&nested).is_err(), "{nested}");
            }
        }
    }
    let records =
        "{'descr': [('x', '<f4'), ('y', '<f4')], 'fortran_order': False, 'shape': (0,), }\n";
    assert!(whole(records).unwrap_err().contains("it holds records"));
}

/// A file of thousands of columns, or of one long word, is refused in a line or two.
#[test]
fn refusals_are_short_whatever_the_file_holds() {
    use mellow_rake_files::{coefficients_from_csv, coefficients_from_json, curve_from_csv};
    let names: Vec<String> = (0..20_000).map(|k| format!("column{k}{}", "x".repeat(30))).collect();
    let wide = format!("{}\n{}\n", names.join(","), vec!["1"; names.len()].join(","));
    let word = format!("{{\"taps\": \"{}\"}}", "y".repeat(1 << 20));
    for said in [
        coefficients_from_csv(wide.as_bytes()).unwrap_err().to_string(),
        curve_from_csv(wide.as_bytes()).unwrap_err().to_string(),
        coefficients_from_json(word.as_bytes()).unwrap_err().to_string(),
        RecordingReader::bytes(Path::new("a.csv"), wide.into_bytes(), &ReadingChoice::default())
            .and_then(|reader| reader.choose(None))
            .unwrap_err()
            .to_string(),
    ] {
        assert!(said.len() < 1_200, "{} bytes: {}", said.len(), &said[..200]);
        assert!(said.contains("accepted") || said.contains("and 19988 more"), "{said}");
    }
}

#[test]
fn names_can_be_told_apart() {
    let error = CsvTable::parse(b"t,a,b,a\n0,1,2,3\n").unwrap_err().to_string();
    assert_eq!(error, "columns 2 and 4 are both called `a`; a name of its own for each is wanted");
    let error = read("a.json", br#"{"a": [1, 2], "b": [3, 4], "a": [5, 6]}"#.to_vec());
    assert!(error.unwrap_err().contains("`a` stands there twice"));
}

/// Plans a file, and pushes one block.
fn write(path: &Path, names: &[&str], encoding: Encoding, block: &[Values]) -> Result<(), String> {
    let plan = RecordingPlan {
        names: names.iter().map(|name| (*name).to_owned()).collect(),
        rate: "1 kHz".parse().unwrap(),
        samples: block[0].len() as u64,
        encoding,
    };
    let mut writer = RecordingWriter::create(path, plan).map_err(|error| error.to_string())?;
    writer.push(block).map_err(|error| error.to_string())?;
    writer.finish().map_err(|error| error.to_string())
}

#[test]
fn what_a_file_cannot_say_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let double = Encoding::float(true);
    let one = [Values::Integers(vec![1, 2])];
    let two = [Values::Integers(vec![1, 2]), Values::Integers(vec![3, 4])];
    for (file, names, block, said) in [
        ("a.csv", &["time_s"][..], &one[..], "the file gets by itself"),
        ("a.json", &["sample_rate_hz"], &one, "the file gets by itself"),
        ("a.csv", &["a", "a"], &two, "two columns would be called `a`"),
        ("a.json", &["a", "a"], &two, "two columns would be called `a`"),
    ] {
        let error = write(&at(file), names, double, block).unwrap_err();
        assert!(error.contains(said), "{error}");
    }
    // Channels of a WAV file have no names.
    write(&at("a.wav"), &["a", "a"], Encoding::signed(16), &two).unwrap();
    for (file, encoding, value) in [
        ("a.csv", double, f64::NAN),
        ("a.json", double, f64::INFINITY),
        ("a.npy", double, f64::NEG_INFINITY),
        ("a.npy", Encoding::float(false), 1e39),
        ("a.wav", Encoding::float(false), -4e38),
    ] {
        let block = [Values::Reals(vec![0.0, value])];
        let error = write(&at(file), &["x"], encoding, &block).unwrap_err();
        assert!(error.contains(&format!("sample 1 of `x` becomes {value:?}")), "{error}");
        assert!(!at(file).exists() || file == "a.wav", "{file} was left");
    }
    // A name that needs quotes comes back.
    let name = "b \"1\", #2\tx";
    write(&at("b.csv"), &[name], double, &one).unwrap();
    let choice = ReadingChoice::default();
    let found = RecordingReader::open(&at("b.csv"), &choice).unwrap();
    assert_eq!(found.names(), ["time_s", name]);
}

/// No disk holds 2^60 samples; the folder says so before a byte is written.
#[test]
fn a_file_that_finds_no_room_is_not_begun() {
    let folder = tempfile::tempdir().unwrap();
    for name in ["a.csv", "a.npy", "a.raw", "a.json"] {
        let plan = RecordingPlan {
            names: vec!["x".to_owned()],
            rate: "1 kHz".parse().unwrap(),
            samples: 1 << 60,
            encoding: Encoding::signed(16),
        };
        let path = folder.path().join(name);
        let error = RecordingWriter::create(&path, plan).err().unwrap().to_string();
        let said = if name == "a.json" { "is made in memory" } else { "are free there" };
        assert!(error.contains(said) && !path.exists(), "{error}");
    }
}

#[test]
fn words_of_18_bits_go_into_every_format() {
    let folder = tempfile::tempdir().unwrap();
    let samples = vec![-131_072, 131_071, 5];
    for name in ["a.csv", "a.wav", "a.npy", "a.json"] {
        let path = folder.path().join(name);
        let format = FileFormat::of(&path).unwrap();
        let block = [Values::Integers(samples.clone())];
        write(&path, &["x"], format.signed(18), &block).unwrap();
        let mut found = RecordingReader::open(&path, &ReadingChoice::default()).unwrap();
        let column = found.choose(None).unwrap();
        assert_eq!(found.rest(&[column]).unwrap(), block, "{name}");
    }
}

/// What is there only once is read whole; the times of a text are looked through twice.
#[cfg(unix)]
#[test]
fn a_pipe_can_be_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pipe.csv");
    let made = std::process::Command::new("mkfifo").arg(&path).status().unwrap();
    assert!(made.success());
    let writer = {
        let path = path.clone();
        std::thread::spawn(move || std::fs::write(path, "time_s,a\n0,1\n0.5,-2\n"))
    };
    let mut found = RecordingReader::open(&path, &ReadingChoice::default()).unwrap();
    writer.join().unwrap().unwrap();
    assert_eq!(found.rate().unwrap().hertz(), 2.0);
    assert_eq!(found.rest(&[1]).unwrap(), [Values::Integers(vec![1, -2])]);
}
