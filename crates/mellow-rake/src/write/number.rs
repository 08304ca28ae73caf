//! Integers spelled in each language, with the smallest of every type.

/// A decimal integer constant of C99 (6.4.4.1): it takes the first of int, long and long long that holds it.
/// The smallest value of a type is no constant, since the minus is an operator applied to one that is too
/// large.
pub(super) fn c_integer(value: i128) -> String {
    const ENDS: [i128; 3] = [i16::MIN as i128, i32::MIN as i128, i64::MIN as i128];
    if ENDS.contains(&value) { format!("(-{} - 1)", -(value + 1)) } else { value.to_string() }
}

/// Decimal integers in lines, each behind four spaces, with a comma behind each integer.
pub(super) fn in_rows(values: &[i64]) -> String {
    const WIDTH: usize = 100;
    let mut text = String::new();
    let mut column = WIDTH;
    for value in values {
        let one = format!("{value},");
        if column + 1 + one.len() > WIDTH {
            text.push_str(if text.is_empty() { "    " } else { "\n    " });
            column = 4;
        } else {
            text.push(' ');
            column += 1;
        }
        text.push_str(&one);
        column += one.len();
    }
    text.push('\n');
    text
}

/// A sized constant of Verilog (IEEE 1364-2005, 3.5.1), two's complement in hexadecimal.
pub(super) fn verilog_integer(value: i128, width: u32) -> String {
    format!("{width}'h{:0digits$x}", bits(value, width), digits = width.div_ceil(4) as usize)
}

/// A bit string literal of VHDL with its length (IEEE 1076-2008, 15.8), two's complement in hexadecimal.
pub(super) fn vhdl_integer(value: i128, width: u32) -> String {
    format!("{width}x\"{:0digits$x}\"", bits(value, width), digits = width.div_ceil(4) as usize)
}

/// The low `width` bits of an integer.
pub(super) fn bits(value: i128, width: u32) -> u128 {
    (value as u128) & (u128::MAX >> (128 - width))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_ends_of_every_type_are_spelled_so_that_they_are_constants() {
        assert_eq!(c_integer(i64::MIN.into()), "(-9223372036854775807 - 1)");
        assert_eq!(c_integer(i32::MIN.into()), "(-2147483647 - 1)");
        assert_eq!(c_integer(i16::MIN.into()), "(-32767 - 1)");
        assert_eq!(c_integer(-128), "-128");
        assert_eq!(c_integer(i64::MAX.into()), "9223372036854775807");
        assert_eq!(verilog_integer(-1, 5), "5'h1f");
        assert_eq!(vhdl_integer(-1, 5), "5x\"1f\"");
        assert_eq!(verilog_integer(i64::MIN.into(), 64), "64'h8000000000000000");
    }
}
