//! Counts as `head`, `tail` and others take them, and counts in words.

/// Parses a whole number with an optional size suffix: `b` 512, `k` `K` `KiB` 1024, `kB` 1000,
/// and so on up to `E`. Too large a number becomes the largest.
pub(crate) fn count(text: &[u8]) -> Option<u64> {
    let digits = text.iter().take_while(|byte| byte.is_ascii_digit()).count();
    if digits == 0 {
        return None;
    }
    let number = std::str::from_utf8(&text[..digits]).ok()?;
    let number = number.parse::<u64>().unwrap_or(u64::MAX);
    let factor: u64 = match &text[digits..] {
        b"" => 1,
        b"b" => 512,
        suffix => {
            let (letter, rest) = suffix.split_first()?;
            let power = match letter {
                b'k' | b'K' => 1,
                b'M' | b'm' => 2,
                b'G' => 3,
                b'T' => 4,
                b'P' => 5,
                b'E' => 6,
                _ => return None,
            };
            match rest {
                b"" | b"iB" => 1024u64.pow(power),
                b"B" => 1000u64.pow(power),
                _ => return None,
            }
        }
    };
    Some(number.saturating_mul(factor))
}

/// Appends a number, right-aligned in at least `width` columns (20 at most).
#[inline]
pub(crate) fn push_padded(number: u64, width: usize, out: &mut Vec<u8>) {
    let mut digits = itoa::Buffer::new();
    let digits = digits.format(number).as_bytes();
    let blanks = [b' '; 20];
    out.extend_from_slice(&blanks[..width.saturating_sub(digits.len()).min(blanks.len())]);
    out.extend_from_slice(digits);
}
