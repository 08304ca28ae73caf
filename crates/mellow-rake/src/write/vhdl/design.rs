//! A design in registers as an entity and its architecture.
//!
//! Numbers have the types of `numeric_std`, of exactly their width; what shortens them takes their low bits.
//! Every register begins with zero, as it does at power-up.

use super::super::lines::{Lines, folded};
use super::super::number::vhdl_integer;
use super::super::register_transfer::{
    Design, Direction, Item, Kind, Port, Signal, Statement, Value,
};

/// The entity and its architecture.
pub(super) fn entity(design: &Design) -> String {
    let (name, mut text) = (&design.name, Lines::default());
    for line in &design.about {
        text.line(0, format!("-- {line}"));
    }
    for line in
        ["", "library ieee;", "use ieee.std_logic_1164.all;", "use ieee.numeric_std.all;", ""]
    {
        text.line(0, line);
    }
    text.line(0, format!("entity {name} is"));
    text.line(1, "port (");
    for (index, one) in design.ports.iter().enumerate() {
        let end = if index + 1 < design.ports.len() { ";" } else { "" };
        let remark =
            if one.remark.is_empty() { String::new() } else { format!(" -- {}", one.remark) };
        text.line(2, format!("{}{end}{remark}", port(one)));
    }
    text.line(1, ");");
    text.line(0, format!("end entity {name};"));
    text.line(0, "");
    text.line(0, format!("architecture rtl of {name} is"));
    let mut styles: Vec<&str> = Vec::new();
    for one in &design.items {
        declaration(one, &mut styles, &mut text);
    }
    text.line(0, "begin");
    for one in &design.items {
        item(one, design.clock(), &mut text);
    }
    text.line(0, "end architecture rtl;");
    text.finish()
}

fn port(Port { signal, direction, .. }: &Port) -> String {
    let direction = if *direction == Direction::Input { "in" } else { "out" };
    format!("{} : {direction} {}", signal.name, subtype(signal.kind))
}

fn subtype(kind: Kind) -> String {
    let of = |name: &str, width: u32| format!("{name}({} downto 0)", width - 1);
    match kind {
        Kind::Bit => "std_logic".to_owned(),
        Kind::Unsigned(width) => of("unsigned", width),
        Kind::Signed(width) => of("signed", width),
        Kind::Port(width) => of("std_logic_vector", width),
    }
}

fn zero(kind: Kind) -> &'static str {
    if kind == Kind::Bit { "'0'" } else { "(others => '0')" }
}

/// What is declared of an item.
fn declaration(item: &Item, styles: &mut Vec<&str>, text: &mut Lines) {
    let mut declare = |signal: &Signal| {
        let Signal { name, kind } = signal;
        text.line(1, format!("signal {name} : {} := {};", subtype(*kind), zero(*kind)));
    };
    match item {
        Item::Wire { signal, value: Value::Constant { value, .. }, remark } => {
            let remark = if remark.is_empty() { String::new() } else { format!(" -- {remark}") };
            let (kind, value) = (signal.kind, constant(*value, signal.kind));
            text.line(
                1,
                format!("constant {} : {} := {value};{remark}", signal.name, subtype(kind)),
            );
        }
        Item::Net(signal)
        | Item::Register { signal, .. }
        | Item::Wire { signal, .. }
        | Item::Bits { signal, .. }
        | Item::Cases { signal, .. } => declare(signal),
        Item::Memory { words, count, is_block } => {
            let name = &words.name;
            array(words, *count, text);
            text.line(1, format!("signal {name} : {name}_array := (others => (others => '0'));"));
            style(name, "ram_style", "signal", *is_block, styles, text);
        }
        Item::Table { words, values, is_block, is_written } => {
            let class = if *is_written { "signal" } else { "constant" };
            let name = &words.name;
            array(words, values.len(), text);
            text.line(1, format!("{class} {name} : {name}_array := ("));
            for (place, (value, remark)) in values.iter().enumerate() {
                let comma = if place + 1 < values.len() { "," } else { "" };
                let value = constant(*value, words.kind);
                text.line(2, format!("{place} => {value}{comma} -- {remark}"));
            }
            text.line(1, ");");
            let attribute = if *is_written { "ram_style" } else { "rom_style" };
            style(name, attribute, class, *is_block, styles, text);
        }
        Item::Gap | Item::Comment(_) | Item::Unused(_) | Item::Instance { .. } => {}
        Item::Output { .. } | Item::Clocked(_) => {}
    }
}

