//! Patterns that match exactly what was marked.

use std::ops::Range;

use pattern::{Options, Pattern, Syntax};

use super::candidates::{self, Candidate};
use crate::point::escape::{program, replacement, word};

/// A marked piece of a line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// The line.
    pub line: Vec<u8>,
    /// The piece of it.
    pub piece: Range<usize>,
}

/// A pattern that matches every mark exactly, and nothing of what must not match.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Suggestion {
    /// An extended regular expression (XBD 9.4), without intervals.
    pub pattern: String,
    /// What it matches, in words.
    pub says: String,
}

/// What a pattern finds in some lines.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Finds {
    /// Pieces, as `grep -o` would print them.
    pub pieces: u64,
    /// Lines with at least one.
    pub lines: u64,
}

/// The pieces a pattern matches in a line, as `grep -o` finds them; `None` where it takes too many
/// steps.
fn found(pattern: &Pattern, line: &[u8]) -> Option<Vec<Range<usize>>> {
    pattern.find_all(line).collect::<Result<_, _>>().ok()
}

fn compiled(pattern: &str) -> Option<Pattern> {
    Pattern::new(&[pattern.as_bytes()], Syntax::Extended, Options::default()).ok()
}

/// Patterns for these marks, from the one a person would write to wide ones. Each matches every
/// mark exactly as it is marked, and touches nothing of `nots`. None where the marks are not UTF-8,
/// or nothing fits.
pub fn suggestions(marks: &[Mark], nots: &[Mark]) -> Vec<Suggestion> {
    let texts: Option<Vec<&str>> = marks
        .iter()
        .map(|mark| std::str::from_utf8(mark.line.get(mark.piece.clone())?).ok())
        .collect();
    let Some(texts) =
        texts.filter(|texts| !texts.is_empty() && texts.iter().all(|text| !text.is_empty()))
    else {
        return Vec::new();
    };
    let mut fitting: Vec<(Candidate, usize)> = Vec::new();
    for candidate in candidates::of(&texts) {
        let Some(pattern) = compiled(&candidate.pattern) else { continue };
        let mut others = 0;
        let hits = marks.iter().all(|mark| {
            let Some(found) = found(&pattern, &mark.line) else { return false };
            others += found.len() - 1.min(found.len());
            found.contains(&mark.piece)
        });
        let spares = nots.iter().all(|not| {
            let found = found(&pattern, &not.line);
            found.is_some_and(|found| {
                found.iter().all(|one| one.end <= not.piece.start || one.start >= not.piece.end)
            })
        });
        if hits && spares {
            fitting.push((candidate, others));
        }
    }
    // What finds more in the very lines that were marked comes after what does not.
    fitting.sort_by_key(|(_, others)| *others > 0);
    let suggestion = |(candidate, _): (Candidate, usize)| Suggestion {
        pattern: candidate.pattern,
        says: candidate.says,
    };
    fitting.into_iter().map(suggestion).collect()
}

/// What a pattern finds in these lines.
pub fn finds<'l>(pattern: &str, lines: impl Iterator<Item = &'l [u8]>) -> Finds {
    let mut finds = Finds::default();
    let Some(pattern) = compiled(pattern) else { return finds };
    for line in lines {
        let pieces = found(&pattern, line).unwrap_or_default().len() as u64;
        finds.pieces += pieces;
        finds.lines += u64::from(pieces > 0);
    }
    finds
}

/// True where a pattern has signs of extended expressions; without them both syntaxes are the same.
fn is_extended(pattern: &str) -> bool {
    pattern.contains(['+', '?', '|', '(', ')', '{'])
}

/// What can be done with a pattern: in words, and the stage.
pub fn uses(pattern: &str) -> Vec<(&'static str, String)> {
    let text = pattern.replace("\\/", "/");
    let extended = is_extended(pattern);
    let option = if extended { "E" } else { "" };
    let grep = |letters: &str| {
        let letters = format!("{option}{letters}");
        let letters = if letters.is_empty() { String::new() } else { format!("-{letters} ") };
        let before = if text.starts_with('-') { "-e " } else { "" };
        format!("grep {letters}{before}{}", word(&text))
    };
    let sed_option = if extended { "-E " } else { "" };
    vec![
        ("keep the lines with it", grep("")),
        ("drop the lines with it", grep("v")),
        ("only the pieces, one per line", grep("o")),
        (
            "remove it everywhere",
            format!("sed {sed_option}{}", program(&format!("s/{pattern}//g"))),
        ),
        (
            "put brackets around it",
            format!("sed {sed_option}{}", program(&format!("s/{pattern}/[&]/g"))),
        ),
        ("count the lines with it", grep("c")),
        (
            "the first piece of each line that has one, with awk",
            format!(
                "awk {}",
                program(&format!("match($0, /{pattern}/) {{ print substr($0, RSTART, RLENGTH) }}"))
            ),
        ),
    ]
}

/// The stage that puts `new` in the place of everything the pattern matches.
pub fn substituting(pattern: &str, new: &str) -> String {
    let option = if is_extended(pattern) { "-E " } else { "" };
    format!("sed {option}{}", program(&format!("s/{pattern}/{}/g", replacement(new))))
}
