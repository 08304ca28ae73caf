//! The combinational part: the program itself.

use super::super::number::verilog_integer;
use super::{EXPONENT_BITS, constant_name};
use crate::datapath::{
    Block, Checked, CommonExponent, Fold, LineIndex, Node, Operation, RoundedProducts, Row, Sign,
    TableIndex, Term,
};
use crate::fixed::{Overflow, Rounding, WordFormat};
use std::collections::BTreeMap;
use std::fmt::Write;
use std::ops::Range;

/// Dot products of at most this many terms are written out; longer ones are loops.
const WRITTEN_OUT: usize = 4;

/// Statements and the variables that they need.
pub(super) struct Compute {
    pub(super) text: String,
    /// Name and width in bits.
    pub(super) variables: Vec<(String, u32)>,
    /// Loop counters.
    pub(super) indices: Vec<&'static str>,
}

impl Compute {
    pub(super) fn new(checked: &Checked) -> Self {
        let mut statements = Statements {
            checked,
            out: Compute { text: String::new(), variables: Vec::new(), indices: Vec::new() },
            stored: BTreeMap::new(),
            sources: BTreeMap::new(),
            around: None,
            indent: 2,
        };
        for line in checked.datapath().lines.iter().filter(|line| line.depth > 0) {
            // Every bit is replaced below; the first assignment shows that none is left out.
            statements.line(&format!("{0}_next = {0};", line.name));
        }
        statements.block(&checked.datapath().body);
        statements.out
    }
}

struct Statements<'a> {
    checked: &'a Checked,
    out: Compute,
    /// The node that each row of a line was given in this sample.
    stored: BTreeMap<(usize, Row), Node>,
    /// For nodes that hand a word on without a variable of their own, the one that has it.
    sources: BTreeMap<Node, Node>,
    /// The loop that is being written.
    around: Option<Node>,
    indent: usize,
}

/// A variable with its width and sign.
struct Vector {
    name: String,
    width: u32,
    signed: bool,
}

impl Vector {
    fn new(name: String, format: WordFormat) -> Self {
        Vector { name, width: format.width(), signed: format.is_signed() }
    }

    /// The vector in `width` bits: its sign repeated in front, or its low bits.
    fn at(&self, width: u32) -> String {
        let Vector { name, width: own, signed } = self;
        if width == *own {
            name.clone()
        } else if width < *own {
            format!("{name}[{}:0]", width - 1)
        } else if *signed {
            format!("{{{{{}{{{name}[{}]}}}}, {name}}}", width - own, own - 1)
        } else {
            format!("{{{}'d0, {name}}}", width - own)
        }
    }

    /// The product of two vectors, each of its own width: so that a synthesizer finds one multiplier and not
    /// those of operands whose signs are repeated up to the width of the product. An operand without a sign
    /// beside one with a sign gets a zero in front; the product is extended to the width that it is assigned
    /// to (IEEE 1364-2005, 5.5).
    fn times(&self, other: &Vector) -> String {
        let is_signed = self.signed || other.signed;
        let operand = |vector: &Vector| match (is_signed, vector.signed) {
            (false, _) => vector.name.clone(),
            (true, true) => format!("$signed({})", vector.name),
            (true, false) => format!("$signed({{1'b0, {}}})", vector.name),
        };
        format!("{} * {}", operand(self), operand(other))
    }

    /// The vector in `width` bits, `shift` zeros appended.
    fn shifted(&self, shift: u32, width: u32) -> String {
        match shift {
            0 => self.at(width),
            _ if shift >= width => format!("{width}'d0"),
            _ => format!("{{{}, {shift}'d0}}", self.at(width - shift)),
        }
    }
}

