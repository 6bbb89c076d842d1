//! Bracket expressions and character classes (XBD 9.3.5).

use std::ops::Range;

use regex_syntax::hir::{ClassUnicode, ClassUnicodeRange, HirKind};

use crate::PatternErrorKind;

/// The class of a POSIX class name, as the C.UTF-8 locale has it.
pub(crate) fn named(name: &[u8]) -> Option<ClassUnicode> {
    let text = match name {
        b"alpha" => r"[\p{Alphabetic}[\p{Nd}--[0-9]]]",
        b"digit" => "[0-9]",
        b"alnum" => r"[\p{Alphabetic}\p{Nd}]",
        b"upper" => r"\p{Uppercase}",
        b"lower" => r"\p{Lowercase}",
        b"space" => r"[\p{White_Space}--[\u{85}\u{A0}\u{2007}\u{202F}]]",
        b"blank" => r"[\t\p{Zs}--[\u{A0}\u{2007}\u{202F}]]",
        b"punct" => r"[[[:graph:]][^\x00-\x7f]--[\p{Alphabetic}\p{Nd}\p{Z}\p{Cc}\p{Cn}]]",
        b"print" => r"[[ -~][^\x00-\x7f]--[\p{Cc}\p{Cn}\p{Zl}\p{Zp}]]",
        b"graph" => r"[[!-~][^\x00-\x7f]--[\p{Cc}\p{Cn}\p{Z}]]",
        b"cntrl" => r"[\p{Cc}\p{Zl}\p{Zp}]",
        b"xdigit" => "[0-9A-Fa-f]",
        _ => return None,
    };
    class_of(text)
}

/// The characters `\w` means.
pub(crate) fn word() -> ClassUnicode {
    class_of(r"[\p{Alphabetic}\p{Nd}_]").unwrap_or_else(ClassUnicode::empty)
}

fn class_of(text: &str) -> Option<ClassUnicode> {
    let hir = regex_syntax::Parser::new().parse(text).ok()?;
    match hir.kind() {
        HirKind::Class(regex_syntax::hir::Class::Unicode(class)) => Some(class.clone()),
        _ => None,
    }
}

/// A class without the newline.
pub(crate) fn no_newline(mut class: ClassUnicode) -> ClassUnicode {
    class.difference(&ClassUnicode::new([ClassUnicodeRange::new('\n', '\n')]));
    class
}

/// Every character.
pub(crate) fn any() -> ClassUnicode {
    let mut class = ClassUnicode::empty();
    class.negate();
    class
}

/// True for `[:space:]` and `[^:space:]`: a class that is not within brackets.
pub(crate) fn is_bare_class(expression: &[u8]) -> bool {
    let inner = expression.strip_prefix(b"[").and_then(|inner| inner.strip_suffix(b":]"));
    let Some(inner) = inner else { return false };
    let name = inner.strip_prefix(b"^").unwrap_or(inner).strip_prefix(b":");
    name.is_some_and(|name| !name.is_empty() && name.iter().all(u8::is_ascii_alphanumeric))
}

/// Parses what follows `[`. Gives the class and the number of bytes up to and with `]`.
///
/// # Errors
/// What is wrong, and the bytes of `text` that are meant.
pub(crate) fn parse(
    text: &[u8],
    ignore_case: bool,
    awk: bool,
) -> Result<(ClassUnicode, usize), (PatternErrorKind, Range<usize>)> {
    let mut at = 0;
    let negated = text.first() == Some(&b'^');
    at += usize::from(negated);
    let start = at;
    let mut class = ClassUnicode::empty();
    loop {
        match text.get(at) {
            None => return Err((PatternErrorKind::OpenBracket, 0..text.len())),
            Some(b']') if at > start => {
                at += 1;
                break;
            }
            Some(b'[') if text.get(at + 1) == Some(&b':') => {
                let (name, end) = delimited(text, at, b':')?;
                let mut name = name;
                if ignore_case && (name == b"upper" || name == b"lower") {
                    name = b"alpha";
                }
                let found = named(name).ok_or((PatternErrorKind::UnknownClass, at..end))?;
                class.union(&found);
                at = end;
                continue;
            }
            Some(_) => {}
        }
        let (first, after) = element(text, at, awk)?;
        let range_follows =
            text.get(after) == Some(&b'-') && text.get(after + 1).is_some_and(|&next| next != b']');
        if range_follows {
            let (last, end) = element(text, after + 1, awk)?;
            if last < first {
                return Err((PatternErrorKind::BadRange, at..end));
            }
            class.push(ClassUnicodeRange::new(first, last));
            at = end;
        } else {
            class.push(ClassUnicodeRange::new(first, first));
            at = after;
        }
    }
    if ignore_case {
        // Fails only without case tables, which are compiled in.
        let _ = class.try_case_fold_simple();
    }
    if negated {
        class.negate();
    }
    Ok((class, at))
}

