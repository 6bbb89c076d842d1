//! Where the fields of a line are.

use std::ops::Range;
use std::sync::Arc;

/// What separates the fields of a line.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Splitting {
    /// Runs of blanks; those at the beginning and the end of a line count for nothing.
    Blanks,
    /// One byte.
    Byte(u8),
    /// One byte, but not between double quotes (RFC 4180).
    Quoted(u8),
    /// The first such byte of a line: a name and its value; blanks around them do not count.
    First(u8),
    /// Words of the form `name=value` between blanks: a column for each name.
    Pairs(Arc<[Vec<u8>]>),
    /// The character of the line each field begins at, from 0; blanks around it do not count.
    Fixed(Arc<[usize]>),
}

/// The place of a field that a line does not have.
pub(crate) const ABSENT: Range<usize> = usize::MAX..usize::MAX;

fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t')
}

/// The range without blanks at both ends.
fn trimmed(line: &[u8], range: Range<usize>) -> Range<usize> {
    let inside = &line[range.clone()];
    let before = inside.iter().take_while(|byte| is_blank(**byte)).count();
    let after = inside[before..].iter().rev().take_while(|byte| is_blank(**byte)).count();
    range.start + before..range.end - after
}

impl Splitting {
    /// The places of the fields of a line. Of pairs, the value of each name in the order of the
    /// columns; [`Splitting::has`] tells which there are.
    pub fn fields(&self, line: &[u8]) -> Vec<Range<usize>> {
        let mut fields = Vec::new();
        self.fill(line, &mut fields);
        fields
    }

    /// True where a line has this field.
    pub fn has(field: &Range<usize>) -> bool {
        *field != ABSENT
    }

    /// As [`Splitting::fields`], into a list that is used again.
    pub(crate) fn fill(&self, line: &[u8], fields: &mut Vec<Range<usize>>) {
        fields.clear();
        match self {
            Self::Blanks => {
                let mut at = 0;
                while at < line.len() {
                    let length = line[at..].iter().position(|byte| is_blank(*byte));
                    let end = length.map_or(line.len(), |length| at + length);
                    if end > at {
                        fields.push(at..end);
                    }
                    at = end + 1;
                }
            }
            Self::Byte(byte) => {
                let mut start = 0;
                for end in memchr::memchr_iter(*byte, line) {
                    fields.push(start..end);
                    start = end + 1;
                }
                fields.push(start..line.len());
            }
            Self::Quoted(byte) => {
                let (mut start, mut quoted) = (0, false);
                for at in memchr::memchr2_iter(*byte, b'"', line) {
                    if line[at] == b'"' && *byte != b'"' {
                        quoted = !quoted;
                    } else if !quoted {
                        fields.push(start..at);
                        start = at + 1;
                    }
                }
                fields.push(start..line.len());
            }
            Self::First(byte) => match memchr::memchr(*byte, line) {
                Some(at) => {
                    fields.extend([trimmed(line, 0..at), trimmed(line, at + 1..line.len())]);
                }
                None => fields.push(0..line.len()),
            },
            Self::Pairs(names) => {
                fields.resize(names.len(), ABSENT);
                for word in words(line) {
                    let Some((name, value)) = pair(line, &word) else { continue };
                    let place = names.iter().position(|known| *known == line[name.clone()]);
                    if let Some(place) = place
                        && fields[place] == ABSENT
                    {
                        fields[place] = value;
                    }
                }
            }
            Self::Fixed(starts) => {
                let mut bytes = starts.iter().map(|start| byte_of(line, *start)).peekable();
                while let Some(from) = bytes.next() {
                    let to = bytes.peek().copied().unwrap_or(line.len());
                    fields.push(trimmed(line, from..to));
                }
            }
        }
    }

    /// True where the line is split in its middle: a quote that is open at its end.
    pub(crate) fn leaves_open(&self, line: &[u8]) -> bool {
        matches!(self, Self::Quoted(_)) && memchr::memchr_iter(b'"', line).count() % 2 == 1
    }

    /// What it is, in words, as in “split at runs of blanks”.
    pub fn name(&self) -> String {
        let sign = |byte: u8| match byte {
            b'\t' => "TAB".to_owned(),
            b' ' => "single blanks".to_owned(),
            byte => format!("“{}”", char::from(byte)),
        };
        match self {
            Self::Blanks => "runs of blanks".to_owned(),
            Self::Byte(byte) => sign(*byte),
            Self::Quoted(byte) => format!("{} outside quotes", sign(*byte)),
            Self::First(byte) => format!("the first {}", sign(*byte)),
            Self::Pairs(_) => "name=value words".to_owned(),
            Self::Fixed(_) => "fixed character columns".to_owned(),
        }
    }
}

