//! Files that take their places together: whole or not at all, whatever ends the process.

use std::fs::File;
use std::io::Write;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::sync::Arc;

use proptest::prelude::*;
use stream::{Block, Sink};

use super::applied::{Applied, UndoError, undo};
use super::journal::{self, Way};
use super::prepared::commit_all;
use super::written::CommittedFile;

fn prepared(path: &Path, append: bool, text: &str) -> Arc<CommittedFile> {
    let file = Arc::new(CommittedFile::begin(path, append).unwrap());
    file.open(append).unwrap().write(Block::new(text.as_bytes().to_vec())).unwrap();
    file
}

fn apply(path: &Path, append: bool, text: &str) -> Applied {
    commit_all(&[prepared(path, append, text)]).unwrap().pop().unwrap()
}

fn names(folder: &Path) -> usize {
    std::fs::read_dir(folder).unwrap().count()
}

#[test]
fn written_files_keep_permissions_and_can_be_undone() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("out.txt");
    std::fs::write(&path, "old\n").unwrap();
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o640)).unwrap();
    let then = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(1_000_000);
    File::options().write(true).open(&path).unwrap().set_modified(then).unwrap();
    let mut applied = apply(&path, true, "new\n");
    assert_eq!(std::fs::read(&path).unwrap(), b"old\nnew\n");
    assert_eq!(std::fs::metadata(&path).unwrap().permissions().mode() & 0o777, 0o640);
    assert_eq!((applied.bytes, applied.lines), (4, 1));
    undo(&mut applied).unwrap();
    assert_eq!(std::fs::read(&path).unwrap(), b"old\n");
    let facts = std::fs::metadata(&path).unwrap();
    assert_eq!((facts.modified().unwrap(), facts.permissions().mode() & 0o777), (then, 0o640));
    let mut applied = apply(&path, false, "x");
    assert_eq!(std::fs::read(&path).unwrap(), b"x");
    undo(&mut applied).unwrap();
    assert_eq!(std::fs::read(&path).unwrap(), b"old\n");
    drop(applied);
    assert_eq!(names(directory.path()), 1);
}

#[test]
fn what_was_written_and_forgotten_does_not_count() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("out");
    for (first, second, lines) in
        [("a\nb", "", 0), ("a\nb", "c", 1), ("a\n", "c\n", 1), ("a", "c\nd", 2)]
    {
        let file = prepared(&path, false, first);
        file.empty().unwrap();
        file.open(true).unwrap().write(Block::new(second.as_bytes().to_vec())).unwrap();
        let applied = commit_all(&[file]).unwrap().pop().unwrap();
        assert_eq!((applied.bytes, applied.lines), (second.len() as u64, lines), "{second:?}");
        assert_eq!(std::fs::read_to_string(&path).unwrap(), second);
    }
}

#[test]
fn a_new_file_is_removed_by_undo_and_a_link_stays_a_link() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("new.txt");
    undo(&mut apply(&path, false, "x\n")).unwrap();
    assert!(!path.exists());
    std::fs::write(&path, "old").unwrap();
    let link = directory.path().join("link");
    std::os::unix::fs::symlink(&path, &link).unwrap();
    apply(&link, false, "new");
    assert!(std::fs::symlink_metadata(&link).unwrap().is_symlink());
    assert_eq!(std::fs::read(&path).unwrap(), b"new");
}

#[test]
fn a_file_with_two_names_stays_one_file() {
    let directory = tempfile::tempdir().unwrap();
    let (one, two) = (directory.path().join("one"), directory.path().join("two"));
    std::fs::write(&one, "old and long\n").unwrap();
    std::fs::hard_link(&one, &two).unwrap();
    let file = prepared(&one, false, "new\n");
    assert_eq!(std::fs::read(&two).unwrap(), b"old and long\n");
    let mut applied = commit_all(&[file]).unwrap().pop().unwrap();
    assert_eq!(std::fs::read(&two).unwrap(), b"new\n");
    undo(&mut applied).unwrap();
    assert_eq!(std::fs::read(&two).unwrap(), b"old and long\n");
    drop(applied);
    assert_eq!(names(directory.path()), 2);
}

