//! Compressed files in previews, counts and full runs: what is in them is what is seen.

use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use engine::{Ending, Preview, Sample, SampledInput, SessionEvent, Variables};

use crate::previews::Bench;

const PATIENCE: Duration = Duration::from_secs(30);

/// Runs a line for real.
fn run(line: &str) {
    let mut variables = Variables::default();
    let status = engine::run_script(line, &mut variables, &stream::RunControl::default(), None);
    assert_eq!(status.ok(), Some(0), "{line}");
}

fn wait_until(reached: impl Fn() -> bool) {
    let since = Instant::now();
    while !reached() {
        assert!(since.elapsed() < PATIENCE);
        std::thread::yield_now();
    }
}

/// A log of this many lines, compressed by this filter; its path.
fn packed(folder: &Path, filter: &str, end: &str, lines: u64) -> String {
    let (plain, path) = (folder.join("plain"), folder.join(format!("app.log{end}")));
    let text: String =
        (0..lines).map(|line| format!("2031-04-02 gate-{:02} card={line}\n", line % 7)).collect();
    std::fs::write(&plain, text).unwrap();
    run(&format!("{filter} -c {} > {}", plain.display(), path.display()));
    path.display().to_string()
}

fn sampled(preview: &Preview) -> Arc<SampledInput> {
    preview.sources().next().expect("a file").1.clone()
}

const READERS: [(&str, &str, &str); 4] = [
    ("gzip", "zcat", ".gz"),
    ("bzip2", "bzcat", ".bz2"),
    ("xz -0", "xzcat", ".xz"),
    ("zstd", "zstdcat", ".zst"),
];

#[test]
fn a_sample_is_one_of_what_is_in_the_file_and_its_lines_are_known() {
    for (pack, show, end) in READERS {
        let folder = tempfile::tempdir().unwrap();
        let path = packed(folder.path(), pack, end, 40_000);
        let mut bench = Bench::new();
        bench.sample = Sample::First(1000);
        let preview = bench.run(&format!("{show} {path} | grep gate-03"));
        assert_eq!(preview.stages[0].figures.lines_out, 1000, "{show}");
        assert_eq!(preview.stages[0].messages, "", "no end that is none");
        assert_eq!(preview.stages[1].figures.lines_out, 143);
        // A line knows the line of the file's content that it was.
        let origins = preview.stages[1].origins.lock();
        assert_eq!(origins.get(1).first().unwrap().line(), 10);
        drop(origins);
        let sample = sampled(&preview);
        assert!(!sample.complete && sample.is_estimated());
        let (estimate, whole) = (
            sample.whole_bytes.unwrap(),
            std::fs::metadata(folder.path().join("plain")).unwrap().len(),
        );
        assert!((whole / 4..whole * 4).contains(&estimate), "{show}: {estimate} of {whole}");
        // How many lines there are is counted in what is in the file.
        let since = Instant::now();
        while sample.whole_lines().is_none() {
            assert!(since.elapsed() < PATIENCE);
            if let Ok(SessionEvent::Counted) = bench.news.recv_timeout(PATIENCE) {}
        }
        assert_eq!(sample.whole_lines(), Some(40_000));
        bench.sample = Sample::Last(5);
        let preview = bench.run(&format!("{show} {path}"));
        assert!(preview.stages[0].out.contents().ends_with(b"card=39999\n"));
        bench.sample = Sample::Everything;
        let preview = bench.run(&format!("{show} < {path} | wc -l"));
        assert_eq!(preview.stages[1].out.contents(), b"40000\n", "{show}");
        // Also where it is only passed on before it is read, and whatever the sample is.
        bench.sample = Sample::First(1000);
        let preview = bench.run(&format!("cat {path} | {show} | wc -l"));
        assert_eq!(preview.stages[2].out.contents(), b"40000\n", "{show}");
    }
}

#[test]
fn what_is_damaged_is_shown_as_far_as_it_can_be_read_with_the_reason() {
    let folder = tempfile::tempdir().unwrap();
    let path = packed(folder.path(), "gzip", ".gz", 40_000);
    let whole = std::fs::read(&path).unwrap();
    std::fs::write(&path, &whole[..whole.len() / 2]).unwrap();
    let mut bench = Bench::new();
    bench.sample = Sample::Everything;
    let preview = bench.run(&format!("zcat {path} | wc -l"));
    let stage = &preview.stages[0];
    assert!(stage.messages.contains("unexpected end of file near byte"), "{}", stage.messages);
    assert!(stage.messages.contains("before it were read"), "{}", stage.messages);
    assert!(stage.figures.lines_out > 10_000 && stage.status.0 == 1);
    // The first lines are there without it.
    bench.sample = Sample::First(1000);
    let preview = bench.run(&format!("zcat {path}"));
    assert_eq!((preview.stages[0].messages.as_str(), preview.stages[0].status.0), ("", 0));
}

