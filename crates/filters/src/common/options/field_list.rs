//! Lists of positions as `cut` takes them (`1,3-5,7-`).

use std::ops::Range;

/// What a list counts.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Unit {
    Bytes,
    Characters,
    Fields,
}

/// A list such as `1,3-5,7-` as sorted ranges from 0. Overlapping ranges are joined, those that
/// only touch are not (an output delimiter goes between them).
pub(crate) fn parse_list(list: &[u8], unit: Unit) -> Result<Vec<Range<usize>>, String> {
    let noun = if unit == Unit::Fields { "field" } else { "byte/character position" };
    let from_one = if unit == Unit::Fields {
        "fields are numbered from 1"
    } else {
        "byte/character positions are numbered from 1"
    };
    let text = String::from_utf8_lossy(list);
    let mut ranges: Vec<Range<usize>> = Vec::new();
    for part in text.split([',', ' ', '\t']) {
        let number = |digits: &str| -> Result<usize, String> {
            if digits.is_empty() || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
                return Err(format!("invalid {noun} value ‘{part}’"));
            }
            match digits.parse::<usize>() {
                Ok(0) => Err(from_one.to_owned()),
                Ok(number) => Ok(number),
                Err(_) => Err(format!("{noun} number ‘{digits}’ is too large")),
            }
        };
        let range = match part.split_once('-') {
            None if part.is_empty() => return Err(from_one.to_owned()),
            None => {
                let only = number(part)?;
                only - 1..only
            }
            Some(("", "")) => return Err("invalid range with no endpoint: -".to_owned()),
            Some(("", end)) => 0..number(end)?,
            Some((start, "")) => number(start)? - 1..usize::MAX,
            Some((start, end)) => {
                let (start, end) = (number(start)?, number(end)?);
                if end < start {
                    return Err("invalid decreasing range".to_owned());
                }
                start - 1..end
            }
        };
        ranges.push(range);
    }
    ranges.sort_by_key(|range| range.start);
    let mut joined: Vec<Range<usize>> = Vec::new();
    for range in ranges {
        match joined.last_mut() {
            Some(last) if range.start < last.end => last.end = last.end.max(range.end),
            _ => joined.push(range),
        }
    }
    Ok(joined)
}
