//! CSV records (RFC 4180): fields in quotes may hold delimiters, quotes (doubled) and newlines, so that
//! a record may be several lines.

use std::ops::Range;

use memchr::{memchr, memchr2};
use stream::LineId;

use super::value::{Bad, Value};

/// A record may have at most this many bytes; a quote that is not closed by then is a mistake in its
/// first line.
const RECORD_MAX: usize = 1 << 20;

/// What a line was.
pub(super) enum Step {
    /// The record continues in the next line.
    More,
    /// The heading.
    Heading,
    /// The end of a record that began in this line.
    Record(LineId),
    /// The end of a record that cannot be read.
    Bad(Bad, LineId),
    /// No record: a quote in its first line is not closed; see [`Csv::take_open`].
    Unclosed,
}

/// Reads records line by line. Memory: one record, at most [`RECORD_MAX`].
pub(super) struct Csv {
    delimiter: u8,
    numbers: bool,
    heading: Vec<Vec<u8>>,
    has_heading: bool,
    record: Vec<u8>,
    first: LineId,
    is_open: bool,
    /// The fields of the record: where each is, and whether it has doubled quotes.
    fields: Vec<(Range<usize>, bool)>,
    /// Where each wanted field is in a record.
    places: Option<Vec<Option<usize>>>,
    /// Values whose doubled quotes were undone, by their place.
    undone: Vec<(usize, Vec<u8>)>,
}

impl Csv {
    pub(super) fn new(delimiter: u8, numbers: bool) -> Self {
        Self {
            delimiter,
            numbers,
            heading: Vec::new(),
            has_heading: false,
            record: Vec::new(),
            first: LineId::new(0, 0),
            is_open: false,
            fields: Vec::new(),
            places: None,
            undone: Vec::new(),
        }
    }

    /// The names of the fields.
    pub(super) fn heading(&self) -> impl Iterator<Item = &[u8]> {
        self.heading.iter().map(|name| &name[..])
    }

    /// Names that the heading does not have.
    pub(super) fn unknown<'n>(&self, names: &'n [Vec<u8>]) -> Vec<&'n [u8]> {
        let unknown = names.iter().filter(|name| !self.heading.contains(name));
        unknown.map(|name| &name[..]).collect()
    }

    /// The record as it was written.
    pub(super) fn record(&self) -> &[u8] {
        &self.record
    }

    /// Takes a line. `names` are those that will be asked for.
    pub(super) fn line(&mut self, line: &[u8], id: LineId, names: &[Vec<u8>]) -> Step {
        if self.is_open {
            self.record.push(b'\n');
        } else {
            let line = if self.has_heading {
                line
            } else {
                line.strip_prefix(b"\xef\xbb\xbf").unwrap_or(line)
            };
            if line.is_empty() || line == b"\r" {
                return Step::More;
            }
            self.record.clear();
            self.first = id;
        }
        self.record.extend_from_slice(line);
        if self.is_open && self.record.len() <= RECORD_MAX && memchr(b'"', line).is_none() {
            return Step::More;
        }
        match split(&self.record, self.delimiter, &mut self.fields) {
            Ok(()) => {}
            Err(Split::Open(_)) if self.record.len() <= RECORD_MAX => {
                self.is_open = true;
                return Step::More;
            }
            Err(Split::Open(_)) => {
                self.is_open = true;
                return Step::Unclosed;
            }
            Err(Split::AfterQuote(at)) => {
                self.is_open = false;
                let bad = Bad::new("text after a closing quote", Some(at + 1));
                return Step::Bad(bad, self.first);
            }
        }
        self.is_open = false;
        if !self.has_heading {
            self.has_heading = true;
            if !self.numbers {
                self.heading = (0..self.fields.len()).map(|place| self.field(place)).collect();
                return Step::Heading;
            }
            self.heading =
                (1..=self.fields.len()).map(|place| place.to_string().into_bytes()).collect();
        }
        if self.fields.len() != self.heading.len() {
            let why =
                format!("{} fields, the heading has {}", self.fields.len(), self.heading.len());
            let why = if self.numbers {
                format!("{} fields, the first record has {}", self.fields.len(), self.heading.len())
            } else {
                why
            };
            return Step::Bad(Bad::new(why, None), self.first);
        }
        let places = self.places.get_or_insert_with(|| {
            // Of a name that comes twice the last counts, as in the other forms.
            names.iter().map(|name| self.heading.iter().rposition(|known| known == name)).collect()
        });
        self.undone.clear();
        for place in places.iter().flatten() {
            if self.fields[*place].1 {
                let field = undoubled(&self.record[self.fields[*place].0.clone()]);
                self.undone.push((*place, field));
            }
        }
        Step::Record(self.first)
    }

    /// Gives up the record whose quote is not closed: its lines, of which only the first is bad, why,
    /// and the number of that one. `None` where none is open.
    pub(super) fn take_open(&mut self) -> Option<(Vec<u8>, Bad, LineId)> {
        if !std::mem::take(&mut self.is_open) {
            return None;
        }
        let at = match split(&self.record, self.delimiter, &mut self.fields) {
            Err(Split::Open(at) | Split::AfterQuote(at)) => Some(at + 1),
            Ok(()) => None,
        };
        let whole = self.record.len() > RECORD_MAX;
        let why =
            if whole { "a quote is not closed within 1 MiB" } else { "a quote is not closed" };
        Some((std::mem::take(&mut self.record), Bad::new(why, at), self.first))
    }

    fn field(&self, place: usize) -> Vec<u8> {
        let (range, doubled) = self.fields[place].clone();
        let text = &self.record[range];
        if doubled { undoubled(text) } else { text.to_vec() }
    }

    /// The wanted values of the record.
    pub(super) fn values(&self, names: &[Vec<u8>]) -> Vec<Value<'_>> {
        let places = self.places.as_deref().unwrap_or_default();
        let values = names.iter().enumerate().map(|(number, _)| {
            let Some(place) = places.get(number).copied().flatten() else { return Value::Missing };
            let undone = self.undone.iter().find(|(undone, _)| *undone == place);
            let (range, _) = &self.fields[place];
            Value::Text(undone.map_or(&self.record[range.clone()], |(_, text)| &text[..]).into())
        });
        values.collect()
    }

    /// Every field with its name.
    pub(super) fn named(&self) -> Vec<(&[u8], &[u8])> {
        let fields = self.fields.iter().map(|(range, _)| &self.record[range.clone()]);
        self.heading().zip(fields).filter(|(_, field)| !field.is_empty()).collect()
    }
}

