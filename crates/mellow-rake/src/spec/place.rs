//! Where a key stands in the text of a spec.

use std::fmt::{self, Display};
#[cfg(feature = "spec-file")]
use toml::de::{DeTable, DeValue};

/// Where something that is wrong stands in the text of a spec.
///
/// What is refused when a spec is designed or put on integers is known by keys only: the text that they stand
/// in is found again here.
///
/// ```
/// use mellow_rake::design::design;
/// use mellow_rake::spec::{Spec, SpecPlace};
/// let text = r#"name = "x"
/// sample_rate = "1 kHz"
/// [want]
/// kind = "differentiator"
/// pass_edge = "500 Hz"
/// [method]
/// design = "equiripple"
/// taps = 21
/// "#;
/// let error = design(&Spec::parse(text)?).unwrap_err();
/// let place = SpecPlace::of(text, &error.keys());
/// assert_eq!((place.line, place.column, place.key.as_str()), (8, 8, "method.taps"));
/// assert!(place.refusal(&error).starts_with("line 8, column 8, key `method.taps`: 21 taps cannot"));
/// # Ok::<(), mellow_rake::spec::SpecError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct SpecPlace {
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
    /// The key with its tables, as `want.center`.
    pub key: String,
}

impl SpecPlace {
    /// Of the first of some keys that stands in the text; where none does, of the table that the first would
    /// stand in, or of the beginning. Needs the feature `spec-file`.
    #[cfg(feature = "spec-file")]
    pub fn of<K: AsRef<str>>(text: &str, keys: &[K]) -> Self {
        let keys: Vec<&str> = keys.iter().map(AsRef::as_ref).collect();
        let table = DeTable::parse(text).ok();
        let start = |key: &str| table.as_ref().and_then(|table| start(table.get_ref(), key));
        let first = keys.first().copied().unwrap_or("");
        let own = keys.iter().find_map(|key| Some((*key, start(key)?)));
        let (key, at) = own.unwrap_or_else(|| {
            let mut above = first;
            loop {
                match above.rsplit_once('.') {
                    Some((table, _)) => above = table,
                    None => return (first, 0),
                }
                if let Some(at) = start(above) {
                    return (first, at);
                }
            }
        });
        let before = text.get(..at).unwrap_or("");
        SpecPlace {
            line: before.matches('\n').count() + 1,
            column: before.rsplit('\n').next().unwrap_or("").chars().count() + 1,
            key: key.to_owned(),
        }
    }

    /// What is wrong, behind its place and its key.
    pub fn refusal(&self, error: &dyn Display) -> String {
        let key = if self.key.is_empty() { String::new() } else { format!(", key `{}`", self.key) };
        format!("line {}, column {}{key}: {error}", self.line, self.column)
    }
}

impl Display for SpecPlace {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "line {}, column {}", self.line, self.column)
    }
}

/// Where the value of a key begins, in bytes.
#[cfg(feature = "spec-file")]
fn start(top: &DeTable<'_>, key: &str) -> Option<usize> {
    let (mut table, mut at) = (top, None);
    let mut parts = key.split('.').peekable();
    while let Some(part) = parts.next() {
        let mut value = table.get(part)?;
        // Of an array of tables the number follows, from 1.
        if let (DeValue::Array(all), Some(number)) = (value.get_ref(), parts.peek()) {
            value = all.get(number.parse::<usize>().ok()?.checked_sub(1)?)?;
            parts.next();
        }
        at = Some(value.span().start);
        match value.get_ref() {
            DeValue::Table(inner) => table = inner,
            _ if parts.peek().is_some() => return None,
            _ => {}
        }
    }
    at
}

/// What is wrong, behind the key or the table that it is about.
pub(crate) fn keyed(key: &str, error: &dyn Display) -> String {
    let what = if key.contains('.') { "key" } else { "table" };
    format!("{what} `{key}`: {error}")
}
