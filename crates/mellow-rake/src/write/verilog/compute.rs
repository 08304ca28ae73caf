//! The combinational part: the program itself.

use super::super::hardware::{place, scaled_format, width_of_rounded};
use super::super::lower::{
    Addend, Addition, Coefficient, Exponent, Factor, Index, Limiting, Local, Lowered, Read,
    Statement, Step, Sum, Value,
};
use super::vector::Vector;
use super::{EXPONENT_BITS, constant_name};
use crate::datapath::{Row, Sign};
use crate::fixed::Rounding;
use std::fmt::Write;

/// Statements and the variables that they need.
pub(super) struct Compute {
    pub(super) text: String,
    /// Name and width in bits.
    pub(super) variables: Vec<(String, u32)>,
    /// Loop counters.
    pub(super) indices: Vec<&'static str>,
}

impl Compute {
    pub(super) fn new(lowered: &Lowered) -> Self {
        let out = Compute { text: String::new(), variables: Vec::new(), indices: Vec::new() };
        let mut statements = Statements { lowered, out, indent: 2 };
        for line in lowered.lines.iter().filter(|line| line.depth > 0) {
            // Every bit is replaced below; the first assignment shows that none is left out.
            statements.line(&format!("{0}_next = {0};", line.name));
        }
        statements.block(&lowered.body);
        statements.out
    }
}

struct Statements<'a> {
    lowered: &'a Lowered,
    out: Compute,
    indent: usize,
}

/// The variable of a word.
fn vector(local: Local) -> Vector {
    Vector::new(format!("n{}", local.node.0), local.format)
}

fn mark(sign: Sign) -> &'static str {
    match sign {
        Sign::Plus => "+",
        Sign::Minus => "-",
    }
}

/// Where a word lies in a vector that holds rows of this length, word by word.
fn bits(row: Row, length: usize, index: Index, width: usize) -> String {
    if let (Row::Fixed(row), 0) = (row, index.step) {
        let low = (row * length + index.offset as usize) * width;
        return format!("[{}:{low}]", low + width - 1);
    }
    let place = place(row, length, index);
    let place = if place.contains(' ') { format!("({place})") } else { place };
    format!("[{width} * {place} +: {width}]")
}

