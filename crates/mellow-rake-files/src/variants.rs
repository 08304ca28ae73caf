//! One spec in several variants: a key takes one value after the other.

use toml_edit::{DocumentMut, Item, Value};

/// A variant of a spec.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Variant {
    /// The key that takes another value, as `method.order`.
    pub key: String,
    /// The value, as in the wish.
    pub value: String,
    /// The text of the spec with that value.
    pub text: String,
}

/// Why there are no variants.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum VariantError {
    /// The wish is none.
    #[error("{wish}: {what}")]
    Wish {
        /// The wish.
        wish: String,
        /// What is wrong with it, and what would be accepted.
        what: String,
    },
    /// The text of the spec is no TOML.
    #[error(transparent)]
    Text(#[from] toml_edit::TomlError),
}

/// The variants of a spec that `wish`, as `method.order=4,6,8`, asks for.
///
/// A value takes the type that stands in the spec: text stays text. Where the key is not there yet, a value
/// that is no TOML is taken as text. An element of an array is named by its number from 0, as in want.a.1.
///
/// # Errors
/// [`VariantError`] where the wish is none, or the text is no TOML.
///
/// ```
/// use mellow_rake_files::variants;
/// let all = variants("name = \"x\"\n[method]\norder = 2\n", "method.order=4,6")?;
/// assert_eq!(all[1].text, "name = \"x\"\n[method]\norder = 6\n");
/// # Ok::<(), mellow_rake_files::VariantError>(())
/// ```
pub fn variants(text: &str, wish: &str) -> Result<Vec<Variant>, VariantError> {
    let wrong = |what: String| VariantError::Wish { wish: wish.to_owned(), what };
    let (key, values) = wish
        .split_once('=')
        .ok_or_else(|| wrong("KEY=VALUES is wanted, as method.order=4,6,8".to_owned()))?;
    let keys: Vec<&str> = key.trim().split('.').map(str::trim).collect();
    if keys.iter().any(|key| key.is_empty()) {
        return Err(wrong(format!("`{key}` is no key; as method.order")));
    }
    let document: DocumentMut = text.parse()?;
    let values = parts(values);
    if values.len() > MOST {
        return Err(wrong(format!("{} values; at most {MOST} are compared", values.len())));
    }
    let variant = |value: &String| {
        if value.is_empty() {
            return Err(wrong("an empty value".to_owned()));
        }
        let mut document = document.clone();
        set(&mut document, &keys, value).map_err(wrong)?;
        Ok(Variant { key: key.trim().to_owned(), value: value.clone(), text: document.to_string() })
    };
    values.iter().map(variant).collect()
}

/// The most variants of one call.
const MOST: usize = 32;

/// What stands between commas, but for commas in brackets and quotes.
fn parts(text: &str) -> Vec<String> {
    let mut parts = vec![String::new()];
    let (mut depth, mut is_quoted) = (0i32, false);
    for letter in text.chars() {
        match letter {
            '"' => is_quoted = !is_quoted,
            '[' if !is_quoted => depth += 1,
            ']' if !is_quoted => depth -= 1,
            _ => {}
        }
        if letter == ',' && depth == 0 && !is_quoted {
            parts.push(String::new());
        } else if let Some(last) = parts.last_mut() {
            last.push(letter);
        }
    }
    parts.into_iter().map(|part| part.trim().to_owned()).collect()
}

fn set(document: &mut DocumentMut, keys: &[&str], value: &str) -> Result<(), String> {
    let Some((last, tables)) = keys.split_last() else {
        return Err("no key".to_owned());
    };
    let mut table: &mut dyn toml_edit::TableLike = document.as_table_mut();
    for (depth, key) in tables.iter().enumerate() {
        let item = table.entry(key).or_insert(Item::Table(toml_edit::Table::new()));
        if let Some(array) = item.as_array_mut() {
            return set_element(array, key, &keys[depth + 1..], value);
        }
        table = item.as_table_like_mut().ok_or_else(|| format!("`{key}` is no table"))?;
    }
    let is_text = table.get(last).is_some_and(Item::is_str);
    table.insert(last, Item::Value(literal(value, is_text)));
    Ok(())
}

