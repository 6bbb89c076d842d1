//! Patterns as Perl writes them. They are searched by a library that tries one way after the
//! other, for at most this many steps.

mod syntax;

use std::borrow::Cow;
use std::ops::Range;

use fancy_regex::{Regex, RegexBuilder};

use crate::{Options, PatternErrorKind, TooManySteps};

/// Steps one search may take.
const STEP_LIMIT: usize = 1_000_000;

/// A compiled pattern.
pub(crate) struct Perl(Regex);

impl Perl {
    /// # Errors
    /// Why the text is no such pattern, and the bytes of it that are meant.
    pub(crate) fn new(
        text: &[u8],
        options: Options,
    ) -> Result<Self, (PatternErrorKind, Range<usize>)> {
        let all = 0..text.len();
        let text =
            std::str::from_utf8(text).map_err(|_| (PatternErrorKind::NotText, all.clone()))?;
        let inside = syntax::translated(text)?;
        let whole = if options.whole_line {
            format!("^(?:{inside})$")
        } else if options.whole_word {
            format!("(?<![A-Za-z0-9_])(?:{inside})(?![A-Za-z0-9_])")
        } else {
            inside
        };
        let built = RegexBuilder::new(&whole)
            .case_insensitive(options.ignore_case)
            .backtrack_limit(STEP_LIMIT)
            .build();
        // The library's places are those in the text it was given, and are not told.
        let said = |error: fancy_regex::Error| match error {
            fancy_regex::Error::ParseError(_, kind) => kind.to_string(),
            other => other.to_string(),
        };
        let regex = built.map_err(|error| (PatternErrorKind::Perl(said(error)), all))?;
        Ok(Self(regex))
    }

    /// The first match at or after `from`. Bytes that are not text are in no match; where a match
    /// would take one in, the line is searched as if it ended before it.
    pub(crate) fn find(
        &self,
        line: &[u8],
        from: usize,
    ) -> Result<Option<Range<usize>>, TooManySteps> {
        let text = readable(line);
        let mut from =
            (from..=text.len()).find(|&at| text.is_char_boundary(at)).unwrap_or(text.len() + 1);
        let mut end = text.len();
        while from <= end {
            let found = self.0.find_from_pos(&text[..end], from).map_err(|_| TooManySteps)?;
            let Some(range) = found.map(|found| found.range()) else {
                if end == text.len() {
                    return Ok(None);
                }
                // Nothing up to the byte that is not text; go on after it.
                (from, end) = (end + 1, text.len());
                continue;
            };
            let part = &line[range.clone()];
            let broken = match &text {
                Cow::Borrowed(_) => None,
                Cow::Owned(_) => std::str::from_utf8(part).err().map(|error| error.valid_up_to()),
            };
            match broken {
                None => return Ok(Some(range)),
                Some(0) => (from, end) = (range.start + 1, text.len()),
                // A shorter match may end before that byte.
                Some(valid) => (from, end) = (range.start, range.start + valid),
            }
        }
        Ok(None)
    }

    /// The first match at or after `from`, and its groups.
    pub(crate) fn captures(
        &self,
        line: &[u8],
        from: usize,
    ) -> Result<Option<Vec<Option<Range<usize>>>>, TooManySteps> {
        let Some(whole) = self.find(line, from)? else { return Ok(None) };
        let text = readable(line);
        let groups = self.0.captures_from_pos(&*text, whole.start).map_err(|_| TooManySteps)?;
        let range = |number| groups.as_ref()?.get(number).map(|found| found.range());
        Ok(Some((0..self.0.captures_len()).map(range).collect()))
    }

    /// How many groups there are.
    pub(crate) fn groups(&self) -> usize {
        self.0.captures_len() - 1
    }
}

/// The line as text of the same length: each byte that is not text is as one character.
fn readable(line: &[u8]) -> Cow<'_, str> {
    /// What takes the place of such a byte: what `.` does not match, and no line has.
    const SUBSTITUTE: char = '\n';
    if let Ok(text) = std::str::from_utf8(line) {
        return Cow::Borrowed(text);
    }
    let mut text = String::with_capacity(line.len());
    for chunk in line.utf8_chunks() {
        text.push_str(chunk.valid());
        text.extend(chunk.invalid().iter().map(|_| SUBSTITUTE));
    }
    Cow::Owned(text)
}
