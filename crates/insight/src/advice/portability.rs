//! What other systems have, and what they do otherwise. Said on request only.

use engine::StageKind;
use shell::Part;

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};

pub(super) const LOCALE_ORDER: About = About {
    kind: NoteKind::LocaleOrder,
    basis: Basis::Portability,
    when: "the order of sort depends on the locale elsewhere; here it is that of the bytes",
    example: "sort station.conf",
    proof: Proof::Cures,
    searches: false,
    find: |look| locale_order(look).into_iter().collect(),
};

pub(super) const NOT_POSIX: About = About {
    kind: NoteKind::NotPosix,
    basis: Basis::Portability,
    when: "an option, a filter or shell syntax is not in POSIX.1-2017",
    example: "grep -o refused gate.log",
    proof: Proof::Cures,
    searches: false,
    find: not_posix,
};

/// The utilities of POSIX.1-2017 (XCU, chapter 4) that text pipelines are made of, and those the
/// shell has itself.
const UTILITIES: &[&str] = &[
    "awk", "basename", "bc", "cat", "cd", "chmod", "chown", "cksum", "cmp", "comm", "command",
    "cp", "csplit", "cut", "date", "dd", "df", "diff", "dirname", "du", "echo", "ed", "env",
    "expand", "expr", "false", "file", "find", "fold", "getopts", "grep", "head", "iconv", "id",
    "join", "kill", "link", "ln", "logger", "ls", "mkdir", "mkfifo", "more", "mv", "nice", "nl",
    "nohup", "od", "paste", "patch", "pathchk", "pax", "pr", "printf", "ps", "pwd", "read",
    "renice", "rm", "rmdir", "sed", "sh", "sleep", "sort", "split", "strings", "stty", "tail",
    "tee", "test", "[", "time", "touch", "tr", "true", "tsort", "tty", "umask", "uname",
    "unexpand", "uniq", "unlink", "uudecode", "uuencode", "wait", "wc", "who", "write", "xargs",
    "zcat", ":", ".", "break", "continue", "eval", "exec", "exit", "export", "readonly", "return",
    "set", "shift", "trap", "unset",
];

fn locale_order(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("sort")?;
    if look.is_bytewise() || arguments.has('n') {
        return None;
    }
    let text = "the order depends on the locale elsewhere; here it is that of the bytes";
    let note = look.note(NoteKind::LocaleOrder, Severity::Hint, text);
    let edits = super::look::insert(look.stage.span.start, "LC_ALL=C ");
    Some(note.with("say so with LC_ALL=C", edits))
}

/// What there is in its place.
fn instead(name: &str, option: &str) -> Option<&'static str> {
    Some(match (name, option) {
        ("grep", "-o") => "awk with match() prints what was found",
        ("grep", "-r" | "-R") => "find with -exec grep searches folders",
        ("sed", "-i") => "write to a new file and move it",
        ("sed", "-r" | "-E") => "basic patterns have \\( \\) and \\{ \\}",
        ("sort", "-h" | "-V" | "-R") => "awk can put a number before each line to order by",
        ("head", "-c") => "dd has bs and count",
        ("xargs", "-0") => "find -exec … {} + needs no separator",
        ("tac", "") => "sed -n '1!G;h;$p' turns the lines around",
        ("seq", "") => "awk 'BEGIN { for (i = 1; i <= 9; i++) print i }'",
        ("shuf", "") => "awk with rand() and sort",
        ("rev" | "column", "") => "awk does it",
        _ => return None,
    })
}

fn not_posix(look: &Look<'_>) -> Vec<Note> {
    let mut notes = Vec::new();
    let note = |span, text: String| look.note_at(NoteKind::NotPosix, Severity::Hint, span, text);
    if let Some(command) = look.command {
        syntax(look, command, &note, &mut notes);
    }
    let StageKind::Native(definition) = &look.stage.plan.kind else { return notes };
    let spec = definition.spec;
    let hint = |option: &str| {
        instead(spec.name, option).map(|text| format!("; {text}")).unwrap_or_default()
    };
    if !UTILITIES.contains(&spec.name) {
        let end = look.name_end();
        let span = shell::Span::new(end - spec.name.len(), end);
        notes.push(note(span, format!("{} is not in POSIX{}", spec.name, hint(""))));
        return notes;
    }
    let given = look.arguments.iter().flat_map(|arguments| &arguments.options);
    for given in given {
        let Some(option) = spec.option(given.id).filter(|option| !option.posix) else {
            continue;
        };
        let shown = option.id.to_string();
        let text = format!("{} {shown} is not in POSIX{}", spec.name, hint(&shown));
        notes.push(note(look.place(given.word), text));
    }
    let long = look
        .stage
        .plan
        .arguments
        .iter()
        .enumerate()
        .find(|(_, argument)| argument.starts_with(b"--") && argument.len() > 2);
    if let Some((at, _)) = long.filter(|_| notes.is_empty() && look.arguments.is_some()) {
        let text = format!("{} has no long options in POSIX", spec.name);
        notes.push(note(look.place(at), text));
    }
    notes
}

/// Shell syntax beyond the standard, in the stage's own words.
fn syntax(
    look: &Look<'_>,
    command: &shell::Command,
    note: &dyn Fn(shell::Span, String) -> Note,
    notes: &mut Vec<Note>,
) {
    for word in &command.words {
        for part in &word.parts {
            let what = match part {
                Part::Substituted(..) => "process substitution",
                Part::Alternatives(_) | Part::Sequence(_) => "brace expansion",
                Part::Dollar(_) => "$'…'",
                _ => continue,
            };
            notes.push(note(word.span, format!("{what} is not in the shell of POSIX")));
        }
    }
    for one in &command.redirections {
        use shell::RedirectionKind;
        let what = match one.kind {
            RedirectionKind::Text(_) => "<<<",
            RedirectionKind::ReplaceBoth(_) => "&>",
            RedirectionKind::AppendBoth(_) => "&>>",
            _ => continue,
        };
        notes.push(note(one.span, format!("{what} is not in the shell of POSIX")));
    }
    if command.errors_too {
        let text = "|& is not in the shell of POSIX: 2>&1 | is".to_owned();
        notes.push(note(look.stage.span, text));
    }
    if let Some(shell::Compound::Test(_)) = command.compound.as_deref() {
        notes.push(note(
            look.stage.span,
            "[[ … ]] is not in the shell of POSIX: [ … ] is".to_owned(),
        ));
    }
}
