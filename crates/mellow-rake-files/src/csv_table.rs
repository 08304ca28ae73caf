//! Small tables as text, whole in memory.

use crate::recording::TextReader;
use crate::{Column, CsvError, Values};
use std::borrow::Cow;
use std::fmt::Write;
use std::io::Cursor;

/// A table with named columns.
#[derive(Debug, Clone, PartialEq)]
pub struct CsvTable {
    /// The columns, of equal length.
    pub columns: Vec<Column>,
}

impl CsvTable {
    /// Reads a table; every field below the header must be a number. Fields stand between tabs if the first
    /// line holds one, else between semicolons if it holds one, else between commas. Lines that begin with
    /// `#` are comments. Without a header the columns are called `column_1`, `column_2`, ….
    ///
    /// # Errors
    /// [`CsvError`] with the line and column.
    pub fn parse(bytes: &[u8]) -> Result<Self, CsvError> {
        let input = Box::new(Cursor::new(bytes.to_vec()));
        let (mut text, _) = TextReader::untimed(input)?;
        let all: Vec<usize> = (0..text.names.len()).collect();
        let values = text.next(&all, usize::MAX)?;
        let columns = text.names.iter().cloned().zip(values);
        Ok(CsvTable { columns: columns.map(|(name, values)| Column { name, values }).collect() })
    }
}

/// A name as a field: in quotes where something in it would be taken for more than a letter (RFC 4180), or
/// the line for a comment, or what begins the file for a mark of its encoding.
pub(crate) fn field(name: &str) -> Cow<'_, str> {
    match name.is_empty() || name.contains(['"', ',', ';', '\t', '\n', '\r', '#', '\u{feff}']) {
        true => Cow::Owned(format!("\"{}\"", name.replace('"', "\"\""))),
        false => Cow::Borrowed(name),
    }
}

/// A table as CSV; real numbers are printed so that they read back to the same f64.
pub fn write_columns(columns: &[Column]) -> String {
    let names: Vec<Cow<'_, str>> = columns.iter().map(|column| field(&column.name)).collect();
    let mut text = names.join(",");
    text.push('\n');
    let length = columns.iter().map(|column| column.values.len()).max().unwrap_or(0);
    for row in 0..length {
        for (index, column) in columns.iter().enumerate() {
            if index > 0 {
                text.push(',');
            }
            let _ = match &column.values {
                Values::Integers(values) => values.get(row).map(|value| write!(text, "{value}")),
                Values::Reals(values) => values.get(row).map(|value| write!(text, "{value:?}")),
            };
        }
        text.push('\n');
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_reads_back_exactly() {
        let columns = vec![
            Column { name: "a".into(), values: Values::Integers(vec![i64::MIN, 0, i64::MAX]) },
            Column { name: "b".into(), values: Values::Reals(vec![0.1, -1e-300, 2.0f64.sqrt()]) },
        ];
        let table = CsvTable::parse(write_columns(&columns).as_bytes()).unwrap();
        assert_eq!(table.columns, columns);
    }

    #[test]
    fn bad_files_are_refused_with_their_place() {
        let error = |text: &str| CsvTable::parse(text.as_bytes()).unwrap_err().to_string();
        assert!(error("a,b\n1,2\n3,x\n").contains("line 3, column `b`: found `x`"));
        assert!(error("a\n1\nnan\n").contains("line 3"));
        assert!(error("a;b\n1,5;2\n").contains("line 2, column `a`: found `1,5`"));
        assert!(error("a;b\n1,5;2\n").contains("not a comma"));
        assert!(
            error("a\n1,5\n2,5\n").contains(
                "line 2: 2 fields where the lines before have 1 (are there decimal commas?"
            )
        );
        assert!(error("a,b\n1,2\n3\n").contains("line 3"));
        assert!(error("a,2\n3,4\n").contains("line 1: found names and numbers"));
        assert!(error("a\n").contains("no samples") && error("").contains("no samples"));
        assert!(CsvTable::parse(b"a\n\xff\n").is_err());
    }

    #[test]
    fn tabs_semicolons_comments_and_no_header_are_read_too() {
        let comma = CsvTable::parse(b"time_s,a b\n0,1\n1,-2.5\n").unwrap();
        for other in [
            "time_s\ta b\n0\t1\n1\t-2.5\n",
            "time_s;a b\r\n0;1\r\n1;-2.5\r\n",
            "# made on the bench; not here\n# twice\ntime_s, a b\n0, 1\n# a pause\n1, -2.5\n\n",
            "\u{feff}time_s,a b\n0,1\n1,-2.5",
        ] {
            assert_eq!(CsvTable::parse(other.as_bytes()).unwrap(), comma, "{other}");
        }
        let bare = CsvTable::parse(b"0,1\n1,-2.5\n").unwrap();
        assert!(bare.columns.iter().zip(["column_1", "column_2"]).all(|(c, name)| c.name == name));
        assert_eq!(bare.columns[1].values, comma.columns[1].values);
    }
}
