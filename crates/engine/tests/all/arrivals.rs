//! The times at which lines came in stay theirs, however often they are shown.

use std::io::Write;
use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::{Preview, Sample};

use crate::estimates::given;
use crate::previews::Bench;

const PATIENCE: Duration = Duration::from_secs(30);

/// What the last stage wrote.
fn written(preview: &Preview) -> Vec<String> {
    let out = preview.stages.last().unwrap().out.contents();
    String::from_utf8(out).unwrap().lines().map(str::to_owned).collect()
}

fn answer(bench: &mut Bench, text: &str, sample: Sample) -> Arc<Preview> {
    let mut request = bench.request(text);
    request.sample = sample;
    bench.answer(request)
}

#[test]
fn old_lines_of_standard_input_keep_their_times() {
    // Nanoseconds tell any two readings apart.
    const NOW: &str = "stamp now -f %s.%N";
    for (text, sample) in [
        (NOW.to_owned(), Sample::Everything),
        (NOW.to_owned(), Sample::First(5_000)),
        (format!("cat | grep -v x | {NOW}"), Sample::Everything),
        (format!("tr a-z A-Z | cut -c1-3 | {NOW}"), Sample::Everything),
        (format!("awk '{{print $1}}' | sed 's/a/b/' | {NOW}"), Sample::Everything),
        (format!("while read line; do echo \"$line\"; done | {NOW}"), Sample::Everything),
        (format!("cat /dev/null - | {NOW}"), Sample::Everything),
        ("stamp elapsed -f %s.%N".to_owned(), Sample::Everything),
        ("stamp gap -f %s.%N".to_owned(), Sample::Everything),
    ] {
        let (mut bench, writing) = given("aa\nbb\n", false);
        let before = written(&answer(&mut bench, &text, sample));
        assert_eq!(before.len(), 2, "{text}");
        let mut writing = writing.unwrap();
        let came = Instant::now();
        // What comes within a millisecond has one time.
        while came.elapsed() < Duration::from_millis(2) {
            std::thread::yield_now();
        }
        writing.write_all(b"cc\ndd\n").unwrap();
        let since = Instant::now();
        while bench.workbench.capture().unwrap().kept().bytes() < 12 {
            assert!(since.elapsed() < PATIENCE);
            std::thread::yield_now();
        }
        let after = written(&answer(&mut bench, &text, sample));
        assert_eq!((after.len(), &after[..2]), (4, &before[..]), "{text}");
        let stamp = |line: &str| line.split(' ').next().unwrap().to_owned();
        assert_ne!(stamp(&after[2]), stamp(&after[1]), "{text}");
        // A stage that is new reads what was kept, with the times it came at.
        let again = written(&answer(&mut bench, &format!("{text} | cat"), sample));
        assert_eq!(again, after, "{text}");
        let turned = written(&answer(&mut bench, &format!("tac | {text}"), sample));
        if text.contains("now") {
            let stamps = |lines: &[String]| lines.iter().map(|line| stamp(line)).collect();
            let mut expected: Vec<String> = stamps(&after);
            expected.reverse();
            let turned: Vec<String> = stamps(&turned);
            assert_eq!(turned, expected, "{text}");
        }
    }
}

#[test]
fn lines_of_files_have_no_time_of_standard_input() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("log");
    std::fs::write(&log, "old\n").unwrap();
    let (mut bench, _writing) = given("aa\n", false);
    let text = format!("cat {} - | stamp now -f %s.%N", log.display());
    let before = written(&answer(&mut bench, &text, Sample::Everything));
    bench.workbench.forget();
    let after = written(&answer(&mut bench, &text, Sample::Everything));
    assert_eq!(before[1], after[1]);
    // It is read when it is read.
    assert_ne!(before[0], after[0]);
    assert!(after[0].ends_with(" old"), "{after:?}");
}

#[test]
fn old_lines_of_a_followed_file_keep_their_times() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("log");
    std::fs::write(&log, "a1\nb2\n").unwrap();
    let text = format!("tail -f {} | grep a | stamp now -f %s.%N", log.display());
    let mut bench = Bench::new();
    let mut before: Vec<String> = Vec::new();
    for line in ["", "a3\n", "a4\n"] {
        std::fs::OpenOptions::new()
            .append(true)
            .open(&log)
            .unwrap()
            .write_all(line.as_bytes())
            .unwrap();
        let since = Instant::now();
        let after = loop {
            let after = written(&answer(&mut bench, &text, Sample::Everything));
            if after.len() > before.len() {
                break after;
            }
            assert!(since.elapsed() < PATIENCE, "{after:?}");
            std::thread::yield_now();
        };
        assert_eq!(after[..before.len()], before);
        before = after;
    }
    assert_eq!(before.len(), 3);
}
