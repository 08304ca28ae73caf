//! Printing: tables for people, one JSON object for programs.

use crate::failure::Failure;
use mellow_rake_report::{COLUMNS, Document};
use serde::Serialize;
use std::borrow::Cow;
use std::io::{IsTerminal, Write};

/// Prints a page on stdout, to the width of the terminal if it is one.
pub(crate) fn page(page: &Document) -> Result<(), Failure> {
    let is_shown = std::io::stdout().is_terminal();
    match terminal_size::terminal_size().filter(|_| is_shown) {
        // Words are read with ease up to some width.
        Some((width, _)) if usize::from(width.0) >= COLUMNS => text(&page.text(COLUMNS)),
        Some((width, _)) => text(&page.fitted(usize::from(width.0).max(40))),
        None => text(&page.text(COLUMNS)),
    }
}

/// Prints text on stdout. Whoever reads it may stop early, as `head` does: that changes no status.
pub(crate) fn text(text: &str) -> Result<(), Failure> {
    let mut out = std::io::stdout().lock();
    match out.write_all(visible(text).as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() != std::io::ErrorKind::BrokenPipe => Err(error.into()),
        _ => Ok(()),
    }
}

/// Clears the terminal.
pub(crate) fn clear() -> Result<(), Failure> {
    let mut out = std::io::stdout().lock();
    out.write_all(b"\x1b[H\x1b[2J")?;
    Ok(out.flush()?)
}

/// Says on stderr what was done beside the result.
pub(crate) fn note(text: &str) {
    let _ = writeln!(std::io::stderr(), "{}", visible(text));
}

/// Prints one JSON object on stdout.
pub(crate) fn json(object: &impl Serialize) -> Result<(), Failure> {
    text(&format!("{}\n", serde_json::to_string_pretty(object)?))
}

/// Prints why a command could not do its work, on stderr: what comes from outside, as a name in a file, at
/// most so long.
pub(crate) fn failure(failure: &Failure) {
    /// Characters that are shown.
    const MOST: usize = 4_000;
    let whole = failure.to_string();
    let shown: String = whole.chars().take(MOST).collect();
    let more = if shown.len() < whole.len() {
        format!(" ... ({} more bytes)", whole.len() - shown.len())
    } else {
        String::new()
    };
    // Where nobody hears it, the status still says it.
    let _ = writeln!(std::io::stderr(), "mrake: {}{more}", visible(&shown));
}

/// Text that a terminal shows as it is: control characters but the end of a line, and characters that turn
/// the direction of what follows or cannot be seen, are written as escapes. In JSON such an escape stands for
/// the character.
pub(crate) fn visible(text: &str) -> Cow<'_, str> {
    let is_hidden = |c: char| {
        (c.is_control() && c != '\n')
            || matches!(c, '\u{61c}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}')
            || matches!(c, '\u{2060}'..='\u{2069}' | '\u{feff}')
    };
    if !text.contains(is_hidden) {
        return Cow::Borrowed(text);
    }
    let escaped =
        |c: char| if is_hidden(c) { format!("\\u{:04x}", u32::from(c)) } else { c.to_string() };
    Cow::Owned(text.chars().map(escaped).collect())
}

#[cfg(test)]
mod tests {
    /// What is hidden is written out, and a reader of JSON finds it again.
    #[test]
    fn foreign_text_is_shown_as_it_is() {
        let foreign = "a\u{1b}[31mb\u{202e}c\u{7}d\u{200b}²\n";
        assert_eq!(super::visible(foreign), "a\\u001b[31mb\\u202ec\\u0007d\\u200b²\n");
        assert_eq!(super::visible("plain ²\n"), "plain ²\n");
        let json = serde_json::to_string(foreign).unwrap();
        assert_eq!(serde_json::from_str::<String>(&super::visible(&json)).unwrap(), foreign);
    }
}
