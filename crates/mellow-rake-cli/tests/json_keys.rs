//! What the tool prints as JSON is what `docs/json.md` describes: no key without a word about it.

use crate::common::{json, root};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

/// Every name between backquotes.
fn documented() -> BTreeSet<String> {
    let text = std::fs::read_to_string(root().join("docs/json.md")).unwrap();
    // What stands between backquotes: every second part.
    let quoted = text.split('`').skip(1).step_by(2);
    let is_part = |c: char| c.is_ascii_alphanumeric() || c == '_';
    let names = quoted.flat_map(|part| part.split(move |c| !is_part(c)).map(str::to_owned));
    names.filter(|name| !name.is_empty()).collect()
}

fn walk(value: &Value, path: &str, seen: &mut BTreeMap<String, String>) {
    match value {
        Value::Object(object) => {
            for (key, value) in object {
                let path = format!("{path}.{key}");
                walk(value, &path, seen);
                seen.entry(key.clone()).or_insert(path);
            }
        }
        Value::Array(values) => values.iter().take(50).for_each(|value| walk(value, path, seen)),
        _ => {}
    }
}

/// A spec of a unit whose coefficients can be loaded.
fn loadable(place: &str) -> String {
    let text = std::fs::read_to_string(root().join("demo/modem/carrier_unit.toml")).unwrap();
    let path = format!("{place}/loadable.toml");
    std::fs::write(
        &path,
        format!("{text}\n").replace("[hardware]", "[hardware]\ncoefficients = \"loadable\""),
    )
    .unwrap();
    path
}

#[test]
fn every_key_is_documented() {
    let folder = tempfile::tempdir().unwrap();
    let place = folder.path().to_str().unwrap();
    const FORMS: &str = "prototype,polynomials,state-space,all-pass-sum,parallel";
    let (notch, breath) = ("demo/mooring/pump_hum.toml", "demo/breath/breath.toml");
    let (modem, signal) = ("demo/modem/carrier_band.toml", "demo/modem/telemetry.toml");
    let recording = "demo/mooring/mooring.csv";
    let [filtered, firmware, made] =
        ["filtered.csv", "firmware", "made.wav"].map(|name| format!("{place}/{name}"));
    let loadable = loadable(place);
    let unit = "demo/modem/carrier_unit.toml";
    let (down, up) = ("demo/modem/telemetry_down.toml", "demo/modem/telemetry_up.toml");
    let calls: [&[&str]; 33] = [
        &["design", down],
        &["measure", down, "--modulated", signal],
        &["cost", up],
        &["cost", notch, "--on", "cortex-m4", "--vary", "fixed.rounding=half-up,floor"],
        &["compare", notch, "--cost", "cortex-m4"],
        &["new", "notch"],
        &["design", "demo/mooring/swell.toml"],
        &["run", "demo/mooring/swell.toml", recording, "-o", &filtered],
        &["design", notch],
        &["design", breath, "--families"],
        &["design", breath, "--roots", "--form", FORMS],
        &["design", modem],
        &["compare", notch, breath],
        &["sensitivity", notch, "--trials", "20"],
        &["quantize", notch],
        &["quantize", breath],
        &["quantize", modem],
        &["inspect", recording],
        &["run", notch, recording, "-o", &filtered],
        &["signal", signal, "-o", &made],
        &["measure", notch, "--device", "cat"],
        &["measure", notch, "--device", "cat", "--excitation", "steps"],
        &["measure", modem, "--modulated", signal],
        &["measure", "demo/modem/burst_up.toml", "--modulated", "demo/modem/burst.toml"],
        &["cost", unit, "--on", "ice40"],
        &["cost", &loadable],
        &["cost", "demo/modem/ships.toml"],
        &["cost", unit, "--beside", unit],
        &["cost", notch, "--on", "cortex-m4"],
        &["verify", unit, "--beside", unit, "--on", "icarus"],
        &["cost", unit, "--vary", "hardware.multipliers=1,99"],
        &["generate", notch, "--to", "c", "-o", &firmware],
        &["generate", notch, "--to", "c", "-o", &firmware, "--check"],
    ];
    let mut seen = BTreeMap::new();
    for call in calls {
        let (_, object) = json(&[call, &["--json"]].concat());
        walk(&object, call[0], &mut seen);
    }
    let (_, object) = json(&["verify", notch, "--on", "host", "--json"]);
    walk(&object, "verify", &mut seen);
    let documented = documented();
    let unknown: Vec<_> = seen.iter().filter(|(key, _)| !documented.contains(*key)).collect();
    assert!(unknown.is_empty(), "keys that docs/json.md does not know: {unknown:#?}");
    assert!(seen.len() > 250, "{} keys only", seen.len());
}
