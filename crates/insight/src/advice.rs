//! Advice that is true of this data.

use std::collections::HashSet;
use std::path::{Path, PathBuf};

use bstr::ByteSlice;
use engine::{Ending, Identity, PendingMode, Preview, StageKind, StageResult, TargetKind};
use filters::{Arguments, Verb};
use shell::Span;

use crate::edit::TextEdit;
use crate::figures::{bytes, grouped};
use crate::words::limit_in_words;

/// How sure a note is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Cannot be wrong: shown with `!`.
    Warning,
    /// A hint: shown with `·`.
    Hint,
}

/// Something worth knowing about a stage.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Note {
    /// Which kind of note.
    pub id: &'static str,
    /// The stage it is about.
    pub stage: usize,
    /// How sure it is.
    pub severity: Severity,
    /// One sentence, with the figures of this data.
    pub text: String,
    /// What one key would change.
    pub fix: Option<Fix>,
}

/// A change of the text that a note offers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fix {
    /// What it does, in a few words.
    pub label: String,
    /// The change.
    pub edits: Vec<TextEdit>,
}

/// Lines looked at to find out about repeats and delimiters.
const LOOK_LINES: usize = 200_000;

/// All notes on a preview, stage by stage, warnings first.
pub fn notes(preview: &Preview) -> Vec<Note> {
    let mut notes = Vec::new();
    for (number, stage) in preview.stages.iter().enumerate() {
        let before = notes.len();
        if stage.plan.off.is_none() {
            notes.extend(repeats_apart(number, stage));
            notes.extend(delimiter_absent(preview, number, stage));
        }
        notes.extend(nothing_comes(preview, number));
        notes.extend(same_file(preview, number, stage));
        notes.extend(replaces(preview, number, stage));
        notes.extend(privilege(preview, number, stage));
        notes.extend(endings(number, stage));
        notes.extend(holds_everything(preview, number, stage));
        notes.extend(sample_only(preview, number));
        notes[before..].sort_by_key(|note| note.severity);
    }
    notes
}

fn note(
    id: &'static str,
    stage: usize,
    severity: Severity,
    text: String,
    fix: Option<Fix>,
) -> Note {
    Note { id, stage, severity, text, fix }
}

fn is(stage: &StageResult, name: &str) -> bool {
    matches!(&stage.plan.kind, StageKind::Native(definition) if definition.spec.name == name)
}

fn arguments(stage: &StageResult) -> Option<Arguments> {
    match &stage.plan.kind {
        StageKind::Native(definition) => definition.parse(&stage.plan.arguments).ok(),
        _ => None,
    }
}

/// The stage's input lines, as many as are looked at, and whether that is all.
fn looked_at(stage: &StageResult) -> (Vec<bytes::Bytes>, bool) {
    let mut lines = Vec::new();
    for input in &stage.inputs {
        lines.extend(input.kept.lines_at(0, LOOK_LINES - lines.len()));
        if lines.len() >= LOOK_LINES {
            break;
        }
    }
    let all = lines.len() as u64 == stage.input_lines();
    (lines, all)
}

fn nothing_comes(preview: &Preview, number: usize) -> Option<Note> {
    let before = preview.stages.get(number.checked_sub(1)?)?;
    let reads =
        preview.stages[number].inputs.iter().any(|input| input.name == stream::InputName::Standard);
    if before.plan.feeds_next() || !reads {
        return None;
    }
    let text = format!("nothing comes in: the output of stage {number} goes elsewhere");
    Some(note("nothing-comes", number, Severity::Warning, text, None))
}