#[test]
fn what_still_comes_is_not_called_damaged() {
    use std::io::Write;

    for (pack, show, end) in READERS {
        let folder = tempfile::tempdir().unwrap();
        let path = packed(folder.path(), pack, end, 100_000);
        let data = std::fs::read(path).unwrap();
        // In the head, in the middle, before the last checksum.
        for first in [0, 3, data.len() / 2, data.len() - 2] {
            let (reading, writing) = rustix::pipe::pipe().unwrap();
            let mut writing = std::fs::File::from(writing);
            let capture = engine::Capture::start(reading, || {}).unwrap();
            writing.write_all(&data[..first]).unwrap();
            wait_until(|| capture.kept().bytes() == first as u64);
            let mut bench = Bench::with_input(capture.clone());
            bench.sample = Sample::Everything;
            let line = format!("{show} | wc -l");
            let preview = bench.run(&line);
            let stage = &preview.stages[0];
            assert_eq!((stage.messages.as_str(), stage.status.0), ("", 0), "{show} {first}");
            assert!(!sampled(&preview).complete);
            writing.write_all(&data[first..]).unwrap();
            drop(writing);
            wait_until(|| capture.kept().has_ended());
            let preview = bench.run(&line);
            assert_eq!(preview.stages[0].messages, "", "{show}");
            assert_eq!(preview.stages[1].out.contents(), b"100000\n", "{show} {first}");
        }
        // Where it has ended there, it is.
        let (reading, writing) = rustix::pipe::pipe().unwrap();
        let capture = engine::Capture::start(reading, || {}).unwrap();
        std::fs::File::from(writing).write_all(&data[..data.len() - 2]).unwrap();
        wait_until(|| capture.kept().has_ended());
        let mut bench = Bench::with_input(capture);
        bench.sample = Sample::Everything;
        let preview = bench.run(&format!("{show} | wc -l"));
        assert!(preview.stages[0].messages.contains("unexpected end of file"), "{show}");
        assert_eq!(preview.stages[0].status.0, 1, "{show}");
    }
}

#[test]
fn much_in_little_takes_little_memory_and_time() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("zeros.gz").display().to_string();
    // One stream of 256 MiB of zeros, sixteen times one after the other: 4 GiB in some 4 MiB.
    run(&format!("head -c 268435456 /dev/zero | gzip -9 > {path}"));
    let once = std::fs::read(&path).unwrap();
    std::fs::write(&path, once.repeat(16)).unwrap();
    assert!(once.len() * 16 < 8 << 20);
    let peak = || -> u64 {
        let status = std::fs::read_to_string("/proc/self/status").unwrap();
        let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap();
        line.trim().trim_end_matches("kB").trim().parse::<u64>().unwrap() << 10
    };
    let before = peak();
    let mut bench = Bench::new();
    let since = Instant::now();
    let preview = bench.run(&format!("zcat {path} | head -c 10 | od -An -c"));
    assert!(since.elapsed() < PATIENCE);
    let sample = sampled(&preview);
    assert!(sample.cut.is_some() && sample.kept.bytes() <= 32 << 20, "{}", sample.kept.bytes());
    assert!(sample.is_estimated() && sample.whole_bytes.unwrap() > 3 << 30);
    assert!(peak() < before + (256 << 20), "{} of {before}", peak());
    assert_ne!(preview.stages[0].ending, Ending::Failed);
}

#[test]
fn a_file_is_compressed_beside_the_old_one_and_never_removed_by_the_bench() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("a.log");
    std::fs::write(&log, "a line\n").unwrap();
    std::fs::set_permissions(&log, std::fs::Permissions::from_mode(0o600)).unwrap();
    let mut bench = Bench::new();
    let refused = bench.run(&format!("gzip {}", log.display()));
    assert!(refused.stages[0].messages.contains("only by a real run; -k keeps it"));
    assert!(refused.pending.is_empty());
    let line = format!("gzip -k {}", log.display());
    let planned = bench.run(&line);
    assert_eq!(planned.pending.len(), 1);
    assert!(!folder.path().join("a.log.gz").exists());
    assert_eq!(bench.write(&line).unwrap().len(), 1);
    let facts = std::fs::metadata(folder.path().join("a.log.gz")).unwrap();
    assert_eq!(facts.permissions().mode() & 0o777, 0o600, "nobody may read more than before");
    assert_eq!(facts.modified().unwrap(), std::fs::metadata(&log).unwrap().modified().unwrap());
    // A real run takes the place of the old file, both ways.
    std::fs::remove_file(folder.path().join("a.log.gz")).unwrap();
    run(&format!("gzip {}", log.display()));
    assert!(!log.exists());
    run(&format!("gunzip {}.gz", log.display()));
    assert_eq!(std::fs::read(&log).unwrap(), b"a line\n");
    assert!(!folder.path().join("a.log.gz").exists());
    assert_eq!(std::fs::metadata(&log).unwrap().permissions().mode() & 0o777, 0o600);
}
