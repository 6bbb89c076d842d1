//! What depends on data that was cut off, and previews of everything where that is quick.

use std::sync::Arc;
use std::time::Duration;

use engine::{Limits, Preview, Sample, SessionEvent};

use crate::previews::Bench;

const PATIENCE: Duration = Duration::from_secs(30);

/// A folder with a log of 2 000 lines, a small file and a list of names.
fn folder() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let log: String = (1..=2000).map(|number| format!("{number} a line of the log\n")).collect();
    std::fs::write(folder.path().join("log"), log).unwrap();
    std::fs::write(folder.path().join("small"), "1\n2\n3\n").unwrap();
    std::fs::write(folder.path().join("names"), "small\nlog\n").unwrap();
    folder
}

fn flags(preview: &Preview) -> String {
    preview.stages.iter().map(|stage| if stage.from_part() { '≈' } else { '=' }).collect()
}

#[test]
fn what_has_come_to_the_end_of_cut_data_depends_on_it() {
    let folder = folder();
    let mut wrong = String::new();
    for (text, expected) in [
        ("cat log | sort", "≈≈"),
        ("cat small | sort", "=="),
        ("seq 3 | sort", "=="),
        // Who stops before the end has all that it asked for.
        ("head -n 3 log | sort", "=="),
        ("sed 3q log", "="),
        ("awk 'NR == 3 { print; exit }' log", "="),
        ("cat log | head -n 2 | sort", "≈=="),
        ("sort log | head -n 2", "≈≈"),
        ("tac log | head -n 2", "≈≈"),
        // Who comes to it does not know what follows.
        ("sed -n '$p' log", "≈"),
        ("awk 'NR == 1999' log", "≈"),
        ("grep -c zzz log", "≈"),
        ("grep zzz log | wc -l", "≈≈"),
        ("tail -n 2 log", "≈"),
        ("cat small log | tail -n 1", "≈≈"),
        ("paste - log < small", "≈"),
        ("wc -l < log", "≈"),
        ("wc -l small log", "≈"),
        // What runs inside a stage reads for it.
        ("for f in small log; do wc -l $f; done | cat", "≈≈"),
        ("for f in small; do wc -l $f; done | cat", "=="),
        ("while read n; do echo $n; done < log", "≈"),
        ("{ cat log; } | wc -l", "≈≈"),
        ("f() { wc -l log; }; f | cat", "≈≈"),
        ("cat <(sort log) small", "≈"),
        ("cat names | xargs -n1 wc -l", "=≈"),
        ("echo small | xargs wc -l", "=="),
        ("grep -rn zzz .", "≈"),
        ("awk '{ while ((getline x < $1) > 0) n++ } END { print n }' names", "≈"),
        ("awk 'BEGIN { while ((\"wc -l log\" | getline x) > 0) print x }' | cat", "≈≈"),
        // What comes before the pipeline is in what it expands, or decides whether it is reached.
        ("x=$(wc -l < log); echo $x | cat", "≈≈"),
        ("echo $(wc -l < log) | cat", "≈≈"),
        ("wc -l log; echo a | cat", "=="),
        ("grep -q zzz log || echo a", "≈"),
        ("x=$(wc -l < small); echo $x", "="),
        ("read x < small; echo $x", "="),
        // What is written from it by the text itself.
        ("tee copy < log | wc -l; cat copy", "≈"),
        ("sort log > copy; wc -l < copy", "≈"),
        ("sort small > copy; wc -l < copy", "="),
    ] {
        let mut bench = Bench::new();
        bench.sample = Sample::First(500);
        let line = format!("cd {}\n{text}", folder.path().display());
        let preview = bench.run(&line);
        if flags(&preview) != expected {
            wrong += &format!("{text}: {}, expected {expected}\n", flags(&preview));
        }
        if text.contains(';') || text.contains("||") {
            continue;
        }
        assert_eq!(preview.is_whole(), !expected.contains('≈'), "{text}");
        // On everything nothing depends on a part.
        bench.sample = Sample::Everything;
        let preview = bench.run(&line);
        assert!(preview.is_whole() && !flags(&preview).contains('≈'), "{text}");
    }
    assert!(wrong.is_empty(), "{wrong}");
}

#[test]
fn samples_that_do_not_begin_at_the_first_line_are_parts_from_there_on() {
    let folder = folder();
    let line = format!("cd {}\ncat log | head -n 2", folder.path().display());
    for (sample, expected) in [
        (Sample::Last(500), "≈≈"),
        (Sample::Every(3), "≈≈"),
        (Sample::Random { lines: 400, seed: 1 }, "≈≈"),
        (Sample::First(500), "≈="),
        (Sample::Everything, "=="),
    ] {
        let mut bench = Bench::new();
        bench.sample = sample;
        assert_eq!(flags(&bench.run(&line)), expected, "{sample:?}");
    }
}

#[test]
fn commands_before_and_after_count_for_the_whole() {
    let folder = folder();
    for (text, whole) in
        [("wc -l log; echo a", false), ("echo a\nwc -l log", false), ("wc -l small; echo a", true)]
    {
        let mut bench = Bench::new();
        bench.sample = Sample::First(500);
        let mut request = bench.request(&format!("cd {}\n{text}", folder.path().display()));
        request.at = request.text.find("echo").unwrap();
        let preview = bench.answer(request);
        assert_eq!((flags(&preview), preview.is_whole()), ("=".to_owned(), whole), "{text}");
    }
}

