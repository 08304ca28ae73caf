//! A design in registers as a module.

use super::super::lines::{Lines, folded};
use super::super::number::verilog_integer;
use super::super::register_transfer::{
    Design, Direction, Item, Kind, Port, Signal, Statement, Value,
};

/// The module.
pub(super) fn module(design: &Design) -> String {
    let mut text = Lines::default();
    for line in &design.about {
        text.line(0, format!("// {line}"));
    }
    text.line(0, "`default_nettype none");
    text.line(0, "");
    text.line(0, format!("module {} (", design.name));
    for (index, one) in design.ports.iter().enumerate() {
        let comma = if index + 1 < design.ports.len() { "," } else { "" };
        let remark =
            if one.remark.is_empty() { String::new() } else { format!("  // {}", one.remark) };
        if one.is_partly_read {
            text.line(1, "// verilator lint_off UNUSED");
        }
        text.line(1, format!("{}{comma}{remark}", port(one)));
        if one.is_partly_read {
            text.line(1, "// verilator lint_on UNUSED");
        }
    }
    text.line(0, ");");
    let has_memory = design.items.iter().any(|item| matches!(item, Item::Memory { .. }));
    let mut counts = has_memory;
    for one in &design.items {
        // The counter of the loops that clear memories stands before the first of them.
        if counts && matches!(one, Item::Memory { .. }) {
            text.line(1, "integer k;");
            counts = false;
        }
        item(one, design.clock(), &mut text);
    }
    text.line(0, "endmodule");
    text.line(0, "");
    text.line(0, "`default_nettype wire");
    text.finish()
}

fn port(Port { signal, direction, .. }: &Port) -> String {
    let direction = match direction {
        Direction::Input => "input  wire",
        Direction::Output => "output wire",
        Direction::OutputRegister => "output reg ",
    };
    format!("{direction} {}{}", range(signal), signal.name)
}

/// The range of a signal in its declaration; a single bit has none.
fn range(signal: &Signal) -> String {
    match signal.width() {
        1 => String::new(),
        width => format!("[{}:0] ", width - 1),
    }
}

fn item(item: &Item, clock: &str, text: &mut Lines) {
    match item {
        Item::Gap => text.line(0, ""),
        Item::Comment(comment) => text.line(1, format!("// {comment}")),
        Item::Unused(begins) => {
            let switch = if *begins { "off" } else { "on" };
            text.line(1, format!("// verilator lint_{switch} UNUSED"));
        }
        Item::Register { signal, starts_at_zero } => {
            text.line(1, format!("reg {}{};", range(signal), signal.name));
            if *starts_at_zero {
                text.line(1, format!("initial {} = {};", signal.name, constant(0, signal.kind)));
            }
        }
        Item::Net(signal) => text.line(1, format!("wire {}{};", range(signal), signal.name)),
        Item::Instance { of, name, ports } => {
            text.line(1, format!("{of} {name} ("));
            for (index, (port, value)) in ports.iter().enumerate() {
                let comma = if index + 1 < ports.len() { "," } else { "" };
                // The clock of a stream has another name outside.
                let value = if port == "clk" { clock.to_owned() } else { expression(value) };
                text.line(2, format!(".{port}({value}){comma}"));
            }
            text.line(1, ");");
        }
        Item::Wire { signal, value, remark } => {
            let remark = if remark.is_empty() { String::new() } else { format!(" // {remark}") };
            let value = expression(value);
            text.line(1, format!("wire {}{} = {value};{remark}", range(signal), signal.name));
        }
        Item::Output { signal, value } => {
            text.line(1, format!("assign {} = {};", signal.name, expression(value)));
        }
        Item::Bits { signal, bits } => {
            text.line(1, format!("wire {}{};", range(signal), signal.name));
            for (place, value) in bits.iter().enumerate() {
                let head = format!("assign {} = ", bit(signal, place as u32));
                let value = folded(&expression(value), " || ", 4 + head.len());
                text.line(1, format!("{head}{value};"));
            }
        }
        Item::Cases { signal, selector, cases, otherwise } => {
            self::cases(signal, selector, cases, otherwise, text);
        }
        Item::Memory { words, count, is_block } => {
            let (name, zero) = (&words.name, constant(0, words.kind));
            text.line(1, array(words, *count, "ram", *is_block));
            text.line(
                1,
                format!("initial for (k = 0; k < {count}; k = k + 1) {name}[k] = {zero};"),
            );
        }
        Item::Table { words, values, is_block, is_written } => {
            let what = if *is_written { "ram" } else { "rom" };
            text.line(1, array(words, values.len(), what, *is_block));
            text.line(1, "initial begin");
            for (place, (value, remark)) in values.iter().enumerate() {
                let value = constant(*value, words.kind);
                text.line(2, format!("{}[{place}] = {value}; // {remark}", words.name));
            }
            text.line(1, "end");
        }
        Item::Clocked(statements) => match &statements[..] {
            [one] if is_short(one) => {
                let mut own = Lines::default();
                statement(one, 0, &mut own);
                text.line(1, format!("always @(posedge {clock}) {}", own.finish().trim_end()));
            }
            several => {
                text.line(1, format!("always @(posedge {clock}) begin"));
                several.iter().for_each(|one| statement(one, 2, text));
                text.line(1, "end");
            }
        },
    }
}

