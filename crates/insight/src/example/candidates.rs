//! Patterns that may fit some texts, from narrow to wide.

use super::pieces::{Class, Piece, literal, pieces};
use crate::columns::kind::Kind;

/// A pattern and what it is, in words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Candidate {
    /// An extended regular expression.
    pub(crate) pattern: String,
    pub(crate) says: String,
}

/// Equal lengths up to this are written one by one: two digits, not some.
const EXACT: usize = 4;

/// Different words up to this are listed.
const WORDS: usize = 6;

fn candidate(pattern: impl Into<String>, says: impl Into<String>) -> Candidate {
    Candidate { pattern: pattern.into(), says: says.into() }
}

/// The patterns for these texts, the one a person would write first; whether they really match is
/// for the caller to find out.
pub(crate) fn of(texts: &[&str]) -> Vec<Candidate> {
    let mut all = Vec::new();
    let runs: Vec<Vec<Piece>> = texts.iter().map(|text| pieces(text)).collect();
    all.extend(of_kind(texts));
    let first = &runs[0];
    let alike = runs.iter().all(|run| {
        run.len() == first.len() && run.iter().zip(first).all(|(one, two)| one.class == two.class)
    });
    if alike {
        let columns: Vec<Vec<&Piece>> =
            (0..first.len()).map(|at| runs.iter().map(|run| &run[at]).collect()).collect();
        all.extend(of_columns(&columns));
    }
    all.extend(of_signs(texts));
    all.extend(listed(texts));
    if let [one] = texts {
        all.push(candidate(literal(one), "just this text"));
    }
    all.extend(of_sets(texts));
    let mut known: Vec<Candidate> = Vec::new();
    for one in all {
        if !known.iter().any(|before| before.pattern == one.pattern) {
            known.push(one);
        }
    }
    known
}

/// What everybody writes for such values.
fn of_kind(texts: &[&str]) -> Vec<Candidate> {
    let kinds: Vec<Kind> = texts.iter().map(|text| Kind::of(text.as_bytes())).collect();
    let all = |wanted: &[Kind]| kinds.iter().all(|kind| wanted.contains(kind));
    let bare = |sign: char| texts.iter().all(|text| !text.contains(sign));
    let quoted = texts.iter().all(|text| {
        text.len() > 1
            && text.starts_with('"')
            && text.ends_with('"')
            && text.matches('"').count() == 2
    });
    if quoted {
        return vec![candidate("\"[^\"]*\"", "text in double quotes")];
    }
    if all(&[Kind::Ipv4]) && bare(':') && bare('/') {
        let pattern = "[0-9]+\\.[0-9]+\\.[0-9]+\\.[0-9]+";
        return vec![candidate(pattern, "four numbers with points between them")];
    }
    if all(&[Kind::Whole]) && bare('-') && bare('+') {
        let same = texts.iter().all(|text| text.len() == texts[0].len());
        if !same || texts[0].len() > EXACT {
            return vec![candidate("[0-9]+", "digits")];
        }
    }
    if all(&[Kind::Whole]) && bare('+') && !bare('-') {
        return vec![candidate("-?[0-9]+", "a number, with a minus or without")];
    }
    if all(&[Kind::Whole, Kind::Decimal]) && bare('-') && bare('+') && bare('e') && bare('E') {
        let every = texts.iter().all(|text| text.contains('.'));
        let pattern = if every { "[0-9]+\\.[0-9]+" } else { "[0-9]+(\\.[0-9]+)?" };
        return vec![candidate(pattern, "a number, with a decimal point")];
    }
    if all(&[Kind::Whole, Kind::Decimal, Kind::Size]) && bare('-') && bare('+') {
        return vec![candidate("[0-9]+(\\.[0-9]+)?[A-Za-z]*", "a number and its unit")];
    }
    if all(&[Kind::Path]) && texts.iter().all(|text| text.starts_with('/')) {
        return vec![candidate("\\/[^ ]*", "a path, up to a blank")];
    }
    Vec::new()
}

/// The texts have the same runs: what is the same in all stays, the rest becomes its class.
fn of_columns(columns: &[Vec<&Piece>]) -> Vec<Candidate> {
    let make = |piece: &dyn Fn(&[&Piece]) -> (String, String)| {
        let (patterns, words): (Vec<String>, Vec<String>) =
            columns.iter().map(|column| piece(column)).unzip();
        let words: Vec<String> = words.into_iter().filter(|word| !word.is_empty()).collect();
        candidate(patterns.concat(), words.join(", "))
    };
    let single = columns.iter().all(|column| column.len() == 1);
    // Of one example, letters stay and digits are what varies.
    let varies = |column: &[&Piece]| match (single, column[0].class) {
        (true, Class::Digits) => true,
        (true, _) => false,
        (false, _) => column.iter().any(|piece| piece.text != column[0].text),
    };
    let digits_vary = |column: &[&Piece]| varies(column) || column[0].class == Class::Digits;
    let narrow = make(&|column| if varies(column) { exact(column) } else { kept(column) });
    let all_digits = make(&|column| if digits_vary(column) { exact(column) } else { kept(column) });
    let some_digits = make(&|column| if digits_vary(column) { some(column) } else { kept(column) });
    let wide = make(&|column| match column[0].class {
        Class::Sign(_) | Class::Blanks => kept(column),
        _ => some(column),
    });
    // In times and days all digits vary, be they the same here by chance or not.
    let signs =
        columns.iter().filter(|column| matches!(column[0].class, Class::Sign(':' | '-' | '/')));
    let fixed = columns.iter().filter(|column| column[0].class == Class::Digits).all(|column| {
        column.iter().all(|piece| piece.text.len() == column[0].text.len())
            && matches!(column[0].text.len(), 2 | 4)
    });
    let timely = signs.count() > 1 && fixed;
    if timely {
        vec![all_digits, some_digits, narrow, wide]
    } else {
        vec![narrow, all_digits, some_digits, wide]
    }
}

