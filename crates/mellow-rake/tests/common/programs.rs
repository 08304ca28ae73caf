//! Random programs that no builder makes: words, products, sums, roundings, limits, delay lines and a loop,
//! in any order that has a meaning.

#![allow(dead_code)] // each test uses what it needs

use mellow_rake::datapath::{
    Block, Coefficients, Datapath, Fold, Line, LineIndex, Node, Operation, Port, RoundedProducts,
    Row, Sign, Table, TableIndex, Term,
};
use mellow_rake::fixed::{Overflow, Rounding, WordFormat};
use mellow_rake::random::NoiseSource;

const LINES: [&str; 4] = ["l0", "l1", "l2", "l3"];
const TABLES: [&str; 2] = ["c0", "c1"];
/// The longest dot product of all.
const COLUMNS: usize = 6;

/// How large programs are.
#[derive(Clone, Copy)]
pub(crate) struct Sizes {
    /// Lines outside of a loop.
    pub(crate) lines: usize,
    /// Words that each row remembers.
    pub(crate) depth: usize,
    /// Bits of its words.
    pub(crate) bits: [i64; 2],
    /// Whether half of them have a loop, with two lines of its own; half of the loops read in others, too.
    pub(crate) loops: bool,
    /// Whether they take and give several words in a firing, at one port or two, some of them in the loop.
    pub(crate) firings: bool,
}

impl Sizes {
    pub(crate) const LARGE: Self =
        Sizes { lines: 2, depth: 7, bits: [4, 14], loops: true, firings: false };
    /// Of several words in a firing.
    pub(crate) const FIRINGS: Self = Sizes { firings: true, ..Self::LARGE };
    /// Every state can be tried, of several words in a firing as well.
    pub(crate) const SMALL_FIRINGS: Self = Sizes { firings: true, ..Self::SMALL };
    /// Every state can be tried.
    pub(crate) const SMALL: Self =
        Sizes { lines: 2, depth: 2, bits: [2, 3], loops: false, firings: false };
}

fn signed(width: u32, fraction: i32) -> WordFormat {
    WordFormat::new(true, width, fraction).expect("a width from 1 to 64")
}

pub(crate) struct Programs<'a> {
    pub(crate) noise: &'a mut NoiseSource,
    datapath: Datapath,
    depth: usize,
    next: u32,
    /// The input port and the output port whose words come and go in the loop.
    in_loop: [Option<usize>; 2],
}

/// A word with its fraction.
#[derive(Clone, Copy)]
struct Word {
    node: Node,
    fraction: i32,
}

/// A row of a line that waits for its word, and whether it has it.
#[derive(Clone, Copy)]
struct Waiting {
    line: usize,
    row: Row,
    is_stored: bool,
}

