//! The recordings in `demo/` are those that the example makes.

#[path = "../examples/lantern_reef/recordings.rs"]
mod recordings;

use mellow_rake::units::SampleRate;
use mellow_rake_files::CsvTable;

#[test]
fn every_recording_is_made_again_byte_for_byte() {
    let demo = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    for (name, bytes) in recordings::all().unwrap() {
        let kept = std::fs::read(demo.join(name)).unwrap_or_else(|error| panic!("{name}: {error}"));
        assert!(kept == bytes, "{name} differs; run the example lantern_reef");
        if name.ends_with(".csv") {
            let table = CsvTable::parse(&kept).unwrap();
            let rate = if name.contains("breath") { 64.0 } else { 1000.0 };
            table.check_rate(SampleRate::from_hertz(rate).unwrap()).unwrap();
            assert!(table.choose(None).is_ok());
        }
    }
}
