//! Filters that need files, processes and time: `xargs`, trees, following, and `use`.

use std::fs;
use std::io::{BufRead, BufReader, Write};
use std::path::Path;
use std::process::{Command, Output, Stdio};
use std::time::{Duration, Instant};

fn ours() -> Command {
    Command::new(assert_cmd::cargo::cargo_bin!("ylotrope"))
}

fn in_folder(command: &mut Command, folder: &Path) -> Output {
    command.current_dir(folder).env("LC_ALL", "C.UTF-8").stdin(Stdio::null()).output().unwrap()
}

fn folder() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    for (name, text) in [
        ("a.log", "b refused\na passed\nb refused\n"),
        ("b.log", "z\n"),
        ("my file", "1\n2\n"),
        ("tree/one.log", "refused here\n"),
        ("tree/deep/two.log", "x\nrefused there\n"),
        ("tree/deep/two.txt", "refused text\n"),
        ("tree/.hidden", "refused hidden\n"),
        ("tree/skipped/three.log", "refused skipped\n"),
        ("tree/binary", "refused\0\n"),
    ] {
        let path = folder.path().join(name);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    }
    folder
}

/// Runs a line both ways; standard output (its lines in order where `sorted`) and status agree.
fn agrees(line: &str, sorted: bool) {
    let folder = folder();
    let expected = in_folder(Command::new("sh").args(["-c", line]), folder.path());
    let found = in_folder(ours().args(["run", "-c", line]), folder.path());
    let text = |output: &Output| {
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        if !sorted {
            return text;
        }
        let mut lines: Vec<&str> = text.lines().collect();
        lines.sort_unstable();
        lines.join("\n")
    };
    let error = String::from_utf8_lossy(&found.stderr).into_owned();
    assert_eq!(text(&found), text(&expected), "{line}: {error}");
    assert_eq!(found.status.code(), expected.status.code(), "{line}: {error}");
}

#[test]
fn xargs_runs_what_the_hosts_runs() {
    for line in [
        r#"printf 'a b\n"c d" e\\ f\n' | xargs -n1 echo x"#,
        "seq 10 | xargs -n 3",
        "seq 10 | xargs",
        "seq 5 | xargs -I{} echo '<{}> {}'",
        "printf ' a b \\n\\nc\\n' | xargs -I% echo '[%]'",
        r"printf 'a\0b c\0' | xargs -0 -n1 echo",
        "seq 5 | xargs -L 2 echo",
        r"printf 'a b \nc\nd\n' | xargs -L1 echo",
        "printf '' | xargs echo x",
        "printf '' | xargs -r echo x",
        "seq 3 | xargs -t echo 2>&1",
        "printf 'a,b c,' | xargs -d, -n1 echo",
        r"printf 'a\nb c\n' | xargs -d '\n' -n1 echo",
        "seq 3 | xargs sh -c 'exit 3' x",
        "seq 3 | xargs -n1 false",
        "echo x | xargs no-such-command",
        "echo x | xargs sh -c 'exit 255'",
        "seq 3 | xargs -n1 sh -c 'echo $0; exit 255'",
        "echo x | xargs sh -c 'kill -9 $$'",
        "printf \"a'b\\n\" | xargs echo",
        "seq 3 | xargs -a a.log echo",
        "seq 20 | xargs -s 20 echo",
        "echo a-rather-long-item | xargs -s 12 echo",
        r"printf 'a\n_\nb\n' | xargs -E _ echo",
        "seq 3 | xargs -i echo '{}x'",
        "echo a.log b.log | xargs cat",
        "echo a.log b.log | xargs wc -l",
        "seq 4 | xargs -n 0 echo",
        "seq 4 | xargs -n x echo",
        "seq 3 | xargs -I X -n 2 echo X",
        "ls | xargs -d '\\n' ls -d",
    ] {
        agrees(line, false);
    }
    agrees("seq 8 | xargs -P 3 -n 1 echo", true);
    agrees("seq 8 | xargs -P 0 -n 3 sh -c 'echo $@' x", true);
}

