//! The program in the comments of everything that is generated is the program: read as text by someone who
//! has nothing else, it gives the same integers.

use mellow_rake::datapath::{Checked, Simulator, dump, fir_decimator, fir_interpolator};
use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Name, Structure};
use mellow_rake::write::{Symbols, c, rust, verilog, vhdl};
use serde_json::{Map, Value, json};

use crate::filters::{any_filter, any_word, one_of};
use crate::programs::{Sizes, any_program};
use crate::reader::Reader;

/// What stands between two marks; the text goes on behind the second.
fn between<'a>(text: &mut &'a str, from: &str, to: &str) -> &'a str {
    let rest = text.strip_prefix(from).unwrap_or_else(|| panic!("`{from}` in `{text}`"));
    let end = if to.is_empty() {
        rest.len()
    } else {
        rest.find(to).unwrap_or_else(|| panic!("`{to}` in `{rest}`"))
    };
    *text = &rest[end + to.len()..];
    &rest[..end]
}

/// A number, or a word that is none.
fn row(text: &str) -> Value {
    text.parse::<u64>().map_or_else(|_| json!(text), |number| json!(number))
}

fn number(text: &str) -> i64 {
    text.parse().unwrap_or_else(|_| panic!("`{text}` is no number"))
}

/// `n12`
fn node(text: &str) -> i64 {
    number(text.strip_prefix('n').unwrap_or_else(|| panic!("`{text}` is no node")))
}

/// `port 0: 4 of s16f15, port 1: 1 of s8f7`, or a format alone.
fn ports(text: &str) -> Value {
    if !text.starts_with("port") {
        return Value::Null;
    }
    let port = |text: &str| {
        let (words, format) = text.split_once(": ").unwrap().1.split_once(" of ").unwrap();
        json!({ "words": number(words), "format": format })
    };
    text.split(", ").map(port).collect()
}

/// ` << 3` at the end, if it is there.
fn shift(text: &str) -> i64 {
    text.strip_prefix(" << ").map_or(0, number)
}

/// `taps[0][0..2], x[0] ages 0..2, each dropping 3 bits floor) << 2` behind `dot(`.
fn dot(mut text: &str, sign: &str) -> Value {
    let mut term = Map::new();
    let mut put = |key: &str, value: Value| term.insert(key.to_owned(), value);
    put("table", json!(between(&mut text, "", "[")));
    put("table_row", row(between(&mut text, "", "][")));
    let column = number(between(&mut text, "", ".."));
    let count = number(between(&mut text, "", "], ")) - column;
    put("column", json!(column));
    put("count", json!(count));
    put("line", json!(between(&mut text, "", "[")));
    put("line_row", row(between(&mut text, "", "] ages ")));
    let (inner, outer) = text.split_once(')').unwrap();
    put("shift_left", json!(shift(outer)));
    let (ages, products) = match inner.split_once(", each ") {
        Some((ages, products)) => (ages, Some(products)),
        None => (inner, None),
    };
    if let Some(products) = products {
        let (bits, rounding) = match products.strip_prefix("dropping ") {
            Some(rest) => rest.split_once(" bits ").map(|(bits, how)| (number(bits), how)).unwrap(),
            None => (-number(between(&mut &*products, "with ", " zeros")), "floor"),
        };
        put("product_shift_right", json!(bits));
        put("product_rounding", json!(rounding));
    }
    match ages.split_once(".. ") {
        None => {
            put("term", json!("dot"));
            put("sign", json!(sign));
            put("age", json!(number(ages.split("..").next().unwrap())));
        }
        // `0, 1.. + ages 8, 7..`: the first two ages of both.
        Some((first, mirror)) => {
            let (age, next) = first.split_once(", ").unwrap();
            let (second, mirror) = mirror.split_once(" ages ").unwrap();
            put("term", json!("folded"));
            put("second", json!(second));
            put("age", json!(number(age)));
            put("stride", json!(number(next) - number(age)));
            put("mirror", json!(number(mirror.split(", ").next().unwrap())));
        }
    }
    Value::Object(term)
}

/// The terms of a sum: each begins with its sign, in front of a node or a dot.
fn terms(text: &str) -> Value {
    if text == "0" {
        return json!([]);
    }
    let mut starts: Vec<usize> = Vec::new();
    for (at, _) in text.match_indices(['+', '-']) {
        if text[at + 1..].starts_with("dot(") || text[at + 1..].starts_with('n') {
            starts.push(at);
        }
    }
    starts.push(text.len());
    let term = |ends: &[usize]| {
        let one = text[ends[0]..ends[1]].trim_end();
        let (sign, rest) = one.split_at(1);
        match rest.strip_prefix("dot(") {
            Some(rest) => dot(rest, sign),
            None => {
                let end = rest.find(' ').unwrap_or(rest.len());
                let (word, shift_left) = (node(&rest[..end]), shift(&rest[end..]));
                json!({ "term": "word", "sign": sign, "word": word, "shift_left": shift_left })
            }
        }
    };
    starts.windows(2).map(term).collect()
}

