//! Two stages that one can do, and one that a simpler one can do.

use super::super::about::About;
use super::super::field_missing::awk_program;
use super::super::look::{Look, remove, replace};
use super::super::note::{Basis, Note, NoteKind, Proof};
use super::super::nothing_matched::grep_pattern;
use super::shape::{is_almost_simple, is_simple, next_words, rewrite};
use crate::edit::stages::move_stage;
use filters::OptionId;
use pattern::Syntax;
use shell::Span;

pub(in super::super) const TWO_IN_ONE: About = About {
    kind: NoteKind::TwoInOne,
    basis: Basis::Cost,
    when: "two greps drop lines, or two seds change them, one after the other",
    example: "grep -v refused gate.log | grep -v stuck",
    proof: Proof::Faster,
    searches: false,
    find: |look| two_in_one(look).into_iter().collect(),
};

pub(in super::super) const GREP_AND_COLUMN: About = About {
    kind: NoteKind::GrepAndColumn,
    basis: Basis::Cost,
    when: "grep selects the lines of which awk prints fields, which awk does alone",
    example: "grep refused gate.log | awk '{print $3}'",
    proof: Proof::Faster,
    searches: false,
    find: |look| grep_and_column(look).into_iter().collect(),
};

pub(in super::super) const SIMPLER_THAN_AWK: About = About {
    kind: NoteKind::SimplerThanAwk,
    basis: Basis::Cost,
    when: "awk prints one field between single delimiters, which cut does faster",
    example: "awk -F, '{print $2}' cabins.csv",
    proof: Proof::Faster,
    searches: false,
    find: |look| simpler_than_awk(look).into_iter().collect(),
};

pub(in super::super) const EARLY_HEAD: About = About {
    kind: NoteKind::EarlyHead,
    basis: Basis::Cost,
    when: "all lines are changed one by one, of which head takes the first few",
    example: "rev gate.log | tac | sed 's/^/> /' | tail -n 5",
    proof: Proof::Faster,
    searches: false,
    find: |look| early_head(look).into_iter().collect(),
};

/// The word that is the pattern or program of a stage, as it is written.
fn operand(look: &Look<'_>) -> Option<String> {
    let operand = look.arguments.as_ref()?.operands.first()?;
    Some(look.source(look.span_of(operand.word)?).to_owned())
}

fn two_in_one(look: &Look<'_>) -> Option<Note> {
    let next = look.after().filter(is_almost_simple)?;
    if !is_simple(look) || look.stage.name != next.stage.name {
        return None;
    }
    let (one, other) = (look.arguments.as_ref()?, next.arguments.as_ref()?);
    let letters = |arguments: &filters::Arguments| {
        let mut letters: Vec<OptionId> = arguments.options.iter().map(|given| given.id).collect();
        letters.sort_unstable();
        letters
    };
    let same = letters(one) == letters(other);
    if !same || other.operands.len() != 1 || one.operands.is_empty() {
        return None;
    }
    let allowed = match look.stage.name.as_str() {
        "grep" => one.has('v') && one.options.iter().all(|given| given.is_one_of("viEFwx")),
        "sed" => one.options.iter().all(|given| given.id == 'E'),
        _ => return None,
    };
    if !allowed {
        return None;
    }
    let (first, second) = (operand(look)?, operand(&next)?);
    let place = look.span_of(one.operands.first()?.word)?;
    let mut edits = replace(place, format!("-e {first} -e {second}"));
    edits.push(remove(next_words(look, &next)?));
    let name = &look.stage.name;
    let text =
        format!("one {name} does what stages {} and {} do", look.number + 1, look.number + 2);
    let label = format!("one {name} with both");
    // Of binary data grep shows a message in the place of lines, which the next one then reads.
    Some(rewrite(look, NoteKind::TwoInOne, text, label, edits, None))
}

/// A pattern as awk writes it; `None` where the two may read it differently.
fn as_awk(look: &Look<'_>) -> Option<String> {
    let one = grep_pattern(look)?;
    let text = std::str::from_utf8(&one.text).ok()?;
    let special = match one.syntax {
        Syntax::Basic => "\\+?|(){}/*[].^$",
        Syntax::Extended => "\\{}/",
        Syntax::Fixed => "\\+?|(){}/*[].^$",
        Syntax::Perl | Syntax::Awk => return None,
    };
    // Anchors at their ends and dots are the same in both.
    let inner = text.strip_prefix('^').unwrap_or(text);
    let inner = inner.strip_suffix('$').unwrap_or(inner);
    let fixed = one.syntax == Syntax::Fixed;
    let checked = if fixed { text } else { inner };
    let odd = checked.chars().any(|c| special.contains(c) && (c != '.' || fixed));
    (!odd && !text.is_empty()).then(|| text.to_owned())
}

