//! The rounded coefficients of a structure, and what follows from them.

use super::ImplementError;
use crate::convert::{
    AllPassSum, ConvertError, CoupledSection, LatticeLadder, coupled, from_all_pass_sum,
    from_lattice, lattice_to_section, section_to_lattice, to_all_pass_sum, to_lattice,
};
use crate::datapath::{
    AllPassWords, BuildError, Datapath, LatticeTables, SectionWords, Sign, StateWords,
    all_pass_sum, direct_form_1, direct_form_1_shaped, direct_form_1_transposed, direct_form_2,
    direct_form_2_transposed, fir_direct, fir_folded, fir_skip_zeros, fir_transposed,
    lattice_ladder, lattice_sections, state_space,
};
use crate::filter::{Form, Section, Sections, Taps, ZerosPolesGain};
use crate::fixed::{RoundedTable, WordFormat, round_coefficients, round_groups};
use crate::spec::{Fixed, Fractions, Structure, Tables};

/// The integers of a structure.
#[derive(Debug, Clone)]
pub(super) enum Prepared {
    /// b0, b1, b2, a1, a2.
    Sections(RoundedTable),
    /// a11, a12, b1, a21, a22, b2, c1, c2, d.
    StateSpace(RoundedTable),
    /// k1, k2, … and v0, v1, …
    Lattice { reflection: RoundedTable, ladder: RoundedTable },
    /// Two branches.
    AllPass(AllPassWords),
    /// h0, h1, …
    Taps(RoundedTable),
}

impl Prepared {
    /// Rounds the coefficients of the structure that was asked for.
    pub(super) fn new(designed: &Form, fixed: Fixed) -> Result<Self, ImplementError> {
        let structure = fixed.structure;
        let wrong_form = |for_what, form| ImplementError::Structure {
            found: structure.as_str(),
            for_what,
            form,
        };
        let round = |rows: &[Vec<f64>]| {
            let columns = rows.first().map_or(0, Vec::len);
            let groups = match fixed.fractions {
                Fractions::Common => return round_coefficients(rows, fixed.coefficients),
                // All of a row, and nothing.
                Fractions::PerSection => [0..columns, columns..columns],
                Fractions::ZerosAndPoles => [0..3, 3..columns],
            };
            round_groups(rows, fixed.coefficients, &groups, most_exponent(&fixed))
        };
        let sections = match designed {
            Form::Taps(_) if !structure.is_for_taps() => {
                return Err(wrong_form("recursive sections", "taps"));
            }
            Form::Sections(_) if structure.is_for_taps() => {
                let for_what = "finite impulse responses";
                return Err(wrong_form(for_what, "recursive sections"));
            }
            Form::Taps(taps) => {
                return Ok(Prepared::Taps(round(std::slice::from_ref(&taps.0))?));
            }
            Form::Sections(sections) => sections,
        };
        let no_form = |why: ConvertError| {
            let structure = structure.as_str();
            ImplementError::NoForm { structure, why }
        };
        let of_section = |Section { b, a }: &Section| b.iter().chain(a).copied().collect();
        Ok(match structure.facts().tables {
            Tables::States => {
                let row = |section: &Section| coupled(section).row().to_vec();
                let rows: Vec<Vec<f64>> = sections.0.iter().map(row).collect();
                Prepared::StateSpace(round(&rows)?)
            }
            Tables::Lattice => {
                let found = to_lattice(&ZerosPolesGain::from_sections(sections));
                let found = found.map_err(no_form)?.form;
                let (reflection, ladder) = (round(&[found.reflection])?, round(&[found.ladder])?);
                Prepared::Lattice { reflection, ladder }
            }
            Tables::SectionLattices => {
                let found = sections.0.iter().map(section_to_lattice);
                let (reflection, ladder): (Vec<_>, Vec<_>) =
                    found.map(|lattice| (lattice.reflection, lattice.ladder)).unzip();
                Prepared::Lattice { reflection: round(&reflection)?, ladder: round(&ladder)? }
            }
            Tables::AllPasses => {
                let found = to_all_pass_sum(&ZerosPolesGain::from_sections(sections));
                let found = found.map_err(no_form)?.form;
                Prepared::AllPass(round_all_passes(&found, round)?)
            }
            Tables::Taps | Tables::Sections => {
                let rows: Vec<Vec<f64>> = sections.0.iter().map(of_section).collect();
                Prepared::Sections(round(&rows)?)
            }
        })
    }

    /// The program.
    pub(super) fn build(&self, fixed: Fixed, state: WordFormat) -> Result<Datapath, BuildError> {
        let Fixed { output, rounding, overflow, .. } = fixed;
        let built = self.body(fixed, state)?;
        Ok(if built.outputs[0].format == output {
            built
        } else {
            built.delivering(output, rounding, overflow)
        })
    }

