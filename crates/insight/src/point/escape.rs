//! Text as it is written where other characters mean something.

use std::fmt::Write;

use shell::quote;

/// A word of shell text for an option's value or a pattern: quoted where it must be.
pub(crate) fn word(text: &str) -> String {
    quote(text)
}

/// A program of awk as a word: always in single quotes, as everybody writes it.
pub(crate) fn program(text: &str) -> String {
    format!("'{}'", text.replace('\'', "'\\''"))
}

/// A string of awk (POSIX awk, Lexical Conventions).
pub(crate) fn awk_string(text: &str) -> String {
    let mut out = String::from("\"");
    for character in text.chars() {
        match character {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\t' => out.push_str("\\t"),
            '\r' => out.push_str("\\r"),
            '\n' => out.push_str("\\n"),
            control if control.is_ascii_control() => {
                // Writing to a string does not fail.
                let _ = write!(out, "\\{:03o}", u32::from(control));
            }
            character => out.push(character),
        }
    }
    out.push('"');
    out
}

/// A basic regular expression that matches just this text (XBD 9.3), also between the slashes of a
/// command of sed.
pub(crate) fn basic_pattern(text: &str) -> String {
    let mut out = String::new();
    for (at, character) in text.char_indices() {
        match character {
            '.' | '[' | '\\' | '/' | '*' => out.extend(['\\', character]),
            '^' if at == 0 => out.push_str("\\^"),
            '$' if at + 1 == text.len() => out.push_str("\\$"),
            character => out.push(character),
        }
    }
    out
}

/// The replacement of a command `s` of sed.
pub(crate) fn replacement(text: &str) -> String {
    let mut out = String::new();
    for character in text.chars() {
        match character {
            '\\' | '&' | '/' => out.extend(['\\', character]),
            '\n' => out.push_str("\\\n"),
            character => out.push(character),
        }
    }
    out
}

/// `grep` with a pattern that matches just this text, and the options before it.
pub(crate) fn grep(options: &str, text: &str) -> String {
    let plain =
        text.chars().all(|one| one.is_alphanumeric() || "%+,-/:=@_ \"<>#;&|(){}!~`'".contains(one));
    let mut out = String::from("grep");
    if !plain {
        out.push_str(" -F");
    }
    if !options.is_empty() {
        out.push(' ');
        out.push_str(options);
    }
    if text.starts_with('-') {
        out.push_str(" -e");
    }
    out.push(' ');
    out.push_str(&word(text));
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_means_something_is_escaped() {
        assert_eq!(awk_string("a\"b\\c\td\u{1}"), "\"a\\\"b\\\\c\\td\\001\"");
        assert_eq!(basic_pattern("^a.b*[c]/$d$"), "\\^a\\.b\\*\\[c]\\/$d\\$");
        assert_eq!(replacement("a&b/c\\d"), "a\\&b\\/c\\\\d");
        assert_eq!(program("$1 == \"it's\""), "'$1 == \"it'\\''s\"'");
        assert_eq!(grep("", "refused"), "grep refused");
        assert_eq!(grep("-v", "a b"), "grep -v 'a b'");
        assert_eq!(grep("", "10.0"), "grep -F 10.0");
        assert_eq!(grep("-C 3", "-x*"), "grep -F -C 3 -e '-x*'");
    }
}
