//! Every number, sign, comparison, rounding and limit in the generated text, damaged in turn: each damage is
//! caught, by the compiler, by a sanitizer or by an integer that differs; those that are not are of a few
//! sorts that change nothing, which are named here.

use crate::common::{all_files, notch_row, table, words};
use mellow_rake::Wish;
use mellow_rake::datapath::{Checked, Simulator, direct_form_1, fir_folded};
use mellow_rake::filter::{Form, Taps};
use mellow_rake::fixed::{Overflow, Rounding, WordFormat};
use mellow_rake::float::{FloatFilter, FloatFormat, FloatSimulator, FloatStructure};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{CodeGoal, Firmware, Name, Tune};
use mellow_rake::write::{GeneratedFile, Language, Symbols, c, rust};
use mellow_rake_rig::{Device, Program, Target, ToolName, run};
use std::collections::BTreeMap;
use std::sync::Mutex;
use std::time::Duration;

fn filters() -> Vec<(&'static str, Checked)> {
    let saturate = Overflow::Saturate;
    let rows = [notch_row(0.1, 0.05), notch_row(0.2, 0.1)];
    let one = words("s8f7", "s8f7", Rounding::HalfEven, saturate);
    let notch = direct_form_1(&table(&rows[..1], "s8"), one).unwrap();
    let two = words("s9f8", "s9f8", Rounding::TowardZero, Overflow::Wrap);
    let cascade = direct_form_1(&table(&rows, "s9"), two).unwrap();
    let half = [0.05, -0.1, 0.2, 0.3, -0.25, 0.15];
    let taps: Vec<f64> = half.iter().chain(&[0.8]).chain(half.iter().rev()).copied().collect();
    let (input, output) = ("s7f6".parse().unwrap(), "s7f6".parse().unwrap());
    let taps = table(&[taps], "s8");
    let folded = fir_folded(&taps, input, output, Rounding::HalfAway, saturate).unwrap();
    let named = [("notch", notch), ("cascade", cascade), ("folded", folded)];
    named.map(|(name, program)| (name, program.check().unwrap())).into()
}

/// A filter with its text, what goes in, and what must come out.
struct Case {
    name: &'static str,
    formats: [WordFormat; 2],
    files: Vec<GeneratedFile>,
    /// Each from the beginning: what the first samples do not show another begins with.
    signals: Vec<[Vec<i64>; 2]>,
    targets: &'static [(Target, &'static str)],
}

const ALL_TARGETS: [(Target, &str); 4] =
    [(Target::HostC, ".c"), (Target::Rust, ".rs"), (Target::Icarus, ".v"), (Target::Ghdl, ".vhd")];

fn cases() -> Vec<Case> {
    let mut noise = NoiseSource::new(91);
    let mut cases = Vec::new();
    for (name, checked) in filters() {
        let format = checked.input();
        let [low, high] = [format.minimum(), format.maximum()].map(|end| end as i64);
        // Noise, the ends of the range in every order, silence.
        let input: Vec<i64> = (0..4_000)
            .map(|n| match n {
                0..3_000 => noise.integer(low, high),
                3_000..3_900 => [low, high][noise.integer(0, 1) as usize],
                _ => 0,
            })
            .collect();
        // C in a form that has no parts that this compiler leaves out.
        let goal = if name == "cascade" { CodeGoal::Size } else { CodeGoal::Speed };
        let firmware = Firmware { goal, tune: Tune::Host, ..Firmware::default() };
        let symbols = Symbols::new(&Name::new(name).unwrap());
        let mut files = c::write_for(&checked, &symbols, firmware, None).unwrap();
        files.extend(
            all_files(&checked, name).into_iter().filter(|file| file.language != Language::C),
        );
        cases.push(Case {
            name,
            formats: [format, checked.output()],
            files,
            signals: beginnings(input, |input| Simulator::new(&checked).run(input)),
            targets: &ALL_TARGETS,
        });
    }
    // In floating point: two sections in each form, and taps.
    let lowpass = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).filter().unwrap();
    let word = "s64f0".parse().unwrap();
    for (name, form, structure) in [
        ("transposed", &lowpass, FloatStructure::DirectForm2Transposed),
        ("direct", &lowpass, FloatStructure::DirectForm1),
        ("taps", &Form::Taps(Taps(vec![0.3, -0.2, 0.7, 0.1, 0.5])), FloatStructure::FirDirect),
    ] {
        let format = FloatFormat::Single;
        let filter = FloatFilter::new(form, format, structure).unwrap();
        let input: Vec<f64> = (0..2_000)
            .map(|_| format.nearest(noise.integer(-1_000_000, 1_000_000) as f64 / 1e6))
            .collect();
        let bits = |all: &[f64]| all.iter().map(|value| format.bits(*value)).collect();
        let run = |input: &[i64]| {
            let numbers: Vec<f64> = input.iter().map(|bits| format.number(*bits)).collect();
            bits(&FloatSimulator::new(&filter).run(&numbers))
        };
        let symbols = Symbols::new(&Name::new(name).unwrap());
        let mut files = c::write_float(&filter, &symbols);
        files.extend(rust::write_float(&filter, &symbols));
        let (signals, targets) = (beginnings(bits(&input), run), &ALL_TARGETS[..2]);
        cases.push(Case { name, formats: [word; 2], files, signals, targets });
    }
    cases
}

