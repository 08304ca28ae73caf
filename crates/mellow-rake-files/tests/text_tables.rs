//! Tables as many hands write them: the same names and numbers, whatever stands between and around them.

use mellow_rake_files::{
    CsvTable, ReadingChoice, RecordingReader, Values, coefficients_from_csv,
    coefficients_from_json, curve_from_csv,
};
use proptest::prelude::*;
use std::path::Path;

/// Names that need quotes, and some that do not; none that is a time.
const NAMES: [&str; 10] = [
    "strain",
    "a b",
    "x,y",
    "l;r",
    "tab\there",
    "said \"so\"",
    "# 5",
    "two\nlines",
    "Spannung in µV",
    "c",
];
/// What is no number of a table.
const BAD: [&str; 10] = ["x", "nan", "-inf", "0x10", "1_000", "1 2", "--1", "1e", "", "1.2.3"];
const COMMENTS: [&str; 5] = ["# plain", "#", "# 5\" pipe", "# a,b;c\td", "#\u{2212}1,2"];

/// One number in one of the ways to write it.
#[derive(Debug, Clone)]
struct Number {
    text: String,
    value: f64,
    is_integer: bool,
}

fn number() -> impl Strategy<Value = Number> {
    let integer = (-1_000_000i64..1_000_000, 0usize..3).prop_map(|(value, style)| Number {
        text: match style {
            0 => format!("{value:+}"),
            1 if value >= 0 => format!("00{value}"),
            _ => value.to_string(),
        },
        value: value as f64,
        is_integer: true,
    });
    let real = (-1e6f64..1e6, 0usize..6).prop_map(|(value, style)| {
        let text = match style {
            0 => format!("{value:?}"),
            1 => format!("{value:e}"),
            2 => format!("{value:.3}"),
            3 => format!("{value:+.2E}"),
            4 => format!("{}.", value as i64),
            _ => format!(".{:05}", (value.abs() as i64) % 100_000),
        };
        let value = text.parse().unwrap();
        Number { text, value, is_integer: false }
    });
    prop_oneof![2 => integer, 1 => real]
}

/// How a table is written.
#[derive(Debug, Clone)]
struct Style {
    between: char,
    ends: Vec<bool>,
    blanks: Vec<u8>,
    quotes: Vec<bool>,
    comments: Vec<Option<usize>>,
    has_mark: bool,
    has_header: bool,
    ends_open: bool,
}

fn style() -> impl Strategy<Value = Style> {
    (
        prop::sample::select(vec![',', ';', '\t']),
        prop::collection::vec(any::<bool>(), 1..9),
        prop::collection::vec(0u8..4, 1..9),
        prop::collection::vec(any::<bool>(), 1..9),
        prop::collection::vec(prop::option::weighted(0.3, 0..COMMENTS.len()), 1..9),
        any::<[bool; 3]>(),
    )
        .prop_map(
            |(between, ends, blanks, quotes, comments, [has_mark, has_header, ends_open])| Style {
                between,
                ends,
                blanks,
                quotes,
                comments,
                has_mark,
                has_header,
                ends_open,
            },
        )
}

fn table() -> impl Strategy<Value = (Vec<&'static str>, Vec<Vec<Number>>)> {
    prop::sample::subsequence(NAMES.to_vec(), 1..6).prop_shuffle().prop_flat_map(|names| {
        let row = prop::collection::vec(number(), names.len());
        (Just(names), prop::collection::vec(row, 1..30))
    })
}

