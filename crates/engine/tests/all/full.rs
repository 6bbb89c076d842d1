//! Runs on everything: figures, progress, pauses, ends.

use std::path::Path;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

use engine::{
    CommandKind, Estimate, FullEnd, FullRequest, FullRun, SessionEvent, Snapshot, Variables,
    Workbench, estimate,
};

/// How long a test waits for what must come.
const PATIENCE: Duration = Duration::from_secs(30);

fn start(text: &str, writes: bool, allowed: &[&[&str]]) -> (FullRun, Receiver<SessionEvent>) {
    let (sender, news) = channel();
    let mut workbench = Workbench::new(None, move |job| drop(sender.send(job)));
    let run = workbench.run_all(FullRequest {
        text: text.to_owned(),
        variables: Variables::default(),
        allowed: crate::previews::consents(allowed),
        left_out: std::collections::BTreeSet::new(),
        writes,
        follows: true,
        expected: estimate(text, Variables::default()),
    });
    (run, news)
}

fn end(news: &Receiver<SessionEvent>) -> FullEnd {
    loop {
        if let SessionEvent::FullEnded(end) = news.recv_timeout(PATIENCE).expect("an end") {
            return end;
        }
    }
}

fn await_that(run: &FullRun, what: impl Fn(&Snapshot) -> bool) -> Snapshot {
    let since = Instant::now();
    loop {
        let snapshot = run.watch.snapshot();
        if what(&snapshot) {
            return snapshot;
        }
        assert!(since.elapsed() < PATIENCE, "{snapshot:?}");
        std::thread::yield_now();
    }
}

/// A file of this many lines; every seventh says so.
fn data(folder: &Path, lines: u64) -> String {
    let path = folder.join("data");
    let line = |number: u64| {
        let word = if number.is_multiple_of(7) { "seventh" } else { "other" };
        format!("{number} {word} line of the file\n")
    };
    std::fs::write(&path, (0..lines).map(line).collect::<String>()).unwrap();
    path.display().to_string()
}

#[test]
fn shares_add_up_counts_are_those_of_the_data_and_progress_never_goes_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = data(folder.path(), 200_000);
    let bytes = std::fs::metadata(&path).unwrap().len();
    let text = format!("grep seventh {path} | sort -rn | cut -d' ' -f1 | head -n 100000");
    let (run, news) = start(&text, true, &[]);
    let mut before = 0.0;
    let mut looks = 0;
    loop {
        let snapshot = run.watch.snapshot();
        let done = snapshot.done().expect("the size is known");
        assert!(done >= before && done <= 1.0, "{done} after {before}");
        assert!(snapshot.ended || done < 1.0);
        before = done;
        looks += 1;
        for command in &snapshot.commands {
            let shares = command.figures.shares();
            let sum = shares.working_ns + shares.waiting_ns + shares.held_up_ns;
            assert_eq!(sum, command.figures.elapsed_ns, "{command:?}");
            assert!(command.figures.elapsed_ns <= snapshot.elapsed_ns + 1_000_000);
        }
        if snapshot.ended {
            break;
        }
        std::thread::sleep(Duration::from_millis(1));
    }
    assert!(looks > 2);
    assert!(matches!(end(&news), FullEnd::Done(0, files) if files.is_empty()));
    let snapshot = run.watch.snapshot();
    assert_eq!((snapshot.done(), snapshot.read_bytes), (Some(1.0), bytes));
    let counts: Vec<(u64, u64, u64)> = snapshot
        .commands
        .iter()
        .map(|command| {
            (command.figures.lines_in, command.figures.lines_out, command.figures.bytes_in)
        })
        .collect();
    let sevenths = 200_000_u64.div_ceil(7);
    assert_eq!(counts[0], (200_000, sevenths, bytes));
    assert_eq!((counts[1].0, counts[1].1), (sevenths, sevenths));
    assert_eq!((counts[2].0, counts[2].1), (sevenths, sevenths));
    assert_eq!(counts[3].0, sevenths);
    assert_eq!(run.output.lines(), sevenths);
    assert_eq!(run.output.lines_at(0, 1)[0], &b"199997"[..]);
    // sort works while cut waits for it.
    let cut = snapshot.commands[2].figures.shares();
    assert!(cut.waiting_ns > cut.elapsed() / 4, "{cut:?}");
}

trait Elapsed {
    fn elapsed(&self) -> u64;
}

impl Elapsed for stream::Shares {
    fn elapsed(&self) -> u64 {
        self.working_ns + self.waiting_ns + self.held_up_ns
    }
}

