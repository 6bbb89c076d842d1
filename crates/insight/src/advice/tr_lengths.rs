//! A second set of `tr` that is shorter than the first.

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};

pub(super) const ABOUT: About = About {
    kind: NoteKind::TrLengths,
    basis: Basis::Line,
    when: "the second set of tr is shorter than the first, so its last character takes the place of several",
    example: "tr abcd AB < gate.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// The characters of a set; `None` where it has classes, repetitions or octal numbers.
fn characters(set: &[u8]) -> Option<Vec<char>> {
    let text: Vec<char> = std::str::from_utf8(set).ok()?.chars().collect();
    let mut plain = Vec::new();
    let mut at = 0;
    while at < text.len() {
        match text[at] {
            '[' => return None,
            '\\' => {
                at += 1;
                plain.push(match text.get(at)? {
                    'n' => '\n',
                    't' => '\t',
                    'r' => '\r',
                    '\\' => '\\',
                    _ => return None,
                });
            }
            '-' if at > 0 && at + 1 < text.len() && !plain.is_empty() => {
                let from = plain.pop()?;
                at += 1;
                if text[at] < from || text[at] == '\\' {
                    return None;
                }
                plain.extend(from..=text[at]);
            }
            character => plain.push(character),
        }
        at += 1;
    }
    Some(plain)
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("tr")?;
    if "cCdt".chars().any(|option| arguments.has(option)) {
        return None;
    }
    let [first, second] = &arguments.operands[..] else { return None };
    let (from, to) = (characters(&first.value)?, characters(&second.value)?);
    // One character for all of them is what is meant.
    if to.len() < 2 || from.len() <= to.len() || from[to.len()..].iter().all(|one| to.contains(one))
    {
        return None;
    }
    let last = to.last()?;
    let shown: String = from[to.len() - 1..].iter().take(12).collect();
    let more = if from.len() - to.len() >= 12 { "…" } else { "" };
    let text = format!(
        "the second set is shorter: each of “{}{more}” becomes “{}”",
        shown.escape_debug(),
        last.escape_debug()
    );
    let place = look.place(second.word);
    Some(look.note_at(NoteKind::TrLengths, Severity::Hint, place, text))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sets_are_read_as_tr_reads_them() {
        let of = |set: &str| characters(set.as_bytes()).map(String::from_iter);
        assert_eq!(of("a-e").as_deref(), Some("abcde"));
        assert_eq!(of("a-cx-z\\n").as_deref(), Some("abcxyz\n"));
        assert_eq!(of("-a").as_deref(), Some("-a"));
        assert_eq!(of("a-").as_deref(), Some("a-"));
        assert_eq!(of("[:alpha:]"), None);
        assert_eq!(of("\\101"), None);
    }
}
