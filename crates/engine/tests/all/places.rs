//! Stages in other folders, what a stage leaves of its input, and full runs beside `sh`.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;
use std::sync::mpsc::channel;
use std::time::Duration;

use engine::{Estimate, FullEnd, FullRequest, SessionEvent, Variables, Workbench};
use proptest::prelude::*;

use crate::previews::Bench;

#[test]
fn after_cd_files_are_found_and_commands_held_where_the_stage_is() {
    let folder = tempfile::tempdir().unwrap();
    let inner = folder.path().join("inner");
    std::fs::create_dir(&inner).unwrap();
    std::fs::write(inner.join("log"), "b\na\n").unwrap();
    let mut bench = Bench::new();
    let cd = format!("cd {}", inner.display());
    let preview = bench.run(&format!("{cd}; sort < log > out"));
    let stage = &preview.stages[0];
    assert_eq!(stage.input_lines(), 2, "what it read is known");
    assert_eq!(stage.input_path(&stage.inputs[0]), Some(inner.join("log")));
    assert_eq!(stage.pending[0].path, inner.join("out"));
    std::fs::write(inner.join("log"), "c\n").unwrap();
    assert_eq!(preview.changed_files(), [inner.join("log")]);
    // A command that a stage would start runs where the stage is.
    for text in ["cat log | xargs rm", "awk '{ system(\"rm \" $1) }' log", "rm log"] {
        let preview = bench.run(&format!("{cd}; {text}"));
        let held = &preview.stages.last().unwrap().held[0];
        assert_eq!(held.directory.as_deref(), Some(&*inner), "{text}");
        assert_eq!(held.consent().unwrap().directory, inner, "{text}");
    }
}

#[test]
fn a_stage_is_seen_to_leave_what_it_does_not_need() {
    let mut bench = Bench::new();
    let lines_in = |text: &str, bench: &mut Bench| {
        let preview = bench.run(text);
        let last = preview.stages.last().unwrap();
        (last.figures.lines_in, last.figures.lines_out, preview.stages[0].reused)
    };
    assert_eq!(lines_in("seq 20 | sort -n | head -n 2", &mut bench), (20, 2, false));
    // The same where the stages before it are kept and only this one runs.
    assert_eq!(lines_in("seq 20 | sort -n | head -n 3", &mut bench), (20, 3, true));
}

#[test]
fn filters_and_words_are_kept_with_the_result() {
    let mut bench = Bench::new();
    let preview = bench.run("seq 20 | grep 7 | while read x; do echo $x; done");
    let [makes, keeps, shell] = &preview.stages[..] else { panic!("three stages") };
    assert_eq!(makes.explanation(), Some("makes the numbers from 1 to 20"));
    assert_eq!(keeps.filter.as_ref().unwrap().marks(b"1717"), [1..2, 3..4]);
    assert!(shell.filter.is_none() && shell.explanation().is_none());
    let again = bench.run("seq 20 | grep 7 | while read x; do echo $x$x; done");
    assert!(again.stages[1].reused && again.stages[1].filter.is_some());
}

/// The files of a folder with their contents, but for what is kept for undo.
fn files(folder: &Path) -> BTreeMap<String, String> {
    let entries = std::fs::read_dir(folder).unwrap().flatten();
    let own =
        |entry: &std::fs::DirEntry| !entry.file_name().to_string_lossy().starts_with(".ylotrope-");
    entries
        .filter(own)
        .map(|entry| {
            let content = std::fs::read_to_string(entry.path()).unwrap();
            (entry.file_name().into_string().unwrap(), content)
        })
        .collect()
}

fn begin(folder: &Path) {
    for name in ["a", "b"] {
        std::fs::write(folder.join(name), format!("{name}2\n{name}1\n")).unwrap();
    }
}

/// Runs a text on everything and writes its files.
fn full(folder: &Path, text: &str) -> FullEnd {
    let (sender, news) = channel();
    let mut workbench = Workbench::new(None, move |event| drop(sender.send(event)));
    workbench.run_all(FullRequest {
        text: format!("cd {}; {text}", folder.display()),
        variables: Variables::default(),
        allowed: engine::Consents::default(),
        left_out: std::collections::BTreeSet::new(),
        writes: true,
        follows: false,
        expected: Estimate::default(),
    });
    loop {
        if let SessionEvent::FullEnded(end) =
            news.recv_timeout(Duration::from_mins(1)).expect("an end")
        {
            return end;
        }
    }
}

fn command() -> impl Strategy<Value = String> {
    let name = || prop::sample::select(vec!["a", "b", "c", "d"]);
    let old = || prop::sample::select(vec!["a", "b"]);
    prop_oneof![
        (old(), name()).prop_map(|(from, to)| format!("sort {from} > {to}")),
        (old(), name()).prop_map(|(from, to)| format!("rev {from} >> {to}")),
        (old(), name(), name())
            .prop_map(|(from, to, also)| format!("tac {from} | tee {to} > {also}")),
        old().prop_map(|name| format!("sort -o {name} {name}")),
        old().prop_map(|name| format!("sed -i s/1/one/ {name}")),
        (name(), name())
            .prop_map(|(one, other)| format!("{{ echo x; echo y >> {one}; }} > {other}")),
        name().prop_map(|name| format!("for i in 1 2 3; do echo $i; done >> {name}")),
        (old(), name()).prop_map(|(from, to)| format!("awk '{{ print > \"{to}\" }}' {from}")),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(60) })]

    /// Files that a full run commits are those that `sh` leaves, and undoing brings back all as it was.
    #[test]
    fn committed_files_are_those_of_sh_and_undo_restores_them(
        commands in prop::collection::vec(command(), 1..5)
    ) {
        let text = commands.join("; ");
        // The order in which two names for one file are opened is not said by the standard.
        prop_assume!(!["a", "b", "c", "d"].iter().any(|name| {
            text.contains(&format!("tee {name} > {name}"))
                || text.contains(&format!(">> {name}; }} > {name}"))
                || text.contains(&format!("sort {name} > {name}"))
                || text.contains(&format!("tac {name} | tee {name}"))
                || text.contains(&format!("> {name}")) && text.contains(&format!("tac {name} |"))
                || text.contains(&format!("rev {name} >> {name}"))
                || text.contains(&format!("print > \"{name}\" }}' {name}"))
        }));
        let (ours, theirs) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        begin(ours.path());
        begin(theirs.path());
        let before = files(ours.path());
        let end = full(ours.path(), &text);
        let FullEnd::Done(_, mut applied) = end else { return Err(TestCaseError::fail(format!("{end:?}: {text}"))) };
        let sh = Command::new("sh").arg("-c").arg(&text).current_dir(theirs.path()).status().unwrap();
        prop_assert!(sh.success(), "{}", text);
        prop_assert_eq!(files(ours.path()), files(theirs.path()), "{}", text);
        for one in applied.iter_mut().rev() {
            engine::undo(one).unwrap();
        }
        prop_assert_eq!(files(ours.path()), before.clone(), "undo of {}", text);
        drop(applied);
        let left = std::fs::read_dir(ours.path()).unwrap().count();
        prop_assert_eq!(left, before.len(), "nothing of {} is left", text);
    }
}
