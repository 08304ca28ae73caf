//! Writes the three recordings of the Lantern Reef buoy, byte for byte as they lie in `demo/`.
//!
//! `cargo run -p mellow-rake-files --example lantern_reef -- demo`

mod recordings;

use std::path::PathBuf;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::env::args_os().nth(1).map_or_else(|| PathBuf::from("demo"), PathBuf::from);
    for (name, bytes) in recordings::all()? {
        let path = folder.join(name);
        if let Some(parent) = path.parent() {
            std::fs::create_dir_all(parent)?;
        }
        mellow_rake_files::write_whole(&path, &bytes)?;
        println!("{}: {} bytes", path.display(), bytes.len());
    }
    Ok(())
}