impl Statements<'_> {
    fn line(&mut self, text: &str) {
        let _ = writeln!(self.out.text, "{:1$}{text}", "", 4 * self.indent);
    }

    fn declare(&mut self, name: &str, width: u32) {
        self.out.variables.push((name.to_owned(), width));
    }

    fn index(&mut self, name: &'static str) {
        if !self.out.indices.contains(&name) {
            self.out.indices.push(name);
        }
    }

    fn node(&self, node: Node) -> Vector {
        let source = self.source(node);
        Vector::new(format!("n{}", source.0), self.checked.facts().format(node))
    }

    /// The node whose variable holds a word.
    fn source(&self, node: Node) -> Node {
        self.sources.get(&node).copied().unwrap_or(node)
    }

    fn block(&mut self, block: &Block) {
        for (node, operation) in &block.operations {
            self.operation(*node, operation);
        }
        for (_, operation) in &block.operations {
            if let Operation::Store { line, row, word } = operation {
                self.advance(*line, *row, *word);
            }
        }
    }

    /// Moves a row of a line on by one sample.
    fn advance(&mut self, index: LineIndex, row: Row, word: Node) {
        let line = &self.checked.datapath().lines[index.0];
        if line.depth == 0 {
            return;
        }
        let (width, name) = (line.format.width() as usize, line.name);
        let row_bits = width * line.depth;
        let start = match row {
            Row::Fixed(row) => (row * row_bits).to_string(),
            Row::Pass => format!("{row_bits} * pass"),
        };
        let word = self.node(word).name;
        let target = format!("{name}_next[{start} +: {row_bits}]");
        if line.depth == 1 {
            self.line(&format!("{target} = {word};"));
        } else {
            let kept = row_bits - width;
            self.line(&format!("{target} = {{{name}[{start} +: {kept}], {word}}};"));
        }
    }

    fn operation(&mut self, node: Node, operation: &Operation) {
        let format = self.checked.facts().format(node);
        let name = format!("n{}", node.0);
        if !matches!(operation, Operation::Store { .. }) {
            self.declare(&name, format.width());
        }
        match operation {
            Operation::Input => self.line(&format!("{name} = in_data; // {format}")),
            Operation::Carried => {
                let carried =
                    self.node(self.around.expect("checked: carried words stand in loops"));
                self.line(&format!("{name} = {}; // {format}", carried.name));
            }
            Operation::Tap { line, row, age } => {
                let word = self.tap(*line, *row, *age, "");
                self.line(&format!("{name} = {word}; // {format}"));
            }
            Operation::Product { table, row, column, word } => {
                let coefficient = format!("{name}_c");
                let table_format = self.scaled_format(*table);
                self.declare(&coefficient, table_format.width());
                let value = self.coefficient(*table, *row, *column, "");
                let place = (*row, *column..*column + 1, "");
                self.take_coefficient(&coefficient, *table, place, &value);
                let (coefficient, word) =
                    (Vector::new(coefficient, table_format), self.node(*word));
                let product = coefficient.times(&word);
                let full = coefficient.width + word.width;
                if format.width() == full {
                    self.line(&format!("{name} = {product}; // {format}"));
                } else {
                    // Proved to need fewer bits than its factors could give, as with a coefficient of zero.
                    let signed = coefficient.signed || word.signed;
                    let wide = Vector { name: format!("{name}_p"), width: full, signed };
                    self.declare(&wide.name, full);
                    self.line(&format!("{} = {product};", wide.name));
                    self.line(&format!("{name} = {}; // {format}", wide.at(format.width())));
                }
            }
            Operation::Accumulate { terms, format } => {
                self.line(&format!("{name} = {}'d0; // {format}", format.width()));
                for (index, term) in terms.iter().enumerate() {
                    self.term(&name, index, term, *format);
                }
            }
            Operation::Round { word, fraction, rounding } => {
                self.round(node, *word, *fraction, *rounding);
            }
            Operation::Limit { word, format, overflow } => {
                self.limit(node, *word, *format, *overflow);
            }
            Operation::Store { line, row, word } => {
                self.stored.insert((line.0, *row), *word);
                self.sources.insert(node, self.source(*word));
            }
            Operation::Repeat { passes, first, body } => {
                self.index("pass");
                let first = self.node(*first).name;
                self.line(&format!("{name} = {first}; // {format}"));
                self.line(&format!("for (pass = 0; pass < {passes}; pass = pass + 1) begin"));
                self.indent += 1;
                self.around = Some(node);
                self.block(body);
                self.around = None;
                let result = self.node(body.result).name;
                self.line(&format!("{name} = {result};"));
                self.indent -= 1;
                self.line("end");
            }
        }
    }

    /// Where a word lies in its row-by-row vector: `index` is a fixed place, `running` is added to it.
    fn place(row: Row, length: usize, index: usize, running: &str, width: u32) -> String {
        let mut parts = Vec::new();
        let fixed = match row {
            Row::Fixed(row) => row * length + index,
            Row::Pass => {
                parts.push(format!("{length} * pass"));
                index
            }
        };
        if !running.is_empty() {
            parts.push(running.to_owned());
        }
        if parts.is_empty() {
            let low = fixed * width as usize;
            return format!("[{}:{low}]", low + width as usize - 1);
        }
        if fixed > 0 {
            parts.push(fixed.to_string());
        }
        format!("[{width} * ({}) +: {width}]", parts.join(" + "))
    }

    fn coefficient(&self, index: TableIndex, row: Row, column: usize, running: &str) -> String {
        let table = &self.checked.datapath().tables[index.0];
        let width = table.format.width();
        let place = Self::place(row, table.rows[0].len(), column, running, width);
        format!("{}{place}", constant_name(table))
    }

    fn tap(&self, index: LineIndex, row: Row, age: usize, running: &str) -> String {
        if age == 0 {
            return self.node(self.stored[&(index.0, row)]).name;
        }
        let line = &self.checked.datapath().lines[index.0];
        let place = Self::place(row, line.depth, age - 1, running, line.format.width());
        format!("{}{place}", line.name)
    }

    fn term(&mut self, sum: &str, index: usize, term: &Term, format: WordFormat) {
        let (width, fraction) = (format.width(), format.fraction());
        match term {
            Term::Word { sign, word, binary_point_shift } => {
                let vector = self.node(*word);
                let shift =
                    fraction - self.checked.facts().format(*word).fraction() - binary_point_shift;
                let word = vector.shifted(shift as u32, width);
                self.line(&format!("{sum} = {sum} {} {word};", mark(*sign)));
            }
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, products } => {
                let datapath = self.checked.datapath();
                let table_format = self.scaled_format(*table);
                let line_format = datapath.lines[line.0].format;
                let product_width = table_format.width() + line_format.width();
                let parts = ["c", "w", "p"].map(|part| format!("{sum}_{part}{index}"));
                let widths = [table_format.width(), line_format.width(), product_width];
                for (part, width) in parts.iter().zip(widths) {
                    self.declare(part, width);
                }
                let [c, w, p] = parts;
                let signed = table_format.is_signed() || line_format.is_signed();
                let product = Vector { name: p.clone(), width: product_width, signed };
                let own = table_format.fraction() + line_format.fraction();
                let (round, product, own) = self.rounded(product, own, *products);
                let shift = (fraction - own) as u32;
                let add =
                    format!("{sum} = {sum} {} {};", mark(*sign), product.shifted(shift, width));
                let word = Vector::new(w.clone(), line_format);
                let product = Vector::new(c.clone(), table_format).times(&word);
                let multiply = format!("{p} = {product};");
                let (mut column, mut age, mut count) = (*column, *age, *count);
                let one = |this: &mut Self, columns: Range<usize>, age: usize, running: &str| {
                    let coefficient = this.coefficient(*table, *table_row, columns.start, running);
                    let word = this.tap(*line, *line_row, age, running);
                    let place = (*table_row, columns, running);
                    this.take_coefficient(&c, *table, place, &coefficient);
                    this.line(&format!("{w} = {word};"));
                    this.line(&multiply);
                    round.iter().for_each(|line| this.line(line));
                    this.line(&add);
                };
                if age == 0 {
                    one(self, column..column + 1, age, "");
                    (column, age, count) = (column + 1, 1, count - 1);
                }
                if count <= WRITTEN_OUT {
                    for k in 0..count {
                        one(self, column + k..column + k + 1, age + k, "");
                    }
                    return;
                }
                self.index("k");
                self.line(&format!("for (k = 0; k < {count}; k = k + 1) begin"));
                self.indent += 1;
                one(self, column..column + count, age, "k");
                self.indent -= 1;
                self.line("end");
            }
            Term::Folded(fold) => self.fold(sum, index, fold, format),
        }
    }

    /// A folded product: the first pair by itself where it has the word of this sample, the others in a loop.
    fn fold(&mut self, sum: &str, index: usize, fold: &Fold, format: WordFormat) {
        let datapath = self.checked.datapath();
        let table_format = self.scaled_format(fold.table);
        let line_format = datapath.lines[fold.line.0].format;
        let pair_width = line_format.width() + 1;
        let product_width = table_format.width() + pair_width;
        let parts = ["c", "w", "p"].map(|part| format!("{sum}_{part}{index}"));
        let widths = [table_format.width(), pair_width, product_width];
        for (part, width) in parts.iter().zip(widths) {
            self.declare(part, width);
        }
        let [c, w, p] = parts;
        // A difference has a sign even if its words have none.
        let pair_signed = line_format.is_signed() || fold.second == Sign::Minus;
        let signed = table_format.is_signed() || pair_signed;
        let pair = Vector { name: w.clone(), width: pair_width, signed: pair_signed };
        let product = Vector { name: p.clone(), width: product_width, signed };
        let own = table_format.fraction() + line_format.fraction();
        let (round, product, own) = self.rounded(product, own, fold.products);
        let shifted = product.shifted((format.fraction() - own) as u32, format.width());
        let multiplied = Vector::new(c.clone(), table_format).times(&pair);
        // A word by itself is a plain vector; a part of a line is named first, so that its sign can be
        // repeated.
        let (first, other) = (format!("{sum}_a{index}"), format!("{sum}_b{index}"));
        for name in [&first, &other] {
            self.declare(name, line_format.width());
        }
        let word = |name: &String| Vector::new(name.clone(), line_format).at(pair_width);
        let mut lines = vec![
            format!("{w} = {} {} {};", word(&first), mark(fold.second), word(&other)),
            format!("{p} = {multiplied};"),
        ];
        lines.extend(round);
        lines.push(format!("{sum} = {sum} + {shifted};"));
        let Fold { age, mirror, stride, .. } = *fold;
        let by_itself = if fold.count <= WRITTEN_OUT { fold.count } else { usize::from(age == 0) };
        let put = |this: &mut Self, place, coefficient: String, one: String, two: String| {
            this.take_coefficient(&c, fold.table, place, &coefficient);
            this.line(&format!("{first} = {one};"));
            this.line(&format!("{other} = {two};"));
            lines.iter().for_each(|line| this.line(line));
        };
        for k in 0..by_itself {
            let coefficient = self.coefficient(fold.table, fold.table_row, fold.column + k, "");
            let one = self.tap(fold.line, fold.line_row, age + stride * k, "");
            let two = self.tap(fold.line, fold.line_row, mirror - stride * k, "");
            let column = fold.column + k;
            put(self, (fold.table_row, column..column + 1, ""), coefficient, one, two);
        }
        if by_itself == fold.count {
            return;
        }
        self.index("k");
        self.line(&format!("for (k = {by_itself}; k < {}; k = k + 1) begin", fold.count));
        self.indent += 1;
        let running = if stride == 1 { "k".to_owned() } else { format!("{stride} * k") };
        let coefficient = self.coefficient(fold.table, fold.table_row, fold.column, "k");
        // The place of age 1 is 0: a fold that starts at age 0 has the place before it.
        let place = |part: &str| {
            let (width, depth) = (line_format.width(), datapath.lines[fold.line.0].depth);
            let name = datapath.lines[fold.line.0].name;
            let row = match fold.line_row {
                Row::Fixed(row) => (row * depth).to_string(),
                Row::Pass => format!("{depth} * pass"),
            };
            format!("{name}[{width} * ({row} + {part}) +: {width}]")
        };
        let one = if age == 0 {
            place(&format!("{running} - 1"))
        } else {
            place(&format!("{running} + {}", age - 1))
        };
        let two = place(&format!("{} - {running}", mirror - 1));
        let place = (fold.table_row, fold.column..fold.column + fold.count, "k");
        put(self, place, coefficient, one, two);
        self.indent -= 1;
        self.line("end");
    }

    fn round(&mut self, node: Node, word: Node, fraction: i32, rounding: Rounding) {
        let facts = self.checked.facts();
        let (source, format) = (facts.format(word), facts.format(node));
        let (name, width) = (format!("n{}", node.0), format.width());
        let vector = self.node(word);
        let shift = source.fraction() - fraction;
        if shift <= 0 {
            let word = vector.shifted(-shift as u32, width);
            self.line(&format!("{name} = {word}; // {format}"));
            return;
        }
        let lines = self.dropping(&vector, shift as u32, rounding, &name, width);
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
        let half = format!("{dropped}[{}]", shift - 1);
        let below =
            if shift > 1 { format!("(|{dropped}[{}:0])", shift - 2) } else { "1'b0".to_owned() };
        let lowest = format!("{dropped}[{shift}]");
        let sign =
            if vector.signed { format!("{dropped}[{}]", long - 1) } else { "1'b0".to_owned() };
        let up = match rounding {
            Rounding::Floor => None,
            Rounding::HalfUp => Some(half),
            Rounding::HalfEven => Some(format!("({half} & ({below} | {lowest}))")),
            Rounding::HalfAway => Some(format!("({half} & ({below} | ~{sign}))")),
            Rounding::TowardZero => Some(format!("({sign} & (|{dropped}[{}:0]))", shift - 1)),
        };
        let floor = floor.at(width);
        let text = match up {
            None => floor,
            Some(up) if width == 1 => format!("{floor} + {up}"),
            Some(up) => format!("{floor} + {{{}'d0, {up}}}", width - 1),
        };
        lines.push(format!("{name} = {text};"));
        lines
    }

    /// A product of the fraction `own` as it is added to a sum: the statements that round it, its vector and
    /// its fraction.
    fn rounded(
        &mut self,
        product: Vector,
        own: i32,
        products: Option<RoundedProducts>,
    ) -> (Vec<String>, Vector, i32) {
        match products {
            Some(RoundedProducts { fraction, rounding }) if fraction < own => {
                let shift = (own - fraction) as u32;
                // A carry may need one bit more than what is left.
                let width = product.width.max(shift + 1) - shift + 1;
                let name = format!("{}_r", product.name);
                self.declare(&name, width);
                let lines = self.dropping(&product, shift, rounding, &name, width);
                (lines, Vector { name, width, signed: product.signed }, fraction)
            }
            _ => (Vec::new(), product, own),
        }
    }

    /// The format that holds the coefficients of all rows of a table at its finest fraction.
    fn scaled_format(&self, index: TableIndex) -> WordFormat {
        let table = &self.checked.datapath().tables[index.0];
        let most = table.exponents.iter().flatten().copied().max().unwrap_or(0);
        let format = table.format;
        WordFormat::new(format.is_signed(), format.width() + most, format.fraction())
            .expect("checked: coefficients with their exponents have at most 63 bits")
    }

    /// Gives a variable of the format with room for exponents a coefficient.
    fn take_coefficient(
        &mut self,
        variable: &str,
        index: TableIndex,
        (row, columns, running): (Row, Range<usize>, &str),
        value: &str,
    ) {
        let table = &self.checked.datapath().tables[index.0];
        let (format, name) = (table.format, constant_name(table));
        if table.exponents.is_empty() {
            self.line(&format!("{variable} = {value};"));
            return;
        }
        // Named first, so that its sign can be repeated.
        let plain = format!("{variable}_i");
        let wide = self.scaled_format(index).width();
        let extended = Vector::new(plain.clone(), format).at(wide);
        let (length, first) = (table.rows[0].len(), columns.start);
        let at = |running: &str| {
            let place = Self::place(row, length, first, running, EXPONENT_BITS as u32);
            format!("{name}_EXPONENT{place}")
        };
        let exponent = match (table.common_exponent(row, columns), row) {
            (CommonExponent::All(bits), Row::Fixed(_)) => bits.to_string(),
            (CommonExponent::All(bits), Row::Pass) if table.rows.len() == 1 => bits.to_string(),
            (CommonExponent::All(_) | CommonExponent::OfRow, _) => at(""),
            (CommonExponent::None, _) => at(running),
        };
        if !self.out.variables.iter().any(|(known, _)| *known == plain) {
            self.declare(&plain, format.width());
        }
        self.line(&format!("{plain} = {value};"));
        self.line(&format!("{variable} = {extended} << {exponent};"));
    }

    fn limit(&mut self, node: Node, word: Node, format: WordFormat, overflow: Overflow) {
        let facts = self.checked.facts();
        let fact = facts.limit(node).expect("the check finds a fact for every limit");
        let (name, width) = (format!("n{}", node.0), format.width());
        let vector = self.node(word);
        let plain = vector.at(width);
        if !fact.acts || overflow != Overflow::Saturate {
            self.line(&format!("{name} = {plain}; // {format}"));
            return;
        }
        let own = vector.width;
        // Above: not negative, and a bit set that the format has not. Below: negative, and such a bit clear.
        let value_bits = width - u32::from(format.is_signed());
        let high = verilog_integer(format.maximum(), width);
        let low = verilog_integer(format.minimum(), width);
        let top = own - u32::from(vector.signed);
        let sign = format!("{}[{}]", vector.name, own - 1);
        let mut text = plain;
        if fact.high > format.maximum() {
            let beyond = format!("(|{}[{}:{value_bits}])", vector.name, top - 1);
            let above = if vector.signed { format!("!{sign} && {beyond}") } else { beyond };
            text = format!("({above}) ? {high} : {text}");
        }
        if fact.low < format.minimum() {
            let below = if format.is_signed() {
                format!("{sign} && !(&{}[{}:{value_bits}])", vector.name, top - 1)
            } else {
                sign
            };
            text = format!("({below}) ? {low} : {text}");
        }
        self.line(&format!("{name} = {text}; // {format}"));
    }
}

fn mark(sign: Sign) -> &'static str {
    match sign {
        Sign::Plus => "+",
        Sign::Minus => "-",
    }
}
