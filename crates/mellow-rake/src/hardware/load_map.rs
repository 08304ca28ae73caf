//! Where each coefficient of a unit is written, when coefficients can be loaded.

use super::Load;
use crate::datapath::{Coefficients, Datapath};
use crate::fixed::WordFormat;

/// A table of coefficients in the map.
#[derive(Debug, Clone, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct LoadedTable {
    /// Its name in the datapath.
    pub name: &'static str,
    /// What it holds.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub holds: Coefficients,
    /// The format of its words.
    pub format: WordFormat,
    /// The address of its first word; the others follow, row by row.
    pub address: usize,
    /// The integers that are there at power-up.
    pub rows: Vec<Vec<i64>>,
}

/// Why integers cannot be loaded.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum LoadError {
    /// Tables of another shape.
    #[error("the tables have rows of {needed:?} coefficients; {found:?} were given")]
    Shape {
        /// For each table given the coefficients in each row.
        found: Vec<Vec<usize>>,
        /// For each table that is there.
        needed: Vec<Vec<usize>>,
    },
    /// An integer that its format does not have.
    #[error(
        "{name} is {found}; {format} has integers from {smallest} to {} for it", .format.maximum()
    )]
    Range {
        /// The coefficient.
        name: String,
        /// Its integer.
        found: i64,
        /// The format of its table.
        format: WordFormat,
        /// The smallest integer there; one more than that of the format where the unit remembers opposites.
        smallest: i128,
    },
}

/// The addresses of a unit whose coefficients can be loaded.
///
/// There are two sets. A write goes to the one that is not in use; a write of anything to
/// [`switch_address`](LoadMap::switch_address) has them change places between two samples. What was in use
/// is then written to, with what it held before.
#[derive(Debug, Clone, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct LoadMap {
    /// The tables.
    pub tables: Vec<LoadedTable>,
    /// The address that has the sets change places.
    pub switch_address: usize,
    /// Bits of an address.
    pub address_bits: u32,
    /// Bits of a word.
    pub data_bits: u32,
    /// For each address whether the unit remembers the opposite of what is written. The smallest integer of
    /// the format, which has none, must not be written there.
    pub negated: Vec<bool>,
}

impl LoadMap {
    pub(super) fn of(datapath: &Datapath) -> Self {
        let mut address = 0;
        let mut tables = Vec::new();
        for table in &datapath.tables {
            let rows = table.rows.clone();
            let words: usize = rows.iter().map(Vec::len).sum();
            let (name, holds, format) = (table.name, table.holds, table.format);
            tables.push(LoadedTable { name, holds, format, address, rows });
            address += words;
        }
        let width = tables.iter().map(|table| table.format.width()).max().unwrap_or(1);
        LoadMap {
            negated: vec![false; address],
            tables,
            switch_address: address,
            address_bits: super::bits_to(address),
            data_bits: width,
        }
    }

    /// Whether the unit remembers the opposite of what is written to an address.
    pub fn is_negated(&self, address: usize) -> bool {
        self.negated.get(address).is_some_and(|one| *one)
    }

    /// What the unit remembers of a word that is written to an address.
    pub(super) fn held(&self, Load { address, data }: Load) -> i128 {
        let Some(table) = self.tables.iter().rfind(|table| table.address <= address) else {
            return data.into();
        };
        let value = if self.is_negated(address) { -i128::from(data) } else { data.into() };
        table.format.wrap(value)
    }

    /// The smallest integer of each format, address by address.
    pub(super) fn smallest(&self) -> impl Iterator<Item = i64> {
        self.tables.iter().flat_map(|table| {
            let words = table.rows.iter().map(Vec::len).sum();
            std::iter::repeat_n(table.format.minimum() as i64, words)
        })
    }

    /// Coefficients that can be loaded.
    pub fn words(&self) -> usize {
        self.switch_address
    }

    /// The address of a coefficient, by the numbers of its table, row and column.
    pub(super) fn address(&self, table: usize, row: usize, column: usize) -> usize {
        let table = &self.tables[table];
        table.address + row * table.rows[0].len() + column
    }

    /// The writes that put other integers in the place of all, table by table and row by row, and have the
    /// sets change places.
    ///
    /// ```
    /// use mellow_rake::datapath::fir_direct;
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// use mellow_rake::hardware::SignalFlow;
    /// let taps = round_coefficients(&[vec![0.25; 4]], "s8f7".parse()?)?;
    /// let word = "s8f7".parse()?;
    /// let mean = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
    /// let map = SignalFlow::loadable(&mean)?.load_map.unwrap();
    /// let writes = map.writes(&[vec![vec![64, -128, 127, 0]]])?;
    /// assert_eq!((writes[1].address, writes[1].data), (1, -128));
    /// assert_eq!(writes[4].address, map.switch_address);
    /// let error = map.writes(&[vec![vec![64, -129, 127, 0]]]).unwrap_err();
    /// assert_eq!(error.to_string(), "taps[1] is -129; s8f7 has integers from -128 to 127 for it");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// [`LoadError`] for tables of another shape, and integers that their formats do not have.
    pub fn writes(&self, tables: &[Vec<Vec<i64>>]) -> Result<Vec<Load>, LoadError> {
        let shape = |rows: &[Vec<i64>]| rows.iter().map(Vec::len).collect::<Vec<_>>();
        let needed: Vec<_> = self.tables.iter().map(|table| shape(&table.rows)).collect();
        let found: Vec<_> = tables.iter().map(|rows| shape(rows)).collect();
        if found != needed {
            return Err(LoadError::Shape { found, needed });
        }
        let mut writes = Vec::new();
        for (table, rows) in self.tables.iter().zip(tables) {
            for data in rows.iter().flatten().copied() {
                let address = writes.len();
                let smallest = table.format.minimum() + i128::from(self.is_negated(address));
                if !table.format.holds(data.into()) || i128::from(data) < smallest {
                    let (name, format) = (self.name(address), table.format);
                    return Err(LoadError::Range { name, found: data, format, smallest });
                }
                writes.push(Load { address, data });
            }
        }
        writes.push(Load { address: self.switch_address, data: 0 });
        Ok(writes)
    }

    /// What is at an address, as `section[0][3]`: its table, row and column.
    pub fn name(&self, address: usize) -> String {
        let table = self.tables.iter().rfind(|table| table.address <= address);
        table.map_or("nothing".to_owned(), |table| {
            let (columns, place) = (table.rows[0].len(), address - table.address);
            match table.rows.len() {
                1 => format!("{}[{place}]", table.name),
                _ => format!("{}[{}][{}]", table.name, place / columns, place % columns),
            }
        })
    }

    /// Whether words have a sign.
    pub fn is_signed(&self) -> bool {
        self.tables.first().is_some_and(|table| table.format.is_signed())
    }

    /// The integers at power-up, address by address.
    pub fn values(&self) -> impl Iterator<Item = i64> {
        self.tables.iter().flat_map(|table| table.rows.iter().flatten().copied())
    }
}
