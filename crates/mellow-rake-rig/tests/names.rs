//! Every name that the headers and compilers of this machine know, given to a filter.

use mellow_rake::datapath::fir_direct;
use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
use mellow_rake::spec::Name;
use mellow_rake::write::{Symbols, c, rust, verilog, vhdl};
use mellow_rake_rig::{Tool, ToolName, run};
use std::collections::BTreeSet;
use std::fmt::Write;
use std::path::Path;
use std::time::Duration;

/// Headers of ISO C and of POSIX; those that C++ takes, too.
const HEADERS: [&str; 38] = [
    "assert",
    "ctype",
    "errno",
    "fenv",
    "float",
    "inttypes",
    "iso646",
    "limits",
    "locale",
    "math",
    "setjmp",
    "signal",
    "stdarg",
    "stdbool",
    "stddef",
    "stdint",
    "stdio",
    "stdlib",
    "string",
    "time",
    "uchar",
    "wchar",
    "wctype",
    "aio",
    "dirent",
    "fcntl",
    "mqueue",
    "netinet/in",
    "poll",
    "pthread",
    "sched",
    "search",
    "semaphore",
    "spawn",
    "termios",
    "unistd",
    "sys/socket",
    "sys/stat",
];
/// Those that only C has.
const OF_C: [&str; 5] = ["complex", "stdalign", "stdatomic", "stdnoreturn", "threads"];

fn headers(all: &[&str]) -> String {
    all.iter().fold(String::new(), |mut text, name| {
        let _ = writeln!(text, "#include <{name}.h>");
        text
    })
}

fn output(tool: &Tool, folder: &Path, arguments: &[&str]) -> (bool, String, String) {
    let mut command = tool.command(folder);
    command.env("LC_ALL", "C");
    command.args(arguments);
    match run(&mut command, b"", Duration::from_secs(120)) {
        Ok(found) => (true, String::from_utf8_lossy(&found.output).into_owned(), found.messages),
        Err(error) => (false, String::new(), error.to_string()),
    }
}

/// Words of a text that a filter could be called.
fn names(text: &str) -> BTreeSet<String> {
    text.split(|c: char| !(c.is_ascii_alphanumeric() || c == '_'))
        .filter(|word| Name::new(word).is_ok())
        .map(str::to_owned)
        .collect()
}

/// What a header of ours declares, a line for each name.
fn declarations(all: impl Iterator<Item = String>) -> String {
    let unique: BTreeSet<String> = all.collect();
    unique.iter().fold(String::new(), |mut text, n| {
        let _ = writeln!(
            text,
            "struct {n} {{ int a; }}; void {n}_init(struct {n} *f); int {n}_step(struct {n} *f, int i); \
             void {n}_block(struct {n} *f, const int *i, int *o, int c);"
        );
        text
    })
}

/// All that the headers and the compiler say before a line of ours: no name of a filter that is made of it
/// falls together with any of that, in C and in C++. As they are, many would.
#[test]
fn names_of_headers_and_compilers_are_left_alone() {
    let folder = tempfile::tempdir().unwrap();
    let folder = folder.path();
    let compilers = [
        (ToolName::GCC, "c", &["-x", "c", "-std=gnu17"][..]),
        (ToolName::CLANG, "c", &["-x", "c", "-std=gnu17"]),
        (ToolName::GXX, "c++", &["-x", "c++", "-std=gnu++20"]),
    ];
    for (name, language, options) in compilers {
        let tool = name.find().unwrap();
        let mut top = headers(&HEADERS);
        if language == "c" {
            top.push_str(&headers(&OF_C));
        }
        std::fs::write(folder.join("top.h"), &top).unwrap();
        let with = |more: &[&'static str]| -> Vec<&str> {
            options.iter().copied().chain(["-D_GNU_SOURCE"]).chain(more.iter().copied()).collect()
        };
        let (_, text, _) = output(&tool, folder, &with(&["-E", "-P", "top.h"]));
        let (_, macros, _) = output(&tool, folder, &with(&["-E", "-dM", "top.h"]));
        let mut all = names(&text);
        all.extend(macros.lines().filter_map(|line| line.split([' ', '(']).nth(1)).flat_map(names));
        assert!(
            all.len() > 1_500 && all.contains("linux") && all.contains("size_t"),
            "{}",
            all.len()
        );
        let safe_name = |name: &String| Symbols::new(&Name::new(name).unwrap()).base().to_owned();
        let both = [declarations(all.iter().map(safe_name)), declarations(all.iter().cloned())];
        let compiled = both.map(|text| {
            std::fs::write(folder.join("all.h"), format!("#include \"top.h\"\n{text}")).unwrap();
            output(&tool, folder, &with(&["-fsyntax-only", "all.h"]))
        });
        let [safe, bare] = compiled;
        let text = declarations(all.iter().map(safe_name));
        let said = safe.2.lines().filter_map(|line| line.trim().strip_prefix("all.h:"));
        let lines = said.filter_map(|line| line.split(':').next()?.parse::<usize>().ok());
        let taken: BTreeSet<&str> = lines
            .filter_map(|line| text.lines().nth(line.checked_sub(2)?)?.split(' ').nth(1))
            .collect();
        assert!(safe.0, "{}: {taken:?}\n{}", tool.program(), safe.2);
        assert!(!bare.0, "{}: nothing here could have failed", tool.program());
        println!("{}: {} names", tool.version(), all.len());
    }
}

