//! Pages say the same at any width, and what came of a check stands in them as a block of its own.

use mellow_rake::spec::{kinds, template};
use mellow_rake::study::{InTurn, OtherForm, Study};
use mellow_rake_report::{Block, Document, page};

fn study(kind: &str) -> Study {
    let text = template(kind).unwrap();
    Study::of_text(text, |name| Err(format!("{name} is not there"))).unwrap()
}

/// The same words in the same order, and lines of words within the width.
fn holds(page: &Document, kind: &str) {
    let words = |columns: usize| {
        page.text(columns).split_whitespace().map(str::to_owned).collect::<Vec<_>>()
    };
    for columns in [40, 80, 96, 200] {
        assert_eq!(words(columns), words(1_000), "{kind}");
        let mut at = 0;
        let text = page.text(columns);
        let lines: Vec<&str> = text.lines().collect();
        for block in page.blocks() {
            let mut alone = Document::default();
            let count = match block {
                Block::Paragraph { text, first, others } => {
                    alone.paragraph(&format!("{}{text}", " ".repeat(*first)), *others);
                    alone.text(columns).lines().count()
                }
                Block::Table { rows, .. } => rows.len() + 1,
                Block::Line { .. } => 1,
                Block::Verdict { .. } => {
                    // Wrapped as words are.
                    let mut end = at + 1;
                    while end < lines.len() && lines[end].starts_with("    ") {
                        end += 1;
                    }
                    end - at
                }
                Block::Figure { letters, .. } => letters.lines().count(),
                _ => panic!("a block that is not known"),
            };
            if let Block::Paragraph { .. } = block {
                for line in &lines[at..at + count] {
                    let is_one = line.split_whitespace().count() == 1;
                    assert!(is_one || line.chars().count() <= columns, "{kind}: {line}");
                }
            }
            at += count;
        }
        assert_eq!(at, lines.len(), "{kind} at {columns}: every line belongs to a block");
    }
}

/// In a narrow terminal every word is there, and no line is wider but for a word, or a column beside the
/// first.
fn fits(page: &Document, kind: &str) {
    for columns in [40, 60, 80] {
        let text = page.fitted(columns);
        for word in page.text(1_000).split_whitespace() {
            assert!(text.contains(word), "{kind} at {columns}: `{word}` is lost");
        }
        for line in text.lines().filter(|line| line.chars().count() > columns) {
            let gaps = line.trim_start().split("  ").filter(|cell| !cell.trim().is_empty()).count();
            assert!(gaps <= 2, "{kind} at {columns}: {line}");
        }
    }
    assert_eq!(
        page.fitted(1_000),
        page.text(1_000),
        "{kind}: where there is room nothing is parted"
    );
}

fn verdicts(page: &Document) -> Vec<Option<bool>> {
    let verdict = |block: &Block| match block {
        Block::Verdict { held, .. } => Some(*held),
        _ => None,
    };
    page.blocks().iter().filter_map(verdict).collect()
}

#[test]
fn every_design_is_a_page_at_any_width() {
    for kind in kinds() {
        let study = study(kind);
        let mut whole = page::design(&study);
        assert_eq!(verdicts(&whole)[0], study.meets_spec(), "{kind}");
        let forms: Vec<_> = OtherForm::ALL.iter().map(|(form, ..)| study.in_form(*form)).collect();
        whole.append(page::forms(&forms));
        whole.append(page::roots(&study));
        holds(&whole, kind);
        fits(&whole, kind);
    }
}

#[test]
fn words_are_a_page_at_any_width() {
    for kind in ["notch", "bandpass", "all-pass", "smoother"] {
        let study = study(kind);
        let found = study.quantization(&InTurn).unwrap();
        let page = page::quantization(study.integers().unwrap(), &found);
        holds(&page, kind);
        fits(&page, kind);
    }
}

/// A page as data has every block, and says which it is.
#[test]
fn a_page_is_data() {
    let page = page::design(&study("lowpass"));
    let blocks = serde_json::to_value(&page).unwrap();
    let blocks = blocks["blocks"].as_array().unwrap();
    assert_eq!(blocks.len(), page.blocks().len());
    for name in ["line", "paragraph", "table", "verdict"] {
        assert!(blocks.iter().any(|block| block["block"] == name), "{name}");
    }
}
