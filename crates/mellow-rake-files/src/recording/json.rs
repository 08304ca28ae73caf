//! Recordings as JSON: an array of numbers, of rows of numbers, or an object of named arrays.

use super::Layout;
use crate::{Column, RecordingError, Values};
use mellow_rake::units::SampleRate;
use serde::de::{Deserialize, Deserializer, MapAccess, SeqAccess, Visitor};
use serde_json::Value;
use std::collections::HashSet;
use std::fmt;
use std::path::Path;

/// The key of the rate among the arrays.
pub(crate) const RATE: &str = "sample_rate_hz";

const ACCEPTED: &str = "accepted: [1, 2, ...], [[1, 2], ...] with a row for each sample, or \
    {\"sample_rate_hz\": 1000, \"strain\": [1, 2, ...]}";

/// The columns of a JSON text, which is read whole.
pub(crate) fn read(bytes: &[u8], path: &Path) -> Result<Layout<Vec<Column>>, RecordingError> {
    let form =
        |message: String| RecordingError::Form { path: path.to_owned(), format: "JSON", message };
    let wrong = |place: String| form(format!("{place}; {ACCEPTED}"));
    let value: Top = serde_json::from_slice(bytes).map_err(|error| form(error.to_string()))?;
    let name = |k: usize, of: usize| super::channel_name(k, of);
    match value {
        Top::Array(rows) if rows.first().is_some_and(Value::is_array) => {
            let channels = rows[0].as_array().map_or(0, Vec::len);
            let mut columns = vec![Vec::with_capacity(rows.len()); channels];
            for (index, row) in rows.into_iter().enumerate() {
                match row {
                    Value::Array(row) if row.len() == channels => {
                        columns.iter_mut().zip(row).for_each(|(column, value)| column.push(value));
                    }
                    _ => return Err(wrong(format!("row {index} has no {channels} numbers"))),
                }
            }
            let named = columns.into_iter().enumerate();
            let columns = named.map(|(k, column)| values(name(k, channels), column).map_err(wrong));
            Ok(Layout { source: columns.collect::<Result<_, _>>()?, rate: None })
        }
        Top::Array(numbers) => {
            Ok(Layout { source: vec![values(name(0, 1), numbers).map_err(wrong)?], rate: None })
        }
        Top::Object(entries) => {
            let (mut columns, mut rate) = (Vec::new(), None);
            let mut names = HashSet::new();
            for (key, value) in entries {
                if !names.insert(key.clone()) {
                    return Err(wrong(format!("`{key}` stands there twice")));
                }
                match value {
                    Value::Array(numbers) => columns.push(values(key, numbers).map_err(wrong)?),
                    Value::Number(number) if key == RATE => {
                        let hertz = number.as_f64().unwrap_or(f64::NAN);
                        let found = SampleRate::from_hertz(hertz);
                        rate = Some(found.ok_or_else(|| wrong(format!("the rate is {hertz}")))?);
                    }
                    _ => return Err(wrong(format!("`{key}` is no array of numbers"))),
                }
            }
            let length = columns.first().map_or(0, |column: &Column| column.values.len());
            if let Some(other) = columns.iter().find(|column| column.values.len() != length) {
                let (name, count) = (&other.name, other.values.len());
                return Err(wrong(format!("`{name}` has {count} samples, others {length}")));
            }
            Ok(Layout { source: columns, rate })
        }
    }
}

/// An array, or an object with all its entries: also those whose keys are alike.
enum Top {
    Array(Vec<Value>),
    Object(Vec<(String, Value)>),
}

impl<'de> Deserialize<'de> for Top {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        struct Entries;
        impl<'de> Visitor<'de> for Entries {
            type Value = Top;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("an array or an object")
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut all: A) -> Result<Top, A::Error> {
                let mut found = Vec::new();
                while let Some(value) = all.next_element()? {
                    found.push(value);
                }
                Ok(Top::Array(found))
            }

            fn visit_map<A: MapAccess<'de>>(self, mut all: A) -> Result<Top, A::Error> {
                let mut found = Vec::new();
                while let Some(entry) = all.next_entry()? {
                    found.push(entry);
                }
                Ok(Top::Object(found))
            }
        }
        from.deserialize_any(Entries)
    }
}

fn values(name: String, numbers: Vec<Value>) -> Result<Column, String> {
    let integers: Option<Vec<i64>> = numbers.iter().map(Value::as_i64).collect();
    if let Some(integers) = integers {
        return Ok(Column { name, values: Values::Integers(integers) });
    }
    let real = |(index, value): (usize, &Value)| {
        value.as_f64().ok_or_else(|| format!("sample {index} of `{name}` is no number"))
    };
    let reals = numbers.iter().enumerate().map(real).collect::<Result<_, _>>()?;
    Ok(Column { name, values: Values::Reals(reals) })
}
