//! Manual pages, completions, configuration, log, checks and scripts that name the program.

use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::{Command, Output, Stdio};

use crate::tmux::Terminal;

fn ours() -> Command {
    Command::new(assert_cmd::cargo::cargo_bin!("ylotrope"))
}

fn run(folder: &Path, arguments: &[&str]) -> Output {
    let mut command = ours();
    command.args(arguments).current_dir(folder).stdin(Stdio::null());
    command.env("XDG_STATE_HOME", folder.join("state"));
    command.env("XDG_CONFIG_HOME", folder.join("config")).output().unwrap()
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

#[test]
fn manual_pages_are_shown_without_a_warning() {
    let folder = tempfile::tempdir().unwrap();
    let pages = folder.path().join("man");
    let made = run(folder.path(), &["man", "--to", &pages.display().to_string()]);
    assert!(made.status.success(), "{}", text(&made.stderr));
    let mut count = 0;
    for page in std::fs::read_dir(&pages).unwrap().flatten() {
        count += 1;
        let shown = Command::new("man")
            .args(["--warnings", "-E", "UTF-8", "-l", "-Tutf8"])
            .arg(page.path())
            .env("LC_ALL", "C.UTF-8")
            .env("MANWIDTH", "80")
            .stdin(Stdio::null())
            .output()
            .unwrap();
        let name = page.file_name();
        let said = text(&shown.stderr);
        assert!(said.is_empty(), "{name:?}: {said}");
        assert!(shown.stdout.len() > 300 && shown.status.success(), "{name:?}");
    }
    assert_eq!(count, filters::all().len() + 1);
    // They say what the help says.
    let page = text(&run(folder.path(), &["man", "sort"]).stdout);
    for option in filters::find(b"sort").unwrap().spec.options {
        let meaning = option.meaning.replace('-', "\\-");
        assert!(page.contains(&meaning) || page.contains(option.meaning), "{}", option.meaning);
    }
    let page = text(&run(folder.path(), &["man"]).stdout);
    for part in ["YLOTROPE RUN", "dry", "YLOTROPE CHECK", "config.toml"] {
        assert!(page.contains(part), "{part}");
    }
    assert_eq!(run(folder.path(), &["man", "nope"]).status.code(), Some(127));
}

#[test]
fn the_configuration_in_force_is_printed_and_mistakes_are_said() {
    let folder = tempfile::tempdir().unwrap();
    let printed = run(folder.path(), &["config"]);
    let said = text(&printed.stdout);
    assert!(
        said.contains("which is not there") && said.contains("sample = \"quick 5000\""),
        "{said}"
    );
    let file = folder.path().join("config/ylotrope/config.toml");
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    // What is printed can be put there, and says the same then.
    std::fs::write(&file, said.replace("\"quick 5000\"", "\"first 100\"")).unwrap();
    let again = text(&run(folder.path(), &["config"]).stdout);
    assert!(
        again.contains("\nsample = \"first 100\"\n") && again.contains("run-all = \"r\""),
        "{again}"
    );
    std::fs::write(&file, "\n\nsample = \"some\"\n").unwrap();
    let wrong = run(folder.path(), &["config"]);
    assert_eq!(wrong.status.code(), Some(2));
    assert!(text(&wrong.stderr).contains("sample cannot be “some”"), "{}", text(&wrong.stderr));
    std::fs::write(&file, "\n\nsampel = 3\n").unwrap();
    let wrong = text(&run(folder.path(), &["config"]).stderr);
    assert!(wrong.contains("line 3: ") && wrong.contains("sampel"), "{wrong}");
    // A log that is set there is written.
    std::fs::write(&file, "log = \"info\"\n").unwrap();
    run(folder.path(), &["run", "-c", "true"]);
    assert!(
        std::fs::read_to_string(folder.path().join("state/ylotrope/log"))
            .unwrap()
            .contains("begun")
    );
}

#[test]
fn a_text_is_only_checked_with_n_and_a_script_can_name_the_program() {
    let folder = tempfile::tempdir().unwrap();
    let script = folder.path().join("count.sh");
    let program = assert_cmd::cargo::cargo_bin!("ylotrope");
    let lines = format!(
        "#!/usr/bin/env -S {} run\nseq \"$1\" | wc -l > made\ncat made\n",
        program.display()
    );
    std::fs::write(&script, lines).unwrap();
    let checked = run(folder.path(), &["run", "-n", "count.sh", "7"]);
    assert!(checked.status.success() && !folder.path().join("made").exists());
    std::fs::set_permissions(&script, std::fs::Permissions::from_mode(0o755)).unwrap();
    let made = Command::new(&script).arg("7").current_dir(folder.path()).output().unwrap();
    assert_eq!((text(&made.stdout), text(&made.stderr)), ("7\n".to_owned(), String::new()));
    let wrong = run(folder.path(), &["run", "-n", "-c", "seq 3 | (grep 1\necho"]);
    assert_eq!(wrong.status.code(), Some(2));
    assert!(
        text(&wrong.stderr).contains("ylotrope run: line 1, column "),
        "{}",
        text(&wrong.stderr)
    );
}

#[test]
fn the_version_says_what_it_was_built_from() {
    let folder = tempfile::tempdir().unwrap();
    let version = text(&run(folder.path(), &["--version"]).stdout);
    assert!(version.starts_with("ylotrope 0.") && version.contains("linux"), "{version}");
}

/// A shell with the completions, its program called `ylotrope`.
fn completing(start: &str, init: &str) -> Terminal {
    let terminal = Terminal::open(100, 40);
    let program = assert_cmd::cargo::cargo_bin!("ylotrope");
    std::os::unix::fs::symlink(program, terminal.path().join("ylotrope")).unwrap();
    std::fs::write(terminal.path().join("worst-gates.sh"), "true\n").unwrap();
    terminal.type_text(&format!("PATH=$PWD:$PATH; {start}"));
    terminal.press(&["Enter"]);
    terminal.wait_for("the prompt", |screen| screen.lines().any(|line| line.starts_with("at>")));
    terminal.type_text(&format!("{init}; clear"));
    terminal.press(&["Enter"]);
    terminal.wait_for("a clear screen", |screen| {
        screen.trim_end().lines().all(|line| line.trim() == "at>") && screen.contains("at>")
    });
    terminal
}

/// The beginning of a line, and what TAB makes of it.
const COMPLETED: [(&str, &str); 5] = [
    ("ylotrope colu", "ylotrope columns"),
    ("ylotrope use sta", "ylotrope use stamp"),
    ("ylotrope use stamp --day", "ylotrope use stamp --day-first"),
    ("ylotrope run wor", "ylotrope run worst-gates.sh"),
    ("ylotrope run --prog", "ylotrope run --progress"),
];

fn complete(terminal: &Terminal) {
    for (begun, whole) in COMPLETED {
        terminal.type_text(begun);
        terminal.wait(begun);
        terminal.press(&["Tab"]);
        terminal.wait(whole);
        terminal.press(&["C-e", "C-u"]);
        terminal.wait_gone(begun);
    }
}

#[test]
fn bash_completes() {
    complete(&completing(
        "env PS1='at> ' bash --norc --noprofile",
        "source <(ylotrope completions bash)",
    ));
}

#[test]
fn zsh_completes() {
    let terminal = completing(
        "env PS1='at> ' zsh -f",
        "unsetopt PROMPT_SP; mkdir functions; ylotrope completions zsh > functions/_ylotrope; fpath=($PWD/functions $fpath); autoload -U compinit; compinit -D -u; bindkey -e",
    );
    complete(&terminal);
}

#[test]
fn fish_completes() {
    complete(&completing(
        "env fish_features=no-query-term fish --no-config --init-command 'function fish_prompt; echo -n \"at> \"; end; function fish_right_prompt; end; set -g fish_greeting; set -g fish_autosuggestion_enabled 0'",
        "ylotrope completions fish | source",
    ));
}
