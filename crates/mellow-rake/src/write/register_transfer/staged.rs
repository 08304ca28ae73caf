//! Units one behind the other: an instance for each, and the wires between.

use super::interface::{Around, connect, handed_over, program_lines};
use super::value::{Kind, Signal, Value};
use super::{Design, Item, Items, Traffic, unit_design};
use crate::datapath::Checked;
use crate::hardware::{HardwareError, Scheduled, Staged};
use crate::write::ORIGIN;

/// The units of a cascade and what connects them. `checked` is the datapath that they are of.
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than a unit is written for.
pub(in crate::write) fn design(
    staged: &Staged,
    checked: &Checked,
    name: &str,
) -> Result<Design, HardwareError> {
    let count = staged.stages().len();
    let resources = staged.resources();
    let interface = resources.interface;
    let of = |index: usize| format!("{name}_stage_{}", index + 1);
    let mut parts = Vec::new();
    for (index, stage) in staged.stages().iter().enumerate() {
        let which = format!("Unit {} of the {count} that {name} is made of.", index + 1);
        let heading = vec![ORIGIN.to_owned(), String::new(), which, String::new()];
        parts.push(unit_design(stage, heading, &of(index))?);
    }
    let mut items = Items::default();
    items.comment("What one unit gives the next takes, when it is ready.");
    for (index, stage) in staged.stages().iter().enumerate() {
        let [valid, ready, data] = behind(stage, index + 1, count);
        if index + 1 < count {
            items.net(valid);
            items.net(data);
            items.net(ready);
        }
    }
    let first = items.net(Signal::bit("ready_0"));
    items.0.push(Item::Output { signal: Signal::bit("in_ready"), value: first.whole() });
    for (index, stage) in staged.stages().iter().enumerate() {
        items.gap();
        items.0.push(instance(stage, index, count, of(index)));
    }
    let around = Around {
        formats: [checked.input(), checked.output()],
        interface,
        samples: 1,
        is_driven: true,
    };
    let (ports, items) = connect(items, around, None);
    let about = vec![format!(
        "On {count} multipliers, a unit for each: a sample every {} clocks, its output {} clocks later.",
        staged.interval(),
        staged.latency()
    )];
    // Samples that wait between units go on one after the other.
    let waiting: usize = staged.stages().iter().map(Scheduled::output_words).sum();
    let patience = parts.iter().map(|part| part.traffic.patience).sum();
    Ok(Design {
        name: name.to_owned(),
        parts,
        about: [program_lines(checked), about, handed_over(interface, 1)].concat(),
        ports,
        items,
        traffic: Traffic {
            interface: Some(interface),
            samples: 1,
            changes_rate: false,
            latency: staged.latency() + waiting * staged.interval(),
            patience,
            load: None,
        },
    })
}

/// Valid, ready and data behind the first so many units.
fn behind(stage: &Scheduled, index: usize, count: usize) -> [Signal; 3] {
    let flow = stage.flow();
    let kind = Kind::Port(flow.output_format().width());
    match index == count {
        true => [Signal::bit("out_valid"), Signal::bit("out_ready"), Signal::new("out_data", kind)],
        false => [
            Signal::bit(format!("valid_{index}")),
            Signal::bit(format!("ready_{index}")),
            Signal::new(format!("data_{index}"), kind),
        ],
    }
}

fn instance(stage: &Scheduled, index: usize, count: usize, of: String) -> Item {
    let input = Kind::Port(stage.flow().input.width());
    let [in_valid, in_data] = match index {
        0 => [Signal::bit("in_valid"), Signal::new("in_data", input)],
        _ => [Signal::bit(format!("valid_{index}")), Signal::new(format!("data_{index}"), input)],
    };
    let [out_valid, out_ready, out_data] = behind(stage, index + 1, count);
    let mut ports = vec![
        ("clk", Signal::bit("clk")),
        ("rst", Signal::bit("rst")),
        ("in_valid", in_valid),
        ("in_ready", Signal::bit(format!("ready_{index}"))),
        ("in_data", in_data),
        ("out_valid", out_valid),
    ];
    if stage.resources().interface.waits() {
        ports.push(("out_ready", out_ready));
    }
    ports.push(("out_data", out_data));
    let ports: Vec<(String, Value)> =
        ports.into_iter().map(|(port, signal)| (port.to_owned(), signal.whole())).collect();
    Item::Instance { of, name: format!("stage_{}", index + 1), ports }
}