fn array(words: &Signal, count: usize, text: &mut Lines) {
    let kind = subtype(words.kind);
    text.line(1, format!("type {}_array is array (0 to {}) of {kind};", words.name, count - 1));
}

/// What tells a synthesizer to take a block RAM; an attribute is declared once.
fn style<'a>(
    name: &str,
    attribute: &'a str,
    class: &str,
    is_block: bool,
    declared: &mut Vec<&'a str>,
    text: &mut Lines,
) {
    if !is_block {
        return;
    }
    if !declared.contains(&attribute) {
        declared.push(attribute);
        text.line(1, format!("attribute {attribute} : string;"));
    }
    text.line(1, format!("attribute {attribute} of {name} : {class} is \"block\";"));
}

/// What an item does.
fn item(item: &Item, clock: &str, text: &mut Lines) {
    match item {
        Item::Gap => text.line(0, ""),
        Item::Comment(comment) => text.line(1, format!("-- {comment}")),
        Item::Wire { value: Value::Constant { .. }, .. } => {}
        Item::Wire { signal, value, .. } | Item::Output { signal, value } => {
            text.line(1, format!("{} <= {};", signal.name, assigned(value, signal.kind)));
        }
        Item::Bits { signal, bits } => {
            for (place, value) in bits.iter().enumerate() {
                let target = match signal.kind {
                    Kind::Bit => signal.name.clone(),
                    _ => format!("{}({place})", signal.name),
                };
                let value = folded(&assigned(value, Kind::Bit), " or ", target.len() + 8);
                text.line(1, format!("{target} <= {value};"));
            }
        }
        Item::Cases { signal, selector, cases, otherwise } => {
            self::cases(signal, selector, cases, otherwise, text);
        }
        Item::Clocked(statements) => {
            text.line(1, format!("process ({clock})"));
            text.line(1, "begin");
            text.line(2, format!("if rising_edge({clock}) then"));
            statements.iter().for_each(|one| statement(one, 3, text));
            text.line(2, "end if;");
            text.line(1, "end process;");
        }
        Item::Instance { of, name, ports } => {
            text.line(1, format!("{name} : entity work.{of}"));
            text.line(2, "port map (");
            for (index, (port, value)) in ports.iter().enumerate() {
                let comma = if index + 1 < ports.len() { "," } else { "" };
                // The clock of a stream has another name outside.
                let value = if port == "clk" { clock.to_owned() } else { expression(value) };
                text.line(3, format!("{port} => {value}{comma}"));
            }
            text.line(2, ");");
        }
        Item::Net(_)
        | Item::Register { .. }
        | Item::Memory { .. }
        | Item::Table { .. }
        | Item::Unused(_) => {}
    }
}

/// A word for each number of a selector: clocks in lines of ten.
fn cases(
    signal: &Signal,
    selector: &Signal,
    cases: &[(Value, Vec<usize>)],
    otherwise: &Value,
    text: &mut Lines,
) {
    text.line(1, format!("with {} select {} <=", selector.name, signal.name));
    for (value, numbers) in cases {
        let numbers: Vec<String> =
            numbers.iter().map(|one| constant(*one as i128, selector.kind)).collect();
        let lines: Vec<String> = numbers.chunks(10).map(|some| some.join(" | ")).collect();
        let numbers = lines.join("\n        | ");
        text.line(2, format!("{} when {numbers},", assigned(value, signal.kind)));
    }
    text.line(2, format!("{} when others;", assigned(otherwise, signal.kind)));
}

