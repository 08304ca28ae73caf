//! The program itself, as variables of one process.

use super::super::hardware::{place, scaled_format, width_of_rounded};
use super::super::lower::{
    Addend, Addition, Coefficient, Exponent, Factor, Index, Limiting, Local, Lowered, Read,
    Statement, Step, Sum, Value,
};
use super::super::number::vhdl_integer;
use super::vector::{Vector, kind};
use super::{constant, field};
use crate::datapath::{Row, Sign};
use crate::fixed::Rounding;
use std::fmt::Write;

/// Statements and the variables that they need.
pub(super) struct Compute {
    pub(super) text: String,
    pub(super) variables: Vec<Vector>,
}

impl Compute {
    pub(super) fn new(lowered: &Lowered) -> Self {
        let out = Compute { text: String::new(), variables: Vec::new() };
        let mut statements = Statements { lowered, out, indent: 5 };
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
pub(super) fn vector(local: Local) -> Vector {
    Vector::new(format!("n{}", local.node.0), local.format)
}

fn mark(sign: Sign) -> &'static str {
    match sign {
        Sign::Plus => "+",
        Sign::Minus => "-",
    }
}

impl Statements<'_> {
    fn line(&mut self, text: &str) {
        let _ = writeln!(self.out.text, "{:1$}{text}", "", 4 * self.indent);
    }

