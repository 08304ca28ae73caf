//! Figures of filters and of what was measured on them: from studies to panels.

mod chain;
mod cores;
mod hardware;
mod measured;
mod panels;
mod plan;
mod quantization;
mod received;
mod recording;
mod sensitivity;
mod subject;

pub use chain::chain;
pub use cores::cores;
pub use hardware::{schedule, staged, time_shared, units};
pub use measured::measured;
pub use panels::{Scene, View, Wishes};
pub use plan::Plan;
pub use quantization::quantization;
pub use received::received;
pub use recording::{
    Excerpt, Trace, before_and_after, density_panel, inspection, liveliest, record_sheet,
    time_panel,
};
pub use sensitivity::sensitivity;
pub use subject::Subject;

use mellow_rake::study::{Contender, FamilyRow, Study};
use mellow_rake_figures::{Pen, Sheet};

/// The panels of a response that nobody chose.
pub const RESPONSE: [View; 3] = [View::Gain, View::Edges, View::Passband];

impl<'a> Scene<'a> {
    /// A design beside what rounding its coefficients made of it.
    pub fn of(study: &'a Study, wishes: Wishes) -> Self {
        let (design, rate) = (&study.design, study.spec.sample_rate);
        let implementation = study.implementation().ok().flatten();
        // Wide and light only where another curve lies on it.
        let pen = if implementation.is_some() { Pen::Under } else { Pen::Over };
        let mut subjects = vec![Subject::designed("designed", pen, design, rate)];
        subjects.extend(implementation.map(|integers| {
            Subject::rounded("rounded", Pen::Over, &integers.rounded, &design.choice, rate)
        }));
        let peak = study.designed().measures.peak_gain_db();
        let plan = Plan::of(&design.choice, peak, rate.nyquist());
        Scene { subjects, plan, wishes, reference: &[] }
    }

    /// The filters of all families that keep the template of a study.
    pub fn of_families(study: &'a Study, rows: &'a [FamilyRow], wishes: Wishes) -> Self {
        let kept = rows.iter().filter_map(|row| match row {
            FamilyRow::Keeps { design, figures } => Some((design, figures)),
            _ => None,
        });
        let subject = |(rank, (design, figures)): (usize, (&'a Box<_>, &'a _))| {
            let figures: &mellow_rake::quality::FamilyFigures = figures;
            let name = format!("{}, order {}", figures.family, figures.order);
            Subject::designed(&name, Pen::Rank(rank), design, study.spec.sample_rate)
        };
        Scene { subjects: kept.enumerate().map(subject).collect(), ..Scene::of(study, wishes) }
    }

    /// Filters beside one another, on axes that show all; a template only where it is that of all.
    pub fn of_contenders(
        contenders: &'a [Contender],
        reference: &'a [(f64, f64)],
        wishes: Wishes,
    ) -> Self {
        let plans = contenders.iter().map(|one| {
            let choice = &one.study.design.choice;
            Plan::of(choice, one.report().measures.peak_gain_db(), one.rate().nyquist())
        });
        let plan = plans.reduce(Plan::joined).unwrap_or_else(Plan::empty);
        let subject = |(rank, one): (usize, &'a Contender)| {
            let (pen, design) = (Pen::Rank(rank), &one.study.design);
            match one.study.implementation() {
                Ok(Some(integers)) if one.is_rounded() => {
                    let form = &integers.rounded;
                    Subject::rounded(&one.label, pen, form, &design.choice, one.rate())
                }
                _ => Subject::designed(&one.label, pen, design, one.rate()),
            }
        };
        let subjects = contenders.iter().enumerate().map(subject).collect();
        Scene { subjects, plan, wishes, reference }
    }

    /// Panels side by side.
    pub fn sheet(&self, title: &str, views: &[View]) -> Sheet {
        let panels = views.iter().map(|view| self.panel(*view)).collect();
        Sheet { title: title.to_owned(), panels }
    }
}
