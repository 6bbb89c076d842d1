use std::borrow::Cow;

/// Text of a message as a terminal may have it: control characters, which would steer it, as the
/// machine's own utilities quote them (`$'\033'`). Newlines and tabs stay.
pub fn visible(text: &str) -> Cow<'_, str> {
    let steers = |character: char| character.is_control() && !matches!(character, '\n' | '\t');
    if !text.contains(steers) {
        return Cow::Borrowed(text);
    }
    let mut shown = String::with_capacity(text.len() + 16);
    let mut quoted = false;
    for character in text.chars() {
        if steers(character) != quoted {
            quoted = !quoted;
            shown.push_str(if quoted { "$'" } else { "'" });
        }
        if !quoted {
            shown.push(character);
            continue;
        }
        match character {
            '\r' => shown.push_str("\\r"),
            '\u{7}' => shown.push_str("\\a"),
            '\u{8}' => shown.push_str("\\b"),
            '\u{b}' => shown.push_str("\\v"),
            '\u{c}' => shown.push_str("\\f"),
            _ => {
                for byte in character.encode_utf8(&mut [0; 4]).bytes() {
                    shown.push_str(&format!("\\{byte:03o}"));
                }
            }
        }
    }
    if quoted {
        shown.push('\'');
    }
    Cow::Owned(shown)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_steers_a_terminal_is_quoted() {
        assert_eq!(visible("plain é\tx\n"), "plain é\tx\n");
        assert_eq!(visible("a\u{1b}[31mb"), "a$'\\033'[31mb");
        assert_eq!(visible("\r\u{7}\u{9b}x\u{7f}"), "$'\\r\\a\\302\\233'x$'\\177'");
    }
}
