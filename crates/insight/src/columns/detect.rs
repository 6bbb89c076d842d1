//! Finds from the lines themselves how they are split.

use std::collections::BTreeMap;
use std::ops::Range;

use super::kind::{Kind, label_length};
use super::splitting::{Splitting, characters, pair, words};

/// Lines that are looked at.
pub(crate) const LOOKED_AT: usize = 2_000;

/// Bytes of a line that are looked at.
const LINE: usize = 1 << 14;

/// Fields of a line that are looked at.
const FIELDS: usize = 64;

/// A way to split lines.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidate {
    /// How.
    pub splitting: Splitting,
    /// The share of the lines it fits, from 0 to 1.
    pub agreement: f64,
    /// How good it is, from 0 to 1; below 0.5 it is a doubtful guess.
    pub score: f64,
}

/// How these lines can be split, the best way first; never nothing. Of many lines a part is looked
/// at, evenly spread.
pub fn candidates(lines: &[&[u8]]) -> Vec<Candidate> {
    let step = lines.len().div_ceil(LOOKED_AT).max(1);
    let lines: Vec<&[u8]> = lines
        .iter()
        .step_by(step)
        .map(|line| line.strip_suffix(b"\r").unwrap_or(line))
        .map(|line| &line[..line.len().min(LINE)])
        .filter(|line| !line.is_empty())
        .collect();
    // Comments are no data, unless there is nothing else.
    let is_comment = |line: &&&[u8]| line.starts_with(b"#");
    let comments = lines.iter().filter(is_comment).count();
    let data: Vec<&[u8]> = if comments * 2 < lines.len() {
        lines.iter().filter(|line| !is_comment(line)).copied().collect()
    } else {
        lines
    };
    let mut found: Vec<Candidate> = Vec::new();
    found.extend(
        [b'\t', b',', b';', b'|', b':'].into_iter().filter_map(|byte| at_byte(&data, byte)),
    );
    found.extend([b'=', b':'].into_iter().filter_map(|byte| at_first(&data, byte)));
    found.extend(as_pairs(&data));
    let blanks = at_blanks(&data);
    found.extend(as_fixed(&data, &blanks));
    // Both ways to see blanks, if only to be chosen.
    let other = match blanks.splitting {
        Splitting::Blanks => Splitting::Byte(b' '),
        _ => Splitting::Blanks,
    };
    found.push(Candidate { splitting: other, score: blanks.score * 0.4, ..blanks.clone() });
    found.push(blanks);
    found.sort_by(|one, other| other.score.total_cmp(&one.score));
    found
}

/// A value that is whole: no piece of a longer one that was split in its middle.
fn is_whole(value: &[u8]) -> bool {
    let inside = value.iter().filter(|byte| matches!(byte, b',' | b';' | b'|' | b'\t')).count();
    match Kind::of(value) {
        Kind::Text => {
            // Words and numbers as people write them, not the end of one and the begin of the next.
            let blank_at_end = value.first() == Some(&b' ') || value.last() == Some(&b' ');
            inside == 0 && !blank_at_end && {
                let mut words = value.split(|byte| *byte == b' ');
                let odd = words.by_ref().filter(|word| {
                    word.iter().any(u8::is_ascii_digit) && !word.iter().all(u8::is_ascii_digit)
                });
                odd.count() == 0
            }
        }
        Kind::Word => inside == 0,
        _ => true,
    }
}

/// The most frequent number among these, and how often it comes.
fn mode(counts: impl Iterator<Item = usize>) -> (usize, usize) {
    let mut often: BTreeMap<usize, usize> = BTreeMap::new();
    for count in counts {
        *often.entry(count).or_default() += 1;
    }
    often.into_iter().max_by_key(|(count, often)| (*often, *count)).unwrap_or((0, 0))
}

/// The share of values that are whole ones, over lines that have `count` fields.
fn wholeness(lines: &[&[u8]], splitting: &Splitting, count: usize) -> f64 {
    let (mut all, mut whole) = (0_u32, 0_u32);
    for line in lines.iter().take(400) {
        let fields = splitting.fields(line);
        if fields.len() == count {
            for field in fields.into_iter().take(FIELDS) {
                all += 1;
                whole += u32::from(is_whole(&line[field]));
            }
        }
    }
    f64::from(whole) / f64::from(all.max(1))
}