#[test]
fn what_others_add_before_stays_and_what_they_add_after_keeps_all() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("log");
    std::fs::write(&path, "one\n").unwrap();
    let add = |text: &str| {
        File::options().append(true).open(&path).unwrap().write_all(text.as_bytes()).unwrap();
    };
    let file = prepared(&path, true, "mine\n");
    add("theirs\n");
    let mut seen = Vec::new();
    let mut read = file.read().unwrap();
    while let Some(block) = read.next_block().unwrap() {
        seen.extend_from_slice(block.bytes());
    }
    assert_eq!(seen, b"one\ntheirs\nmine\n");
    let mut applied = commit_all(&[file]).unwrap().pop().unwrap();
    assert_eq!(std::fs::read(&path).unwrap(), b"one\ntheirs\nmine\n");
    add("later\n");
    let Err(UndoError::Changed(changed)) = undo(&mut applied) else { panic!("was changed") };
    assert_eq!(changed.ours.as_deref(), Some(&b"mine\n"[..]));
    assert_eq!(changed.now.as_deref(), Some(&b"mine\nlater\n"[..]));
    assert_eq!(std::fs::read(&path).unwrap(), b"one\ntheirs\nmine\nlater\n");
    // Written again with just our piece: that may be taken back, whatever file it is now.
    std::fs::write(&path, "one\ntheirs\nmine\n").unwrap();
    undo(&mut applied).unwrap();
    assert_eq!(std::fs::read(&path).unwrap(), b"one\ntheirs\n");
}

#[test]
fn what_others_have_changed_is_not_taken_back() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("f");
    for old in [None, Some("old\n")] {
        let _ = std::fs::remove_file(&path);
        if let Some(old) = old {
            std::fs::write(&path, old).unwrap();
        }
        let mut applied = apply(&path, false, "ours\n");
        std::fs::write(&path, "theirs\n").unwrap();
        assert!(matches!(undo(&mut applied), Err(UndoError::Changed(_))));
        assert_eq!(std::fs::read(&path).unwrap(), b"theirs\n");
        std::fs::remove_file(&path).unwrap();
        assert!(matches!(undo(&mut applied), Err(UndoError::Changed(_))));
        assert!(!path.exists());
    }
}

#[test]
fn a_name_that_is_a_link_by_now_is_not_taken_back() {
    let directory = tempfile::tempdir().unwrap();
    let at = |name: &str| directory.path().join(name);
    for old in [None, Some("old\n")] {
        for name in ["f", "g"] {
            let _ = std::fs::remove_file(at(name));
        }
        if let Some(old) = old {
            std::fs::write(at("f"), old).unwrap();
        }
        let mut applied = apply(&at("f"), false, "ours\n");
        std::fs::rename(at("f"), at("g")).unwrap();
        std::os::unix::fs::symlink("g", at("f")).unwrap();
        assert!(matches!(undo(&mut applied), Err(UndoError::Changed(_))));
        assert!(std::fs::symlink_metadata(at("f")).unwrap().is_symlink());
        assert_eq!(std::fs::read(at("g")).unwrap(), b"ours\n");
    }
}

#[test]
fn if_one_cannot_be_put_in_place_all_are_as_they_were() {
    let directory = tempfile::tempdir().unwrap();
    let path = |name: &str| directory.path().join(name);
    std::fs::create_dir(path("sub")).unwrap();
    for name in ["replaced", "added", "hard", "sub/last"] {
        std::fs::write(path(name), "old\n").unwrap();
    }
    std::fs::hard_link(path("hard"), path("hard too")).unwrap();
    let files = [
        prepared(&path("replaced"), false, "new\n"),
        prepared(&path("added"), true, "new\n"),
        prepared(&path("hard"), false, "n\n"),
        prepared(&path("fresh"), false, "new\n"),
        prepared(&path("sub/last"), false, "new\n"),
    ];
    std::fs::remove_dir_all(path("sub")).unwrap();
    let error = commit_all(&files).unwrap_err();
    assert!(error.path.ends_with("sub/last"), "{error}");
    drop(files);
    for name in ["replaced", "added", "hard", "hard too"] {
        assert_eq!(std::fs::read(path(name)).unwrap(), b"old\n", "{name}");
    }
    assert!(!path("fresh").exists());
    assert_eq!(names(directory.path()), 4);
}

