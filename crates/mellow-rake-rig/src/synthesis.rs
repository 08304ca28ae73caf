//! Generated Verilog through a synthesizer, and where there is one for the family, through place and route.

use crate::hardware::sources;
use crate::{RigError, ToolName, at, run};
use mellow_rake::hardware::Built;
use mellow_rake::write::GeneratedFile;
use std::fmt::Write;
use std::time::Duration;

/// A family of gate arrays that the synthesizer knows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Family {
    /// Lattice iCE40, placed and routed for the UP5K: 5,280 LUTs, 8 multipliers of 16 bits, 30 block RAMs.
    Ice40,
    /// Lattice ECP5, synthesized.
    Ecp5,
    /// Xilinx 7 series, synthesized.
    Xilinx7,
}

impl Family {
    /// All families.
    pub const ALL: [Family; 3] = [Family::Ice40, Family::Ecp5, Family::Xilinx7];

    /// The word for it on the command line.
    pub fn as_str(self) -> &'static str {
        match self {
            Family::Ice40 => "ice40",
            Family::Ecp5 => "ecp5",
            Family::Xilinx7 => "xilinx7",
        }
    }

    /// What it is, for a table.
    pub fn title(self) -> &'static str {
        match self {
            Family::Ice40 => "iCE40 UP5K",
            Family::Ecp5 => "ECP5",
            Family::Xilinx7 => "Xilinx 7",
        }
    }

    /// What there is of LUTs, multipliers and block RAMs, where one part is meant.
    pub fn has(self) -> Option<[usize; 3]> {
        (self == Family::Ice40).then_some([5_280, 8, 30])
    }

    fn synthesis(self) -> &'static str {
        match self {
            Family::Ice40 => "synth_ice40 -dsp",
            Family::Ecp5 => "synth_ecp5",
            Family::Xilinx7 => "synth_xilinx -family xc7 -noiopad -flatten",
        }
    }

    /// What a cell counts as.
    fn kind(self, cell: &str) -> Option<Kind> {
        let begins = |all: &[&str]| all.iter().any(|one| cell.starts_with(one));
        let kinds: [(Kind, &[&str]); 4] = match self {
            Family::Ice40 => [
                (Kind::Lut, &["SB_LUT4"]),
                (Kind::Register, &["SB_DFF"]),
                (Kind::Multiplier, &["SB_MAC16"]),
                (Kind::Ram, &["SB_RAM40", "SB_SPRAM"]),
            ],
            Family::Ecp5 => [
                (Kind::Lut, &["LUT4", "CCU2C", "TRELLIS_DPR16X4"]),
                (Kind::Register, &["TRELLIS_FF"]),
                (Kind::Multiplier, &["MULT18X18D"]),
                (Kind::Ram, &["DP16KD", "PDPW16KD"]),
            ],
            Family::Xilinx7 => [
                (Kind::Lut, &["LUT", "RAM32", "RAM64", "RAM128", "SRL"]),
                (Kind::Register, &["FD"]),
                (Kind::Multiplier, &["DSP48E1"]),
                (Kind::Ram, &["RAMB18", "RAMB36"]),
            ],
        };
        kinds.into_iter().find(|(_, names)| begins(names)).map(|(kind, _)| kind)
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    Lut,
    Register,
    Multiplier,
    Ram,
}

/// Beginnings that place and route is given.
pub const SEEDS: usize = 3;

const LIMIT: Duration = Duration::from_secs(300);

