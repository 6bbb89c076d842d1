//! Patterns beside tables of what the host's own utilities find, and errors with their places.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::disallowed_methods)] // tests fail by panics
#![allow(clippy::too_many_lines)] // tables of cases

mod cases;
mod errors;
mod laws;
mod options;
mod perl;

use pattern::{Options, Pattern, Syntax};

/// A pattern, a text, and its matches.
struct Found(&'static str, &'static str, &'static [&'static str]);

fn matches(pattern: &Pattern, text: &str) -> Vec<String> {
    pattern
        .find_all(text.as_bytes())
        .map(|found| text[found.expect("few steps")].to_owned())
        .collect()
}

fn agree(syntax: Syntax, cases: &[Found]) {
    let mut wrong = String::new();
    for Found(pattern, text, expected) in cases {
        let built = match Pattern::new(&[pattern.as_bytes()], syntax, Options::default()) {
            Ok(built) => built,
            Err(error) => {
                wrong += &format!("{pattern}: {error}\n");
                continue;
            }
        };
        let found = matches(&built, text);
        if &found != expected {
            wrong += &format!("{pattern} in {text:?}: {found:?}, expected {expected:?}\n");
        }
        // What else is asked of a pattern says the same.
        let line = text.as_bytes();
        let first = built.find(line, 0).unwrap();
        assert_eq!(built.is_match(line).unwrap(), first.is_some(), "{pattern} in {text:?}");
        if let Some(first) = &first {
            let whole = built.captures(line, 0).unwrap().unwrap().whole();
            assert_eq!(&whole, first, "{pattern} in {text:?}");
        }
        candidate_is_right(&built, line);
        if let (Some(longest), Some(first)) = (built.longest_match(), &first) {
            assert!(first.len() <= longest, "{pattern} in {text:?}");
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// The search through a block of lines passes over no line with a match, and is only certain of
/// one that has.
fn candidate_is_right(pattern: &Pattern, line: &[u8]) {
    let block = [b"\n~\n", line, b"\n", line, b"\n"].concat();
    let candidate = pattern.find_candidate(&block, 0);
    let at = candidate.map(|(at, _)| block[..at].split(|byte| *byte == b'\n').count() - 1);
    for (number, line) in block[..block.len() - 1].split(|byte| *byte == b'\n').enumerate() {
        let has_match = pattern.is_match(line).unwrap();
        if at.is_none_or(|at| number < at) {
            assert!(!has_match, "{pattern:?} in {block:?}: line {number} is passed over");
        } else if at == Some(number) && candidate.is_some_and(|(_, certain)| certain) {
            assert!(has_match, "{pattern:?} in {block:?}: certain of line {number}");
        }
    }
}

/// The groups of the first match of an extended pattern; empty where one took no part.
fn groups_of(pattern: &str, text: &str, expected: &[&str]) {
    let built = Pattern::new(&[pattern.as_bytes()], Syntax::Extended, Options::default()).unwrap();
    assert_eq!(built.groups(), expected.len(), "{pattern}");
    let captures = built.captures(text.as_bytes(), 0).unwrap().unwrap();
    let groups: Vec<&str> = (1..=expected.len())
        .map(|number| captures.group(number).map_or("", |range| &text[range]))
        .collect();
    assert_eq!(groups, expected, "{pattern} in {text:?}");
}