#[test]
fn a_paused_run_stands_still_and_goes_on() {
    let (run, news) = start("seq 100000000 | grep 7 | sort -n | tail -n 1", false, &[]);
    await_that(&run, |snapshot| snapshot.commands.len() == 4 && snapshot.elapsed_ns > 20_000_000);
    run.watch.pause();
    // What is in the middle of a block comes to its end.
    let mut last = run.watch.snapshot();
    let since = Instant::now();
    let mut still_since = Instant::now();
    while still_since.elapsed() < Duration::from_millis(300) {
        std::thread::sleep(Duration::from_millis(10));
        let now = run.watch.snapshot();
        assert!(now.paused);
        assert_eq!(now.elapsed_ns, last.elapsed_ns, "the clock of the run stands still");
        let moved = |at: usize| {
            now.commands[at].figures.bytes_out != last.commands[at].figures.bytes_out
                || now.commands[at].figures.processor_ns != last.commands[at].figures.processor_ns
        };
        if (0..4).any(moved) {
            still_since = Instant::now();
        }
        last = now;
        assert!(since.elapsed() < PATIENCE, "it never stands still");
    }
    run.watch.resume();
    let before = last.commands[0].figures.bytes_out;
    await_that(&run, |snapshot| snapshot.commands[0].figures.bytes_out > before);
    run.watch.pause();
    run.watch.cancel();
    assert!(matches!(end(&news), FullEnd::Cancelled));
}

#[test]
fn a_run_that_is_cancelled_writes_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().display();
    std::fs::write(folder.path().join("kept"), "old\n").unwrap();
    let (run, news) =
        start(&format!("seq 1000000000 | tee {at}/new | sed s/1/2/ > {at}/kept"), true, &[]);
    await_that(&run, |snapshot| {
        snapshot.commands.last().is_some_and(|last| last.figures.bytes_out > 100_000)
    });
    run.watch.cancel();
    assert!(matches!(end(&news), FullEnd::Cancelled));
    assert_eq!(std::fs::read(folder.path().join("kept")).unwrap(), b"old\n");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}

#[test]
fn programs_are_metered_by_the_systems_account_and_stopped_by_a_pause() {
    let script = "i=0; while [ $i -lt 3000000 ]; do i=$((i+1)); done; echo done";
    let (run, news) = start(&format!("sh -c '{script}' | cat"), false, &[&["sh", "-c", script]]);
    let busy = await_that(&run, |snapshot| {
        snapshot.commands.first().is_some_and(|first| {
            first.figures.processor_ns > 50_000_000 && first.figures.held_bytes > 100_000
        })
    });
    assert_eq!(busy.commands[0].kind, CommandKind::Program);
    run.watch.pause();
    let since = Instant::now();
    let mut seen = (run.watch.snapshot().commands[0].figures.processor_ns, Instant::now());
    while seen.1.elapsed() < Duration::from_millis(300) {
        std::thread::sleep(Duration::from_millis(20));
        let now = run.watch.snapshot().commands[0].figures.processor_ns;
        if now != seen.0 {
            seen = (now, Instant::now());
        }
        assert!(since.elapsed() < PATIENCE);
    }
    run.watch.resume();
    run.watch.cancel();
    assert!(matches!(end(&news), FullEnd::Cancelled | FullEnd::Done(..)));
}

#[test]
fn what_a_program_leaves_running_goes_on_after_a_run() {
    let folder = tempfile::tempdir().unwrap();
    let (over, mark) = (folder.path().join("over"), folder.path().join("mark"));
    let script = format!(
        "(for i in $(seq 3000); do [ -e {} ] && break; sleep 0.01; done; echo late > {}) \
         > /dev/null 2>&1 & echo ok",
        over.display(),
        mark.display()
    );
    let text = format!("sh -c {}", shell::quote(&script));
    let (_run, news) = start(&text, false, &[&["sh", "-c", &script]]);
    assert!(matches!(end(&news), FullEnd::Done(0, _)));
    std::fs::write(&over, "").unwrap();
    let since = Instant::now();
    while std::fs::read(&mark).ok().is_none_or(|text| text != b"late\n") {
        assert!(since.elapsed() < PATIENCE, "it was ended with the run");
        std::thread::yield_now();
    }
}

#[test]
fn a_followed_file_is_run_without_an_end() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("log");
    std::fs::write(&path, "one\ntwo\n").unwrap();
    let text = format!("tail -n +1 -f {} | grep -v two", path.display());
    assert!(estimate(&text, Variables::default()).endless);
    let (run, news) = start(&text, false, &[]);
    await_that(&run, |snapshot| {
        snapshot.commands.last().is_some_and(|last| last.figures.lines_in == 2)
    });
    let mut file = std::fs::File::options().append(true).open(&path).unwrap();
    std::io::Write::write_all(&mut file, b"three\n").unwrap();
    let snapshot = await_that(&run, |snapshot| {
        snapshot.commands.last().is_some_and(|last| last.figures.lines_out == 2)
    });
    assert_eq!(snapshot.done(), None);
    assert!(!snapshot.ended);
    run.watch.cancel();
    assert!(matches!(end(&news), FullEnd::Cancelled));
}

