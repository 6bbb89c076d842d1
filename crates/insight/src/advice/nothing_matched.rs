//! A pattern that finds nothing, where one near it does.

use filters::OptionId;
use pattern::{Options, Pattern, Syntax};

use super::about::About;
use super::look::{Look, remove, replace};
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use crate::describe::units::lines;
use crate::edit::stages::TextEdit;
use shell::Span;

pub(super) const ABOUT: About = About {
    kind: NoteKind::NothingMatched,
    basis: Basis::Data,
    when: "grep keeps nothing, but the pattern would find lines in another case, as extended \
           syntax, taken literally, or without what it is tied to",
    example: "grep REFUSED gate.log",
    proof: Proof::Cures,
    searches: true,
    find: |look| find(look).into_iter().collect(),
};

/// A pattern of a grep stage, as it is written.
pub(super) struct GrepPattern {
    pub(super) text: Vec<u8>,
    pub(super) syntax: Syntax,
    pub(super) options: Options,
    /// The argument it is.
    pub(super) word: usize,
}

/// The one pattern of a grep stage; `None` where there are several, or files of them.
pub(super) fn grep_pattern(look: &Look<'_>) -> Option<GrepPattern> {
    let arguments = look.arguments_of("grep")?;
    if arguments.has('f') || arguments.all('e').count() > 1 {
        return None;
    }
    let (text, word) = match arguments.last('e') {
        Some(given) => (given.value.clone(), given.word),
        None => arguments.operands.first().map(|one| (one.value.clone(), one.word))?,
    };
    let last = arguments.options.iter().rev().find(|given| given.is_one_of("GEFP"));
    let syntax = match last.map(|given| given.id) {
        Some(OptionId::Letter('E')) => Syntax::Extended,
        Some(OptionId::Letter('F')) => Syntax::Fixed,
        Some(OptionId::Letter('P')) => Syntax::Perl,
        _ => Syntax::Basic,
    };
    let options = Options {
        ignore_case: arguments.has('i') || arguments.has('y'),
        whole_word: arguments.has('w'),
        whole_line: arguments.has('x'),
        ..Options::default()
    };
    Some(GrepPattern { text, syntax, options, word })
}

/// How many of the lines a pattern finds; `None` where it is no pattern.
pub(super) fn found(
    look: &Look<'_>,
    text: &[u8],
    syntax: Syntax,
    options: Options,
) -> Option<usize> {
    let pattern = Pattern::new(&[text], syntax, options).ok()?;
    Some(look.lines().iter().filter(|line| pattern.is_match(line).unwrap_or(false)).count())
}

/// A change of a pattern, and what it is called.
struct Variant {
    what: &'static str,
    label: String,
    text: Vec<u8>,
    syntax: Syntax,
    options: Options,
    edits: Vec<TextEdit>,
}

fn find(look: &Look<'_>) -> Option<Note> {
    let arguments = look.arguments_of("grep")?;
    if arguments.has('v') || look.stage.input_lines() == 0 {
        return None;
    }
    let kept_none =
        if arguments.has('c') { look.stage.status.0 == 1 } else { look.stage.out.bytes() == 0 };
    if !kept_none || (arguments.has('q') && look.stage.status.0 != 1) {
        return None;
    }
    let pattern = grep_pattern(look)?;
    // Of data that is not text nothing is shown, though it matches.
    if found(look, &pattern.text, pattern.syntax, pattern.options)? > 0 {
        return None;
    }
    let variants = variants(look, &pattern);
    let tried = variants.into_iter().filter_map(|variant| {
        let count = found(look, &variant.text, variant.syntax, variant.options)?;
        (count > 0).then_some((count, variant))
    });
    let (count, variant) = tried.into_iter().next()?;
    let text = format!(
        "no line matches; {}{} {} {}",
        lines(count as u64),
        look.within(),
        if count == 1 { "does" } else { "do" },
        variant.what
    );
    let place = look.place(pattern.word);
    let note = look.note_at(NoteKind::NothingMatched, Severity::Warning, place, text);
    Some(note.with(variant.label, variant.edits))
}

/// Notes a pattern near another one: what it finds lines as, what the change is called, the text.
type Add<'a> = dyn FnMut(&'static str, &str, &[u8], Syntax, Options, Vec<TextEdit>) + 'a;

