//! Files that a run writes: what is there at any moment, beside `sh`, under kills, on a full disk and
//! among others who write them too.

use std::collections::BTreeMap;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::os::unix::process::ExitStatusExt;
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

use rustix::process::{Pid, Signal, kill_process};

fn ours(folder: &Path) -> Command {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin!("ylotrope"));
    command.current_dir(folder).env("LC_ALL", "C.UTF-8").stdin(Stdio::null());
    command
}

fn run(folder: &Path, line: &str) -> Output {
    ours(folder).args(["run", "-c", line]).output().unwrap()
}

/// All files of a folder: names and contents.
fn state(folder: &Path) -> BTreeMap<String, String> {
    let mut files = BTreeMap::new();
    crate::shell::files(folder, "", &mut files);
    files
}

fn signal(child: &Child, signal: Signal) {
    // It may have ended already.
    let _ = kill_process(Pid::from_child(child), signal);
}

/// A folder that a line is run in by us and by `sh`, from the same beginning.
fn both(line: &str, prepare: impl Fn(&Path)) -> [(Option<i32>, BTreeMap<String, String>); 2] {
    [true, false].map(|own| {
        let folder = tempfile::tempdir().unwrap();
        prepare(folder.path());
        let output = if own {
            run(folder.path(), line)
        } else {
            let mut sh = Command::new("sh");
            sh.current_dir(folder.path()).env("LC_ALL", "C.UTF-8").stdin(Stdio::null());
            sh.args(["-c", line]).output().unwrap()
        };
        (output.status.code(), state(folder.path()))
    })
}

#[test]
fn effects_come_in_the_order_of_sh() {
    let prepare = |folder: &Path| {
        std::fs::write(folder.join("f"), "old\n").unwrap();
        std::fs::write(folder.join("source"), "precious\n").unwrap();
        std::fs::create_dir(folder.join("sub")).unwrap();
        std::fs::set_permissions(folder.join("f"), std::fs::Permissions::from_mode(0o640)).unwrap();
        std::os::unix::fs::symlink("new-by-link", folder.join("dangling")).unwrap();
        std::fs::hard_link(folder.join("f"), folder.join("other-name")).unwrap();
    };
    for line in [
        "echo a > new && rm source; cat new",
        "echo a >> none/x && rm source",
        "cat source >> none/x || echo failed > why",
        "set -e; cat source >> none/x; rm source",
        "if echo a > none/x; then rm source; else echo no > why; fi",
        "echo a > dangling; cat dangling",
        "echo longer than before > f; cat other-name",
        "{ echo a; cat source; } > out; cat out",
        "{ echo a > g; echo b >> g; cat g; } > h; cat g h",
        "for x in 1 2 3; do echo $x >> log; done; cat log",
        "for x in 1 2 3; do echo $x; done > log; cat log",
        "echo a > g; mv g sub/h; echo b > g; cat sub/h g",
        "echo a > g; cp g h; rm g; cat h",
        "(echo a; echo b >&2) > g 2>> h; cat g h",
        "seq 5 | tee one two > three; cat one two three",
        "seq 9 | split -l 2 - piece-; cat piece-*",
        "seq 9 | awk '{ print > \"part\" $1 % 3 }'; cat part*",
        "echo x > f; sed -i s/x/y/ source; cat source",
        "grep nothing source > found; echo $?; ls found",
        "sort none > sorted; ls sorted",
        "no-such-program > gone; ls gone",
        "exec > all; echo a; echo b",
        "exec >> f; echo a; ls sub; echo b",
        "exec >> g; echo a; echo b >> g; echo c > g; echo d; cat g > h",
        "cat < f > f; wc -c f",
        "sort f > f; wc -c f",
        "f() { echo in; } > f; f; cat f",
        "echo a > 'a b'; echo b > ./-x; cat ./*",
        "while read x; do echo \"$x\" >> copy; done < source; cat copy",
        "echo 1 > g; echo 2 > g; echo 3 >> g; cat g",
        "echo a > g & echo",
    ] {
        if engine::parse(line).is_err() {
            continue;
        }
        let [own, sh] = both(line, prepare);
        assert_eq!(own.1, sh.1, "{line}");
        // A redirection that fails has status 2 in some shells and 1 in others.
        assert_eq!(own.0 == Some(0), sh.0 == Some(0), "{line}: {:?} {:?}", own.0, sh.0);
    }
}

