//! `uniq` after lines that are not sorted.

use std::hash::BuildHasher;

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

/// Different lines that are told from each other, at most; of more data only the lines up to there are
/// looked at.
const DIFFERENT_MAX: usize = 1 << 22;

/// Lines that are read at once.
const PART: usize = 1 << 16;

/// What is found of lines that are looked at once each.
#[derive(Default)]
struct Found {
    lines: u64,
    /// Runs of equal lines.
    groups: u64,
    /// Different lines: two are taken for the same one where their hashes of 64 bits are.
    different: HashSet<u64>,
}

impl Found {
    /// Of all lines of these inputs, as far as the limit reaches; capital and small letters are
    /// the same where they are to `fold`.
    fn of(look: &Look<'_>, fold: bool) -> Self {
        let hasher = foldhash::fast::FixedState::default();
        let mut found = Self::default();
        let mut last = None;
        for input in look.text_inputs() {
            let mut first = 0;
            loop {
                let lines = input.kept.lines_at(first, PART);
                for line in &lines {
                    let hash = if fold {
                        hasher.hash_one(line.to_ascii_lowercase())
                    } else {
                        hasher.hash_one(&line[..])
                    };
                    found.lines += 1;
                    if last != Some(hash) {
                        found.groups += 1;
                        found.different.insert(hash);
                        last = Some(hash);
                    }
                }
                if found.different.len() > DIFFERENT_MAX {
                    return found;
                }
                if lines.len() < PART {
                    break;
                }
                first += PART as u64;
            }
        }
        found
    }
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("uniq")?;
    // With these only a part of each line is compared, or the groups are what is wanted.
    if ['f', 's', 'w', 'z', 'D'].iter().any(|&option| arguments.has(option)) {
        return None;
    }
    let fold = arguments.has('i');
    // Whole lines in order are next to each other.
    let sorted = look.before().is_some_and(|before| {
        let plain =
            |one: &filters::Arguments| one.options.iter().all(|given| given.is_one_of("rus"));
        !fold && before.arguments_of("sort").is_some_and(plain)
    });
    if sorted {
        return None;
    }
    let Found { lines, groups, different } = Found::of(look, fold);
    let repeats = lines - different.len() as u64;
    let removed = lines - groups;
    if removed == repeats {
        return None;
    }
    let all = look.stage.lines_in().so_far();
    let within =
        if lines < all { format!(" in the first {} lines", grouped(lines)) } else { String::new() };
    let text = match (removed, repeats) {
        (0, 1) => format!("the only repeat{within} is not adjacent, so it is not found"),
        (0, _) => {
            format!("found none of {} repeats{within}: they are not adjacent", grouped(repeats))
        }
        _ => {
            let rest = match repeats - removed {
                1 => "the other is not adjacent".to_owned(),
                apart => format!("the other {} are not adjacent", grouped(apart)),
            };
            format!(
                "found only {} of {} repeats{within}: {rest}",
                grouped(removed),
                grouped(repeats)
            )
        }
    };
    let note = look.note(NoteKind::RepeatsApart, Severity::Warning, text);
    // In either case, equal lines come together only where the order takes them so.
    let sort = if fold { "sort -f" } else { "sort" };
    Some(note.with_maybe(format!("put {sort} before it"), look.put_before(sort, true)))
}
