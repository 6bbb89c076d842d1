//! What the data is as text: compressed, no newline at the end, NUL, not UTF-8, empty lines.

use super::about::About;
use super::compressed_form::{CompressedForm, compressed_form, is_codec};
use super::look::{Look, insert};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::nothing_matched::grep_pattern;
use super::seen::Tally;
use crate::describe::units::lines;

pub(super) const COMPRESSED: About = About {
    kind: NoteKind::Compressed,
    basis: Basis::Data,
    when: "what is read is compressed",
    example: "printf '\\037\\213\\010\\000' | grep -a refused",
    proof: Proof::Cures,
    searches: false,
    find: |look| compressed(look).into_iter().collect(),
};

pub(super) const BLANK_LINES: About = About {
    kind: NoteKind::BlankLines,
    basis: Basis::Data,
    when: "empty lines are ordered and counted with the others",
    example: "printf 'gate-02\\n\\n\\ngate-07\\n' | sort | uniq -c",
    proof: Proof::Cures,
    searches: false,
    find: |look| blank_lines(look).into_iter().collect(),
};

pub(super) const NO_FINAL_NEWLINE: About = About {
    kind: NoteKind::NoFinalNewline,
    basis: Basis::Data,
    when: "the last line has no newline, and wc -l, read or the next file miss it",
    example: "printf 'one\\ntwo' | wc -l",
    proof: Proof::Cures,
    searches: false,
    find: |look| no_final_newline(look).into_iter().collect(),
};

pub(super) const NUL_BYTES: About = About {
    kind: NoteKind::NulBytes,
    basis: Basis::Data,
    when: "the data has NUL bytes, so grep takes it for binary and shows no lines",
    example: "printf 'refused\\0\\n' | grep refused",
    proof: Proof::Cures,
    searches: false,
    find: |look| nul_bytes(look).into_iter().collect(),
};

pub(super) const INVALID_TEXT: About = About {
    kind: NoteKind::InvalidText,
    basis: Basis::Data,
    when: "bytes that are not UTF-8 are no characters for a stage that counts or changes characters",
    example: "printf 'caf\\351\\n' | cut -c1-4",
    proof: Proof::Cures,
    searches: false,
    find: |look| invalid_text(look).into_iter().collect(),
};

fn compressed(look: &Look<'_>) -> Option<Note> {
    // These only count or pass bytes on.
    const ANY_BYTES: [&str; 9] =
        ["cat", "wc", "od", "cksum", "md5sum", "sha256sum", "tee", "head", "tail"];
    let stage = look.stage.name.as_str();
    if ANY_BYTES.contains(&stage) || is_codec(stage) || look.arguments.is_none() {
        return None;
    }
    let mut inputs = look.stage.inputs.iter();
    let (input, form) = inputs.find_map(|input| Some((input, compressed_form(&input.kept)?)))?;
    let CompressedForm { name: form, reader, .. } = form;
    let name = match &input.name {
        stream::InputName::File(name) => String::from_utf8_lossy(name).into_owned(),
        stream::InputName::Standard => "the data".to_owned(),
    };
    let text = format!("{name} is compressed ({form}): {reader} makes text of it");
    let note = look.note(NoteKind::Compressed, Severity::Warning, text);
    // Of the other forms there is no filter that could be tried.
    if !is_codec(reader) {
        return Some(note);
    }
    let by_name = *reader != "zcat" || filters::Form::Gzip.has_suffix(name.as_bytes());
    Some(match look.put_before(reader, by_name) {
        Some(edits) => note.with(format!("read it with {reader}"), edits),
        None => note,
    })
}

fn blank_lines(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments.as_ref()?;
    if !look.is("sort") || arguments.has('z') {
        return None;
    }
    let after = look.after();
    let counted = after.as_ref().is_some_and(|after| {
        after.arguments_of("uniq").is_some_and(|arguments| arguments.has('c') || arguments.has('d'))
    });
    if !counted && !arguments.has('u') {
        return None;
    }
    let empty = look.lines().tally(<[u8]>::is_empty)?.count;
    if empty < 2 {
        return None;
    }
    let text =
        format!("{} empty and count as one more value", look.part_said(empty as u64, "are", "is"));
    let note = look.note(NoteKind::BlankLines, Severity::Hint, text);
    let all_files = look.file_words().is_empty();
    let edits = look.put_before("grep .", true).filter(|_| all_files);
    Some(note.with_maybe("drop them with grep .", edits))
}