fn repeats_apart(number: usize, stage: &StageResult) -> Option<Note> {
    if !is(stage, "uniq") {
        return None;
    }
    let fold = arguments(stage)?.has('i');
    let (lines, all) = looked_at(stage);
    if !all {
        return None;
    }
    let key = |line: &[u8]| if fold { line.to_ascii_lowercase() } else { line.to_vec() };
    let different: HashSet<Vec<u8>> = lines.iter().map(|line| key(line)).collect();
    let groups =
        lines.len() - lines.windows(2).filter(|pair| key(&pair[0]) == key(&pair[1])).count();
    let repeats = (lines.len() - different.len()) as u64;
    let removed = (lines.len() - groups) as u64;
    if removed == repeats {
        return None;
    }
    let apart = repeats - removed;
    let text = format!(
        "saw only {} of {} repeats: the other {} are not next to each other",
        grouped(removed),
        grouped(repeats),
        grouped(apart)
    );
    let start = stage.span.start;
    let edits = vec![TextEdit { span: Span::new(start, start), text: "sort | ".to_owned() }];
    let fix = Fix { label: "put sort before it".to_owned(), edits };
    Some(note("repeats-apart", number, Severity::Warning, text, Some(fix)))
}

fn delimiter_absent(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
    if !is(stage, "cut") {
        return None;
    }
    let arguments = arguments(stage)?;
    if !arguments.has('f') || arguments.has('s') {
        return None;
    }
    let given = arguments.last('d');
    let delimiter = given.map_or(&b"\t"[..], |given| &given.value);
    let (lines, _) = looked_at(stage);
    let absent = lines.iter().filter(|line| !line.contains_str(delimiter)).count();
    if absent == 0 {
        return None;
    }
    let shown = shown_delimiter(delimiter);
    let text = format!(
        "{} of {} lines have no {shown} and passed whole",
        grouped(absent as u64),
        grouped(lines.len() as u64)
    );
    let name_end = stage_name_end(&preview.text, stage);
    let fix = if absent * 2 > lines.len() {
        // The delimiter that most lines do have.
        let best = [" ", ",", ":", ";", "\t", "|", "="]
            .into_iter()
            .filter(|candidate| candidate.as_bytes() != delimiter)
            .map(|candidate| {
                (lines.iter().filter(|line| line.contains_str(candidate)).count(), candidate)
            })
            .max_by_key(|(count, _)| *count)
            .filter(|(count, _)| count * 2 > lines.len());
        best.map(|(count, best)| {
            let quoted = if best == "\t" { "-d\"\t\"".to_owned() } else { format!("-d'{best}'") };
            let edits = match given {
                None => vec![TextEdit {
                    span: Span::new(name_end, name_end),
                    text: format!(" {quoted}"),
                }],
                Some(given) => replace_option(&preview.text, stage, given.word, &quoted),
            };
            let label = format!(
                "split at {} ({} lines have it)",
                shown_delimiter(best.as_bytes()),
                grouped(count as u64)
            );
            Fix { label, edits }
        })
    } else {
        let edits = vec![TextEdit { span: Span::new(name_end, name_end), text: " -s".to_owned() }];
        Some(Fix { label: "drop them with -s".to_owned(), edits })
    };
    Some(note("delimiter-absent", number, Severity::Warning, text, fix))
}

fn stage_name_end(text: &str, stage: &StageResult) -> usize {
    let source = text.get(stage.span.range()).unwrap_or_default();
    stage.span.start + source.find(stage.name.as_str()).map_or(0, |at| at + stage.name.len())
}

/// Replaces the word that holds an option's value, and the option's own word where that stands
/// alone before it.
fn replace_option(text: &str, stage: &StageResult, word: usize, with: &str) -> Vec<TextEdit> {
    let Some(span) = stage.plan.argument_spans.get(word) else { return Vec::new() };
    let own = text.get(span.range()).unwrap_or_default();
    let start = match word.checked_sub(1).and_then(|before| stage.plan.argument_spans.get(before)) {
        Some(before) if !own.starts_with('-') => before.start,
        _ => span.start,
    };
    vec![TextEdit { span: Span::new(start, span.end), text: with.to_owned() }]
}