#[test]
fn trees_are_searched_as_the_host_does() {
    for line in [
        "grep -r refused tree",
        "grep -rn refused tree a.log",
        "grep -r refused",
        "grep -rh refused tree",
        "grep -rl refused tree",
        "grep -rL refused tree",
        "grep -rc refused tree",
        "grep -r --include='*.log' refused tree",
        "grep -r --exclude='*.txt' refused .",
        "grep -r --exclude-dir=skipped refused tree",
        "grep -r refused a.log",
        "grep -rq refused tree",
        "grep -rs refused tree missing",
        "grep refused tree",
        "grep -c refused a.log tree missing",
        "grep -rB1 refused tree/deep",
        "grep -rw there tree",
        "grep -R --include=two.log refused tree",
    ] {
        agrees(line, true);
    }
}

#[test]
fn the_order_of_a_tree_is_stable() {
    let folder = tempfile::tempdir().unwrap();
    for number in 0..300 {
        let path = folder.path().join(format!("d{}/f{number:03}", number % 7));
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, format!("x\nhit {number}\n")).unwrap();
    }
    let first = in_folder(ours().args(["use", "grep", "-rn", "hit"]), folder.path());
    assert_eq!(String::from_utf8_lossy(&first.stdout).lines().count(), 300);
    let lines: Vec<String> =
        String::from_utf8_lossy(&first.stdout).lines().map(str::to_owned).collect();
    let mut sorted = lines.clone();
    sorted.sort();
    assert_eq!(lines, sorted);
    for _ in 0..3 {
        let again = in_folder(ours().args(["use", "grep", "-rn", "hit"]), folder.path());
        assert!(again.stdout == first.stdout);
    }
}

#[test]
fn a_filter_stands_alone() {
    let folder = folder();
    let output =
        in_folder(ours().args(["use", "venn", "difference", "a.log", "b.log"]), folder.path());
    assert_eq!(output.stdout, b"b refused\na passed\n");
    let output = in_folder(ours().args(["use", "grep", "-q", "nothing", "a.log"]), folder.path());
    assert_eq!(output.status.code(), Some(1));
    let output =
        in_folder(ours().args(["use", "sort", "-r", "-o", "a.log", "a.log"]), folder.path());
    assert_eq!(output.status.code(), Some(0));
    assert_eq!(fs::read(folder.path().join("a.log")).unwrap(), b"b refused\nb refused\na passed\n");
    let output = in_folder(ours().args(["use", "no-such"]), folder.path());
    assert_eq!(output.status.code(), Some(127));
    let output = in_folder(ours().args(["use", "sort", "--help"]), folder.path());
    assert!(String::from_utf8_lossy(&output.stdout).starts_with("sort: puts lines in order"));
    let output = in_folder(ours().args(["use", "echo", "--help", "-x"]), folder.path());
    assert_eq!(output.stdout, b"--help -x\n");
    let output = in_folder(ours().args(["use", "--help"]), folder.path());
    assert!(String::from_utf8_lossy(&output.stdout).contains("ylotrope use FILTER"));
    let output = in_folder(ours().args(["use", "-h"]), folder.path());
    assert!(String::from_utf8_lossy(&output.stdout).contains("ylotrope use FILTER"));
    let output = in_folder(ours().arg("use"), folder.path());
    assert_eq!(output.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&output.stderr).contains("FILTER"));
    // From the filter's name on all words are its own, whatever they look like.
    let output = in_folder(ours().args(["use", "echo", "-n", "--log", "x", "-V"]), folder.path());
    assert_eq!(output.stdout, b"--log x -V");
    let output = in_folder(ours().args(["guide", "venn"]), folder.path());
    assert!(String::from_utf8_lossy(&output.stdout).contains("--by=UNIT"));
    let output = in_folder(ours().args(["guide"]), folder.path());
    assert!(String::from_utf8_lossy(&output.stdout).lines().count() >= 45);
}