/// The text, and of each row the line that it stands in.
fn written(names: &[&str], rows: &[Vec<Number>], style: &Style) -> (String, Vec<usize>) {
    let mut count = 0;
    let mut at = |choices: usize| {
        count += 1;
        count % choices
    };
    let mut text = String::new();
    let mut field = |plain: &str, must: bool, text: &mut String| {
        let pad = style.blanks[at(style.blanks.len())];
        let is_quoted = must || style.quotes[at(style.quotes.len())];
        // What stands in quotes begins with them (RFC 4180).
        if pad & 1 > 0 && !is_quoted {
            text.push(' ');
        }
        match is_quoted {
            true => *text += &format!("\"{}\"", plain.replace('"', "\"\"")),
            false => *text += plain,
        }
        if pad & 2 > 0 && !is_quoted {
            text.push(' ');
        }
    };
    let (mut lines, mut line) = (Vec::new(), 1);
    let header = style.has_header.then(|| {
        let number =
            |name: &&str| Number { text: (*name).to_owned(), value: 0.0, is_integer: false };
        names.iter().map(number).collect::<Vec<_>>()
    });
    let all: Vec<&Vec<Number>> = header.iter().chain(rows).collect();
    for (row, fields) in all.iter().enumerate() {
        if let Some(comment) = style.comments[row % style.comments.len()] {
            text += COMMENTS[comment];
            text.push('\n');
            line += 1;
        }
        lines.push(line);
        for (index, number) in fields.iter().enumerate() {
            if index > 0 {
                text.push(style.between);
            }
            let must = number.text.contains(['"', ',', ';', '\t', '\n', '#']);
            field(&number.text, must, &mut text);
            line += number.text.matches('\n').count();
        }
        if !(style.ends_open && row + 1 == all.len()) {
            text += if style.ends[row % style.ends.len()] { "\r\n" } else { "\n" };
        }
        line += 1;
    }
    if style.has_mark {
        text.insert(0, '\u{feff}');
    }
    (text, lines.split_off(usize::from(style.has_header)))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, failure_persistence: None, ..ProptestConfig::default() })]

    /// Names and numbers come back, integers as integers; in blocks of any length as in one.
    #[test]
    fn a_table_is_the_same_in_every_hand(
        (names, rows) in table(), style in style(), blocks in prop::collection::vec(1usize..12, 1..5),
    ) {
        let (text, _) = written(&names, &rows, &style);
        let read = CsvTable::parse(text.as_bytes());
        let read = read.map_err(|error| TestCaseError::fail(format!("{error}\n{text}")))?;
        prop_assert_eq!(read.columns.len(), names.len(), "{:?}", &text);
        for (index, column) in read.columns.iter().enumerate() {
            let expected = match style.has_header {
                true => names[index].to_owned(),
                false => format!("column_{}", index + 1),
            };
            prop_assert_eq!(&column.name, &expected, "{:?}", &text);
            let values = rows.iter().map(|row| row[index].value);
            match &column.values {
                Values::Integers(found) => {
                    prop_assert!(rows.iter().all(|row| row[index].is_integer), "{}", text);
                    prop_assert!(found.iter().map(|value| *value as f64).eq(values), "{}", text);
                }
                Values::Reals(found) => {
                    prop_assert!(rows.iter().any(|row| !row[index].is_integer), "{}", text);
                    prop_assert!(found.iter().copied().eq(values), "{}", text);
                }
            }
        }
        let bytes = text.into_bytes();
        let choice = ReadingChoice::default();
        let mut reader = RecordingReader::bytes(Path::new("a.csv"), bytes, &choice).unwrap();
        let all: Vec<usize> = (0..names.len()).collect();
        let (mut found, mut turn) = (vec![Vec::new(); names.len()], 0);
        loop {
            let block = reader.next_block(&all, blocks[turn % blocks.len()]).unwrap();
            if block[0].is_empty() {
                break;
            }
            for (all, values) in found.iter_mut().zip(&block) {
                all.extend(values.reals());
            }
            turn += 1;
        }
        let whole: Vec<Vec<f64>> = read.columns.iter().map(|column| column.values.reals()).collect();
        prop_assert_eq!(found, whole);
    }

    /// What is no number is refused in its line and column.
    #[test]
    fn what_is_no_number_is_refused_at_its_place(
        (names, rows) in table(), style in style(), row in any::<prop::sample::Index>(),
        column in any::<prop::sample::Index>(),
        bad in prop::sample::select(BAD.to_vec()),
    ) {
        let style = Style { has_header: true, ..style };
        let (row, column) = (row.index(rows.len()), column.index(names.len()));
        // A line without any letter is no line of samples.
        prop_assume!(!(bad.is_empty() && names.len() == 1));
        let mut rows = rows;
        rows[row][column].text = bad.to_owned();
        let (text, lines) = written(&names, &rows, &style);
        let error = CsvTable::parse(text.as_bytes()).unwrap_err().to_string();
        let expected = format!("line {}, column `{}`: found `{bad}`", lines[row], names[column]);
        prop_assert!(error.starts_with(&expected), "{error}\n{expected}\n{text}");
    }

    /// Coefficients and curves are found by the names of their columns, wherever these stand.
    #[test]
    fn coefficients_are_found_by_name(
        sections in prop::collection::vec(prop::array::uniform6(-4.0f64..4.0), 1..6),
        order in Just((0..6).collect::<Vec<usize>>()).prop_shuffle(), has_a0: bool,
    ) {
        use mellow_rake::spec::Coefficients;
        let names = ["b0", "b1", "b2", "a0", "a1", "a2"];
        let order: Vec<usize> = order.into_iter().filter(|k| has_a0 || *k != 3).collect();
        let line = |fields: Vec<String>| fields.join(",") + "\n";
        let mut text = line(order.iter().map(|k| names[*k].to_owned()).collect());
        for section in &sections {
            text += &line(order.iter().map(|k| format!("{:?}", section[*k])).collect());
        }
        let rows: Vec<[f64; 6]> = sections
            .iter()
            .map(|[b0, b1, b2, a0, a1, a2]| [*b0, *b1, *b2, if has_a0 { *a0 } else { 1.0 }, *a1, *a2])
            .collect();
        let expected = Coefficients::Sections(rows.clone());
        prop_assert_eq!(&coefficients_from_csv(text.as_bytes()).unwrap(), &expected);
        let object = |row: &[f64; 6]| format!("{{\"a\": {:?}, \"b\": {:?}, \"x\": 0}}", &row[3..], &row[..3]);
        let objects: Vec<String> = rows.iter().map(object).collect();
        let json = format!("{{\"name\": \"x\", \"sections\": [{}]}}", objects.join(","));
        prop_assert_eq!(coefficients_from_json(json.as_bytes()).unwrap(), expected);
        // Without one of them there are none.
        for missing in ["b0", "b1", "b2", "a1", "a2"] {
            let other = text.replacen(missing, "c", 1);
            prop_assert!(coefficients_from_csv(other.as_bytes()).is_err());
        }
        let curve = |hertz: &str, level: &str| {
            let mut text = format!("note,{level},{hertz}\n");
            for [note, hertz, level, ..] in &rows {
                text += &format!("{note:?},{level:?},{hertz:?}\n");
            }
            curve_from_csv(text.as_bytes())
        };
        let expected: Vec<(f64, f64)> = rows.iter().map(|row| (row[1], row[2])).collect();
        for hertz in ["frequency_hz", "frequency", "hz", "frequency_Hz"] {
            for level in ["level_db", "level", "gain_db", "db"] {
                prop_assert_eq!(&curve(hertz, level).unwrap(), &expected);
            }
        }
        prop_assert!(curve("omega", "db").is_err() && curve("hz", "loudness").is_err());
    }
}
