//! Carriage returns at the ends of lines, where a stage minds them.

use bytes::Bytes;

use super::about::About;
use super::compressed_form::is_codec;
use super::field_missing::{awk_program, field_count};
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::nothing_matched::grep_pattern;
use super::used_fields::{Used, used_fields};

pub(super) const ABOUT: About = About {
    kind: NoteKind::CarriageReturns,
    basis: Basis::Data,
    when: "lines end in a carriage return and a newline, as those of other systems do",
    example: "printf 'gate-02 passed\\r\\ngate-07 refused\\r\\n' | cut -d' ' -f2",
    proof: Proof::Cures,
    searches: false,
    find: |look| carriage_returns(look).into_iter().collect(),
};

/// A stage takes care of carriage returns by itself.
fn mentions_return(look: &Look<'_>) -> bool {
    let arguments = look.stage.plan.arguments.iter();
    let mut all = arguments.map(|argument| String::from_utf8_lossy(argument).into_owned());
    all.any(|text| {
        text.contains("\\r")
            || text.contains('\r')
            || text.contains("\\015")
            || text.contains("cntrl")
    }) || matches!(look.stage.name.as_str(), "od" | "file" | "cksum" | "dos2unix")
}

fn carriage_returns(look: &Look<'_>) -> Option<Note> {
    look.arguments.as_ref()?;
    // The first stage that reads them as text, and only where none after it removes them.
    let stages = &look.preview.stages;
    let makes = |look: &Look<'_>| {
        look.arguments.is_some() && (look.stage.inputs.is_empty() || is_codec(&look.stage.name))
    };
    let is_first = look.number == 0
        || !look.reads_standard_only()
        || look.before().is_some_and(|before| makes(&before));
    if !is_first || look.stage.inputs.is_empty() || is_codec(&look.stage.name) {
        return None;
    }
    let mentioned = (look.number..stages.len())
        .any(|number| mentions_return(&Look::of(look.preview, number, None)));
    if mentioned || (stages.len() == 1 && matches!(look.stage.name.as_str(), "cat" | "wc" | "tee"))
    {
        return None;
    }
    if !(look.number..stages.len()).any(|number| minds(&Look::of(look.preview, number, None))) {
        return None;
    }
    let has = |line: &Bytes| line.last() == Some(&b'\r');
    let head: Vec<Bytes> =
        look.text_inputs().flat_map(|input| input.kept.lines_at(0, 100)).collect();
    // What comes from another system has them from the beginning.
    if !head.iter().any(has) {
        return None;
    }
    let all = look.lines();
    let count = all.tally(|line| line.ends_with(b"\r"))?.count;
    // Of many files one may be from elsewhere.
    if look.stage.inputs.len() > 1 && count * 2 < all.len() {
        return None;
    }
    let text = format!(
        "{} in a carriage return, which is a part of the last field",
        look.part_said(count as u64, "end", "ends")
    );
    let note = look.note(NoteKind::CarriageReturns, Severity::Warning, text);
    Some(note.with_maybe("remove them with tr -d '\\r'", look.put_before("tr -d '\\r'", false)))
}

/// A stage gives something else because of the carriage returns in what it reads: where it only passes
/// lines on, or adds up numbers, it does not.
fn minds(look: &Look<'_>) -> bool {
    let has = |line: &&Bytes| line.last() == Some(&b'\r');
    let lines: Vec<Bytes> =
        look.text_inputs().flat_map(|input| input.kept.lines_at(0, 100)).collect();
    let Some(with) = lines.iter().find(has) else { return false };
    let mixed = || !lines.iter().all(|line| has(&line));
    let Some(arguments) = &look.arguments else {
        // A loop of read has them in its variables.
        return matches!(look.stage.plan.kind, engine::StageKind::Shell(_));
    };
    match look.stage.name.as_str() {
        "cut" => match arguments.last('d') {
            _ if !arguments.has('f') => arguments.has('c') || arguments.has('b'),
            given => {
                let byte = given.map_or(b'\t', |given| *given.value.first().unwrap_or(&b'\t'));
                used_fields(look).has(field_count(with, Some(byte)))
            }
        },
        "awk" => awk_program(look).is_none_or(|program| {
            let delimiter = match arguments.last('F').map(|given| &given.value[..]) {
                Some([byte]) if *byte != b' ' => Some(*byte),
                _ => None,
            };
            let last = field_count(with, delimiter);
            let counted = format!("+= ${last}");
            let program = program.replace("+=$", "+= $").replace(&counted, "");
            let names_all = program.contains("$NF") || program.contains("length");
            let only = match used_fields(look) {
                Used::All => names_all,
                _ => program.contains(&format!("${last}")),
            };
            only && program.contains('$') || names_all
        }),
        "grep" => {
            let ends = |text: &[u8]| text.ends_with(b"$") && !text.ends_with(b"\\$");
            arguments.has('x') || grep_pattern(look).is_some_and(|pattern| ends(&pattern.text))
        }
        "sed" => {
            let program = arguments.operands.first().map(|given| &given.value[..]);
            program.is_some_and(|program| program.windows(2).any(|two| two == b"$/"))
        }
        "comm" | "join" | "uniq" => mixed(),
        "sort" => arguments.has('u') && mixed(),
        "paste" | "xargs" => true,
        _ => false,
    }
}