/// Synthesizes a module, and places and routes it where that can be done for the family.
///
/// # Errors
/// [`RigError`] when the synthesizer is missing or fails; that there is no place and route is no error.
pub fn synthesize(
    family: Family,
    files: &[GeneratedFile],
    clock_hz: Option<f64>,
) -> Result<Built, RigError> {
    let yosys = ToolName::YOSYS.find()?;
    let (folder, names) = sources(files, ".v")?;
    // The test bench has the name of what it is of, which may have instances of others.
    let top = names.iter().find_map(|name| name.strip_suffix("_tb.v")).unwrap_or_default();
    let modules: Vec<&str> =
        names.iter().map(|name| name.as_str()).filter(|name| !name.ends_with("_tb.v")).collect();
    let modules = modules.join(" ");
    let mut command = yosys.command(folder.path());
    command.args(["-q", "-p"]).arg(format!(
        "read_verilog {modules}; {} -top {top}; tee -q -o cells.txt stat",
        family.synthesis()
    ));
    run(&mut command, b"", LIMIT)?;
    let path = folder.path().join("cells.txt");
    let text = std::fs::read_to_string(&path).map_err(at(&path))?;
    let mut cells = Built {
        family: family.as_str(),
        title: family.title(),
        tool: yosys.version().to_owned(),
        luts: 0,
        registers: 0,
        multipliers: 0,
        rams: 0,
        clock_hz: None,
        not_placed: None,
    };
    for line in text.lines() {
        let mut words = line.split_whitespace();
        let (Some(cell), Some(count), None) = (words.next(), words.next(), words.next()) else {
            continue;
        };
        let Ok(count) = count.parse::<usize>() else { continue };
        match family.kind(cell) {
            Some(Kind::Lut) => cells.luts += count,
            Some(Kind::Register) => cells.registers += count,
            Some(Kind::Multiplier) => cells.multipliers += count,
            Some(Kind::Ram) => cells.rams += count,
            None => {}
        }
    }
    if family != Family::Ice40 {
        cells.not_placed = Some("no place and route of this family".to_owned());
        return Ok(cells);
    }
    let fits = Family::Ice40.has().is_some_and(|[luts, multipliers, rams]| {
        cells.luts <= luts && cells.multipliers <= multipliers && cells.rams <= rams
    });
    if !fits {
        cells.not_placed = Some("does not fit the UP5K".to_owned());
        return Ok(cells);
    }
    match place(folder.path(), (top, &modules), files, clock_hz) {
        Ok(clock) => cells.clock_hz = Some(clock),
        Err(error @ RigError::Missing { .. }) => cells.not_placed = Some(error.to_string()),
        Err(error) => return Err(error),
    }
    Ok(cells)
}

/// The fastest clock in hertz that is found.
fn place(
    folder: &std::path::Path,
    (top, modules): (&str, &str),
    files: &[GeneratedFile],
    clock_hz: Option<f64>,
) -> Result<f64, RigError> {
    let tool = ToolName::NEXTPNR_ICE40.find()?;
    let yosys = ToolName::YOSYS.find()?;
    // The package has few pins: words come and go bit by bit, through registers that are no part of it.
    let module = files.iter().find(|file| file.name == format!("{top}.v"));
    let pins = folder.join("pins.v");
    std::fs::write(&pins, with_pins(top, module.map_or("", |file| &file.text)))
        .map_err(at(&pins))?;
    let mut command = yosys.command(folder);
    command.args(["-q", "-p"]).arg(format!(
        "read_verilog {modules} pins.v; synth_ice40 -dsp -top pins_of_design -json pins.json"
    ));
    run(&mut command, b"", LIMIT)?;
    let megahertz = clock_hz.unwrap_or(100e6).min(100e6) / 1e6;
    let mut best: Option<f64> = None;
    for seed in 1..=SEEDS {
        let mut command = tool.command(folder);
        command.args(["--up5k", "--package", "sg48", "--json", "pins.json", "-l", "place.txt"]);
        command.args(["--pcf-allow-unconstrained", "--timing-allow-fail", "-q"]);
        command.arg("--freq").arg(format!("{megahertz:.3}"));
        command.arg("--seed").arg(seed.to_string());
        run(&mut command, b"", LIMIT)?;
        let path = folder.join("place.txt");
        let text = std::fs::read_to_string(&path).map_err(at(&path))?;
        let found = fastest(&text).ok_or_else(|| RigError::Rubbish {
            program: "nextpnr-ice40".to_owned(),
            found: text.chars().take(200).collect(),
            expected: "a line with the largest frequency",
        })?;
        best = Some(best.unwrap_or(0.0).max(found));
    }
    best.ok_or_else(|| RigError::Rubbish {
        program: "nextpnr-ice40".to_owned(),
        found: String::new(),
        expected: "a clock",
    })
}

