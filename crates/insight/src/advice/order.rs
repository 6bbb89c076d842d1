//! An order that is not the one of the values: numbers, sizes and versions taken as text.

use bytes::Bytes;

use super::about::About;
use super::look::{Look, replace};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::relied_on::order_is_relied_on;
use crate::edit::stages::TextEdit;

pub(super) const NUMBERS: About = About {
    kind: NoteKind::NumericOrder,
    basis: Basis::Data,
    when: "sort puts 10 before 9 in a column of numbers, and the order is what is wanted",
    example: "printf '9 gate-02\\n10 gate-07\\n' | sort",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look, &Order::Numbers).into_iter().collect(),
};

pub(super) const SIZES: About = About {
    kind: NoteKind::SizeOrder,
    basis: Basis::Data,
    when: "sort or sort -n puts 2G before 10K, as it does not look at the suffix",
    example: "printf '2G backup\\n10K notes\\n' | sort -n",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look, &Order::Sizes).into_iter().collect(),
};

pub(super) const VERSIONS: About = About {
    kind: NoteKind::VersionOrder,
    basis: Basis::Data,
    when: "sort puts version 1.10 before 1.9",
    example: "printf 'v1.9.2\\nv1.10.0\\n' | sort",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look, &Order::Versions).into_iter().collect(),
};

/// How values are meant.
enum Order {
    Numbers,
    Sizes,
    Versions,
}

impl Order {
    /// The value of a key, to compare; `None` for what is none.
    fn value(&self, key: &[u8]) -> Option<Vec<f64>> {
        let text = std::str::from_utf8(key).ok()?.trim();
        match self {
            Self::Numbers => {
                let digits = text.strip_prefix('-').unwrap_or(text);
                let plain = digits.starts_with(|c: char| c.is_ascii_digit())
                    && digits.chars().all(|c| c.is_ascii_digit() || c == '.')
                    && digits.matches('.').count() < 2;
                plain.then(|| text.parse().ok()).flatten().map(|number| vec![number])
            }
            Self::Sizes => {
                let end = text.find(|c: char| !c.is_ascii_digit() && c != '.')?;
                let suffix = text[end..].strip_suffix("iB").unwrap_or(&text[end..]);
                let power = "KMGTPE".find(suffix.to_ascii_uppercase().chars().next()?)?;
                let number: f64 = text[..end].parse().ok()?;
                (suffix.len() == 1).then(|| vec![number * 1024f64.powi(power as i32 + 1)])
            }
            Self::Versions => {
                let parts: Vec<&str> = text.strip_prefix('v').unwrap_or(text).split('.').collect();
                let numbers = parts.iter().map(|part| part.parse::<u32>().ok().map(f64::from));
                let numbers: Option<Vec<f64>> = numbers.collect();
                numbers.filter(|numbers| numbers.len() > 2 || text.starts_with('v'))
            }
        }
    }

    fn option(&self) -> char {
        match self {
            Self::Numbers => 'n',
            Self::Sizes => 'h',
            Self::Versions => 'V',
        }
    }
}

