//! What a script does, in words.

use super::tree::{Action, Address, Command, End, PatternUse, Script, When};
use crate::text::phrases::counted;

/// True where the commands only choose lines.
pub(super) fn keeps(script: &Script) -> bool {
    script.commands.iter().all(|command| {
        matches!(
            command.action,
            Action::Delete
                | Action::Print
                | Action::Quit(_)
                | Action::QuitSilently(_)
                | Action::Block(_)
                | Action::Nothing
        )
    })
}

/// Longest explanation, in bytes; what does not fit is counted.
const LONGEST: usize = 600;

/// The script in words, command by command.
pub(super) fn summary(script: &Script, quiet: bool) -> String {
    let mut said = String::new();
    let mut left = 0_u64;
    // Where the blocks end that are open.
    let mut blocks: Vec<usize> = Vec::new();
    for (at, command) in script.commands.iter().enumerate() {
        while blocks.pop_if(|end| *end <= at).is_some() {
            said.push('}');
        }
        let what = match &command.action {
            // Its lines are chosen by what is before it.
            Action::Nothing => continue,
            Action::Block(end) => {
                blocks.push(*end);
                "{".to_owned()
            }
            action => does(action, script, quiet),
        };
        if said.len() > LONGEST {
            left += 1;
            continue;
        }
        if !said.is_empty() && !said.ends_with('{') {
            said.push_str("; ");
        }
        match lines(command, script) {
            Some(lines) => said.push_str(&format!("{lines}: {what}")),
            None => said.push_str(&what),
        }
    }
    said.push_str(&"}".repeat(blocks.len()));
    if left > 0 {
        said.push_str(&format!("; and {} more", counted(left, "command", "commands")));
    }
    if said.is_empty() {
        said.push_str("changes nothing");
    }
    let silent = quiet && !script.commands.iter().any(writes);
    let all_lines = if silent {
        "; writes nothing"
    } else if quiet {
        "; writes no other lines"
    } else {
        ""
    };
    said + all_lines
}

/// A command by its number, with the lines it is for and what it does.
pub(super) fn command(at: usize, script: &Script, quiet: bool) -> String {
    let Some(command) = script.commands.get(at) else { return String::new() };
    let before = script.commands[..at].iter();
    let number = before.filter(|one| !matches!(one.action, Action::Nothing)).count() + 1;
    let lines = lines(command, script).map(|lines| format!(" {lines}")).unwrap_or_default();
    format!("command {number}{lines}: {}", does(&command.action, script, quiet))
}

/// The commands that write lines where those are not written by themselves, by their places.
pub(super) fn writing(script: &Script) -> Vec<usize> {
    let all = script.commands.iter().enumerate();
    all.filter(|(_, command)| writes(command)).map(|(at, _)| at).collect()
}

/// True for what writes something by itself.
fn writes(command: &Command) -> bool {
    match &command.action {
        Action::Substitute(substitution) => substitution.print,
        Action::Print | Action::PrintFirst | Action::Number | Action::List(_) => true,
        Action::Append(_) | Action::Insert(_) | Action::Change(_) | Action::FileName => true,
        Action::ReadFile(_) | Action::ReadLine(_) => true,
        _ => false,
    }
}

/// The lines a command is for; `None` for all.
fn lines(command: &Command, script: &Script) -> Option<String> {
    let chosen = match &command.when {
        When::Always if command.negated => return Some("on no line".to_owned()),
        When::Always => return None,
        When::At(address) => match address {
            Address::Line(number) => format!("line {number}"),
            Address::Step(first, step) => format!("every {step} lines from line {first} on"),
            Address::Last => "the last line".to_owned(),
            Address::Pattern(pattern) => format!("lines with {}", text_of(*pattern, script)),
            Address::Start => "the beginning".to_owned(),
        },
        When::Range(from, to, _) => {
            let from = match from {
                Address::Line(number) => format!("line {number}"),
                Address::Step(first, _) => format!("line {first}"),
                Address::Last => "the last line".to_owned(),
                Address::Pattern(pattern) => format!("a line with {}", text_of(*pattern, script)),
                Address::Start => "the beginning".to_owned(),
            };
            let to = match to {
                End::Line(number) => format!("to line {number}"),
                End::Last => "to the last line".to_owned(),
                End::Pattern(pattern) => format!("to one with {}", text_of(*pattern, script)),
                End::After(count) => format!("and {} after it", counted(*count, "line", "lines")),
                End::Multiple(of) => format!("to a line whose number is a multiple of {of}"),
            };
            format!("from {from} {to}")
        }
    };
    let not = if command.negated { "all but " } else { "" };
    let on = if chosen.starts_with("from ") && !command.negated { "" } else { "on " };
    Some(format!("{on}{not}{chosen}"))
}

fn text_of(pattern: PatternUse, script: &Script) -> String {
    match pattern {
        PatternUse::Last => "the last pattern".to_owned(),
        PatternUse::Known(number) => {
            let (text, folded) = script
                .texts
                .get(number)
                .map_or((&b""[..], false), |(text, folded)| (&text[..], *folded));
            let case = if folded { " in either case" } else { "" };
            format!("/{}/{case}", String::from_utf8_lossy(text))
        }
    }
}

fn quoted(text: &[u8]) -> String {
    let text = String::from_utf8_lossy(text);
    format!("“{}”", text.trim_end_matches('\n').replace('\n', "\\n"))
}