/// The text as it is.
fn kept(column: &[&Piece]) -> (String, String) {
    let piece = column[0];
    if column.iter().all(|one| one.text == piece.text) {
        return (literal(&piece.text), piece.text.clone());
    }
    // Blanks of several lengths.
    (format!("{}+", piece.class.pattern()), piece.class.name())
}

/// As many as there are, where all have as many and few.
fn exact(column: &[&Piece]) -> (String, String) {
    let length = column[0].text.chars().count();
    let same = column.iter().all(|piece| piece.text.chars().count() == length);
    if !same || !(2..=EXACT).contains(&length) {
        return some(column);
    }
    let class = column[0].class;
    (class.pattern().repeat(length), format!("{length} {}", class.name()))
}

/// One or more.
fn some(column: &[&Piece]) -> (String, String) {
    let class = column[0].class;
    match class {
        Class::Sign(_) => (class.pattern(), class.name()),
        _ => (format!("{}+", class.pattern()), class.name()),
    }
}

/// Everything between the signs at both ends, or around an at sign.
fn of_signs(texts: &[&str]) -> Vec<Candidate> {
    let mut all = Vec::new();
    for (open, close) in [('"', '"'), ('[', ']'), ('(', ')'), ('<', '>'), ('\'', '\'')] {
        let within = texts.iter().all(|text| {
            let inside = text.strip_prefix(open).and_then(|text| text.strip_suffix(close));
            inside.is_some_and(|inside| !inside.contains([open, close]))
        });
        if within {
            let pattern =
                format!("{}[^{close}]*{}", literal(&open.to_string()), literal(&close.to_string()));
            all.push(candidate(pattern, format!("anything between {open} and {close}")));
        }
    }
    if texts.iter().all(|text| text.matches('@').count() == 1 && !text.contains(' ')) {
        all.push(candidate("[^ @]+@[^ @]+", "an address with an at sign"));
    }
    // The same name before an equals sign, anything after it.
    let name = |text: &str| text.split_once('=').map(|(name, _)| name.to_owned());
    if let Some(first) = name(texts[0]).filter(|first| !first.is_empty())
        && texts.iter().all(|text| name(text).as_ref() == Some(&first) && !text.contains(' '))
    {
        all.push(candidate(
            format!("{}=[^ ]*", literal(&first)),
            format!("{first}= and what follows, up to a blank"),
        ));
    }
    // The same beginning.
    let common = texts.iter().skip(1).fold(texts[0].to_owned(), |common, text| {
        let same = common.chars().zip(text.chars()).take_while(|(one, two)| one == two);
        same.map(|(one, _)| one).collect()
    });
    if texts.len() > 1 && common.chars().count() > 2 && texts.iter().all(|text| !text.contains(' '))
    {
        let says = format!("{common} and what follows, up to a blank");
        all.push(candidate(format!("{}[^ ]*", literal(&common)), says));
    }
    all
}

/// One of these words.
fn listed(texts: &[&str]) -> Vec<Candidate> {
    let mut words: Vec<&str> = texts.to_vec();
    words.sort_unstable();
    words.dedup();
    match words.len() {
        0 => Vec::new(),
        1 => vec![candidate(literal(words[0]), "just this text")],
        2..=WORDS => {
            let patterns: Vec<String> = words.iter().map(|word| literal(word)).collect();
            vec![candidate(patterns.join("|"), "one of these texts")]
        }
        _ => Vec::new(),
    }
}

/// Everything made of such characters.
fn of_sets(texts: &[&str]) -> Vec<Candidate> {
    let all = |fits: &dyn Fn(char) -> bool| texts.iter().all(|text| text.chars().all(fits));
    let mut found = Vec::new();
    let hexadecimal = all(&|one| one.is_ascii_digit() || ('a'..='f').contains(&one));
    let mixed = texts.iter().any(|text| text.chars().any(|one| one.is_ascii_digit()));
    if hexadecimal && mixed {
        found.push(candidate("[0-9a-f]+", "hexadecimal digits"));
    }
    if all(&|one| one.is_ascii_alphabetic()) {
        found.push(candidate("[A-Za-z]+", "letters"));
    }
    if all(&|one| one.is_ascii_alphanumeric()) {
        found.push(candidate("[A-Za-z0-9]+", "letters and digits"));
    }
    if all(&|one| one.is_ascii_alphanumeric() || "_.-".contains(one)) {
        found.push(candidate("[A-Za-z0-9_.-]+", "letters, digits, _ . and -"));
    }
    if all(&|one| one != ' ') {
        found.push(candidate("[^ ]+", "anything up to a blank"));
    }
    found.push(candidate(".*", "the whole line"));
    found
}
