//! The exit status of every command: 0 where it was done and every check held, 1 where a check failed or
//! nothing could be checked, 2 where the input or the call is wrong. A status other than 0 says why.

use crate::common::{finish, mrake, root, run};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

const MODEM: &str = "demo/modem/telemetry.toml";
const NOTCH: &str = "demo/mooring/pump_hum.toml";

/// Specs and masks that checks fail on.
fn write_files(folder: &Path) {
    let write = |name: &str, text: &str| std::fs::write(folder.join(name), text).unwrap();
    let read = |path: &str| std::fs::read_to_string(root().join(path)).unwrap();
    // An order below what the template needs.
    write(
        "short.toml",
        "name = \"short\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\npass_edge = \"40 Hz\"\n\
         stop_edge = \"60 Hz\"\nripple = \"0.1 dB\"\nattenuation = \"60 dB\"\n[method]\ndesign = \
         \"butterworth\"\norder = 3\n",
    );
    // Coefficients of few bits leave the template.
    write(
        "coarse.toml",
        "name = \"coarse\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\npass_edge = \"40 Hz\"\n\
         stop_edge = \"60 Hz\"\nripple = \"0.1 dB\"\nattenuation = \"60 dB\"\n[method]\ndesign = \
         \"elliptic\"\norder = \"minimum\"\n[fixed]\ninput = \"s16f15\"\noutput = \
         \"s16f15\"\ncoefficients = \"s12\"\nstructure = \"direct-form-1\"\nrounding = \
         \"half-up\"\noverflow = \"saturate\"\n",
    );
    // A chain that lets through what it should stop.
    write(
        "loose.toml",
        "name = \"loose\"\nsample_rate = \"1 kHz\"\n[change]\npass_edge = \"40 Hz\"\nattenuation = \
         \"60 dB\"\n[[stage]]\ndown = 4\n[stage.want]\nkind = \"average\"\n[stage.method]\ntaps = 4\n",
    );
    let unit = read("demo/modem/carrier_unit.toml");
    let hardware = |table: &str| unit.replace("clock = \"12 MHz\"", table);
    write("parallel.toml", &hardware("architecture = \"parallel\"\nchannels = 2"));
    write("slow.toml", &hardware("clock = \"1 MHz\"\nmultipliers = 1"));
    write("loadable.toml", &hardware("coefficients = \"loadable\""));
    let both = hardware("coefficients = \"loadable\"\narchitecture = \"parallel\"");
    write("loadable_parallel.toml", &both);
    write("fast.toml", &hardware("clock = \"400 MHz\""));
    // More than 16 bits can have.
    let notch = read(NOTCH);
    write("strict.toml", &notch.replace("min_ser = \"60 dB\"", "min_ser = \"200 dB\""));
    write("low_mask.csv", "frequency_hz,level_db\n1,-200\n400,-200\n");
    write("high_mask.csv", "frequency_hz,level_db\n1,100\n400,100\n");
}

