//! Lines of a text, each indented by so many steps.

use std::fmt::Display;

/// The widest line of a long expression.
const WIDTH: usize = 100;

/// A long expression in lines that are each as long as they may be, broken in front of a mark; the first line
/// begins behind so many columns, the others are indented by two steps.
pub(super) fn folded(expression: &str, mark: &str, begins: usize) -> String {
    let mut text = String::new();
    let mut column = begins;
    for (index, part) in expression.split(mark).enumerate() {
        if index > 0 && column + mark.len() + part.len() > WIDTH {
            text.push_str("\n        ");
            text.push_str(mark.trim_start());
            column = 8 + mark.len();
        } else if index > 0 {
            text.push_str(mark);
            column += mark.len();
        }
        text.push_str(part);
        column += part.len();
    }
    text
}

/// Lines put one behind the other.
#[derive(Default)]
pub(super) struct Lines(String);

impl Lines {
    /// A line; an empty one is not indented.
    pub(super) fn line(&mut self, depth: usize, line: impl Display) {
        let line = format!("{}{line}", "    ".repeat(depth));
        self.0.push_str(line.trim_end());
        self.0.push('\n');
    }

    pub(super) fn finish(self) -> String {
        self.0
    }
}