/// The same for whole files: names out of the generated text itself, of the languages, of simulators and of
/// files that compilers look for.
#[test]
fn every_second_difficult_name_compiles() {
    compile_names(0);
}

#[test]
fn every_other_difficult_name_compiles() {
    compile_names(1);
}

/// Every second of the difficult names, from the first or the second on: half a minute's work each.
fn compile_names(from: usize) {
    let taps = round_coefficients(&[vec![0.5, -0.25, 0.125]], "s16".parse().unwrap()).unwrap();
    let word = "s16f15".parse().unwrap();
    let filter = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate).unwrap();
    let checked = filter.check().unwrap();
    let [gcc, gxx, rustc, verilator, iverilog, ghdl] = [
        ToolName::GCC,
        ToolName::GXX,
        ToolName::RUSTC,
        ToolName::VERILATOR,
        ToolName::IVERILOG,
        ToolName::GHDL,
    ]
    .map(|name| name.find().unwrap());
    let names = [
        "x",
        "y",
        "h",
        "k",
        "n0",
        "taps",
        "section",
        "filter",
        "input",
        "output",
        "count",
        "i",
        "give",
        "main",
        "std",
        "linux",
        "unix",
        "typeof",
        "int16_t",
        "size_t",
        "features",
        "stdint",
        "math",
        "unistd",
        "sem",
        "mtx",
        "atomic",
        "pthread_mutex",
        "stat",
        "tm",
        "group",
        "errno",
        "clk",
        "rst",
        "in_valid",
        "dut",
        "bench",
        "logic",
        "module",
        "reg",
        "mellow_rake_floor_64",
        "top",
        "vl",
        "co_await",
        "concept",
        "char8_t",
        "typeof_unqual",
        "final",
        "import",
        "fn",
        "match",
        "crate",
        "super",
        "self",
        "r",
        "c",
        "w",
        "i16",
        "u8",
        "core",
        "alloc",
        "default",
        "clone",
        "debug",
        "copy",
        "iterator",
        "new",
        "step",
        "block",
        "half_up_64",
        "entity",
        "signal",
        "range",
        "process",
        "work",
        "ieee",
        "rtl",
        "std_logic",
        "signed",
        "resize",
        "natural",
        "integer",
        "string",
        "line",
        "entry",
        "fed",
        "stimulus",
        "x_memory",
        "taps_table",
        "taps_table_words",
        "feed",
        "rising_edge",
        "shift_left",
        "endfile",
        "finish",
        "to_signed",
    ];
    for name in names.into_iter().skip(from).step_by(2) {
        let symbols = Symbols::new(&Name::new(name).unwrap());
        let base = symbols.base();
        let folder = tempfile::tempdir().unwrap();
        let mut files = c::write(&checked, &symbols).unwrap();
        files.extend(rust::write(&checked, &symbols).unwrap());
        files.extend(verilog::write(&checked, &symbols).unwrap());
        files.extend(vhdl::write(&checked, &symbols).unwrap());
        for file in &files {
            std::fs::write(folder.path().join(&file.name), &file.text).unwrap();
        }
        let [source, pipe] = [".c", "_pipe.c"].map(|ending| format!("{base}{ending}"));
        let strict = ["-Wall", "-Wextra", "-Werror", "-I.", "-fsyntax-only"];
        for (tool, standard, language) in
            [(&gcc, "-std=c99", "c"), (&gcc, "-std=gnu17", "c"), (&gxx, "-std=gnu++20", "c++")]
        {
            let own = [standard, "-x", language, &source, &pipe];
            let (good, _, said) = output(tool, folder.path(), &[&strict[..], &own].concat());
            assert!(good, "{name} as {base}, {standard}: {said}");
        }
        let main = format!("{base}_pipe.rs");
        let flags = ["--edition", "2021", "-D", "warnings", "--emit", "metadata", &main];
        let (good, _, said) = output(&rustc, folder.path(), &flags);
        assert!(good, "{name} as {base}: {said}");
        let module = format!("{base}.v");
        let lint = ["--lint-only", "-Wall", "--language", "1364-2005", &module];
        let (good, _, said) = output(&verilator, folder.path(), &lint);
        assert!(good && said.trim().is_empty(), "{name} as {base}: {said}");
        let [entity, bench] = ["", "_tb"].map(|ending| format!("{base}{ending}.vhd"));
        let (good, _, said) =
            output(&ghdl, folder.path(), &["-a", "--std=08", "-Whide", &entity, &bench]);
        assert!(good && said.trim().is_empty(), "{name} as {base}: {said}");
        let (good, _, said) =
            output(&ghdl, folder.path(), &["-e", "--std=08", &format!("{base}_tb")]);
        assert!(good && said.trim().is_empty(), "{name} as {base}: {said}");
        let bench = format!("{base}_tb.v");
        let (good, _, said) =
            output(&iverilog, folder.path(), &["-g2005", "-Wall", "-o", "out", &module, &bench]);
        assert!(good, "{name} as {base}: {said}");
    }
}