/// How many characters a text has.
pub(crate) fn characters(text: &[u8]) -> usize {
    text.iter().filter(|byte| **byte & 0xc0 != 0x80).count()
}

/// The byte at which a character of the line begins, or the line's end.
fn byte_of(line: &[u8], character: usize) -> usize {
    if line.is_ascii() {
        return character.min(line.len());
    }
    let starts = line.iter().enumerate().filter(|(_, byte)| **byte & 0xc0 != 0x80);
    starts.map(|(at, _)| at).nth(character).unwrap_or(line.len())
}

/// The words of a line between blanks; blanks between double quotes are part of a word.
pub(crate) fn words(line: &[u8]) -> impl Iterator<Item = Range<usize>> + '_ {
    let mut at = 0;
    std::iter::from_fn(move || {
        at += line[at..].iter().take_while(|byte| is_blank(**byte)).count();
        let start = at;
        let mut quoted = false;
        while let Some(&byte) = line.get(at) {
            if is_blank(byte) && !quoted {
                break;
            }
            quoted ^= byte == b'"' && (at == start || line[at - 1] != b'\\');
            at += 1;
        }
        (at > start).then_some(start..at)
    })
}

/// The name and the value of a word `name=value`.
pub(crate) fn pair(line: &[u8], word: &Range<usize>) -> Option<(Range<usize>, Range<usize>)> {
    let text = &line[word.clone()];
    let length = name_length(text);
    (length > 0 && text.get(length) == Some(&b'='))
        .then(|| (word.start..word.start + length, word.start + length + 1..word.end))
}

/// How many bytes of a name (a letter, then letters, digits, `_`, `-` and `.`) a text begins with.
pub(crate) fn name_length(text: &[u8]) -> usize {
    if !text.first().is_some_and(|first| first.is_ascii_alphabetic() || *first == b'_') {
        return 0;
    }
    let named = |byte: &u8| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-' | b'.');
    text.iter().take_while(|byte| named(byte)).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn texts(splitting: &Splitting, line: &str) -> Vec<String> {
        let fields = splitting.fields(line.as_bytes());
        let text = |field: Range<usize>| {
            if Splitting::has(&field) { line[field].to_owned() } else { "(absent)".to_owned() }
        };
        fields.into_iter().map(text).collect()
    }

    #[test]
    fn fields_lie_between_what_separates_them() {
        assert_eq!(texts(&Splitting::Blanks, "  ab \tc "), ["ab", "c"]);
        assert!(texts(&Splitting::Blanks, " ").is_empty());
        assert_eq!(texts(&Splitting::Byte(b','), "a,,bc,"), ["a", "", "bc", ""]);
        assert_eq!(texts(&Splitting::Byte(b','), ""), [""]);
        let quoted = Splitting::Quoted(b',');
        assert_eq!(texts(&quoted, "1,\"a, \"\"b\"\"\",x"), ["1", "\"a, \"\"b\"\"\"", "x"]);
        assert!(quoted.leaves_open(b"1,\"begins") && !quoted.leaves_open(b"1,\"\"\"\""));
        assert_eq!(texts(&Splitting::First(b'='), "a=b=c"), ["a", "b=c"]);
        assert_eq!(texts(&Splitting::First(b'='), "# none"), ["# none"]);
    }

    #[test]
    fn pairs_are_found_by_their_names_wherever_they_are() {
        let names = [b"b".to_vec(), b"a".to_vec(), b"c".to_vec()];
        let pairs = Splitting::Pairs(names.into());
        assert_eq!(texts(&pairs, "a=1 x b=\"two words\" a=3"), ["\"two words\"", "1", "(absent)"]);
    }

    #[test]
    fn fixed_columns_are_counted_in_characters() {
        let fixed = Splitting::Fixed([0, 5, 8].into());
        assert_eq!(texts(&fixed, "añ b 12 rest of it "), ["añ b", "12", "rest of it"]);
        assert_eq!(texts(&fixed, "ab"), ["ab", "", ""]);
        assert_eq!(texts(&fixed, ""), ["", "", ""]);
    }
}
