//! What would do instead of words or a structure that a filter cannot run on: found by building the filter
//! with it.

use super::{Goal, ImplementError, implement_toward};
use crate::datapath::{BuildError, DatapathError};
use crate::filter::Form;
use crate::fixed::{CoefficientFormat, Overflow, QuantizeError, WordFormat};
use crate::spec::{Fixed, Structure};

/// A change of the words with which the filter was built.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Advice {
    /// The keys that change and their new values, as in a spec file.
    pub change: String,
    /// All words after the change.
    pub fixed: Fixed,
}

/// The least change that was found with which a refused filter can be built; `None` where nothing that was
/// tried does.
///
/// Tried are changes of what the refusal names, from the smallest on, and other structures.
///
/// ```
/// use mellow_rake::design::design;
/// use mellow_rake::fixed::Overflow;
/// use mellow_rake::implementation::{Goal, advice, implement};
/// use mellow_rake::spec::{Fixed, Spec, template};
/// let spec = Spec::parse(template("notch").unwrap())?;
/// let form = design(&spec)?.form;
/// // The notch can ring up to twice its input.
/// let fixed = Fixed { overflow: Overflow::Forbid, ..spec.fixed.unwrap() };
/// let error = implement(&form, fixed).unwrap_err();
/// let found = advice(&form, fixed, &Goal::Response, &error).unwrap();
/// assert_eq!(found.change, "output = \"s18f15\"");
/// assert!(implement(&form, found.fixed).is_ok());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn advice(
    designed: &Form,
    fixed: Fixed,
    goal: &Goal,
    error: &ImplementError,
) -> Option<Advice> {
    candidates(designed, fixed, error).into_iter().find(|candidate| {
        // What cannot be built from the nearest integers cannot be searched either.
        let mut plain = candidate.fixed;
        plain.integers.search = false;
        let is_possible = |fixed| implement_toward(designed, fixed, goal).is_ok();
        is_possible(plain) && (plain == candidate.fixed || is_possible(candidate.fixed))
    })
}

/// Bits that are added, or taken away, at most.
const MOST_BITS: u32 = 32;

fn candidates(designed: &Form, fixed: Fixed, error: &ImplementError) -> Vec<Advice> {
    use ImplementError::{
        Accumulator, Build, Coefficients, Datapath, NoBound, NoForm, NothingLeft, Reflection,
        State, Structure as WrongStructure, UnitSum, Unstable,
    };
    let mut found = Vec::new();
    match error {
        Unstable { .. } | Reflection { .. } | NothingLeft { .. } => {
            found.extend(more_digits(fixed));
            found.extend(coefficients(fixed, fixed.coefficients.width + 1..=48));
        }
        Coefficients(QuantizeError::DoesNotFit { .. }) => {
            found.extend(coefficients(fixed, fixed.coefficients.width..=48));
        }
        Accumulator { needed, .. } => {
            if let Ok(accumulator) = needed.parse() {
                let fixed = Fixed { accumulator: Some(accumulator), ..fixed };
                found.push(Advice { change: format!("accumulator = \"{needed}\""), fixed });
            }
        }
        UnitSum { .. } => {
            let mut words = fixed;
            words.integers.unit_sum = false;
            found.push(Advice { change: "unit_sum = false".to_owned(), fixed: words });
        }
        Build(BuildError::Products { needed, .. }) => {
            let fixed = Fixed { products: Some(*needed), ..fixed };
            found.push(Advice { change: format!("products = \"{needed}\""), fixed });
        }
        Build(BuildError::Sums { .. }) => {
            let fixed = Fixed { accumulator: None, ..fixed };
            found.push(Advice { change: "no key accumulator".to_owned(), fixed });
        }
        Build(BuildError::Carry { .. }) => {
            let own = Fixed { between: None, ..fixed };
            found.push(Advice { change: "no key between".to_owned(), fixed: own });
            found.extend(outputs(fixed));
        }
        Build(BuildError::NothingDropped { .. }) => {
            let output = fixed.output;
            found.extend((1..=MOST_BITS.min(output.width() - 1)).filter_map(|bits| {
                let fraction = output.fraction() - bits as i32;
                let output = WordFormat::new(output.is_signed(), output.width(), fraction).ok()?;
                Some(Advice {
                    change: format!("output = \"{output}\""),
                    fixed: Fixed { output, ..fixed },
                })
            }));
        }
        Datapath(DatapathError::CanOverflow { .. } | DatapathError::NoBound { .. })
            if fixed.overflow == Overflow::Forbid =>
        {
            if matches!(error, Datapath(DatapathError::CanOverflow { .. })) {
                found.extend(outputs(fixed));
                found.extend(stated_words(fixed));
            }
            let free = Fixed { overflow: Overflow::Saturate, ..fixed };
            found.push(Advice { change: "overflow = \"saturate\"".to_owned(), fixed: free });
        }
        Build(BuildError::Accumulator { .. }) | Datapath(DatapathError::TooWide { .. }) => {
            found.extend(fewer_bits(fixed));
        }
        WrongStructure { .. } | NoForm { .. } | NoBound { .. } | State { .. } | Build(_) => {}
        _ => return found,
    }
    if let State { .. } = error {
        let fixed =
            Fixed { state: WordFormat::new(true, 64, fixed.output.fraction()).ok(), ..fixed };
        found.extend(
            fixed.state.map(|state| Advice { change: format!("state = \"{state}\""), fixed }),
        );
    }
    found.extend(structures(designed, fixed));
    found
}

