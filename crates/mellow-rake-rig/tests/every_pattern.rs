//! Small units with every sample, every gap and every pause at once: what is written against the filter in
//! one clock, in the solver of a synthesizer. It shares no code with the scheduler, the machine or a
//! simulator.

use mellow_rake::Wish;
use mellow_rake::fixed::Overflow;
use mellow_rake::hardware::HardwareUnit;
use mellow_rake::spec::{Architecture, Fixed, Hardware, Interface, Structure};
use mellow_rake::study::Study;
use mellow_rake::write::{GeneratedFile, Symbols, verilog};
use mellow_rake_rig::ToolName;

/// The unit and the filter in one clock get the same samples; what the unit gives is what is owed, oldest
/// first, it stands until it is taken, and no sample waits for longer than `patience` while outputs are
/// taken. What is written to coefficients that are not in use changes nothing.
fn miter(study: &Study, unit: &HardwareUnit, patience: usize) -> String {
    let width = study.spec.fixed.unwrap().input.width();
    let waits = unit.resources().interface.waits();
    let taken = if waits { "out_ready" } else { "1'b1" };
    let mut ports = String::new();
    if waits {
        ports.push_str(", .out_ready(out_ready)");
    }
    if let Some(map) = &unit.flow().load_map {
        ports.push_str(&format!(
            ", .load_write(load_write && load_address[{0}:0] != {1}), .load_address(load_address[{0}:0]), \
             .load_data(load_data[{2}:0]), .load_pending(pending)",
            map.address_bits - 1,
            map.switch_address,
            map.data_bits - 1,
        ));
    }
    format!(
        "module miter (input clk, input in_valid, input [{high}:0] in_data, input out_ready,
    input load_write, input [7:0] load_address, input [7:0] load_data);
    reg started = 1'b0;
    always @(posedge clk) started <= 1'b1;
    wire rst = !started;
    wire in_ready, out_valid, known, pending;
    wire [{high}:0] out_data, word;
    device unit (.clk(clk), .rst(rst), .in_valid(in_valid), .in_ready(in_ready), .in_data(in_data),
        .out_valid(out_valid), .out_data(out_data){ports});
    wire takes = started && in_valid && in_ready;
    plain plain (.clk(clk), .rst(rst), .in_valid(takes), .in_data(in_data), .out_valid(known),
        .out_data(word));
    reg [{all}:0] owed = 0;
    reg [3:0] count = 0;
    wire gives = started && out_valid && {taken};
    wire [{all}:0] kept = gives ? owed >> {width} : owed;
    wire [3:0] left = gives ? count - 4'd1 : count;
    wire [{all}:0] newest = word;
    reg stood = 1'b0;
    reg [{high}:0] standing = 0;
    reg [7:0] waited = 0;
    always @(posedge clk) begin
        if (started) begin
            owed <= known ? kept | (newest << (left * {width})) : kept;
            count <= known ? left + 4'd1 : left;
        end
        stood <= started && out_valid && !{taken};
        standing <= out_data;
        waited <= started && in_valid && !in_ready && {taken} ? waited + 8'd1 : 8'd0;
    end
    always @* if (started) begin
        if (out_valid) assert (count != 0);
        if (out_valid) assert (out_data == owed[{high}:0]);
        if (stood) assert (out_valid && out_data == standing);
        assert (waited <= {patience});
    end
endmodule
",
        high = width - 1,
        all = 8 * width - 1,
    )
}

/// What the solver says of the first clocks.
fn solved(files: &[GeneratedFile], miter: &str, clocks: usize, cleared: bool) -> String {
    let yosys = ToolName::YOSYS.find().expect("Yosys is among the tools of the tests");
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("miter.v"), miter).unwrap();
    let mut names = vec!["miter.v".to_owned()];
    for file in files.iter().filter(|file| !file.name.ends_with("_tb.v")) {
        std::fs::write(folder.path().join(&file.name), &file.text).unwrap();
        names.push(file.name.clone());
    }
    // A reset makes everything of whatever was there, or it leaves the memory, which is zero at power-up.
    let start = if cleared { "-set-init-def" } else { "-set-init-zero" };
    let script = format!(
        "read_verilog -formal {}; prep -top miter -flatten; memory_map; opt -full; clean; sat -enable_undef \
         -set-def-inputs -tempinduct -tempinduct-baseonly -prove-asserts {start} -maxsteps {clocks} miter",
        names.join(" ")
    );
    let output = yosys.command(folder.path()).args(["-p", &script]).output().unwrap();
    String::from_utf8_lossy(&output.stdout).into_owned()
}

