//! Programs and files that misbehave.

use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};

use engine::{Ending, Limit, Preview};
use stream::ExitStatus;

use crate::previews::{Bench, consents};

/// The preview of a text in which these programs may run.
fn look(bench: &mut Bench, text: &str, allowed: &[&[&str]]) -> std::sync::Arc<Preview> {
    let mut request = bench.request(text);
    request.allowed = consents(allowed);
    bench.answer(request)
}

fn runs(pid: &str) -> bool {
    Path::new("/proc").join(pid.trim()).exists()
}

#[test]
fn a_program_that_ignores_being_asked_is_ended_with_all_it_started() {
    let directory = tempfile::tempdir().unwrap();
    let (own, child) = (directory.path().join("own"), directory.path().join("child"));
    let script = format!(
        "trap '' TERM; sh -c 'trap \"\" TERM; echo $$ > {}; while :; do sleep 1; done' & echo $$ > {}; while :; do sleep 1; done",
        child.display(),
        own.display(),
    );
    let mut bench = Bench::new();
    bench.limits.time = Duration::from_millis(600);
    let started = Instant::now();
    let text = format!("sh -c {} | wc -l", shell::quote(&script));
    let preview = look(&mut bench, &text, &[&["sh", "-c", &script]]);
    assert!(started.elapsed() < Duration::from_secs(10));
    assert_eq!(preview.stages[0].ending, Ending::Cut(Limit::Time(Duration::from_millis(600))));
    for file in [own, child] {
        let pid = std::fs::read_to_string(file).unwrap();
        let deadline = Instant::now() + Duration::from_secs(10);
        while runs(&pid) && Instant::now() < deadline {
            std::thread::yield_now();
        }
        assert!(!runs(&pid), "{pid} still runs");
    }
}

#[test]
fn output_without_end_is_cut_and_what_came_is_used_again() {
    let directory = tempfile::tempdir().unwrap();
    let ticks = directory.path().join("ticks");
    let mut bench = Bench::new();
    bench.limits.lines = 5000;
    let script = format!("echo tick >> {}; yes", ticks.display());
    let preview = look(
        &mut bench,
        &format!("sh -c {} | sort", shell::quote(&script)),
        &[&["sh", "-c", &script]],
    );
    assert!(matches!(preview.stages[0].ending, Ending::Cut(Limit::Lines(5000))));
    // A source that ends is run once, whatever becomes of the later stages.
    let script = format!("echo tock >> {}; seq 3", ticks.display());
    let quoted = shell::quote(&script);
    let allowed: &[&[&str]] = &[&["sh", "-c", &script]];
    for later in ["sort", "sort -r", "wc -l"] {
        look(&mut bench, &format!("sh -c {quoted} | {later}"), allowed);
    }
    // Also when it was allowed for one result only.
    let preview = look(&mut bench, &format!("sh -c {quoted} | head -n 1"), &[]);
    assert_eq!(preview.stages[1].out.contents(), b"1\n");
    assert_eq!(std::fs::read_to_string(&ticks).unwrap().matches("tock").count(), 1);
    bench.workbench.forget();
    look(&mut bench, &format!("sh -c {quoted} | head -n 1"), allowed);
    assert_eq!(std::fs::read_to_string(&ticks).unwrap().matches("tock").count(), 2);
}

#[test]
fn ends_of_programs_are_told() {
    let mut bench = Bench::new();
    let killed: &[&str] = &["sh", "-c", "echo a; kill -9 $$"];
    let preview = look(&mut bench, "sh -c 'echo a; kill -9 $$' | cat", &[killed]);
    assert_eq!(preview.stages[0].status, ExitStatus(137));
    assert_eq!(preview.stages[1].out.contents(), b"a\n");
    let failing: &[&str] = &["sh", "-c", "echo oops >&2; exit 3"];
    let preview = look(&mut bench, "sh -c 'echo oops >&2; exit 3' | cat", &[failing]);
    assert_eq!(preview.stages[0].status, ExitStatus(3));
    assert_eq!(preview.stages[0].messages, "oops\n");
}