fn shown_delimiter(delimiter: &[u8]) -> String {
    match delimiter {
        b"\t" => "TAB".to_owned(),
        b" " => "space".to_owned(),
        b"," => "comma".to_owned(),
        b":" => "colon".to_owned(),
        b";" => "semicolon".to_owned(),
        _ => format!("“{}”", String::from_utf8_lossy(delimiter)),
    }
}

/// The files a stage reads, by argument or redirection.
fn reads(stage: &StageResult) -> Vec<PathBuf> {
    use std::os::unix::ffi::OsStrExt;
    let mut paths: Vec<PathBuf> = stage
        .plan
        .targets
        .iter()
        .filter_map(|target| match &target.kind {
            TargetKind::Read(path) => Some(path.clone()),
            _ => None,
        })
        .collect();
    paths.extend(stage.inputs.iter().filter_map(|input| match &input.name {
        stream::InputName::File(name) => {
            Some(Path::new(std::ffi::OsStr::from_bytes(name)).to_owned())
        }
        stream::InputName::Standard => None,
    }));
    paths
}

fn same(one: &Path, other: &Path) -> bool {
    let real = |path: &Path| std::fs::canonicalize(path).ok();
    one == other || matches!((real(one), real(other)), (Some(one), Some(other)) if one == other)
}

fn same_file(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
    for (path, append, target) in stage.plan.written() {
        if append || Identity::now(path).is_err() {
            continue;
        }
        let read = preview.stages.iter().flat_map(reads).any(|read| same(&read, path));
        if !read {
            continue;
        }
        let shown = path.display();
        let text = format!("{shown} is read by this line and would be emptied before it is read");
        let end = target.span.end;
        let edits = vec![TextEdit { span: Span::new(end, end), text: ".new".to_owned() }];
        let fix = Fix { label: format!("write to {shown}.new instead"), edits };
        return Some(note("same-file", number, Severity::Warning, text, Some(fix)));
    }
    None
}

fn replaces(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
    for (path, append, target) in stage.plan.written() {
        // Devices have nothing that could be replaced.
        let Some(pending) = stage.pending.iter().find(|file| file.path == path) else { continue };
        if append || pending.mode != PendingMode::Replace || pending.bytes_now == 0 {
            continue;
        }
        let size = match pending.lines_now {
            Some(1) => "1 line".to_owned(),
            Some(lines) => format!("{} lines", grouped(lines)),
            None => bytes(pending.bytes_now),
        };
        let text = format!("replaces {size} of {}", path.display());
        let source = preview.text.get(target.span.range()).unwrap_or_default();
        let fix = source.find('>').map(|at| {
            let at = target.span.start + at;
            let old = usize::from(source.contains(">|")) + 1;
            let edits = vec![TextEdit { span: Span::new(at, at + old), text: ">>".to_owned() }];
            Fix { label: "append with >> instead".to_owned(), edits }
        });
        return Some(note("replaces", number, Severity::Warning, text, fix));
    }
    None
}

/// How the stage and its sources ended, where that is worth a word.
/// Commands that run another one with other rights.
const PRIVILEGED: [&str; 5] = ["sudo", "doas", "pkexec", "run0", "su"];

