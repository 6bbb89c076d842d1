//! `uniq` after lines that are not sorted.

use foldhash::HashSet;

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::grouped;

pub(super) const ABOUT: About = About {
    kind: NoteKind::RepeatsApart,
    basis: Basis::Data,
    when: "uniq leaves repeats because they are not next to each other",
    example: "cut -d' ' -f3 gate.log | uniq -c",
    proof: Proof::Cures,
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("uniq")?;
    // With these only a part of each line is compared, or the groups are what is wanted.
    if ['f', 's', 'w', 'z', 'D'].iter().any(|&option| arguments.has(option)) {
        return None;
    }
    let fold = arguments.has('i');
    let (lines, all) = look.looked_at();
    if !all {
        return None;
    }
    let key = |line: &[u8]| if fold { line.to_ascii_lowercase() } else { line.to_vec() };
    let mut different: HashSet<Vec<u8>> = HashSet::default();
    let (mut groups, mut last) = (0, None);
    for line in lines {
        if last == Some(line) {
            continue;
        }
        let key = key(line);
        if last.is_none_or(|last| !fold || !last.eq_ignore_ascii_case(line)) {
            groups += 1;
            different.insert(key);
        }
        last = Some(line);
    }
    let repeats = (lines.len() - different.len()) as u64;
    let removed = (lines.len() - groups) as u64;
    if removed == repeats {
        return None;
    }
    let rest = match repeats - removed {
        1 => "the other is not adjacent".to_owned(),
        apart => format!("the other {} are not adjacent", grouped(apart)),
    };
    let text = format!("found only {} of {} repeats: {rest}", grouped(removed), grouped(repeats));
    let note = look.note(NoteKind::RepeatsApart, Severity::Warning, text);
    // In either case, equal lines come together only where the order takes them so.
    let sort = if fold { "sort -f" } else { "sort" };
    Some(note.with_maybe(format!("put {sort} before it"), look.put_before(sort, true)))
}