impl Programs<'_> {
    fn below(&mut self, count: i64) -> i64 {
        self.noise.integer(0, count - 1)
    }

    fn one_of<T: Copy>(&mut self, all: &[T]) -> T {
        all[self.below(all.len() as i64) as usize]
    }

    fn rounding(&mut self) -> Rounding {
        self.one_of(&Rounding::ALL)
    }

    fn overflow(&mut self) -> Overflow {
        self.one_of(&[Overflow::Saturate, Overflow::Wrap])
    }

    fn sign(&mut self) -> Sign {
        self.one_of(&[Sign::Plus, Sign::Minus])
    }

    fn push(&mut self, operations: &mut Vec<(Node, Operation)>, operation: Operation) -> Node {
        let node = Node(self.next);
        // Numbers rise; they need not be next to each other.
        self.next += 1 + u32::from(self.below(8) == 0);
        operations.push((node, operation));
        node
    }

    /// A word rounded and limited to a format.
    fn bring(
        &mut self,
        operations: &mut Vec<(Node, Operation)>,
        word: Word,
        to: WordFormat,
    ) -> Node {
        let mut node = word.node;
        if word.fraction != to.fraction() {
            let rounding = self.rounding();
            let round = Operation::Round { word: node, fraction: to.fraction(), rounding };
            node = self.push(operations, round);
        }
        let overflow = self.overflow();
        self.push(operations, Operation::Limit { word: node, format: to, overflow })
    }

    /// A dot product or a folded one with the words of a line.
    fn products(&mut self, waiting: Waiting, table_row: Row) -> (Term, i32) {
        let line_row = waiting.row;
        let table = TableIndex(self.below(self.datapath.tables.len() as i64) as usize);
        let line = LineIndex(waiting.line);
        let own = self.datapath.tables[table.0].format.fraction()
            + self.datapath.lines[line.0].format.fraction();
        let products = (self.below(4) == 0)
            .then(|| RoundedProducts { fraction: own - 2, rounding: Rounding::HalfEven });
        let fraction = products.map_or(own, |products| products.fraction);
        let least = i64::from(!waiting.is_stored);
        if self.below(4) == 0 {
            // From both ends of the line, or nearly.
            let (age, mirror) = (least as usize, self.depth);
            let stride = 1 + self.below(2) as usize;
            let most = (mirror - age - 1) / (2 * stride) + 1;
            let (count, second) = (1 + self.below(most as i64) as usize, self.sign());
            let column = 0;
            let fold = Fold {
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
            };
            return (Term::Folded(fold), fraction);
        }
        let age = (least + self.below(self.depth as i64 + 1 - least)) as usize;
        let count = 1 + self.below((self.depth + 1 - age).min(COLUMNS) as i64) as usize;
        let column = self.below((COLUMNS - count + 1) as i64) as usize;
        let sign = self.sign();
        let dot =
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, products };
        (dot, fraction)
    }

    /// A sum of some words and products.
    fn sum(&mut self, words: &[Word], waiting: &[Waiting], row: Row) -> (Operation, i32) {
        let mut terms = Vec::new();
        let mut finest = i32::MIN;
        for _ in 0..1 + self.below(4) {
            let (term, fraction) = if waiting.is_empty() || self.below(2) == 0 {
                let Word { node: word, fraction } = self.one_of(words);
                let binary_point_shift = self.one_of(&[0, 0, 0, 1, 3, -2]);
                let sign = self.sign();
                (Term::Word { sign, word, binary_point_shift }, fraction + binary_point_shift)
            } else {
                let line = self.one_of(waiting);
                self.products(line, row)
            };
            finest = finest.max(fraction);
            terms.push(term);
        }
        let fraction = finest + self.below(2) as i32;
        // Some are too narrow, and wrap.
        let width = self.one_of(&[12, 24, 32, 40, 40]);
        (Operation::Accumulate { terms, format: signed(width, fraction) }, fraction)
    }

    /// Rows that a block stores in.
    fn own(&self, lines: impl Iterator<Item = usize>, in_loop: bool) -> Vec<Waiting> {
        let rows = |line: usize| match in_loop {
            true => vec![Row::Pass],
            false => (0..self.datapath.lines[line].rows).map(Row::Fixed).collect(),
        };
        let of_line =
            |line| rows(line).into_iter().map(move |row| Waiting { line, row, is_stored: false });
        lines.flat_map(of_line).collect()
    }

    /// Operations in a block, and a word of it. Every row that waits is given its word; of `foreign` ones
    /// words are only read.
    fn block(
        &mut self,
        mut words: Vec<Word>,
        operations: &mut Vec<(Node, Operation)>,
        mut waiting: Vec<Waiting>,
        foreign: &[Waiting],
        row: Row,
    ) -> Word {
        let passes = self.datapath.tables[0].rows.len() as i64;
        for _ in 0..4 + self.below(8) {
            let word = self.one_of(&words);
            // Of tables any row may be meant, in a loop as well.
            let fixed = Row::Fixed(self.below(passes) as usize);
            let row = if row == Row::Pass && self.below(4) > 0 { Row::Pass } else { fixed };
            let read: Vec<Waiting> = waiting.iter().chain(foreign).copied().collect();
            let (operation, fraction) = match self.below(6) {
                0 => {
                    let table = self.below(self.datapath.tables.len() as i64) as usize;
                    let column = self.below(COLUMNS as i64) as usize;
                    let own = self.datapath.tables[table].format.fraction();
                    let table = TableIndex(table);
                    let product = Operation::Product { table, row, column, word: word.node };
                    (product, own + word.fraction)
                }
                1 if !read.is_empty() => {
                    let of = self.one_of(&read);
                    let least = i64::from(!of.is_stored);
                    let age = (least + self.below(self.depth as i64 + 1 - least)) as usize;
                    let fraction = self.datapath.lines[of.line].format.fraction();
                    (Operation::Tap { line: LineIndex(of.line), row: of.row, age }, fraction)
                }
                2 => {
                    let fraction = word.fraction - self.one_of(&[-2, 1, 3, 6]);
                    let rounding = self.rounding();
                    (Operation::Round { word: word.node, fraction, rounding }, fraction)
                }
                3 => {
                    let format = signed(self.one_of(&[4, 8, 12, 20]), word.fraction);
                    let overflow = self.overflow();
                    (Operation::Limit { word: word.node, format, overflow }, word.fraction)
                }
                4 if waiting.iter().any(|line| !line.is_stored) => {
                    let at = waiting.iter().position(|line| !line.is_stored).unwrap_or(0);
                    let line = &mut waiting[at];
                    line.is_stored = true;
                    let (line, row) = (LineIndex(line.line), line.row);
                    let format = self.datapath.lines[line.0].format;
                    let word = self.bring(operations, word, format);
                    (Operation::Store { line, row, word }, format.fraction())
                }
                _ => self.sum(&words, &read, row),
            };
            let node = self.push(operations, operation);
            words.push(Word { node, fraction });
        }
        for Waiting { line, row, .. } in waiting.into_iter().filter(|line| !line.is_stored) {
            let format = self.datapath.lines[line].format;
            let word = self.one_of(&words[words.len() / 2..]);
            let word = self.bring(operations, word, format);
            let store = Operation::Store { line: LineIndex(line), row, word };
            let node = self.push(operations, store);
            words.push(Word { node, fraction: format.fraction() });
        }
        let (sum, fraction) = self.sum(&words, &[], row);
        Word { node: self.push(operations, sum), fraction }
    }

    /// A loop over some words, each pass with rows of its own, a word of its own that comes in, and one that
    /// goes out, where there are ports of the last number for that.
    fn repeat(
        &mut self,
        word: Word,
        operations: &mut Vec<(Node, Operation)>,
        foreign: &[Waiting],
        passes: usize,
    ) -> Word {
        let format = signed(self.one_of(&[8, 12, 16]), 7);
        let first = self.bring(operations, word, format);
        let repeat = Node(self.next);
        self.next += 1;
        let mut inner = Vec::new();
        let carried = self.push(&mut inner, Operation::Carried);
        let mut words = vec![Word { node: carried, fraction: format.fraction() }];
        let [inputs, outputs] = [self.in_loop[0], self.in_loop[1]];
        if let Some(port) = inputs {
            let node = self.push(&mut inner, Operation::Input { port, at: Row::Pass });
            words.push(Word { node, fraction: self.datapath.inputs[port].format.fraction() });
        }
        let own = self.own([0, 1].into_iter(), true);
        let last = self.block(words, &mut inner, own, foreign, Row::Pass);
        if let Some(port) = outputs {
            let word = self.bring(&mut inner, last, self.datapath.outputs[port].format);
            self.push(&mut inner, Operation::Deliver { port, at: Row::Pass, word });
        }
        let result = self.bring(&mut inner, last, format);
        let body = Block { operations: inner, result };
        operations.push((repeat, Operation::Repeat { passes, first, body }));
        Word { node: repeat, fraction: format.fraction() }
    }
}