/// A signal, and some that begin in the middle of it, with what must come out.
fn beginnings(input: Vec<i64>, run: impl Fn(&[i64]) -> Vec<i64>) -> Vec<[Vec<i64>; 2]> {
    let parts = [&input[..], &input[100..160], &input[205..260], &input[333..390]];
    parts.map(|part| [part.to_vec(), run(part)]).into()
}

/// A damage: where it is, how long, and what stands there instead.
type Damage = (usize, usize, String);

/// All damages of a text, outside of its comments.
fn damages(text: &str) -> Vec<Damage> {
    let bytes = text.as_bytes();
    let mut all = Vec::new();
    let is_word = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'_';
    let mut at = 0;
    while at < bytes.len() {
        let rest = &text[at..];
        let comment = [("/*", "*/"), ("//", "\n"), ("-- ", "\n"), ("#", "\n")];
        if let Some((_, end)) = comment.iter().find(|(start, _)| rest.starts_with(start)) {
            at += rest.find(end).map_or(rest.len(), |found| found + end.len());
            continue;
        }
        let length = rest.bytes().take_while(|byte| is_word(*byte)).count();
        let word = &rest[..length];
        let before = at.checked_sub(1).map_or(b' ', |before| bytes[before]);
        if length > 0 {
            if before == b'\'' && word.starts_with('h') {
                // 16'h3e05: the last digit.
                let digit = word[length - 1..].to_owned();
                let value = u8::from_str_radix(&digit, 16).unwrap();
                all.push((at + length - 1, 1, format!("{:x}", value ^ 1)));
            } else if let Ok(value) = word.parse::<i64>() {
                all.push((at, length, (value + 1).to_string()));
                if value > 0 {
                    all.push((at, length, (value - 1).to_string()));
                }
            }
            for (from, to) in [("half_even", "half_away"), ("half_away", "floor"), ("clamp", "max")]
            {
                if let Some(found) = word.find(from) {
                    all.push((at + found, from.len(), to.to_owned()));
                }
            }
            at += length;
            continue;
        }
        let signs = [
            (" += ", " -= "),
            (" -= ", " += "),
            (" + ", " - "),
            (" - ", " + "),
            (" < ", " <= "),
            (" > ", " >= "),
            (" && ", " || "),
            (" || ", " && "),
            (" == ", " != "),
            (" & ", " | "),
            ("!(", "("),
        ];
        if let Some((from, to)) = signs.iter().find(|(from, _)| rest.starts_with(from)) {
            all.push((at, from.len(), (*to).to_owned()));
        }
        at += rest.chars().next().map_or(1, char::len_utf8);
    }
    all
}

/// The function of Rust that works in place: the programs for pipes do not call it, random filters do.
fn in_place(text: &str) -> std::ops::Range<usize> {
    let Some(begin) = text.find("pub fn block_in_place") else { return 0..0 };
    begin..text[begin..].find("\n    }\n").map_or(text.len(), |length| begin + length)
}