#[test]
fn what_is_not_committed_leaves_nothing() {
    let directory = tempfile::tempdir().unwrap();
    drop(prepared(&directory.path().join("out"), false, "half"));
    assert_eq!(names(directory.path()), 0);
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(60) })]

    #[test]
    fn undo_brings_back_bytes_rights_and_times(
        old in prop::option::of("[ab\n]{0,20}"),
        writes in prop::collection::vec(("[xy\n]{0,20}", any::<bool>()), 1..4),
        mode in prop::sample::select(vec![0o600u32, 0o644, 0o640, 0o755, 0o444]),
        seconds in 1u64..2_000_000_000,
        linked in any::<bool>(),
    ) {
        let directory = tempfile::tempdir().unwrap();
        let path = directory.path().join("file");
        let then = std::time::SystemTime::UNIX_EPOCH + std::time::Duration::from_secs(seconds);
        let mut count = 0;
        if let Some(old) = &old {
            std::fs::write(&path, old).unwrap();
            File::options().write(true).open(&path).unwrap().set_modified(then).unwrap();
            std::fs::set_permissions(&path, std::fs::Permissions::from_mode(mode)).unwrap();
            count = 1;
            if linked {
                std::fs::hard_link(&path, directory.path().join("other")).unwrap();
                count = 2;
            }
        }
        let mut expected = old.clone().unwrap_or_default();
        let mut all = Vec::new();
        for (text, append) in &writes {
            expected = if *append { expected + text } else { text.clone() };
            all.push(apply(&path, *append, text));
            prop_assert_eq!(std::fs::read_to_string(&path).unwrap(), expected.clone());
        }
        while let Some(mut applied) = all.pop() {
            undo(&mut applied).unwrap();
        }
        match &old {
            None => prop_assert!(!path.exists()),
            Some(old) => {
                prop_assert_eq!(&std::fs::read_to_string(&path).unwrap(), old);
                let facts = std::fs::metadata(&path).unwrap();
                prop_assert_eq!(facts.permissions().mode() & 0o777, mode);
                prop_assert_eq!(facts.modified().unwrap(), then);
            }
        }
        prop_assert_eq!(names(directory.path()), count);
    }
}

/// What the process that is killed does: writes its files, says so, and waits to be undone.
mod killed {
    use std::io::BufRead;
    use std::process::{Command, Stdio};
    use std::time::Duration;

    use super::*;
    use crate::files::commit::recovery::{left_to_undo, recover_writes};

    const FOLDER: &str = "YLOTROPE_TEST_FOLDER";
    const JOURNALS: &str = "YLOTROPE_TEST_JOURNALS";

    /// Files that take the place of another one, files with two names, files that are added to, emptied
    /// ones, and new ones.
    const KINDS: [&str; 5] = ["plain", "linked", "added", "emptied", "new"];

    fn old(kind: &str, number: usize) -> Option<String> {
        (kind != "new").then(|| format!("old {kind} {number}\n").repeat(number * 7 % 400 + 1))
    }

    fn new(kind: &str, number: usize) -> String {
        let text = format!("new {kind} {number}\n").repeat(number * 11 % 500 + 1);
        match kind {
            "added" => old(kind, number).unwrap() + &text,
            "emptied" => String::new(),
            _ => text,
        }
    }

    fn name(kind: &str, number: usize) -> String {
        format!("{kind}-{number:03}")
    }