/// A file is opened by the shell before the privileged command begins, or may not be opened at all.
fn privilege(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
    let named = |name: &[u8]| {
        let name = name.rsplit_str("/").next().unwrap_or_default();
        PRIVILEGED.iter().any(|known| known.as_bytes() == name)
    };
    let privileged = matches!(&stage.plan.kind, StageKind::Host(name) if named(name));
    let (path, append, target) =
        stage.plan.written().filter(|(_, _, target)| target.descriptor == 1).last()?;
    let refused = format!("cannot create {}: Permission denied", path.display());
    let denied = stage.messages.contains(&refused);
    if !privileged && !denied {
        return None;
    }
    let name = path.display();
    let tool = if privileged { stage.name.clone() } else { "sudo".to_owned() };
    let text = match (privileged, denied) {
        (true, true) => format!(
            "{name} is opened with your own rights, which do not suffice, not with those of {tool}"
        ),
        (true, false) => format!("{name} is opened with your own rights, not with those of {tool}"),
        (false, _) => format!("{name} may not be written with your own rights"),
    };
    let source = preview.text.get(target.span.range())?;
    let word =
        source.trim_start_matches(|c: char| c.is_ascii_digit()).trim_start_matches(['>', '|', ' ']);
    let option = if append { "-a " } else { "" };
    // The writing itself gets the rights, and its copy on the screen goes nowhere.
    let edit =
        TextEdit { span: target.span, text: format!("| {tool} tee {option}{word} > /dev/null") };
    // Behind the redirection nothing of the same command may follow.
    let last = target.span.end == stage.span.end && !tool.ends_with("su");
    let fix = last.then(|| Fix { label: format!("let {tool} tee write it"), edits: vec![edit] });
    Some(note("privilege", number, Severity::Warning, text, fix))
}

fn endings(number: usize, stage: &StageResult) -> Vec<Note> {
    let mut notes = Vec::new();
    match stage.ending {
        Ending::ClosedPipe => notes.push(note(
            "closed-pipe",
            number,
            Severity::Hint,
            "ended by the closed pipe (status 141): normal, the next stage had enough".to_owned(),
            None,
        )),
        Ending::Cut(limit) => notes.push(note(
            "cut-off",
            number,
            Severity::Warning,
            format!("cut off here after {}: a preview goes no further", limit_in_words(limit)),
            None,
        )),
        Ending::Failed | Ending::Finished => {}
    }
    for sampled in stage.inputs.iter().filter_map(|input| input.sampled.as_ref()) {
        if let Some(limit) = sampled.cut {
            let text = format!("the data is cut off after {}", limit_in_words(limit));
            notes.push(note("cut-off", number, Severity::Warning, text, None));
        }
        if sampled.changed {
            let text = "a file changed while it was read; R reads it again".to_owned();
            notes.push(note("changed", number, Severity::Warning, text, None));
        }
    }
    notes
}

fn holds_everything(preview: &Preview, number: usize, stage: &StageResult) -> Option<Note> {
    let why = stage.holds?;
    let held = stage.figures.peak_held_bytes;
    if held == 0 {
        return None;
    }
    let (read, whole) = preview.sources().fold((0, Some(0)), |(read, whole), (_, sampled)| {
        let sum = whole.zip(sampled.whole_bytes).map(|(sum, bytes)| sum + bytes);
        (read + sampled.kept.bytes(), sum)
    });
    let estimate = match whole {
        Some(whole) if whole > read && read > 0 => {
            let estimated = held as f64 * whole as f64 / read as f64;
            format!(", about {} for the whole data", bytes(estimated as u64))
        }
        _ => String::new(),
    };
    let text = format!("holds data back, {} now{estimate}: {why}", bytes(held));
    Some(note("holds-everything", number, Severity::Hint, text, None))
}

/// True for a stage whose result is only right for the whole data.
fn needs_everything(stage: &StageResult) -> bool {
    stage.plan.off.is_none()
        && (matches!(stage.verb, Some(Verb::Merges | Verb::Orders)) || stage.holds.is_some())
}

fn sample_only(preview: &Preview, number: usize) -> Option<Note> {
    if !preview.stages[..=number].iter().any(needs_everything) {
        return None;
    }
    let (_, sampled) = preview.sources().find(|(_, sampled)| !sampled.complete)?;
    let lines = sampled.kept.lines();
    let whole = match (sampled.whole_lines(), sampled.whole_bytes) {
        (Some(whole), _) => format!("{} of {} lines", grouped(lines), grouped(whole)),
        (None, Some(whole)) => format!("{} lines of {}", grouped(lines), bytes(whole)),
        (None, None) => format!("{} lines so far", grouped(lines)),
    };
    let text = format!("figures of a sample, not of the whole data: {whole}");
    Some(note("sample-only", number, Severity::Hint, text, None))
}
