//! Orders that cost more than they have to.

use super::super::about::About;
use super::super::look::{Look, remove, replace};
use super::super::note::{Basis, Note, NoteKind, Proof};
use super::always;
use super::shape::{is_almost_simple, is_simple, next_words, rewrite};
use crate::edit::stages::move_stage;
use shell::Span;

pub(in super::super) const SORT_UNIQ: About = About {
    kind: NoteKind::SortUniq,
    basis: Basis::Cost,
    when: "uniq removes the repeats that sort -u removes by itself",
    example: "cut -d' ' -f3 gate.log | sort | uniq",
    proof: Proof::Same,
    searches: false,
    find: |look| sort_uniq(look).into_iter().collect(),
};

pub(in super::super) const SORT_UNIQUE_KEY: About = About {
    kind: NoteKind::SortUniqueKey,
    basis: Basis::Cost,
    when: "awk leaves one line of each key after sort by that key, which sort -u does",
    example: "printf 'gate-02 north\\ngate-07 south\\ngate-09 north\\n' | sort -k2,2 | awk '!seen[$2]++'",
    proof: Proof::Same,
    searches: false,
    find: |look| sort_unique_key(look).into_iter().collect(),
};

pub(in super::super) const LATE_FILTER: About = About {
    kind: NoteKind::LateFilter,
    basis: Basis::Cost,
    when: "lines are ordered first and dropped after that",
    example: "sort -k3 gate.log | grep refused | head -n 20",
    proof: Proof::Faster,
    searches: false,
    find: |look| late_filter(look).into_iter().collect(),
};

pub(in super::super) const UNDONE_ORDER: About = About {
    kind: NoteKind::UndoneOrder,
    basis: Basis::Cost,
    when: "lines are ordered for a stage that does not need it, or orders them again",
    example: "cut -d' ' -f3 gate.log | sort | sort -r",
    proof: Proof::Same,
    searches: false,
    find: |look| undone_order(look).into_iter().collect(),
};

fn has_any(look: &Look<'_>, options: &str) -> bool {
    look.arguments.as_ref().is_none_or(|arguments| options.chars().any(|one| arguments.has(one)))
}

fn sort_uniq(look: &Look<'_>) -> Option<Note> {
    look.arguments_of("sort")?;
    if has_any(look, "ucCmoz") || !is_simple(look) {
        return None;
    }
    let next = look.after().filter(is_almost_simple)?;
    let arguments = next.arguments_of("uniq")?;
    if !arguments.options.is_empty() || !arguments.operands.is_empty() {
        return None;
    }
    let mut edits = look.with_option("-u");
    edits.push(remove(next_words(look, &next)?));
    let text = "uniq is not needed: sort -u leaves each line once";
    // Other orders may take different lines for equal.
    let always = always::orders_whole_lines(look)
        .then_some("without keys only lines that are the same, byte for byte, are equal for sort");
    Some(rewrite(look, NoteKind::SortUniq, text, "sort -u does both", edits, always))
}

fn sort_unique_key(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("sort")?;
    if has_any(look, "ucCmoz") || !is_simple(look) {
        return None;
    }
    let mut keys = arguments.all('k');
    let key = String::from_utf8_lossy(&keys.next()?.value).into_owned();
    if keys.next().is_some() {
        return None;
    }
    let field = key.split_once(',').filter(|(from, to)| from == to)?.0.to_owned();
    let next = look.after().filter(is_almost_simple)?;
    let program = super::super::field_missing::awk_program(&next)?;
    let name: String = program
        .trim()
        .strip_prefix('!')?
        .chars()
        .take_while(|c| c.is_ascii_alphanumeric() || *c == '_')
        .collect();
    if program.trim() != format!("!{name}[${field}]++") {
        return None;
    }
    let mut edits = look.with_option("-u");
    edits.push(remove(next_words(look, &next)?));
    let text = "awk is not needed: sort -u leaves one line of each key";
    Some(rewrite(look, NoteKind::SortUniqueKey, text, "sort -u does both", edits, None))
}

/// A stage that keeps or drops each line by what is in it, and says nothing of its place.
fn selects(look: &Look<'_>) -> bool {
    match look.stage.name.as_str() {
        "grep" => !has_any(look, "cnbmqlLoABCHrRz"),
        "awk" => {
            let program = super::super::field_missing::awk_program(look).unwrap_or_default();
            let program = program.trim();
            let places =
                ["NR", "FNR", "getline", "=", "++", "--", "BEGIN", "END", "{", "rand", ","];
            let rest =
                program.replace("==", "").replace("!=", "").replace(">=", "").replace("<=", "");
            look.is("awk") && !places.iter().any(|word| rest.contains(word))
        }
        _ => false,
    }
}

fn late_filter(look: &Look<'_>) -> Option<Note> {
    look.arguments_of("sort")?;
    if has_any(look, "ucCmozR") || !is_simple(look) {
        return None;
    }
    let next = look.after().filter(|next| selects(next) && is_simple(next))?;
    let edits = move_stage(look.text(), look.stage.span.start, look.number).ok()?;
    let (lines, kept) = (look.stage.out.lines(), next.stage.out.lines());
    if kept * 10 > lines * 9 {
        return None;
    }
    let text = format!(
        "{} drops lines that sort has ordered first: it can stand before it",
        next.stage.name
    );
    let label = format!("put {} before sort", next.stage.name);
    // The last stage's status is that of the line.
    let always = (next.after().is_some() && always::selects_anywhere(look, &next))
        .then_some("a line is kept or dropped by itself, wherever it stands");
    Some(rewrite(look, NoteKind::LateFilter, text, label, edits, always))
}

fn undone_order(look: &Look<'_>) -> Option<Note> {
    look.arguments_of("sort")?;
    if has_any(look, "ucCmoz") || !is_simple(look) {
        return None;
    }
    let next = look.after()?;
    let (what, always) = match next.stage.name.as_str() {
        "sort" if !has_any(&next, "sucCmoz") => (
            "the next sort orders the lines again",
            always::orders_anew(&next).then_some(
                "sort without -s orders equal keys by the whole line, so what was before is not seen",
            ),
        ),
        // A newline that was missing at the end is counted after sort.
        "wc" => ("wc counts the same in any order", None),
        "grep" if next.arguments_of("grep").is_some_and(|one| one.has('c') && !one.has('m')) => (
            "grep -c counts the same in any order",
            always::only_counts(&next)
                .then_some("each line is looked at by itself and only counted"),
        ),
        _ => return None,
    };
    let text = format!("this order is not needed: {what}");
    let words = next.words_span()?;
    let start = look.stage.span.start;
    let edits = match look.file_words()[..] {
        [] => vec![remove(Span::new(start, words.start))],
        [file] => {
            let name = look.source(look.span_of(file)?);
            let mut edits = vec![remove(Span::new(start, words.start))];
            edits.extend(super::super::look::insert(words.end, &format!(" < {name}")));
            edits
        }
        _ => {
            let name = Span::new(look.name_end() - look.stage.name.len(), look.name_end());
            if !look.arguments.as_ref()?.options.is_empty() {
                return None;
            }
            replace(name, "cat")
        }
    };
    let always = always.filter(|_| always::reads_one_file(look) && look.stage.status.0 == 0);
    Some(rewrite(look, NoteKind::UndoneOrder, text, "leave the first sort out", edits, always))
}