    fn lay_out(folder: &Path, count: usize) {
        for number in 0..count {
            for kind in KINDS {
                let path = folder.join(name(kind, number));
                match old(kind, number) {
                    Some(old) => std::fs::write(&path, old).unwrap(),
                    None => drop(std::fs::remove_file(&path)),
                }
                if kind == "linked" {
                    let _ = std::fs::hard_link(&path, folder.join(format!("other-{number:03}")));
                }
            }
        }
    }

    fn now(folder: &Path, kind: &str, number: usize) -> Option<String> {
        std::fs::read_to_string(folder.join(name(kind, number))).ok()
    }

    fn is_all(folder: &Path, count: usize, wanted: impl Fn(&str, usize) -> Option<String>) -> bool {
        (0..count).all(|number| {
            KINDS.iter().all(|kind| now(folder, kind, number) == wanted(kind, number))
        })
    }

    #[test]
    #[ignore = "run by the others, to be killed"]
    fn worker() {
        let Some(folder) = std::env::var_os(FOLDER) else { return };
        journal::keep_journals_in(std::env::var_os(JOURNALS).unwrap().into());
        let folder = Path::new(&folder);
        let count = asked_for("YLOTROPE_TEST_COUNT", 0);
        let mut files = Vec::new();
        if count == 0 {
            let text = "new content\n".repeat(asked_for("YLOTROPE_TEST_SIZE", 0) / 12);
            files.push(prepared(&folder.join("large"), false, &text));
        }
        for number in 0..count {
            for kind in KINDS {
                let text = match kind {
                    "added" => new(kind, number)[old(kind, number).unwrap().len()..].to_owned(),
                    _ => new(kind, number),
                };
                files.push(prepared(&folder.join(name(kind, number)), kind == "added", &text));
            }
        }
        println!("\nwriting");
        let mut applied = commit_all(&files).unwrap();
        println!("\nwritten");
        if std::env::var_os("YLOTROPE_TEST_UNDO").is_some() {
            for one in applied.iter_mut().rev() {
                undo(one).unwrap();
            }
        }
        println!("\ndone");
        std::thread::park();
    }

    struct Worker(std::process::Child, std::io::BufReader<std::process::ChildStdout>);

    impl Worker {
        fn start(folder: &Path, journals: &Path, count: usize, undoes: bool) -> Self {
            Self::begin(folder, journals, |command| {
                command.env("YLOTROPE_TEST_COUNT", count.to_string());
                if undoes {
                    command.env("YLOTROPE_TEST_UNDO", "1");
                }
            })
        }

        fn start_large(folder: &Path, journals: &Path, size: usize) -> Self {
            Self::begin(folder, journals, |command| {
                command.env("YLOTROPE_TEST_SIZE", size.to_string());
            })
        }

        fn begin(folder: &Path, journals: &Path, asks: impl Fn(&mut Command)) -> Self {
            let mut command = Command::new(std::env::current_exe().unwrap());
            command
                .args([
                    "--exact",
                    "files::commit::tests::killed::worker",
                    "--ignored",
                    "--nocapture",
                ])
                .env(FOLDER, folder)
                .env(JOURNALS, journals)
                .stdout(Stdio::piped())
                .stderr(Stdio::null());
            asks(&mut command);
            let starting = lease::starting();
            let mut child = command.spawn().unwrap();
            drop(starting);
            let out = std::io::BufReader::new(child.stdout.take().unwrap());
            Self(child, out)
        }

        fn wait_for(&mut self, line: &str) {
            let mut read = String::new();
            while read.trim() != line {
                read.clear();
                assert!(self.1.read_line(&mut read).unwrap() > 0, "it has ended before {line}");
            }
        }

        fn kill(mut self) {
            self.0.kill().unwrap();
            self.0.wait().unwrap();
        }
    }

