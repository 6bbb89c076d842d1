//! A value as a word of the shell, as `printf %q` writes it: quoted only where it needs that.

/// Bytes that mean themselves in every shell, and in quotation marks of C too.
fn is_plain(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || b"%+,-./:@_]".contains(&byte)
}

/// The word: bare, in quotation marks where apostrophes are all that is special, else between
/// apostrophes, with what is not printable as `$'…'`.
pub(crate) fn shell_word(value: &[u8]) -> Vec<u8> {
    let first_only = |at: usize, byte: u8| match byte {
        b'#' | b'~' => at == 0,
        b'{' | b'}' => value.len() == 1,
        _ => true,
    };
    let (mut special, mut marks) = (value.is_empty(), true);
    let mut parts = Vec::new();
    let mut at = 0;
    while at < value.len() {
        let byte = value[at];
        let (character, length) = crate::text::characters::first(&value[at..]);
        let is_text = byte.is_ascii_graphic()
            || byte == b' '
            || character.is_some_and(|character| !character.is_ascii() && is_printed(character));
        if byte.is_ascii() && is_text {
            let bare = is_plain(byte) || !first_only(at, byte);
            special |= !bare;
            marks &= is_plain(byte) || b" '".contains(&byte) || at == 0 && b"#~".contains(&byte);
        } else {
            special |= !is_text;
            marks &= is_text;
        }
        parts.push((&value[at..at + length], is_text));
        at += length;
    }
    if !special {
        return value.to_vec();
    }
    if marks && value.contains(&b'\'') {
        return [b"\"", value, b"\""].concat();
    }
    let mut word = vec![b'\''];
    let mut escaping = false;
    for (part, is_text) in parts {
        if is_text && part != b"'" {
            if std::mem::take(&mut escaping) {
                word.extend_from_slice(b"''");
            }
            word.extend_from_slice(part);
            continue;
        }
        if part == b"'" {
            // It ends the quotes, is alone, and begins them again.
            escaping = false;
            word.extend_from_slice(b"'\\''");
            continue;
        }
        if !std::mem::replace(&mut escaping, true) {
            word.extend_from_slice(b"'$'");
        }
        for byte in part {
            let letter = match byte {
                7 => Some('a'),
                8 => Some('b'),
                9 => Some('t'),
                10 => Some('n'),
                11 => Some('v'),
                12 => Some('f'),
                13 => Some('r'),
                _ => None,
            };
            let escape =
                letter.map_or_else(|| format!("\\{byte:03o}"), |letter| format!("\\{letter}"));
            word.extend_from_slice(escape.as_bytes());
        }
    }
    word.push(b'\'');
    word
}

fn is_printed(character: char) -> bool {
    !character.is_control()
        && unicode_width::UnicodeWidthChar::width(character).is_some_and(|width| width > 0)
}

#[cfg(test)]
mod tests {
    use super::shell_word;

    #[test]
    fn only_what_needs_it_is_quoted() {
        for (value, expected) in [
            ("", "''"),
            ("ab-1", "ab-1"),
            ("a b", "'a b'"),
            ("x'y", "\"x'y\""),
            ("x'$y", "'x'\\''$y'"),
            ("é", "é"),
            ("a\nb", "'a'$'\\n''b'"),
            ("\u{1}", "''$'\\001'"),
            ("#a", "'#a'"),
            ("a#~", "a#~"),
            ("{", "'{'"),
            ("{a}", "{a}"),
        ] {
            assert_eq!(
                String::from_utf8(shell_word(value.as_bytes())).unwrap(),
                expected,
                "{value:?}"
            );
        }
        assert_eq!(shell_word(b"a\xff"), b"'a'$'\\377'");
    }
}