fn at_byte(lines: &[&[u8]], byte: u8) -> Option<Candidate> {
    let quoted = byte != b':'
        && lines.iter().any(|line| {
            let opens = |at: usize| at == 0 || line[at - 1] == byte;
            memchr::memchr_iter(b'"', line).any(opens)
        });
    let splitting = if quoted { Splitting::Quoted(byte) } else { Splitting::Byte(byte) };
    // A record that goes over several lines is none of the lines to judge by.
    let closed: Vec<&[u8]> =
        lines.iter().filter(|line| !splitting.leaves_open(line)).copied().collect();
    let counts = closed.iter().map(|line| splitting.fields(line).len());
    let (count, often) = mode(counts);
    if count < 2 {
        return None;
    }
    let agreement = often as f64 / lines.len() as f64;
    if agreement < 0.9 && byte != b':' {
        return before_text(&closed, splitting, lines.len());
    }
    let whole = wholeness(&closed, &splitting, count);
    // Inside of words, as in times and paths, a byte separates nothing.
    let tight = closed.iter().take(400).filter(|line| {
        let first = memchr::memchr(byte, line).unwrap_or(0);
        let blank = memchr::memchr2(b' ', b'\t', line).unwrap_or(line.len());
        first < blank || is_whole(&line[..first])
    });
    let tight = tight.count() as f64 / closed.len().clamp(1, 400) as f64;
    let prose = byte != b'\t' && count == 2 && {
        // “word, word”: a sign of language.
        let spaced = closed.iter().filter(|line| {
            memchr::memchr(byte, line).is_some_and(|at| line.get(at + 1) == Some(&b' '))
        });
        spaced.count() * 2 > closed.len()
    };
    // Between digits, in lines of several words, a colon is part of a time.
    let in_time = |line: &&&[u8]| {
        let at = memchr::memchr(b':', line).unwrap_or(0);
        let digit = |at: usize| line.get(at).is_some_and(u8::is_ascii_digit);
        at > 0 && digit(at - 1) && digit(at + 1) && memchr::memchr2(b' ', b'\t', line).is_some()
    };
    let times = byte == b':' && closed.iter().filter(in_time).count() * 3 > closed.len() * 2;
    let strength = match byte {
        b':' if times => 0.3,
        b'\t' => 1.0,
        b';' | b'|' => 0.97,
        b',' => 0.96,
        _ => 0.9,
    };
    let certain = if count > 2 { 1.0 } else { 0.93 };
    let score = strength * certain * agreement.powi(2) * (0.3 + 0.7 * whole) * tight;
    Some(Candidate { splitting, agreement, score: if prose { score * 0.5 } else { score } })
}

/// Fields at a byte that all lines have a few times, before text that may have it, too.
fn before_text(lines: &[&[u8]], splitting: Splitting, all: usize) -> Option<Candidate> {
    let mut counts: Vec<usize> = lines.iter().map(|line| splitting.fields(line).len()).collect();
    counts.sort_unstable();
    let least = *counts.get(counts.len() / 30)?;
    if least < 3 {
        return None;
    }
    let enough = counts.iter().filter(|count| **count >= least).count();
    let agreement = enough as f64 / all as f64;
    let (mut values, mut whole) = (0_u32, 0_u32);
    for line in lines.iter().take(400) {
        for field in splitting.fields(line).into_iter().take(least - 1) {
            values += 1;
            whole += u32::from(is_whole(&line[field]));
        }
    }
    let whole = f64::from(whole) / f64::from(values.max(1));
    let score = 0.85 * agreement.powi(2) * whole.powi(2);
    Some(Candidate { splitting, agreement, score })
}

