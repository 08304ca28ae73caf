//! The recordings in `demo/` are those that the example makes.

use crate::recordings;
use mellow_rake::units::SampleRate;
use mellow_rake_files::{ReadingChoice, RecordingReader};

#[test]
fn every_recording_is_made_again_byte_for_byte() {
    let demo = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    for (name, bytes) in recordings::all().unwrap() {
        let kept = std::fs::read(demo.join(name)).unwrap_or_else(|error| panic!("{name}: {error}"));
        assert!(kept == bytes, "{name} differs; run the example lantern_reef");
        let hertz = [("breath", 64.0), ("mooring", 1000.0), ("modem", 96_000.0)];
        let (_, hertz) = hertz.into_iter().find(|(part, _)| name.contains(part)).unwrap();
        let choice = ReadingChoice { rate: SampleRate::from_hertz(hertz), ..Default::default() };
        let found = RecordingReader::bytes(name.as_ref(), kept, &choice).unwrap();
        assert!(found.choose(None).is_ok() && found.rate().unwrap().hertz() == hertz, "{name}");
    }
}
