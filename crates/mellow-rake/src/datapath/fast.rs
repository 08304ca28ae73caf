//! Fast paths of the simulator: structures that are recognised and run in machine words.
//!
//! A datapath is recognised by being what a builder makes of its coefficients and formats, but for the width
//! of sums that never wrap. What such a path may do follows from the facts of the check: every partial sum is
//! known to fit. Its integers are those of the reference, which the tests hold it against.

use super::{
    Checked, Coefficients, Datapath, Operation, SectionWords, Sign, Term, direct_form_1,
    fir_direct, fir_folded, fir_skip_zeros,
};
use crate::filter::{RunningTaps, Taps};
use crate::fixed::{Overflow, RoundedTable, Rounding, WordFormat};

/// A structure at work in machine words.
pub(super) enum Fast {
    Sections(FastSections),
    Taps(FastTaps),
}

/// Rounding and limit of the last sum.
#[derive(Clone, Copy)]
struct Ending {
    rounding: Rounding,
    dropped: u32,
    overflow: Overflow,
    output: WordFormat,
}

impl Ending {
    fn round(self, sum: i64) -> i64 {
        self.rounding.shift_right_narrow(sum, self.dropped)
    }

    fn limit(self, word: i64) -> i64 {
        self.overflow.limit_narrow(word, self.output)
    }
}

/// Direct form I.
pub(super) struct FastSections {
    /// b0, b1, b2, a1, a2, each shifted so that its products have the fraction of the sum.
    rows: Vec<[i64; 5]>,
    /// x[n−1], x[n−2], y[n−1], y[n−2].
    state: Vec<[i64; 4]>,
    /// How far the input is moved to the left before the first section.
    align: u32,
    input: (i64, i64),
    ending: Ending,
    /// Behind the last section, where another word goes out.
    last: Option<Ending>,
}

/// Taps in direct form: sums below 2⁵³ are exact in f64, whose products the processor takes side by side.
pub(super) struct FastTaps {
    running: RunningTaps,
    input: (i64, i64),
    ending: Ending,
}

/// All taps of a program that multiplies words of its first line by those of its first table.
fn unfolded(datapath: &Datapath) -> Vec<i64> {
    let mut taps = vec![0; datapath.lines.first().map_or(0, |line| line.depth) + 1];
    let row = &datapath.tables[0].rows[0];
    let terms = datapath.operations().filter_map(|(_, operation, _)| match operation {
        Operation::Accumulate { terms, .. } => Some(terms),
        _ => None,
    });
    for term in terms.flatten() {
        match term {
            Term::Dot { column, age, count, .. } => {
                taps[*age..age + count].copy_from_slice(&row[*column..column + count]);
            }
            Term::Folded(fold) => {
                let sign = if fold.second == Sign::Plus { 1 } else { -1 };
                for (k, tap) in row[fold.column..fold.column + fold.count].iter().enumerate() {
                    taps[fold.age + k * fold.stride] = *tap;
                    taps[fold.mirror - k * fold.stride] = sign * tap;
                }
            }
            Term::Word { .. } => {}
        }
    }
    taps
}

/// The lowest and the highest integer of a format, where they are machine words.
fn ends(format: WordFormat) -> Option<(i64, i64)> {
    Some((i64::try_from(format.minimum()).ok()?, i64::try_from(format.maximum()).ok()?))
}