    /// The program up to the words that a cascade carries.
    fn body(&self, fixed: Fixed, state: WordFormat) -> Result<Datapath, BuildError> {
        let Fixed { input, rounding, overflow, structure, .. } = fixed;
        let output = fixed.carried();
        let words = SectionWords { input, output, rounding, overflow };
        let states = StateWords { sections: words, state };
        match self {
            Prepared::Taps(table) => {
                let build = match structure {
                    Structure::FirTransposed if table.rows[0].len() > 1 => fir_transposed,
                    Structure::FirFolded => fir_folded,
                    Structure::FirSkipZeros => fir_skip_zeros,
                    _ => fir_direct,
                };
                build(table, input, output, rounding, overflow)
            }
            Prepared::StateSpace(table) => state_space(table, states),
            Prepared::AllPass(branches) => all_pass_sum(branches, states),
            Prepared::Lattice { reflection, ladder } => {
                let tables = LatticeTables { reflection, ladder };
                if structure.facts().tables == Tables::SectionLattices {
                    lattice_sections(tables, states)
                } else {
                    lattice_ladder(tables, states)
                }
            }
            Prepared::Sections(table) => match structure {
                Structure::ErrorFeedback1 => direct_form_1_shaped(table, words, 1),
                Structure::ErrorFeedback2 => direct_form_1_shaped(table, words, 2),
                Structure::DirectForm1Transposed => direct_form_1_transposed(table, states),
                Structure::DirectForm2 => direct_form_2(table, states),
                Structure::DirectForm2Transposed => direct_form_2_transposed(table, words),
                _ => direct_form_1(table, words),
            },
        }
    }

    /// The main table and that of the ladder.
    pub(super) fn tables(&self) -> (RoundedTable, Option<RoundedTable>) {
        match self {
            Prepared::Sections(table) | Prepared::StateSpace(table) | Prepared::Taps(table) => {
                (table.clone(), None)
            }
            Prepared::Lattice { reflection, ladder } => (reflection.clone(), Some(ladder.clone())),
            Prepared::AllPass(AllPassWords { format, branches, .. }) => {
                let rows = branches.concat();
                (RoundedTable::new(*format, rows), None)
            }
        }
    }

    /// One section by itself: of a lattice that is the whole filter that one, of all-passes one beside
    /// nothing.
    pub(super) fn section(&self, index: usize) -> Option<Prepared> {
        Some(match self {
            Prepared::Taps(_) => return None,
            Prepared::Sections(table) => Prepared::Sections(table.row(index)?),
            Prepared::StateSpace(table) => Prepared::StateSpace(table.row(index)?),
            Prepared::Lattice { reflection, ladder } => {
                let (reflection, ladder) = (reflection.row(index)?, ladder.row(index)?);
                Prepared::Lattice { reflection, ladder }
            }
            Prepared::AllPass(words) => {
                let row = words.branches.iter().flatten().nth(index)?.clone();
                let branches = [vec![row], Vec::new()];
                Prepared::AllPass(AllPassWords { branches, ..words.clone() })
            }
        })
    }

    /// Rounded sections.
    pub(super) fn sections_of(table: &RoundedTable) -> Sections {
        let section = |row: usize| Section {
            b: std::array::from_fn(|k| table.value(row, k)),
            a: std::array::from_fn(|k| table.value(row, 3 + k)),
        };
        Sections((0..table.rows.len()).map(section).collect())
    }

    /// Rounded sections of two states.
    pub(super) fn coupled_of(table: &RoundedTable) -> Vec<CoupledSection> {
        let values =
            |row: usize| CoupledSection::from_row(std::array::from_fn(|k| table.value(row, k)));
        (0..table.rows.len()).map(values).collect()
    }

    /// Whether rounding left something of the filter: not zero in place of all numerators of a section, or of
    /// all taps.
    pub(super) fn check_left(&self, designed: &Form) -> Result<(), ImplementError> {
        let zero = |integers: &[i64]| integers.iter().all(|value| *value == 0);
        let place = |row: usize, rows: usize| match rows {
            1 => "the filter".to_owned(),
            _ => format!("section {}", row + 1),
        };
        let (table, lost) = match self {
            Prepared::Taps(table) => (table, zero(&table.rows[0]).then_some(0)),
            Prepared::Sections(table) => (table, table.rows.iter().position(|row| zero(&row[..3]))),
            // d, and what reaches the states or comes out of them.
            Prepared::StateSpace(table) => {
                let lost = |row: &Vec<i64>| {
                    row[8] == 0 && (zero(&[row[2], row[5]]) || zero(&[row[6], row[7]]))
                };
                (table, table.rows.iter().position(lost))
            }
            Prepared::Lattice { ladder, .. } => {
                (ladder, ladder.rows.iter().position(|row| zero(row)))
            }
            Prepared::AllPass(_) => return Ok(()),
        };
        let is_nothing = match designed {
            Form::Taps(taps) => taps.0.iter().all(|tap| *tap == 0.0),
            Form::Sections(sections) => sections.0.iter().any(|section| section.b == [0.0; 3]),
        };
        match lost.filter(|_| !is_nothing) {
            None => Ok(()),
            Some(row) => {
                let place = place(row, table.rows.len());
                Err(ImplementError::NothingLeft { place, format: table.format_at(row, 0) })
            }
        }
    }