/// Why a record cannot be split, and the byte that shows it.
enum Split {
    /// A quote is open at its end.
    Open(usize),
    /// A closing quote is followed by something else than a delimiter.
    AfterQuote(usize),
}

/// Finds the fields of a record.
fn split(
    record: &[u8],
    delimiter: u8,
    fields: &mut Vec<(Range<usize>, bool)>,
) -> Result<(), Split> {
    fields.clear();
    let end = if record.ends_with(b"\r") { record.len() - 1 } else { record.len() };
    let mut at = 0;
    loop {
        if record.get(at) == Some(&b'"') && at < end {
            let from = at + 1;
            let mut doubled = false;
            let mut to = from;
            loop {
                let Some(quote) = memchr(b'"', &record[to..]) else { return Err(Split::Open(at)) };
                to += quote;
                if record.get(to + 1) != Some(&b'"') {
                    break;
                }
                doubled = true;
                to += 2;
            }
            fields.push((from..to, doubled));
            at = to + 1;
            if at < end && record[at] != delimiter {
                return Err(Split::AfterQuote(at));
            }
        } else {
            let rest = &record[at.min(end)..end];
            let length = memchr2(delimiter, delimiter, rest).unwrap_or(rest.len());
            fields.push((at..at + length, false));
            at += length;
        }
        if at >= end {
            return Ok(());
        }
        at += 1;
    }
}

fn undoubled(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = memchr(b'"', rest) {
        out.extend_from_slice(&rest[..=at]);
        rest = rest.get(at + 2..).unwrap_or_default();
    }
    out.extend_from_slice(rest);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fields(record: &str) -> Option<Vec<String>> {
        let mut found = Vec::new();
        split(record.as_bytes(), b',', &mut found).ok()?;
        let text = |(range, doubled): &(Range<usize>, bool)| {
            let text = &record.as_bytes()[range.clone()];
            let text = if *doubled { undoubled(text) } else { text.to_vec() };
            String::from_utf8(text).unwrap()
        };
        Some(found.iter().map(text).collect())
    }

    #[test]
    fn records_are_split_as_the_standard_has_it() {
        for (record, expected) in [
            ("a,b,c", Some(&["a", "b", "c"][..])),
            ("a,,", Some(&["a", "", ""])),
            (",", Some(&["", ""])),
            ("a,b\r", Some(&["a", "b"])),
            ("\"a,b\",c", Some(&["a,b", "c"])),
            ("\"a \"\"b\"\"\",c", Some(&["a \"b\"", "c"])),
            ("\"\",\"\"", Some(&["", ""])),
            ("\"a\nb\",c", Some(&["a\nb", "c"])),
            ("\"a\"\r", Some(&["a"])),
            ("a \"quote\" inside,b", Some(&["a \"quote\" inside", "b"])),
            ("\"open", None),
            ("\"a\"b,c", None),
        ] {
            let expected = expected.map(|all| all.iter().map(|one| (*one).to_owned()).collect());
            assert_eq!(fields(record), expected, "{record:?}");
        }
    }
}
