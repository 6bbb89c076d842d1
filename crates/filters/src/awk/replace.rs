//! What `sub`, `gsub` and `gensub` put in the place of matches.

use pattern::Pattern;

enum Part {
    Text(Vec<u8>),
    /// What a group matched; 0 is the whole match.
    Group(usize),
}

/// A replacement, read once.
pub(super) struct Replacement(Vec<Part>);

impl Replacement {
    /// Reads a replacement (XCU awk, "String Functions"): `&` is the match, `\&` an ampersand,
    /// `\\` a backslash; with `groups` also `\0` to `\9`.
    pub(super) fn new(text: &[u8], groups: bool) -> Self {
        let mut parts = Vec::new();
        let mut literal = Vec::new();
        let mut bytes = text.iter();
        while let Some(&byte) = bytes.next() {
            let group = match (byte, bytes.as_slice().first()) {
                (b'&', _) => 0,
                (b'\\', Some(&digit @ b'0'..=b'9')) if groups => {
                    bytes.next();
                    usize::from(digit - b'0')
                }
                (b'\\', Some(&next @ (b'&' | b'\\'))) => {
                    bytes.next();
                    literal.push(next);
                    continue;
                }
                _ => {
                    literal.push(byte);
                    continue;
                }
            };
            if !literal.is_empty() {
                parts.push(Part::Text(std::mem::take(&mut literal)));
            }
            parts.push(Part::Group(group));
        }
        if !literal.is_empty() {
            parts.push(Part::Text(literal));
        }
        Self(parts)
    }

    fn needs_groups(&self) -> bool {
        self.0.iter().any(|part| matches!(part, Part::Group(1..)))
    }
}

/// Writes `text` to `out` with the matches from number `from` (from 1) on replaced, `most` of them
/// at most; gives how many were. Where none was nothing is written. An empty match right behind
/// another match does not count.
pub(super) fn replace(
    pattern: &Pattern,
    text: &[u8],
    replacement: &Replacement,
    from: usize,
    most: usize,
    out: &mut Vec<u8>,
) -> usize {
    let groups = replacement.needs_groups();
    let begun = out.len();
    let (mut copied, mut at, mut seen, mut done) = (0, 0, 0, 0);
    while at <= text.len() && done < most {
        // Without back-references no search is given up, but for groups in endless lines.
        let Some(found) = pattern.find(text, at).ok().flatten() else { break };
        if found.is_empty() && seen > 0 && found.start == copied {
            at = next_character(text, found.end);
            continue;
        }
        seen += 1;
        if seen >= from {
            out.extend_from_slice(&text[copied..found.start]);
            let captures =
                if groups { pattern.captures(text, found.start).ok().flatten() } else { None };
            for part in &replacement.0 {
                match part {
                    Part::Text(literal) => out.extend_from_slice(literal),
                    Part::Group(0) => out.extend_from_slice(&text[found.clone()]),
                    Part::Group(number) => {
                        if let Some(range) = captures.as_ref().and_then(|all| all.group(*number)) {
                            out.extend_from_slice(&text[range]);
                        }
                    }
                }
            }
            done += 1;
        } else {
            out.extend_from_slice(&text[copied..found.end]);
        }
        copied = found.end;
        at = if found.is_empty() { next_character(text, found.end) } else { found.end };
    }
    if done > 0 {
        out.extend_from_slice(&text[copied..]);
    } else {
        out.truncate(begun);
    }
    done
}

fn next_character(text: &[u8], at: usize) -> usize {
    match text.get(at..) {
        Some(rest @ [_, ..]) => at + crate::characters::first(rest).1,
        _ => text.len() + 1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn replaced(pattern: &str, text: &str, new: &str, from: usize, most: usize) -> String {
        let pattern = super::super::resolve::compile(pattern.as_bytes()).unwrap();
        let mut out = Vec::new();
        let replacement = Replacement::new(new.as_bytes(), true);
        replace(&pattern, text.as_bytes(), &replacement, from, most, &mut out);
        String::from_utf8(out).unwrap()
    }

    #[test]
    fn matches_are_replaced_from_left_to_right() {
        assert_eq!(replaced("x*", "abc", "-", 1, 99), "-a-b-c-");
        assert_eq!(replaced("b*", "abc", "X", 1, 99), "XaXcX");
        assert_eq!(replaced("a", "aaa", "[&]", 2, 1), "a[a]a");
        assert_eq!(replaced("^a", "aaa", "x", 1, 99), "xaa");
        assert_eq!(replaced("$", "é", "!", 1, 99), "é!");
        assert_eq!(replaced("(a+)(b*)", "aabc", r"<\2\1\&\\>", 1, 99), r"<baa&\>c");
        assert_eq!(replaced("x*", "é", "-", 1, 99), "-é-");
    }
}