impl Statements<'_> {
    fn line(&mut self, text: &str) {
        let _ = writeln!(self.out.text, "{:1$}{text}", "", 4 * self.indent);
    }

    /// Declares a variable, once.
    fn declare(&mut self, name: &str, width: u32) {
        if !self.out.variables.iter().any(|(known, _)| known == name) {
            self.out.variables.push((name.to_owned(), width));
        }
    }

    fn index(&mut self, name: &'static str) {
        if !self.out.indices.contains(&name) {
            self.out.indices.push(name);
        }
    }

    fn block(&mut self, body: &[Statement]) {
        for statement in body {
            self.statement(statement);
        }
    }

    fn statement(&mut self, statement: &Statement) {
        match statement {
            Statement::Let { local, value } => {
                self.declare(&vector(*local).name, local.format.width());
                self.value(*local, value);
            }
            Statement::Sum(sum) => self.sum(sum),
            Statement::Repeat { local, passes, first, body, result } => {
                let (name, format) = (vector(*local).name, local.format);
                self.declare(&name, format.width());
                self.index("pass");
                self.line(&format!("{name} = {}; // {format}", vector(*first).name));
                self.line(&format!("for (pass = 0; pass < {passes}; pass = pass + 1) begin"));
                self.indent += 1;
                self.block(body);
                self.line(&format!("{name} = {};", vector(*result).name));
                self.indent -= 1;
                self.line("end");
            }
            // The caller of the block hands over what goes out.
            Statement::Deliver { .. } => {}
            Statement::Advance { line, row, word } => self.advance(*line, *row, *word),
        }
    }

    /// Moves a row of a line on by one sample.
    fn advance(&mut self, line: usize, row: Row, word: Local) {
        let line = &self.lowered.lines[line];
        let (width, name) = (line.format.width() as usize, line.name);
        let row_bits = width * line.depth;
        let start = match row {
            Row::Fixed(row) => (row * row_bits).to_string(),
            Row::Pass => format!("{row_bits} * pass"),
        };
        let word = vector(word).name;
        let target = format!("{name}_next[{start} +: {row_bits}]");
        if line.depth == 1 {
            self.line(&format!("{target} = {word};"));
        } else {
            let kept = row_bits - width;
            self.line(&format!("{target} = {{{name}[{start} +: {kept}], {word}}};"));
        }
    }

    fn read(&self, read: &Read) -> String {
        match read {
            Read::Local(local) => vector(*local).name,
            Read::Remembered { line, row, index } => {
                let line = &self.lowered.lines[*line];
                let width = line.format.width() as usize;
                format!("{}{}", line.name, bits(*row, line.depth, *index, width))
            }
        }
    }

    /// Gives a variable, of the format with room for exponents, a coefficient.
    fn take_coefficient(&mut self, variable: &str, coefficient: &Coefficient) -> Vector {
        let table = &self.lowered.tables[coefficient.table];
        let (format, length) = (table.format, table.rows[0].len());
        let scaled = scaled_format(table);
        let at = |index: Index, width: usize| bits(coefficient.row, length, index, width);
        let name = constant_name(table);
        let value = format!("{name}{}", at(coefficient.column, format.width() as usize));
        if table.exponents.is_empty() {
            self.line(&format!("{variable} = {value};"));
            return Vector::new(variable.to_owned(), scaled);
        }
        // Named first, so that its sign can be repeated.
        let plain = format!("{variable}_i");
        let extended = Vector::new(plain.clone(), format).at(scaled.width());
        let exponent = match coefficient.exponent {
            Exponent::Constant(bits) => bits.to_string(),
            Exponent::At(index) => format!("{name}_EXPONENT{}", at(index, EXPONENT_BITS)),
        };
        self.declare(&plain, format.width());
        self.line(&format!("{plain} = {value};"));
        self.line(&format!("{variable} = {extended} << {exponent};"));
        Vector::new(variable.to_owned(), scaled)
    }

    fn value(&mut self, local: Local, value: &Value) {
        let (name, format) = (vector(local).name, local.format);
        match value {
            Value::Input { .. } => self.line(&format!("{name} = in_data; // {format}")),
            Value::Read(read) => {
                let word = self.read(read);
                self.line(&format!("{name} = {word}; // {format}"));
            }
            Value::Product { coefficient, word } => self.product(local, coefficient, *word),
            Value::Round { word, dropped, rounding } => {
                self.round(local, *word, *dropped, *rounding);
            }
            Value::Limit { word, how } => self.limit(local, *word, *how),
        }
    }

    fn product(&mut self, local: Local, coefficient: &Coefficient, word: Local) {
        let (name, format) = (vector(local).name, local.format);
        let factor = format!("{name}_c");
        let width = scaled_format(&self.lowered.tables[coefficient.table]).width();
        self.declare(&factor, width);
        let (coefficient, word) = (self.take_coefficient(&factor, coefficient), vector(word));
        let product = coefficient.times(&word);
        let full = coefficient.width + word.width;
        if format.width() == full {
            self.line(&format!("{name} = {product}; // {format}"));
            return;
        }
        // Proved to need fewer bits than its factors could give, as with a coefficient of zero.
        let signed = coefficient.signed || word.signed;
        let wide = Vector { name: format!("{name}_p"), width: full, signed };
        self.declare(&wide.name, full);
        self.line(&format!("{} = {product};", wide.name));
        self.line(&format!("{name} = {}; // {format}", wide.at(format.width())));
    }

    fn sum(&mut self, sum: &Sum) {
        let (name, format) = (vector(sum.local).name, sum.local.format);
        let width = format.width();
        self.declare(&name, width);
        self.line(&format!("{name} = {width}'d0; // {format}"));
        for step in &sum.steps {
            match step {
                Step::Add(addition) => self.addition(&name, width, addition),
                Step::Double(times) => {
                    let doubled = Vector::new(name.clone(), format).shifted(*times, width);
                    self.line(&format!("{name} = {doubled};"));
                }
                Step::Loop { passes, addition } => {
                    let (first, end) = (passes.start, passes.end);
                    self.index("k");
                    self.line(&format!("for (k = {first}; k < {end}; k = k + 1) begin"));
                    self.indent += 1;
                    self.addition(&name, width, addition);
                    self.indent -= 1;
                    self.line("end");
                }
            }
        }
    }

    /// Adds a term; its parts have names, which those that come from one term share.
    fn addition(&mut self, sum: &str, width: u32, addition: &Addition) {
        let (sign, shift, term) = (mark(addition.sign), addition.shift, addition.term);
        let (coefficient, factor, rounded) = match &addition.addend {
            Addend::Word(local) => {
                let word = vector(*local).shifted(shift, width);
                self.line(&format!("{sum} = {sum} {sign} {word};"));
                return;
            }
            Addend::Product { coefficient, factor, rounded } => (coefficient, factor, rounded),
        };
        let parts = self.lowered.parts(coefficient, factor);
        let named = |part: &str, (width, signed)| Vector {
            name: format!("{sum}_{part}{term}"),
            width,
            signed,
        };
        let [c, word, product] = [named("c", parts[0]), named("w", parts[1]), named("p", parts[2])];
        for part in [&c, &word, &product] {
            self.declare(&part.name, part.width);
        }
        let coefficient = self.take_coefficient(&c.name, coefficient);
        match factor {
            Factor::One(one) => {
                let one = self.read(one);
                self.line(&format!("{} = {one};", word.name));
            }
            Factor::Pair { first, sign, second } => {
                // A part of a line is named first, so that its sign can be repeated.
                let [first, second] = [("a", first), ("b", second)].map(|(part, read)| {
                    let name = format!("{sum}_{part}{term}");
                    let (format, value) = (self.lowered.format(read), self.read(read));
                    self.declare(&name, format.width());
                    self.line(&format!("{name} = {value};"));
                    Vector::new(name, format).at(word.width)
                });
                self.line(&format!("{} = {first} {} {second};", word.name, mark(*sign)));
            }
        }
        self.line(&format!("{} = {};", product.name, coefficient.times(&word)));
        let product = match rounded {
            Some((bits, rounding)) => self.rounded(product, *bits, *rounding),
            None => product,
        };
        self.line(&format!("{sum} = {sum} {sign} {};", product.shifted(shift, width)));
    }

    /// A product that is rounded before it is added.
    fn rounded(&mut self, product: Vector, dropped: u32, rounding: Rounding) -> Vector {
        let width = width_of_rounded(product.width, dropped);
        let name = format!("{}_r", product.name);
        self.declare(&name, width);
        for line in self.dropping(&product, dropped, rounding, &name, width) {
            self.line(&line);
        }
        Vector { name, width, signed: product.signed }
    }

    fn round(&mut self, local: Local, source: Local, dropped: i32, rounding: Rounding) {
        let (source, name, format) = (vector(source), vector(local).name, local.format);
        let width = format.width();
        if dropped <= 0 {
            let word = source.shifted(dropped.unsigned_abs(), width);
            self.line(&format!("{name} = {word}; // {format}"));
            return;
        }
        let lines = self.dropping(&source, dropped as u32, rounding, &name, width);
        let last = lines.len() - 1;
        for (index, line) in lines.iter().enumerate() {
            let comment = if index == last { format!(" // {format}") } else { String::new() };
            self.line(&format!("{line}{comment}"));
        }
    }

    /// Statements that give `name`, of so many bits, the vector without its lowest bits.
    fn dropping(
        &mut self,
        vector: &Vector,
        shift: u32,
        rounding: Rounding,
        name: &str,
        width: u32,
    ) -> Vec<String> {
        let mut lines = Vec::new();
        // One bit of sign above the bits that are dropped, at least.
        let long = vector.width.max(shift + 1);
        let dropped = if long > vector.width {
            let extended = format!("{name}_x");
            self.declare(&extended, long);
            let word = vector.at(long);
            lines.push(format!("{extended} = {word};"));
            extended
        } else {
            vector.name.clone()
        };
        let kept = long - shift;
        let floor = Vector { name: format!("{name}_f"), width: kept, signed: vector.signed };
        self.declare(&floor.name, kept);
        lines.push(format!("{} = {dropped}[{}:{shift}];", floor.name, long - 1));
        let source = Vector { name: dropped, width: long, signed: vector.signed };
        let up = source.carry(shift, rounding);
        let floor = floor.at(width);
        let text = match up {
            None => floor,
            Some(up) if width == 1 => format!("{floor} + {up}"),
            Some(up) => format!("{floor} + {{{}'d0, {up}}}", width - 1),
        };
        lines.push(format!("{name} = {text};"));
        lines
    }

    fn limit(&mut self, local: Local, source: Local, how: Limiting) {
        let (source, name, format) = (vector(source), vector(local).name, local.format);
        let text = match how {
            Limiting::Saturate { below, above } => source.saturated(format, below, above),
            Limiting::Fits | Limiting::Wrap => source.at(format.width()),
        };
        self.line(&format!("{name} = {text}; // {format}"));
    }
}