/// A value of the kind that stands in its place.
fn literal(value: &str, is_text: bool) -> Value {
    match value.parse::<Value>() {
        Ok(Value::String(text)) => Value::String(text),
        Ok(literal) if !is_text => literal,
        _ => Value::from(value),
    }
}

/// An element of an array, or of an array in it, counted from 0: `want.a.1`, `want.sections.0.3`.
fn set_element(
    array: &mut toml_edit::Array,
    name: &str,
    keys: &[&str],
    value: &str,
) -> Result<(), String> {
    let Some((first, rest)) = keys.split_first() else {
        return Err("no key".to_owned());
    };
    let count = array.len();
    let wrong = || format!("`{first}` is no element of `{name}`, which has {count}, from 0");
    let index = first.parse::<usize>().ok().filter(|index| *index < count).ok_or_else(wrong)?;
    if rest.is_empty() {
        let is_text = array.get(index).is_some_and(Value::is_str);
        array.replace(index, literal(value, is_text));
        return Ok(());
    }
    let inner = array.get_mut(index).and_then(Value::as_array_mut);
    set_element(
        inner.ok_or_else(|| format!("`{first}` of `{name}` is no array"))?,
        first,
        rest,
        value,
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    const SPEC: &str = "name = \"x\"\n[want]\nedges = [\"1 Hz\", \"2 Hz\"]\n[fixed]\ncoefficients = \"s16\" \
        # words\n";

    fn texts(wish: &str) -> Vec<String> {
        let all = variants(SPEC, wish).unwrap();
        all.into_iter().map(|variant| variant.text).collect()
    }

    #[test]
    fn values_take_the_type_of_what_they_replace() {
        let found = texts("fixed.coefficients=s12, s24");
        assert!(found.len() == 2 && found[1].contains("coefficients = \"s24\""), "{found:?}");
        let found = texts("want.edges=[\"1 Hz\", \"3 Hz\"],[\"1 Hz\", \"4 Hz\"]");
        assert!(found.len() == 2 && found[1].contains("[\"1 Hz\", \"4 Hz\"]"), "{found:?}");
        let found = texts("want.edges.1=3 Hz");
        assert!(found[0].contains("edges = [\"1 Hz\", \"3 Hz\"]"), "{found:?}");
        let rows =
            "name = \"x\"\n[want]\nsections = [[1, 0, 0, 1, -0.5, 0], [1, 0, 0, 1, 0.5, 0]]\n";
        let found = variants(rows, "want.sections.1.4=0.501,0.502").unwrap();
        assert!(found[1].text.contains("[1, 0, 0, 1, 0.502, 0]]"), "{}", found[1].text);
        // A table and a key that are not there yet; a number stays a number, a word becomes text.
        let found = texts("method.order=4,minimum");
        assert!(
            found[0].contains("[method]\norder = 4") && found[1].contains("order = \"minimum\"")
        );
    }

    proptest::proptest! {
        /// Whatever is typed, there are variants that read back as TOML, or an error.
        #[test]
        fn any_wish_gives_variants_or_an_error(wish in "[a-z.=,\\[\\]\" 0-9]{0,40}") {
            if let Ok(all) = variants(SPEC, &wish) {
                for variant in all {
                    proptest::prop_assert!(variant.text.parse::<DocumentMut>().is_ok(), "{}", variant.text);
                }
            }
        }
    }

    #[test]
    fn calls_that_make_no_sense_are_refused() {
        for wish in [
            "order",
            "=4",
            "a..b=1",
            "name.x=1",
            "method.order=4,,6",
            "want.edges.2=1",
            "want.edges.x=1",
            "want.edges.0.1=1",
        ] {
            assert!(variants(SPEC, wish).is_err(), "{wish}");
        }
        let many = (0..40).map(|k| k.to_string()).collect::<Vec<_>>().join(",");
        assert!(variants(SPEC, &format!("method.order={many}")).is_err());
    }
}