#[test]
fn a_file_is_not_added_to_itself() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("f"), "x\n").unwrap();
    for line in ["cat f >> f", "cat < f >> f", "grep x f >> f"] {
        let output = run(folder.path(), line);
        assert!(!output.status.success(), "{line}");
        assert_eq!(std::fs::read(folder.path().join("f")).unwrap(), b"x\n", "{line}");
    }
}

#[test]
fn links_in_circles_are_an_error_and_devices_and_pipes_are_written_as_they_are() {
    let folder = tempfile::tempdir().unwrap();
    std::os::unix::fs::symlink("round", folder.path().join("round")).unwrap();
    let output = run(folder.path(), "echo a > round; echo $?");
    assert_eq!(output.stdout, b"2\n");
    assert!(String::from_utf8_lossy(&output.stderr).contains("symbolic links"), "{output:?}");
    let line = "mkfifo pipe; cat pipe > got & echo through > pipe; wait; cat got";
    // The other end is a program that sh starts in the background.
    let made = Command::new("mkfifo").arg(folder.path().join("pipe")).status().unwrap();
    assert!(made.success(), "{line}");
    let reader = Command::new("cat").arg(folder.path().join("pipe")).stdout(Stdio::piped()).spawn();
    assert!(run(folder.path(), "echo through > pipe").status.success());
    assert_eq!(reader.unwrap().wait_with_output().unwrap().stdout, b"through\n");
    let writer = Command::new("sh")
        .args(["-c", "sleep 0.1; echo back > pipe"])
        .current_dir(folder.path())
        .spawn()
        .unwrap();
    assert_eq!(run(folder.path(), "cat < pipe").stdout, b"back\n");
    { writer }.wait().unwrap();
}

#[test]
fn nobody_waits_for_a_pipe_that_cannot_be_interrupted() {
    let folder = tempfile::tempdir().unwrap();
    Command::new("mkfifo").arg(folder.path().join("pipe")).status().unwrap();
    for line in ["cat pipe", "cat < pipe", "echo a > pipe", "seq 3 | tee pipe"] {
        let mut child = ours(folder.path()).args(["run", "-c", line]).spawn().unwrap();
        std::thread::sleep(Duration::from_millis(100));
        let since = Instant::now();
        signal(&child, Signal::TERM);
        let status = child.wait().unwrap();
        assert_eq!(status.signal(), Some(15), "{line}");
        assert!(since.elapsed() < Duration::from_secs(2), "{line}");
    }
}

#[test]
fn what_others_add_meanwhile_stays_whatever_becomes_of_the_run() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("log");
    std::fs::write(&log, "").unwrap();
    let children: Vec<Child> = (0..20)
        .map(|number| {
            let line = format!("for x in $(seq 50); do echo {number} $x >> log; done");
            ours(folder.path()).args(["run", "-c", &line]).spawn().unwrap()
        })
        .collect();
    for child in children {
        assert!({ child }.wait().unwrap().success());
    }
    let text = std::fs::read_to_string(&log).unwrap();
    assert_eq!(text.lines().count(), 1000);
    for number in 0..20 {
        let own = |line: &&str| line.split(' ').next() == Some(&number.to_string());
        let rounds: Vec<&str> =
            text.lines().filter(own).filter_map(|line| line.split(' ').nth(1)).collect();
        let expected: Vec<String> = (1..=50).map(|round| round.to_string()).collect();
        assert_eq!(rounds, expected, "in the order of each");
    }
    // A log that is moved away while it is open keeps what comes, as for sh.
    let line = "{ echo one; mv log log.1; echo two; } >> log; echo three >> log";
    assert!(run(folder.path(), line).status.success());
    let last = |name: &str| {
        let text = std::fs::read_to_string(folder.path().join(name)).unwrap();
        text.lines().rev().take(2).map(str::to_owned).collect::<Vec<_>>()
    };
    assert_eq!(last("log.1"), ["two", "one"]);
    assert_eq!(last("log"), ["three"]);
}

