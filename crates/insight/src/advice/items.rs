//! What xargs makes of its input: which items, and how many for one command.

use std::path::Path;

use bstr::ByteSlice;

use super::about::About;
use super::look::{Look, insert};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::seen::Tally;
use crate::describe::units::grouped;

pub(super) const BATCH: About = About {
    kind: NoteKind::BatchArguments,
    basis: Basis::Data,
    when: "xargs gives all items to one command that takes one or two",
    example: "ls *.txt | xargs basename",
    proof: Proof::Cures,
    searches: false,
    find: |look| batch(look).into_iter().collect(),
};

pub(super) const SPLIT: About = About {
    kind: NoteKind::SplitItems,
    basis: Basis::Data,
    when: "xargs splits names with blanks or quotes in them into several items",
    example: "ls *.log | xargs wc -l",
    proof: Proof::Cures,
    searches: false,
    find: |look| split(look).into_iter().collect(),
};

/// Commands whose further operands mean something else, and how many they take.
const TAKE_FEW: [(&[u8], usize); 15] = [
    (b"basename", 1),
    (b"cmp", 2),
    (b"comm", 2),
    (b"cp", 2),
    (b"csplit", 1),
    (b"date", 1),
    (b"diff", 2),
    (b"join", 2),
    (b"ln", 2),
    (b"mktemp", 1),
    (b"mv", 2),
    (b"split", 2),
    (b"tr", 2),
    (b"uniq", 1),
    (b"sleep", 1),
];

/// Where the command of xargs begins among its operands, and its words.
fn command(look: &Look<'_>) -> Option<Vec<Vec<u8>>> {
    let arguments = look.arguments_of("xargs")?;
    Some(arguments.operands.iter().map(|one| one.value.clone()).collect())
}

fn batch(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("xargs")?;
    if "nLIiPlx".chars().any(|option| arguments.has(option)) || arguments.has('d') {
        return None;
    }
    let command = command(look)?;
    let name = command.first()?;
    let base = name.rsplit_str("/").next()?;
    let items: usize = look
        .lines()
        .iter()
        .map(|line| {
            let end = if arguments.has('0') { &b"\0"[..] } else { b" " };
            if arguments.has('0') {
                line.split_str(end).filter(|item| !item.is_empty()).count()
            } else {
                line.split(u8::is_ascii_whitespace).filter(|item| !item.is_empty()).count()
            }
        })
        .sum();
    let shell = matches!(base, b"sh" | b"bash" | b"dash") && command.get(1)? == b"-c";
    let fixed = command[1..].iter().filter(|word| !word.starts_with(b"-")).count();
    // Files go into a directory that is named last, or with -t.
    let target = command[1..].iter().any(|word| word.starts_with(b"-t"))
        || command[1..].iter().any(|word| word.starts_with(b"-a") && base == b"basename");
    let most = TAKE_FEW.iter().find(|(known, _)| *known == base).map(|(_, most)| *most);
    let too_many = match most {
        Some(most) => !target && items > 1 && items + fixed > most,
        None => shell && items > 1,
    };
    if !too_many {
        return None;
    }
    let name = String::from_utf8_lossy(base);
    let items = grouped(items as u64);
    let (all, over) = if look.sees_all() { ("all", "") } else { ("more than", "more than ") };
    let text = if shell {
        format!("{all} {items} items go to one {name}: its text sees the first as $0")
    } else {
        format!("{all} {items} items go to one {name}, which does not take them")
    };
    let label = format!("one command for each item with -n 1: {over}{items} commands");
    let note = look.note(NoteKind::BatchArguments, Severity::Warning, text);
    Some(note.with(label, look.with_option("-n 1")))
}

/// Commands whose output is a name a line, and the option with which they end it with NUL.
const NAMES: [(&str, &str); 3] = [("find", "-print0"), ("grep", "-Z"), ("ls", "--zero")];

fn split(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("xargs")?;
    if "0dIi".chars().any(|option| arguments.has(option)) {
        return None;
    }
    let special = |line: &[u8]| {
        line.trim_ascii() != line
            || line.iter().any(|byte| matches!(byte, b' ' | b'\t' | b'\'' | b'"' | b'\\'))
    };
    if !look.some(special) {
        return None;
    }
    let lines = look.lines();
    let Tally { first, count } = lines.tally(special)?;
    // Only what is meant as a name is split against what is meant.
    let before = look.before();
    let of_names = before.as_ref().and_then(|before| {
        let (name, option) = NAMES.iter().find(|(name, _)| before.is(name))?;
        let names = *name != "grep"
            || before.arguments.as_ref().is_some_and(|one| one.has('l') || one.has('L'));
        names.then_some((*name, *option))
    });
    let named = |line: &[u8]| {
        use std::os::unix::ffi::OsStrExt;
        let path = Path::new(std::ffi::OsStr::from_bytes(line));
        look.stage.plan.at(path).exists()
    };
    let are_files = lines.iter().filter(|line| special(line)).take(20).any(named);
    if of_names.is_none() && !are_files {
        return None;
    }
    let text = format!(
        "xargs splits or changes {}, for the blanks, quotes or backslashes in them: the first is “{}”",
        look.within_said(count as u64, "name"),
        String::from_utf8_lossy(lines.iter().nth(first)?)
    );
    let note = look.note(NoteKind::SplitItems, Severity::Warning, text);
    let mut edits = look.with_option("-0");
    match (of_names, &before) {
        (Some(("find", option)), Some(before)) if before.is_plain() => {
            edits.extend(insert(before.stage.span.end, &format!(" {option}")));
            Some(note.with("end names with NUL: find -print0, xargs -0", edits))
        }
        (Some(("grep", option)), Some(before)) => {
            edits.extend(insert(before.name_end(), &format!(" {option}")));
            Some(note.with("end names with NUL: grep -Z, xargs -0", edits))
        }
        _ => Some(note.with("one item a line with -d '\\n'", look.with_option("-d '\\n'"))),
    }
}