/// Patterns near this one, the likely ones first.
fn variants(look: &Look<'_>, pattern: &GrepPattern) -> Vec<Variant> {
    let GrepPattern { text, syntax, options, word } = pattern;
    let mut all = Vec::new();
    let mut add = |what, label: &str, text: &[u8], syntax: Syntax, options: Options, edits| {
        let (label, text) = (label.to_owned(), text.to_vec());
        all.push(Variant { what, label, text, syntax, options, edits });
    };
    let place = look.place(*word);
    if !options.ignore_case {
        let either = Options { ignore_case: true, ..*options };
        add(
            "in another case",
            "ignore case with -i",
            text,
            *syntax,
            either,
            look.with_option("-i"),
        );
    }
    // The option that says how the pattern is written, exchanged or added.
    let as_option = |letter: char| {
        let arguments = look.arguments.as_ref();
        let old = arguments.and_then(|arguments| {
            arguments.options.iter().rev().find(|given| given.is_one_of("GEFP"))
        });
        match old.and_then(|old| look.span_of(old.word).map(|span| (old, span))) {
            None => look.with_option(&format!("-{letter}")),
            Some((old, span)) => {
                let changed =
                    look.source(span).replacen(|one| old.id == one, &letter.to_string(), 1);
                replace(span, changed)
            }
        }
    };
    if *syntax == Syntax::Basic && text.iter().any(|byte| b"+?|(){}".contains(byte)) {
        let label = "read it as extended syntax with -E";
        add("as extended syntax", label, text, Syntax::Extended, *options, as_option('E'));
    }
    if *syntax != Syntax::Fixed && text.iter().any(|byte| b".*[]^$\\+?|(){}".contains(byte)) {
        let label = "take it literally with -F";
        add("with the text taken literally", label, text, Syntax::Fixed, *options, as_option('F'));
    }
    if *syntax == Syntax::Fixed && text.iter().any(|byte| b".*[^$\\".contains(byte)) {
        let edits = as_option('E');
        add(
            "as a pattern",
            "read it as a pattern with -E",
            text,
            Syntax::Extended,
            *options,
            edits,
        );
    }
    let without = |letter: char| -> Option<Vec<TextEdit>> {
        let arguments = look.arguments.as_ref()?;
        let given = arguments.last(letter)?;
        let span = look.span_of(given.word)?;
        let own = look.source(span);
        if own == format!("-{letter}") {
            return Some(vec![remove(Span::new(span.start - 1, span.end))]);
        }
        let bare = own.starts_with('-') && !own.starts_with("--");
        bare.then(|| replace(span, own.replacen(letter, "", 1)))
    };
    if options.whole_line
        && let Some(edits) = without('x')
    {
        let free = Options { whole_line: false, ..*options };
        add("as a part of the line", "leave -x out", text, *syntax, free, edits);
    }
    if options.whole_word
        && let Some(edits) = without('w')
    {
        let free = Options { whole_word: false, ..*options };
        add("within words", "leave -w out", text, *syntax, free, edits);
    }
    untied(look, pattern, &mut add);
    let trimmed = text.trim_ascii();
    if trimmed.len() < text.len() && !trimmed.is_empty() && look.is_literal(*word) {
        let bare = shell::quote(&String::from_utf8_lossy(trimmed));
        let edits = replace(place, bare);
        let label = "leave the blanks around it out";
        add("without the blanks around it", label, trimmed, *syntax, *options, edits);
    }
    all
}

/// The pattern without what ties it to the ends of the line.
fn untied(look: &Look<'_>, pattern: &GrepPattern, add: &mut Add<'_>) {
    let GrepPattern { text, syntax, options, word } = pattern;
    let place = look.place(*word);
    if *syntax != Syntax::Fixed && look.is_literal(*word) {
        let source = look.source(place);
        if let Some(rest) = text.strip_prefix(b"^")
            && let Some(at) = source.find('^')
        {
            let at = place.start + at;
            let edits = vec![remove(Span::new(at, at + 1))];
            add("elsewhere in the line", "leave ^ out", rest, *syntax, *options, edits);
        }
        if let Some(rest) = text.strip_suffix(b"$")
            && let Some(at) = source.rfind('$')
        {
            let at = place.start + at;
            let mut with_return = rest.to_vec();
            with_return.push(b'\r');
            // Before a carriage return the line has not ended yet.
            let edits = look.put_before("tr -d '\\r'", false).unwrap_or_default();
            let label = "remove the carriage returns";
            add("before a carriage return", label, &with_return, *syntax, *options, edits);
            let edits = vec![remove(Span::new(at, at + 1))];
            add("elsewhere in the line", "leave $ out", rest, *syntax, *options, edits);
        }
    }
}