/// Words, with what tells a synthesizer to take a block RAM.
fn array(words: &Signal, count: usize, what: &str, is_block: bool) -> String {
    let style = if is_block { format!("(* {what}_style = \"block\" *) ") } else { String::new() };
    format!("{style}reg {}{} [0:{}];", range(words), words.name, count - 1)
}

/// A word for each number of a selector: clocks in lines of ten.
fn cases(
    signal: &Signal,
    selector: &Signal,
    cases: &[(Value, Vec<usize>)],
    otherwise: &Value,
    text: &mut Lines,
) {
    let name = &signal.name;
    text.line(1, format!("reg {}{name};", range(signal)));
    text.line(1, "always @* begin");
    text.line(2, format!("case ({})", selector.name));
    for (value, numbers) in cases {
        let numbers: Vec<String> =
            numbers.iter().map(|one| constant(*one as i128, selector.kind)).collect();
        let lines: Vec<String> = numbers.chunks(10).map(|some| some.join(", ")).collect();
        let numbers = lines.join(",\n            ");
        text.line(3, format!("{numbers}: {name} = {};", expression(value)));
    }
    text.line(3, format!("default: {name} = {};", expression(otherwise)));
    text.line(2, "endcase");
    text.line(1, "end");
}

/// Whether a statement is a line that needs no block.
fn is_short(one: &Statement) -> bool {
    match one {
        Statement::If(branches) => {
            matches!(&branches[..], [(_, body)] if matches!(&body[..], [one] if is_short(one)))
        }
        _ => true,
    }
}

fn statement(one: &Statement, depth: usize, text: &mut Lines) {
    match one {
        Statement::Take(signal, value) => {
            text.line(depth, format!("{} <= {};", signal.name, expression(value)));
        }
        Statement::Read { to, words, place } => {
            text.line(depth, format!("{} <= {}[{}];", to.name, words.name, expression(place)));
        }
        Statement::Write { words, place, value } => {
            let value = expression(value);
            text.line(depth, format!("{}[{}] <= {value};", words.name, place.name));
        }
        Statement::If(branches) if is_short(one) => {
            let (condition, body) = &branches[0];
            let mut own = Lines::default();
            statement(&body[0], 0, &mut own);
            let body = own.finish();
            text.line(depth, format!("if ({}) {}", expression(condition), body.trim_end()));
        }
        Statement::If(branches) => {
            for (index, (condition, body)) in branches.iter().enumerate() {
                let otherwise = if index == 0 { "" } else { "end else " };
                text.line(depth, format!("{otherwise}if ({}) begin", expression(condition)));
                body.iter().for_each(|one| statement(one, depth + 1, text));
            }
            text.line(depth, "end");
        }
    }
}

/// A constant: numbers without a sign in decimal, such with one in hexadecimal.
fn constant(value: i128, kind: Kind) -> String {
    match kind {
        Kind::Bit => format!("1'b{value}"),
        Kind::Unsigned(width) => format!("{width}'d{value}"),
        Kind::Signed(width) | Kind::Port(width) => verilog_integer(value, width),
    }
}

/// A bit of a signal; one that has only this bit has no parts.
fn bit(signal: &Signal, place: u32) -> String {
    match signal.width() {
        1 => signal.name.clone(),
        _ => format!("{}[{place}]", signal.name),
    }
}

fn part(signal: &Signal, high: u32, low: u32) -> String {
    match high == low {
        true => bit(signal, high),
        false => format!("{}[{high}:{low}]", signal.name),
    }
}