#[test]
fn an_estimate_tells_sources_holdings_and_whether_it_ends() {
    let folder = tempfile::tempdir().unwrap();
    let path = data(folder.path(), 300_000);
    let bytes = std::fs::metadata(&path).unwrap().len();
    let made =
        estimate(&format!("cut -d' ' -f2 {path} | sort -S 2M | uniq -c"), Variables::default());
    assert_eq!(made.total_bytes, Some(bytes));
    assert_eq!(made.sources.len(), 1);
    assert!(made.time.is_some_and(|time| !time.is_zero()));
    assert_eq!(made.holds.len(), 1);
    assert_eq!(made.holds[0].name, "sort");
    assert!(!made.endless);
    assert_eq!(estimate("( ", Variables::default()).total_bytes, None);
    assert_eq!(Estimate::default().time, None);
    // Nothing is done by it.
    estimate(&format!("cat {path} > {path}.copy; rm {path}"), Variables::default());
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}

#[test]
fn a_command_that_has_ended_no_longer_runs_while_others_do() {
    let (run, news) = start("seq 3 | sleep 60", false, &[]);
    let snapshot =
        await_that(&run, |snapshot| snapshot.commands.len() == 2 && !snapshot.commands[0].running);
    assert!(snapshot.commands[1].running, "{snapshot:?}");
    assert_eq!(snapshot.commands[0].figures.lines_out, 3);
    run.watch.cancel();
    end(&news);
}

#[test]
fn a_large_file_is_read_whole_and_what_one_command_leaves_the_next_one_gets() {
    let folder = tempfile::tempdir().unwrap();
    let path = data(folder.path(), 200_000);
    let bytes = std::fs::metadata(&path).unwrap().len();
    assert!(bytes > 4 << 20, "{bytes}");
    let whole = std::fs::read(&path).unwrap();
    for text in [
        format!("cat {path}"),
        format!("tr x x < {path}"),
        format!("{{ head -n 3; cat; }} < {path}"),
        format!("{{ read line; echo \"$line\"; grep -m 40 line; cat; }} < {path}"),
        format!("{{ awk '{{print}} NR == 5 {{exit}}'; sed 70q; cat; }} < {path}"),
        format!("cat {path} | {{ head -n 7; sed -n '1,9p;9q'; head -c 11; cat; }}"),
        format!("head -n 150000 {path}; tail -n +150001 {path}"),
    ] {
        let (run, news) = start(&text, false, &[]);
        end(&news);
        assert_eq!(run.output.bytes(), bytes, "{text}");
        // Lines are given without their ends.
        let lines = run.output.lines_at(0, 200_000);
        assert!(
            lines.iter().map(|line| &line[..]).eq(whole.split(|byte| *byte == b'\n').take(200_000)),
            "{text}"
        );
    }
}

#[test]
fn standard_input_that_is_not_all_kept_is_an_error_and_not_an_end() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out");
    for (limit, well) in [(1 << 20, true), (100_000, false)] {
        let (reading, writing) = rustix::pipe::pipe().unwrap();
        let writer = std::thread::spawn(move || {
            use std::io::Write;
            // Whoever reads stops at the limit.
            let _ = std::fs::File::from(writing).write_all(&b"a line\n".repeat(40_000));
        });
        let capture = engine::Capture::start_limited(reading, limit, || {}).unwrap();
        let since = Instant::now();
        while !capture.kept().has_ended() && capture.unread().is_none() {
            assert!(since.elapsed() < PATIENCE);
            std::thread::yield_now();
        }
        let (sender, news) = channel();
        let mut workbench = Workbench::new(Some(capture), move |job| drop(sender.send(job)));
        let text = format!("sort | uniq -c > {}", out.display());
        workbench.run_all(FullRequest {
            text: text.clone(),
            variables: Variables::default(),
            allowed: engine::Consents::default(),
            left_out: std::collections::BTreeSet::new(),
            writes: true,
            follows: true,
            expected: Estimate::default(),
        });
        match end(&news) {
            FullEnd::Done(0, _) if well => {
                assert_eq!(std::fs::read_to_string(&out).unwrap(), "  40000 a line\n");
                std::fs::remove_file(&out).unwrap();
            }
            FullEnd::Failed(why) if !well => {
                assert!(why.contains("more than the 0 MiB"), "{why}");
                assert!(!out.exists());
            }
            other => panic!("{other:?}"),
        }
        drop(workbench);
        drop(writer);
    }
}
