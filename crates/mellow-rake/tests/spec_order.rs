//! A spec is what it says, however it is written down as TOML; and what is wrong is named where it stands.

use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Spec, kinds, template};

/// A key with its value on one line.
#[derive(Debug, Clone)]
struct Entry {
    key: String,
    value: String,
}

/// A table with its keys; the first has no name, and stands on top.
#[derive(Debug, Clone)]
struct Table {
    name: String,
    is_list: bool,
    entries: Vec<Entry>,
}

/// A line up to its comment.
fn without_comment(line: &str) -> &str {
    let mut is_quoted = false;
    let start = line.char_indices().find(|(_, letter)| {
        is_quoted ^= *letter == '"';
        *letter == '#' && !is_quoted
    });
    line[..start.map_or(line.len(), |(at, _)| at)].trim()
}

/// The tables of a spec; values over several lines are brought to one.
fn tables(text: &str) -> Vec<Table> {
    let named = |name: &str, is_list| Table { name: name.to_owned(), is_list, entries: Vec::new() };
    let mut all = vec![named("", false)];
    let mut open = String::new();
    for line in text.lines().map(without_comment).filter(|line| !line.is_empty()) {
        if open.is_empty() && line.starts_with('[') {
            let is_list = line.starts_with("[[");
            all.push(named(line.trim_matches(['[', ']']), is_list));
            continue;
        }
        open += line;
        let count = |letter: char| open.matches(letter).count();
        if count('[') == count(']') {
            let (key, value) = open.split_once('=').unwrap();
            let (key, value) = (key.trim().to_owned(), value.trim().replace(",]", "]"));
            all.last_mut().unwrap().entries.push(Entry { key, value });
            open.clear();
        }
    }
    all
}

fn shuffle<T>(all: &mut [T], noise: &mut NoiseSource) {
    for last in (1..all.len()).rev() {
        all.swap(last, noise.integer(0, last as i64) as usize);
    }
}

/// The same value in other letters.
fn respelled(value: &str, noise: &mut NoiseSource) -> String {
    let is_number = value.parse::<f64>().is_ok();
    match noise.integer(0, 3) {
        0 => value.replace('"', "'"),
        1 if is_number && !value.contains(['.', 'e', '-']) => format!("+{value}"),
        1 if is_number && value.contains('.') && !value.contains('e') => format!("{value}e0"),
        2 => value.replace(", ", ","),
        _ => value.to_owned(),
    }
}

/// The tables in another order and in other words, with the line in which each entry stands.
fn written(tables: &[Table], noise: &mut NoiseSource) -> (String, Vec<(String, usize)>) {
    let (mut lines, mut places): (Vec<String>, Vec<(String, usize)>) = (Vec::new(), Vec::new());
    let mut rest: Vec<Table> = tables.to_vec();
    for table in &mut rest {
        shuffle(&mut table.entries, noise);
    }
    // Lists of tables stand behind what they belong to, in their order.
    let (lists, mut plain): (Vec<Table>, Vec<Table>) =
        rest.into_iter().partition(|one| one.is_list);
    let mut top = plain.remove(0);
    shuffle(&mut plain, noise);
    let is_parent =
        |name: &str| lists.iter().any(|list| list.name.starts_with(&format!("{name}.")));
    let mut behind = Vec::new();
    for table in plain {
        let full = |entry: &Entry| format!("{}.{}", table.name, entry.key);
        match noise.integer(0, 3) {
            // As dotted keys, or in braces, on top.
            0 if !is_parent(&table.name) => top.entries.extend(
                table.entries.iter().map(|one| Entry { key: full(one), value: one.value.clone() }),
            ),
            1 if !is_parent(&table.name) => {
                let inner: Vec<String> = table
                    .entries
                    .iter()
                    .map(|one| format!("{} = {}", one.key, one.value))
                    .collect();
                let value = format!("{{ {} }}", inner.join(", "));
                top.entries.push(Entry { key: table.name.clone(), value });
            }
            _ => behind.push(table),
        }
    }
    // Dotted keys of one table stay together.
    let mut put = |prefix: &str,
                   entry: &Entry,
                   lines: &mut Vec<String>,
                   noise: &mut NoiseSource| {
        if noise.integer(0, 3) == 0 {
            lines.push("# \"a comment\" [of = no use]".to_owned());
        }
        let blank = [" = ", "=", "  =\t"][noise.integer(0, 2) as usize];
        let key = if noise.integer(0, 5) == 0 && !entry.key.contains('.') {
            format!("\"{}\"", entry.key)
        } else {
            entry.key.clone()
        };
        let value = respelled(&entry.value, noise);
        lines.push(format!("{key}{blank}{value}{}", [" # so", ""][noise.integer(0, 1) as usize]));
        let name =
            if prefix.is_empty() { entry.key.clone() } else { format!("{prefix}.{}", entry.key) };
        places.push((name, lines.len()));
    };
    for entry in &top.entries {
        put("", entry, &mut lines, noise);
    }
    for table in behind.iter().chain(&lists) {
        lines.push(String::new());
        lines.push(if table.is_list {
            format!("[[{}]]", table.name)
        } else {
            format!("[ {} ]", table.name)
        });
        for entry in &table.entries {
            put(&table.name, entry, &mut lines, noise);
        }
    }
    let end = ["\n", "\r\n"][noise.integer(0, 1) as usize];
    (lines.join(end) + end, places)
}

/// A table that is asked for in parts behind another of its name is none; all parts of one stand together.
fn is_together(places: &[(String, usize)]) -> bool {
    let tables: Vec<&str> =
        places.iter().filter_map(|(name, _)| Some(name.split_once('.')?.0)).collect();
    let mut runs = tables;
    runs.dedup();
    let count = runs.len();
    runs.sort_unstable();
    runs.dedup();
    runs.len() == count
}

#[test]
fn order_and_letters_do_not_count() {
    let mut noise = NoiseSource::new(581);
    let (mut same, mut placed) = (0, 0);
    for kind in kinds() {
        let text = template(kind).unwrap();
        let all = tables(text);
        let expected = Spec::parse(text).unwrap();
        for _ in 0..30 {
            let (text, places) = written(&all, &mut noise);
            if !is_together(&places) {
                continue;
            }
            let found =
                Spec::parse(&text).unwrap_or_else(|error| panic!("{kind}: {error}\n{text}"));
            assert_eq!(found, expected, "{kind}\n{text}");
            same += 1;
            // A value that is none of its key is named by its line.
            let (name, line) = &places[noise.integer(0, places.len() as i64 - 1) as usize];
            if name == "name" || text.lines().nth(line - 1).unwrap().contains('{') {
                continue;
            }
            let damaged: Vec<String> = text
                .lines()
                .enumerate()
                .map(|(at, own)| {
                    let key = own.split('=').next().unwrap();
                    if at + 1 == *line { format!("{key}= \"no value\"") } else { own.to_owned() }
                })
                .collect();
            let damaged = damaged.join("\n");
            let error = Spec::parse(&damaged).expect_err(&damaged);
            assert_eq!(error.line, *line, "{kind}: {error}\n{damaged}");
            let last = name.rsplit('.').next().unwrap();
            assert!(error.key.contains(last), "{kind}: {error}\n{damaged}");
            placed += 1;
        }
    }
    println!("{same} the same, {placed} refused at their place");
    assert!(same > 300 && placed > 150, "{same} {placed}");
}
