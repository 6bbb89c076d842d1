//! Any text through a dry run: nothing fails inside, nothing goes on for ever, and nothing in the
//! folder is another afterwards. Run it in an empty folder, with nothing on standard input and no
//! `PATH`, so that no program of the machine is found.
#![no_main]

use std::path::Path;
use std::sync::Once;
use std::time::{Duration, Instant};

use engine::{Variables, dry_run};
use libfuzzer_sys::fuzz_target;
use stream::RunControl;

const FILES: [(&str, &str); 3] = [("a", "one\ntwo\n"), ("b.txt", "k v\n"), ("c", "")];

static LAID_OUT: Once = Once::new();

fn state() -> Vec<(String, Vec<u8>)> {
    let mut all: Vec<(String, Vec<u8>)> = std::fs::read_dir("laid-out")
        .unwrap()
        .map(|entry| entry.unwrap().path())
        .map(|path| (path.display().to_string(), std::fs::read(&path).unwrap_or_default()))
        .collect();
    all.sort();
    all
}

fuzz_target!(|text: &str| {
    LAID_OUT.call_once(|| {
        std::fs::create_dir_all("laid-out").unwrap();
        for (name, content) in FILES {
            std::fs::write(Path::new("laid-out").join(name), content).unwrap();
        }
    });
    if engine::parse(text).is_err() {
        return;
    }
    let before = state();
    let control = RunControl::default();
    let ending = control.clone();
    let text = format!("cd laid-out\n{text}");
    let run = std::thread::spawn(move || {
        let _ = dry_run(&text, &mut Variables::default(), engine::DryLimits::AsPreview, &ending);
    });
    let since = Instant::now();
    while !run.is_finished() && since.elapsed() < Duration::from_millis(500) {
        std::thread::sleep(Duration::from_micros(200));
    }
    control.cancel();
    while !run.is_finished() {
        assert!(since.elapsed() < Duration::from_secs(20), "it works on");
        std::thread::sleep(Duration::from_millis(1));
    }
    run.join().unwrap();
    assert_eq!(before, state());
});