/// What a line does, behind its `=`; of a loop all lines that belong to it.
fn action(
    mut text: &str,
    indent: usize,
    lines: &mut std::iter::Peekable<std::slice::Iter<&str>>,
) -> Value {
    if text == "input" || text == "carried" {
        return json!({ "operation": text });
    }
    let word = text.split(' ').next().unwrap();
    match word {
        "input" => {
            let port = number(between(&mut text, "input port ", " word "));
            json!({ "operation": "input", "port": port, "at": row(text) })
        }
        "deliver" => {
            let from = node(between(&mut text, "deliver ", " to port "));
            let port = number(between(&mut text, "", " word "));
            json!({ "operation": "deliver", "port": port, "at": row(text), "word": from })
        }
        "sum" => {
            json!({ "operation": "accumulate", "terms": terms(between(&mut text, "sum ", "")) })
        }
        "round" => {
            let from = node(between(&mut text, "round ", ", "));
            let (bits, rounding) = match text.strip_prefix("drop ") {
                Some(rest) => {
                    rest.split_once(" bits, ").map(|(bits, how)| (number(bits), how)).unwrap()
                }
                None => (-number(between(&mut text, "append ", " zeros")), "floor"),
            };
            json!({ "operation": "round", "word": from, "shift_right": bits, "rounding": rounding })
        }
        "limit" => {
            let from = node(between(&mut text, "limit ", ", "));
            json!({ "operation": "limit", "word": from, "overflow": between(&mut text, "", ", ") })
        }
        "store" => {
            let from = node(between(&mut text, "store ", " in "));
            let line = between(&mut text, "", "[");
            let place = row(between(&mut text, "", "]"));
            json!({ "operation": "store", "word": from, "line": line, "row": place })
        }
        "repeat" => {
            let passes = number(between(&mut text, "repeat ", " passes from "));
            let (first, body) = (node(text), block(lines, indent + 2));
            let last = lines.next().unwrap().trim();
            let result = node(last.strip_prefix("pass on ").unwrap());
            json!({
                "operation": "repeat", "passes": passes, "first": first, "body": body, "result": result
            })
        }
        // `taps[0][1] * n3`, or `x[0] age 2`.
        _ => {
            let name = between(&mut text, "", "[");
            let place = row(between(&mut text, "", "]"));
            match text.strip_prefix(" age ") {
                Some(age) => {
                    json!({ "operation": "tap", "line": name, "row": place, "age": number(age) })
                }
                None => {
                    let column = number(between(&mut text, "[", "]"));
                    let from = node(between(&mut text, " * ", ""));
                    json!({
                        "operation": "product", "table": name, "row": place, "column": column, "word": from
                    })
                }
            }
        }
    }
}

/// Lines that stand so far in, up to one that does not or that ends a loop.
fn block(lines: &mut std::iter::Peekable<std::slice::Iter<&str>>, indent: usize) -> Value {
    let mut steps = Vec::new();
    while let Some(line) = lines.peek() {
        let own = line.trim_start();
        if line.len() - own.len() != indent || !own.starts_with('n') {
            break;
        }
        lines.next();
        let (head, what) = own.split_once(" = ").unwrap();
        let (name, format) = head.split_once(' ').unwrap();
        let mut step = action(what, indent, lines);
        step["node"] = json!(node(name));
        step["format"] = json!(format);
        steps.push(step);
    }
    Value::Array(steps)
}

