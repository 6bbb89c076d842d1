//! Stages that pass data on, or count it, where another one can.

use super::super::about::About;
use super::super::look::{Look, insert, remove};
use super::super::note::{Basis, Note, NoteKind, Proof};
use super::always::{ends_with_the_file, reads_a_file_as_a_pipe};
use super::shape::{is_almost_simple, is_simple, next_words, rewrite};
use shell::Span;

pub(in super::super) const NEEDLESS_CAT: About = About {
    kind: NoteKind::NeedlessCat,
    basis: Basis::Cost,
    when: "cat passes one file on to a stage that can read it",
    example: "cat gate.log | grep -c refused",
    proof: Proof::Same,
    searches: false,
    find: |look| needless_cat(look).into_iter().collect(),
};

pub(in super::super) const COUNT_BY_WC: About = About {
    kind: NoteKind::CountByWc,
    basis: Basis::Cost,
    when: "wc -l counts the lines that grep keeps, which grep -c does",
    example: "grep refused gate.log | wc -l",
    proof: Proof::Same,
    searches: false,
    find: |look| count_by_wc(look).into_iter().collect(),
};

fn needless_cat(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("cat")?;
    let [file] = &arguments.operands[..] else { return None };
    if !arguments.options.is_empty() || !is_simple(look) || file.value == b"-" {
        return None;
    }
    let next = look.after().filter(is_almost_simple)?;
    next.arguments.as_ref()?;
    if !ends_with_the_file(&next) {
        return None;
    }
    let name = look.source(look.span_of(file.word)?);
    let words = next.words_span()?;
    let mut edits = vec![remove(Span::new(look.stage.span.start, words.start))];
    edits.extend(insert(words.end, &format!(" < {name}")));
    let text = format!("cat is not needed: {} can read {name} itself", next.stage.name);
    let always = "the next stage reads the same bytes, from the file itself";
    // Where the file cannot be read, the status is another one.
    let always = (look.stage.status.0 == 0 && reads_a_file_as_a_pipe(&next)).then_some(always);
    Some(rewrite(look, NoteKind::NeedlessCat, text, "leave cat out", edits, always))
}

fn count_by_wc(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("grep")?;
    if "clLqorRABCsz".chars().any(|option| arguments.has(option)) || !is_almost_simple(look) {
        return None;
    }
    if !look.is_plain() && look.stage.plan.targets.iter().any(|target| target.descriptor != 0) {
        return None;
    }
    let next = look.after().filter(is_almost_simple)?;
    let counting = next.arguments_of("wc")?;
    let only_lines = counting.options.len() == 1 && counting.has('l');
    if !only_lines || !counting.operands.is_empty() || look.stage.inputs.len() > 1 {
        return None;
    }
    let mut edits = look.with_option("-c");
    edits.push(if look.is_plain() {
        remove(next_words(look, &next)?)
    } else {
        remove(Span::new(look.stage.span.end, next.words_span()?.end))
    });
    let text = "wc is not needed: grep -c counts the lines it keeps";
    // Without a match grep ends with status 1, wc with 0.
    Some(rewrite(look, NoteKind::CountByWc, text, "count with grep -c", edits, None))
}
