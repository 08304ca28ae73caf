//! Lines of a text, each indented by so many steps.

use std::fmt::Display;

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
