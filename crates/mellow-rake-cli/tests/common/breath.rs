//! The breath's filter without a search.

use std::path::Path;

/// The breath's spec with each coefficient rounded to the nearest integer, in a folder.
pub(crate) fn nearest_breath(folder: &Path) -> String {
    let breath = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/breath/breath.toml");
    let text = std::fs::read_to_string(breath).unwrap();
    let lines = text.lines().filter(|line| !line.starts_with("coefficient_search"));
    let path = folder.join("breath.toml");
    std::fs::write(&path, lines.collect::<Vec<_>>().join("\n")).unwrap();
    path.to_str().unwrap().to_owned()
}
