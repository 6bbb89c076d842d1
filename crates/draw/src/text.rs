//! Text in drawings: made visible, measured in cells, wrapped and cut.

use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Text in which every character can be seen: control characters, those without width and those
/// that turn the direction of writing are told by their numbers.
pub fn visible(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for character in text.chars() {
        match character {
            '\0'..='\u{1f}' | '\u{7f}' => {
                out.push_str(&format!("‹{:02X}›", character as u32));
            }
            // Not characters in XML either.
            '\u{fffe}' | '\u{ffff}' => out.push('\u{fffd}'),
            '\u{80}'..='\u{9f}'
            | '\u{ad}'
            | '\u{61c}'
            | '\u{200b}'..='\u{200f}'
            | '\u{2028}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}'
            | '\u{feff}' => out.push_str(&format!("‹{:04X}›", character as u32)),
            other => out.push(other),
        }
    }
    out
}

/// How many cells of a fixed-width font text takes.
pub(crate) fn cells(text: &str) -> usize {
    text.width()
}

/// Text cut to this many cells, with a mark where something is missing.
pub(crate) fn cut(text: &str, most: usize) -> String {
    if cells(text) <= most {
        return text.to_owned();
    }
    let mut out = String::new();
    let mut used = 1;
    for cluster in text.graphemes(true) {
        used += cells(cluster);
        if used > most {
            break;
        }
        out.push_str(cluster);
    }
    if most > 0 {
        out.push('…');
    }
    out
}

/// Text on at most `rows` rows of this many cells, broken at spaces where that is possible; the last
/// row ends with a mark where something is missing.
pub(crate) fn wrap(text: &str, most: usize, rows: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    let mut line = String::new();
    let mut used = 0;
    for word in text.split_inclusive(' ') {
        let width = cells(word.trim_end());
        if used > 0 && used + width > most {
            lines.push(std::mem::take(&mut line).trim_end().to_owned());
            used = 0;
        }
        for cluster in word.graphemes(true) {
            let width = cells(cluster);
            if used + width > most && cluster != " " {
                lines.push(std::mem::take(&mut line));
                used = 0;
            }
            line.push_str(cluster);
            used += width;
        }
    }
    if !line.trim().is_empty() || lines.is_empty() {
        lines.push(line.trim_end().to_owned());
    }
    if lines.len() > rows {
        let rest = lines.split_off(rows.max(1) - 1).join(" ");
        lines.push(cut(&rest, most));
    }
    lines
}

/// Thousands grouped by a space.
pub(crate) fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::new();
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            out.push('\u{a0}');
        }
        out.push(digit);
    }
    out
}

/// `1 line`, `5 000 lines`.
pub(crate) fn lines(number: u64) -> String {
    format!("{}\u{a0}{}", grouped(number), if number == 1 { "line" } else { "lines" })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_cannot_be_seen_is_shown() {
        assert_eq!(visible("a\tb\u{1b}[1m\u{202e}x\u{7f}"), "a‹09›b‹1B›[1m‹202E›x‹7F›");
        assert_eq!(visible("שלום 索道 é"), "שלום 索道 é");
    }

    #[test]
    fn signs_that_belong_to_a_letter_stay_with_it() {
        // A Tamil letter with its vowel sign: two code points, each of which takes room.
        let letter = "\u{0ba8}\u{0bbf}";
        let width = cells(letter);
        assert!(width > 1, "the letter is a case only while its sign takes room");
        assert_eq!(cut(&format!("a{letter}bcd"), width + 1), "a…");
        assert_eq!(wrap(&format!("a{letter}"), width, 2), ["a".to_owned(), letter.to_owned()]);
    }

    #[test]
    fn text_is_broken_at_spaces_and_cut_at_the_end() {
        assert_eq!(wrap("one two three", 7, 5), ["one two", "three"]);
        assert_eq!(wrap("abcdefghij", 4, 5), ["abcd", "efgh", "ij"]);
        assert_eq!(wrap("one two three four", 7, 2), ["one two", "three …"]);
        assert_eq!(wrap("", 7, 2), [""]);
        assert_eq!(cut("索道索道", 5), "索道…");
        // What is one character to a reader is not taken apart.
        assert_eq!(cut("ae\u{301}bcd", 4), "ae\u{301}b…");
        assert_eq!(cut("ae\u{301}bcd", 3), "ae\u{301}…");
        assert_eq!((cut("ab", 1), cut("ab", 0)), ("…".to_owned(), String::new()));
        assert_eq!(wrap("ae\u{301}bc", 2, 5), ["ae\u{301}", "bc"]);
        assert_eq!(wrap("       ", 3, 5), [""]);
    }

    proptest! {
        #[test]
        fn no_row_is_too_wide(text in ".{0,200}", most in 4usize..60, rows in 1usize..6) {
            let text = visible(&text);
            let wrapped = wrap(&text, most, rows);
            prop_assert!(wrapped.len() <= rows);
            for line in &wrapped {
                prop_assert!(cells(line) <= most, "{line:?} of {most}");
            }
        }
    }
}