/// A program as it stands in a comment, as the object that it says.
fn object(text: &str) -> Value {
    let lines: Vec<&str> = text.lines().collect();
    let mut lines = lines.iter().peekable();
    let head = lines.next().unwrap().strip_prefix("in ").unwrap();
    let (input, output) = head.split_once(", out ").unwrap();
    let mut all =
        json!({ "tables": [], "lines": [], "inputs": ports(input), "outputs": ports(output) });
    while let Some(line) = lines.next_if(|line| line.starts_with("table ")) {
        let (head, integers) = line["table ".len()..].split_once(": ").unwrap();
        let name = head.split([' ', '[']).next().unwrap();
        let (integers, exponents) = integers.split_once(", exponents ").unwrap_or((integers, ""));
        let list = |text: &str| text.split_whitespace().map(number).collect::<Vec<i64>>();
        let tables = all["tables"].as_array_mut().unwrap();
        if tables.last().is_none_or(|table| table["name"] != name) {
            tables.push(json!({ "name": name, "rows": [], "exponents": [] }));
        }
        let table = tables.last_mut().unwrap();
        table["rows"].as_array_mut().unwrap().push(json!(list(integers)));
        table["exponents"].as_array_mut().unwrap().push(json!(list(exponents)));
    }
    while let Some(line) = lines.next_if(|line| line.starts_with("line ")) {
        let (head, rest) = line["line ".len()..].split_once(": ").unwrap();
        let (name, format) = head.split_once(' ').unwrap();
        let rows = number(rest.split(' ').next().unwrap());
        let depth = number(rest.split(" to ").nth(1).unwrap());
        let line = json!({ "name": name, "format": format, "rows": rows, "depth": depth });
        all["lines"].as_array_mut().unwrap().push(line);
    }
    all["program"] = block(&mut lines, 0);
    if let Some(line) = lines.next() {
        all["result"] = json!(node(line.strip_prefix("out = ").unwrap()));
    }
    assert_eq!(lines.next(), None, "{text}");
    all
}

/// Random words through both, of all ports one after the other.
fn hold(checked: &Checked, noise: &mut NoiseSource) {
    let text = dump(checked);
    let mut stranger = Reader::new(&object(&text));
    let mut simulator = Simulator::new(checked);
    let count = checked.datapath().words_in();
    for firing in 0..80 {
        let input: Vec<i64> = (0..count).map(|_| any_word(noise, checked.input(), false)).collect();
        let wide: Vec<i128> = input.iter().map(|word| (*word).into()).collect();
        let expected: Vec<i128> = simulator.run(&input).iter().map(|word| (*word).into()).collect();
        assert_eq!(stranger.fire(&wide), expected, "firing {firing}\n{text}");
    }
}

#[test]
fn the_program_in_words_is_the_program() {
    let mut noise = NoiseSource::new(481);
    let mut held = [0; 2];
    for index in 0..900 {
        let checked = if index % 2 == 0 {
            let structure = one_of(&mut noise, &Structure::ALL);
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            filter.checked
        } else {
            let Ok(checked) = any_program(&mut noise, Sizes::LARGE).check() else { continue };
            checked
        };
        hold(&checked, &mut noise);
        held[index % 2] += 1;
    }
    for factor in 2..7 {
        let taps: Vec<f64> = (0..23).map(|k| 0.2 * (0.3 * f64::from(k)).cos()).collect();
        let table = round_coefficients(&[taps], "s12f11".parse().unwrap()).unwrap();
        let word = "s9f8".parse().unwrap();
        let (rounding, overflow) = (Rounding::HalfEven, Overflow::Saturate);
        let down = fir_decimator(&table, factor, word, word, rounding, overflow).unwrap();
        let up = fir_interpolator(&table, factor, word, word, rounding, overflow).unwrap();
        for program in [down, up] {
            hold(&program.check().unwrap(), &mut noise);
        }
    }
    println!("{held:?}");
    assert!(held.iter().all(|count| *count > 200), "{held:?}");
}

/// The comment above a generated filter has all lines of it, in every language.
#[test]
fn every_language_has_it_in_its_comments() {
    let mut noise = NoiseSource::new(482);
    let symbols = Symbols::new(&Name::new("swell").unwrap());
    let mut held = 0;
    while held < 40 {
        let structure = one_of(&mut noise, &Structure::ALL);
        let Some(filter) = any_filter(&mut noise, structure) else { continue };
        let checked = &filter.checked;
        // Products beyond 64 bits have no type in C.
        let Ok(in_c) = c::write(checked, &symbols) else { continue };
        let written = [
            in_c,
            rust::write(checked, &symbols).unwrap(),
            verilog::write(checked, &symbols).unwrap(),
            vhdl::write(checked, &symbols).unwrap(),
        ];
        for files in written {
            let found = files.iter().any(|file| {
                let stripped: Vec<&str> = file
                    .text
                    .lines()
                    .map(|line| line.trim_start_matches(['/', '*', '-', '!', ' ']).trim_end())
                    .collect();
                let lines: Vec<String> =
                    dump(checked).lines().map(|line| line.trim_start().to_owned()).collect();
                stripped
                    .windows(lines.len())
                    .any(|some| some.iter().zip(&lines).all(|(a, b)| a == b))
            });
            assert!(found, "{}\n{}", files[0].name, dump(checked));
        }
        held += 1;
    }
}