fn statement(one: &Statement, depth: usize, text: &mut Lines) {
    match one {
        Statement::Take(signal, value) => {
            text.line(depth, format!("{} <= {};", signal.name, assigned(value, signal.kind)));
        }
        Statement::Read { to, words, place } => {
            let place = expression(place);
            text.line(depth, format!("{} <= {}(to_integer({place}));", to.name, words.name));
        }
        Statement::Write { words, place, value } => {
            let (value, place) = (assigned(value, words.kind), &place.name);
            text.line(depth, format!("{}(to_integer({place})) <= {value};", words.name));
        }
        Statement::If(branches) => {
            for (index, (condition, body)) in branches.iter().enumerate() {
                let word = if index == 0 { "if" } else { "elsif" };
                text.line(depth, format!("{word} {} then", boolean(condition)));
                body.iter().for_each(|one| statement(one, depth + 1, text));
            }
            text.line(depth, "end if;");
        }
    }
}

/// A bit, or a bit string with its length.
fn constant(value: i128, kind: Kind) -> String {
    match kind {
        Kind::Bit => format!("'{value}'"),
        _ => vhdl_integer(value, kind.width()),
    }
}

/// A value as it is assigned to something of a kind.
fn assigned(value: &Value, kind: Kind) -> String {
    match value {
        Value::Chosen { choices, otherwise } => {
            let choice = |(condition, value): &(Value, Value)| {
                format!("{} when {}\n            else ", assigned(value, kind), boolean(condition))
            };
            let one_line = choices.len() == 1;
            let choices: String = choices.iter().map(choice).collect();
            let text = format!("{choices}{}", assigned(otherwise, kind));
            if one_line { text.replace("\n            ", " ") } else { text }
        }
        _ if kind == Kind::Bit && is_compared(value) => {
            format!("'1' when {} else '0'", boolean(value))
        }
        Value::Constant { value, .. } => constant(*value, kind),
        _ => {
            let text = expression(value);
            match (value.kind(), kind) {
                (Kind::Bit, _) => text,
                (Kind::Signed(_), Kind::Signed(_)) => text,
                (Kind::Unsigned(_), Kind::Unsigned(_)) => text,
                (Kind::Port(_), Kind::Port(_)) => text,
                (_, Kind::Signed(_)) => format!("signed({text})"),
                (_, Kind::Port(_)) => format!("std_logic_vector({text})"),
                (_, _) => format!("unsigned({text})"),
            }
        }
    }
}

/// Whether numbers are compared in an expression of bits, which makes a truth of it and not a bit.
fn is_compared(value: &Value) -> bool {
    match value {
        Value::Compared { .. } | Value::Below { .. } => true,
        Value::And(values) | Value::Or(values) => values.iter().any(is_compared),
        Value::Not(of) => is_compared(of),
        _ => false,
    }
}

/// A condition.
fn boolean(value: &Value) -> String {
    let joined = |values: &[Value], mark: &str| {
        let part = |value: &Value| match value {
            Value::And(_) | Value::Or(_) => format!("({})", boolean(value)),
            _ => boolean(value),
        };
        values.iter().map(part).collect::<Vec<_>>().join(mark)
    };
    match value {
        Value::And(values) => joined(values, " and "),
        Value::Or(values) => joined(values, " or "),
        Value::Compared { left, right, is_equal } => {
            let mark = if *is_equal { "=" } else { "/=" };
            let left = match left.kind() {
                Kind::Port(_) => format!("unsigned({})", expression(left)),
                _ => operand(left),
            };
            format!("{left} {mark} {}", number(right))
        }
        Value::Below { of, limit } => format!("unsigned({}) < {limit}", of.name),
        Value::Not(of) => match **of {
            Value::Whole(_) | Value::BitOf { .. } | Value::Any { .. } | Value::All { .. } => {
                format!("{} = '0'", operand(of))
            }
            _ => format!("not ({})", boolean(of)),
        },
        Value::Constant { value, .. } => (if *value == 1 { "true" } else { "false" }).to_owned(),
        _ => format!("{} = '1'", operand(value)),
    }
}