/// A name, and after the byte its value.
fn at_first(lines: &[&[u8]], byte: u8) -> Option<Candidate> {
    let fits = |line: &&&[u8]| {
        let start = line.iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
        let text = &line[start..];
        let Some(at) = memchr::memchr(byte, text) else { return false };
        let name = text[..at].trim_ascii_end();
        // A colon has a blank after it, and the name may be of several words.
        let after = byte == b'=' || matches!(text.get(at + 1), Some(b' ' | b'\t') | None);
        let named = |byte: &u8| {
            byte.is_ascii_alphanumeric()
                || matches!(byte, b'_' | b'-' | b'.' | b'/' | b'(' | b')' | b'[' | b']')
        };
        let several = byte == b':' && name.iter().all(|byte| named(byte) || *byte == b' ');
        let letter = name.iter().any(u8::is_ascii_alphabetic);
        !name.is_empty()
            && letter
            && after
            && (several || name.iter().all(named))
            && name.len() < 64
    };
    let many = lines.iter().filter(fits).count();
    if many == 0 {
        return None;
    }
    let agreement = many as f64 / lines.len() as f64;
    // Names differ from line to line, or it is a column of its own.
    let mut names: Vec<&[u8]> = lines
        .iter()
        .filter(fits)
        .map(|line| &line[..memchr::memchr(byte, line).unwrap_or(0)])
        .collect();
    let all = names.len();
    names.sort_unstable();
    names.dedup();
    let various = if all > 3 && names.len() * 4 < all { 0.6 } else { 1.0 };
    // A word of it must not hold another pair: then they are pairs.
    let single = lines
        .iter()
        .filter(|line| words(line).filter(|word| pair(line, word).is_some()).count() < 2);
    let single = single.count() as f64 / lines.len() as f64;
    let splitting = Splitting::First(byte);
    Some(Candidate { splitting, agreement, score: 0.92 * agreement.powi(2) * various * single })
}

/// Words `name=value`.
fn as_pairs(lines: &[&[u8]]) -> Option<Candidate> {
    let mut names: Vec<(Vec<u8>, usize)> = Vec::new();
    let (mut all, mut pairs, mut lines_of_pairs) = (0_usize, 0_usize, 0_usize);
    for line in lines {
        let mut own = 0;
        for word in words(line) {
            all += 1;
            let Some((name, _)) = pair(line, &word) else { continue };
            own += 1;
            let name = &line[name];
            match names.iter().position(|(known, _)| known == name) {
                Some(at) => names[at].1 += 1,
                None if names.len() < FIELDS => names.push((name.to_vec(), 1)),
                None => {}
            }
        }
        pairs += own;
        lines_of_pairs += usize::from(own > 1);
    }
    let share = pairs as f64 / all.max(1) as f64;
    let agreement = lines_of_pairs as f64 / lines.len().max(1) as f64;
    if share < 0.3 || agreement < 0.5 {
        return None;
    }
    // Names that come once are none of the stream's.
    names.retain(|(_, often)| *often * 50 > lines.len());
    let names: Vec<Vec<u8>> = names.into_iter().map(|(name, _)| name).collect();
    let splitting = Splitting::Pairs(names.into());
    Some(Candidate { splitting, agreement, score: 0.95 * agreement * share.powi(2) })
}

/// Runs of blanks, or single ones where there are no others.
fn at_blanks(lines: &[&[u8]]) -> Candidate {
    let runs = lines.iter().any(|line| {
        let blank = |byte: &u8| matches!(byte, b' ' | b'\t');
        line.first().is_some_and(blank)
            || line.contains(&b'\t')
            || memchr::memmem::find(line, b"  ").is_some()
    });
    let splitting = if runs { Splitting::Blanks } else { Splitting::Byte(b' ') };
    let rows: Vec<Vec<Range<usize>>> = lines.iter().map(|line| splitting.fields(line)).collect();
    let counts: Vec<usize> = rows.iter().map(Vec::len).collect();
    let (most, _) = mode(counts.iter().copied());
    // A tenth of the lines may have fewer; what comes after may be free text.
    let mut sorted = counts.clone();
    sorted.sort_unstable();
    let least = sorted.get(sorted.len() / 10).copied().unwrap_or(0);
    let steady = (0..least.min(FIELDS)).filter(|at| is_steady(lines, &rows, *at)).count();
    let agreement = if least == most {
        counts.iter().filter(|count| **count == most).count() as f64 / lines.len().max(1) as f64
    } else {
        counts.iter().filter(|count| **count >= least).count() as f64 / lines.len().max(1) as f64
    };
    let share = steady as f64 / least.max(1) as f64;
    let score = if least < 2 { 0.2 } else { 0.45 + 0.4 * share * agreement };
    Candidate { splitting, agreement, score }
}

