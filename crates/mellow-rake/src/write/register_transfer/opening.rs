//! What all units begin with: the program in comments, and their ports.

use super::value::{Kind, Signal};
use super::{Direction, Port};
use crate::datapath::{Checked, dump};
use crate::spec::Interface;
use crate::write::ORIGIN;

/// The lines above a unit; `about` says what it is.
pub(super) fn about_program(
    checked: &Checked,
    about: &[String],
    interface: Interface,
) -> Vec<String> {
    let mut lines = vec![ORIGIN.to_owned(), String::new()];
    lines.push("The program, in the terms of the comments below:".to_owned());
    lines.push(String::new());
    lines.extend(dump(checked).lines().map(|line| format!("  {line}")));
    lines.push(String::new());
    lines.extend_from_slice(about);
    let given = match interface {
        Interface::Valid => "with out_valid high.",
        Interface::ValidReady => "with out_valid and out_ready high.",
    };
    lines.push(
        "A sample is taken at each rising clock edge with in_valid and in_ready high, and given at each"
            .to_owned(),
    );
    lines.push(given.to_owned());
    lines
}

/// The ports of a unit.
pub(super) fn ports(checked: &Checked, interface: Interface) -> Vec<Port> {
    let (input, output) = (checked.input(), checked.output());
    let port = |signal: Signal, direction| Port { signal, direction, remark: String::new() };
    let data = |name: &str, width| Signal::new(name, Kind::Port(width));
    let mut ports = vec![
        port(Signal::bit("clk"), Direction::Input),
        port(Signal::bit("rst"), Direction::Input),
        port(Signal::bit("in_valid"), Direction::Input),
        port(Signal::bit("in_ready"), Direction::Output),
        Port {
            remark: input.to_string(),
            ..port(data("in_data", input.width()), Direction::Input)
        },
        port(Signal::bit("out_valid"), Direction::OutputRegister),
    ];
    if interface == Interface::ValidReady {
        ports.push(port(Signal::bit("out_ready"), Direction::Input));
    }
    let out_data = port(data("out_data", output.width()), Direction::OutputRegister);
    ports.push(Port { remark: output.to_string(), ..out_data });
    ports
}