fn no_final_newline(look: &Look<'_>) -> Option<Note> {
    let inputs = &look.stage.inputs;
    let open = |number: usize| {
        inputs.get(number).is_some_and(|input| {
            input.kept.ends_open()
                && compressed_form(&input.kept).is_none()
                && input.sampled.as_ref().is_none_or(|one| one.complete)
        })
    };
    if let Some(arguments) = look.arguments_of("wc") {
        if !arguments.has('l') || !(0..inputs.len()).any(open) {
            return None;
        }
        let text = "the last line has no newline and is not counted";
        return Some(look.note(NoteKind::NoFinalNewline, Severity::Warning, text));
    }
    if look.is("cat") && inputs.len() > 1 {
        let at = (0..inputs.len() - 1)
            .find(|&number| open(number) && inputs[number + 1].kept.bytes() > 0)?;
        let name = match &inputs[at].name {
            stream::InputName::File(name) => String::from_utf8_lossy(name).into_owned(),
            stream::InputName::Standard => "standard input".to_owned(),
        };
        let text =
            format!("{name} has no newline at its end: its last line is joined with the next file");
        return Some(look.note(NoteKind::NoFinalNewline, Severity::Warning, text));
    }
    // A loop of read leaves when read finds no newline.
    let command = look.command?;
    let reads = matches!(command.compound.as_deref(), Some(shell::Compound::Loop { until: false, condition, .. })
        if condition.items.iter().flat_map(shell::Item::pipelines).any(|one| one.commands.first().is_some_and(|command| {
            command.name().as_deref() == Some("read")
        })) && condition.items.len() == 1);
    if !reads {
        return None;
    }
    let before = look.number.checked_sub(1).and_then(|at| look.preview.stages.get(at));
    let open = (0..inputs.len()).any(open) || before.is_some_and(|before| before.out.ends_open());
    open.then(|| {
        let text = "the last line has no newline: read ends the loop before it is used";
        look.note(NoteKind::NoFinalNewline, Severity::Warning, text)
    })
}

fn nul_bytes(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("grep")?;
    if "aczqlL".chars().any(|option| arguments.has(option)) {
        return None;
    }
    let of = look
        .stage
        .inputs
        .iter()
        .filter(|input| memchr::memchr(0, &input.kept.bytes_at(0, 1 << 15)).is_some());
    let count = of.count();
    if count == 0 || grep_pattern(look).is_none() || compressed(look).is_some() {
        return None;
    }
    let with_nul = look.lines().iter().filter(|line| memchr::memchr(0, line).is_some()).count();
    let text = format!(
        "{}{} with NUL bytes: grep takes this for binary data and does not show all lines",
        lines(with_nul as u64),
        look.within()
    );
    let note = look.note(NoteKind::NulBytes, Severity::Warning, text);
    Some(note.with("take it as text with -a", look.with_option("-a")))
}

fn invalid_text(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments.as_ref()?;
    let counts = match look.stage.name.as_str() {
        "cut" => arguments.has('c'),
        "wc" => arguments.has('m'),
        "sed" | "awk" | "fold" | "rev" => true,
        "grep" => !arguments.has('a') && !arguments.has('F'),
        _ => false,
    };
    if !counts || look.is_bytewise() {
        return None;
    }
    let invalid = |line: &[u8]| std::str::from_utf8(line).is_err();
    if !look.some(invalid) {
        return None;
    }
    let all = look.lines();
    if memchr::memchr(0, all.text()).is_some() {
        return None;
    }
    let Tally { first, count } = all.tally(invalid)?;
    let text = format!(
        "{} not UTF-8, the first is line {}: odd bytes there are not characters",
        look.part_said(count as u64, "are", "is"),
        look.line_said(first as u64)
    );
    let note = look.note(NoteKind::InvalidText, Severity::Warning, text);
    Some(
        note.with(
            "take bytes as characters with LC_ALL=C",
            insert(look.stage.span.start, "LC_ALL=C "),
        ),
    )
}
