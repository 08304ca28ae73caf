//! Registers that not every unit has on the way of a word.

use super::program::Ending;
use super::{Alignment, FlowProduct, SignalFlow};

/// Which of the registers there are that a word passes only where there is something to be done in front of
/// them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct UnitStages {
    /// Behind an adder in front of the multipliers, where words that share a coefficient are added.
    pub pre_adder: bool,
    /// Behind what brings products to the fraction of the sum, where that is more than wires.
    pub alignment: bool,
    /// Between rounding and limit, where sums are rounded by what is added to them.
    pub rounding: bool,
}

impl UnitStages {
    /// Those of a unit for some filters; of alignment and rounding with two levels of pipelining only.
    pub fn of<'a>(
        flows: impl IntoIterator<Item = &'a SignalFlow, IntoIter: Clone>,
        pipelining: usize,
    ) -> Self {
        let flows = flows.into_iter();
        let is_deep = pipelining > 1;
        UnitStages {
            pre_adder: flows.clone().any(SignalFlow::has_pairs),
            alignment: is_deep && aligns(flows.clone()),
            rounding: is_deep && flows.into_iter().any(rounds),
        }
    }

    /// How many they are.
    pub fn count(self) -> usize {
        [self.pre_adder, self.alignment, self.rounding].map(usize::from).iter().sum()
    }
}

/// Bits of the widest word that meets a coefficient, of all of these filters.
pub(super) fn operand_bits<'a>(flows: impl Iterator<Item = &'a SignalFlow> + Clone) -> u32 {
    let products = || {
        flows.clone().flat_map(|flow| {
            let products = flow.tasks.iter().flat_map(|task| &task.products);
            products.map(move |product| (product, flow.operand_bits(product)))
        })
    };
    let is_plain = |product: &FlowProduct| product.is_word && product.coefficient.abs() == 1;
    let multiplied =
        products().filter(|(product, _)| !is_plain(product)).map(|(_, bits)| bits).max();
    multiplied.or_else(|| products().map(|(_, bits)| bits).max()).unwrap_or(1)
}

/// Whether products are brought to a sum's fraction by more than wires.
fn aligns<'a>(flows: impl Iterator<Item = &'a SignalFlow> + Clone) -> bool {
    let widest = operand_bits(flows.clone());
    let mut first: Option<Alignment> = None;
    for flow in flows {
        for product in flow.tasks.iter().flat_map(|task| &task.products) {
            let own = product.alignment;
            let differs = first.replace(own).is_some_and(|first| first != own);
            let is_wide = flow.operand_bits(product) > widest;
            if differs || is_wide || own.dropped > 0 || own.subtracted {
                return true;
            }
        }
    }
    false
}

/// Whether sums are rounded by more than wires.
fn rounds(flow: &SignalFlow) -> bool {
    flow.tasks.iter().any(|task| Ending::of(&task.ending, task.range).adds())
}
