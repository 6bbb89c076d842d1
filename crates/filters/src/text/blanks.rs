//! Words between blanks, found eight bytes at a time.

const ONES: u64 = u64::from_ne_bytes([1; 8]);

/// The highest bit of each byte up to a space. Bytes behind the first of them may be wrong.
#[inline]
fn low(eight: u64) -> u64 {
    eight.wrapping_sub(ONES * (b' ' as u64 + 1)) & !eight & (ONES << 7)
}

/// The length of the word that `text` begins with: what is before the first space, tab or byte
/// `THIRD`, or all of it.
#[inline]
pub(crate) fn word<const THIRD: u8>(text: &[u8]) -> usize {
    let is_blank = |byte: u8| byte == b' ' || byte == b'\t' || byte == THIRD;
    let mut at = 0;
    while let Some(eight) = text[at..].first_chunk::<8>() {
        let found = low(u64::from_le_bytes(*eight));
        if found == 0 {
            at += 8;
            continue;
        }
        at += (found.trailing_zeros() / 8) as usize;
        if is_blank(text[at]) {
            return at;
        }
        // Another control byte is a part of the word.
        at += 1;
    }
    at + text[at..].iter().take_while(|byte| !is_blank(**byte)).count()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_word_ends_at_the_first_blank(
            text in prop::collection::vec(prop_oneof![Just(b' '), Just(b'\t'), Just(b'\n'), 0u8..=255, 31u8..35, b'a'..b'e'], 0..40),
        ) {
            let until = |blank: &dyn Fn(u8) -> bool| text.iter().take_while(|byte| !blank(**byte)).count();
            prop_assert_eq!(word::<b'\n'>(&text), until(&|byte| matches!(byte, b' ' | b'\t' | b'\n')));
            prop_assert_eq!(word::<b' '>(&text), until(&|byte| matches!(byte, b' ' | b'\t')));
        }

        #[test]
        fn long_words_are_whole(length in 0usize..70, more in 0usize..20) {
            let text = [vec![0x9f; length], vec![b'\t'; more]].concat();
            prop_assert_eq!(word::<b'\n'>(&text), length);
        }
    }
}
