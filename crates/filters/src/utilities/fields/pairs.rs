//! `name=value` pairs among other words of a line: a value ends at a blank, or is in quotes, in which
//! `\` takes the meaning of what follows.

use std::borrow::Cow;
use std::ops::Range;

use super::value::{Bad, Value};

/// One pair of a line.
struct Pair<'l> {
    name: &'l [u8],
    value: Cow<'l, [u8]>,
    /// Where the value is, without the quotes.
    at: Range<usize>,
}

fn is_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'.' | b'-' | b'/' | b':' | b'@')
}

/// The pairs of a line one after the other.
fn pairs(line: &[u8]) -> impl Iterator<Item = Result<Pair<'_>, Bad>> {
    let mut at = 0;
    std::iter::from_fn(move || {
        loop {
            let start = at + line[at..].iter().position(|byte| !byte.is_ascii_whitespace())?;
            let name_end = start + line[start..].iter().take_while(|byte| is_name(**byte)).count();
            let is_pair = name_end > start
                && line.get(name_end) == Some(&b'=')
                && !line[start].is_ascii_digit();
            if !is_pair {
                at = word_end(line, name_end);
                continue;
            }
            let name = &line[start..name_end];
            let from = name_end + 1;
            if line.get(from) != Some(&b'"') {
                at = word_end(line, from);
                return Some(Ok(Pair { name, value: line[from..at].into(), at: from..at }));
            }
            return match quoted(line, from + 1) {
                Some((value, end)) => {
                    at = end;
                    Some(Ok(Pair { name, value, at: from + 1..end - 1 }))
                }
                None => {
                    at = line.len();
                    Some(Err(Bad::new("a quote is not closed", Some(from + 1))))
                }
            };
        }
    })
}

fn word_end(line: &[u8], from: usize) -> usize {
    let rest = line[from..].iter().position(u8::is_ascii_whitespace);
    rest.map_or(line.len(), |length| from + length)
}

/// The text up to the closing quote, and the place after it.
fn quoted(line: &[u8], from: usize) -> Option<(Cow<'_, [u8]>, usize)> {
    let mut end = from;
    let mut text: Option<Vec<u8>> = None;
    loop {
        match *line.get(end)? {
            b'"' => {
                let value = text.map_or(Cow::Borrowed(&line[from..end]), Cow::Owned);
                return Some((value, end + 1));
            }
            b'\\' => {
                let escaped = match *line.get(end + 1)? {
                    b'n' => b'\n',
                    b't' => b'\t',
                    b'r' => b'\r',
                    other => other,
                };
                text.get_or_insert_with(|| line[from..end].to_vec()).push(escaped);
                end += 2;
            }
            byte => {
                if let Some(text) = &mut text {
                    text.push(byte);
                }
                end += 1;
            }
        }
    }
}

/// The names of a line.
pub(super) fn names(line: &[u8]) -> impl Iterator<Item = &[u8]> {
    pairs(line).filter_map(Result::ok).map(|pair| pair.name)
}

/// The values of the wanted names; of a name that comes twice the last.
pub(super) fn values<'l>(
    line: &'l [u8],
    wanted: &[Vec<u8>],
    values: &mut Vec<Value<'l>>,
) -> Result<(), Bad> {
    values.clear();
    values.resize(wanted.len(), Value::Missing);
    for pair in pairs(line) {
        let pair = pair?;
        for (name, value) in wanted.iter().zip(&mut *values) {
            if name == pair.name {
                *value = Value::Text(pair.value.clone());
            }
        }
    }
    Ok(())
}

/// Where the values of the wanted names are; none of a record that cannot be read.
pub(super) fn places(line: &[u8], wanted: &[Vec<u8>]) -> Vec<Range<usize>> {
    let pairs: Result<Vec<Pair<'_>>, Bad> = pairs(line).collect();
    let pairs = pairs.unwrap_or_default();
    let last = |name: &Vec<u8>| pairs.iter().rev().find(|pair| name == pair.name);
    wanted.iter().filter_map(last).map(|pair| pair.at.clone()).collect()
}

/// Gives every name with its value.
pub(super) fn all(line: &[u8], each: &mut dyn FnMut(&[u8], &[u8])) -> Result<(), Bad> {
    for pair in pairs(line) {
        let pair = pair?;
        each(pair.name, &pair.value);
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pairs_are_found_among_words() {
        let line = br#"2031-04-02 12=3 gate-02 card=16304 a.b="x \"y\" \n" = =x empty= card=7 k="" url=a=b"#;
        let mut found = Vec::new();
        all(line, &mut |name, value| {
            found.push(format!(
                "{}:{}",
                String::from_utf8_lossy(name),
                String::from_utf8_lossy(value)
            ));
        })
        .unwrap();
        assert_eq!(found, ["card:16304", "a.b:x \"y\" \n", "empty:", "card:7", "k:", "url:a=b"]);
        let wanted = [b"card".to_vec(), b"nope".to_vec()];
        let mut read = Vec::new();
        values(line, &wanted, &mut read).unwrap();
        assert_eq!(read, [Value::Text(b"7"[..].into()), Value::Missing]);
        let wanted_places = [b"a.b".to_vec(), b"card".to_vec(), b"nope".to_vec()];
        let marked: Vec<&[u8]> =
            places(line, &wanted_places).into_iter().map(|at| &line[at]).collect();
        assert_eq!(marked, [&br#"x \"y\" \n"#[..], b"7"]);
        for line in ["a=\"x", "a=\"x\\"] {
            assert_eq!(
                values(line.as_bytes(), &wanted, &mut Vec::new()).unwrap_err().at,
                Some(3),
                "{line}"
            );
        }
    }
}