fn small(structure: Structure, hardware: Hardware) -> Study {
    let mut words = Fixed::new(structure, "s3f2".parse().unwrap());
    words.coefficients.width = 4;
    words.overflow = Overflow::Saturate;
    let wish = match structure {
        Structure::FirDirect => Wish::taps("1 kHz", [0.25, 0.5, -0.375]),
        // Each section on a multiplier of its own.
        _ if hardware.multipliers == Some(2) => Wish::sections(
            "1 kHz",
            [[0.5, 0.0, 0.0, 1.0, -0.5, 0.0], [0.75, 0.0, 0.0, 1.0, 0.25, 0.0]],
        ),
        _ => Wish::lowpass("1 kHz").cutoff("200 Hz").butterworth(2),
    };
    wish.words(words).hardware(hardware).study().unwrap()
}

/// Solves the first clocks of a unit, and those of one that is damaged.
fn hold(structure: Structure, hardware: Hardware, clocks: usize) {
    let study = small(structure, hardware);
    let checked = &study.integers().unwrap().checked;
    let unit = &study.hardware().unwrap().unwrap().unit;
    let name = |name: &str| Symbols::new(&mellow_rake::spec::Name::new(name).unwrap());
    let mut files = verilog::write(checked, &name("plain")).unwrap();
    files.extend(match unit {
        HardwareUnit::Serial(unit) => {
            verilog::write_scheduled(unit, checked, &name("device")).unwrap()
        }
        HardwareUnit::Staged(staged) => {
            verilog::write_staged(staged, checked, &name("device")).unwrap()
        }
        HardwareUnit::Parallel(chain) => verilog::write_parallel(chain, checked, &name("device")),
    });
    // While the memory is cleared, while a sample is worked on, until its result has gone.
    let patience = 8 * usize::from(hardware.clears_memory) + unit.interval() + unit.latency();
    let miter = miter(&study, unit, patience);
    let said = solved(&files, &miter, clocks, hardware.clears_memory);
    let proved = format!("proved base case for {clocks} steps: SUCCESS");
    let tail = &said[said.len().saturating_sub(3_000)..];
    assert!(said.contains(&proved), "{structure:?} {hardware:?}\n{miter}\n{tail}");
    // A unit that takes another sample than it was given is found out.
    let is_device = |file: &&mut GeneratedFile| file.name.starts_with("device");
    let text = &mut files.iter_mut().find(is_device).unwrap().text;
    let damaged = text.replacen("<= in_data;", "<= ~in_data;", 1);
    assert_ne!(*text, damaged, "{text}");
    *text = damaged;
    let said = solved(&files, &miter, clocks, hardware.clears_memory);
    assert!(said.contains("FAIL"), "{}", &said[said.len().saturating_sub(2_000)..]);
}

const WAITING: Interface = Interface::ValidReady;

#[test]
fn sections_give_what_is_owed_whatever_the_traffic() {
    let waiting = Hardware { interface: WAITING, ..Hardware::default() };
    hold(Structure::DirectForm1, waiting, 24);
    hold(Structure::DirectForm1, Hardware { clears_memory: false, ..waiting }, 17);
}

#[test]
fn units_one_behind_the_other_give_what_is_owed_whatever_the_traffic() {
    let keeps = Hardware { clears_memory: false, interface: WAITING, ..Hardware::default() };
    hold(Structure::DirectForm1, Hardware { multipliers: Some(2), ..keeps }, 26);
}

#[test]
fn taps_give_what_is_owed_whatever_the_traffic() {
    let taps = Hardware { multipliers: Some(2), ..Hardware::default() };
    hold(Structure::FirDirect, taps, 20);
    // What is written to coefficients that are not in use changes nothing.
    let loaded = Hardware { loads_coefficients: true, clears_memory: false, ..taps };
    hold(Structure::FirDirect, loaded, 16);
}

#[test]
fn a_chain_gives_what_is_owed_whatever_the_traffic() {
    let architecture = Some(Architecture::Parallel);
    let chain = Hardware { architecture, interface: WAITING, ..Hardware::default() };
    hold(Structure::FirDirect, chain, 10);
}

