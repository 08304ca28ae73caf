//! The addresses of coefficients that can be loaded, for the processor that loads them.

use super::super::captions::caption;
use super::super::{GeneratedFile, Language, ORIGIN, Symbols};
use crate::hardware::{LoadMap, LoadedTable};
use std::fmt::Write;

/// A header for the processor beside a unit whose coefficients can be loaded: NAME_map.h, with the address
/// of each coefficient by its row and column, and of the switch.
///
/// ```
/// use mellow_rake::datapath::fir_direct;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::hardware::SignalFlow;
/// use mellow_rake::write::{Symbols, c};
/// let taps = round_coefficients(&[vec![0.25; 4]], "s8f7".parse()?)?;
/// let word = "s8f7".parse()?;
/// let mean = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let map = SignalFlow::loadable(&mean)?.load_map.unwrap();
/// let file = c::write_load_map(&map, &Symbols::new(&mellow_rake::spec::Name::new("mean")?));
/// assert_eq!(file.name, "mean_map.h");
/// assert!(file.text.contains("#define MEAN_TAPS(column) (0u + (column))"));
/// assert!(file.text.contains("#define MEAN_SWITCH 4u"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_load_map(map: &LoadMap, symbols: &Symbols) -> GeneratedFile {
    let name = symbols.capitals();
    let mut text = format!(
        "/* {ORIGIN} */\n\
         /* Addresses of the coefficients of {}. What is written goes to the set that is not in use. */\n\
         #ifndef {name}_MAP_H\n#define {name}_MAP_H\n",
        symbols.base()
    );
    for table in &map.tables {
        text.push_str(&of_table(table, &name));
    }
    let LoadMap { switch_address, address_bits, data_bits, .. } = map;
    let _ = write!(
        text,
        "\n/* A write of anything to it has the two sets change places, with the next sample of the\n   \
         first channel. What was in use is written to from then on, with what it held. */\n\
         #define {name}_SWITCH {switch_address}u\n\n\
         #define {name}_ADDRESS_BITS {address_bits}u\n#define {name}_DATA_BITS {data_bits}u\n\n\
         #endif\n"
    );
    let name = format!("{}_map.h", symbols.base());
    GeneratedFile { language: Language::C, name, text }
}

fn of_table(LoadedTable { name, holds, format, address, rows }: &LoadedTable, of: &str) -> String {
    let lines = caption(*holds).join("\n   ");
    let name = format!("{of}_{}", name.to_ascii_uppercase());
    let columns = rows[0].len();
    let mut text = format!("\n/* {format}: {lines} */\n#define {name}_COLUMNS {columns}u\n");
    if rows.len() == 1 {
        let _ = writeln!(text, "#define {name}(column) ({address}u + (column))");
    } else {
        let _ = write!(
            text,
            "#define {name}_ROWS {}u\n\
             #define {name}(row, column) ({address}u + {columns}u * (row) + (column))\n",
            rows.len()
        );
    }
    text
}