impl Fast {
    pub(super) fn new(checked: &Checked) -> Option<Self> {
        let datapath = checked.datapath();
        let table = datapath.tables.first()?;
        let coefficients = RoundedTable {
            lifts: table.lifts.clone(),
            ..RoundedTable::new(table.format, table.rows.clone())
        };
        let Datapath { input, output, .. } = *datapath;
        let all = || datapath.operations().map(|(node, operation, _)| (node, operation));
        let rounding = all().filter_map(|(_, operation)| match operation {
            Operation::Round { rounding, .. } => Some(*rounding),
            _ => None,
        });
        let overflow = all().filter_map(|(_, operation)| match operation {
            Operation::Limit { overflow, .. } => Some(*overflow),
            _ => None,
        });
        let (rounding, overflow) = (rounding.last()?, overflow.last()?);
        let (sum, format) = all().find_map(|(node, operation)| match operation {
            Operation::Accumulate { format, .. } => Some((node, *format)),
            _ => None,
        })?;
        let fact = checked.facts().sum(sum)?;
        // A sum must be known to stay within the word, and to have bits to drop, none to append.
        let dropped = u32::try_from(format.fraction() - output.fraction()).ok()?;
        if fact.wraps || dropped > 62 || fact.partial >= 1 << 62 {
            return None;
        }
        let ending = Ending { rounding, dropped, overflow, output };
        ends(output)?;
        match table.holds {
            Coefficients::Sections => {
                // What the feedback remembers may be another word than what goes out.
                let carried = datapath.lines.get(1)?.format;
                let words = SectionWords { input, output: carried, rounding, overflow };
                let mut built = direct_form_1(&coefficients, words).ok()?;
                let dropped = |from: i32, to: WordFormat| {
                    u32::try_from(from - to.fraction()).ok().filter(|dropped| *dropped <= 62)
                };
                let own = dropped(format.fraction(), carried)?;
                let ending = Ending { rounding, dropped: own, overflow, output: carried };
                ends(carried)?;
                let last = if carried == output {
                    None
                } else {
                    built = built.delivering(output, rounding, overflow);
                    let dropped = dropped(carried.fraction(), output)?;
                    Some(Ending { rounding, dropped, overflow, output })
                };
                if built.with_widest_sums() != datapath.with_widest_sums() {
                    return None;
                }
                let looped = table.rows.len() > 1;
                let align = if looped { carried.fraction() - input.fraction() } else { 0 };
                let incoming = if looped { carried } else { input };
                let own = |word: WordFormat| {
                    format.fraction() - table.format.fraction() - word.fraction()
                };
                // Further than a word is long only zeros are shifted: no case for a fast path.
                let near = |shift: i32| u32::try_from(shift).ok().filter(|shift| *shift <= 62);
                let shifts = [align, own(incoming), own(carried)].map(near);
                let [Some(a), Some(b), Some(c)] = shifts else { return None };
                // The shift of a product is one of its coefficient.
                let shifted = |row: usize| -> Option<[i64; 5]> {
                    let mut all = [0; 5];
                    for (column, shifted) in all.iter_mut().enumerate() {
                        let factor = 1i64 << if column < 3 { b } else { c };
                        *shifted = table.coefficient(row, column).checked_mul(factor)?;
                    }
                    Some(all)
                };
                let rows: Vec<[i64; 5]> =
                    (0..table.rows.len()).map(shifted).collect::<Option<_>>()?;
                Some(Fast::Sections(FastSections {
                    state: vec![[0; 4]; rows.len()],
                    rows,
                    align: a,
                    input: ends(input)?,
                    ending,
                    last,
                }))
            }
            Coefficients::Taps | Coefficients::TapsFolded => {
                let row = unfolded(datapath);
                let coefficients = RoundedTable::new(table.format, vec![row]);
                let builders = [fir_direct, fir_folded, fir_skip_zeros];
                let is_built = builders.iter().any(|build| {
                    let built = build(&coefficients, input, output, rounding, overflow);
                    built.is_ok_and(|built| built.with_widest_sums() == datapath.with_widest_sums())
                });
                // Every partial sum is a whole number of steps of the product: no shift before the sum.
                if !is_built || fact.partial >= 1 << 53 {
                    return None;
                }
                let taps = coefficients.rows[0].iter().map(|tap| *tap as f64).collect();
                let running = Taps(taps).start();
                Some(Fast::Taps(FastTaps { running, input: ends(input)?, ending }))
            }
            _ => None,
        }
    }

    /// One sample, and whether a limit changed a word; nothing is allocated.
    pub(super) fn step(&mut self, input: i64) -> (i64, bool) {
        match self {
            Fast::Sections(sections) => sections.step(input),
            Fast::Taps(taps) => {
                let (low, high) = taps.input;
                let sum = taps.running.step(input.clamp(low, high) as f64);
                let rounded = taps.ending.round(sum as i64);
                let y = taps.ending.limit(rounded);
                (y, y != rounded)
            }
        }
    }

    /// A signal, and in how many samples a limit changed a word.
    pub(super) fn run(&mut self, input: &[i64]) -> (Vec<i64>, u64) {
        match self {
            Fast::Sections(sections) => sections.run(input),
            Fast::Taps(taps) => taps.run(input),
        }
    }
}

/// Calls a method with a rounding and a limit that the compiler knows.
macro_rules! with_ending {
    ($ending:expr, $self:ident.$method:ident($($argument:expr),*)) => {{
        let Ending { rounding, dropped, overflow, output } = $ending;
        let (low, high) = ends(output).unwrap_or((i64::MIN, i64::MAX));
        let free = 64 - output.width();
        let clamp = move |word: i64| word.clamp(low, high);
        let wrap_signed = move |word: i64| (word << free) >> free;
        let wrap_unsigned = move |word: i64| (((word as u64) << free) >> free) as i64;
        macro_rules! rounded {
            ($limit:expr) => {
                match rounding {
                    Rounding::Floor => $self.$method($($argument,)* move |v| Rounding::Floor
                        .shift_right_narrow(v, dropped), $limit),
                    Rounding::HalfUp => $self.$method($($argument,)* move |v| Rounding::HalfUp
                        .shift_right_narrow(v, dropped), $limit),
                    Rounding::HalfEven => $self.$method($($argument,)* move |v| Rounding::HalfEven
                        .shift_right_narrow(v, dropped), $limit),
                    Rounding::HalfAway => $self.$method($($argument,)* move |v| Rounding::HalfAway
                        .shift_right_narrow(v, dropped), $limit),
                    Rounding::TowardZero => $self.$method($($argument,)* move |v| Rounding::TowardZero
                        .shift_right_narrow(v, dropped), $limit),
                }
            };
        }
        match (overflow, output.is_signed()) {
            (Overflow::Saturate, _) => rounded!(clamp),
            (_, true) => rounded!(wrap_signed),
            (_, false) => rounded!(wrap_unsigned),
        }
    }};
}