/// The fastest clock in hertz that the report of a routed design says.
///
/// A multiplier cell without registers of its own is taken there for one that has them, on a clock that does
/// not run: the paths to it and from it are told apart. Here they are one path, with those between such
/// cells.
fn fastest(text: &str) -> Option<f64> {
    const STILL: &str = "$PACKER_GND_NET";
    // The last lines are those of the routed design.
    let last = |is_meant: &dyn Fn(&str) -> bool, unit: &str| -> Option<f64> {
        let line = text.lines().rev().find(|line| is_meant(line))?;
        let number = line.rsplit_once(unit)?.0.split_whitespace().next_back()?;
        number.parse::<f64>().ok()
    };
    let frequency = |is_still: bool| {
        let is_meant = move |line: &str| {
            line.contains("Max frequency for clock") && line.contains(STILL) == is_still
        };
        last(&is_meant, "MHz (").map(|megahertz| 1e-6 / megahertz)
    };
    let delay = |from_still: bool| {
        let is_meant = move |line: &str| {
            let Some((from, to)) = line.split_once("->") else { return false };
            let (from, to) = (from.contains(STILL), to.contains(STILL));
            line.contains("Max delay") && from == from_still && to != from_still
        };
        last(&is_meant, "ns").map(|nanoseconds| nanoseconds * 1e-9)
    };
    let between = frequency(true).unwrap_or(0.0);
    let through = match (delay(false), delay(true)) {
        (Some(to), Some(from)) => to + between + from,
        _ => 0.0,
    };
    frequency(false).map(|period| 1.0 / period.max(through))
}

/// A module around a design that needs six pins whatever its words are.
fn with_pins(top: &str, text: &str) -> String {
    // The ports, as the module declares them: direction and width of each.
    let ports = text.lines().skip_while(|line| !line.starts_with("module ")).skip(1);
    let ports = ports.take_while(|line| !line.starts_with(");"));
    let mut around = String::from(
        "module pins_of_design (input wire clk, input wire rst, input wire bit_in, output reg bit_out);\n",
    );
    let (mut connections, mut shifts, mut parity) = (Vec::new(), String::new(), Vec::new());
    for port in ports {
        let port = port.split("//").next().unwrap_or("").trim().trim_end_matches(',');
        let Some(name) = port.split_whitespace().next_back() else { continue };
        let range = port.find('[').map_or("", |from| &port[from..=port.find(']').unwrap_or(from)]);
        connections.push(format!(".{name}({name})"));
        match (name, port.starts_with("input")) {
            ("clk" | "rst", _) => {}
            (_, true) => {
                let _ = writeln!(around, "reg {range} {name};");
                let _ = writeln!(shifts, "{name} <= {{{name}, bit_in}};");
            }
            (_, false) => {
                let _ = writeln!(around, "wire {range} {name}; reg {range} {name}_r;");
                let _ = writeln!(shifts, "{name}_r <= {name};");
                parity.push(format!("^{name}_r"));
            }
        }
    }
    let _ = write!(
        around,
        "{top} design ({});\nalways @(posedge clk) begin\n{shifts}bit_out <= {};\nend\nendmodule\n",
        connections.join(", "),
        parity.join(" ^ ")
    );
    around
}

#[cfg(test)]
mod tests {
    use super::fastest;

    #[test]
    fn a_path_through_a_multiplier_without_registers_is_one_path() {
        let report = "Info: Max frequency for clock 'clk$glb_clk': 80.00 MHz (PASS at 12.00 MHz)\n\
            Info: Max delay posedge clk$glb_clk -> posedge $PACKER_GND_NET: 6.00 ns\n\
            Info: Max delay posedge $PACKER_GND_NET -> posedge clk$glb_clk: 9.00 ns\n";
        assert!((fastest(report).unwrap() - 1e9 / 15.0).abs() < 1.0);
        let between =
            "Info: Max frequency for clock '$PACKER_GND_NET': 200.00 MHz (PASS at 12.00 MHz)\n";
        assert!((fastest(&format!("{between}{report}")).unwrap() - 1e9 / 20.0).abs() < 1.0);
        assert_eq!(fastest("nothing"), None);
        assert_eq!(fastest(report.lines().next().unwrap()), Some(1.0 / (1e-6 / 80.0)));
    }
}
