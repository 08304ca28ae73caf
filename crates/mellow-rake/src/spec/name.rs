//! The name of a filter.

use std::fmt;

/// A name that is an identifier in every language that is written: lower-case letters, digits and single
/// underscores, a letter first, no underscore last, at most 24 characters.
///
/// C99 (5.2.4.1) promises 31 significant characters for external names, of which the longest suffix of ours
/// takes 6. VHDL (IEEE 1076-2008, 15.4) folds case and forbids double and trailing underscores.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Name(String);

/// The longest name, in characters.
pub(crate) const LONGEST: usize = 24;

/// Why a text is no name.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error(
    "`{found}` is no identifier; accepted: a lower-case letter, then lower-case letters, digits and single \
     underscores, at most {LONGEST} characters (example: pump_hum)"
)]
pub struct NameError {
    /// The text as given, cut to 60 characters.
    pub found: String,
}

impl Name {
    /// Takes a text that is an identifier.
    ///
    /// # Errors
    /// [`NameError`] if it is none.
    pub fn new(text: &str) -> Result<Name, NameError> {
        let legal = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '_';
        let good = text.starts_with(|c: char| c.is_ascii_lowercase())
            && text.len() <= LONGEST
            && text.chars().all(legal)
            && !text.contains("__")
            && !text.ends_with('_');
        if good {
            Ok(Name(text.to_owned()))
        } else {
            Err(NameError { found: text.chars().take(60).collect() })
        }
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}
