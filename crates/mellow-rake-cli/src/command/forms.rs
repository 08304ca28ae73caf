//! Other forms of a design: `mrake design --form`.

use crate::arguments::OtherForm;
use crate::load::Loaded;
use crate::print::wrapped;
use mellow_rake::convert::{
    Converted, Loss, to_all_pass_sum, to_parallel, to_polynomials, to_state_space,
};
use mellow_rake::design::Choice;
use mellow_rake::design::iir::analogue_of;
use mellow_rake::filter::ZerosPolesGain;
use mellow_rake::filter::{Form, Mapping, Section};
use serde::Serialize;
use serde_json::Value;
use std::fmt::{Display, Write};

/// One form, or why it is not there.
#[derive(Serialize)]
pub(crate) struct FormObject {
    form: OtherForm,
    /// The form as data; null if it was refused.
    value: Option<Value>,
    /// What the conversion lost; null for the prototype, which is where the design came from.
    loss: Option<Loss>,
    /// Why it is not there.
    refused: Option<String>,
    #[serde(skip)]
    text: String,
}

impl FormObject {
    fn refused(form: OtherForm, why: &dyn Display) -> Self {
        let refused = Some(why.to_string());
        FormObject { form, value: None, loss: None, refused, text: String::new() }
    }

    fn of<T: Serialize, E: Display>(
        form: OtherForm,
        converted: Result<Converted<T>, E>,
        text: impl Fn(&T) -> String,
    ) -> Self {
        match converted {
            Err(why) => FormObject::refused(form, &why),
            Ok(Converted { form: value, loss }) => FormObject {
                form,
                text: text(&value),
                value: serde_json::to_value(&value).ok(),
                loss: Some(loss),
                refused: None,
            },
        }
    }
}

/// The design in another form.
pub(crate) fn form(loaded: &Loaded, form: OtherForm) -> FormObject {
    let design = &loaded.design;
    let (Form::Sections(sections), filter) = (&design.form, &design.zeros_poles) else {
        return FormObject::refused(form, &"taps are all there is of a finite impulse response");
    };
    let from_them = || ZerosPolesGain::from_sections(sections);
    let filter = filter.clone().unwrap_or_else(from_them);
    match form {
        OtherForm::Polynomials => FormObject::of(form, to_polynomials(&filter), |p| {
            format!("{}{}", numbers("b", &p.b), numbers("a", &p.a))
        }),
        OtherForm::StateSpace => FormObject::of(form, to_state_space(&filter, sections), |s| {
            let mut text = String::from("  s[n+1] = A s[n] + B x[n], y[n] = C s[n] + D x[n]\n");
            for row in &s.a {
                text.push_str(&numbers("A", row));
            }
            text + &numbers("B", &s.b) + &numbers("C", &s.c) + &numbers("D", &[s.d])
        }),
        OtherForm::AllPassSum => FormObject::of(form, to_all_pass_sum(&filter), |s| {
            let sign = if s.sign > 0.0 { '+' } else { '-' };
            let minus = if s.factor < 0.0 { "-" } else { "" };
            format!(
                "  H(z) = {minus}(A1(z) {sign} A2(z))/2; the other sign gives the power complement\n  A1\n{}  A2\n{}",
                rows(&s.first),
                rows(&s.second)
            )
        }),
        OtherForm::Parallel => FormObject::of(form, to_parallel(&filter), |p| {
            let constant = numbers("constant", &[p.constant]);
            format!("  H(z) = constant + sum of sections\n{constant}{}", rows(&p.sections))
        }),
        OtherForm::Prototype => match &design.choice {
            Choice::Recursive(choice) => match analogue_of(choice, loaded.spec.sample_rate) {
                Err(why) => FormObject::refused(form, &why),
                Ok(analogue) => {
                    let mut text = String::from("  low-pass prototype, edge at 1 rad/s\n");
                    let list = |text: &mut String, name: &str, roots: &[[f64; 2]]| {
                        for [re, im] in roots {
                            let _ = writeln!(text, "    {name} {re:?} {im:+?}j");
                        }
                    };
                    list(&mut text, "zero", &analogue.prototype.zeros);
                    list(&mut text, "pole", &analogue.prototype.poles);
                    let edges = analogue.edges_rad_s.iter().map(|e| format!("{e:?} rad/s"));
                    let edges = edges.collect::<Vec<_>>().join(" and ");
                    let how = match choice.mapping {
                        Mapping::Bilinear => "prewarped edges",
                        Mapping::ImpulseInvariant => "edges",
                    };
                    let _ = writeln!(text, "  transformed to the {how} {edges}, s in rad/s");
                    list(&mut text, "zero", &analogue.filter.zeros);
                    list(&mut text, "pole", &analogue.filter.poles);
                    let _ = writeln!(text, "    gain {:?}", analogue.gain);
                    text.push_str("  H(s), highest power first\n");
                    text.push_str(&numbers("b", &analogue.numerator));
                    text.push_str(&numbers("a", &analogue.denominator));
                    let value = serde_json::to_value(&analogue).ok();
                    FormObject { form, value, loss: None, refused: None, text }
                }
            },
            _ => FormObject::refused(form, &"this filter comes from no analogue prototype"),
        },
    }
}

fn numbers(name: &str, values: &[f64]) -> String {
    let list: Vec<String> = values.iter().map(|value| format!("{value:?}")).collect();
    wrapped(&format!("    {name} {}", list.join(" ")), 6)
}

fn rows(sections: &[Section]) -> String {
    let row = |Section { b: [b0, b1, b2], a: [a1, a2] }: &Section| {
        format!("    b {b0:?} {b1:?} {b2:?}  a 1 {a1:?} {a2:?}\n")
    };
    sections.iter().map(row).collect()
}

/// All forms in words.
pub(crate) fn text(forms: &[FormObject]) -> String {
    let mut text = String::new();
    for FormObject { form, loss, refused, text: body, .. } in forms {
        let _ = writeln!(text, "\nAs {}", form.title());
        match (refused, loss) {
            (Some(why), _) => {
                text.push_str(&wrapped(&format!("  refused: {why}"), 4));
            }
            (None, Some(loss)) => {
                let _ = write!(text, "{body}  loss: response {:.1e} of its peak", loss.response);
                if loss.poles > 0.0 {
                    let _ = write!(
                        text,
                        "; rounding can move poles by {:.1e} of their margin",
                        loss.poles
                    );
                }
                text.push('\n');
            }
            (None, None) => text.push_str(body),
        }
    }
    text
}