#[test]
fn a_substituted_process_can_be_an_operand() {
    let folder = folder();
    let line = format!(
        "{} use venn intersection <(printf 'a\\nb\\nc\\n') <(printf 'c\\nx\\na\\n')",
        assert_cmd::cargo::cargo_bin!("ylotrope").display()
    );
    let output = in_folder(Command::new("bash").args(["-c", &line]), folder.path());
    assert_eq!(String::from_utf8_lossy(&output.stdout), "a\nc\n");
    for (line, expected) in [
        ("venn intersection <(cut -d' ' -f1 a.log) <(printf 'a\\nx\\n')", "a\n"),
        ("paste <(seq 3) <(seq 4 6 | tr 456 abc)", "1\ta\n2\tb\n3\tc\n"),
        ("comm -12 <(sort a.log) <(cat <(sort a.log | tail -n 1)) | wc -l", "1\n"),
        ("head -n 1 <(yes)", "y\n"),
    ] {
        let output = in_folder(ours().args(["run", "-c", line]), folder.path());
        assert_eq!(String::from_utf8_lossy(&output.stdout), expected, "{line}");
    }
}

#[test]
fn a_meter_says_nothing_odd_into_a_file() {
    let folder = folder();
    let line = "meter a.log 2> said | wc -c; meter --percent a.log 2> percents > copy";
    let output = in_folder(ours().args(["run", "-c", line]), folder.path());
    assert_eq!(String::from_utf8_lossy(&output.stdout), "29\n");
    let said = fs::read_to_string(folder.path().join("said")).unwrap();
    assert!(
        said.starts_with("29 B  ") && said.ends_with('\n') && said.lines().count() == 1,
        "{said}"
    );
    assert!(!said.contains(['\r', '\u{1b}']));
    assert_eq!(fs::read_to_string(folder.path().join("percents")).unwrap(), "100\n");
    assert_eq!(
        fs::read(folder.path().join("copy")).unwrap(),
        fs::read(folder.path().join("a.log")).unwrap()
    );
}

/// A running `tail`, and the next line it writes.
struct Following {
    child: std::process::Child,
    lines: std::sync::mpsc::Receiver<String>,
}

impl Following {
    fn start(arguments: &[&str], folder: &Path) -> Self {
        let mut child = ours()
            .args(arguments)
            .current_dir(folder)
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let out = BufReader::new(child.stdout.take().unwrap());
        let (sender, lines) = std::sync::mpsc::channel();
        std::thread::spawn(move || {
            for line in out.lines().map_while(Result::ok) {
                if sender.send(line).is_err() {
                    break;
                }
            }
        });
        Self { child, lines }
    }

    fn next(&self) -> String {
        self.lines.recv_timeout(Duration::from_secs(20)).expect("a line in time")
    }
}

impl Drop for Following {
    fn drop(&mut self) {
        // It may have ended already.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn append(path: &Path, text: &str) {
    let mut file = fs::OpenOptions::new().append(true).create(true).open(path).unwrap();
    file.write_all(text.as_bytes()).unwrap();
}

#[test]
fn a_growing_file_is_followed() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("log");
    fs::write(&log, "one\ntwo\n").unwrap();
    let following =
        Following::start(&["run", "-c", "tail -n 1 -f log | grep -v noise"], folder.path());
    assert_eq!(following.next(), "two");
    append(&log, "noise\nthree\n");
    assert_eq!(following.next(), "three");
    // Truncation: what comes after it is read from the beginning.
    fs::write(&log, "4\n").unwrap();
    assert_eq!(following.next(), "4");
    append(&log, "five\n");
    assert_eq!(following.next(), "five");
}

#[test]
fn a_rotated_file_is_followed_by_its_name() {
    let folder = tempfile::tempdir().unwrap();
    let log = folder.path().join("log");
    fs::write(&log, "one\n").unwrap();
    let following = Following::start(&["use", "tail", "-F", "log"], folder.path());
    assert_eq!(following.next(), "one");
    fs::rename(&log, folder.path().join("log.1")).unwrap();
    append(&folder.path().join("log.1"), "late\n");
    fs::write(&log, "new\n").unwrap();
    assert_eq!(following.next(), "late");
    assert_eq!(following.next(), "new");
    fs::remove_file(&log).unwrap();
    fs::write(&log, "again\n").unwrap();
    assert_eq!(following.next(), "again");
}

#[test]
fn following_ends_with_its_reader() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("log"), "one\ntwo\n").unwrap();
    let started = Instant::now();
    let output = in_folder(ours().args(["run", "-c", "tail -f log | head -n 1"]), folder.path());
    assert_eq!(output.stdout, b"one\n");
    assert!(started.elapsed() < Duration::from_secs(20));
}

