//! The fields of a line: as a filter counts them, or as the lines themselves suggest.

use std::ops::Range;

use engine::StageResult;
use filters::Counted;

/// What a stage counts in a line of its input; `None` where it counts nothing, or where that
/// cannot be told before it runs.
pub fn counted(stage: &StageResult, line: &[u8]) -> Option<Counted> {
    stage.filter.as_ref()?.counts(line)
}

/// What fields seem to be separated by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Separator {
    /// Runs of blanks.
    Blanks,
    /// One byte.
    Byte(u8),
}

impl Separator {
    /// What separates fields in all of these lines; `None` where nothing does in any. A guess: one
    /// byte that is in each line equally often, or runs of blanks.
    pub fn of(lines: &[&[u8]]) -> Option<Self> {
        let full = || lines.iter().filter(|line| !line.is_empty());
        let everywhere = |byte: u8| {
            let mut counts = full().map(|line| memchr::memchr_iter(byte, line).count());
            counts.next().is_some_and(|first| first > 0 && counts.all(|count| count == first))
        };
        // Blanks before the first one: then the byte stands inside of words, as in times.
        let first_word = |byte: u8| {
            full().all(|line| {
                line.iter().find(|at| matches!(**at, b' ' | b'\t') || **at == byte).copied()
                    == Some(byte)
            })
        };
        let quoted = || full().any(|line| memchr::memchr(b'"', line).is_some());
        let byte = b"\t;|,:".iter().copied().find(|byte| everywhere(*byte) && first_word(*byte));
        match byte {
            // What stands between quotes may have the byte in it.
            Some(byte) if byte != b'\t' && quoted() => None,
            Some(byte) => Some(Self::Byte(byte)),
            None => full().any(|line| Self::Blanks.fields(line).len() > 1).then_some(Self::Blanks),
        }
    }

    /// The places of the fields of a line.
    pub fn fields(self, line: &[u8]) -> Vec<Range<usize>> {
        let Self::Byte(byte) = self else {
            let mut fields: Vec<Range<usize>> = Vec::new();
            for (at, byte) in line.iter().enumerate() {
                match fields.last_mut() {
                    _ if matches!(byte, b' ' | b'\t') => {}
                    Some(last) if last.end == at => last.end += 1,
                    _ => fields.push(at..at + 1),
                }
            }
            return fields;
        };
        let ends = memchr::memchr_iter(byte, line).chain([line.len()]);
        let fields = ends.scan(0, |start, end| {
            let field = *start..end;
            *start = end + 1;
            Some(field)
        });
        fields.collect()
    }

    /// What it is, in words.
    pub fn name(self) -> &'static str {
        match self {
            Self::Blanks => "blanks",
            Self::Byte(b'\t') => "TAB",
            Self::Byte(b';') => "“;”",
            Self::Byte(b'|') => "“|”",
            Self::Byte(b',') => "“,”",
            Self::Byte(_) => "“:”",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn guess(lines: &[&str]) -> Option<Separator> {
        let lines: Vec<&[u8]> = lines.iter().map(|line| line.as_bytes()).collect();
        Separator::of(&lines)
    }

    #[test]
    fn what_is_in_every_line_equally_often_separates() {
        let byte = |byte| Some(Separator::Byte(byte));
        assert_eq!(guess(&["a:x:1", "b:y z:2", ""]), byte(b':'));
        assert_eq!(guess(&["id,name", "1,two words"]), byte(b','));
        assert_eq!(guess(&["a\tb c", "d\te"]), byte(b'\t'));
        assert_eq!(guess(&["1;2|3", "4;5|6"]), byte(b';'));
        // Not as often everywhere, inside of words, within quotes.
        assert_eq!(guess(&["a:b:c d", "a:b"]), Some(Separator::Blanks));
        assert_eq!(
            guess(&["2031-04-02 06:12:00 x", "2031-04-02 06:12:09 y z"]),
            Some(Separator::Blanks)
        );
        assert_eq!(guess(&["1,\"a,b\"", "2,\"c,d\""]), None);
        assert_eq!((guess(&["word", "other"]), guess(&[""]), guess(&[])), (None, None, None));
    }

    #[test]
    fn fields_lie_between_what_separates_them() {
        assert_eq!(Separator::Blanks.fields(b"  ab \tc "), [2..4, 6..7]);
        assert!(Separator::Blanks.fields(b"").is_empty());
        assert_eq!(Separator::Byte(b',').fields(b"a,,bc,"), [0..1, 2..2, 3..5, 6..6]);
        assert_eq!(Separator::Byte(b',').fields(b""), [0..0]);
    }
}
