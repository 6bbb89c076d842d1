//! `tr` with words in the place of sets.

use bstr::ByteSlice;

use super::about::About;
use super::look::{Look, replace};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::grouped;

pub(super) const ABOUT: About = About {
    kind: NoteKind::TrWords,
    basis: Basis::Data,
    when: "tr is given a word of the data: it changes the letters of it wherever they are",
    example: "tr passed PASSED < gate.log",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// A set that reads as a word: letters only, and not in the order of the alphabet.
fn is_word(set: &[u8]) -> bool {
    set.len() >= 3
        && set.iter().all(u8::is_ascii_alphabetic)
        && !set.windows(2).all(|pair| pair[0] <= pair[1])
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("tr")?;
    if arguments.has('c') || arguments.has('C') || arguments.has('s') {
        return None;
    }
    let operands: Vec<&[u8]> = arguments.operands.iter().map(|one| &one.value[..]).collect();
    let (set, with) = match operands[..] {
        [set] if arguments.has('d') => (set, &b""[..]),
        [set, with] => (set, with),
        _ => return None,
    };
    if !is_word(set) || with.iter().any(|byte| b"[\\-".contains(byte)) {
        return None;
    }
    let outside = |line: &[u8]| {
        let all = line.iter().filter(|byte| set.contains(byte)).count();
        all > line.find_iter(set).count() * set.len()
    };
    if !look.some(outside) {
        return None;
    }
    let mut own = [false; 256];
    for byte in set {
        own[usize::from(*byte)] = true;
    }
    let finder = memchr::memmem::Finder::new(set);
    let text = look.lines().text();
    let words = finder.find_iter(text).count() as u64;
    let letters = text.iter().filter(|byte| own[usize::from(**byte)]).count() as u64;
    let letters = letters.saturating_sub(words * set.len() as u64);
    if words == 0 || letters == 0 {
        return None;
    }
    let word = String::from_utf8_lossy(set);
    let text = format!(
        "tr takes each letter by itself: it also changes {} letters outside of “{word}”{}",
        grouped(letters),
        look.within()
    );
    let note = look.note(NoteKind::TrWords, Severity::Warning, text);
    let (Some(first), Some(last)) = (arguments.operands.first(), arguments.operands.last()) else {
        return Some(note);
    };
    let (Some(_), Some(end)) = (look.span_of(first.word), look.span_of(last.word)) else {
        return Some(note);
    };
    let start = look.name_end() - look.stage.name.len();
    let with = String::from_utf8_lossy(with).replace('/', "\\/").replace('&', "\\&");
    let program = shell::quote(&format!("s/{word}/{with}/g"));
    let edits = replace(shell::Span::new(start, end.end), format!("sed {program}"));
    Some(note.with("replace the word with sed", edits))
}
