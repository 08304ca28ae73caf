//! Pages of any blocks, at any width: nothing is lost, nothing is broken that stays whole, nothing is wider
//! than the terminal that could be narrower, and JSON has what the text has.

use mellow_rake_report::{Block, Document};
use proptest::collection::vec;
use proptest::prelude::*;
use std::fmt::Write;

/// Words as pages have them: figures, units, signs beyond ASCII.
fn word() -> impl Strategy<Value = String> {
    prop_oneof![
        "[a-z]{1,12}",
        "-?[0-9]{1,4}\\.[0-9]{1,3}",
        Just("Ω".to_owned()),
        Just("−3.5".to_owned()),
        Just("µs".to_owned()),
        Just("σ²=0.25".to_owned()),
        "[a-zé−]{20,40}",
    ]
}

/// A line with an indent and gaps of its own.
fn line() -> impl Strategy<Value = String> {
    (0usize..12, vec((word(), 1usize..4), 0..14)).prop_map(|(indent, words)| {
        let body: String =
            words.iter().map(|(word, gap)| format!("{word}{}", " ".repeat(*gap))).collect();
        format!("{}{}", " ".repeat(indent), body.trim_end())
    })
}

type Rows = (Vec<String>, Vec<Vec<String>>);

/// A table with a header, of as many cells in each row.
fn cells() -> impl Strategy<Value = Rows> {
    (1usize..9, 0usize..6)
        .prop_flat_map(|(columns, rows)| (vec(word(), columns), vec(vec(word(), columns), rows)))
}

#[derive(Debug, Clone)]
enum Part {
    Line(String),
    Paragraph(Vec<String>, usize, usize),
    Table(Rows),
    Verdict(Option<bool>, Vec<String>),
}

fn part() -> impl Strategy<Value = Part> {
    prop_oneof![
        line().prop_map(Part::Line),
        (vec(word(), 1..30), 0usize..6, 0usize..6)
            .prop_map(|(words, first, others)| Part::Paragraph(words, first, others)),
        cells().prop_map(Part::Table),
        (any::<Option<bool>>(), vec(word(), 1..20))
            .prop_map(|(held, words)| Part::Verdict(held, words)),
    ]
}

fn page_of(parts: &[Part]) -> Document {
    let mut page = Document::default();
    for part in parts {
        match part {
            Part::Line(line) => page.lines(line),
            Part::Paragraph(words, first, others) => {
                page.paragraph(&format!("{}{}", " ".repeat(*first), words.join(" ")), *others);
            }
            Part::Table((header, rows)) => {
                let header: Vec<&str> = header.iter().map(String::as_str).collect();
                page.table(&header, rows);
            }
            Part::Verdict(held, words) => page.verdict(*held, words.join(" ")),
        }
    }
    page
}

/// The words of a part, in the order that they are read.
fn words(part: &Part) -> Vec<String> {
    let split = |line: &String| line.split_whitespace().map(str::to_owned).collect::<Vec<_>>();
    match part {
        Part::Line(line) => split(line),
        Part::Paragraph(words, ..) | Part::Verdict(_, words) => words.clone(),
        Part::Table((header, rows)) => {
            header.iter().chain(rows.iter().flatten()).cloned().collect()
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn no_word_is_lost_at_any_width(parts in vec(part(), 0..8), columns in 1usize..140) {
        let page = page_of(&parts);
        let expected: Vec<String> = parts.iter().flat_map(words).collect();
        let text = page.text(columns);
        prop_assert!(text.split_whitespace().eq(expected.iter().map(String::as_str)), "{}", text);
        // A table that is told in parts repeats its first column: at least as many words, all of them there.
        let fitted = page.fitted(columns);
        let found: Vec<&str> = fitted.split_whitespace().collect();
        prop_assert!(found.len() >= expected.len());
        let has_table = parts.iter().any(|part| matches!(part, Part::Table(_)));
        prop_assert!(has_table || found.iter().eq(expected.iter()), "{}", fitted);
        for word in &expected {
            let count = |all: &mut dyn Iterator<Item = &str>| all.filter(|one| one == word).count();
            let wanted = count(&mut expected.iter().map(String::as_str));
            prop_assert!(count(&mut found.iter().copied()) >= wanted, "{}\n{}", word, fitted);
        }
    }

    /// A line is longer than the terminal only where nothing in it can be broken: a single word behind its
    /// indent, or a row of a table of two columns.
    #[test]
    fn lines_fit_where_they_can(lines in vec(line(), 1..6), rows in cells(), columns in 24usize..140) {
        let mut page = Document::default();
        lines.iter().for_each(|line| page.lines(line));
        for line in page.fitted(columns).lines() {
            let is_one = line.split_whitespace().count() <= 1;
            prop_assert!(is_one || line.chars().count() <= columns, "{} {:?}", columns, line);
        }
        let page = page_of(&[Part::Table(rows)]);
        for line in page.fitted(columns).lines() {
            let is_pair = line.split_whitespace().count() <= 2;
            prop_assert!(is_pair || line.chars().count() <= columns, "{} {:?}", columns, line);
        }
    }

    /// JSON has the same blocks, and a page that is put together of two has those of both.
    #[test]
    fn json_has_what_the_text_has(first in vec(part(), 0..5), second in vec(part(), 0..5)) {
        let (mut page, other) = (page_of(&first), page_of(&second));
        let alone = [page.text(80), other.text(80)].concat();
        page.append(other);
        prop_assert_eq!(page.text(80), alone);
        let object = serde_json::to_value(&page).unwrap();
        let blocks = object["blocks"].as_array().unwrap();
        let parts: Vec<&Part> = first.iter().chain(&second).collect();
        prop_assert_eq!(blocks.len(), parts.len());
        for (block, part) in blocks.iter().zip(parts) {
            match part {
                Part::Line(line) => prop_assert_eq!(block["text"].as_str(), Some(line.as_str())),
                Part::Paragraph(words, first, others) => {
                    prop_assert_eq!(block["text"].as_str().unwrap(), words.join(" "));
                    prop_assert_eq!(block["first"].as_u64(), Some(*first as u64));
                    prop_assert_eq!(block["others"].as_u64(), Some(*others as u64));
                }
                Part::Table((header, rows)) => {
                    prop_assert_eq!(&block["header"], &serde_json::json!(header));
                    prop_assert_eq!(&block["rows"], &serde_json::json!(rows));
                }
                Part::Verdict(held, words) => {
                    prop_assert_eq!(block["held"].as_bool(), *held);
                    prop_assert_eq!(block["text"].as_str().unwrap(), words.join(" "));
                }
            }
        }
    }

    /// What is written in pieces, wherever they end, is what is written at once.
    #[test]
    fn lines_are_the_same_in_any_pieces(text in "[ a−z\n]{0,80}", cuts in vec(0usize..80, 0..6)) {
        let mut at_once = Document::default();
        write!(at_once, "{text}").unwrap();
        let mut in_pieces = Document::default();
        let mut rest = text.as_str();
        for cut in cuts {
            let cut = rest.char_indices().nth(cut).map_or(rest.len(), |(at, _)| at);
            let (piece, more) = rest.split_at(cut);
            write!(in_pieces, "{piece}").unwrap();
            rest = more;
        }
        write!(in_pieces, "{rest}").unwrap();
        prop_assert_eq!(at_once.text(80), in_pieces.text(80));
        prop_assert_eq!(at_once.text(80), text.clone());
        let lines = text.matches('\n').count();
        prop_assert_eq!(at_once.blocks().iter().filter(|b| matches!(b, Block::Line { .. })).count(), lines);
    }
}
