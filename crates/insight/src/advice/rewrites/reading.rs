//! Files that are read more often than they have to be.

use shell::{Command, Compound, Parameter, Part, RedirectionKind, Word};

use super::super::about::About;
use super::super::look::{Look, replace};
use super::super::note::{Basis, Note, NoteKind, Proof};
use super::shape::rewrite;

pub(in super::super) const LOOP_OF_GREP: About = About {
    kind: NoteKind::LoopOfGrep,
    basis: Basis::Cost,
    when: "a loop searches a file once for each line of another one, which grep -f does in one go",
    example: "while read -r at; do grep \"$at\" gate.log; done < \
              <(printf '06:12:00\\n06:13:3\\n')",
    proof: Proof::Same,
    searches: false,
    find: |look| loop_of_grep(look).into_iter().collect(),
};

pub(in super::super) const READ_TWICE: About = About {
    kind: NoteKind::ReadTwice,
    basis: Basis::Cost,
    when: "two cuts of the same file are pasted together, which one cut does",
    example: "paste <(cut -d, -f1 cabins.csv) <(cut -d, -f3 cabins.csv) -d,",
    proof: Proof::Same,
    searches: false,
    find: |look| read_twice(look).into_iter().collect(),
};

/// The one command of a list.
fn only(list: &shell::List) -> Option<&Command> {
    let mut pipelines = list.items.iter().flat_map(shell::Item::pipelines);
    let pipeline = pipelines.next()?;
    if pipelines.next().is_some() {
        return None;
    }
    match &pipeline.commands[..] {
        [command] => Some(command),
        _ => None,
    }
}

/// `"$name"` and nothing else.
fn is_variable(word: &Word, name: &str) -> bool {
    let [Part::Double(parts)] = &word.parts[..] else { return false };
    matches!(&parts[..], [Part::Parameter(Parameter::Variable(own), _)] if own == name)
}

fn loop_of_grep(look: &Look<'_>) -> Option<Note> {
    let command = look.command?;
    let Compound::Loop { until: false, condition, body } = command.compound.as_deref()? else {
        return None;
    };
    let read = only(condition)?;
    let names: Vec<String> = read.words.iter().map(Word::literal).collect::<Option<_>>()?;
    let variable = match &names.iter().map(String::as_str).collect::<Vec<_>>()[..] {
        ["read", "-r", name] | ["read", name] => (*name).to_owned(),
        _ => return None,
    };
    let [redirection] = &command.redirections[..] else { return None };
    let RedirectionKind::Read(list) = &redirection.kind else { return None };
    let grep = only(body)?;
    if grep.name().as_deref() != Some("grep") || !grep.redirections.is_empty() {
        return None;
    }
    let at = grep.words.iter().position(|word| is_variable(word, &variable))?;
    let rest = [&grep.words[1..at], &grep.words[at + 1..]].concat();
    let values: Vec<String> = rest.iter().map(Word::literal).collect::<Option<_>>()?;
    let options: Vec<&String> = values.iter().filter(|value| value.starts_with('-')).collect();
    let known =
        |option: &&String| matches!(option.as_str(), "-i" | "-F" | "-E" | "-h" | "-w" | "-x");
    // With one file after the pattern, and no option that counts or names.
    if values.len() - options.len() != 1 || !options.iter().all(known) {
        return None;
    }
    let options: String = options.iter().map(|option| format!(" {option}")).collect();
    let file = look.source(
        rest.iter().find(|word| !word.literal().is_some_and(|one| one.starts_with('-')))?.span,
    );
    let with = format!("grep{options} -f {} {file}", look.source(list.span));
    let text = "one grep -f searches the file once for all patterns";
    let edits = replace(look.stage.span, with);
    Some(rewrite(look, NoteKind::LoopOfGrep, text, "search once with grep -f", edits, None))
}

/// `<(cut -dX -fN FILE)`: X, N and FILE as they are written.
fn cut_of(word: &Word) -> Option<(Option<String>, usize, String)> {
    let [Part::Substituted(_, list, _)] = &word.parts[..] else { return None };
    let command = only(list)?;
    if command.name().as_deref() != Some("cut") || !command.redirections.is_empty() {
        return None;
    }
    let (mut delimiter, mut field, mut file) = (None, None, None);
    for word in &command.words[1..] {
        let value = word.literal()?;
        if let Some(rest) = value.strip_prefix("-d") {
            delimiter = Some(rest.to_owned());
        } else if let Some(rest) = value.strip_prefix("-f") {
            field = rest.parse().ok();
        } else if file.replace(value).is_some() {
            return None;
        }
    }
    Some((delimiter, field?, file?))
}

fn read_twice(look: &Look<'_>) -> Option<Note> {
    look.arguments_of("paste")?;
    let command = look.command?;
    let mut cuts = Vec::new();
    let mut joint = None;
    for word in &command.words[1..] {
        if let Some(cut) = cut_of(word) {
            cuts.push(cut);
            continue;
        }
        joint = Some(word.literal()?.strip_prefix("-d")?.to_owned());
    }
    let [(delimiter, first, file), (other, second, again)] = &cuts[..] else { return None };
    let same = delimiter == other && file == again && first < second && *delimiter == joint;
    if !same {
        return None;
    }
    let option =
        delimiter.as_ref().map(|one| format!(" -d{}", shell::quote(one))).unwrap_or_default();
    let with = format!("cut{option} -f{first},{second} {}", shell::quote(file));
    let start = look.stage.span.start;
    let end = command.words.last()?.span.end;
    let text = format!("{file} is read twice: one cut takes both fields");
    let edits = replace(shell::Span::new(start, end), with);
    Some(rewrite(look, NoteKind::ReadTwice, text, "take both with one cut", edits, None))
}
