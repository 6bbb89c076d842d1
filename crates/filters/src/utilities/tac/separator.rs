//! What separates the records of `tac`: a text, or what matches a regular expression.

use std::ops::Range;

use memchr::memmem;
use pattern::{Options, Pattern, PatternError, Subject, Syntax};
use stream::{InputTrouble, StageError};

/// Matches looked for between two questions whether to go on.
const BETWEEN_LOOKS: usize = 4096;

/// What separates records.
pub(super) enum Separator {
    Text(Vec<u8>),
    Matching(Box<Pattern>),
}

impl Separator {
    pub(super) fn text(text: Vec<u8>) -> Self {
        Self::Text(text)
    }

    /// A regular expression as the utility has always read it; see [`extended`].
    pub(super) fn matching(text: &[u8]) -> Result<Self, PatternError> {
        let options = Options { subject: Subject::Lines, ..Options::default() };
        let pattern = Pattern::new(&[&extended(text)], Syntax::Extended, options)?;
        Ok(Self::Matching(Box::new(pattern)))
    }

    pub(super) fn is_newline(&self) -> bool {
        matches!(self, Self::Text(text) if text == b"\n")
    }

    /// All separators of the data, the last one first. They are looked for from the end, so that
    /// overlapping ones are taken as they are met there: a match is as long as it can be before
    /// the separator after it.
    ///
    /// # Errors
    /// Where `go_on` has one, or a pattern with back-references takes too many steps.
    pub(super) fn all(
        &self,
        data: &[u8],
        go_on: impl Fn() -> Result<(), StageError>,
    ) -> Result<Vec<Range<usize>>, InputTrouble> {
        let mut found = Vec::new();
        let mut end = data.len();
        match self {
            Self::Text(text) => {
                let finder = memmem::FinderRev::new(text);
                while let Some(at) = finder.rfind(&data[..end]) {
                    found.push(at..at + text.len());
                    end = at;
                }
            }
            Self::Matching(pattern) => {
                let steps = |error: pattern::TooManySteps| StageError::failed(1, error.to_string());
                // Every place where a match begins, then those of them that count.
                let mut starts = Vec::new();
                let mut from = 0;
                while from < data.len()
                    && let Some(one) = pattern.find(data, from).map_err(steps)?
                {
                    starts.push(one.start);
                    from = one.start + 1;
                    if starts.len() % BETWEEN_LOOKS == 0 {
                        go_on()?;
                    }
                }
                for (number, start) in starts.into_iter().rev().enumerate() {
                    if start >= end {
                        continue;
                    }
                    let one = pattern.find(&data[..end], start).map_err(steps)?;
                    if let Some(one) = one.filter(|one| one.start == start) {
                        found.push(one);
                        end = start;
                    }
                    if number % BETWEEN_LOOKS == 0 {
                        go_on()?;
                    }
                }
            }
        }
        Ok(found)
    }
}

/// The expression in extended syntax. It is written with `\(`, `\)` and `\|` as operators, with
/// `*`, `+` and `?`, and with braces that mean themselves; a list with `^` takes newlines in.
fn extended(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut at = 0;
    // Groups of this text, by their numbers in the other.
    let (mut groups, mut made) = (Vec::new(), 0);
    while let Some(&byte) = text.get(at) {
        at += 1;
        match byte {
            b'(' | b')' | b'|' | b'{' | b'}' => out.extend([b'\\', byte]),
            b'\\' => match text.get(at) {
                Some(&operator @ (b'(' | b')' | b'|')) => {
                    at += 1;
                    if operator == b'(' {
                        made += 1;
                        groups.push(made);
                    }
                    out.push(operator);
                }
                Some(digit @ b'1'..=b'9') => {
                    at += 1;
                    let number = groups.get(usize::from(digit - b'1'));
                    let number = number.copied().unwrap_or(u32::from(digit - b'0'));
                    out.extend(format!("\\{number}").bytes());
                }
                Some(&other) => {
                    at += 1;
                    out.extend([b'\\', other]);
                }
                None => out.push(b'\\'),
            },
            b'[' => {
                let list = &text[at - 1..];
                let length = list_length(list);
                at += length - 1;
                let list = &without_names(&list[..length])[..];
                if list.get(1) == Some(&b'^') && !list.contains(&b'\n') {
                    made += 1;
                    out.push(b'(');
                    out.extend_from_slice(list);
                    out.extend(b"|\n)");
                } else {
                    out.extend_from_slice(list);
                }
            }
            other => out.push(other),
        }
    }
    out
}

/// The list with what would begin a name at its end, where it begins none.
fn without_names(list: &[u8]) -> Vec<u8> {
    let Some((b']', inside)) = list.split_last() else { return list.to_vec() };
    let begins = |at: usize| {
        at > 0 && inside[at] == b'[' && matches!(inside.get(at + 1), Some(b':' | b'.' | b'='))
    };
    let mut out: Vec<u8> =
        (0..inside.len()).filter(|&at| !begins(at)).map(|at| inside[at]).collect();
    if out.len() < inside.len() {
        out.push(b'[');
    }
    out.push(b']');
    out
}

/// How long a bracket expression is that `text` begins with; all of it where it has no end. Names
/// such as `[:alpha:]` mean nothing in it.
fn list_length(text: &[u8]) -> usize {
    let at = 1 + usize::from(text.get(1) == Some(&b'^'));
    let at = at + usize::from(text.get(at) == Some(&b']'));
    let end = text.get(at..).and_then(|rest| memchr::memchr(b']', rest));
    end.map_or(text.len(), |end| at + end + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn expressions_are_written_again_in_extended_syntax() {
        for (text, expected) in [
            ("a+b?c*", "a+b?c*"),
            ("(a|b){2}", "\\(a\\|b\\)\\{2\\}"),
            ("\\(a\\|b\\)\\1", "(a|b)\\1"),
            ("[^a]", "([^a]|\n)"),
            ("[^]a]x", "([^]a]|\n)x"),
            ("[[:alpha:]]", "[:alpha:[]]"),
            ("[^[.a(]", "([^.a([]|\n)"),
            ("[^a\n]", "[^a\n]"),
            ("\\(a\\)[^b]\\(c\\)\\2\\1", "(a)([^b]|\n)(c)\\3\\1"),
            ("a\\.b\\", "a\\.b\\"),
            ("[a", "[a"),
        ] {
            let found = String::from_utf8(extended(text.as_bytes())).unwrap();
            assert_eq!(found, expected, "{text}");
        }
    }
}
