//! Advice on real previews.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_methods)] // tests fail by panics

mod advice;
mod columns;
mod differences;
mod drawings;
mod example;
mod golden;
mod guide;
mod inner_trails;
mod point;
mod sheet;
mod trail;
mod words;

use std::path::Path;
use std::sync::Arc;
use std::sync::mpsc::channel;
use std::time::Duration;

use engine::{Limits, Preview, Request, Sample, SessionEvent, Variables, Workbench};
use insight::{Alignment, Note, Proofs, apply_edits, effect};

/// What the shell of this machine writes for these stages; they must say nothing else.
fn host(stages: &str, data: &[u8]) -> Vec<u8> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("data");
    std::fs::write(&path, data).unwrap();
    let output = std::process::Command::new("sh")
        .args(["-c", stages])
        .env("LC_ALL", "C.UTF-8")
        .stdin(std::fs::File::open(&path).unwrap())
        .output()
        .expect("a shell");
    assert_eq!(String::from_utf8_lossy(&output.stderr), "", "{stages}");
    output.stdout
}

fn request_of(text: &str, sample: Sample) -> Request {
    Request {
        text: text.to_owned(),
        at: usize::MAX,
        variables: Variables::default(),
        script: None,
        plan: None,
        sample,
        limits: Limits::default(),
        allowed: engine::Consents::default(),
    }
}

/// All notes on a result, with the changes that were tried.
fn notes(preview: &Arc<Preview>) -> Vec<Note> {
    let request = request_of(&preview.text, preview.sample);
    let proofs = Proofs::new(engine::Trials::default(), request).whatever_the_gain();
    proofs.notes(preview, &stream::RunControl::default())
}

fn preview_of(text: &str, sample: Sample) -> Arc<Preview> {
    let (sender, news) = channel();
    let mut workbench = Workbench::new(None, move |job| drop(sender.send(job)));
    workbench.evaluate(request_of(text, sample));
    loop {
        match news.recv_timeout(Duration::from_secs(30)).expect("a preview") {
            SessionEvent::Done(preview) => {
                // Files read in part are counted after it; what is said depends on that.
                let counts = |preview: &Preview| {
                    preview
                        .sources()
                        .any(|(_, part)| part.identity.is_some() && part.whole_lines().is_none())
                };
                while counts(&preview) {
                    news.recv_timeout(Duration::from_secs(30)).expect("a count");
                }
                return preview;
            }
            SessionEvent::Failed(_, message) => panic!("{message}"),
            SessionEvent::Refused(_, error) => panic!("{error}"),
            _ => {}
        }
    }
}

/// A table with the folder of the test as `DIR`. The folder before that is not told: where the
/// tests were started from elsewhere it is the same one, and then no change.
fn steady(table: &str, folder: &Path) -> String {
    let here = std::env::current_dir().unwrap().display().to_string();
    let before = format!("OLDPWD={here}");
    let lines = table.lines().filter(|line| line.trim() != format!("with {before}"));
    let table: String = lines.map(|line| line.replace(&format!("{before} "), "") + "\n").collect();
    table.replace(&here, "HERE").replace(&folder.display().to_string(), "DIR")
}

fn said(text: &str) -> Vec<Note> {
    notes(&preview_of(text, Sample::First(5000)))
}

fn find<'n>(notes: &'n [Note], id: &str) -> Option<&'n Note> {
    notes.iter().find(|note| note.kind.id() == id)
}

fn fixed(text: &str, id: &str) -> String {
    let notes = said(text);
    apply_edits(text, &find(&notes, id).unwrap().fix.as_ref().unwrap().edits)
}

fn file(directory: &Path, name: &str, text: &str) -> String {
    std::fs::write(directory.join(name), text).unwrap();
    directory.join(name).display().to_string()
}

#[test]
fn repeats_apart_only_when_they_are() {
    let directory = tempfile::tempdir().unwrap();
    let log = file(directory.path(), "log", "a\nb\na\na\n");
    let text = format!("cat {log} | uniq -c");
    let notes = said(&text);
    assert_eq!(
        find(&notes, "repeats-apart").unwrap().text,
        "found only 1 of 2 repeats: the other is not adjacent"
    );
    let better = fixed(&text, "repeats-apart");
    assert_eq!(better, format!("cat {log} | sort | uniq -c"));
    assert!(find(&said(&better), "repeats-apart").is_none());
}