/// What a command does with a line.
fn does(action: &Action, script: &Script, quiet: bool) -> String {
    match action {
        Action::Substitute(substitution) => {
            let which = match (substitution.all, substitution.from) {
                (true, 1) => "every match".to_owned(),
                (true, from) => format!("the matches from number {from} on"),
                (false, 1) => "the first match".to_owned(),
                (false, from) => format!("match number {from}"),
            };
            let by = match &substitution.replacement.shown()[..] {
                "" => "nothing".to_owned(),
                text => format!("“{text}”"),
            };
            let pattern = text_of(substitution.pattern, script);
            let prints = match (substitution.print, quiet) {
                (true, true) => " and writes lines changed",
                (true, false) => " and writes lines changed twice",
                (false, _) => "",
            };
            let into = substitution.write.map(|number| file(number, script));
            let into = into.map(|file| format!(" and writes lines changed into {file}"));
            let into = into.unwrap_or_default();
            format!("replaces {which} of {pattern} by {by}{prints}{into}")
        }
        Action::Translate(_) => "replaces characters by their partners".to_owned(),
        Action::Delete => "drops the line".to_owned(),
        Action::DeleteFirst => "drops the first line of those joined, and begins again".to_owned(),
        Action::Print if quiet => "writes the line".to_owned(),
        Action::Print => "writes the line once more".to_owned(),
        Action::PrintFirst => "writes the first line of those joined".to_owned(),
        Action::Append(text) => format!("writes {} after it", quoted(text)),
        Action::Insert(text) => format!("writes {} before it", quoted(text)),
        Action::Change(text) => format!("writes {} in its place", quoted(text)),
        Action::Quit(_) => "ends after it".to_owned(),
        Action::QuitSilently(_) => "ends before it is written".to_owned(),
        Action::Number => "writes its number".to_owned(),
        Action::List(_) => "writes it with all bytes visible".to_owned(),
        Action::Next => "takes the next line".to_owned(),
        Action::AppendNext => "joins the next line to it".to_owned(),
        Action::CopyToHold => "keeps it".to_owned(),
        Action::AppendToHold => "joins it to what is kept".to_owned(),
        Action::CopyFromHold => "takes what is kept in its place".to_owned(),
        Action::AppendFromHold => "joins what is kept to it".to_owned(),
        Action::Exchange => "exchanges it with what is kept".to_owned(),
        Action::Empty => "empties it".to_owned(),
        Action::FileName => "writes the file's name".to_owned(),
        Action::ReadFile(name) => format!("writes the file {} after it", quoted(name)),
        Action::ReadLine(name) => format!("writes the next line of {} after it", quoted(name)),
        Action::WriteFile(number) => format!("writes it into {}", file(*number, script)),
        Action::WriteFirst(number) => {
            format!("writes the first line of those joined into {}", file(*number, script))
        }
        Action::Branch(None) => "does nothing more with it".to_owned(),
        Action::Branch(Some(_)) => "jumps to a label".to_owned(),
        Action::BranchIfChanged(None) => "does nothing more if it was changed".to_owned(),
        Action::BranchIfChanged(Some(_)) => "jumps to a label if it was changed".to_owned(),
        Action::BranchUnlessChanged(None) => "does nothing more if it was not changed".to_owned(),
        Action::BranchUnlessChanged(Some(_)) => "jumps to a label if it was not changed".to_owned(),
        Action::Block(_) | Action::Nothing => String::new(),
    }
}

fn file(number: usize, script: &Script) -> String {
    script.written.get(number).map_or_else(String::new, |name| quoted(name))
}

#[cfg(test)]
mod tests {
    use super::super::parser::parse;
    use super::summary;

    #[test]
    fn scripts_are_told_command_by_command() {
        for (script, quiet, expected) in [
            ("s/a/b/", false, "replaces the first match of /a/ by “b”"),
            (
                "s/\\(x*\\)y/<\\1&>/3g",
                false,
                "replaces the matches from number 3 on of /\\(x*\\)y/ by “<\\1&>”",
            ),
            (
                "/x/s/a//gp",
                true,
                "on lines with /x/: replaces every match of /a/ by nothing and writes lines changed; writes no other lines",
            ),
            ("$p", true, "on the last line: writes the line; writes no other lines"),
            ("1d;/^#/d", false, "on line 1: drops the line; on lines with /^#/: drops the line"),
            ("2,/end/!d", false, "on all but from line 2 to one with /end/: drops the line"),
            (
                "/a/,+2{=;p}",
                true,
                "from a line with /a/ and 2 lines after it: {writes its number; writes the line}; writes no other lines",
            ),
            (
                "1~3s/x/y/Iw out",
                false,
                "on every 3 lines from line 1 on: replaces the first match of /x/ in either case by “y” and writes lines changed into “out”",
            ),
            (
                "N;P;D",
                false,
                "joins the next line to it; writes the first line of those joined; drops the first line of those joined, and begins again",
            ),
            ("3q", false, "on line 3: ends after it"),
            (
                "1!G;h;$!d",
                false,
                "on all but line 1: joins what is kept to it; keeps it; on all but the last line: drops the line",
            ),
            ("2a new", false, "on line 2: writes “new” after it"),
            ("", false, "changes nothing"),
            ("s/a/b/", true, "replaces the first match of /a/ by “b”; writes nothing"),
        ] {
            let script_of = parse(script.as_bytes(), false).unwrap();
            assert_eq!(summary(&script_of, quiet), expected, "{script}");
        }
    }

    #[test]
    fn of_long_scripts_the_rest_is_counted() {
        let script = parse("s/abc/def/\n".repeat(90).as_bytes(), false).unwrap();
        let said = summary(&script, false);
        assert!(said.len() < 750 && said.ends_with("more"), "{said}");
    }
}