/// A random program, most of which pass the check.
pub(crate) fn any_program(noise: &mut NoiseSource, sizes: Sizes) -> Datapath {
    let formats: Vec<WordFormat> = (0..6)
        .map(|_| {
            signed(noise.integer(sizes.bits[0], sizes.bits[1]) as u32, noise.integer(0, 12) as i32)
        })
        .collect();
    let is_looped = sizes.loops && noise.integer(0, 1) == 1;
    let passes = if is_looped { noise.integer(1, 3) as usize } else { 1 };
    let inner = usize::from(is_looped) * 2;
    let line = |(index, name): (usize, &&'static str)| {
        // Some have two rows of their own outside of a loop, too.
        let rows =
            if index < inner { passes } else { 1 + usize::from(sizes.loops && index == inner) };
        Line { name, format: formats[index], rows, depth: sizes.depth }
    };
    let all = &LINES[..inner + sizes.lines];
    let lines = all.iter().enumerate().map(line).collect();
    let mut table = |name: &&'static str| {
        let width = noise.integer(3, 8) as u32;
        let format = signed(width, noise.integer(0, 8) as i32);
        let (low, high) = (format.minimum() as i64, format.maximum() as i64);
        let mut row =
            |ends: (i64, i64)| (0..COLUMNS).map(|_| noise.integer(ends.0, ends.1)).collect();
        let rows: Vec<Vec<i64>> = (0..passes).map(|_| row((low, high))).collect();
        let exponents: Vec<Vec<i64>> = (0..passes).map(|_| row((0, 3))).collect();
        let exponents =
            exponents.into_iter().map(|row| row.into_iter().map(|e| e as u32).collect());
        let exponents = if width.is_multiple_of(2) { exponents.collect() } else { Vec::new() };
        Table { name, holds: Coefficients::Taps, format, exponents, rows }
    };
    let tables = TABLES.iter().map(&mut table).collect();
    let (input, output) = (formats[4], formats[5]);
    let body = Block { operations: Vec::new(), result: Node(0) };
    let mut datapath = Datapath::per_sample([input, output], tables, lines, body);
    datapath.body.clear();
    let mut in_loop = [None; 2];
    if sizes.firings {
        let ports = [&mut datapath.inputs, &mut datapath.outputs];
        for ((ports, in_loop), other) in ports.into_iter().zip(&mut in_loop).zip(&formats) {
            ports[0].count = noise.integer(1, 3) as usize;
            if noise.integer(0, 1) == 1 {
                ports.push(Port { format: *other, count: noise.integer(1, 2) as usize });
            }
            if is_looped && noise.integer(0, 2) > 0 {
                *in_loop = Some(ports.len());
                ports.push(Port { format: *other, count: passes });
            }
        }
    }
    let mut programs = Programs { noise, datapath, depth: sizes.depth, next: 0, in_loop };
    let mut operations = Vec::new();
    let mut words = Vec::new();
    for (port, Port { format, count }) in programs.datapath.inputs.clone().into_iter().enumerate() {
        // All of them outside of the loop, or now and then not all.
        for at in 0..count - usize::from(count > 1 && programs.below(4) == 0) {
            let input = Operation::Input { port, at: Row::Fixed(at) };
            let node = programs.push(&mut operations, input);
            words.push(Word { node, fraction: format.fraction() });
        }
    }
    let mut outer = programs.own(inner..inner + sizes.lines, false);
    let mut word = words[0];
    if is_looped {
        let reads = programs.below(2) == 0;
        if reads && programs.below(2) == 0 {
            let Waiting { line, row, is_stored } = &mut outer[0];
            let format = programs.datapath.lines[*line].format;
            let word = programs.bring(&mut operations, word, format);
            let store = Operation::Store { line: LineIndex(*line), row: *row, word };
            programs.push(&mut operations, store);
            *is_stored = true;
        }
        let foreign = if reads { outer.clone() } else { Vec::new() };
        word = programs.repeat(word, &mut operations, &foreign, passes);
    }
    words.push(word);
    let last = programs.block(words.clone(), &mut operations, outer, &[], Row::Fixed(0));
    let outputs = programs.datapath.outputs.clone().into_iter().enumerate();
    for (port, Port { format, count }) in outputs.filter(|(port, _)| in_loop[1] != Some(*port)) {
        for at in 0..count {
            let word = if at == 0 { last } else { programs.one_of(&words) };
            let word = programs.bring(&mut operations, word, format);
            programs.push(&mut operations, Operation::Deliver { port, at: Row::Fixed(at), word });
        }
    }
    Datapath { body: operations, ..programs.datapath }
}