    /// Declares a variable, once.
    fn declare(&mut self, vector: &Vector) {
        if !self.out.variables.iter().any(|known| known.name == vector.name) {
            self.out.variables.push(vector.clone());
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
                self.declare(&vector(*local));
                self.value(*local, value);
            }
            Statement::Sum(sum) => self.sum(sum),
            Statement::Repeat { local, passes, first, body, result } => {
                let word = vector(*local);
                self.declare(&word);
                let format = local.format;
                self.line(&format!("{} := {}; -- {format}", word.name, vector(*first).name));
                self.line(&format!("for pass in 0 to {} loop", passes - 1));
                self.indent += 1;
                self.block(body);
                self.line(&format!("{} := {};", word.name, vector(*result).name));
                self.indent -= 1;
                self.line("end loop;");
            }
            // The caller of the block hands over what goes out.
            Statement::Deliver { .. } => {}
            Statement::Advance { line, row, word } => self.advance(*line, *row, *word),
        }
    }

    /// Moves a row of a line on by one sample: a signal keeps its old value until the clock has passed.
    fn advance(&mut self, index: usize, row: Row, word: Local) {
        let line = &self.lowered.lines[index];
        let (name, depth) = (field(line.name), line.depth);
        let at = |offset: i64, step| place(row, depth, Index { offset, step });
        if depth > 1 {
            self.line(&format!("for k in 1 to {} loop", depth - 1));
            self.line(&format!("    {name}({}) <= {name}({});", at(0, 1), at(-1, 1)));
            self.line("end loop;");
        }
        self.line(&format!("{name}({}) <= {};", at(0, 0), vector(word).name));
    }

    /// A word in its place.
    fn read(&self, read: &Read) -> String {
        match read {
            Read::Local(local) => vector(*local).name,
            Read::Remembered { line, row, index } => {
                let line = &self.lowered.lines[*line];
                format!("{}({})", field(line.name), place(*row, line.depth, *index))
            }
        }
    }

    /// Gives a variable, of the format with room for exponents, a coefficient.
    fn take_coefficient(&mut self, variable: &Vector, coefficient: &Coefficient) {
        let table = &self.lowered.tables[coefficient.table];
        let (length, name) = (table.rows[0].len(), constant(table.name));
        let at = |index: Index| place(coefficient.row, length, index);
        let value = format!("{name}({})", at(coefficient.column));
        let sized = Vector::new(value, table.format).at(variable.width, variable.signed);
        let value = match coefficient.exponent {
            _ if table.exponents.is_empty() => sized,
            Exponent::Constant(0) => sized,
            Exponent::Constant(bits) => format!("shift_left({sized}, {bits})"),
            Exponent::At(index) => format!("shift_left({sized}, {name}_EXPONENT({}))", at(index)),
        };
        self.line(&format!("{} := {value};", variable.name));
    }

    fn value(&mut self, local: Local, value: &Value) {
        let (name, format) = (vector(local).name, local.format);
        match value {
            Value::Input { .. } => {
                let kind = kind(format.is_signed());
                self.line(&format!("{name} := {kind}(in_data); -- {format}"));
            }
            Value::Read(read) => {
                let word = self.read(read);
                self.line(&format!("{name} := {word}; -- {format}"));
            }
            Value::Product { coefficient, word } => self.product(local, coefficient, *word),
            Value::Round { word, dropped, rounding } => {
                self.round(local, *word, *dropped, *rounding);
            }
            Value::Limit { word, how } => self.limit(local, *word, *how),
        }
    }

    fn product(&mut self, local: Local, coefficient: &Coefficient, word: Local) {
        let (target, word) = (vector(local), vector(word));
        let scaled = scaled_format(&self.lowered.tables[coefficient.table]);
        let factor = Vector::new(format!("{}_c", target.name), scaled);
        self.declare(&factor);
        self.take_coefficient(&factor, coefficient);
        let signed = factor.signed || word.signed;
        let width = factor.width + word.width;
        let wide = Vector { name: format!("{}_p", target.name), width, signed };
        self.declare(&wide);
        self.line(&format!("{} := {};", wide.name, factor.times(&word)));
        let value = wide.at(target.width, target.signed);
        self.line(&format!("{} := {value}; -- {}", target.name, local.format));
    }

    fn sum(&mut self, sum: &Sum) {
        let target = vector(sum.local);
        self.declare(&target);
        self.line(&format!("{} := (others => '0'); -- {}", target.name, sum.local.format));
        for step in &sum.steps {
            match step {
                Step::Add(addition) => self.addition(&target, addition),
                Step::Double(times) => {
                    let name = &target.name;
                    self.line(&format!("{name} := shift_left({name}, {times});"));
                }
                Step::Loop { passes, addition } => {
                    self.line(&format!("for k in {} to {} loop", passes.start, passes.end - 1));
                    self.indent += 1;
                    self.addition(&target, addition);
                    self.indent -= 1;
                    self.line("end loop;");
                }
            }
        }
    }

    /// Adds a term; its parts have names, which those that come from one term share.
    fn addition(&mut self, target: &Vector, addition: &Addition) {
        let (sign, shift, term) = (mark(addition.sign), addition.shift, addition.term);
        let Vector { name: sum, width, signed } = target;
        let (coefficient, factor, rounded) = match &addition.addend {
            Addend::Word(local) => {
                let word = vector(*local).shifted(shift, *width, *signed);
                self.line(&format!("{sum} := {sum} {sign} {word};"));
                return;
            }
            Addend::Product { coefficient, factor, rounded } => (coefficient, factor, rounded),
        };
        let part = |part: &str| format!("{sum}_{part}{term}");
        let parts = self.lowered.parts(coefficient, factor);
        let named = |name: &str, (width, signed)| Vector { name: part(name), width, signed };
        let [c, word, product] = [named("c", parts[0]), named("w", parts[1]), named("p", parts[2])];
        for part in [&c, &word, &product] {
            self.declare(part);
        }
        self.take_coefficient(&c, coefficient);
        let value = match factor {
            Factor::One(one) => self.read(one),
            Factor::Pair { first, sign, second } => {
                let [first, second] = [first, second].map(|read| {
                    let vector = Vector::new(self.read(read), self.lowered.format(read));
                    vector.at(word.width, word.signed)
                });
                format!("{first} {} {second}", mark(*sign))
            }
        };
        self.line(&format!("{} := {value};", word.name));
        self.line(&format!("{} := {};", product.name, c.times(&word)));
        let product = match rounded {
            Some((bits, rounding)) => self.rounded(product, *bits, *rounding),
            None => product,
        };
        self.line(&format!("{sum} := {sum} {sign} {};", product.shifted(shift, *width, *signed)));
    }

    /// A product that is rounded before it is added.
    fn rounded(&mut self, product: Vector, dropped: u32, rounding: Rounding) -> Vector {
        let width = width_of_rounded(product.width, dropped);
        let target = Vector { name: format!("{}_r", product.name), width, signed: product.signed };
        self.declare(&target);
        self.dropping(&product, dropped, rounding, &target, "");
        target
    }

    fn round(&mut self, local: Local, source: Local, dropped: i32, rounding: Rounding) {
        let (source, target, format) = (vector(source), vector(local), local.format);
        if dropped <= 0 {
            let word = source.shifted(dropped.unsigned_abs(), target.width, target.signed);
            self.line(&format!("{} := {word}; -- {format}", target.name));
            return;
        }
        self.dropping(&source, dropped as u32, rounding, &target, &format!(" -- {format}"));
    }

    /// Gives `target` the vector without its lowest bits.
    fn dropping(
        &mut self,
        vector: &Vector,
        shift: u32,
        rounding: Rounding,
        target: &Vector,
        comment: &str,
    ) {
        // One bit of sign above the bits that are dropped, at least.
        let long = vector.width.max(shift + 1);
        let mut word = vector.clone();
        if long > vector.width {
            word = Vector { name: format!("{}_x", target.name), width: long, ..word };
            self.declare(&word);
            self.line(&format!("{} := {};", word.name, vector.at(long, vector.signed)));
        }
        let (from, name) = (&word.name, &target.name);
        let kept = Vector { name: format!("{name}_f"), width: long - shift, signed: vector.signed };
        self.declare(&kept);
        self.line(&format!("{} := {from}({} downto {shift});", kept.name, long - 1));
        let value = kept.at(target.width, target.signed);
        self.line(&format!("{name} := {value};{comment}"));
        let half = format!("{from}({}) = '1'", shift - 1);
        let rest = (shift > 1).then(|| format!("{from}({} downto 0) /= 0", shift - 2));
        let or_rest = |other: String| match &rest {
            Some(rest) => format!("{half} and ({rest} or {other})"),
            None => format!("{half} and {other}"),
        };
        let is_up = match rounding {
            Rounding::Floor => return,
            Rounding::HalfUp => half,
            Rounding::HalfEven => or_rest(format!("{from}({shift}) = '1'")),
            Rounding::HalfAway if vector.signed => or_rest(format!("{from}({}) = '0'", long - 1)),
            Rounding::HalfAway => half,
            Rounding::TowardZero if vector.signed => {
                format!("{from}({}) = '1' and {from}({} downto 0) /= 0", long - 1, shift - 1)
            }
            Rounding::TowardZero => return,
        };
        self.line(&format!("if {is_up} then"));
        self.line(&format!("    {name} := {name} + 1;"));
        self.line("end if;");
    }

    fn limit(&mut self, local: Local, source: Local, how: Limiting) {
        let (source, target, format) = (vector(source), vector(local), local.format);
        let plain = source.at(target.width, target.signed);
        let name = &target.name;
        self.line(&format!("{name} := {plain}; -- {format}"));
        let Limiting::Saturate { below, above } = how else { return };
        let end = |value: i128| {
            // As a number of the type of the word that it is compared with.
            let own = vhdl_integer(value, source.width);
            let limit = vhdl_integer(value, target.width);
            (format!("{}'({own})", kind(source.signed)), limit)
        };
        let mut start = "if";
        for (is_there, value, sign) in
            [(above, format.maximum(), '>'), (below, format.minimum(), '<')]
        {
            if is_there {
                let (own, limit) = end(value);
                self.line(&format!("{start} {} {sign} {own} then", source.name));
                self.line(&format!("    {name} := {limit};"));
                start = "elsif";
            }
        }
        if start == "elsif" {
            self.line("end if;");
        }
    }
}