/// A call, and the status it ends with. `@` stands for the folder, `%` for the modem's signal.
type Call = (&'static str, i32);

/// Calls that need no tool from outside.
const CALLS: [Call; 66] = [
    ("new notch", 0),
    ("new notches", 2),
    ("new notch -o @/short.toml", 2),
    ("design demo/mooring/pump_hum.toml", 0),
    ("design @/short.toml", 1),
    ("design @/missing.toml", 2),
    ("design demo/mooring/pump_hum.toml --figure @/figure.gif", 2),
    ("design demo/mooring/swell.toml", 0),
    ("design @/loose.toml", 1),
    ("design demo/mooring/swell.toml --roots", 2),
    ("generate demo/mooring/swell.toml --to rust -o @/firmware", 0),
    ("generate demo/mooring/swell.toml --to c -o @/firmware", 0),
    ("generate demo/mooring/swell.toml --to c -o @/firmware --check", 0),
    ("generate @/loose.toml --to c -o @/firmware", 2),
    ("verify @/loose.toml", 2),
    ("verify demo/mooring/swell.toml --beside demo/mooring/swell.toml", 2),
    ("cost demo/modem/ships.toml", 0),
    ("measure demo/modem/burst_up.toml --modulated demo/modem/burst.toml --error-limit -71dB", 0),
    ("measure demo/modem/ships.toml --modulated demo/modem/burst.toml", 2),
    ("cost demo/modem/ships.toml --vary hardware.clock=1", 2),
    ("run demo/mooring/swell.toml demo/mooring/mooring.csv -o @/swell.csv", 0),
    ("run demo/mooring/swell.toml demo/mooring/mooring.csv -o @/swell.csv --zero-phase", 2),
    ("run demo/mooring/swell.toml demo/mooring/mooring.csv -o @/swell.csv --bit-true", 0),
    ("compare demo/mooring/pump_hum.toml demo/breath/breath.toml", 0),
    ("compare @/short.toml demo/breath/breath.toml", 1),
    ("compare demo/mooring/pump_hum.toml @/missing.toml", 2),
    ("sensitivity demo/mooring/pump_hum.toml --trials 20", 0),
    ("sensitivity demo/mooring/pump_hum.toml --share -1", 2),
    ("quantize demo/mooring/pump_hum.toml", 0),
    ("quantize @/coarse.toml", 1),
    ("quantize @/short.toml", 2),
    (
        "signal --rate 1kHz --length 9ms --part kind=\"tone\",frequency=\"87.5Hz\",amplitude=1 -o @/tone.csv",
        0,
    ),
    ("signal --rate 1kHz --length 9ms --part kind=\"tome\" -o @/tone.csv", 2),
    (
        "signal --rate 1kHz --length 9ms --part kind=\"tone\",frequency=\"87.5Hz\",amplitude=1 -o @/no/t.csv",
        2,
    ),
    ("inspect demo/mooring/mooring.csv", 0),
    ("inspect demo/mooring/mooring.csv --mask @/high_mask.csv", 0),
    ("inspect demo/mooring/mooring.csv --mask @/low_mask.csv", 1),
    ("inspect @/missing.csv", 2),
    ("measure demo/mooring/pump_hum.toml --device cat", 0),
    ("measure demo/mooring/pump_hum.toml --device cat --within 1dB", 1),
    ("measure demo/mooring/pump_hum.toml --device @/missing", 2),
    ("measure demo/mooring/pump_hum.toml --device false", 2),
    ("measure demo/modem/carrier_band.toml --modulated %", 0),
    ("measure demo/modem/carrier_band.toml --modulated % --error-limit -200dB", 1),
    ("measure demo/modem/carrier_band.toml --modulated @/missing.toml", 2),
    ("generate demo/mooring/pump_hum.toml --to c -o @/firmware", 0),
    ("generate demo/mooring/pump_hum.toml --to c -o @/firmware --check", 0),
    ("generate demo/mooring/pump_hum.toml --to c,rust -o @/firmware --check", 1),
    ("generate @/missing.toml --to c,rust -o @/firmware --check", 2),
    ("generate demo/mooring/pump_hum.toml --to cobol -o @/firmware", 2),
    ("generate @/short.toml --to c -o @/firmware", 2),
    ("run demo/mooring/pump_hum.toml demo/mooring/mooring.csv -o @/clean.csv", 0),
    ("run demo/breath/breath.toml demo/mooring/mooring.csv -o @/clean.csv", 2),
    ("run demo/mooring/pump_hum.toml demo/mooring/mooring.csv -o @/clean.csv --column sea", 2),
    ("cost demo/modem/carrier_unit.toml", 0),
    ("cost @/parallel.toml", 0),
    ("cost @/slow.toml", 2),
    ("cost @/loadable.toml", 0),
    ("cost @/loadable_parallel.toml", 2),
    ("generate @/loadable.toml --to verilog,vhdl -o @/firmware", 0),
    ("cost demo/mooring/pump_hum.toml", 2),
    ("generate @/parallel.toml --to vhdl -o @/firmware", 0),
    ("demo moorings -o @/demo", 2),
    ("verify @/missing.toml", 2),
    ("verify @/short.toml", 2),
    ("verify demo/mooring/pump_hum.toml --on c --samples 0", 2),
];

/// Calls whose status depends on the tools that are there: with the machine's own, and with none.
const WITH_TOOLS: [(&str, i32, i32); 9] = [
    ("verify demo/mooring/pump_hum.toml", 0, 1),
    ("verify @/strict.toml", 1, 1),
    ("demo mooring -o @/demo", 0, 1),
    ("verify @/parallel.toml --on icarus", 0, 1),
    ("cost demo/modem/carrier_unit.toml --on ice40", 0, 1),
    ("verify demo/mooring/pump_hum.toml --on cortex-m0,rv64", 0, 1),
    ("cost demo/mooring/pump_hum.toml --on cortex-m4", 0, 1),
    // Faster than any iCE40.
    ("cost @/fast.toml --on ice40", 1, 1),
    ("verify demo/mooring/pump_hum.toml --on host", 0, 1),
];

#[test]
fn every_command_ends_with_its_status() {
    let folder = tempfile::tempdir().unwrap();
    write_files(folder.path());
    let place = folder.path().to_str().unwrap();
    let mut ends: BTreeMap<&str, BTreeSet<i32>> = BTreeMap::new();
    let mut hold = |call: &'static str, expected: i32, has_tools: bool| {
        let arguments: Vec<String> =
            call.split(' ').map(|word| word.replace('@', place).replace('%', MODEM)).collect();
        let mut command = mrake();
        command.args(&arguments);
        if !has_tools {
            command.env("PATH", "");
        }
        let (status, out, said) = finish(&mut command);
        assert_eq!(status, expected, "{call} (tools: {has_tools})\n{out}\n{said}");
        // What is wrong is said on stderr; a check that failed stands in the page.
        match status {
            2 => assert!(
                said.lines().any(|line| line.starts_with("mrake: ") || line.starts_with("error: "))
            ),
            1 => assert!(!out.is_empty(), "{call}"),
            _ => {}
        }
        let name = call.split(' ').next().unwrap();
        ends.entry(name).or_default().insert(status);
    };
    for (call, expected) in CALLS {
        hold(call, expected, true);
    }
    for (call, expected, without) in WITH_TOOLS {
        hold(call, expected, true);
        hold(call, without, false);
    }
    // Every command is here; those that check something, with a check that fails.
    let (_, help, _) = run(&["--help"]);
    let commands = help.split("Commands:").nth(1).unwrap().split("Options:").next().unwrap();
    let names = commands.lines().filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    let names: BTreeSet<&str> = names.filter_map(|line| line.split_whitespace().next()).collect();
    for name in names.iter().filter(|name| **name != "help") {
        let found = ends.get(name).unwrap_or_else(|| panic!("{name} is not tried"));
        let (_, help, _) = run(&[name, "--help"]);
        let checks = help.contains("Exit status 1") || *name == "demo";
        let expected = if checks { BTreeSet::from([0, 1, 2]) } else { BTreeSet::from([0, 2]) };
        assert_eq!(*found, expected, "{name}");
    }
}

/// A simulator of an earlier generation is named with what would do, and nothing is said of what it ran.
#[cfg(unix)]
#[test]
fn a_tool_that_is_too_old_is_not_run() {
    use std::os::unix::fs::PermissionsExt;
    for (tool, version, least) in
        [("verilator", "Verilator 4.038 2020-07-11", "5"), ("ghdl", "GHDL 0.37 (v0.37)", "1")]
    {
        let folder = tempfile::tempdir().unwrap();
        let script = folder.path().join(tool);
        std::fs::write(&script, format!("#!/bin/sh\necho '{version}'\n")).unwrap();
        std::fs::set_permissions(&script, std::fs::Permissions::from_mode(0o755)).unwrap();
        let mut command = mrake();
        command.args(["verify", "demo/mooring/pump_hum.toml", "--on", tool]);
        command.env("PATH", folder.path());
        let (status, out, _) = finish(&mut command);
        let said = format!("not run: {version} is too old: {tool} {least} or later is wanted");
        assert!(status == 1 && out.contains(&said), "{status}\n{out}");
        assert!(out.contains("Verdict: not proved"), "{out}");
    }
}