#[test]
fn a_missing_folder_and_a_full_disk_leave_everything_as_it_was() {
    let directory = tempfile::tempdir().unwrap();
    let folder = directory.path();
    std::fs::write(folder.join("kept"), "old\n").unwrap();
    let mut bench = Bench::new();
    let at = folder.display();
    let error = bench.write(&format!("echo new | tee {at}/kept > {at}/no/file"));
    assert!(error.unwrap_err().to_string().contains("nothing was written"));
    assert_eq!(std::fs::read(folder.join("kept")).unwrap(), b"old\n");
    // A small disk of its own, where this may be made.
    let disk = folder.join("disk");
    std::fs::create_dir(&disk).unwrap();
    let mounted = Command::new("mount")
        .args(["-t", "tmpfs", "-o", "size=64k", "none"])
        .arg(&disk)
        .output()
        .is_ok_and(|output| output.status.success());
    if !mounted {
        eprintln!("no disk of its own can be made here");
        return;
    }
    std::fs::write(disk.join("small"), "old\n").unwrap();
    let disk_at = disk.display();
    let error = bench
        .write(&format!("seq 100000 | tee {disk_at}/small > {at}/kept; echo x > {disk_at}/other"));
    // The same disk, not to be written any more.
    let again = Command::new("mount").args(["-o", "remount,ro"]).arg(&disk).status();
    if again.is_ok_and(|status| status.success()) {
        let error = bench.write(&format!("echo x | tee {at}/kept > {disk_at}/small"));
        let said = error.unwrap_err().to_string();
        assert!(said.contains("Read-only file system; nothing was written"), "{said}");
    }
    let files: Vec<_> = std::fs::read_dir(&disk).unwrap().collect();
    let small = std::fs::read(disk.join("small")).unwrap();
    let unmounted = Command::new("umount").arg("-l").arg(&disk).status().unwrap();
    assert!(unmounted.success());
    let said = error.unwrap_err().to_string();
    assert!(said.contains("No space left on device; nothing was written"), "{said}");
    assert_eq!((small, files.len()), (b"old\n".to_vec(), 1));
    assert_eq!(std::fs::read(folder.join("kept")).unwrap(), b"old\n");
}

#[test]
fn on_a_full_disk_all_files_are_written_or_none_and_undo_finds_room() {
    let folder = tempfile::tempdir().unwrap();
    let disk = folder.path().join("disk");
    std::fs::create_dir(&disk).unwrap();
    let mounted = Command::new("mount")
        .args(["-t", "tmpfs", "-o", "size=4m", "none"])
        .arg(&disk)
        .output()
        .is_ok_and(|output| output.status.success());
    if !mounted {
        eprintln!("no disk of its own can be made here");
        return;
    }
    let at = disk.display();
    let old = "old line\n".repeat(100);
    for name in ["first", "log", "hard"] {
        std::fs::write(disk.join(name), &old).unwrap();
    }
    std::fs::hard_link(disk.join("hard"), disk.join("hard too")).unwrap();
    // What there is to be added is more than there is room for.
    let mut bench = Bench::new();
    let text = format!("echo new > {at}/first; echo new > {at}/hard; seq 900000 >> {at}/log");
    let error = bench.write(&text).map(drop).unwrap_err().to_string();
    let whole = |name: &str| std::fs::read_to_string(disk.join(name)).unwrap() == old;
    let same = ["first", "log", "hard", "hard too"].map(whole);
    let count = std::fs::read_dir(&disk).unwrap().count();
    // What fits is written, and taken back although others fill the disk meanwhile.
    let text =
        format!("echo n > {at}/first; echo n > {at}/hard; echo n >> {at}/log; echo n > {at}/new");
    let mut applied = bench.write(&text).unwrap();
    let filled = std::fs::write(disk.join("filler"), vec![0; 8 << 20]);
    let undone: Vec<_> = applied.iter_mut().rev().map(engine::undo).collect();
    let back = ["first", "log", "hard", "hard too"].map(whole);
    let (new, undone) = (disk.join("new").exists(), undone.iter().all(Result::is_ok));
    drop(applied);
    let unmounted = Command::new("umount").arg("-l").arg(&disk).status().unwrap();
    assert!(unmounted.success() && filled.is_err());
    assert!(error.contains("log: No space left on device"), "{error}");
    assert_eq!((same, count), ([true; 4], 4));
    assert_eq!((back, new, undone), ([true; 4], false, true));
}