#[test]
fn a_stage_knows_what_it_and_what_runs_inside_it_has_read_in_part() {
    let folder = folder();
    let mut bench = Bench::new();
    bench.sample = Sample::First(500);
    let names = |preview: &Preview, stage: usize| -> Vec<(String, u64)> {
        let part = |part: &engine::PartialRead| {
            let name = part.path.file_name().unwrap().to_string_lossy().into_owned();
            (name, part.sampled.kept.lines())
        };
        preview.stages[stage].partial.iter().map(part).collect()
    };
    let log = || vec![("log".to_owned(), 500)];
    let preview =
        bench.run(&format!("cd {}\ncat names | xargs cat | sort", folder.path().display()));
    assert_eq!([0, 1, 2].map(|stage| names(&preview, stage)), [vec![], log(), vec![]]);
    let preview = bench.run(&format!("cd {}\nx=$(cat log); echo $x", folder.path().display()));
    assert_eq!((names(&preview, 0), preview.partial_before.len()), (vec![], 1));
    assert_eq!(preview.partial().len(), 1);
}

/// What is reported of one evaluation: of which sample each result is, and what else came.
fn reported(bench: &mut Bench, text: &str) -> (Vec<String>, Option<Arc<Preview>>) {
    let request = bench.request(text);
    let number = bench.workbench.evaluate(request);
    let (mut told, mut last) = (Vec::new(), None);
    loop {
        let (end, preview) = match bench.news.recv_timeout(PATIENCE).expect("news") {
            SessionEvent::Begun(preview) => {
                assert_eq!(preview.generation, number - 1);
                told.push(format!("begun {:?}", preview.sample));
                (false, preview)
            }
            SessionEvent::Done(preview) => {
                assert_eq!(preview.generation, number);
                told.push(format!("done {:?}", preview.sample));
                (true, preview)
            }
            SessionEvent::Settled(of) => {
                assert_eq!(of, number);
                told.push("settled".to_owned());
                return (told, last);
            }
            SessionEvent::Refused(_, error) => panic!("{error}"),
            SessionEvent::Failed(_, message) => panic!("{message}"),
            _ => continue,
        };
        assert!(bench.workbench.accept(&preview));
        last = Some(preview);
        if end {
            return (told, last);
        }
    }
}

fn counted(preview: Option<Arc<Preview>>) -> String {
    let preview = preview.unwrap();
    String::from_utf8(preview.stages.last().unwrap().out.contents()).unwrap()
}

#[test]
fn what_is_quick_is_looked_at_whole_after_the_first_lines() {
    let folder = folder();
    let log = folder.path().join("log").display().to_string();
    let mut bench = Bench::new();
    bench.sample = Sample::Quick(50);
    let (told, last) = reported(&mut bench, &format!("cat {log} | wc -l"));
    assert_eq!(told, ["begun First(50)", "done Everything"]);
    let whole = last.clone().unwrap();
    assert!(whole.is_whole());
    assert_eq!(counted(last), "2000\n");
    // Each of the two results continues from the one of its kind.
    let (told, last) = reported(&mut bench, &format!("cat {log} | wc -l | cat"));
    assert_eq!(told, ["begun First(50)", "done Everything"]);
    let reused: Vec<bool> =
        last.as_ref().unwrap().stages.iter().map(|stage| stage.reused).collect();
    assert_eq!(reused, [true, true, false]);
    assert_eq!(counted(last), "2000\n");
    // What the first lines answer is not looked at again.
    let (told, _) = reported(&mut bench, &format!("head -n 3 {log} | wc -l"));
    assert_eq!(told, ["done First(50)"]);
    let (told, _) = reported(&mut bench, "seq 3");
    assert_eq!(told, ["done First(50)"]);
    // Inside a stage too.
    let text = format!("for f in {log} {log}; do wc -l < $f; done");
    let (told, last) = reported(&mut bench, &text);
    assert_eq!(told, ["begun First(50)", "done Everything"]);
    assert_eq!(counted(last), "2000\n2000\n");
}

#[test]
fn what_is_not_quick_or_too_large_stays_a_sample() {
    let folder = folder();
    let log = folder.path().join("log").display().to_string();
    let mut bench = Bench::new();
    bench.sample = Sample::Quick(50);
    // A limit is in the way of everything.
    bench.limits = Limits { lines: 1000, ..Limits::default() };
    let (told, last) = reported(&mut bench, &format!("cat {log} | wc -l"));
    assert_eq!(told, ["begun First(50)", "settled"]);
    assert_eq!(counted(last), "50\n");
    // It is known beforehand.
    bench.limits = Limits { bytes: 10_000, ..Limits::default() };
    let (told, last) = reported(&mut bench, &format!("cat {log} | wc -l"));
    assert_eq!(told, ["done First(50)"]);
    assert!(!last.unwrap().is_whole());
    bench.limits = Limits::default();
}

#[test]
fn a_program_that_only_the_user_has_let_through_is_not_started_twice() {
    let folder = folder();
    let log = folder.path().join("log").display().to_string();
    let made = folder.path().join("made").display().to_string();
    let mut bench = Bench::new();
    bench.sample = Sample::Quick(50);
    for (text, of) in [
        // A consent that is not used is in nobody's way.
        (format!("cat {log} | wc -l"), Sample::Everything),
        (format!("{{ touch {made}; cat {log}; }} | wc -l"), Sample::First(50)),
    ] {
        let mut request = bench.request(&text);
        request.allowed = crate::previews::consents(&[&["touch", &made]]);
        let number = bench.workbench.evaluate(request);
        let last = loop {
            match bench.news.recv_timeout(PATIENCE).expect("news") {
                SessionEvent::Done(preview) if preview.generation == number => break preview,
                SessionEvent::Settled(_) => panic!("{text}"),
                _ => {}
            }
        };
        assert_eq!(last.sample, of, "{text}");
    }
    assert!(std::path::Path::new(&made).exists());
}