/// The same program without words that nothing uses.
pub(crate) fn pruned(mut program: Datapath) -> Datapath {
    loop {
        let words = program.operations().flat_map(|(_, operation, _)| operation.words());
        let used: Vec<Node> = words.collect();
        let before = program.operations().count();
        let stays = |(node, operation): &(Node, Operation)| {
            let does = matches!(
                operation,
                Operation::Store { .. } | Operation::Repeat { .. } | Operation::Deliver { .. }
            );
            does || used.contains(node)
        };
        program.body.retain(stays);
        for (_, operation) in &mut program.body {
            if let Operation::Repeat { body, .. } = operation {
                body.operations.retain(stays);
            }
        }
        if program.operations().count() == before {
            return program;
        }
    }
}

/// Changes something, whatever comes of it.
pub(crate) fn damaged(mut program: Datapath, noise: &mut NoiseSource) -> Datapath {
    let mut below = |count: usize| noise.integer(0, count.max(1) as i64 - 1) as usize;
    // In a loop or outside of it.
    let mut inner = None;
    for (_, operation) in &mut program.body {
        if let Operation::Repeat { body, .. } = operation {
            inner = Some(body);
        }
    }
    let number = below(40) as u32;
    let operations = match inner {
        Some(body) if below(2) == 0 => {
            if below(12) == 0 {
                body.result = Node(number);
            }
            &mut body.operations
        }
        _ => &mut program.body,
    };
    let count = operations.len();
    let (one, other) = (below(count), below(count));
    if operations.is_empty() {
        return program;
    }
    match below(13) {
        0 => drop(operations.remove(one)),
        1 => operations.swap(one, other),
        2 => operations.insert(one, operations[other].clone()),
        3 => operations[one].0 = Node(number),
        4 => {
            let count = [0, 1, 2, 1 << 17, usize::MAX][below(5)];
            program.inputs.iter_mut().for_each(|port| port.count = count);
        }
        11 => match below(3) {
            0 => program.outputs.clear(),
            1 => program.inputs.clear(),
            _ => program.outputs.truncate(1),
        },
        5 => program.tables.truncate(1),
        6 => program.lines.truncate(below(3)),
        7 => program.lines.iter_mut().for_each(|line| line.depth = below(4)),
        8 => program.lines.iter_mut().for_each(|line| line.rows = below(4)),
        9 => program.tables[0].rows.truncate(below(2)),
        10 => {
            let format = signed(1 + below(64) as u32, number as i32 - 20);
            program.outputs.iter_mut().for_each(|port| port.format = format);
        }
        _ => damage(&mut operations[one].1, &mut below),
    }
    program
}