/// One end of a range: a character, `[.x.]` or `[=x=]`; with awk's escapes where they count.
fn element(
    text: &[u8],
    at: usize,
    awk: bool,
) -> Result<(char, usize), (PatternErrorKind, Range<usize>)> {
    if awk && text[at] == b'\\' {
        let rest = text.get(at + 1..).unwrap_or_default();
        if let Some((byte, length)) = crate::decode::escaped_byte(rest) {
            let character = char::from(byte);
            if !character.is_ascii() {
                return Err((PatternErrorKind::NotText, at..at + 1 + length));
            }
            return Ok((character, at + 1 + length));
        }
        if !rest.is_empty() {
            let (character, length) =
                crate::decode::decode(rest).ok_or((PatternErrorKind::NotText, at..at + 1))?;
            return Ok((character, at + 1 + length));
        }
    }
    if text[at] == b'['
        && let Some(&mark @ (b'.' | b'=')) = text.get(at + 1)
    {
        let (name, end) = delimited(text, at, mark)?;
        let mut characters = std::str::from_utf8(name).unwrap_or("").chars();
        return match (characters.next(), characters.next()) {
            (Some(only), None) => Ok((only, end)),
            _ => Err((PatternErrorKind::UnknownCollating, at..end)),
        };
    }
    let (character, length) =
        crate::decode::decode(&text[at..]).ok_or((PatternErrorKind::NotText, at..at + 1))?;
    Ok((character, at + length))
}

/// The name in `[:name:]` beginning at `at`, and where the text continues.
fn delimited(
    text: &[u8],
    at: usize,
    mark: u8,
) -> Result<(&[u8], usize), (PatternErrorKind, Range<usize>)> {
    let body = &text[at + 2..];
    body.windows(2)
        .position(|pair| pair == [mark, b']'])
        .map(|length| (&body[..length], at + 2 + length + 2))
        .ok_or((PatternErrorKind::OpenBracket, 0..text.len()))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The ASCII characters of each class in the POSIX locale (XBD 7.3.1).
    const CLASSES: [(&str, &str); 12] = [
        ("alpha", "[A-Za-z]"),
        ("digit", "[0-9]"),
        ("alnum", "[0-9A-Za-z]"),
        ("upper", "[A-Z]"),
        ("lower", "[a-z]"),
        ("space", r"[\t-\r ]"),
        ("blank", r"[\t ]"),
        ("punct", r"[!-/:-@\[-`{-~]"),
        ("print", "[ -~]"),
        ("graph", "[!-~]"),
        ("cntrl", r"[\x00-\x1f\x7f]"),
        ("xdigit", "[0-9A-Fa-f]"),
    ];

    #[test]
    fn the_classes_of_the_standard_are_all_there() {
        let ascii = ClassUnicode::new([ClassUnicodeRange::new('\0', '\x7f')]);
        for (name, text) in CLASSES {
            let mut found = named(name.as_bytes()).expect(name);
            found.intersect(&ascii);
            assert_eq!(Some(found), class_of(text), "{name}");
        }
        assert!(named(b"word").is_none() && named(b"").is_none());
    }

    #[test]
    fn characters_beyond_ascii_are_in_classes_too() {
        for (name, inside, outside) in [
            ("alpha", "éßж漢", "1 .\u{a0}"),
            ("upper", "ÉЖ", "éж"),
            ("lower", "éж", "ÉЖ"),
            ("punct", "«»…∂", "é1 \u{85}"),
            ("print", "é…\u{a0}漢", "\u{85}\u{2028}"),
            ("graph", "é…漢", "\u{85}\u{a0} "),
            ("space", "\u{2003}", "\u{a0}\u{85}"),
            ("cntrl", "\u{85}\u{2028}", "é"),
        ] {
            let class = named(name.as_bytes()).expect(name);
            let has = |character| {
                class
                    .ranges()
                    .iter()
                    .any(|range| (range.start()..=range.end()).contains(&character))
            };
            assert!(inside.chars().all(has), "{name} has {inside:?}");
            assert!(!outside.chars().any(has), "{name} has none of {outside:?}");
        }
    }
}