/// True where nine of ten values of a column are alike: of one kind that is more than a word, one
/// label, or the same few words.
fn is_steady(lines: &[&[u8]], rows: &[Vec<Range<usize>>], at: usize) -> bool {
    let mut kinds: BTreeMap<(Kind, Vec<u8>), usize> = BTreeMap::new();
    let mut different: BTreeMap<&[u8], usize> = BTreeMap::new();
    let mut all = 0_usize;
    for (line, row) in lines.iter().zip(rows).take(400) {
        let Some(field) = row.get(at) else { continue };
        let value = &line[field.clone()];
        all += 1;
        let label = value[..label_length(value)].to_vec();
        *kinds.entry((Kind::of(&value[label.len()..]), label)).or_default() += 1;
        if different.len() < 20 {
            *different.entry(value).or_default() += 1;
        }
    }
    let nine = |count: usize| count * 10 >= all * 9;
    let special = kinds.iter().any(|((kind, label), count)| {
        nine(*count) && (!matches!(kind, Kind::Word | Kind::Text) || !label.is_empty())
    });
    special || different.len() < 20.min(all) && nine(different.values().sum())
}

/// Characters that no line has anything at, between those that most have.
fn as_fixed(lines: &[&[u8]], blanks: &Candidate) -> Option<Candidate> {
    if lines.len() < 5
        || blanks.splitting != Splitting::Blanks
        || lines.iter().any(|line| line.contains(&b'\t'))
    {
        return None;
    }
    let width = lines.iter().map(|line| characters(line)).max()?.min(1 << 10);
    // How many lines have something there.
    let mut filled = vec![0_usize; width + 1];
    for line in lines {
        let starts = line.iter().filter(|byte| **byte & 0xc0 != 0x80);
        for (at, byte) in starts.enumerate().take(width) {
            filled[at] += usize::from(*byte != b' ');
        }
    }
    let mut starts: Vec<usize> =
        (0..width).filter(|at| filled[*at] > 0 && (*at == 0 || filled[at - 1] == 0)).collect();
    let first = starts.first_mut()?;
    *first = 0;
    if starts.len() < 2 {
        return None;
    }
    let splitting = Splitting::Fixed(starts.clone().into());
    let cells: Vec<Vec<Range<usize>>> =
        lines.iter().take(400).map(|line| splitting.fields(line)).collect();
    // Better than blanks only where the words in a column are now more and now fewer: fields are
    // empty, or have blanks in them. Free text at the end may have any.
    let words = |line: &[u8]| Splitting::Blanks.fields(line).len();
    let (usual, _) = mode(lines.iter().map(|line| words(line)));
    let rows: Vec<Vec<usize>> = lines
        .iter()
        .zip(&cells)
        .filter(|(line, _)| words(line) * 2 > usual)
        .map(|(line, cells)| cells.iter().map(|cell| words(&line[cell.clone()])).collect())
        .collect();
    let uneven = |at: usize| {
        let (most, often) = mode(rows.iter().map(|row| row[at]));
        often * 20 < rows.len() * 19 && most > 0
    };
    // What few lines have at their end is a piece of free text.
    let filled = |at: usize| mode(rows.iter().map(|row| row[at])).0 > 0;
    let even = (0..starts.len()).rev().find(|at| filled(*at) && !uneven(*at)).unwrap_or(0);
    let needed = (0..even).any(uneven);
    let steady = (0..starts.len()).filter(|at| has_whole(lines, &cells, *at)).count();
    let share = steady as f64 / starts.len() as f64;
    let score = if needed { 0.5 + 0.36 * share } else { 0.3 + 0.2 * share };
    Some(Candidate { splitting, agreement: 1.0, score })
}

/// True where nine of ten values of a column are whole ones.
fn has_whole(lines: &[&[u8]], rows: &[Vec<Range<usize>>], at: usize) -> bool {
    let values = lines.iter().zip(rows).filter_map(|(line, row)| Some(&line[row.get(at)?.clone()]));
    let (all, whole) =
        values.fold((0, 0), |(all, whole), value| (all + 1, whole + usize::from(is_whole(value))));
    whole * 10 >= all * 9
}
