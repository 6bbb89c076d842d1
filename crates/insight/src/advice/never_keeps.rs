//! A stage that can keep nothing after the one before it.

use super::about::About;
use super::look::Look;
use super::note::{Basis, Note, NoteKind, Proof, Severity};
use super::nothing_matched::grep_pattern;
use pattern::Syntax;

pub(super) const ABOUT: About = About {
    kind: NoteKind::NeverKeeps,
    basis: Basis::Line,
    when: "a stage can keep nothing of what the stage before it lets through",
    example: "grep -v refused gate.log | grep refused",
    proof: Proof::Cures,
    searches: false,
    find: |look| find(look).into_iter().collect(),
};

fn find(look: &Look<'_>) -> Option<Note> {
    let before = look.before()?;
    if look.stage.out.bytes() > 0 {
        return None;
    }
    let why = opposite(&before, look)
        .or_else(|| beyond(&before, look))
        .or_else(|| other_case(&before, look))
        .or_else(|| once_each(&before, look))?;
    let text = format!("keeps nothing, whatever the data: stage {} {why}", look.number);
    Some(look.note(NoteKind::NeverKeeps, Severity::Warning, text))
}

/// One drops exactly what the other one keeps.
fn opposite(before: &Look<'_>, look: &Look<'_>) -> Option<String> {
    let (one, other) = (grep_pattern(before)?, grep_pattern(look)?);
    let plain = |look: &Look<'_>| {
        let arguments = look.arguments.as_ref();
        arguments.is_some_and(|one| !"oclLqnbAaBC".chars().any(|letter| one.has(letter)))
    };
    let drops = |look: &Look<'_>| look.arguments.as_ref().is_some_and(|one| one.has('v'));
    let same = one.text == other.text && one.syntax == other.syntax && one.options == other.options;
    if !same || !plain(before) || !plain(look) || drops(before) == drops(look) {
        return None;
    }
    let does = if drops(before) { "drops" } else { "keeps only" };
    Some(format!("{does} the lines with “{}”", String::from_utf8_lossy(&one.text)))
}

/// The lines wanted come after the last one there can be.
fn beyond(before: &Look<'_>, look: &Look<'_>) -> Option<String> {
    let arguments = before.arguments_of("head")?;
    if arguments.has('c') {
        return None;
    }
    let number = |value: &[u8]| String::from_utf8_lossy(value).parse::<u64>().ok();
    let most = arguments.last('n').map_or(Some(10), |given| number(&given.value))?;
    let first = match look.stage.name.as_str() {
        "tail" => {
            let given = look.arguments_of("tail")?.last('n')?;
            number(given.value.strip_prefix(b"+")?)?
        }
        "sed" => {
            let arguments = look.arguments_of("sed")?;
            let program = &arguments.operands.first()?.value;
            let line = program.strip_suffix(b"p").filter(|_| arguments.has('n'))?;
            number(line)?
        }
        _ => return None,
    };
    (first > most).then(|| format!("ends after {most} lines"))
}

/// Letters of a case that is no more there.
fn other_case(before: &Look<'_>, look: &Look<'_>) -> Option<String> {
    let arguments = before.arguments_of("tr")?;
    let [from, to] = &arguments.operands[..] else { return None };
    let upper: [&[u8]; 2] = [b"A-Z", b"[:upper:]"];
    let lower: [&[u8]; 2] = [b"a-z", b"[:lower:]"];
    let is = |set: &[&[u8]], value: &[u8]| set.contains(&value);
    let to_upper = is(&lower, &from.value) && is(&upper, &to.value);
    let to_lower = is(&upper, &from.value) && is(&lower, &to.value);
    let pattern = grep_pattern(look)?;
    let invert = look.arguments.as_ref()?.has('v');
    // Of letters and digits alone, a pattern is what it finds.
    let literal = pattern.syntax != Syntax::Perl
        && pattern.text.iter().all(|byte| byte.is_ascii_alphanumeric() || *byte == b' ');
    if !literal || pattern.options.ignore_case || invert {
        return None;
    }
    if to_upper && pattern.text.iter().any(u8::is_ascii_lowercase) {
        return Some("leaves no small letters".to_owned());
    }
    let gone = to_lower && pattern.text.iter().any(u8::is_ascii_uppercase);
    gone.then(|| "leaves no capital letters".to_owned())
}

/// Repeats after each line was left once.
fn once_each(before: &Look<'_>, look: &Look<'_>) -> Option<String> {
    let arguments = look.arguments_of("uniq")?;
    let repeats = arguments.has('d') || arguments.has('D');
    let partial = "fswi".chars().any(|option| arguments.has(option));
    if !repeats || partial {
        return None;
    }
    let once = match before.stage.name.as_str() {
        "sort" => {
            let one = before.arguments_of("sort")?;
            one.has('u') && one.all('k').next().is_none() && !one.has('n') && !one.has('f')
        }
        "uniq" => {
            let one = before.arguments_of("uniq")?;
            !"dDufsw".chars().any(|option| one.has(option))
        }
        _ => false,
    };
    // Without order, uniq leaves repeats that are apart, but none next to each other.
    once.then(|| "leaves each line once".to_owned())
}