#[test]
fn ten_thousand_files_are_written_within_the_limit_of_descriptors() {
    let folder = tempfile::tempdir().unwrap();
    for (name, line, count) in [
        ("loop", "for x in $(seq 10000); do echo $x > f$x; done", 10_000),
        ("split", "seq 10000 | split -l 1 -a 3 - f", 10_000),
        ("awk", "seq 10000 | awk '{ print > \"f\" $1 }'", 10_000),
        ("awk >>", "seq 10000 | awk '{ print >> \"f\" $1 }'", 10_000),
        ("tee", "seq 3 | tee $(seq -f f%g 3000) > /dev/null", 3000),
    ] {
        let folder = folder.path().join(name);
        std::fs::create_dir(&folder).unwrap();
        let program = assert_cmd::cargo::cargo_bin!("ylotrope").display().to_string();
        let script = format!("ulimit -n 400; exec '{program}' run -c \"$1\"");
        let output = Command::new("sh")
            .args(["-c", &script, "sh", line])
            .current_dir(&folder)
            .output()
            .unwrap();
        assert!(output.status.success(), "{name}: {}", String::from_utf8_lossy(&output.stderr));
        let names: Vec<_> = std::fs::read_dir(&folder).unwrap().map(|one| one.unwrap()).collect();
        assert_eq!(names.len(), count, "{name}");
        assert!(names.iter().all(|one| one.metadata().unwrap().len() > 1), "{name}");
    }
}

#[test]
fn memory_that_is_refused_ends_a_run_with_words_and_a_status() {
    let folder = tempfile::tempdir().unwrap();
    let program = assert_cmd::cargo::cargo_bin!("ylotrope").display().to_string();
    let line = "yes | tr -d '\\n' | sort";
    // Some are noticed by the watch, some only by the allocation.
    for kibibytes in [60_000, 80_000, 120_000, 200_000] {
        let script = format!("ulimit -v {kibibytes}; exec '{program}' run -c \"$1\"");
        let output = Command::new("sh")
            .args(["-c", &script, "sh", line])
            .current_dir(folder.path())
            .output()
            .unwrap();
        assert_eq!(output.status.code(), Some(2), "{kibibytes}: {output:?}");
        assert!(!output.stderr.is_empty(), "{kibibytes}");
    }
}

#[test]
fn programs_of_the_machine_say_when_they_cannot_write_or_be_fed() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir(folder.path().join("sub")).unwrap();
    let full = "/bin/seq 100000 > /dev/full && echo well; /bin/cat < sub; echo $?";
    let output = run(folder.path(), full);
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(said.contains("No space left on device"), "{said}");
    assert!(said.contains("Is a directory"), "{said}");
    assert_eq!(output.stdout, b"1\n");
}

/// Ten commands, each of which makes one file another, or a new one.
const TEN: &str = "seq 20000 > a\nsort -rn a > b\nrev b > a\n/bin/cat a > c\ntac c > b\n\
                   { echo first; /bin/cat b; echo last; } > d\nsed s/1/2/ d > c\nsort c | uniq > e\n\
                   awk '{ print > \"f\" }' e\n/bin/rm c\n";

/// The states that the folder goes through, one a command.
fn states() -> Vec<BTreeMap<String, String>> {
    let lines: Vec<&str> = TEN.lines().collect();
    let made = |count: usize| {
        let folder = tempfile::tempdir().unwrap();
        assert!(run(folder.path(), &lines[..count].join("\n")).status.success());
        state(folder.path())
    };
    (0..=lines.len()).map(made).collect()
}

