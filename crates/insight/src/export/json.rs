//! JSON that may be shown on a terminal.

use serde::Serialize;

/// A value as JSON over several lines. Characters that would steer a terminal, which JSON lets stand in
/// texts as they are (DEL, C1, marks of direction), are escaped as JSON does: any reader gets the same text.
pub(crate) fn readable_json(value: &impl Serialize) -> String {
    // Nothing that is written here can fail.
    let text = serde_json::to_string_pretty(value).unwrap_or_default();
    let mut out = String::with_capacity(text.len() + 1);
    for character in text.chars() {
        if character == '\n' || !stream::steers(character) {
            out.push(character);
            continue;
        }
        let mut units = [0; 2];
        for unit in character.encode_utf16(&mut units) {
            out.push_str(&format!("\\u{unit:04x}"));
        }
    }
    out.push('\n');
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_reader_gets_the_same_text_and_no_terminal_gets_it_raw() {
        let text = "a\u{7f}b\u{9b}c\u{202e}\u{e0041}\u{1b}\n\té";
        let json = readable_json(&[text]);
        assert!(!json.trim_end().replace('\n', "").chars().any(stream::steers), "{json}");
        let read: Vec<String> = serde_json::from_str(&json).unwrap();
        assert_eq!(read, [text]);
    }
}