/// Coefficients of such widths whose fraction is chosen.
fn coefficients(
    fixed: Fixed,
    widths: std::ops::RangeInclusive<u32>,
) -> impl Iterator<Item = Advice> {
    widths.map(move |width| {
        let coefficients = CoefficientFormat { width, fraction: None, ..fixed.coefficients };
        let fixed = Fixed { coefficients, ..fixed };
        Advice { change: format!("coefficients = \"{coefficients}\""), fixed }
    })
}

/// More signed digits where they are few, up to as many as a coefficient may have.
fn more_digits(fixed: Fixed) -> impl Iterator<Item = Advice> {
    let given = fixed.integers.digits;
    given.into_iter().flat_map(|digits| digits + 1..=24).map(move |digits| {
        let mut words = fixed;
        words.integers.digits = Some(digits);
        Advice { change: format!("signed_digits = {digits}"), fixed: words }
    })
}

/// The output with more whole bits, and what was stated between the sections or for the states with it.
fn outputs(fixed: Fixed) -> impl Iterator<Item = Advice> {
    wider(fixed.output).map(move |output| {
        let fixed = Fixed { output, ..fixed };
        Advice { change: format!("output = \"{output}\""), fixed }
    })
}

/// Stated formats of inner words with more whole bits.
fn stated_words(fixed: Fixed) -> Vec<Advice> {
    let mut found = Vec::new();
    for between in fixed.between.into_iter().flat_map(wider) {
        let fixed = Fixed { between: Some(between), ..fixed };
        found.push(Advice { change: format!("between = \"{between}\""), fixed });
    }
    for state in fixed.state.into_iter().flat_map(wider) {
        let fixed = Fixed { state: Some(state), ..fixed };
        found.push(Advice { change: format!("state = \"{state}\""), fixed });
    }
    // All together, where one does not do.
    for bits in 1..=MOST_BITS {
        let more = |format: WordFormat| {
            WordFormat::new(format.is_signed(), format.width() + bits, format.fraction()).ok()
        };
        let Some(output) = more(fixed.output) else { break };
        let (between, state) = (fixed.between.and_then(more), fixed.state.and_then(more));
        let keys = [("between", between), ("state", state), ("output", Some(output))];
        let keys = keys.into_iter().filter_map(|(key, format)| Some((key, format?)));
        let change: Vec<String> =
            keys.map(|(key, format)| format!("{key} = \"{format}\"")).collect();
        if change.len() > 1 {
            let fixed = Fixed { output, between, state, ..fixed };
            found.push(Advice { change: change.join(", "), fixed });
        }
    }
    found
}

fn wider(format: WordFormat) -> impl Iterator<Item = WordFormat> {
    (1..=MOST_BITS).filter_map(move |bits| {
        WordFormat::new(format.is_signed(), format.width() + bits, format.fraction()).ok()
    })
}

/// Fewer bits of coefficients or of data.
fn fewer_bits(fixed: Fixed) -> Vec<Advice> {
    let CoefficientFormat { width, .. } = fixed.coefficients;
    let fewer = (4..width).rev().take(MOST_BITS as usize);
    let mut found: Vec<Advice> =
        fewer.flat_map(|width| coefficients(fixed, width..=width)).collect();
    for bits in 1..=MOST_BITS {
        let narrow = |format: WordFormat| {
            let width = format.width().checked_sub(bits).filter(|width| *width >= 4)?;
            WordFormat::new(format.is_signed(), width, format.fraction() - bits as i32).ok()
        };
        let (Some(input), Some(output)) = (narrow(fixed.input), narrow(fixed.output)) else {
            break;
        };
        let between = fixed.between.and_then(narrow);
        let state = fixed.state.and_then(narrow);
        let words = Fixed { input, output, between, state, ..fixed };
        let change = format!("input = \"{input}\", output = \"{output}\"");
        found.push(Advice { change, fixed: words });
    }
    found
}

/// Other structures for a filter of this form.
fn structures(designed: &Form, fixed: Fixed) -> impl Iterator<Item = Advice> {
    let is_taps = matches!(designed, Form::Taps(_));
    // The plain ones first.
    let plain = if is_taps { Structure::FirDirect } else { Structure::DirectForm1 };
    let near = fixed.structure.facts().nearest;
    let others = Structure::ALL.into_iter().filter(move |one| {
        one.is_for_taps() == is_taps
            && *one != fixed.structure
            && *one != plain
            && Some(*one) != near
    });
    let all = near.into_iter().chain([plain]).chain(others);
    all.filter(move |one| *one != fixed.structure).map(move |structure| {
        let fixed = fixed.in_structure(structure);
        Advice { change: format!("structure = \"{}\"", structure.as_str()), fixed }
    })
}
