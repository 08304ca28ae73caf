//! The first writer: the plain dump of a datapath, for people and for tests.

use super::Checked;
use super::describe::{
    Action, Description, PortDescription, ProductsDescription, RowName, Step, TermDescription,
    describe,
};
use crate::fixed::WordFormat;
use std::fmt::Write;

/// The datapath as text, one operation a line.
///
/// ```
/// use mellow_rake::datapath::{dump, fir_direct};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let taps = round_coefficients(&[vec![0.5, 0.5]], "s8f7".parse()?)?;
/// let word = "s8f7".parse()?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// assert_eq!(dump(&average), "\
/// in s8f7, out s8f7
/// table taps s8f7: 64 64
/// line x s8f7: 1 row, ages 1 to 1
/// n0 s8f7 = input
/// n1 s8f7 = store n0 in x[0]
/// n2 s16f14 = sum +dot(taps[0][0..2], x[0] ages 0..2)
/// n3 s8f7 = round n2, drop 7 bits, half-up
/// n4 s8f7 = limit n3, saturate, cannot act
/// out = n4
/// ");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn dump(checked: &Checked) -> String {
    let Description { input, output, inputs, outputs, tables, lines, program, result, .. } =
        describe(checked);
    let (input, output) = (ports(input, &inputs), ports(output, &outputs));
    let mut text = format!("in {input}, out {output}\n");
    for table in &tables {
        for (index, row) in table.rows.iter().enumerate() {
            let name = if table.rows.len() == 1 {
                format!("table {} {}", table.name, table.format)
            } else {
                format!("table {}[{index}] {}", table.name, table.format)
            };
            let integers: Vec<String> = row.iter().map(i64::to_string).collect();
            let _ = write!(text, "{name}: {}", integers.join(" "));
            if let Some(exponents) = table.exponents.get(index) {
                let exponents: Vec<String> = exponents.iter().map(u32::to_string).collect();
                let _ = write!(text, ", exponents {}", exponents.join(" "));
            }
            text.push('\n');
        }
    }
    for line in &lines {
        let rows = if line.rows == 1 { "row" } else { "rows" };
        let _ = writeln!(
            text,
            "line {} {}: {} {rows}, ages 1 to {}",
            line.name, line.format, line.rows, line.depth
        );
    }
    block(&mut text, &program, "");
    if let Some(result) = result {
        let _ = writeln!(text, "out = n{result}");
    }
    text
}

/// What comes in or goes out: the format of a sample, or each port with its words per firing.
fn ports(one: Option<WordFormat>, ports: &[PortDescription]) -> String {
    let port = |(number, port): (usize, &PortDescription)| {
        format!("port {number}: {} of {}", port.words, port.format)
    };
    one.map_or_else(
        || ports.iter().enumerate().map(port).collect::<Vec<_>>().join(", "),
        |format| format.to_string(),
    )
}

fn block(text: &mut String, steps: &[Step], indent: &str) {
    for step in steps {
        let _ = write!(text, "{indent}n{} {} = ", step.node, step.format);
        let _ = match &step.action {
            Action::Input { port: Some(port), at: Some(at) } => {
                writeln!(text, "input port {port} word {}", row_text(*at))
            }
            Action::Input { .. } => writeln!(text, "input"),
            Action::Deliver { port, at, word } => {
                writeln!(text, "deliver n{word} to port {port} word {}", row_text(*at))
            }
            Action::Carried => writeln!(text, "carried"),
            Action::Tap { line, row, age } => {
                writeln!(text, "{line}[{}] age {age}", row_text(*row))
            }
            Action::Product { table, row, column, word } => {
                writeln!(text, "{table}[{}][{column}] * n{word}", row_text(*row))
            }
            Action::Accumulate { terms } => {
                let terms: Vec<String> = terms.iter().map(term).collect();
                writeln!(
                    text,
                    "sum {}",
                    if terms.is_empty() { "0".to_owned() } else { terms.join(" ") }
                )
            }
            Action::Round { word, shift_right, rounding } if *shift_right > 0 => {
                writeln!(text, "round n{word}, drop {shift_right} bits, {rounding}")
            }
            Action::Round { word, shift_right, .. } => {
                writeln!(text, "round n{word}, append {} zeros", -shift_right)
            }
            Action::Limit { word, overflow, can_act } => {
                let acts = if *can_act { "may act" } else { "cannot act" };
                writeln!(text, "limit n{word}, {overflow}, {acts}")
            }
            Action::Store { line, row, word } => {
                writeln!(text, "store n{word} in {line}[{}]", row_text(*row))
            }
            Action::Repeat { passes, first, body, result } => {
                let _ = writeln!(text, "repeat {passes} passes from n{first}");
                block(text, body, &format!("{indent}  "));
                writeln!(text, "{indent}  pass on n{result}")
            }
        };
    }
}

fn term(term: &TermDescription) -> String {
    let shifted = |bits: i32| {
        if bits > 0 { format!(" << {bits}") } else { String::new() }
    };
    match term {
        TermDescription::Word { sign, word, shift_left } => {
            format!("{sign}n{word}{}", shifted(*shift_left))
        }
        TermDescription::Dot {
            sign,
            table,
            table_row,
            column,
            line,
            line_row,
            age,
            count,
            products,
            shift_left,
        } => format!(
            "{sign}dot({table}[{}][{column}..{}], {line}[{}] ages {age}..{}{}){}",
            row_text(*table_row),
            column + count,
            row_text(*line_row),
            age + count,
            products_text(*products),
            shifted(*shift_left)
        ),
        TermDescription::Folded {
            second,
            table,
            table_row,
            column,
            line,
            line_row,
            age,
            mirror,
            stride,
            count,
            products,
            shift_left,
        } => {
            let (row, words) = (row_text(*table_row), row_text(*line_row));
            format!(
                "+dot({table}[{row}][{column}..{}], {line}[{words}] ages {age}, {}.. {second} ages \
                    {mirror}, {}..{}){}",
                column + count,
                age + stride,
                *mirror as i64 - *stride as i64,
                products_text(*products),
                shifted(*shift_left)
            )
        }
    }
}

/// What each product goes through before it is added.
fn products_text(products: Option<ProductsDescription>) -> String {
    match products {
        None => String::new(),
        Some(ProductsDescription { product_shift_right: bits, product_rounding }) if bits > 0 => {
            format!(", each dropping {bits} bits {product_rounding}")
        }
        Some(ProductsDescription { product_shift_right: bits, .. }) => {
            format!(", each with {} zeros appended", -bits)
        }
    }
}

fn row_text(row: RowName) -> String {
    match row {
        RowName::Fixed(row) => row.to_string(),
        RowName::Pass(name) => name.to_owned(),
    }
}