fn find(look: &Look<'_>, order: &Order) -> Option<Note> {
    let arguments = look.arguments_of("sort")?;
    let numeric = arguments.has('n');
    let other = "hVgMRcCmz".chars().any(|option| arguments.has(option));
    if other || (numeric && !matches!(order, Order::Sizes)) || order_is_relied_on(look) {
        return None;
    }
    let keys: Vec<_> = arguments.all('k').collect();
    let (key, field) = match keys[..] {
        [] => (None, 1),
        [key] => {
            let text = String::from_utf8_lossy(&key.value).into_owned();
            let field: String = text.chars().take_while(char::is_ascii_digit).collect();
            let letters: String = text.chars().filter(char::is_ascii_alphabetic).collect();
            if letters.chars().any(|letter| "hVgMR".contains(letter))
                || (letters.contains('n') && !matches!(order, Order::Sizes))
            {
                return None;
            }
            (Some(key), field.parse().ok()?)
        }
        _ => return None,
    };
    let delimiter = arguments.last('t').and_then(|given| given.value.first().copied());
    let keyed = |line: &Bytes| -> Vec<u8> {
        match delimiter {
            Some(byte) => {
                line.split(|&one| one == byte).nth(field - 1).unwrap_or_default().to_vec()
            }
            None => line
                .split(u8::is_ascii_whitespace)
                .filter(|part| !part.is_empty())
                .nth(field - 1)
                .unwrap_or_default()
                .to_vec(),
        }
    };
    if field == 0 {
        return None;
    }
    let out = &look.stage.out;
    // The first few decide whether this is worth looking at.
    let first = out.lines_at(0, 50);
    if first.iter().filter(|line| order.value(&keyed(line)).is_some()).count() * 2 < first.len() {
        return None;
    }
    // Numbers of one length are in order as text, too.
    let widths = |lines: &[Bytes]| {
        let mut widths: Vec<usize> = lines.iter().map(|line| keyed(line).len()).collect();
        widths.sort_unstable();
        widths.dedup();
        widths.len() > 1
    };
    if matches!(order, Order::Numbers) && !widths(&out.lines_at(0, 400)) {
        return None;
    }
    let lines = out.lines_at(0, super::seen::LOOK_LINES);
    let (mut before, mut wrong, mut odd) = (None::<(Vec<f64>, Vec<u8>)>, None, 0);
    let reverse = arguments.has('r') || key.is_some_and(|key| key.value.contains(&b'r'));
    for line in &lines {
        let key = keyed(line);
        let Some(value) = order.value(&key) else {
            odd += 1;
            continue;
        };
        if let Some((last, shown)) = &before {
            let (low, high) = if reverse { (&value, last) } else { (last, &value) };
            if low.partial_cmp(high) == Some(std::cmp::Ordering::Greater) && wrong.is_none() {
                wrong = Some((shown.clone(), key.clone()));
            }
        }
        before = Some((value, key));
    }
    let (one, other) = wrong?;
    if odd * 10 > lines.len() {
        return None;
    }
    let (one, other) = (String::from_utf8_lossy(&one), String::from_utf8_lossy(&other));
    let (kind, what, severity) = match order {
        Order::Numbers => (NoteKind::NumericOrder, "as text, not as numbers", Severity::Warning),
        Order::Sizes if numeric => {
            (NoteKind::SizeOrder, "without their suffixes", Severity::Warning)
        }
        Order::Sizes => (NoteKind::SizeOrder, "as text, not as sizes", Severity::Warning),
        Order::Versions => (NoteKind::VersionOrder, "as text, not as versions", Severity::Hint),
    };
    let text = format!("{one} comes before {other}: they are ordered {what}");
    let place = key.map_or(look.stage.span, |key| look.place(key.word));
    let note = look.note_at(kind, severity, place, text);
    let letter = order.option();
    let edits = ordered(look, order, key, numeric)?;
    Some(note.with(format!("order them with -{letter}"), edits))
}

/// The option or the letter of the key that orders by the values.
fn ordered(
    look: &Look<'_>,
    order: &Order,
    key: Option<&filters::Given>,
    numeric: bool,
) -> Option<Vec<TextEdit>> {
    let arguments = look.arguments.as_ref()?;
    let letter = order.option();
    let edits = match key {
        _ if numeric => {
            let given = arguments.last('n')?;
            let span = look.span_of(given.word)?;
            replace(span, look.source(span).replacen('n', &letter.to_string(), 1))
        }
        // Letters of a key put those of the whole line out of force.
        Some(key) if key.value.iter().any(u8::is_ascii_alphabetic) => {
            let span = look.span_of(key.word)?;
            let source = look.source(span);
            if source.contains('n') && matches!(order, Order::Sizes) {
                replace(span, source.replacen('n', &letter.to_string(), 1))
            } else {
                super::look::insert(span.end, &letter.to_string())
            }
        }
        _ => look.with_option(&format!("-{letter}")),
    };
    Some(edits)
}