/// Changes what an operation names.
fn damage(operation: &mut Operation, below: &mut impl FnMut(usize) -> usize) {
    let fixed = Row::Fixed(below(3));
    let other = if below(2) == 0 { Row::Pass } else { fixed };
    let far = [0, 1, 7, 8, 1_000, usize::MAX][below(6)];
    match operation {
        Operation::Tap { line, row, age } => match below(3) {
            0 => line.0 = far,
            1 => *row = other,
            _ => *age = far,
        },
        Operation::Product { table, row, column, word } => match below(4) {
            0 => table.0 = far,
            1 => *row = other,
            2 => *column = far,
            _ => word.0 = below(40) as u32,
        },
        Operation::Accumulate { terms, format } => match (below(4), terms.first_mut()) {
            (0, Some(Term::Dot { count, .. } | Term::Folded(Fold { count, .. }))) => *count = far,
            (1, Some(Term::Dot { age, .. } | Term::Folded(Fold { age, .. }))) => *age = far,
            (2, Some(Term::Word { binary_point_shift, .. })) => {
                *binary_point_shift = [i32::MIN, -200, -60, 60, 200, i32::MAX][below(6)];
            }
            (2, Some(Term::Folded(fold))) => (fold.mirror, fold.stride) = (far, below(3)),
            (3, _) => terms.clear(),
            _ => *format = signed(1 + below(64) as u32, below(200) as i32 - 100),
        },
        Operation::Round { word, fraction, .. } => match below(2) {
            0 => word.0 = u32::MAX - below(2) as u32,
            _ => *fraction = [i32::MIN, -300, -70, 70, 300, i32::MAX][below(6)],
        },
        Operation::Limit { format, overflow, .. } => {
            *format = signed(1 + below(64) as u32, format.fraction());
            *overflow = Overflow::Forbid;
        }
        Operation::Store { line, row, word } => match below(3) {
            0 => line.0 = far,
            1 => *row = other,
            _ => word.0 = below(40) as u32,
        },
        Operation::Repeat { passes, first, body } => match below(3) {
            0 => *passes = [0, 1, 9][below(3)],
            1 => first.0 = below(40) as u32,
            _ => body.operations.clear(),
        },
        Operation::Input { port, at } => match below(3) {
            0 => *port = far,
            1 => *at = other,
            _ => *operation = Operation::Carried,
        },
        Operation::Deliver { port, at, word } => match below(3) {
            0 => *port = far,
            1 => *at = other,
            _ => word.0 = below(40) as u32,
        },
        Operation::Carried => *operation = Operation::INPUT,
    }
}