#[test]
fn a_missing_delimiter_is_named_and_replaced() {
    let directory = tempfile::tempdir().unwrap();
    let log = file(directory.path(), "log", "a b\nc d\ne\n");
    for (text, better) in [
        (format!("cut -f2 {log}"), format!("cut -d' ' -f2 {log}")),
        (format!("cut -d, -f2 {log}"), format!("cut -d' ' -f2 {log}")),
        (format!("cut -f2 -d ';' {log}"), format!("cut -f2 -d' ' {log}")),
        (format!("cut -d' ' -f2 {log}"), format!("cut -s -d' ' -f2 {log}")),
    ] {
        assert_eq!(fixed(&text, "delimiter-absent"), better);
    }
    assert!(find(&said(&format!("cut -s -d' ' -f2 {log}")), "delimiter-absent").is_none());
    let notes = said(&format!("cut -f2 {log}"));
    assert_eq!(
        find(&notes, "delimiter-absent").unwrap().text,
        "3 of 3 lines have no TAB: cut passes such lines through unchanged"
    );
}

#[test]
fn files_at_risk_are_named() {
    let directory = tempfile::tempdir().unwrap();
    let log = file(directory.path(), "log", "b\na\n");
    let text = format!("sort {log} > {log}");
    let notes = said(&text);
    assert!(find(&notes, "same-file").is_some());
    assert!(find(&notes, "replaces").is_none(), "one note for one danger");
    assert_eq!(fixed(&text, "same-file"), format!("sort -o {log} {log}"));
    let other = file(directory.path(), "other", "c\n");
    let text = format!("sort {log} > {other}");
    assert_eq!(fixed(&text, "replaces"), format!("sort {log} >> {other}"));
    let text = format!("tac {log} > {log}");
    assert_eq!(fixed(&text, "same-file"), format!("tac {log} > {log}.new"));
    let fresh = format!("sort {log} > {log}.2");
    assert!(
        find(&said(&fresh), "replaces").is_none() && find(&said(&fresh), "same-file").is_none()
    );
}

#[test]
fn a_sample_is_said_to_be_one() {
    let directory = tempfile::tempdir().unwrap();
    let lines: String = (0..100).map(|number| format!("{number}\n")).collect();
    let log = file(directory.path(), "log", &lines);
    let text = format!("cat {log} | sort | head -n 3");
    let preview = preview_of(&text, Sample::First(10));
    let sampled = notes(&preview);
    let stages: Vec<usize> = sampled
        .iter()
        .filter(|note| note.kind.id() == "sample-only")
        .map(|note| note.stage)
        .collect();
    assert_eq!(stages, [0, 1, 2]);
    let held = find(&sampled, "holds-everything").unwrap();
    assert!(held.stage == 1 && held.text.contains("for the whole data"), "{}", held.text);
    let whole = said(&text);
    assert!(find(&whole, "sample-only").is_none());
    let held = find(&whole, "holds-everything").unwrap();
    assert!(!held.text.contains("for the whole data"), "{}", held.text);
}

#[test]
fn effects_and_alignment_follow_the_data() {
    let directory = tempfile::tempdir().unwrap();
    let log = file(directory.path(), "log", "b x\na y\nb x\nc\n");
    let preview =
        preview_of(&format!("grep x {log} | cut -d' ' -f1 | sort | uniq -c"), Sample::Everything);
    let effects: Vec<String> = preview.stages.iter().map(effect).collect();
    assert_eq!(effects, ["keeps 2 of 4", "edits all", "orders", "merges 2 → 1"]);
    let grep = Alignment::of(&preview.stages[0]);
    assert_eq!((grep.len(), grep.dropped, grep.aligned), (4, 2, true));
    assert_eq!(grep.row(1).unwrap().part_of, None);
    let uniq = Alignment::of(&preview.stages[3]);
    assert_eq!((uniq.merges, uniq.dropped), (true, 0));
    assert!(uniq.row(0).unwrap().goes_on && uniq.row(1).unwrap().right.is_none());
}

