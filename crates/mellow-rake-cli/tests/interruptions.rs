//! Status and remains of a tool whose reader has gone, that is interrupted, or that writes where something is
//! already.
#![cfg(unix)]

use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

fn tool() -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_mrake"));
    command.current_dir(Path::new(env!("CARGO_MANIFEST_DIR")).join("../.."));
    command
}

#[test]
fn a_failed_check_is_a_failure_whoever_reads() {
    let folder = tempfile::tempdir().unwrap();
    let spec = folder.path().join("missed.toml");
    // A template that its order misses.
    let text = mellow_rake::spec::template("lowpass").unwrap();
    std::fs::write(&spec, text.replace("order = \"minimum\"", "order = 3")).unwrap();
    for more in [&[][..], &["--json"]] {
        let mut child = tool()
            .arg("design")
            .arg(&spec)
            .args(more)
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        drop(child.stdout.take());
        assert_eq!(child.wait().unwrap().code(), Some(1));
    }
    let page = tool().arg("design").arg(&spec).output().unwrap();
    let page = String::from_utf8(page.stdout).unwrap();
    assert!(page.contains("MISSES the spec; order = 5 keeps the template"), "{page}");
}

/// Ctrl-C ends the device with the tool, and a file that was being written leaves nothing.
#[test]
fn an_interruption_leaves_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let id = folder.path().join("id");
    let device = format!("echo $$ > {}; exec sleep 300", id.display());
    let measure = ["measure", "demo/mooring/pump_hum.toml"];
    let device = ["--device", "sh", "--device=-c", &format!("--device={device}")];
    let mut child = tool()
        .args(measure)
        .args(device)
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let started = Instant::now();
    let number = loop {
        let text = std::fs::read_to_string(&id).unwrap_or_default();
        if text.ends_with('\n') {
            break text.trim().to_owned();
        }
        assert!(started.elapsed() < Duration::from_secs(20), "the device never ran");
        std::thread::sleep(Duration::from_millis(20));
    };
    let interrupt = |process: u32| {
        assert!(
            Command::new("kill").args(["-INT", &process.to_string()]).status().unwrap().success()
        );
    };
    interrupt(child.id());
    assert_eq!(child.wait().unwrap().code(), Some(130));
    std::thread::sleep(Duration::from_millis(200));
    let state = std::fs::read_to_string(format!("/proc/{number}/stat")).unwrap_or_default();
    assert!(state.is_empty() || state.contains(") Z "), "{state}");

    // A recording that takes long to write.
    let target = folder.path().join("long.csv");
    let part = "kind = \"tone\", frequency = \"87.5 Hz\", amplitude = 0.5";
    let signal = ["signal", "--rate", "1 kHz", "--length", "20000 s", "--part", part, "-o"];
    let mut child = tool()
        .args(signal)
        .arg(&target)
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let started = Instant::now();
    let files = || std::fs::read_dir(folder.path()).unwrap().count();
    while files() < 2 && child.try_wait().unwrap().is_none() {
        assert!(started.elapsed() < Duration::from_secs(20), "nothing is written");
    }
    assert!(child.try_wait().unwrap().is_none(), "it ended before it was interrupted");
    interrupt(child.id());
    assert_eq!(child.wait().unwrap().code(), Some(130));
    assert_eq!(files(), 1, "{:?}", std::fs::read_dir(folder.path()).unwrap().collect::<Vec<_>>());
}

