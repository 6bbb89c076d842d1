//! How records are cut into fields (XCU awk, "Regular Expressions" and "Variables": FS), and texts
//! by `split`.

use std::rc::Rc;

use memchr::{memchr, memchr2};
use pattern::Pattern;

use super::resolve::compile;

/// What is between fields.
#[derive(Clone, Debug)]
pub(super) enum Splitter {
    /// Runs of blanks and newlines; those at the ends do not count.
    Blanks,
    /// This byte.
    Byte(u8),
    /// This byte, or a newline: one byte where records are paragraphs.
    ByteOrNewline(u8),
    /// Nothing: every character is a field.
    Characters,
    /// What the pattern matches, but nothing empty.
    Pattern(Rc<Pattern>),
}

impl Splitter {
    /// The splitter a value of `FS` means. With `paragraphs` a newline is one too.
    pub(super) fn new(text: &[u8], paragraphs: bool) -> Result<Self, pattern::PatternError> {
        let pattern = |text: &[u8]| compile(text).map(|pattern| Self::Pattern(Rc::new(pattern)));
        match text {
            b" " => Ok(Self::Blanks),
            [] => Ok(Self::Characters),
            [byte] if byte.is_ascii() && paragraphs => Ok(Self::ByteOrNewline(*byte)),
            [byte] if byte.is_ascii() && *byte != b'\\' => Ok(Self::Byte(*byte)),
            b"\\" => pattern(b"\\\\"),
            _ if paragraphs => {
                let mut both = b"(".to_vec();
                both.extend_from_slice(text);
                both.extend_from_slice(b")|\n");
                // The pattern alone first, so that an error is about the text that was given.
                compile(text)?;
                pattern(&both)
            }
            _ => pattern(text),
        }
    }

    /// The places of all fields of a record.
    pub(super) fn places(&self, record: &[u8]) -> Vec<std::ops::Range<usize>> {
        let (mut at, mut fields) = (Some(0), Vec::new());
        while let Some(place) = at
            && let Some(((start, end), next)) = self.next(record, place)
        {
            fields.push(start..end);
            at = next;
        }
        fields
    }

    /// The field that begins at or after `at`, and where to look for the next one; that place is
    /// `None` behind the last field. `None` where there is no field.
    #[inline]
    pub(super) fn next(&self, text: &[u8], at: usize) -> Option<((usize, usize), Option<usize>)> {
        let rest = &text[at..];
        let cut = |end: Option<usize>| match end {
            Some(end) => Some(((at, at + end), Some(at + end + 1))),
            None => Some(((at, text.len()), None)),
        };
        match self {
            Self::Blanks => {
                let start = at + rest.iter().position(|byte| !is_blank(*byte))?;
                let length = text[start..].iter().position(|byte| is_blank(*byte));
                let end = length.map_or(text.len(), |length| start + length);
                Some(((start, end), Some(end)))
            }
            _ if text.is_empty() => None,
            Self::Byte(byte) => cut(memchr(*byte, rest)),
            Self::ByteOrNewline(byte) => cut(memchr2(*byte, b'\n', rest)),
            Self::Characters => {
                if rest.is_empty() {
                    return None;
                }
                let (_, length) = crate::text::characters::first(rest);
                Some(((at, at + length), Some(at + length)))
            }
            Self::Pattern(pattern) => next_by_pattern(pattern, text, at),
        }
    }
}

/// The next field before a match that is not empty; see [`Splitter::next`].
pub(super) fn next_by_pattern(
    pattern: &Pattern,
    text: &[u8],
    at: usize,
) -> Option<((usize, usize), Option<usize>)> {
    if text.is_empty() {
        return None;
    }
    let mut from = at;
    loop {
        // Without back-references no search is given up.
        match pattern.find(text, from).ok().flatten() {
            None => return Some(((at, text.len()), None)),
            Some(found) if !found.is_empty() => return Some(((at, found.start), Some(found.end))),
            Some(found) if found.end >= text.len() => return Some(((at, text.len()), None)),
            Some(found) => from = found.end + 1,
        }
    }
}

fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\n')
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cut(separator: &str, paragraphs: bool, text: &str) -> String {
        let splitter = Splitter::new(separator.as_bytes(), paragraphs).unwrap();
        let fields = splitter.places(text.as_bytes()).into_iter();
        let shown: String = fields.map(|field| format!("<{}>", &text[field])).collect();
        shown.replace('\n', "~")
    }

    #[test]
    fn fields_are_cut_as_the_standard_says() {
        assert_eq!(cut(" ", false, "  a\t b \n"), "<a><b>");
        assert_eq!(cut(" ", false, "  "), "");
        assert_eq!(cut(":", false, "a::b:"), "<a><><b><>");
        assert_eq!(cut(":", false, ""), "");
        assert_eq!(cut("|", false, "a|b"), "<a><b>");
        assert_eq!(cut("\\", false, "a\\b"), "<a><b>");
        assert_eq!(cut("[ =]+", false, " a = b"), "<><a><b>");
        assert_eq!(cut("x*", false, "axxb"), "<a><b>");
        assert_eq!(cut("", false, "aéb"), "<a><é><b>");
        assert_eq!(cut(":", true, "a:b\nc"), "<a><b><c>");
        assert_eq!(cut("::", true, "a::b\nc:d"), "<a><b><c:d>");
        assert_eq!(cut("é", false, "aéb"), "<a><b>");
    }
}
