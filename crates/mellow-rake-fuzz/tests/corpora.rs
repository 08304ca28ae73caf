//! Every input that is kept, and what random changes make of it.

use mellow_rake_fuzz::{TARGETS, Target};
use std::path::{Path, PathBuf};

/// The files of a folder, in the order of their names.
fn files(folder: &Path) -> Vec<PathBuf> {
    let Ok(entries) = std::fs::read_dir(folder) else { return Vec::new() };
    let mut all: Vec<PathBuf> = entries.map(|entry| entry.unwrap().path()).collect();
    all.sort();
    all
}

fn kept(target: &Target, kind: &str) -> Vec<Vec<u8>> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz");
    let paths = files(&root.join(kind).join(target.name));
    paths.iter().map(|path| std::fs::read(path).unwrap()).collect()
}

#[test]
fn kept_inputs_and_old_failures_hold() {
    for target in TARGETS {
        let corpus = kept(&target, "corpus");
        assert!(!corpus.is_empty(), "nothing is kept for {}", target.name);
        for bytes in corpus.iter().chain(&kept(&target, "failures")) {
            (target.run)(bytes);
        }
    }
}

/// A generator of one's own (P. L'Ecuyer, "Tables of linear congruential generators", 1999): the readers use
/// none of it.
struct Chance(u64);

impl Chance {
    fn below(&mut self, count: usize) -> usize {
        self.0 = self.0.wrapping_mul(3_935_559_000_370_003_845).wrapping_add(1);
        ((self.0 >> 33) % count.max(1) as u64) as usize
    }
}

/// Bytes that are changed, left out, doubled, or joined to those of another input.
#[test]
fn changed_inputs_hold() {
    let mut chance = Chance(1);
    for target in TARGETS {
        let corpus = kept(&target, "corpus");
        let rounds = if target.name == "chain" { 200 } else { 2_000 };
        for _ in 0..rounds {
            let mut bytes = corpus[chance.below(corpus.len())].clone();
            for _ in 0..=chance.below(4) {
                let at = chance.below(bytes.len() + 1);
                match chance.below(5) {
                    0 => bytes.truncate(at),
                    1 => bytes.insert(at, chance.below(256) as u8),
                    2 if at < bytes.len() => bytes[at] = chance.below(256) as u8,
                    3 => {
                        let end = (at + chance.below(40)).min(bytes.len());
                        let part = bytes[at..end].to_vec();
                        let to = chance.below(bytes.len() + 1);
                        bytes.splice(to..to, part);
                    }
                    _ => {
                        let other = &corpus[chance.below(corpus.len())];
                        let from = chance.below(other.len() + 1);
                        bytes.truncate(at);
                        bytes.extend(&other[from..]);
                    }
                }
            }
            (target.run)(&bytes);
        }
    }
}