    /// The filter with the rounded coefficients, which must still be stable.
    pub(super) fn rounded(&self, fixed: Fixed) -> Result<Form, ImplementError> {
        let structure = fixed.structure.as_str();
        let no_form = |why: ConvertError| ImplementError::NoForm { structure, why };
        let values = |table: &RoundedTable, row: usize| -> Vec<f64> { table.values(row).collect() };
        let sections = match self {
            Prepared::Taps(table) => return Ok(Form::Taps(Taps(values(table, 0)))),
            Prepared::Sections(table) => Prepared::sections_of(table),
            Prepared::StateSpace(table) => {
                let sections = Prepared::coupled_of(table);
                Sections(sections.iter().map(CoupledSection::section).collect())
            }
            Prepared::Lattice { reflection, ladder } => {
                for (row, integers) in reflection.rows.iter().enumerate() {
                    let format = reflection.format_at(row, 0);
                    let one = 1i64.checked_shl(format.fraction().max(0) as u32).unwrap_or(i64::MAX);
                    if let Some(at) = integers.iter().position(|k| k.abs() >= one) {
                        let place = match reflection.rows.len() {
                            1 => "the lattice".to_owned(),
                            _ => format!("section {}", row + 1),
                        };
                        return Err(ImplementError::Reflection { index: at + 1, place, format });
                    }
                }
                let lattice = |row: usize| LatticeLadder {
                    reflection: values(reflection, row),
                    ladder: values(ladder, row),
                };
                if fixed.structure.facts().tables == Tables::SectionLattices {
                    let rows = 0..reflection.rows.len();
                    Sections(rows.map(|row| lattice_to_section(&lattice(row))).collect())
                } else {
                    let found = from_lattice(&lattice(0));
                    let found = found.map_err(no_form)?;
                    Sections::from_zeros_poles(&found.form)
                }
            }
            Prepared::AllPass(words) => {
                let sum = words.in_f64();
                let both = sum.first.iter().chain(&sum.second).copied().collect();
                check_stable(&Sections(both), words.format)?;
                let found = from_all_pass_sum(&sum);
                let found = found.map_err(no_form)?;
                Sections::from_zeros_poles(&found.form)
            }
        };
        let (main, _) = self.tables();
        check_stable(&sections, main.format)?;
        Ok(Form::Sections(sections))
    }
}

/// By how many bits fractions may differ: what an accumulator of 64 bits has left for sums of five products
/// of these words.
fn most_exponent(fixed: &Fixed) -> u32 {
    let data = fixed.input.width().max(fixed.carried().width());
    let data = fixed.state.map_or(data + 4, |state| data.max(state.width()));
    (64 - 4u32).saturating_sub(data + fixed.coefficients.width).min(32)
}

/// Rounds a1, a2 of all all-passes in one format.
fn round_all_passes(
    sum: &AllPassSum,
    round: impl Fn(&[Vec<f64>]) -> Result<RoundedTable, crate::fixed::QuantizeError>,
) -> Result<AllPassWords, ImplementError> {
    let row = |section: &Section| match section.b[2] {
        0.0 => vec![section.a[0]],
        _ => section.a.to_vec(),
    };
    let both = [&sum.first, &sum.second];
    let rows: Vec<Vec<f64>> = both.into_iter().flatten().map(row).collect();
    let table = round(&rows)?;
    let (first, second) = table.rows.split_at(sum.first.len());
    let sign = |value: f64| if value < 0.0 { Sign::Minus } else { Sign::Plus };
    Ok(AllPassWords {
        format: table.format,
        branches: [first.to_vec(), second.to_vec()],
        signs: [sign(sum.factor), sign(sum.factor * sum.sign)],
    })
}

impl AllPassWords {
    /// The sum with the rounded coefficients.
    fn in_f64(&self) -> AllPassSum {
        let section = |row: &Vec<i64>| {
            let value = |k: usize| self.format.value(row[k]);
            match row.len() {
                1 => Section { b: [value(0), 1.0, 0.0], a: [value(0), 0.0] },
                _ => Section { b: [value(1), value(0), 1.0], a: [value(0), value(1)] },
            }
        };
        let [first, second] =
            self.branches.each_ref().map(|rows| rows.iter().map(section).collect());
        let sign = |sign: Sign| if sign == Sign::Minus { -1.0 } else { 1.0 };
        let factor = sign(self.signs[0]);
        AllPassSum { first, second, sign: factor * sign(self.signs[1]), factor }
    }
}

fn check_stable(rounded: &Sections, format: WordFormat) -> Result<(), ImplementError> {
    match rounded.0.iter().position(|section| !section.is_stable()) {
        None => Ok(()),
        Some(section) => {
            let radius = rounded.0[section].pole_radius();
            Err(ImplementError::Unstable { section, radius, format })
        }
    }
}
