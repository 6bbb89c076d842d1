//! Nothing is lost.

use std::os::unix::fs::symlink;
use std::path::Path;
use std::process::Command;

use super::{PROGRAM, run, sh, text, ylotrope};
use crate::tmux::Terminal;

/// All files of a folder, with what is in them.
fn files(folder: &Path) -> Vec<(String, String)> {
    let entries = std::fs::read_dir(folder).unwrap().flatten();
    let mut all: Vec<_> = entries
        .filter(|entry| entry.path().is_file())
        .map(|entry| {
            let bytes = std::fs::read(entry.path()).unwrap();
            (entry.file_name().to_string_lossy().into_owned(), text(&bytes))
        })
        .collect();
    all.sort();
    all
}

#[test]
fn lines_that_read_and_write_the_same_files_do_what_sh_does() {
    for line in [
        "exec 3<f; echo n > f; cat <&3",
        "{ echo n > f; cat; } < f",
        "{ read x; echo n > f; cat; } < f",
        "{ read x; echo \"$x\" >> f; cat; } < f",
        "{ mv f h; echo x; } > f",
        "exec 3<f; rm f; echo new > f; cat <&3",
        "exec 3>>f; : > f; echo late >&3",
        "while read x; do echo \"$x\"; echo n >> f; [ $(wc -l < f) -gt 9 ] && break; done < f",
        "exec > f; echo a; cat f >&2; echo b",
        "exec 3> f; echo a >&3; echo b >&3; exec 3>&-; cat f",
        "exec 3> f 4>> f; echo a >&3; echo b >&4; echo c >&3; cat f",
        "ln f h; exec > f; echo a; echo b; cat h >&2",
        "exec 9<f; exec > f; echo a; cat <&9 >&2; echo b",
        "exec > new; echo a; mv new other; echo b",
        "exec > f; echo a; rm f; echo b; ls >&2",
        "cat f > f",
        "sort f > f",
        "sort f | tee -a f > /dev/null",
        "ln f h; echo new > f; cat h",
        "ln -s f h; echo new > h; ls -l h | cut -c 1",
        "mkdir a; cd a; mv ../a ../b; mkdir ../a; echo x > f; ls ../a ../b; pwd -P | sed 's,.*/,,'",
        "mkdir a; cd a; mv ../a ../b; mkdir ../a; cd -P .; pwd | sed 's,.*/,,'",
        "mkdir a; (cd a; mv ../a ../b; echo y | tee g > f; cat f g)",
        "mkdir a; cd a; mv ../a ../b; printf '#!/bin/sh\\necho \"$0\"\\n' > t; chmod 755 t; ./t",
    ] {
        let both = [true, false].map(|ours| {
            let folder = tempfile::tempdir().unwrap();
            std::fs::write(folder.path().join("f"), "one\ntwo\n").unwrap();
            let output = if ours { run(folder.path(), line) } else { sh(folder.path(), line) };
            (text(&output.stdout), output.status.code(), files(folder.path()))
        });
        assert_eq!(both[0], both[1], "{line}");
    }
}

#[test]
fn no_utility_empties_its_output_before_its_input_is_there() {
    for line in [
        "uniq nofile out",
        "uniq --bad f out",
        "uniq -f x f out",
        "sort -o out nofile",
        "sort -k 0 -o out f",
        "sort --bad -o out f",
        "shuf -o out nofile",
        "shuf -n x -o out f",
        "tee --bad out < f",
        "tee out < nofile",
        "split -b x f out",
        "split nofile out",
        "csplit nofile 1",
        "gzip -k nofile",
        "gzip -99 -k f",
        "xz -k nofile",
        "bzip2 -k nofile",
        "zstd nofile",
        "cat nofile | sort -o out -k 0",
        "join -1 x f f > /dev/null; cat out",
        "awk '{ print > \"out\" }' nofile",
        "awk '{ print > \"out\" ' f",
        "sed -i s/a nofile out",
        "sed -n 'w out' -e 'q q' f",
        "cut -f 0 f | cat; cat out",
    ] {
        let folder = tempfile::tempdir().unwrap();
        for name in
            ["out", "outaa", "xx00", "nofile.gz", "f.gz", "nofile.xz", "nofile.bz2", "nofile.zst"]
        {
            std::fs::write(folder.path().join(name), "keep\n").unwrap();
        }
        std::fs::write(folder.path().join("f"), "a\n").unwrap();
        let before = files(folder.path());
        run(folder.path(), line);
        assert_eq!(files(folder.path()), before, "{line}");
    }
}

#[test]
fn settings_are_written_into_the_configuration_and_nothing_there_is_lost() {
    let folder = tempfile::tempdir().unwrap();
    let write = || ylotrope(folder.path()).args(["config", "--write"]).output().unwrap();
    let path = folder.path().join("home/config/ylotrope/config.toml");
    assert!(text(&write().stdout).contains("added background"));
    let all = std::fs::read_to_string(&path).unwrap();
    assert!(text(&write().stdout).contains("nothing was changed"));
    assert_eq!(std::fs::read_to_string(&path).unwrap(), all);
    std::fs::write(&path, "# mine\nbackground = \"light\"\n\n[[allowed]]\ncommand = \"x\"\nfolder = \"/\"\nconsent = \"y\"\n").unwrap();
    assert!(write().status.success());
    let text_now = std::fs::read_to_string(&path).unwrap();
    assert!(
        text_now.starts_with("# mine\nbackground = \"light\"\n")
            && text_now.contains("consent = \"y\"")
    );
    std::fs::write(&path, "background = \n").unwrap();
    assert_eq!(write().status.code(), Some(2));
    assert_eq!(std::fs::read_to_string(&path).unwrap(), "background = \n");
}