/// A number beside one without a sign, which may be a plain integer.
fn number(value: &Value) -> String {
    match value {
        Value::Constant { value, kind: Kind::Unsigned(..=30) } => value.to_string(),
        _ => operand(value),
    }
}

fn part(signal: &Signal, high: u32, low: u32) -> String {
    match (signal.kind, high + 1 == signal.width() && low == 0) {
        (Kind::Bit, _) | (_, true) => signal.name.clone(),
        _ => format!("{}({high} downto {low})", signal.name),
    }
}

/// An expression of its own kind.
fn expression(value: &Value) -> String {
    let joined =
        |values: &[Value], mark: &str| values.iter().map(operand).collect::<Vec<_>>().join(mark);
    match value {
        Value::Whole(signal) => signal.name.clone(),
        Value::Constant { value, kind } => constant(*value, *kind),
        Value::Part { of, high, low } => part(of, *high, *low),
        Value::BitOf { of, place } => match of.kind {
            Kind::Bit => of.name.clone(),
            _ => format!("{}({place})", of.name),
        },
        Value::Any { of, high, low } => format!("or {}", part(of, *high, *low)),
        Value::All { of, high, low } => format!("and {}", part(of, *high, *low)),
        Value::Resized { of, kind } => resized(of, *kind),
        Value::Scaled { of, zeros } => format!("{} & {}", operand(of), vhdl_integer(0, *zeros)),
        Value::Joined(values) => joined(values, " & "),
        Value::Not(of) => format!("not {}", operand(of)),
        Value::And(values) => joined(values, " and "),
        Value::Or(values) => joined(values, " or "),
        Value::Differing { left, right } => format!("{} xor {}", operand(left), operand(right)),
        // A part of a larger expression: it has no bit of its own.
        Value::Compared { .. } | Value::Below { .. } | Value::Chosen { .. } => boolean(value),
        Value::Sum { left, right, is_minus } => {
            let mark = if *is_minus { "-" } else { "+" };
            // Only one side may be a plain integer.
            let right = if matches!(**left, Value::Constant { .. }) {
                operand(right)
            } else {
                number(right)
            };
            format!("{} {mark} {right}", number(left))
        }
        Value::Stepped { from, bit, is_minus } => {
            let mark = if *is_minus { "-" } else { "+" };
            format!("{} {mark} {}", expression(from), operand(bit))
        }
        Value::Negated(of) => format!("-{}", operand(of)),
        Value::Product { left, right, width } => {
            let product = format!("{} * {}", left.name, right.name);
            match left.width() + right.width() == *width {
                true => product,
                // It fits: the bits left out are further copies of its sign.
                false => format!("resize({product}, {width})"),
            }
        }
    }
}

/// An expression that stands beside an operator.
fn operand(value: &Value) -> String {
    match value {
        Value::Whole(_)
        | Value::Constant { .. }
        | Value::Part { .. }
        | Value::BitOf { .. }
        | Value::Resized { .. } => expression(value),
        _ => format!("({})", expression(value)),
    }
}

/// A signal in another width: extended as its kind says, or its low bits.
fn resized(of: &Signal, kind: Kind) -> String {
    let (own, width) = (of.width(), kind.width());
    let bits = part(of, width.min(own) - 1, 0);
    let (bits, own_kind) = match (of.kind, kind) {
        // A port has the sign of what it is read as.
        (Kind::Port(_), Kind::Signed(_)) => (format!("signed({bits})"), kind),
        (Kind::Port(_), _) => (format!("unsigned({bits})"), kind),
        (kind, _) => (bits, kind),
    };
    let text = if width > own { format!("resize({bits}, {width})") } else { bits };
    match (own_kind, kind) {
        (Kind::Signed(_), Kind::Signed(_)) | (Kind::Unsigned(_), Kind::Unsigned(_)) => text,
        (_, Kind::Signed(_)) => format!("signed({text})"),
        (_, _) => format!("unsigned({text})"),
    }
}
