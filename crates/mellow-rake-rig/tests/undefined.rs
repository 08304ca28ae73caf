//! Abstract interpretation of the generated C: whatever lies in the memory of a filter and whatever comes in,
//! nothing undefined is done. Unlike a sanitizer this sees all values at once.

use crate::filters;
use mellow_rake::datapath::{Checked, dump, fir_direct};
use mellow_rake::fixed::{Overflow, Rounding, WordFormat, round_coefficients};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{CodeGoal, Firmware, Name, Structure, Tune};
use mellow_rake::write::{Symbols, c};
use mellow_rake_rig::{ToolName, run};
use std::fmt::Write;
use std::time::Duration;

use crate::programs::{Sizes, any_program};

/// A constant of C.
fn constant(value: i128) -> String {
    match value {
        value if value == i128::from(i64::MIN) => "(-9223372036854775807LL - 1)".to_owned(),
        value if value > i128::from(i64::MAX) => format!("{value}ULL"),
        value => format!("{value}LL"),
    }
}

/// A statement that gives a place any word of a format.
fn any(place: &str, format: WordFormat) -> String {
    let [low, high] = [format.minimum(), format.maximum()].map(constant);
    let kind = if format.is_signed() { "long_long" } else { "unsigned_long_long" };
    format!("    {place} = Frama_C_{kind}_interval({low}, {high});\n")
}

/// What the value analysis of Frama-C says of one step from any words in the formats of the memory: its
/// alarms.
fn alarms(checked: &Checked, source: &str) -> Vec<String> {
    let folder = tempfile::tempdir().unwrap();
    let header = &c::write(checked, &symbols()).unwrap()[0].text;
    let input = header.split("_step(struct shown *filter, ").nth(1).unwrap();
    let input = input.split(' ').next().unwrap();
    // Every member of the structure as its declaration and the comment beside it have it; the window
    // anywhere.
    let mut states = String::new();
    let members = header.split("struct shown {\n").nth(1).unwrap().split("\n};").next().unwrap();
    for member in members.lines() {
        let (declaration, comment) = member.split_once("; /* ").unwrap();
        let place = declaration.split_whitespace().nth(1).unwrap();
        if place == "at" {
            let after = comment.split("after ").nth(1).unwrap();
            let last = after.split(' ').next().unwrap().parse::<i64>().unwrap() - 1;
            let _ = writeln!(states, "    filter.at = Frama_C_int_interval(0, {last});");
            continue;
        }
        let Ok(format) = comment.split(':').next().unwrap().parse() else { continue };
        let parts: Vec<&str> = place.split(['[', ']']).filter(|part| !part.is_empty()).collect();
        let lengths: Vec<usize> = parts[1..].iter().map(|length| length.parse().unwrap()).collect();
        let (rows, columns) = match lengths[..] {
            [columns] => (vec![String::new()], columns),
            [rows, columns] => ((0..rows).map(|row| format!("[{row}]")).collect(), columns),
            _ => panic!("{member}"),
        };
        for row in rows {
            for k in 0..columns {
                states.push_str(&any(&format!("filter.{}{row}[{k}]", parts[0]), format));
            }
        }
    }
    let word = any("word", checked.input());
    let main = format!(
        "#include \"shown.h\"\n#include \"__fc_builtin.h\"\nint main(void)\n{{\n    static struct shown \
         filter;\n    {input} word;\n{states}{word}    (void)shown_step(&filter, word);\n    return 0;\n}}\n"
    );
    for (name, text) in [("shown.h", header.as_str()), ("shown.c", source), ("main.c", &main)] {
        std::fs::write(folder.path().join(name), text).unwrap();
    }
    let mut analysis = ToolName::FRAMA_C.find().unwrap().command(folder.path());
    analysis.args(["-eva", "-eva-precision", "2", "-eva-auto-loop-unroll", "4096"]);
    analysis.args(["-machdep", "gcc_x86_64"]);
    analysis.args(["shown.c", "main.c"].map(|name| folder.path().join(name)));
    let text = run(&mut analysis, b"", Duration::from_secs(120)).unwrap().text();
    let is_alarm = |line: &&str| line.contains("[eva:alarm]");
    let alarms: Vec<String> = text.lines().filter(is_alarm).map(str::to_owned).collect();
    // Without one the step was followed to its end.
    let is_ended = text.contains("Values at end of function main");
    assert!(text.contains("ANALYSIS SUMMARY") && (is_ended || !alarms.is_empty()), "{text}");
    alarms
}

fn symbols() -> Symbols {
    Symbols::new(&Name::new("shown").unwrap())
}

/// Of every structure, and of programs that no builder makes: without annotations where ranges say all, and
/// else with what the l1 norms prove said beside it.
#[test]
fn generated_c_does_nothing_undefined() {
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(81);
    let mut cases: Vec<(String, Checked)> = Vec::new();
    for structure in Structure::ALL {
        for _ in 0..times {
            let Some(filter) = filters::any_filter(&mut noise, structure) else { continue };
            cases.push((structure.as_str().to_owned(), filter.checked));
        }
    }
    for _ in 0..12 * times {
        if let Ok(checked) = any_program(&mut noise, Sizes::LARGE).check() {
            cases.push((dump(&checked), checked));
        }
    }
    let (mut plain, mut annotated) = (0, 0);
    for (name, checked) in cases {
        // Small as well as fast; and the forms of cores that have their own, without its instructions.
        let number = plain + annotated;
        let goal = CodeGoal::ALL[number % 3].1;
        let tune = [Tune::Portable, Tune::CortexM4, Tune::Avr][number / 3 % 3];
        let firmware = Firmware { goal, tune, ..Firmware::default() };
        // Products beyond 64 bits are refused.
        let Ok(files) = c::write_annotated(&checked, &symbols(), firmware, None) else { continue };
        let source = &files[1].text;
        let found = alarms(&checked, source);
        assert!(found.is_empty(), "{name}\n{}\n{source}", found.join("\n"));
        if source.contains("/*@ admit") {
            annotated += 1;
        } else {
            plain += 1;
        }
    }
    println!("{plain} shown as they are, {annotated} with annotations");
    assert!(plain > 10 && annotated > 1, "{plain} {annotated}");
}

/// A sum in a type that is too short, a shift that is too long, an index beyond the end: each is found.
#[test]
fn what_is_undefined_is_found() {
    let taps = round_coefficients(&[vec![0.9; 8]], "s16f15".parse().unwrap()).unwrap();
    let word = "s16f15".parse().unwrap();
    let filter = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate).unwrap();
    let filter = filter.check().unwrap();
    let source = &c::write(&filter, &symbols()).unwrap()[1].text;
    assert_eq!(alarms(&filter, source), [""; 0]);
    let changes = [
        ("int64_t n2", "int32_t n2"),
        ("k < 8", "k < 9"),
        ("[k + 8]", "[k + 9]"),
        ("_64(n2, 15", "_64(n2, 77"),
    ];
    let mut found = 0;
    for (from, to) in changes {
        if source.contains(from) {
            let changed = source.replace(from, to);
            assert!(!alarms(&filter, &changed).is_empty(), "{from} as {to}\n{changed}");
            found += 1;
        }
    }
    assert!(found >= 4, "{found}\n{source}");
}