    /// In a process of its own: where journals are is said once.
    fn apart(test: &str, own: impl FnOnce()) {
        if std::env::var("YLOTROPE_TEST_APART").is_ok_and(|wanted| wanted == test) {
            return own();
        }
        let folder = tempfile::tempdir().unwrap();
        let path = format!("files::commit::tests::killed::{test}");
        let output = Command::new(std::env::current_exe().unwrap())
            .args(["--exact", &path, "--nocapture"])
            .env("YLOTROPE_TEST_APART", test)
            .env(FOLDER, folder.path())
            .output()
            .unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    }

    fn folders() -> (std::path::PathBuf, std::path::PathBuf) {
        let base = std::path::PathBuf::from(std::env::var_os(FOLDER).unwrap());
        let (data, journals) = (base.join("data"), base.join("journals"));
        std::fs::create_dir_all(&data).unwrap();
        journal::keep_journals_in(journals.clone());
        (data, journals)
    }

    /// More than the usual number, for a longer trial.
    fn asked_for(variable: &str, usual: usize) -> usize {
        std::env::var(variable).map_or(usual, |number| number.parse().unwrap())
    }

    #[test]
    fn at_whatever_moment_all_is_old_or_all_is_new() {
        apart("at_whatever_moment_all_is_old_or_all_is_new", || {
            let count = asked_for("YLOTROPE_TEST_FILES", 60) / KINDS.len();
            let (data, journals) = folders();
            // How long it takes, undisturbed.
            lay_out(&data, count);
            let mut worker = Worker::start(&data, &journals, count, false);
            worker.wait_for("writing");
            let begun = std::time::Instant::now();
            worker.wait_for("written");
            let whole = begun.elapsed();
            worker.kill();
            assert!(is_all(&data, count, |kind, number| Some(new(kind, number))));
            drop(left_to_undo());
            let (mut finished, mut taken_back) = (0, 0);
            for round in 0..100_u32 {
                lay_out(&data, count);
                let mut worker = Worker::start(&data, &journals, count, false);
                worker.wait_for("writing");
                // Every hundredth of it, not in order.
                std::thread::sleep(whole * (round * 37 % 100) / 100);
                worker.kill();
                let recovered = recover_writes();
                let is_new = is_all(&data, count, |kind, number| Some(new(kind, number)));
                let is_old = is_all(&data, count, old);
                assert!(is_new || is_old, "round {round}: {recovered:?}");
                finished += u32::from(is_new);
                taken_back += u32::from(is_old);
                assert!(recovered.iter().all(|one| one.left.is_empty() && one.finished == is_new));
                // What was written may still be undone, whoever finished it.
                for mut applied in left_to_undo().into_iter().rev() {
                    undo(&mut applied).unwrap();
                }
                assert!(is_all(&data, count, old), "round {round} undone");
                for number in 0..count {
                    let other = std::fs::read_to_string(data.join(format!("other-{number:03}")));
                    assert_eq!(other.ok(), old("linked", number));
                }
                let left = |folder: &Path| {
                    let names = std::fs::read_dir(folder).unwrap().flatten();
                    let names = names.map(|entry| entry.file_name().to_string_lossy().into_owned());
                    names.filter(|name| name.contains("ylotrope")).collect::<Vec<_>>()
                };
                // What was begun but never noted is cleared away by the next that writes there.
                drop(apply(&data.join("scratch"), false, "x"));
                std::fs::remove_file(data.join("scratch")).unwrap();
                if left_to_undo().is_empty() {
                    let names = left(&data);
                    assert!(is_old || names.is_empty(), "round {round}: {names:?}");
                }
            }
            assert!(finished > 0 && taken_back > 0, "{finished} {taken_back}");
        });
    }

