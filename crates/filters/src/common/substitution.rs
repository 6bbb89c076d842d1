//! What is put in the place of matches, for awk's `sub`, `gsub` and `gensub` and sed's `s`.

use std::ops::Range;

use pattern::{Pattern, TooManySteps};

use crate::text::characters;

/// A part of a replacement.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Part {
    Text(Vec<u8>),
    /// What a group matched; 0 is the whole match.
    Group(usize),
    Case(Case),
}

/// How what follows is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Case {
    Upper,
    Lower,
    UpperNext,
    LowerNext,
    End,
}

/// A replacement, read once.
#[derive(Clone, Debug)]
pub(crate) struct Replacement {
    parts: Vec<Part>,
    /// The highest group used.
    groups: usize,
    cases: bool,
}

impl Replacement {
    pub(crate) fn new(parts: Vec<Part>) -> Self {
        let group = |part: &Part| if let Part::Group(number) = part { *number } else { 0 };
        let groups = parts.iter().map(group).max().unwrap_or(0);
        let cases = parts.iter().any(|part| matches!(part, Part::Case(_)));
        Self { parts, groups, cases }
    }

    /// The highest group used; 0 where none is.
    pub(crate) fn groups(&self) -> usize {
        self.groups
    }

    /// As it is written, with what a group matched as `\\1` and the whole match as `&`.
    pub(crate) fn shown(&self) -> String {
        let mut shown = String::new();
        for part in &self.parts {
            match part {
                Part::Text(text) => shown.push_str(&String::from_utf8_lossy(text)),
                Part::Group(0) => shown.push('&'),
                Part::Group(number) => shown.push_str(&format!("\\{number}")),
                Part::Case(Case::Upper) => shown.push_str("\\U"),
                Part::Case(Case::Lower) => shown.push_str("\\L"),
                Part::Case(Case::UpperNext) => shown.push_str("\\u"),
                Part::Case(Case::LowerNext) => shown.push_str("\\l"),
                Part::Case(Case::End) => shown.push_str("\\E"),
            }
        }
        shown.replace('\n', "\\n")
    }

    /// Writes what takes the place of the match at `found`.
    #[inline]
    fn write(
        &self,
        pattern: &Pattern,
        text: &[u8],
        found: &Range<usize>,
        out: &mut Vec<u8>,
    ) -> Result<(), TooManySteps> {
        match &self.parts[..] {
            [Part::Text(literal)] => {
                out.extend_from_slice(literal);
                Ok(())
            }
            _ => self.write_parts(pattern, text, found, out),
        }
    }

    fn write_parts(
        &self,
        pattern: &Pattern,
        text: &[u8],
        found: &Range<usize>,
        out: &mut Vec<u8>,
    ) -> Result<(), TooManySteps> {
        let captures = if self.groups > 0 { pattern.captures(text, found.start)? } else { None };
        let (mut lasting, mut next) = (None, None);
        for part in &self.parts {
            let written = match part {
                Part::Text(literal) => &literal[..],
                Part::Group(0) => &text[found.clone()],
                Part::Group(number) => match captures.as_ref().and_then(|all| all.group(*number)) {
                    Some(range) => &text[range],
                    None => continue,
                },
                Part::Case(case) => {
                    match case {
                        Case::Upper => lasting = Some(true),
                        Case::Lower => lasting = Some(false),
                        Case::UpperNext => next = Some(true),
                        Case::LowerNext => next = Some(false),
                        Case::End => (lasting, next) = (None, None),
                    }
                    continue;
                }
            };
            if self.cases {
                push_in_case(written, lasting, &mut next, out);
            } else {
                out.extend_from_slice(written);
            }
        }
        Ok(())
    }
}

fn push_in_case(text: &[u8], lasting: Option<bool>, next: &mut Option<bool>, out: &mut Vec<u8>) {
    for (character, bytes) in characters::each(text) {
        match (character, next.take().or(lasting)) {
            (Some(character), Some(upper)) => {
                let changed = characters::in_case(character, upper);
                out.extend_from_slice(changed.encode_utf8(&mut [0; 4]).as_bytes());
            }
            _ => out.extend_from_slice(bytes),
        }
    }
}

