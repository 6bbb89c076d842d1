use std::io::Write;
use std::os::unix::fs::PermissionsExt;

use proptest::prelude::*;

use super::*;

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
