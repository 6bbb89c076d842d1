//! Single characters and escapes of a pattern text.

/// The first character of UTF-8 text and its length; `None` for bytes that are no UTF-8.
pub(crate) fn decode(text: &[u8]) -> Option<(char, usize)> {
    let length = match text.first()? {
        0..=0x7f => 1,
        0xc2..=0xdf => 2,
        0xe0..=0xef => 3,
        0xf0..=0xf4 => 4,
        _ => return None,
    };
    let character = std::str::from_utf8(text.get(..length)?).ok()?.chars().next()?;
    Some((character, length))
}

/// The byte that an escape of awk means (behind the backslash), and its length; `None` where
/// it means the character itself.
pub(crate) fn escaped_byte(text: &[u8]) -> Option<(u8, usize)> {
    let byte = match text.first()? {
        b'a' => 7,
        b'b' => 8,
        b'f' => 12,
        b'n' => b'\n',
        b'r' => b'\r',
        b't' => b'\t',
        b'v' => 11,
        b'0'..=b'7' => {
            let digits = text.iter().take(3).take_while(|byte| matches!(byte, b'0'..=b'7'));
            let (value, length) = digits.fold((0u32, 0), |(value, length), digit| {
                (value * 8 + u32::from(digit - b'0'), length + 1)
            });
            return Some((value as u8, length));
        }
        _ => return None,
    };
    Some((byte, 1))
}