#[test]
fn the_demo_is_reset_only_when_asked_and_what_was_there_is_kept() {
    let folder = tempfile::tempdir().unwrap();
    let reset =
        || text(&ylotrope(folder.path()).args(["demo", "--reset"]).output().unwrap().stdout);
    assert!(reset().contains("restored") && reset().contains("every file is as it was"));
    let script = folder.path().join("home/state/ylotrope/demo/worst-gates.sh");
    std::fs::write(&script, "echo mine\n").unwrap();
    std::fs::remove_file(script.with_file_name("gate.log")).unwrap();
    let said = reset();
    assert!(
        said.contains("gate.log\n")
            && said.contains("worst-gates.sh; yours is worst-gates.sh.yours-1 now")
    );
    let kept = std::fs::read_to_string(script.with_file_name("worst-gates.sh.yours-1")).unwrap();
    assert_eq!(kept, "echo mine\n");
}

#[test]
fn an_export_takes_the_place_of_regular_files_only() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    std::fs::write(at("real.svg"), "old").unwrap();
    symlink("real.svg", at("link.svg")).unwrap();
    symlink("new.svg", at("dangling.svg")).unwrap();
    assert!(Command::new("mkfifo").arg(at("pipe.svg")).status().unwrap().success());
    let export = |name: &str| {
        ylotrope(folder.path())
            .args(["export", "--what", "diagram", "-c", "seq 3", "--to", name])
            .output()
            .unwrap()
    };
    super::within(20, "a pipe that nobody reads", || {
        let output = export("pipe.svg");
        assert!(!output.status.success() && text(&output.stderr).contains("not a regular file"));
    });
    assert!(export("link.svg").status.success() && export("dangling.svg").status.success());
    for (link, file) in [("link.svg", "real.svg"), ("dangling.svg", "new.svg")] {
        assert!(std::fs::symlink_metadata(at(link)).unwrap().is_symlink(), "{link}");
        assert!(std::fs::read_to_string(at(file)).unwrap().starts_with("<svg"), "{file}");
    }
    assert!(!std::fs::metadata(at("pipe.svg")).unwrap().is_file());
}

#[test]
fn a_file_that_may_not_grow_is_as_it_was_and_the_error_is_said() {
    let folder = tempfile::tempdir().unwrap();
    for line in
        ["seq 100000 > f", "seq 100000 | sort -o f", "seq 100000 > new", "seq 99999 | tee f > g"]
    {
        std::fs::write(folder.path().join("f"), "old\n").unwrap();
        let limited = format!("ulimit -f 8; trap '' XFSZ; exec {PROGRAM} run -c '{line}'");
        let output = sh(folder.path(), &limited);
        assert_ne!(output.status.code(), Some(0), "{line}");
        assert!(!output.stderr.is_empty(), "{line}");
        let left = std::fs::read_to_string(folder.path().join("f")).unwrap();
        assert!(left == "old\n" || line.contains("tee"), "{line}: {} bytes", left.len());
        assert!(!folder.path().join("new").exists(), "{line}");
        let rest = files(folder.path());
        assert!(rest.iter().all(|(name, _)| !name.starts_with(".ylotrope")), "{line}");
    }
}

/// The screen is killed in the middle of a write; the one that waits for it ends what was begun.
#[test]
fn a_write_that_is_killed_is_ended_by_the_one_that_waits_and_undone_after_a_restart() {
    let terminal = Terminal::open(120, 30);
    let path = terminal.path().join("f");
    std::fs::write(&path, "old\n").unwrap();
    terminal.type_text("$Y --line 'echo new > f'");
    terminal.press(&["Enter"]);
    terminal.wait("evaluated in");
    terminal.escape("↑↓ select");
    terminal.press(&["w"]);
    terminal.wait("Write these files now");
    terminal.press(&["y"]);
    terminal.wait("written: f");
    assert_eq!(std::fs::read_to_string(&path).unwrap(), "new\n");
    // Killed with the undo still there.
    let worker = crate::ends::processes(&terminal).0;
    assert!(Command::new("kill").args(["-9", &worker.to_string()]).status().unwrap().success());
    terminal.wait("shell>");
    terminal.type_text("clear; $Y --line 'cat f'");
    terminal.press(&["Enter"]);
    terminal.wait("Z undoes it");
    terminal.escape("↑↓ select");
    terminal.press(&["Z"]);
    terminal.wait("1 file is as before");
    assert_eq!(std::fs::read_to_string(&path).unwrap(), "old\n");
    terminal.press(&["C-q"]);
}

/// What prints says so where it cannot, and that is no success.
#[test]
fn what_could_not_be_printed_is_no_success() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("f"), "a b\nc d\n").unwrap();
    for arguments in [
        &["columns", "f"][..],
        &["columns", "--csv", "f"],
        &["check", "-c", "cat f | cat"],
        &["check", "--json", "-c", "cat f"],
        &["guide"],
        &["use", "--help"],
        &["--help"],
        &["--version"],
        &["config"],
        &["completions", "bash"],
        &["man"],
        &["run", "-c", "cat f"],
        &["use", "cat", "f"],
    ] {
        let full = || std::fs::File::options().write(true).open("/dev/full").unwrap();
        let output = ylotrope(folder.path()).args(arguments).stdout(full()).output().unwrap();
        assert!(!output.status.success(), "{arguments:?}");
        assert!(text(&output.stderr).contains("No space left"), "{arguments:?}: {output:?}");
    }
}
