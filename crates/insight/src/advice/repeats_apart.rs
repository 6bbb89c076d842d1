//! `uniq` after lines that are not sorted.

use std::borrow::Cow;

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
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

/// Groups that are looked at before all lines are.
const GROUPS: usize = 400;

/// The same line is there twice, after its count where there is one.
fn has_repeats(groups: &[bytes::Bytes], counted: bool, fold: bool) -> bool {
    let mut seen: HashSet<Vec<u8>> = HashSet::default();
    groups.iter().any(|group| {
        let line = if counted {
            let line = group.trim_ascii_start();
            line.splitn(2, |byte| *byte == b' ').nth(1).unwrap_or_default()
        } else {
            group
        };
        !seen.insert(if fold { line.to_ascii_lowercase() } else { line.to_vec() })
    })
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("uniq")?;
    // With these only a part of each line is compared, or the groups are what is wanted.
    if ['f', 's', 'w', 'z', 'D'].iter().any(|&option| arguments.has(option)) {
        return None;
    }
    let fold = arguments.has('i');
    // Whole lines in order are next to each other; of others the first groups tell.
    let sorted = look.before().is_some_and(|before| {
        let plain =
            |one: &filters::Arguments| one.options.iter().all(|given| "rus".contains(given.short));
        !fold && before.arguments_of("sort").is_some_and(plain)
    });
    // Where each group is one line of the output, that says most of the data.
    let partly = arguments.has('d') || arguments.has('u');
    let groups = if partly {
        let mut groups = look.peek().to_vec();
        groups.dedup();
        groups
    } else {
        look.stage.out.lines_at(0, GROUPS)
    };
    let counted = arguments.has('c') && !partly;
    if sorted || !has_repeats(&groups, counted, fold) {
        return None;
    }
    if !look.sees_all() {
        return None;
    }
    let lines = look.lines();
    let mut different: HashSet<Cow<'_, [u8]>> = HashSet::default();
    let (mut groups, mut last): (_, Option<&[u8]>) = (0, None);
    for line in lines.iter() {
        if last == Some(line) {
            continue;
        }
        if last.is_none_or(|last| !fold || !last.eq_ignore_ascii_case(line)) {
            groups += 1;
            different.insert(if fold { line.to_ascii_lowercase().into() } else { line.into() });
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