#[test]
fn killed_anywhere_the_files_are_those_of_a_moment_between_two_commands() {
    let rounds: usize =
        std::env::var("YLOTROPE_TEST_KILLS").ok().and_then(|text| text.parse().ok()).unwrap_or(90);
    let states = states();
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("script"), TEN).unwrap();
    let whole = Instant::now();
    assert!(ours(folder.path()).args(["run", "script"]).status().unwrap().success());
    let length = whole.elapsed();
    let (mut between, mut ended) = (0, [0; 3]);
    for round in 0..rounds {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("script"), TEN).unwrap();
        let mut child =
            ours(folder.path()).args(["run", "script"]).stderr(Stdio::null()).spawn().unwrap();
        // Anywhere from the first moment to the end, never the same twice.
        let part = (round * 7919 % rounds) as f64 / rounds as f64;
        std::thread::sleep(length.mul_f64(part));
        let kind = round % 3;
        signal(&child, [Signal::KILL, Signal::TERM, Signal::INT][kind]);
        let status = child.wait().unwrap();
        ended[kind] += usize::from(status.signal().is_some());
        if kind == 0 {
            // What the killed one has left goes with the next run here.
            assert!(run(folder.path(), "echo > z; /bin/rm z").status.success());
        }
        let mut after = state(folder.path());
        after.remove("script");
        let hidden = after.keys().find(|name| name.contains(".ylotrope-"));
        assert_eq!(hidden, None, "round {round}");
        let mut known = states.iter().position(|state| *state == after);
        if known.is_none() && kind > 0 {
            // A group that has started a program keeps what it wrote when a signal ends it.
            let mut others = after.clone();
            let part = others.remove("d").unwrap_or_default();
            let inside = others == states[5] && states[6]["d"].starts_with(&part);
            known = inside.then_some(5);
        }
        assert!(known.is_some(), "round {round} {kind}: {:?}", after.keys());
        between += usize::from(known.is_some_and(|at| at > 0 && at < states.len() - 1));
    }
    assert!(between > rounds / 10 && ended.iter().all(|&count| count > 0), "{between} {ended:?}");
}

#[test]
fn an_interrupted_compound_command_keeps_what_goes_with_what_it_did() {
    let folder = tempfile::tempdir().unwrap();
    for (line, name, kept) in [
        ("{ echo one; /bin/mkdir made; echo two; sleep 60; } > out", "out", "one\ntwo\n"),
        ("{ echo one; echo two; sleep 60; } > plain", "plain", "old\n"),
        ("{ echo one; echo x > side; sleep 60; } > beside", "beside", "one\n"),
        ("for x in 1 2; do echo $x; /bin/true; sleep 60; done > loop", "loop", "1\n"),
        ("{ echo one; sleep 60; } > a1 | cat", "a1", "old\n"),
    ] {
        std::fs::write(folder.path().join(name), "old\n").unwrap();
        let mut child = ours(folder.path()).args(["run", "-c", line]).spawn().unwrap();
        std::thread::sleep(Duration::from_millis(300));
        signal(&child, Signal::INT);
        assert_eq!(child.wait().unwrap().signal(), Some(2), "{line}");
        assert_eq!(std::fs::read_to_string(folder.path().join(name)).unwrap(), kept, "{line}");
        let hidden = state(folder.path()).into_keys().find(|name| name.contains(".ylotrope-"));
        assert_eq!(hidden, None, "{line}");
    }
}

/// A small file system of its own, where this may be mounted.
struct Small {
    folder: tempfile::TempDir,
}

impl Small {
    fn new(size: &str) -> Option<Self> {
        let folder = tempfile::tempdir().unwrap();
        let mounted = Command::new("mount")
            .args(["-t", "tmpfs", "-o", &format!("size={size}"), "none"])
            .arg(folder.path())
            .stderr(Stdio::null())
            .status();
        mounted.is_ok_and(|status| status.success()).then_some(Self { folder })
    }
}

impl Drop for Small {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg(self.folder.path()).status();
    }
}

