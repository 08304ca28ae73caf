//! Integers that can be moved, and the response that follows.

use super::digits;
use super::goal::Judge;
use crate::filter::{Form, Section};
use crate::fixed::{RoundedTable, WordFormat};
use crate::spec::IntegerWish;
use num_complex::Complex64;

/// One integer that can be moved, with those that move along: symmetric taps stay symmetric, zeros on the
/// unit circle stay there.
struct Variable {
    /// Row, column and sign.
    places: Vec<(usize, usize, i64)>,
    /// The response that one unit adds, of taps; empty for sections, which are not linear.
    unit: Vec<Complex64>,
}

/// A change of one variable by so many units.
pub(super) type Move = (usize, i64);

/// Integers and their response.
pub(super) struct Model<'a> {
    judge: &'a Judge,
    /// Those of each row and column; their widths are the same.
    formats: Vec<Vec<WordFormat>>,
    wish: IntegerWish,
    /// By how much an integer moves at a time.
    stride: i64,
    /// Whether the goal is only to be kept, and the designed response to be come near to.
    is_near: bool,
    rows: Vec<Vec<i64>>,
    variables: Vec<Variable>,
    is_taps: bool,
    /// The response of each row.
    parts: Vec<Vec<Complex64>>,
}

impl<'a> Model<'a> {
    pub(super) fn new(
        table: &RoundedTable,
        designed: &Form,
        judge: &'a Judge,
        wish: IntegerWish,
    ) -> Self {
        let rows = table.rows.clone();
        let is_taps = matches!(designed, Form::Taps(_));
        let mut variables = Vec::new();
        for (row, values) in rows.iter().enumerate() {
            let columns = if is_taps { tap_groups(values) } else { section_groups(values) };
            for places in columns {
                let places: Vec<(usize, usize, i64)> =
                    places.into_iter().map(|(column, sign)| (row, column, sign)).collect();
                variables.push(Variable { places, unit: Vec::new() });
            }
        }
        let mut model = Model {
            judge,
            formats: formats(table),
            wish,
            stride: 1,
            is_near: false,
            rows,
            variables,
            is_taps,
            parts: Vec::new(),
        };
        if is_taps {
            for index in 0..model.variables.len() {
                model.variables[index].unit = model.unit(index);
            }
        }
        model.parts = (0..model.rows.len()).map(|row| model.part(row, &model.rows[row])).collect();
        model
    }

    pub(super) fn variables(&self) -> usize {
        self.variables.len()
    }

    pub(super) fn points(&self) -> usize {
        self.judge.w.len()
    }

    pub(super) fn rows(&self) -> &[Vec<i64>] {
        &self.rows
    }

    pub(super) fn into_rows(self) -> Vec<Vec<i64>> {
        self.rows
    }

    /// Whether the sum of all integers must stay what it is.
    pub(super) fn keeps_sum(&self) -> bool {
        self.wish.unit_sum
    }

    /// How much one unit of a variable adds to the sum of all integers.
    pub(super) fn weight(&self, variable: usize) -> i64 {
        self.variables[variable].places.iter().map(|(_, _, sign)| sign).sum()
    }

    fn unit(&self, variable: usize) -> Vec<Complex64> {
        let step = self.formats[0][0].step();
        let power = |w: &Complex64, n: usize| {
            let omega = libm::atan2(-w.im, w.re) * n as f64;
            Complex64::new(libm::cos(omega), -libm::sin(omega))
        };
        let places = &self.variables[variable].places;
        let at = |w: &Complex64| {
            places.iter().map(|(_, column, sign)| power(w, *column) * (*sign as f64 * step)).sum()
        };
        self.judge.w.iter().map(at).collect()
    }

    /// The response of a row of integers.
    fn part(&self, row: usize, values: &[i64]) -> Vec<Complex64> {
        if self.is_taps {
            let mut sum = vec![Complex64::new(0.0, 0.0); self.judge.w.len()];
            for variable in self.variables.iter().filter(|one| one.places[0].0 == row) {
                let (_, column, sign) = variable.places[0];
                let amount = (values[column] * sign) as f64;
                sum.iter_mut().zip(&variable.unit).for_each(|(sum, unit)| *sum += unit * amount);
            }
            return sum;
        }
        let section = self.section(row, values);
        self.judge.w.iter().map(|w| section.response(*w)).collect()
    }

    pub(super) fn score(&self) -> f64 {
        let all = |k: usize| {
            let one = Complex64::new(1.0, 0.0);
            self.parts.iter().fold(one, |product, part| product * part[k])
        };
        self.judged(f64::INFINITY, all).unwrap_or(f64::INFINITY)
    }

    /// How many bits longer the integers of sections are than so many; 0 where only few digits are allowed,
    /// which have steps of their own, and for taps, the best of which lie next to the nearest, for the
    /// response is linear in them.
    pub(super) fn bits_beyond(&self, bits: u32) -> u32 {
        match self.wish.digits {
            None if !self.is_taps => self.formats[0][0].width().saturating_sub(bits),
            _ => 0,
        }
    }

    /// From now on the goal is only to be kept, and the score is the distance from the designed response.
    pub(super) fn come_near(&mut self, is_near: bool) {
        self.is_near = is_near;
    }

    fn judged(&self, limit: f64, response: impl Fn(usize) -> Complex64) -> Option<f64> {
        match self.is_near {
            true => self.judge.distance(limit, response),
            false => self.judge.score(limit, response),
        }
    }

    /// From now on integers move by so much at a time.
    pub(super) fn stride(&mut self, stride: i64) {
        self.stride = stride;
    }