impl FastSections {
    fn step(&mut self, input: i64) -> (i64, bool) {
        let ending = self.ending;
        let mut word = input.clamp(self.input.0, self.input.1) << self.align;
        let mut limited = false;
        for (row, state) in self.rows.iter().zip(&mut self.state) {
            let (y, acted) = section(row, state, word, (|v| ending.round(v), |v| ending.limit(v)));
            (word, limited) = (y, limited | acted);
        }
        if let Some(last) = self.last {
            let rounded = last.round(word);
            word = last.limit(rounded);
            limited |= word != rounded;
        }
        (word, limited)
    }

    fn run(&mut self, input: &[i64]) -> (Vec<i64>, u64) {
        let (words, limited) = with_ending!(self.ending, self.run_with(input));
        let (words, limited) = match self.last {
            Some(last) => with_ending!(last, self.finish(words, limited)),
            None => (words, limited),
        };
        let count = limited.into_iter().filter(|limited| *limited).count();
        (words, count as u64)
    }

    /// The words of the last section as they go out.
    #[inline(always)]
    fn finish(
        &self,
        mut words: Vec<i64>,
        mut limited: Vec<bool>,
        round: impl Fn(i64) -> i64 + Copy,
        limit: impl Fn(i64) -> i64 + Copy,
    ) -> (Vec<i64>, Vec<bool>) {
        for (word, limited) in words.iter_mut().zip(&mut limited) {
            let rounded = round(*word);
            *word = limit(rounded);
            *limited |= *word != rounded;
        }
        (words, limited)
    }

    #[inline(always)]
    fn run_with(
        &mut self,
        input: &[i64],
        round: impl Fn(i64) -> i64 + Copy,
        limit: impl Fn(i64) -> i64 + Copy,
    ) -> (Vec<i64>, Vec<bool>) {
        let (low, high) = self.input;
        let mut words: Vec<i64> =
            input.iter().map(|x| (*x).clamp(low, high) << self.align).collect();
        let mut limited = vec![false; words.len()];
        // Two sections at a time: their coefficients and states stay in registers.
        for (rows, state) in self.rows.chunks(2).zip(self.state.chunks_mut(2)) {
            match (rows, state) {
                ([one, two], [first, second]) => {
                    for (word, limited) in words.iter_mut().zip(&mut limited) {
                        let (between, acted) = section(one, first, *word, (round, limit));
                        let (y, too) = section(two, second, between, (round, limit));
                        *word = y;
                        *limited |= acted | too;
                    }
                }
                (rows, state) => {
                    for (row, state) in rows.iter().zip(state) {
                        for (word, limited) in words.iter_mut().zip(&mut limited) {
                            let (y, acted) = section(row, state, *word, (round, limit));
                            *word = y;
                            *limited |= acted;
                        }
                    }
                }
            }
        }
        (words, limited)
    }
}

/// One sample through one section, and whether its limit changed it.
#[inline(always)]
fn section(
    [b0, b1, b2, a1, a2]: &[i64; 5],
    state: &mut [i64; 4],
    x: i64,
    (round, limit): (impl Fn(i64) -> i64, impl Fn(i64) -> i64),
) -> (i64, bool) {
    let [x1, x2, y1, y2] = *state;
    // What waits for the newest output comes last.
    let known = b0 * x + b1 * x1 + b2 * x2 - a2 * y2;
    let rounded = round(known - a1 * y1);
    let y = limit(rounded);
    *state = [x, x1, y, y1];
    (y, y != rounded)
}

impl FastTaps {
    fn run(&mut self, input: &[i64]) -> (Vec<i64>, u64) {
        let (low, high) = self.input;
        let words: Vec<f64> = input.iter().map(|x| (*x).clamp(low, high) as f64).collect();
        // A block of one is not worth setting up.
        let sums = match words[..] {
            [one] => vec![self.running.step(one)],
            _ => self.running.run(&words),
        };
        with_ending!(self.ending, self.finish(&sums))
    }

    #[inline(always)]
    fn finish(
        &self,
        sums: &[f64],
        round: impl Fn(i64) -> i64,
        limit: impl Fn(i64) -> i64,
    ) -> (Vec<i64>, u64) {
        let mut count = 0;
        let one = |sum: &f64| {
            let rounded = round(*sum as i64);
            let y = limit(rounded);
            count += u64::from(y != rounded);
            y
        };
        (sums.iter().map(one).collect(), count)
    }
}
