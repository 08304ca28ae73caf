//! A design in other forms.

use super::Study;
use crate::convert::{
    AllPassSum, Converted, Loss, Parallel, Polynomials, StateSpace, to_all_pass_sum, to_parallel,
    to_polynomials, to_state_space,
};
use crate::design::Choice;
use crate::design::iir::{Analogue, analogue_of};
use crate::filter::{Form, Mapping, ZerosPolesGain};
use std::fmt::Display;

/// Another form of a filter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum OtherForm {
    /// The analogue prototype: zeros, poles and polynomials in s, prewarped edges.
    Prototype,
    /// One fraction b/a.
    Polynomials,
    /// A, B, C, D.
    StateSpace,
    /// Half the sum or difference of two all-passes.
    AllPassSum,
    /// A constant and sections side by side.
    Parallel,
}

impl OtherForm {
    /// All of them, each with its name and what it is.
    pub const ALL: [(OtherForm, &'static str, &'static str); 5] = [
        (
            OtherForm::Prototype,
            "prototype",
            "The analogue prototype: zeros, poles and polynomials in s, prewarped edges",
        ),
        (OtherForm::Polynomials, "polynomials", "One fraction b/a"),
        (OtherForm::StateSpace, "state-space", "A, B, C, D"),
        (OtherForm::AllPassSum, "all-pass-sum", "Half the sum or difference of two all-passes"),
        (OtherForm::Parallel, "parallel", "A sum of sections"),
    ];

    /// What it is, in words.
    pub fn title(self) -> &'static str {
        match self {
            OtherForm::Prototype => "analogue prototype",
            OtherForm::Polynomials => {
                "polynomials, H(z) = (b0 + b1 z^-1 + ...)/(1 + a1 z^-1 + ...)"
            }
            OtherForm::StateSpace => "state space",
            OtherForm::AllPassSum => "two all-passes",
            OtherForm::Parallel => "parallel sections",
        }
    }
}

/// A form, or why it is not there.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct FormRecord {
    /// Which.
    pub form: OtherForm,
    /// Its coefficients; `None` where it was refused.
    pub value: Option<FormValue>,
    /// What the conversion lost; `None` of the prototype, which is where the design came from.
    pub loss: Option<Loss>,
    /// Why it is not there.
    pub refused: Option<String>,
}

/// The coefficients of a form.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(untagged))]
#[non_exhaustive]
pub enum FormValue {
    /// An analogue prototype.
    Prototype {
        /// Its zeros, poles and polynomials.
        #[cfg_attr(feature = "serde", serde(flatten))]
        analogue: Box<Analogue>,
        /// How it became a digital filter.
        #[cfg_attr(feature = "serde", serde(skip))]
        mapping: Mapping,
    },
    /// One fraction.
    Polynomials(Polynomials),
    /// Matrices.
    StateSpace(StateSpace),
    /// Two all-passes.
    AllPassSum(AllPassSum),
    /// Sections side by side.
    Parallel(Parallel),
}

impl FormRecord {
    fn refused(form: OtherForm, why: &dyn Display) -> Self {
        FormRecord { form, value: None, loss: None, refused: Some(why.to_string()) }
    }

    fn of<T, E: Display>(
        form: OtherForm,
        converted: Result<Converted<T>, E>,
        value: fn(T) -> FormValue,
    ) -> Self {
        match converted {
            Err(why) => FormRecord::refused(form, &why),
            Ok(Converted { form: found, loss }) => {
                FormRecord { form, value: Some(value(found)), loss: Some(loss), refused: None }
            }
        }
    }
}

impl Study {
    /// The design in another form, or why it has none.
    ///
    /// ```
    /// use mellow_rake::spec::template;
    /// use mellow_rake::study::{OtherForm, Study};
    /// let study = Study::of_text(template("notch").unwrap(), |_| unreachable!("it names no file"))?;
    /// assert!(study.in_form(OtherForm::Polynomials).refused.is_none());
    /// assert!(study.in_form(OtherForm::Prototype).refused.unwrap().contains("no analogue prototype"));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn in_form(&self, form: OtherForm) -> FormRecord {
        let design = &self.design;
        let Form::Sections(sections) = &design.form else {
            let why = "taps are all there is of a finite impulse response";
            return FormRecord::refused(form, &why);
        };
        let of_sections = || ZerosPolesGain::from_sections(sections);
        let filter = design.zeros_poles.clone().unwrap_or_else(of_sections);
        match form {
            OtherForm::Polynomials => {
                FormRecord::of(form, to_polynomials(&filter), FormValue::Polynomials)
            }
            OtherForm::StateSpace => {
                FormRecord::of(form, to_state_space(&filter, sections), FormValue::StateSpace)
            }
            OtherForm::AllPassSum => {
                FormRecord::of(form, to_all_pass_sum(&filter), FormValue::AllPassSum)
            }
            OtherForm::Parallel => FormRecord::of(form, to_parallel(&filter), FormValue::Parallel),
            OtherForm::Prototype => {
                let Choice::Recursive(choice) = &design.choice else {
                    let why = "this filter comes from no analogue prototype";
                    return FormRecord::refused(form, &why);
                };
                match analogue_of(choice, self.spec.sample_rate) {
                    Err(why) => FormRecord::refused(form, &why),
                    Ok(analogue) => {
                        let (analogue, mapping) = (Box::new(analogue), choice.mapping);
                        let value = Some(FormValue::Prototype { analogue, mapping });
                        FormRecord { form, value, loss: None, refused: None }
                    }
                }
            }
        }
    }
}
