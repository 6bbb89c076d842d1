//! Which characters belong to words and names (XCU 2.3, XBD 3.216).

pub(super) fn ends_word(character: char) -> bool {
    matches!(character, ' ' | '\t' | '\r' | '\n' | '|' | '&' | ';' | '<' | '>' | '(' | ')')
}

/// The length of the name at the beginning; 0 where there is none.
pub(super) fn name_length(text: &str) -> usize {
    let bytes = text.as_bytes();
    if !bytes.first().is_some_and(|byte| byte.is_ascii_alphabetic() || *byte == b'_') {
        return 0;
    }
    bytes.iter().take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_').count()
}