/// An expression.
fn expression(value: &Value) -> String {
    let joined = |values: &[Value], mark: &str| {
        let parts: Vec<String> = values.iter().map(operand).collect();
        parts.join(mark)
    };
    match value {
        Value::Whole(signal) => signal.name.clone(),
        Value::Constant { value, kind } => constant(*value, *kind),
        Value::Part { of, high, low } => part(of, *high, *low),
        Value::BitOf { of, place } => bit(of, *place),
        Value::Any { of, high, low } if high == low => bit(of, *high),
        Value::All { of, high, low } if high == low => bit(of, *high),
        Value::Any { of, high, low } => format!("(|{})", part(of, *high, *low)),
        Value::All { of, high, low } => format!("(&{})", part(of, *high, *low)),
        Value::Resized { of, kind } => resized(of, *kind),
        Value::Scaled { of, zeros } => format!("{{{}, {zeros}'d0}}", expression(of)),
        Value::Joined(values) => {
            let parts: Vec<String> = values.iter().map(expression).collect();
            format!("{{{}}}", parts.join(", "))
        }
        Value::Not(of) => {
            let mark = if of.kind() == Kind::Bit { "!" } else { "~" };
            format!("{mark}{}", operand(of))
        }
        Value::And(values) => joined(values, " && "),
        Value::Or(values) => joined(values, " || "),
        Value::Differing { left, right } => format!("{} ^ {}", operand(left), operand(right)),
        Value::Compared { left, right, is_equal } => {
            let mark = if *is_equal { "==" } else { "!=" };
            format!("{} {mark} {}", operand(left), operand(right))
        }
        Value::Below { of, limit } => {
            // A number as wide as the limit, which may need a bit more than the signal has.
            let width = of.width().max(128 - limit.leading_zeros());
            format!("{} < {width}'d{limit}", of.name)
        }
        Value::Sum { left, right, is_minus } => {
            let mark = if *is_minus { "-" } else { "+" };
            let right = match **right {
                // a - (-b) and a - (b + c) mean what they say.
                Value::Negated(_) | Value::Sum { .. } => format!("({})", expression(right)),
                _ => operand(right),
            };
            format!("{} {mark} {right}", expression(left))
        }
        Value::Stepped { from, bit, is_minus } => {
            let mark = if *is_minus { "-" } else { "+" };
            let bit = match from.kind().width() {
                1 => operand(bit),
                width => format!("{{{}'d0, {}}}", width - 1, expression(bit)),
            };
            format!("{} {mark} {bit}", expression(from))
        }
        Value::Negated(of) => format!("-{}", operand(of)),
        Value::Product { left, right, .. } => {
            format!("$signed({}) * $signed({})", left.name, right.name)
        }
        Value::Chosen { choices, otherwise } => {
            let choice = |(condition, value): &(Value, Value)| {
                format!("{} ? {} : ", condition_of(condition), expression(value))
            };
            let choices: String = choices.iter().map(choice).collect();
            format!("{choices}{}", expression(otherwise))
        }
    }
}

/// A condition in front of a question mark.
fn condition_of(value: &Value) -> String {
    match value {
        Value::And(_) | Value::Or(_) => format!("({})", expression(value)),
        _ => expression(value),
    }
}

/// An expression that stands beside an operator.
fn operand(value: &Value) -> String {
    match value {
        Value::And(_)
        | Value::Or(_)
        | Value::Sum { .. }
        | Value::Differing { .. }
        | Value::Stepped { .. }
        | Value::Product { .. }
        | Value::Chosen { .. } => format!("({})", expression(value)),
        _ => expression(value),
    }
}

/// A signal in `width` bits: its sign, or zeros, in front, or its low bits.
fn resized(of: &Signal, kind: Kind) -> String {
    let (own, width) = (of.width(), kind.width());
    // A port has the sign of what it is read as.
    let is_signed = match of.kind {
        Kind::Port(_) => matches!(kind, Kind::Signed(_)),
        own => matches!(own, Kind::Signed(_)),
    };
    if width == own {
        of.name.clone()
    } else if width < own {
        part(of, width - 1, 0)
    } else if is_signed {
        format!("{{{{{}{{{}}}}}, {}}}", width - own, bit(of, own - 1), of.name)
    } else {
        format!("{{{}'d0, {}}}", width - own, of.name)
    }
}
