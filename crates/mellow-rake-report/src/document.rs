//! A page as blocks, of which text for a terminal is one rendering.

use comfy_table::{CellAlignment, ContentArrangement, Table, presets};
use mellow_rake_figures::{FigureError, Panel, SketchStyle, sketch};
use serde::Serialize;
use std::fmt;

/// Columns that lines of words are kept within where nothing says how wide they may be.
pub const COLUMNS: usize = 96;

/// Part of a page.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(tag = "block", rename_all = "snake_case")]
#[non_exhaustive]
pub enum Block {
    /// A line that stays whole: a heading, a row of coefficients, a path.
    Line {
        /// The line, without its end.
        text: String,
    },
    /// Words that are broken into lines.
    Paragraph {
        /// The words.
        text: String,
        /// Columns before the first line.
        first: usize,
        /// Columns before all others.
        others: usize,
    },
    /// Figures in columns: the first to the left, all others to the right.
    Table {
        /// What the columns are.
        header: Vec<String>,
        /// The rows.
        rows: Vec<Vec<String>>,
    },
    /// What came of a check.
    Verdict {
        /// Whether it held; `None` where there was nothing to check.
        held: Option<bool>,
        /// In words.
        text: String,
    },
    /// A figure.
    Figure {
        /// Its axes, its template and its curves.
        panel: Box<Panel>,
        /// The same drawn in letters, for pages that are text.
        #[serde(skip)]
        letters: String,
    },
}

/// A page.
///
/// ```
/// use mellow_rake_report::Document;
/// let mut page = Document::of("breath at 64 Hz");
/// page.table(&["measured", "found"], &[vec!["ripple".to_owned(), "0.1".to_owned()]]);
/// page.verdict(Some(true), "meets the spec");
/// assert_eq!(page.text(80), "breath at 64 Hz\n  measured  found\n  ripple      0.1\n  meets the spec\n");
/// ```
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
pub struct Document {
    blocks: Vec<Block>,
    /// A line that has not ended.
    #[serde(skip)]
    begun: String,
}

impl Document {
    /// A page that begins with lines.
    pub fn of(text: &str) -> Self {
        let mut page = Document::default();
        page.lines(text);
        page
    }

    /// A page of words alone; see [`paragraph`](Document::paragraph).
    pub fn words(text: &str, others: usize) -> Self {
        let mut page = Document::default();
        page.paragraph(text, others);
        page
    }

    /// Its blocks.
    pub fn blocks(&self) -> &[Block] {
        &self.blocks
    }

    /// Lines that stay whole.
    pub fn lines(&mut self, text: &str) {
        let texts = text.strip_suffix('\n').unwrap_or(text).split('\n');
        self.blocks.extend(texts.map(|line| Block::Line { text: line.to_owned() }));
    }

    /// An empty line.
    pub fn gap(&mut self) {
        self.lines("");
    }

    /// Words on lines, all but the first indented as far as the second argument says; the first is indented
    /// as it is.
    pub fn paragraph(&mut self, text: &str, others: usize) {
        let first = text.len() - text.trim_start().len();
        self.blocks.push(Block::Paragraph { text: text.trim().to_owned(), first, others });
    }

    /// A table.
    pub fn table(&mut self, header: &[&str], rows: &[Vec<String>]) {
        let header = header.iter().map(|name| (*name).to_owned()).collect();
        self.blocks.push(Block::Table { header, rows: rows.to_vec() });
    }

    /// What came of a check.
    pub fn verdict(&mut self, held: Option<bool>, text: impl Into<String>) {
        self.blocks.push(Block::Verdict { held, text: text.into() });
    }

    /// A figure, drawn in letters of a style in so many columns where the page is text.
    ///
    /// # Errors
    /// [`FigureError`] where so many columns have no room for it.
    pub fn figure(
        &mut self,
        panel: Panel,
        columns: usize,
        style: SketchStyle,
    ) -> Result<(), FigureError> {
        let letters = sketch(&panel, columns, style)?;
        self.blocks.push(Block::Figure { panel: Box::new(panel), letters });
        Ok(())
    }

    /// All blocks of another page.
    pub fn append(&mut self, other: Document) {
        self.blocks.extend(other.blocks);
    }

    /// The page as text, its words within so many columns; lines and tables stay whole.
    pub fn text(&self, columns: usize) -> String {
        let whole: String = self.blocks.iter().map(|block| rendered(block, columns)).collect();
        whole + &self.begun
    }

    /// The page for a terminal of so many columns: lines that are longer go on below, tables that are wider
    /// are told in parts, each with the first column.
    ///
    /// ```
    /// use mellow_rake_report::Document;
    /// let mut page = Document::default();
    /// let row = ["gain", "1.0", "2.0", "3.0"].map(str::to_owned);
    /// page.table(&["", "first", "second", "third"], &[row.to_vec()]);
    /// let parts = "        first  second\n  gain    1.0     2.0\n        third\n  gain    3.0\n";
    /// assert_eq!(page.fitted(24), parts);
    /// ```
    pub fn fitted(&self, columns: usize) -> String {
        let fit = |block: &Block| match block {
            Block::Line { text } if text.chars().count() > columns => continued(text, columns),
            Block::Table { header, rows } => parts(header, rows, columns),
            block => rendered(block, columns),
        };
        self.blocks.iter().map(fit).collect::<String>() + &self.begun
    }
}