fn grep_and_column(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("grep")?;
    if arguments.options.iter().any(|given| !given.is_one_of("vEFe")) || !is_simple(look) {
        return None;
    }
    let next = look.after().filter(is_almost_simple)?;
    let awk = next.arguments_of("awk")?;
    if awk.operands.len() != 1 {
        return None;
    }
    let program = awk_program(&next)?;
    let body = program.trim();
    // One rule for every line, and nothing else.
    if !body.starts_with('{') || body.matches('{').count() != 1 || !body.ends_with('}') {
        return None;
    }
    if ["NR", "getline", "$0 ="].iter().any(|word| body.contains(word)) {
        return None;
    }
    let pattern = as_awk(look)?;
    let not = if arguments.has('v') { "!" } else { "" };
    let place = next.span_of(awk.operands.first()?.word)?;
    let quoted = shell::quote(&format!("{not}/{pattern}/ {body}"));
    let files: Vec<&str> = look
        .file_words()
        .into_iter()
        .filter_map(|word| look.span_of(word).map(|span| look.source(span)))
        .collect();
    let files: String = files.iter().map(|file| format!(" {file}")).collect();
    if look.file_words().len() > 1 {
        return None;
    }
    let edits = vec![
        remove(Span::new(look.stage.span.start, next.words_span()?.start)),
        crate::edit::stages::TextEdit { span: place, text: format!("{quoted}{files}") },
    ];
    let text = "grep is not needed: awk selects the lines itself";
    Some(rewrite(look, NoteKind::GrepAndColumn, text, "let awk select", edits, None))
}

fn simpler_than_awk(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("awk")?;
    if !is_almost_simple(look) || arguments.options.iter().any(|given| given.id != 'F') {
        return None;
    }
    let program = awk_program(look)?;
    let body: String = program.split_whitespace().collect::<Vec<_>>().join(" ");
    let delimiter = arguments.last('F')?;
    let [byte] = delimiter.value[..] else { return None };
    if byte == b' '
        || byte == b't'
        || !byte.is_ascii_punctuation()
        || b"\\^$.[|()*+?{".contains(&byte)
    {
        return None;
    }
    let field = body.strip_prefix('{')?.strip_suffix('}')?.trim();
    let field = field.trim_end_matches(';').strip_prefix("print $")?;
    let field: usize = field.trim().parse().ok()?;
    if field == 0 {
        return None;
    }
    let start = look.name_end() - look.stage.name.len();
    let end = look.span_of(arguments.operands.first()?.word)?.end;
    let quoted = shell::quote(&char::from(byte).to_string());
    let edits = replace(Span::new(start, end), format!("cut -d{quoted} -f{field}"));
    let text = format!("cut takes field {field} as well, and does less");
    Some(rewrite(look, NoteKind::SimplerThanAwk, text, "use cut", edits, None))
}

/// A stage that makes one line of each line by itself.
fn one_to_one(look: &Look<'_>) -> bool {
    let Some(arguments) = &look.arguments else { return false };
    match look.stage.name.as_str() {
        "cut" => !arguments.has('s') && !arguments.has('z'),
        "rev" | "expand" | "unexpand" => true,
        "sed" => {
            let program = arguments.operands.first().map(|one| &one.value[..]);
            let program = program.unwrap_or_default();
            let one =
                program.starts_with(b"s") && !program.contains(&b'\n') && !program.contains(&b';');
            arguments.options.iter().all(|given| given.id == 'E') && one
        }
        "tr" => {
            arguments.operands.iter().all(|one| {
                one.value.iter().all(|byte| byte.is_ascii_alphanumeric() || *byte == b'-')
            }) && !arguments.has('c')
                && !arguments.has('C')
                && !arguments.has('d')
                && !arguments.has('s')
        }
        _ => false,
    }
}

fn early_head(look: &Look<'_>) -> Option<Note> {
    if !one_to_one(look) || !is_simple(look) || look.file_words().len() > 1 {
        return None;
    }
    let next = look.after().filter(is_simple)?;
    let arguments = next.arguments.as_ref()?;
    if !matches!(next.stage.name.as_str(), "head" | "tail") || !arguments.operands.is_empty() {
        return None;
    }
    if arguments.options.iter().any(|given| given.id != 'n') {
        return None;
    }
    let edits = move_stage(look.text(), look.stage.span.start, look.number).ok()?;
    let (name, taken) = (&look.stage.name, &next.stage.name);
    if next.stage.out.lines() * 2 > look.stage.out.lines() {
        return None;
    }
    let text = format!("{name} changes lines that {taken} then leaves out: it can come after it");
    let label = format!("put {taken} before {name}");
    Some(rewrite(look, NoteKind::EarlyHead, text, label, edits, None))
}