#[test]
fn a_mark_means_that_the_line_is_in_the_output() {
    let directory = tempfile::tempdir().unwrap();
    let at = directory.path();
    let one = file(at, "one", "a\nb\nb\nc\nd\nd\nd\nf\n");
    let two = file(at, "two", "b\nc\nd\ne\n");
    for (text, expected) in [
        // Input lines by number over all inputs, each with the output line it is in.
        ("venn intersection ONE TWO", "2:1 4:2 5:3 9:1 10:2 11:3"),
        ("venn difference ONE TWO", "1:1 8:2"),
        ("comm -12 ONE TWO", "2:1 4:2 5:3 9:1 10:2 11:3"),
        ("comm -23 ONE TWO", "1:1 3:2 6:3 7:4 8:5"),
        ("uniq -d ONE", "2:1 3:1 5:2 6:2 7:2"),
        ("uniq -u ONE", "1:1 4:2 8:3"),
        ("sort -r ONE | uniq", "1:1 2:2 3:2 4:2 5:3 6:4 7:4 8:5"),
        ("sort -u ONE", "1:1 2:2 4:3 5:4 8:5"),
        ("join ONE TWO", "2:1 3:2 4:3 5:4 6:5 7:6 9:1 10:3 11:4"),
        ("join -v1 ONE TWO", "1:1 8:2"),
        ("tac TWO", "1:4 2:3 3:2 4:1"),
        ("grep -c b ONE", "2:1 3:1"),
        ("awk '/b/' ONE", "2:1 3:2"),
        ("sed -n '/d/{N;p}' ONE", "5:1 6:2 7:3 8:4"),
        ("awk 'END {print NR}' TWO", ""),
        ("paste ONE TWO", "1:1 2:2 3:3 4:4 5:5 6:6 7:7 8:8 9:1 10:2 11:3 12:4"),
    ] {
        let text = text.replace("ONE", &one).replace("TWO", &two);
        let preview = preview_of(&text, Sample::Everything);
        let stage = preview.stages.last().unwrap();
        let whole = Alignment::of(stage);
        for alignment in [whole.folded(), whole] {
            let rows = || (0..alignment.len()).map(|row| alignment.row(row).unwrap());
            let rights = rows().filter_map(|row| row.right);
            assert!(rights.eq(0..stage.out.lines()), "{text}: the output, whole and in order");
        }
        let alignment = Alignment::of(stage);
        let mut marks = String::new();
        for row in (0..alignment.len()).map(|row| alignment.row(row).unwrap()) {
            if let (Some(left), Some(line)) = (row.left, row.part_of) {
                marks.push_str(&format!(" {}:{}", left + 1, line + 1));
            }
        }
        assert_eq!(marks.trim_start(), expected, "{text}");
    }
}

#[test]
fn a_privileged_command_does_not_open_the_file() {
    use std::os::unix::fs::PermissionsExt;
    let directory = tempfile::tempdir().unwrap();
    let (out, tool) = (directory.path().join("out"), directory.path().join("sudo"));
    std::fs::write(&tool, "#!/bin/sh\n").unwrap();
    std::fs::set_permissions(&tool, std::fs::Permissions::from_mode(0o755)).unwrap();
    let (out, tool) = (out.display(), tool.display());
    let text = format!("echo x | {tool} sort >> {out}");
    let found = said(&text);
    let note = find(&found, "privilege").unwrap();
    assert!(
        note.text.contains("is opened with your own rights, not with those of"),
        "{}",
        note.text
    );
    let edits = note.fix.clone().unwrap().edits;
    assert_eq!(
        apply_edits(&text, &edits),
        format!("echo x | {tool} sort | {tool} tee -a {out} > /dev/null")
    );
    let found = said(&format!("echo x | {tool} sort | cat > {out}"));
    assert!(find(&found, "privilege").is_none());
}

#[test]
fn a_diagram_tells_where_output_and_errors_really_go() {
    use draw::Errors;
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().display();
    std::fs::write(folder.path().join("f"), "a\nb\n").unwrap();
    let last = |text: &str| {
        let preview = preview_of(&text.replace("DIR", &at.to_string()), Sample::First(5000));
        insight::diagram(&preview)
    };
    let errors = |text: &str| last(text).stages.pop().unwrap().errors;
    assert_eq!(errors("grep a DIR/f > DIR/out 2>&1"), Errors::WithOutput);
    assert_eq!(errors("grep a DIR/f 2>&1 > DIR/out"), Errors::Usual);
    assert_eq!(errors("grep a DIR/f 2> /dev/null"), Errors::Discarded);
    assert_eq!(errors("grep a DIR/f 2> DIR/err"), Errors::File(format!("{at}/err")));
    assert_eq!(errors("grep a DIR/f"), Errors::Usual);
    let drawn = last("grep a DIR/f 2>&1 | sort > DIR/out 2> DIR/err");
    assert_eq!(drawn.stages[0].errors, Errors::WithOutput);
    assert_eq!(drawn.stages[1].files.len(), 1);
    assert_eq!(drawn.stages[0].carries, "1 2");
    let drawn = last("grep a DIR/none 2>&1 > DIR/out | sort");
    assert_eq!((&drawn.stages[0].errors, &drawn.stages[0].carries[..]), (&Errors::Onwards, "2"));
    assert_eq!(drawn.stages[0].out.lines, Some(1));
    let drawn = last("grep a DIR/f 2>&1 | sort > DIR/out 2> DIR/err");
    assert!(drawn.end.is_empty() && !drawn.on_standard_input);
    assert_eq!(drawn.source.lines, Some(2));
    let drawn = last("sort < DIR/f | wc -l");
    assert!(drawn.on_standard_input && drawn.end == "standard output");
}

#[test]
fn a_device_among_the_redirections_hides_no_file_that_is_replaced() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("log");
    std::fs::write(&log, "a\nb\n").unwrap();
    let notes = said(&format!("echo x > /dev/null 2> {}", log.display()));
    assert!(find(&notes, "replaces").unwrap().text.starts_with("replaces 2 lines of "));
}
