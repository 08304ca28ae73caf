//! Lines of a module.

use std::fmt::Display;

/// Lines, each indented by so many steps.
#[derive(Default)]
pub(super) struct Text(String);

impl Text {
    pub(super) fn line(&mut self, depth: usize, line: impl Display) {
        self.0.push_str(&"    ".repeat(depth));
        self.0.push_str(&format!("{line}\n"));
    }

    pub(super) fn comment(&mut self, comment: &str) {
        self.line(1, format!("// {comment}"));
    }

    pub(super) fn register(&mut self, name: &str, width: u32) {
        self.line(1, format!("reg {}{name};", range(width)));
    }

    /// Lines that are there already.
    pub(super) fn append(&mut self, lines: &str) {
        self.0.push_str(lines);
    }

    pub(super) fn gap(&mut self) {
        self.0.push('\n');
    }

    pub(super) fn finish(self) -> String {
        self.0
    }
}

/// The range of a vector in a declaration.
pub(super) fn range(width: u32) -> String {
    if width == 1 { String::new() } else { format!("[{}:0] ", width - 1) }
}