/// Sums of products in words of 32 bits, rounded half up, with no limit behind them: that their results fit
/// three bits is asserted. `b` meets samples, `a` what was given before, and is subtracted.
fn without_limit(b: &[i64], a: &[i64], dropped: u32) -> String {
    let line = |stem: &str, count: usize| -> String {
        (1..=count).map(|age| format!("    reg signed [31:0] {stem}{age} = 0;\n")).collect()
    };
    let shifted = |stem: &str, count: usize, newest: &str| -> String {
        let from =
            |age: usize| if age == 1 { newest.to_owned() } else { format!("{stem}{}", age - 1) };
        (1..=count)
            .map(|age| format!("            {stem}{age} <= rst ? 0 : {};\n", from(age)))
            .collect()
    };
    let products = b.iter().enumerate().map(|(age, c)| match age {
        0 => format!("({c}) * x"),
        age => format!("({c}) * x{age}"),
    });
    let fed_back = a.iter().enumerate().map(|(age, c)| format!("({}) * y{}", -c, age + 1));
    let sum: Vec<String> = products.chain(fed_back).collect();
    format!(
        "module plain (input clk, input rst, input in_valid, input [2:0] in_data,
    output reg out_valid, output reg [2:0] out_data);
{lines}    wire signed [31:0] x = {{{{29{{in_data[2]}}}}, in_data}};
    wire signed [31:0] y = ({sum} + {half}) >>> {dropped};
    always @(posedge clk) begin
        out_valid <= in_valid && !rst;
        out_data <= y[2:0];
        if (rst || in_valid) begin
{moves}        end
    end
    always @* if (in_valid && !rst) assert (y >= -4 && y <= 3);
endmodule
",
        lines = line("x", b.len() - 1) + &line("y", a.len()),
        sum = sum.join(" + "),
        half = 1 << (dropped - 1),
        moves = shifted("x", b.len() - 1, "x") + &shifted("y", a.len(), "y"),
    )
}

/// Where it is proved that nothing overflows nothing is limited, and nothing overflows: held against sums
/// that have room for everything, for every sample and every traffic of so many clocks.
#[test]
fn limits_that_are_proved_idle_never_act() {
    let words = |structure| {
        let mut words = Fixed::new(structure, "s3f2".parse().unwrap());
        words.coefficients = "s4f3".parse().unwrap();
        words.overflow = Overflow::Forbid;
        words
    };
    let section = Wish::sections("1 kHz", [[0.25, 0.25, 0.0, 1.0, -0.25, 0.0]]);
    let taps = Wish::taps("1 kHz", [0.25, 0.25, -0.25]);
    let cases = [(section, Structure::DirectForm1, 19), (taps, Structure::FirDirect, 18)];
    for (wish, structure, clocks) in cases {
        let hardware = Hardware { clears_memory: false, ..Hardware::default() };
        let study = wish.words(words(structure)).hardware(hardware).study().unwrap();
        let integers = study.integers().unwrap();
        let coefficients = &integers.checked.datapath().tables[0].rows[0];
        let (b, a) = coefficients.split_at(3);
        let unit = &study.hardware().unwrap().unwrap().unit;
        let HardwareUnit::Serial(scheduled) = unit else { panic!("on one multiplier") };
        let name = Symbols::new(&mellow_rake::spec::Name::new("device").unwrap());
        let device = verilog::write_scheduled(scheduled, &integers.checked, &name).unwrap();
        let with = |b: &[i64]| {
            let text = without_limit(b, a, 3);
            let own = GeneratedFile { name: "plain.v".to_owned(), text, ..device[0].clone() };
            let files = [&[own], &device[..]].concat();
            let miter = miter(&study, unit, unit.interval() + unit.latency());
            solved(&files, &miter, clocks, false)
        };
        let said = with(b);
        let proved = format!("proved base case for {clocks} steps: SUCCESS");
        let tail = &said[said.len().saturating_sub(2_000)..];
        assert!(said.contains(&proved), "{structure:?} {coefficients:?}\n{tail}");
        // More gain would not fit, and it is the limit that says so: here no unit is held against it.
        let alone = "module miter (input clk, input in_valid, input [2:0] in_data);
    reg started = 1'b0;
    always @(posedge clk) started <= 1'b1;
    plain plain (.clk(clk), .rst(!started), .in_valid(in_valid), .in_data(in_data));
endmodule
";
        let larger: Vec<i64> = b.iter().map(|c| 2 * c).collect();
        for (b, verdict) in [(b, "SUCCESS"), (&larger[..], "FAIL")] {
            let text = without_limit(b, a, 3);
            let own = GeneratedFile { name: "plain.v".to_owned(), text, ..device[0].clone() };
            assert!(solved(&[own], alone, 8, false).contains(verdict), "{structure:?} {b:?}");
        }
    }
}