/// Lines that stay whole are written with `writeln!`.
impl fmt::Write for Document {
    fn write_str(&mut self, text: &str) -> fmt::Result {
        self.begun.push_str(text);
        while let Some(end) = self.begun.find('\n') {
            let rest = self.begun.split_off(end + 1);
            let line = std::mem::replace(&mut self.begun, rest);
            self.lines(&line);
        }
        Ok(())
    }
}

fn rendered(block: &Block, columns: usize) -> String {
    match block {
        Block::Line { text } => format!("{text}\n"),
        Block::Paragraph { text, first, others } => wrapped(text, *first, *others, columns),
        Block::Table { header, rows } => table(header, rows),
        Block::Verdict { text, .. } => wrapped(text, 2, 4, columns),
        Block::Figure { letters, .. } => letters.clone(),
    }
}

fn wrapped(text: &str, first: usize, others: usize, columns: usize) -> String {
    let mut lines = vec![" ".repeat(first)];
    for word in text.split_whitespace() {
        let line = lines.last().map_or(0, |line| line.chars().count());
        let is_new = lines.last().is_some_and(|line| line.trim().is_empty());
        if !is_new && line + 1 + word.chars().count() > columns {
            lines.push(format!("{}{word}", " ".repeat(others)));
        } else if let Some(last) = lines.last_mut() {
            if !is_new {
                last.push(' ');
            }
            last.push_str(word);
        }
    }
    lines.join("\n") + "\n"
}

/// A line that goes on below, broken between words, its own gaps kept.
fn continued(text: &str, columns: usize) -> String {
    // By characters, of which some are several bytes.
    let blanks = |line: &[char]| line.iter().take_while(|c| c.is_whitespace()).count();
    let mut rest: Vec<char> = text.chars().collect();
    let below = (blanks(&rest) + 2).min(columns / 2);
    let mut lines = String::new();
    while rest.len() > columns {
        let begin = blanks(&rest) + 1;
        // The last gap that fits, or the first there is.
        let mut fitting = (begin..=columns).rev();
        let gap = fitting.find(|at| rest[*at] == ' ');
        let Some(gap) = gap.or_else(|| (begin..rest.len()).find(|at| rest[*at] == ' ')) else {
            break;
        };
        let line: String = rest[..gap].iter().collect();
        lines.push_str(line.trim_end());
        lines.push('\n');
        let more = rest.split_off(gap);
        rest = vec![' '; below];
        rest.extend(&more[blanks(&more)..]);
    }
    lines + rest.iter().collect::<String>().trim_end() + "\n"
}

/// A table, or so many columns of it side by side as there is room for, each time behind the first.
fn parts(header: &[String], rows: &[Vec<String>], columns: usize) -> String {
    let width = |column: usize| {
        let cells =
            rows.iter().map(|row| &row[..]).chain([header]).filter_map(|row| row.get(column));
        cells.map(|cell| cell.chars().count()).max().unwrap_or(0)
    };
    // Two blanks before each column, as the table is drawn.
    let widths: Vec<usize> = (0..header.len()).map(|column| width(column) + 2).collect();
    let (mut text, mut from) = (String::new(), 1);
    if widths.iter().sum::<usize>() <= columns || header.len() < 3 {
        return table(header, rows);
    }
    while from < header.len() {
        let (mut to, mut used) = (from + 1, widths[0] + widths[from]);
        while to < header.len() && used + widths[to] <= columns {
            used += widths[to];
            to += 1;
        }
        let pick = |row: &[String]| [&row[..1], &row[from..to]].concat();
        let rows: Vec<Vec<String>> = rows.iter().map(|row| pick(row)).collect();
        text.push_str(&table(&pick(header), &rows));
        from = to;
    }
    text
}

fn table(header: &[String], rows: &[Vec<String>]) -> String {
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    table.set_header(header.to_vec());
    for row in rows {
        table.add_row(row.clone());
    }
    for (index, column) in table.column_iter_mut().enumerate() {
        column.set_padding((if index == 0 { 2 } else { 1 }, 1));
        if index > 0 {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    table.lines().map(|line| format!("{}\n", line.trim_end())).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fmt::Write;

    proptest::proptest! {
        /// No words are lost, none is broken, and no line of several words is longer than it may be.
        #[test]
        fn words_stay_within_the_columns(
            words in proptest::collection::vec("[a-z]{1,12}", 1..60),
            (first, others, columns) in (0usize..8, 0usize..8, 20usize..120),
        ) {
            let mut page = Document::default();
            page.paragraph(&format!("{}{}", " ".repeat(first), words.join(" ")), others);
            let text = page.text(columns);
            proptest::prop_assert!(text.split_whitespace().eq(words.iter().map(String::as_str)));
            for (k, line) in text.lines().enumerate() {
                let indent = line.len() - line.trim_start().len();
                proptest::prop_assert_eq!(indent, if k == 0 { first } else { others });
                let is_one = line.split_whitespace().count() == 1;
                proptest::prop_assert!(is_one || line.len() <= columns, "{} {}", columns, line);
            }
        }
    }

    #[test]
    fn lines_are_written_in_pieces() {
        let mut page = Document::default();
        let _ = write!(page, "a");
        let _ = writeln!(page, "b\n\nc");
        assert_eq!(page.text(80), "ab\n\nc\n");
        assert_eq!(page.blocks().len(), 3);
        // A line without an end is not lost.
        let _ = write!(page, "d");
        assert!(page.text(80).ends_with("c\nd") && page.fitted(80).ends_with("c\nd"));
    }
}
