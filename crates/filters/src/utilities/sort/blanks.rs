//! The blanks between and before keys.

fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t')
}

pub(super) fn blanks(text: &[u8]) -> usize {
    text.iter().take_while(|&&byte| is_blank(byte)).count()
}
