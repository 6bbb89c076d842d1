//! Text from elsewhere, made so that it steers no terminal.

use std::borrow::Cow;

/// True for what changes how a terminal shows the text after it, or hides in it: control characters,
/// marks of the direction of writing, characters without a width (UAX 9, UTS 39).
pub fn steers(character: char) -> bool {
    character.is_control()
        || matches!(character, '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{61c}' | '\u{ad}'
            | '\u{e0000}'..='\u{e0fff}')
}

/// Text of a message as a terminal may have it: what would [steer](steers) it as the
/// machine's own utilities quote it (`$'\033'`). Newlines and tabs stay.
pub fn visible(text: &str) -> Cow<'_, str> {
    let steers = |character: char| steers(character) && !matches!(character, '\n' | '\t');
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

/// A name in the output of a command that goes to a terminal, on one line.
pub fn shown_on_terminal(name: &[u8]) -> Cow<'_, [u8]> {
    let is_plain = |byte: &u8| matches!(byte, b' '..=b'~');
    if name.iter().all(is_plain) {
        return Cow::Borrowed(name);
    }
    let text = String::from_utf8_lossy(name).replace(['\n', '\t'], "\u{2423}");
    Cow::Owned(visible(&text).into_owned().into_bytes())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_steers_a_terminal_is_quoted() {
        assert_eq!(visible("plain é\tx\n"), "plain é\tx\n");
        assert_eq!(visible("a\u{1b}[31mb"), "a$'\\033'[31mb");
        assert_eq!(visible("a\u{202e}b\u{200b}"), "a$'\\342\\200\\256'b$'\\342\\200\\213'");
        assert_eq!(visible("\r\u{7}\u{9b}x\u{7f}"), "$'\\r\\a\\302\\233'x$'\\177'");
    }
}