#[test]
fn demo_pipelines_do_what_sh_does() {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let folder = tempfile::tempdir().unwrap();
    for entry in fs::read_dir(demo.join("data")).unwrap() {
        let entry = entry.unwrap();
        fs::copy(entry.path(), folder.path().join(entry.file_name())).unwrap();
    }
    fs::write(folder.path().join(".hidden"), "").unwrap();
    let program = assert_cmd::cargo::cargo_bin!("ylotrope");
    let path =
        format!("{}:{}", program.parent().unwrap().display(), std::env::var("PATH").unwrap());
    let mut count = 0;
    for entry in fs::read_dir(demo.join("pipelines")).unwrap() {
        let script = entry.unwrap().path();
        let run = |command: &mut Command| {
            in_folder(command.env("PATH", &path).env("TZ", "UTC"), folder.path())
        };
        let text = fs::read_to_string(&script).unwrap();
        let shell = if text.starts_with("#!/bin/bash") { "bash" } else { "sh" };
        let expected = run(Command::new(shell).arg(&script));
        let found = run(ours().arg("run").arg(&script));
        let shown = script.display();
        assert_eq!(
            String::from_utf8_lossy(&found.stdout),
            String::from_utf8_lossy(&expected.stdout),
            "{shown}"
        );
        assert_eq!(found.status, expected.status, "{shown}");
        let writes = text.contains('>');
        assert!(writes || !found.stdout.is_empty(), "{shown} writes nothing");
        count += 1;
    }
    assert!(count >= 48);
}

#[test]
fn a_large_sort_leaves_nothing_behind_however_it_ends() {
    let folder = tempfile::tempdir().unwrap();
    fs::create_dir(folder.path().join("space")).unwrap();
    let mut child = ours()
        .args([
            "run",
            "-c",
            "yes 'a line to be sorted, rather long and without end' | sort -k2 -S 1M -T space",
        ])
        .current_dir(folder.path())
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let deadline = Instant::now() + Duration::from_secs(1);
    while Instant::now() < deadline && child.try_wait().unwrap().is_none() {
        std::thread::sleep(Duration::from_millis(20));
    }
    child.kill().unwrap();
    child.wait().unwrap();
    assert_eq!(fs::read_dir(folder.path().join("space")).unwrap().count(), 0);
}

#[test]
fn a_full_disk_is_reported_and_nothing_is_half_done() {
    if !Path::new("/dev/full").exists() {
        return;
    }
    let folder = folder();
    for (line, status) in [
        ("sort a.log > /dev/full", 2),
        ("grep b a.log > /dev/full", 2),
        ("cat a.log > /dev/full", 1),
        ("tee /dev/full < a.log", 1),
        ("od a.log > /dev/full", 1),
        ("sort -o /dev/full a.log", 2),
    ] {
        let output = in_folder(ours().args(["run", "-c", line]), folder.path());
        assert_eq!(output.status.code(), Some(status), "{line}");
        let error = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(error.contains("No space left on device"), "{line}: {error}");
    }
}

#[test]
fn a_directory_is_no_file() {
    let folder = folder();
    for line in [
        "cat tree",
        "comm tree a.log",
        "csplit tree 2",
        "cut -c1 tree",
        "expand tree",
        "fmt tree",
        "fold tree",
        "grep x tree",
        "head tree",
        "join tree a.log",
        "md5sum tree",
        "nl tree",
        "od tree",
        "paste tree",
        "rev tree",
        "shuf tree",
        "sort tree",
        "sort -m tree",
        "split tree",
        "stamp now tree",
        "tac tree",
        "tail tree",
        "tee tree",
        "uniq tree",
        "venn union tree a.log",
        "wc tree",
        "column tree",
        "cksum tree",
        "unexpand tree",
        "xargs -a tree",
        "meter tree",
    ] {
        let output = in_folder(ours().args(["run", "-c", line]), folder.path());
        let error = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(error.contains("Is a directory"), "{line}: {error}");
        assert_ne!(output.status.code(), Some(0), "{line}");
    }
    assert_eq!(
        fs::read_dir(folder.path())
            .unwrap()
            .filter(|entry| entry.as_ref().unwrap().file_name().to_string_lossy().starts_with('x'))
            .count(),
        0
    );
}