/// Runs damaged files: what came out, or why nothing did.
fn outcome(target: Target, case: &Case, files: &[GeneratedFile]) -> &'static str {
    let Case { formats: [from, to], signals, .. } = case;
    let program = match target {
        Target::HostC => {
            // What is read beyond an array is an error as well.
            let flags = ["-std=c99", "-O0", "-Wall", "-Wextra", "-Wconversion", "-Werror"];
            let checks =
                ["-fsanitize=address,undefined,bounds-strict", "-fno-sanitize-recover=all"];
            // As a compiler has it whose shifts lose the sign: that is the longer way.
            let way = ["-DMELLOW_RAKE_SHIFTS_KEEP_THE_SIGN=0"];
            let flags = [&flags[..], &checks, &way].concat();
            Some(Program::c_with(ToolName::GCC.find().unwrap(), &flags, files))
        }
        Target::Rust => Some(Program::rust(files)),
        _ => None,
    };
    match program {
        Some(Err(_)) => return "refused",
        // Blocks that begin anywhere in a memory.
        Some(Ok(program)) => {
            return first_of(signals, |input, expected| {
                let (blocks, steps) = (program.run(input, 23).ok()?, program.run(input, 0).ok()?);
                Some(blocks == expected && steps == expected)
            });
        }
        None => {}
    }
    match Device::build(target, files, *from, *to) {
        Err(_) => "refused",
        Ok(device) => first_of(signals, |input, expected| {
            let answers = device.run(input, expected).ok()?;
            Some(answers.iter().all(|answer| {
                answer.words == expected && answer.own_mismatches.is_none_or(|count| count == 0)
            }))
        }),
    }
}

/// What the first signal shows that shows something; each run tells whether all was as expected, or nothing
/// where it did not end.
fn first_of(
    signals: &[[Vec<i64>; 2]],
    run: impl Fn(&[i64], &[i64]) -> Option<bool>,
) -> &'static str {
    for [input, expected] in signals {
        match run(input, expected) {
            None => return "stopped",
            Some(false) => return "different",
            Some(true) => {}
        }
    }
    "equal"
}

/// Why a damage of this line changes nothing; `None` where it has to be caught. `shown` is the line with the
/// damage in it.
fn excuse(
    target: Target,
    line: &str,
    shown: &str,
    (from, to): (&str, &str),
) -> Option<&'static str> {
    let is_smaller = from.parse::<i64>().is_ok_and(|from| to.parse() == Ok(from - 1));
    let is_larger = from.parse::<i64>().is_ok_and(|from| to.parse() == Ok(from + 1));
    let has = |part: &str| line.contains(part);
    let is_end = is_smaller || [" <= ", " >= "].contains(&to);
    match target {
        Target::Icarus if has("out_data <= ") => Some("it means nothing while out_valid is low"),
        // No coefficient here is the lowest of its format, and no sum needs its highest bit.
        Target::Icarus if shown.contains("]}}, n") && has("_p") && is_smaller => {
            Some("the two highest bits of the product are alike")
        }
        Target::Icarus if shown.contains("~n2[⟨") || has("n4 = (n3[") => {
            Some("the two highest bits of the word are alike")
        }
        Target::Icarus if shown.contains("⟩'d0, (") && is_smaller => Some("zeros stand in front"),
        Target::Icarus if shown.contains("reg [⟨") && is_larger => {
            Some("a bit that nothing reads")
        }
        Target::Icarus => None,
        Target::Ghdl if has("out_data <= (") => Some("it means nothing while out_valid is low"),
        Target::Ghdl if has("if n3 ") => Some("the end of the range limits to itself"),
        Target::Ghdl if shown.contains("resize(") && is_smaller => {
            Some("the shorter operand of a sum is extended")
        }
        Target::Ghdl if has("_memory is array") && is_larger => {
            Some("an element more, which nothing reads")
        }
        Target::Ghdl if shown.contains("signed(⟨") && is_larger => {
            Some("a bit that nothing reads")
        }
        Target::Ghdl if has("/= 0 or n2(") && is_smaller => {
            Some("the two highest bits of the word are alike")
        }
        Target::Ghdl => None,
        _ if has("const int8_t n4") && has("(int8_t)(n3") && is_end => {
            Some("the end of the range limits to itself")
        }
        _ if has("static const") && is_larger => Some("an element more, which nothing reads"),
        _ if shown.contains("k + ⟨") && has("<= now; k +=") && is_larger => {
            Some("more outputs are made one by one")
        }
        _ if shown.contains("k += ⟨") && has("<= now; k +=") && is_smaller => {
            Some("some outputs are made twice")
        }
        _ if has("KEEP_THE_SIGN || ") && to == " && " => Some("either way is right here"),
        _ if has("~(~word >> shift)") && (is_larger || to == " <= ") => Some("0 rounds down to 0"),
        _ if has("word < 0 && ") && (is_larger || to == " <= ") => Some("0 has no rest"),
        _ if has("word >= 0)") && is_larger => Some("0 has no rest of one half"),
        _ if shown.contains("0.⟨") && single(from) == single(to) => {
            Some("the same number in f32")
        }
        _ if has("let at = self.at.min(") && is_larger => Some("it is never larger"),
        _ if has("const int now = count < ") && to == " <= " => Some("the smaller of two alike"),
        _ if has(".zip(") && !is_smaller || has(".rev()") => Some("the shortest ends the loop"),
        _ => None,
    }
}

