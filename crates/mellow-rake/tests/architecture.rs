//! The rooms of the core and the crates around it use what docs/architecture.md says that they use, and
//! nothing else.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{read_dir, read_to_string};
use std::path::{Path, PathBuf};

type Uses = BTreeMap<String, BTreeSet<String>>;

fn home() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The names in backquotes.
fn names(cell: &str) -> Vec<String> {
    cell.split('`').skip(1).step_by(2).map(str::to_owned).collect()
}

/// The tables of the page, in order: each row a name and what it may use.
fn tables() -> Vec<Vec<(String, BTreeSet<String>)>> {
    let text = read_to_string(home().join("docs/architecture.md")).unwrap();
    let mut tables = Vec::new();
    for line in text.lines() {
        if line.starts_with("| Room") || line.starts_with("| Crate") {
            tables.push(Vec::new());
        } else if line.starts_with("| `") {
            let cells: Vec<&str> = line.split('|').collect();
            let name = names(cells[1]).remove(0);
            tables.last_mut().unwrap().push((name, names(cells[3]).into_iter().collect()));
        }
    }
    tables
}

fn sources(at: &Path, found: &mut Vec<PathBuf>) {
    for entry in read_dir(at).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, found);
        } else if path.extension().is_some_and(|ending| ending == "rs") {
            found.push(path);
        }
    }
}

/// What each room imports, its unit tests and comments left out.
fn imports() -> Uses {
    let root = home().join("crates/mellow-rake/src");
    let mut files = Vec::new();
    sources(&root, &mut files);
    let mut uses = Uses::new();
    for file in files {
        let inside = file.strip_prefix(&root).unwrap();
        let first = inside.components().next().unwrap().as_os_str().to_str().unwrap();
        let room = first.trim_end_matches(".rs").to_owned();
        if room == "lib" {
            continue;
        }
        let text = read_to_string(&file).unwrap();
        let code = text.split("#[cfg(test)]\nmod ").next().unwrap();
        let lines = code.lines().filter(|line| !line.trim_start().starts_with("//"));
        let of_room = uses.entry(room.clone()).or_default();
        for line in lines {
            for (at, found) in line.match_indices("crate::") {
                let rest = line[at + found.len()..].chars();
                let name: String =
                    rest.take_while(|c| c.is_ascii_alphanumeric() || *c == '_').collect();
                // What is exported at the top comes from its own room.
                let name = match name.as_str() {
                    "Effort" => "effort".to_owned(),
                    "Wish" => "spec".to_owned(),
                    _ => name,
                };
                // Rooms in braces would not be seen.
                assert!(!name.is_empty(), "{}: {line}", file.display());
                if name != room {
                    of_room.insert(name);
                }
            }
        }
    }
    uses
}

/// What each crate depends on, of ours.
fn dependencies() -> Uses {
    let mut uses = Uses::new();
    for entry in read_dir(home().join("crates")).unwrap() {
        let path = entry.unwrap().path();
        let text = read_to_string(path.join("Cargo.toml")).unwrap();
        let own = path.file_name().unwrap().to_str().unwrap().to_owned();
        let after = text.split("[dependencies]").nth(1).unwrap_or("");
        let table = after.split("\n[").next().unwrap();
        let ours = table.lines().filter_map(|line| line.split(['.', ' ']).next());
        uses.insert(
            own,
            ours.filter(|n| n.starts_with("mellow-rake")).map(str::to_owned).collect(),
        );
    }
    uses
}

fn hold(page: &[(String, BTreeSet<String>)], found: &Uses) {
    let said: Uses = page.iter().cloned().collect();
    let (on_page, in_tree): (BTreeSet<_>, BTreeSet<_>) =
        (said.keys().collect(), found.keys().collect());
    assert_eq!(on_page, in_tree, "what stands on the page is what there is");
    for (name, uses) in &said {
        assert_eq!(
            uses, &found[name],
            "`{name}`: what the page says that it uses, and what it does"
        );
    }
}

#[test]
fn rooms_use_what_the_page_says_and_no_circle_is_closed() {
    let tables = tables();
    hold(&tables[0], &imports());
    hold(&tables[1], &dependencies());
    for table in &tables {
        let mut above = BTreeSet::new();
        for (name, uses) in table {
            let below: Vec<&String> = uses.difference(&above).collect();
            assert!(below.is_empty(), "`{name}` uses {below:?}, which do not stand above it");
            above.insert(name.clone());
        }
    }
}

#[test]
fn no_line_is_longer_than_it_is_read_with_ease() {
    const COLUMNS: usize = 110;
    let mut files = Vec::new();
    sources(&home().join("crates"), &mut files);
    for file in files {
        let text = read_to_string(&file).unwrap();
        let long = text.lines().position(|line| line.chars().count() > COLUMNS);
        assert_eq!(long.map(|line| line + 1), None, "{}", file.display());
    }
}

#[test]
fn every_file_of_tests_is_run() {
    for package in read_dir(home().join("crates")).unwrap() {
        let folder = package.unwrap().path().join("tests");
        let Ok(main) = read_to_string(folder.join("main.rs")) else { continue };
        for entry in read_dir(&folder).unwrap() {
            let path = entry.unwrap().path();
            let name = path.file_stem().unwrap().to_str().unwrap().to_owned();
            if path.extension().is_some_and(|ending| ending == "rs") && name != "main" {
                let module = format!("\nmod {name};\n");
                assert!(main.contains(&module), "{} is not in main.rs", path.display());
            }
        }
    }
}