/// A result goes through a link to where it points, keeps the permissions of what it replaces, and writes
/// into what is no file.
#[test]
fn files_are_replaced_as_their_owner_has_them() {
    let folder = tempfile::tempdir().unwrap();
    let real = folder.path().join("real.svg");
    let link = folder.path().join("link.svg");
    std::fs::write(&real, "old").unwrap();
    std::fs::set_permissions(&real, std::fs::Permissions::from_mode(0o600)).unwrap();
    symlink(&real, &link).unwrap();
    let draw = |to: &Path| {
        let design = ["design", "demo/mooring/pump_hum.toml", "--figure"];
        tool()
            .args(design)
            .arg(to)
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .status()
            .unwrap()
            .code()
    };
    assert_eq!(draw(&link), Some(0));
    assert!(std::fs::symlink_metadata(&link).unwrap().is_symlink());
    assert!(std::fs::read_to_string(&real).unwrap().contains("<svg"));
    assert_eq!(std::fs::metadata(&real).unwrap().permissions().mode() & 0o777, 0o600);
    // A new one has what the umask leaves.
    let new = folder.path().join("new.svg");
    let masked = format!(
        "umask 027; exec {} design demo/mooring/pump_hum.toml --figure {}",
        env!("CARGO_BIN_EXE_mrake"),
        new.display()
    );
    let mut shell = Command::new("sh");
    shell.current_dir(Path::new(env!("CARGO_MANIFEST_DIR")).join("../.."));
    assert!(shell.args(["-c", &masked]).output().unwrap().status.success());
    assert_eq!(std::fs::metadata(&new).unwrap().permissions().mode() & 0o777, 0o640);
    // A pipe is written, not replaced.
    let pipe = folder.path().join("pipe.svg");
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    let reader = std::thread::spawn({
        let pipe = pipe.clone();
        move || std::fs::read_to_string(pipe).unwrap()
    });
    assert_eq!(draw(&pipe), Some(0));
    assert!(reader.join().unwrap().contains("<svg"));
}

/// The recording that is read is not written over, whatever it is called.
#[test]
fn the_output_is_never_the_input() {
    let folder = tempfile::tempdir().unwrap();
    let own = folder.path().join("own.csv");
    std::fs::copy(
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/mooring/mooring.csv"),
        &own,
    )
    .unwrap();
    let before = std::fs::read(&own).unwrap();
    let (soft, hard) = (folder.path().join("soft.csv"), folder.path().join("hard.csv"));
    symlink(&own, &soft).unwrap();
    std::fs::hard_link(&own, &hard).unwrap();
    for output in [&own, &soft, &hard] {
        let run = tool()
            .args(["run", "demo/mooring/pump_hum.toml"])
            .arg(&own)
            .arg("-o")
            .arg(output)
            .output();
        let run = run.unwrap();
        assert_eq!(run.status.code(), Some(2));
        assert!(String::from_utf8_lossy(&run.stderr).contains("the recording itself"));
        assert!(std::fs::read(&own).unwrap() == before);
    }
}

/// Nothing that a file says reaches the terminal as a command to it, and no message is longer than a page.
#[test]
fn foreign_text_commands_no_terminal() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("sly.csv");
    std::fs::write(&file, "a\u{1b}[2J\u{202e}b,other\n1,2\n3,4\n5,6\n7,8\n1,2\n3,4\n5,6\n7,8\n")
        .unwrap();
    let inspect = |more: &[&str]| {
        let out =
            tool().args(["inspect", "--rate", "1 kHz"]).arg(&file).args(more).output().unwrap();
        [out.stdout, out.stderr].map(|text| String::from_utf8(text).unwrap())
    };
    let is_plain = |text: &str| !text.contains(['\u{1b}', '\u{202e}']);
    let [page, _] = inspect(&["--column", "1"]);
    assert!(is_plain(&page) && page.contains("a\\u001b[2J\\u202eb"), "{page}");
    // Two columns and none named: both are in the message.
    let [_, message] = inspect(&[]);
    assert!(is_plain(&message) && message.contains("\\u001b"), "{message}");
    let [json, _] = inspect(&["--column", "1", "--json"]);
    assert!(is_plain(&json), "{json}");
    let object: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(object["column"], "a\u{1b}[2J\u{202e}b");
    // A thousand columns with the longest names that are read: a dozen are in the message.
    let names: Vec<String> = (0..1_000).map(|k| format!("{k}{}", "x".repeat(990))).collect();
    let fields = vec!["1"; names.len()].join(",");
    std::fs::write(&file, format!("{}\n{fields}\n", names.join(","))).unwrap();
    let [_, message] = inspect(&[]);
    assert!(message.len() < 5_000 && message.contains("and 988 more"), "{message}");
    // What was asked for is shown as far as a terminal has room for it.
    let [_, message] = inspect(&["--column", &"y".repeat(20_000)]);
    assert!(message.len() < 5_000 && message.contains("more bytes"), "{}", message.len());
}
