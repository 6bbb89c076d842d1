//! Nothing starts without a yes.

use std::os::unix::fs::{PermissionsExt, symlink};
use std::process::Command;

use super::{PROGRAM, is_root, text, ylotrope};
use crate::tmux::Terminal;

/// A link to a shell that is early in `PATH` under the name of a program that only looks.
#[test]
fn a_link_early_in_the_path_starts_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let own = folder.path().join("b");
    std::fs::create_dir(&own).unwrap();
    symlink("/bin/sh", own.join("file")).unwrap();
    symlink("/bin", folder.path().join("bin")).unwrap();
    std::fs::write(folder.path().join("data.log"), "touch started\n").unwrap();
    let path = |first: &str| format!("{first}:{}", std::env::var("PATH").unwrap());
    for (first, line) in [
        (own.display().to_string(), "file data.log"),
        ("b".to_owned(), "file data.log"),
        (String::new(), "file data.log"),
        (folder.path().join("bin").display().to_string(), "sh data.log"),
    ] {
        for arguments in [
            &["run", "--dry-run", "-c", line][..],
            &["check", "--sample", "10", "-c", line],
            &["export", "--what", "diagram", "-c", line, "--to", "drawing.svg"],
        ] {
            let output = ylotrope(folder.path()).args(arguments).env("PATH", path(&first)).output();
            assert!(!text(&output.unwrap().stderr).contains("panicked"));
            assert!(!folder.path().join("started").exists(), "{first} {arguments:?}");
        }
    }
}

/// Programs of root's that note how they were called, in the place of all that are listed; nothing
/// that acts is ever among that.
#[test]
fn listed_programs_are_started_with_listed_arguments_only() {
    let namespace = Command::new("unshare").args(["-m", "true"]).status();
    let can = is_root() && namespace.is_ok_and(|status| status.success());
    assert!(can, "this test needs root and mount namespaces");
    let folder = tempfile::tempdir().unwrap();
    let stand_ins = folder.path().join("bin");
    std::fs::create_dir(&stand_ins).unwrap();
    let noted = folder.path().join("noted");
    let tool = stand_ins.join("lsof");
    let script = "#!/bin/sh\nfor word in \"${0##*/}\" \"$@\"; do printf '%s ' \"$word\"; done >> NOTED\necho >> NOTED\n";
    std::fs::write(&tool, script.replace("NOTED", &noted.display().to_string())).unwrap();
    std::fs::set_permissions(&tool, std::fs::Permissions::from_mode(0o755)).unwrap();
    let names = ["ls", "dmesg", "ip", "hostname", "find", "journalctl", "systemctl", "ps", "mount"];
    for name in names {
        std::fs::copy(&tool, stand_ins.join(name)).unwrap();
    }
    let forms = [
        "", "x", "-r", "+r", "+r1", "+m", "+f", "+c0", "-", "--", "@x", "-5", "-C", "-c", "-a",
        "-l", "--all", "-delete", "-exec", "set", "add", "stop", "--rotate", "-n", "5", "-i", "-F",
        "+d", "show", "link", "-Tc",
    ];
    let mut lines = Vec::new();
    for name in std::iter::once("lsof").chain(names) {
        for one in forms {
            lines.push(format!("{name} {one}"));
            for two in forms {
                lines.push(format!("{name} {one} {two}"));
            }
        }
    }
    // All at once: each line is a command of its own.
    std::fs::write(folder.path().join("all.sh"), lines.join("\n") + "\n").unwrap();
    let inside = format!(
        "mount -t tmpfs none /opt && mkdir /opt/bin && cp {0}/* /opt/bin && chown -R 0:0 /opt && chmod 755 /opt /opt/bin && PATH=/opt/bin {PROGRAM} run --dry-run --no-limit {1}/all.sh > /dev/null 2> {1}/said",
        stand_ins.display(),
        folder.path().display()
    );
    let status = Command::new("unshare")
        .args(["-m", "sh", "-c", &inside])
        .current_dir(folder.path())
        .status()
        .unwrap();
    assert!(status.code().is_some());
    let started = std::fs::read_to_string(&noted).unwrap();
    assert!(started.lines().count() > 50, "{started}");
    for line in started.lines() {
        let words: Vec<&str> = line.split(' ').filter(|word| !word.is_empty()).collect();
        let (name, words) = words.split_first().unwrap();
        let acts = |word: &&str| match *name {
            // What the manuals of these say changes something, waits, or names a file to be written.
            "lsof" => word.starts_with('+') && !word.starts_with("+d") || word.starts_with("-r"),
            "dmesg" => word.starts_with('-') && word.contains(['c', 'C', 'n']) && *word != "--",
            "ip" => ["set", "add"].contains(word),
            "hostname" => !word.starts_with('-') || word.contains('F'),
            "find" => ["-delete", "-exec"].contains(word),
            "journalctl" => ["--rotate", "-F"].contains(word) && *word == "--rotate",
            "systemctl" => words.first() == Some(word) && ["stop", "set", "add"].contains(word),
            "mount" => !["-l", "--"].contains(word),
            _ => false,
        };
        assert!(!words.iter().any(acts), "{line}");
        let is_foreign =
            |word: &&str| word.starts_with('@') || word.starts_with('+') && *name != "lsof";
        assert!(!words.iter().any(is_foreign), "{line}");
    }
}

/// Names of files are put in quoted, whatever is in them.
#[test]
fn completed_names_are_words_and_never_commands() {
    let terminal = Terminal::open(120, 24);
    terminal.type_text("mkdir bin; ln -s \"$Y\" bin/ylotrope; PATH=$PWD/bin:$PATH; source <(ylotrope completions bash); clear");
    terminal.press(&["Enter"]);
    std::fs::write(terminal.path().join("p$(touch X).sh"), "echo ran\n").unwrap();
    std::fs::write(terminal.path().join("q;touch Y;.sh"), "echo ran\n").unwrap();
    std::fs::write(terminal.path().join("r\ntouch Z.sh"), "echo ran\n").unwrap();
    for (typed, done) in
        [("ylotrope run p", "p\\$"), ("ylotrope run q", "q\\;"), ("ylotrope run -n p", "p\\$")]
    {
        terminal.type_text(typed);
        terminal.press(&["Tab"]);
        terminal.wait(done);
        terminal.press(&["Enter"]);
        terminal.type_text("echo en\"\"ded; clear");
        terminal.press(&["Enter"]);
        terminal.wait_for("a clear screen", |screen| !screen.contains(done));
    }
    let candidates = ylotrope(terminal.path()).args(["candidates", "scripts"]).output().unwrap();
    assert_eq!(text(&candidates.stdout).lines().count(), 2);
    for name in ["X", "Y", "Z"] {
        assert!(!terminal.path().join(name).exists(), "{name}");
    }
}
