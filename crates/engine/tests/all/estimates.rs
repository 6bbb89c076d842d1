//! What a full run would take, and the sample of what comes on standard input.

use std::time::{Duration, Instant};

use std::sync::Arc;
use std::sync::mpsc::{Receiver, channel};

use engine::{Capture, Estimate, Preview, Sample, SessionEvent, Variables, Workbench};

use crate::previews::Bench;

const PATIENCE: Duration = Duration::from_secs(30);

fn estimated(bench: &Bench, text: &str) -> Estimate {
    bench.workbench.estimate(text.to_owned(), Variables::default());
    loop {
        if let SessionEvent::Estimated(of, estimate) = bench.news.recv_timeout(PATIENCE).unwrap() {
            assert_eq!(of, text);
            return estimate;
        }
    }
}

/// A Bench that is given this text, or what is written to the file that comes with it.
pub(crate) fn given(text: &str, ends: bool) -> (Bench, Option<std::fs::File>) {
    use std::io::Write;
    let (reading, writing) = rustix::pipe::pipe().unwrap();
    let mut writing = std::fs::File::from(writing);
    writing.write_all(text.as_bytes()).unwrap();
    let writing = (!ends).then_some(writing);
    let capture = Capture::start(reading, || {}).unwrap();
    let since = Instant::now();
    while capture.kept().bytes() < text.len() as u64 || capture.kept().has_ended() != ends {
        assert!(since.elapsed() < PATIENCE);
        std::thread::yield_now();
    }
    let (sender, news): (_, Receiver<SessionEvent>) = channel();
    let workbench = Workbench::new(Some(capture), move |job| drop(sender.send(job)));
    (Bench { workbench, news, ..Bench::new() }, writing)
}

#[test]
fn what_is_read_is_known_beforehand() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("log");
    std::fs::write(&log, "a line of the log\n".repeat(100)).unwrap();
    let bench = Bench::new();
    let of = |text: &str| estimated(&bench, &text.replace("LOG", &log.display().to_string()));
    let known = of("sort LOG | uniq -c");
    assert_eq!((known.total_bytes, known.endless), (Some(1800), false));
    assert_eq!(known.sources, [(log.clone(), 1800)]);
    assert!(known.time.is_some() && known.memory_bytes.is_some_and(|bytes| bytes >= 1800));
    let names: Vec<&str> = known.holds.iter().map(|hold| hold.name.as_str()).collect();
    assert_eq!(names, ["sort"]);
    assert_eq!(known.expected().bytes, Some(1800));
    // What is read several times counts each time.
    assert_eq!(of("cat LOG - < LOG; wc -l LOG").total_bytes, Some(5400));
    // It continues for ever, and how long and how much is not known.
    let follows = of("tail -f LOG | sort");
    assert!(follows.endless);
    assert_eq!((follows.total_bytes, follows.time, follows.memory_bytes), (None, None, None));
    // It ends with an error: what comes after it is not known.
    let wrong = of("cat LOG; x=${none:?is not set}; cat LOG LOG");
    assert_eq!((wrong.total_bytes, wrong.time, wrong.endless), (None, None, false));
    let nothing = of("echo a");
    assert_eq!((nothing.total_bytes, nothing.time, nothing.endless), (None, None, false));
}

#[test]
fn standard_input_counts_once_it_has_ended() {
    let text = "some line\n".repeat(50);
    let (bench, _) = given(&text, true);
    let all = estimated(&bench, "sort");
    assert_eq!((all.total_bytes, all.endless), (Some(500), false));
    assert!(all.time.is_some());
    let (bench, writing) = given(&text, false);
    let coming = estimated(&bench, "sort");
    assert_eq!((coming.total_bytes, coming.time, coming.endless), (None, None, true));
    drop(writing);
}

/// The sample of standard input that a result was made from.
fn sample(preview: &Preview) -> (u64, *const engine::Kept) {
    let (_, sampled) = preview.sources().next().expect("standard input");
    (sampled.kept.lines(), Arc::as_ptr(&sampled.kept))
}

#[test]
fn a_sample_of_standard_input_is_taken_again_only_where_it_would_differ() {
    use std::io::Write;
    let (mut bench, writing) = given(&"some line\n".repeat(50), false);
    let mut writing = writing.unwrap();
    bench.sample = Sample::First(10);
    let first = sample(&bench.run("sort"));
    assert_eq!(first.0, 10);
    assert_eq!(sample(&bench.run("sort -r")), first);
    bench.sample = Sample::Last(7);
    let last = sample(&bench.run("sort"));
    assert_eq!(last.0, 7);
    assert_eq!(sample(&bench.run("sort -r")), last);
    bench.sample = Sample::First(10);
    let again = sample(&bench.run("sort"));
    // More has come: the first lines are the same ones, the last are not, nor those that are few.
    writing.write_all(b"another\n").unwrap();
    let since = Instant::now();
    while bench.workbench.capture().unwrap().kept().lines() < 51 {
        assert!(since.elapsed() < PATIENCE);
        std::thread::yield_now();
    }
    assert_eq!(sample(&bench.run("sort -u")), again);
    bench.sample = Sample::First(100);
    let few = sample(&bench.run("sort"));
    assert_eq!(few.0, 51);
    writing.write_all(b"one more\n").unwrap();
    while bench.workbench.capture().unwrap().kept().lines() < 52 {
        assert!(since.elapsed() < PATIENCE);
        std::thread::yield_now();
    }
    assert_eq!(sample(&bench.run("sort")).0, 52);
    // The end is news too.
    let before = bench.run("sort");
    assert!(!before.sources().next().unwrap().1.complete);
    drop(writing);
    while !bench.workbench.capture().unwrap().kept().has_ended() {
        assert!(since.elapsed() < PATIENCE);
        std::thread::yield_now();
    }
    let after = bench.run("sort");
    assert!(after.sources().next().unwrap().1.complete);
    assert_eq!(sample(&bench.run("sort -r")), sample(&after));
}
