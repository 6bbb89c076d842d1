//! File name patterns, one part of a path at a time.

/// True when the whole name matches a shell pattern (XCU 2.13): bytes, and whether each is quoted
/// and so stands for itself. Time at most the product of the lengths.
pub fn glob_matches(pattern: &[(u8, bool)], name: &[u8]) -> bool {
    let (mut at, mut from) = (0, 0);
    // Where the last star is and what it takes in so far.
    let mut star: Option<(usize, usize)> = None;
    loop {
        match pattern.get(at) {
            Some((b'*', false)) => {
                star = Some((at, from));
                at += 1;
                continue;
            }
            Some((b'?', false)) if from < name.len() => {
                from += character(&name[from..]).1;
                at += 1;
                continue;
            }
            Some((b'[', false)) if from < name.len() => {
                let (value, length) = character(&name[from..]);
                match bracket(&pattern[at + 1..], value) {
                    Some((true, used)) => {
                        at += 1 + used;
                        from += length;
                        continue;
                    }
                    None if name[from] == b'[' => {
                        at += 1;
                        from += 1;
                        continue;
                    }
                    _ => {}
                }
            }
            Some(&(byte, _)) if name.get(from) == Some(&byte) => {
                at += 1;
                from += 1;
                continue;
            }
            None if from == name.len() => return true,
            _ => {}
        }
        // No way on: the last star takes in one character more.
        let Some((star_at, taken)) = star else { return false };
        if taken >= name.len() {
            return false;
        }
        let taken = taken + character(&name[taken..]).1;
        star = Some((star_at, taken));
        (at, from) = (star_at + 1, taken);
    }
}

fn character(text: &[u8]) -> (u32, usize) {
    for length in 1..=4.min(text.len()) {
        if let Ok(part) = std::str::from_utf8(&text[..length]) {
            return (part.chars().next().map_or(0, u32::from), length);
        }
    }
    (0x11_0000 + u32::from(text[0]), 1)
}

/// Whether a bracket expression (behind its `[`) holds the character, and its length; `None`
/// where it has no end and so is none.
fn bracket(pattern: &[(u8, bool)], value: u32) -> Option<(bool, usize)> {
    let negated = matches!(pattern.first(), Some((b'!' | b'^', false)));
    let mut at = usize::from(negated);
    let start = at;
    let mut inside = false;
    loop {
        // Without its end the beginning of a class is two characters like others.
        let class = match (pattern.get(at)?, pattern.get(at + 1)) {
            ((b'[', false), Some((b':', _))) => {
                let ends = |pair: &[(u8, bool)]| pair[0].0 == b':' && pair[1].0 == b']';
                pattern[at + 2..].windows(2).position(ends)
            }
            _ => None,
        };
        match (pattern[at], class) {
            ((b']', false), _) if at > start => return Some((inside != negated, at + 1)),
            (_, Some(length)) => {
                let name: Vec<u8> =
                    pattern[at + 2..][..length].iter().map(|&(byte, _)| byte).collect();
                inside |= char::from_u32(value).is_some_and(|character| in_class(&name, character));
                at += 2 + length + 2;
            }
            _ => {
                let plain: Vec<u8> = pattern[at..].iter().map(|&(byte, _)| byte).take(4).collect();
                let (low, used) = character(&plain);
                at += used;
                let range = matches!(pattern.get(at), Some((b'-', false)))
                    && !matches!(pattern.get(at + 1), None | Some((b']', false)));
                if range {
                    let plain: Vec<u8> =
                        pattern[at + 1..].iter().map(|&(byte, _)| byte).take(4).collect();
                    let (high, used) = character(&plain);
                    inside |= (low..=high).contains(&value);
                    at += 1 + used;
                } else {
                    inside |= low == value;
                }
            }
        }
    }
}

fn in_class(name: &[u8], character: char) -> bool {
    match name {
        b"alpha" => character.is_alphabetic(),
        b"digit" => character.is_ascii_digit(),
        b"alnum" => character.is_alphanumeric(),
        b"upper" => character.is_uppercase(),
        b"lower" => character.is_lowercase(),
        b"space" => character.is_whitespace(),
        b"blank" => matches!(character, ' ' | '\t'),
        b"punct" => character.is_ascii_punctuation(),
        b"cntrl" => character.is_control(),
        b"xdigit" => character.is_ascii_hexdigit(),
        b"print" => !character.is_control(),
        b"graph" => !character.is_control() && !character.is_whitespace(),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn does_match(pattern: &str, name: &str) -> bool {
        let pattern: Vec<(u8, bool)> = pattern.bytes().map(|byte| (byte, false)).collect();
        glob_matches(&pattern, name.as_bytes())
    }

    #[test]
    fn patterns_match_as_in_the_shell() {
        for (pattern, name, expected) in [
            ("*", "a.log", true),
            ("*.log", "a.log", true),
            ("*.log", "a.log.1", false),
            ("a*b*c", "axxbyyc", true),
            ("a*b*c", "axxbyy", false),
            ("?", "é", true),
            ("?", "ab", false),
            ("[a-c]x", "bx", true),
            ("[!a-c]x", "bx", false),
            ("[]a]", "]", true),
            ("[a", "[a", true),
            ("[[:digit:]]*", "7up", true),
            ("[[:[ab]x", "ax", true),
            ("[[:ab]x", ":x", true),
            ("[[:ab]x", "cx", false),
            ("[[:", "[[:", true),
            ("[a[:].txt", "a.txt", true),
            ("**a", "ba", true),
            ("", "", true),
            ("[é-ü]", "ö", true),
        ] {
            assert_eq!(does_match(pattern, name), expected, "{pattern} {name}");
        }
    }

    #[test]
    fn a_hostile_pattern_ends() {
        assert!(!does_match(&"*a".repeat(40), &"a".repeat(39)));
        assert!(!does_match(&("a*".repeat(40) + "b"), &"a".repeat(3000)));
    }
}
