//! What can stand at the cursor: read from the machine, the text and the data.

use std::collections::{BTreeMap, BTreeSet};
use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::sync::Arc;

use engine::{Kept, Limits, try_on};
use stream::RunControl;

/// A candidate: its text and what it means.
type Candidate = (String, String);

/// Lines that are looked at for the names of fields.
const LINES: usize = 200;

/// Programs of the folders in `PATH` that begin like this and are no filters; of nothing typed none.
pub(super) fn programs(word: &str) -> Vec<Candidate> {
    if word.is_empty() || word.contains(['\'', '"', '$', '`', '*', '?']) {
        return Vec::new();
    }
    let path = std::env::var_os("PATH").unwrap_or_default();
    let mut found = BTreeSet::new();
    for folder in std::env::split_paths(&path).filter(|folder| folder.is_absolute()) {
        let Ok(entries) = std::fs::read_dir(folder) else { continue };
        for entry in entries.flatten() {
            let Ok(name) = entry.file_name().into_string() else { continue };
            if !name.starts_with(word) || filters::find(name.as_bytes()).is_some() {
                continue;
            }
            let facts = std::fs::metadata(entry.path());
            if facts.is_ok_and(|facts| facts.is_file() && facts.permissions().mode() & 0o111 != 0) {
                found.insert(name);
            }
        }
    }
    let says = "a program of this machine".to_owned();
    found.into_iter().map(|name| (format!("{} ", shell::quote(&name)), says.clone())).collect()
}

/// The variables that the end of the word may be, each with what is before it; `None` where it is none.
/// Those of the text come first, then those of the environment.
pub(super) fn variables(text: &str, word: &str) -> Option<Vec<Candidate>> {
    // Within single quotes nothing is expanded.
    if word.starts_with('\'') {
        return None;
    }
    let at = word.rfind('$')?;
    let (before, rest) = word.split_at(at + 1);
    let (open, name) = rest.strip_prefix('{').map_or(("", rest), |name| ("{", name));
    let is_name = |text: &str| text.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    if !is_name(name) || name.starts_with(|c: char| c.is_ascii_digit()) {
        return None;
    }
    let close = if open.is_empty() { "" } else { "}" };
    let mut found: BTreeMap<String, String> = BTreeMap::new();
    for (variable, value) in std::env::vars_os() {
        if let (Ok(variable), Ok(value)) = (variable.into_string(), value.into_string()) {
            found.insert(variable, value.chars().take(60).collect());
        }
    }
    for part in text.split(|c: char| c.is_whitespace() || ";&|(".contains(c)) {
        if let Some((variable, _)) = part.split_once('=')
            && !variable.is_empty()
            && is_name(variable)
        {
            found.insert(variable.to_owned(), "of this text".to_owned());
        }
    }
    let fits =
        found.into_iter().filter(|(variable, _)| variable.starts_with(name) && is_name(variable));
    let all = fits.map(|(variable, says)| (format!("{before}{open}{variable}{close}"), says));
    Some(all.collect())
}

/// The names of the fields of what is read here, that begin as the word does.
pub(super) fn field_names(word: &str, stream: &Arc<Kept>) -> Option<Vec<Candidate>> {
    if word.starts_with('-') {
        return None;
    }
    let mut first = Vec::new();
    for line in stream.lines_at(0, LINES) {
        first.extend_from_slice(&line);
        first.push(b'\n');
    }
    let limits = Limits { time: Limits::default().quick, ..Limits::default() };
    let listed = try_on("fields", &Arc::new(Kept::of(&first)), &limits, &RunControl::default())?;
    let listed = String::from_utf8(listed.contents()).ok()?;
    let typed = word.trim_start_matches(['\'', '"']);
    let names = listed.lines().filter_map(|line| {
        let mut parts = line.split('\t');
        let name = parts.next()?;
        let example = parts.nth(1).unwrap_or_default();
        name.starts_with(typed).then(|| (format!("{} ", shell::quote(name)), example.to_owned()))
    });
    let names: Vec<Candidate> = names.collect();
    (!names.is_empty()).then_some(names)
}

/// Files that begin as the word does. A word that begins with a quote keeps it; of others what is inserted
/// is quoted where it must be.
pub(super) fn files(word: &str) -> Vec<(String, String)> {
    let quote = word.chars().next().filter(|first| matches!(first, '\'' | '"'));
    let inside = &word[quote.map_or(0, char::len_utf8)..];
    if inside.contains(['\'', '"', '$', '`', '*', '?']) {
        return Vec::new();
    }
    let plain = if quote.is_some() { inside.to_owned() } else { inside.replace("\\ ", " ") };
    let (directory, start) = match plain.rfind('/') {
        Some(at) => (&plain[..=at], &plain[at + 1..]),
        None => ("", plain.as_str()),
    };
    let home;
    let real = if let Some(rest) = directory.strip_prefix("~/") {
        home = format!("{}/{rest}", std::env::var("HOME").unwrap_or_default());
        Path::new(&home)
    } else if directory.is_empty() {
        Path::new(".")
    } else {
        Path::new(directory)
    };
    let Ok(entries) = std::fs::read_dir(real) else { return Vec::new() };
    entries
        .flatten()
        .filter_map(|entry| {
            let name = entry.file_name().into_string().ok()?;
            if !name.starts_with(start) || name.starts_with('.') && !start.starts_with('.') {
                return None;
            }
            let facts = std::fs::metadata(entry.path()).ok()?;
            let (end, what) = if facts.is_dir() {
                ("/", "folder".to_owned())
            } else {
                (" ", insight::bytes(facts.len()))
            };
            let path = format!("{directory}{name}");
            if let Some(quote) = quote {
                // What would end the quotes, or be expanded in them, cannot stand there.
                let odd: &[char] = if quote == '"' { &['"', '$', '`', '\\'] } else { &['\''] };
                let close = if end == "/" { String::new() } else { quote.to_string() };
                return (!path.contains(odd)).then(|| (format!("{quote}{path}{close}{end}"), what));
            }
            let quoted = if path.starts_with("~/") { path } else { shell::quote(&path) };
            Some((format!("{quoted}{end}"), what))
        })
        .collect()
}