/// The number of single precision with these digits behind the point.
fn single(digits: &str) -> Option<f32> {
    format!("0.{digits}").parse().ok()
}

/// What a lint of Verilog says about a damaged module: widths that do not fit each other.
fn is_clean(files: &[GeneratedFile], file: usize) -> bool {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join(&files[file].name), &files[file].text).unwrap();
    let mut lint = ToolName::VERILATOR.find().unwrap().command(folder.path());
    lint.args(["--lint-only", "-Wall", "--language", "1364-2005", &files[file].name]);
    run(&mut lint, b"", Duration::from_secs(60)).is_ok_and(|found| found.messages.trim().is_empty())
}

#[test]
fn every_damage_is_caught_or_changes_nothing() {
    let cases = cases();
    let mut work = Vec::new();
    for (index, Case { name, files, targets, .. }) in cases.iter().enumerate() {
        for (target, ending) in *targets {
            let file =
                files.iter().position(|file| file.name == format!("{name}{ending}")).unwrap();
            let text = &files[file].text;
            let aside = in_place(text);
            for damage in damages(text).into_iter().filter(|damage| !aside.contains(&damage.0)) {
                work.push((index, *target, file, damage));
            }
        }
    }
    // One in so many by every test run, all of them by the campaign.
    let share = if std::env::var("MELLOW_RAKE_CAMPAIGN").is_ok() { 1 } else { 24 };
    let mut work: Vec<_> = work.into_iter().step_by(share).collect();
    work.reverse();
    let total = work.len();
    let queue = Mutex::new(work);
    let found = Mutex::new((BTreeMap::new(), Vec::new()));
    std::thread::scope(|scope| {
        for _ in 0..2 {
            scope.spawn(|| {
                loop {
                    let Some((case, target, file, (at, length, to))) = queue.lock().unwrap().pop()
                    else {
                        return;
                    };
                    let case = &cases[case];
                    let mut files = case.files.clone();
                    let text = &files[file].text;
                    let line = text[..at].rfind('\n').map_or(0, |before| before + 1);
                    let end = at + text[at..].find('\n').unwrap();
                    let (whole, from) =
                        (text[line..end].to_owned(), text[at..at + length].to_owned());
                    let (left, right) = (&text[line..at], &text[at + length..end]);
                    let shown = format!("{left}⟨{from} → {to}⟩{right}");
                    files[file].text.replace_range(at..at + length, &to);
                    let mut outcome = outcome(target, case, &files);
                    if outcome == "equal" && target == Target::Icarus && !is_clean(&files, file) {
                        outcome = "refused by the lint";
                    }
                    let excuse = excuse(target, &whole, &shown, (&from, &to));
                    if outcome == "equal"
                        && let Some(why) = excuse
                    {
                        outcome = why;
                    }
                    let mut found = found.lock().unwrap();
                    *found.0.entry((target.as_str(), outcome)).or_insert(0) += 1;
                    if outcome == "equal" {
                        found.1.push(format!("{} {}: {shown}", case.name, target.as_str()));
                    }
                }
            });
        }
    });
    let (counts, mut survivors) = found.into_inner().unwrap();
    survivors.sort();
    println!("{total} damages: {counts:?}");
    assert!(total > 1_000 / share, "{total}");
    assert!(survivors.is_empty(), "{} survive:\n{}", survivors.len(), survivors.join("\n"));
}
