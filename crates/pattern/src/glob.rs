//! File name patterns, one part of a path at a time.

/// True when the whole name matches a shell pattern (XCU 2.13): bytes, and whether each is quoted
/// and so means itself. Time at most the product of the lengths.
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

/// One part of a pattern.
#[derive(Clone, Copy)]
enum Element<'p> {
    Star,
    Any,
    /// A bracket expression, from behind its `[` on.
    Bracket(&'p [(u8, bool)]),
    Character(u32),
}

fn elements(pattern: &[(u8, bool)]) -> Vec<Element<'_>> {
    let mut elements = Vec::new();
    let mut at = 0;
    while let Some(&(byte, quoted)) = pattern.get(at) {
        let plain: Vec<u8> = pattern[at..].iter().map(|&(byte, _)| byte).take(4).collect();
        let (value, length) = character(&plain);
        let (element, used) = match (byte, quoted) {
            (b'*', false) => (Element::Star, 1),
            (b'?', false) => (Element::Any, 1),
            (b'[', false) => match bracket(&pattern[at + 1..], 0) {
                Some((_, used)) => (Element::Bracket(&pattern[at + 1..]), 1 + used),
                None => (Element::Character(value), length),
            },
            _ => (Element::Character(value), length),
        };
        elements.push(element);
        at += used;
    }
    elements
}

/// The shortest and the longest beginning (or end, with `from_end`) of a text that matches a shell
/// pattern, in bytes; `None` where none does. `go_on` is asked now and then, and ends it with an
/// error. Time: the product of the lengths at most.
///
/// # Errors
/// When `go_on` says so.
pub fn glob_part(
    pattern: &[(u8, bool)],
    text: &[u8],
    from_end: bool,
    mut go_on: impl FnMut() -> bool,
) -> Result<Option<(usize, usize)>, Interrupted> {
    /// Steps between two questions.
    const STEPS: usize = 1 << 16;
    let mut elements = elements(pattern);
    let mut characters = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let (value, length) = character(&text[at..]);
        characters.push((value, length));
        at += length;
    }
    if from_end {
        elements.reverse();
        characters.reverse();
    }
    // The places in the pattern that can be reached: a star may be passed over.
    let close = |places: &mut [bool]| {
        for number in 0..elements.len() {
            if places[number] && matches!(elements[number], Element::Star) {
                places[number + 1] = true;
            }
        }
    };
    let mut places = vec![false; elements.len() + 1];
    places[0] = true;
    close(&mut places);
    let (mut found, mut taken, mut steps) = (None, 0, 0);
    if places[elements.len()] {
        found = Some((0, 0));
    }
    for (value, length) in characters {
        let mut next = vec![false; elements.len() + 1];
        for (number, element) in elements.iter().enumerate().filter(|(number, _)| places[*number]) {
            match element {
                Element::Star => next[number] = true,
                Element::Any => next[number + 1] = true,
                Element::Character(wanted) => next[number + 1] |= *wanted == value,
                Element::Bracket(inside) => {
                    next[number + 1] |= bracket(inside, value).is_some_and(|(inside, _)| inside);
                }
            }
        }
        close(&mut next);
        places = next;
        taken += length;
        if places[elements.len()] {
            found = Some((found.map_or(taken, |(shortest, _)| shortest), taken));
        }
        if !places.contains(&true) {
            break;
        }
        steps += elements.len() + 1;
        if steps > STEPS {
            steps = 0;
            if !go_on() {
                return Err(Interrupted);
            }
        }
    }
    Ok(found)
}

/// Somebody asked to stop.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Interrupted;

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

    proptest::proptest! {
        #![proptest_config(proptest::prelude::ProptestConfig {
            failure_persistence: None,
            ..proptest::prelude::ProptestConfig::with_cases(2000)
        })]

        #[test]
        fn the_shortest_and_the_longest_part_are_those_that_match(
            parts in proptest::collection::vec(proptest::sample::select(vec![
                "a", "b", "é", "*", "?", "[ab]", "[!a]", "[é-]", "[", "]", "!", "-",
            ]), 0..8),
            text in "[abé\\]]{0,9}", from_end in proptest::bool::ANY
        ) {
            let pattern = parts.concat();
            let quoted: Vec<(u8, bool)> = pattern.bytes().map(|byte| (byte, false)).collect();
            let ends = text.char_indices().map(|(at, _)| at).chain([text.len()]);
            let part = |at: usize| if from_end { &text[at..] } else { &text[..at] };
            let lengths: Vec<usize> = ends
                .map(part)
                .filter(|part| glob_matches(&quoted, part.as_bytes()))
                .map(str::len)
                .collect();
            let expected = lengths.iter().min().copied().zip(lengths.iter().max().copied());
            let found = glob_part(&quoted, text.as_bytes(), from_end, || true);
            proptest::prop_assert_eq!(found, Ok(expected), "{} {}", pattern, text);
        }
    }

    #[test]
    fn a_pattern_of_many_stars_takes_its_time_and_can_be_interrupted() {
        let pattern: Vec<(u8, bool)> = "*0".repeat(50).bytes().map(|byte| (byte, false)).collect();
        let text = "0".repeat(200_000);
        let found = glob_part(&pattern, text.as_bytes(), false, || true);
        assert_eq!(found, Ok(Some((50, 200_000))));
        assert_eq!(glob_part(&pattern, text.as_bytes(), true, || false), Err(Interrupted));
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
            ("[a-a][!b-b]", "aa", true),
            ("[b-a]", "a", false),
            ("[[:none:]a]", "b", false),
            ("[[:none:]a]", "a", true),
            ("[![:alpha:]]", "ä", false),
        ] {
            assert_eq!(does_match(pattern, name), expected, "{pattern} {name}");
        }
    }

    #[test]
    fn classes_have_the_characters_of_their_names() {
        for (name, has, lacks) in [
            ("alpha", "aZé", "1 _"),
            ("digit", "09", "a٣"),
            ("alnum", "a1é", "_ -"),
            ("upper", "AÉ", "a1"),
            ("lower", "aé", "A1"),
            ("space", " \t\n\r", "a_"),
            ("blank", " \t", "\na"),
            ("punct", "!_~", "a1 "),
            ("cntrl", "\u{1}\u{7f}", "a "),
            ("xdigit", "09afAF", "gG"),
            ("print", "a ~é", "\u{1}\t"),
            ("graph", "a~é", " \t"),
            ("other", "", "a1 "),
        ] {
            let pattern = format!("[[:{name}:]]");
            for one in has.chars() {
                assert!(does_match(&pattern, &one.to_string()), "{one:?} is {name}");
            }
            for one in lacks.chars() {
                assert!(!does_match(&pattern, &one.to_string()), "{one:?} is not {name}");
            }
        }
    }

    #[test]
    fn a_hostile_pattern_ends() {
        assert!(!does_match(&"*a".repeat(40), &"a".repeat(39)));
        assert!(!does_match(&("a*".repeat(40) + "b"), &"a".repeat(3000)));
    }
}