/// Writes `text` to `out` with the matches from number `from` (from 1) on replaced, `most` of them
/// at most; gives how many were. Where none was nothing is written. An empty match right behind
/// another match does not count.
///
/// # Errors
/// When a search takes too many steps: with back-references, or groups in endless lines.
#[inline]
pub(crate) fn replace(
    pattern: &Pattern,
    text: &[u8],
    replacement: &Replacement,
    from: usize,
    most: usize,
    out: &mut Vec<u8>,
) -> Result<usize, TooManySteps> {
    match pattern.find(text, 0)? {
        None => Ok(0),
        Some(first) => replace_from(pattern, text, first, replacement, from, most, out),
    }
}

/// As [`replace`], where the first match is known.
pub(crate) fn replace_from(
    pattern: &Pattern,
    text: &[u8],
    first: Range<usize>,
    replacement: &Replacement,
    from: usize,
    most: usize,
    out: &mut Vec<u8>,
) -> Result<usize, TooManySteps> {
    let mut first = Some(first);
    replace_by(pattern, text, replacement, from, most, out, |at| match first.take() {
        Some(first) => Ok(Some(first)),
        None => pattern.find(text, at),
    })
}

/// As [`replace`], where `find` gives the matches.
#[inline]
pub(crate) fn replace_by(
    pattern: &Pattern,
    text: &[u8],
    replacement: &Replacement,
    from: usize,
    most: usize,
    out: &mut Vec<u8>,
    mut find: impl FnMut(usize) -> Result<Option<Range<usize>>, TooManySteps>,
) -> Result<usize, TooManySteps> {
    let begun = out.len();
    let (mut copied, mut at, mut seen, mut done) = (0, 0, 0usize, 0);
    while at <= text.len() && done < most {
        let Some(found) = find(at)? else { break };
        if found.is_empty() && seen > 0 && found.start == copied {
            at = next_character(text, found.end);
            continue;
        }
        seen += 1;
        if seen >= from {
            out.extend_from_slice(&text[copied..found.start]);
            replacement.write(pattern, text, &found, out)?;
            done += 1;
        } else {
            out.extend_from_slice(&text[copied..found.end]);
        }
        copied = found.end;
        at = if found.is_empty() { next_character(text, found.end) } else { found.end };
    }
    if done > 0 {
        out.extend_from_slice(&text[copied..]);
    } else {
        out.truncate(begun);
    }
    Ok(done)
}

fn next_character(text: &[u8], at: usize) -> usize {
    match text.get(at..) {
        Some(rest @ [_, ..]) => at + characters::first(rest).1,
        _ => text.len() + 1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use pattern::{Options, Syntax};

    fn replaced(pattern: &str, text: &str, parts: Vec<Part>, from: usize, most: usize) -> String {
        let syntax = Syntax::Extended;
        let pattern = Pattern::new(&[pattern.as_bytes()], syntax, Options::default()).unwrap();
        let mut out = Vec::new();
        let replacement = Replacement::new(parts);
        let count = replace(&pattern, text.as_bytes(), &replacement, from, most, &mut out).unwrap();
        assert_eq!(count == 0, out.is_empty());
        String::from_utf8(out).unwrap()
    }

    fn dash() -> Vec<Part> {
        vec![Part::Text(b"-".to_vec())]
    }

    #[test]
    fn matches_are_replaced_from_left_to_right() {
        assert_eq!(replaced("x*", "abc", dash(), 1, 99), "-a-b-c-");
        assert_eq!(replaced("b*", "abc", dash(), 1, 99), "-a-c-");
        assert_eq!(replaced("a", "aaa", dash(), 2, 1), "a-a");
        assert_eq!(replaced("^a", "aaa", dash(), 1, 99), "-aa");
        assert_eq!(replaced("$", "é", dash(), 1, 99), "é-");
        assert_eq!(replaced("x*", "é", dash(), 1, 99), "-é-");
        assert_eq!(replaced("q", "é", dash(), 1, 99), "");
    }

    #[test]
    fn groups_and_case_are_put_in() {
        let swap = vec![Part::Group(2), Part::Group(1)];
        assert_eq!(replaced("(a+)(b*)", "aabc", swap, 1, 99), "baac");
        let title = vec![
            Part::Case(Case::Lower),
            Part::Case(Case::UpperNext),
            Part::Group(0),
            Part::Case(Case::End),
            Part::Text("!É".as_bytes().to_vec()),
        ];
        assert_eq!(replaced("é[A-Z]+", "éFG x", title, 1, 1), "Éfg!É x");
    }
}