#[test]
fn a_full_disk_leaves_old_files_whole_and_is_a_status() {
    let Some(small) = Small::new("4m") else { return };
    let at = small.folder.path();
    let old = "old line\n".repeat(100);
    for (name, line, follows) in [
        ("replaced", "yes | head -c 20M > replaced && rm keep", ""),
        ("tee", "yes | head -c 20M | tee tee > /dev/null && rm keep", ""),
        ("in-place", "seq 1 400000 | sed 's/$/ more of it/' > in-place && rm keep", ""),
        ("sorted", "seq 2000000 | sort -r -o sorted && rm keep", ""),
        ("by-awk", "seq 2000000 | awk '{ print $1 > \"by-awk\" }' && rm keep", ""),
        ("compound", "{ seq 2000000; } > compound && rm keep", ""),
        ("by-program", "/bin/seq 2000000 > by-program && rm keep", ""),
        (
            "edited",
            "sed -i 's/old/& and much more of it of every kind/g; p; p; p; p; p' edited; true",
            "&& rm none",
        ),
    ] {
        std::fs::write(at.join("keep"), "keep\n").unwrap();
        std::fs::write(at.join(name), if name == "edited" { old.repeat(20) } else { old.clone() })
            .unwrap();
        let line = format!("{line} {follows}");
        let output = run(at, &line);
        if name != "edited" {
            let error = String::from_utf8_lossy(&output.stderr).into_owned();
            assert!(error.contains("No space left on device"), "{line}: {error}");
            assert!(!output.status.success(), "{line}");
        }
        assert!(at.join("keep").exists(), "{line}");
        let now = std::fs::read_to_string(at.join(name)).unwrap();
        if name != "by-program" && name != "edited" {
            assert_eq!(now, old, "{line}");
        }
        let hidden = state(at).into_keys().find(|name| name.contains(".ylotrope-"));
        assert_eq!(hidden, None, "{line}");
        std::fs::remove_file(at.join(name)).unwrap();
    }
    // What is added is there as far as it went, as for sh; the status says so.
    std::fs::write(at.join("log"), &old).unwrap();
    let output = run(at, "seq 2000000 >> log && rm keep");
    assert!(!output.status.success() && at.join("keep").exists());
    assert!(std::fs::read_to_string(at.join("log")).unwrap().starts_with(&old));
    std::fs::remove_file(at.join("log")).unwrap();
    let output = run(at, "seq 900000 | split -l 100000 - part && rm keep");
    assert!(!output.status.success() && at.join("keep").exists());
}

#[test]
fn a_new_file_is_the_same_to_everybody() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    let facts = |name: &str| std::fs::metadata(at.join(name)).unwrap();
    std::fs::write(at.join("f"), "old\n").unwrap();
    std::fs::set_permissions(at.join("f"), std::fs::Permissions::from_mode(0o751)).unwrap();
    let inode = facts("f").ino();
    assert!(run(at, "echo new > f").status.success());
    assert_eq!(facts("f").mode() & 0o7777, 0o751);
    assert_ne!(facts("f").ino(), inode, "another file took its place");
    std::fs::hard_link(at.join("f"), at.join("g")).unwrap();
    let inode = facts("f").ino();
    assert!(run(at, "echo newer > f").status.success());
    assert_eq!((facts("f").ino(), facts("g").ino()), (inode, inode));
    assert_eq!(std::fs::read(at.join("g")).unwrap(), b"newer\n");
    assert!(
        run(at, "umask 077; echo a > private; (umask 0; echo b > open); echo c > again")
            .status
            .success()
    );
    assert_eq!(
        ["private", "open", "again"].map(|name| facts(name).mode() & 0o777),
        [0o600, 0o666, 0o600]
    );
    std::fs::set_permissions(at.join("f"), std::fs::Permissions::from_mode(0o444)).unwrap();
    if rustix::process::geteuid().as_raw() != 0 {
        assert!(!run(at, "echo no > f").status.success());
        assert_eq!(std::fs::read(at.join("f")).unwrap(), b"newer\n");
    }
}
