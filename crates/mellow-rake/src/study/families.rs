//! All families against one template.

use super::Study;
use crate::design::{Design, wish};
use crate::filter::Family;
use crate::quality::{FamilyFigures, compare_families};
use crate::spec::{RecursiveEdges, Want};

/// What a family does for a template, or why it cannot keep it.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(untagged))]
#[non_exhaustive]
pub enum FamilyRow {
    /// It keeps it.
    Keeps {
        /// The filter of its smallest order.
        #[cfg_attr(feature = "serde", serde(skip))]
        design: Box<Design>,
        /// What it costs and does.
        #[cfg_attr(feature = "serde", serde(flatten))]
        figures: FamilyFigures,
    },
    /// It does not.
    Fails {
        /// The family.
        family: Family,
        /// Why.
        reason: String,
    },
}

/// Why there is nothing to hold families against.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NoFamilies {
    /// The filter is not recursive, or in closed form.
    #[error("a template of a recursive filter")]
    NotRecursive,
    /// One edge is missing.
    #[error("both edges: where the pass-band ends and where the stop-band begins")]
    NoTemplate,
}

impl Study {
    /// What each family does for the template of the spec.
    ///
    /// # Errors
    /// [`NoFamilies`] where the spec has no template of a recursive filter.
    pub fn families(&self) -> Result<Vec<FamilyRow>, NoFamilies> {
        let Want::Recursive(recursive) = &self.spec.want else {
            return Err(NoFamilies::NotRecursive);
        };
        if !matches!(recursive.edges, RecursiveEdges::Template { .. }) {
            return Err(NoFamilies::NoTemplate);
        }
        let rate = self.spec.sample_rate;
        let all = compare_families(&wish(recursive, rate), rate).into_iter();
        let rows = all.map(|(family, found)| match found {
            Ok((design, figures)) => FamilyRow::Keeps { design: Box::new(design), figures },
            Err(error) => FamilyRow::Fails { family, reason: error.to_string() },
        });
        Ok(rows.collect())
    }
}