    /// The units by which a variable can move up or down next; `None` at the end of its format.
    pub(super) fn step(&self, variable: usize, up: bool) -> Option<i64> {
        let places = &self.variables[variable].places;
        let (row, column, sign) = places[0];
        let value = self.rows[row][column];
        let up = up == (sign > 0);
        let next = match self.stride {
            1 => digits::next(value, up, self.wish.digits, self.formats[row][column])?,
            stride => value.checked_add(if up { stride } else { -stride })?,
        };
        let units = (next - value) * sign;
        let holds = |(row, column, sign): &(usize, usize, i64)| {
            self.formats[*row][*column].holds((self.rows[*row][*column] + units * sign).into())
        };
        places.iter().all(holds).then_some(units)
    }

    /// The score after some moves if it is below a limit; `None` also where they leave a format or make a
    /// section unstable.
    pub(super) fn try_moves(&self, moves: &[Move], limit: f64) -> Option<f64> {
        if self.is_taps {
            let fits = |(variable, units): &Move| {
                let (row, column, sign) = self.variables[*variable].places[0];
                self.formats[row][column].holds((self.rows[row][column] + units * sign).into())
            };
            if !moves.iter().all(fits) {
                return None;
            }
            let part = &self.parts[0];
            let at = |k: usize| {
                moves.iter().fold(part[k], |sum, (variable, units)| {
                    sum + self.variables[*variable].unit[k] * *units as f64
                })
            };
            return self.judged(limit, at);
        }
        let mut changed: Vec<(usize, Vec<i64>)> = Vec::new();
        for (variable, units) in moves {
            for (row, column, sign) in &self.variables[*variable].places {
                let at = match changed.iter().position(|(own, _)| own == row) {
                    Some(at) => at,
                    None => {
                        changed.push((*row, self.rows[*row].clone()));
                        changed.len() - 1
                    }
                };
                changed[at].1[*column] += units * sign;
            }
        }
        for (row, values) in &changed {
            let fits = values.iter().all(|value| self.formats[*row][0].holds((*value).into()));
            if !fits || !self.section(*row, values).is_stable() {
                return None;
            }
        }
        let sections: Vec<(usize, Section)> =
            changed.iter().map(|(row, values)| (*row, self.section(*row, values))).collect();
        let at = |k: usize| {
            let one = Complex64::new(1.0, 0.0);
            (0..self.parts.len()).fold(one, |product, row| {
                let own = sections.iter().find(|(changed, _)| *changed == row);
                let w = self.judge.w[k];
                product * own.map_or_else(|| self.parts[row][k], |(_, section)| section.response(w))
            })
        };
        self.judged(limit, at)
    }

    /// A row of integers as a section.
    fn section(&self, row: usize, values: &[i64]) -> Section {
        let value = |k: usize| self.formats[row][k].value(values[k]);
        Section { b: [value(0), value(1), value(2)], a: [value(3), value(4)] }
    }

    /// Moves for good.
    pub(super) fn apply(&mut self, moves: &[Move]) {
        let mut rows = self.rows.clone();
        for (variable, units) in moves {
            for (row, column, sign) in &self.variables[*variable].places {
                rows[*row][*column] += units * sign;
            }
        }
        self.set(rows);
    }

    /// Takes other integers.
    pub(super) fn set(&mut self, rows: Vec<Vec<i64>>) {
        for (row, values) in rows.iter().enumerate() {
            if *values != self.rows[row] {
                self.parts[row] = self.part(row, values);
            }
        }
        self.rows = rows;
    }
}

/// The formats of all coefficients.
fn formats(table: &RoundedTable) -> Vec<Vec<WordFormat>> {
    let row = |(row, integers): (usize, &Vec<i64>)| {
        (0..integers.len()).map(|column| table.format_at(row, column)).collect()
    };
    table.rows.iter().enumerate().map(row).collect()
}

/// Taps that move together: mirror images of a symmetric or antisymmetric row. Zeros in half-band places stay
/// zeros.
fn tap_groups(row: &[i64]) -> Vec<Vec<(usize, i64)>> {
    let last = row.len() - 1;
    let mirror = |sign: i64| (0..row.len()).all(|k| row[k] == sign * row[last - k]);
    let sign = if mirror(1) { Some(1) } else { mirror(-1).then_some(-1) };
    let middle = last / 2;
    let is_half_band = row.len() % 4 == 3
        && row[middle] != 0
        && (1..row.len()).step_by(2).all(|k| k == middle || row[k] == 0);
    let free = |k: usize| !is_half_band || k == middle || k.is_multiple_of(2);
    match sign {
        None => (0..row.len()).filter(|k| free(*k)).map(|k| vec![(k, 1)]).collect(),
        Some(sign) => (0..row.len().div_ceil(2))
            .filter(|k| free(*k))
            .filter(|k| *k != last - k || sign > 0)
            .map(|k| if k == last - k { vec![(k, 1)] } else { vec![(k, 1), (last - k, sign)] })
            .collect(),
    }
}

/// Coefficients of a section that move together: equal or opposite b0 and b2 keep the zeros on the unit
/// circle, a zero stays zero.
fn section_groups(row: &[i64]) -> Vec<Vec<(usize, i64)>> {
    let mut groups = Vec::new();
    match (row[0], row[2]) {
        (b0, b2) if b0 == b2 && b0 != 0 => groups.push(vec![(0, 1), (2, 1)]),
        (b0, b2) if b0 == -b2 && b0 != 0 => groups.push(vec![(0, 1), (2, -1)]),
        _ => groups.extend([0, 2].into_iter().filter(|k| row[*k] != 0).map(|k| vec![(k, 1)])),
    }
    groups.extend([1, 3, 4].into_iter().filter(|k| row[*k] != 0).map(|k| vec![(k, 1)]));
    groups
}