    /// One large file with two names is written in place: its old content must be somewhere at every moment.
    #[test]
    fn a_large_file_with_a_second_name_is_old_or_new() {
        apart("a_large_file_with_a_second_name_is_old_or_new", || {
            let size = asked_for("YLOTROPE_TEST_SIZE", 6 << 20);
            let rounds = asked_for("YLOTROPE_TEST_ROUNDS", 12) as u32;
            let (data, journals) = folders();
            let [one, other] = ["large", "other"].map(|name| data.join(name));
            let (old, new) =
                (b"old content\n".repeat(size / 12), b"new content\n".repeat(size / 12));
            std::fs::write(&one, &old).unwrap();
            std::fs::hard_link(&one, &other).unwrap();
            let start = || {
                let mut worker = Worker::start_large(&data, &journals, size);
                worker.wait_for("writing");
                worker
            };
            let mut worker = start();
            let begun = std::time::Instant::now();
            worker.wait_for("written");
            let whole = begun.elapsed();
            worker.kill();
            let take_back = || {
                for mut applied in left_to_undo().into_iter().rev() {
                    undo(&mut applied).unwrap();
                }
            };
            take_back();
            let (mut finished, mut taken_back) = (0, 0);
            for round in 0..rounds {
                let worker = start();
                std::thread::sleep(whole * (round * 37 % rounds) / rounds);
                worker.kill();
                let recovered = recover_writes();
                let found = std::fs::read(&one).unwrap();
                assert!(found == old || found == new, "round {round}: {recovered:?}");
                assert!(std::fs::read(&other).unwrap() == found, "round {round}: one file still");
                finished += u32::from(found == new);
                taken_back += u32::from(found == old);
                take_back();
                assert!(std::fs::read(&other).unwrap() == old, "round {round}: undone");
            }
            assert!(finished + taken_back == rounds && taken_back > 0, "{finished} {taken_back}");
        });
    }

    #[test]
    fn an_undo_that_is_cut_off_is_finished() {
        apart("an_undo_that_is_cut_off_is_finished", || {
            const COUNT: usize = 8;
            let (data, journals) = folders();
            for round in 0..20 {
                lay_out(&data, COUNT);
                let mut worker = Worker::start(&data, &journals, COUNT, true);
                worker.wait_for("written");
                std::thread::sleep(Duration::from_micros(400 * round));
                worker.kill();
                assert!(recover_writes().is_empty());
                for mut applied in left_to_undo().into_iter().rev() {
                    undo(&mut applied).unwrap();
                }
                assert!(is_all(&data, COUNT, old), "round {round}");
            }
        });
    }

    #[test]
    fn what_others_have_changed_meanwhile_stays_theirs_and_ours_is_kept() {
        apart("what_others_have_changed_meanwhile_stays_theirs_and_ours_is_kept", || {
            let (data, _) = folders();
            let path = data.join("f");
            std::fs::write(&path, "old\n").unwrap();
            // A journal as a process leaves it that was killed right after it had decided.
            let file = prepared(&path, false, "new\n");
            let temporary = file.lock().temporary.as_ref().unwrap().path().unwrap();
            let number = std::fs::metadata(&temporary).map(|facts| {
                use std::os::unix::fs::MetadataExt;
                (facts.dev(), facts.ino())
            });
            let entry = journal::Entry {
                target: journal::Named::of(&path),
                way: Way::Rename,
                content: journal::Named::of(&temporary),
                content_number: number.unwrap(),
                bytes: 4,
                lines: 1,
                rights: None,
                old_number: Some((0, 0)),
                old: journal::Old::Nothing,
            };
            let journal = journal::Journal::begin(&[entry]).unwrap().unwrap();
            journal.note(&journal::Line::Decided).unwrap();
            journal.leave();
            let recovered = recover_writes();
            let [(at, why, kept)] = &recovered[0].left[..] else { panic!("{recovered:?}") };
            assert_eq!((at, std::fs::read_to_string(&path).unwrap().as_str()), (&path, "old\n"));
            assert!(why.contains("changed by others"), "{why}");
            let kept = kept.as_ref().unwrap();
            assert_eq!(kept.file_name().unwrap(), "f.not-written");
            assert_eq!(std::fs::read_to_string(kept).unwrap(), "new\n");
            assert!(recover_writes().is_empty());
        });
    }
}
