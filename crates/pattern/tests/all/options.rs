//! What options change: case, whole words, whole lines, what a newline is; several texts at once.

use pattern::{Options, Pattern, Subject, Syntax};

use crate::matches;

fn found(texts: &[&str], syntax: Syntax, options: Options, text: &str) -> Vec<String> {
    let texts: Vec<&[u8]> = texts.iter().map(|text| text.as_bytes()).collect();
    matches(&Pattern::new(&texts, syntax, options).unwrap(), text)
}

#[test]
fn case() {
    let ignoring = Options { ignore_case: true, ..Options::default() };
    for (pattern, syntax, text, expected) in [
        ("gate", Syntax::Basic, "Gate GATE gate gat", vec!["Gate", "GATE", "gate"]),
        ("[a-c]*", Syntax::Basic, "aBCd", vec!["aBC"]),
        ("[[:upper:]]+", Syntax::Extended, "aBc", vec!["aBc"]),
        ("[^a]", Syntax::Basic, "aAb", vec!["b"]),
        ("é", Syntax::Basic, "É é e", vec!["É", "é"]),
        ("GATE", Syntax::Fixed, "gate", vec!["gate"]),
        ("(a)\\1", Syntax::Extended, "aA", vec!["aA"]),
    ] {
        assert_eq!(found(&[pattern], syntax, ignoring, text), expected, "{pattern} in {text}");
    }
    assert!(found(&["gate"], Syntax::Basic, Options::default(), "GATE").is_empty());
}

#[test]
fn whole_words() {
    let words = Options { whole_word: true, ..Options::default() };
    for (pattern, text, expected) in [
        ("gate", "gate gates a-gate gate_1 xgate", vec!["gate", "gate"]),
        ("a", "a ab ba a", vec!["a", "a"]),
        ("a*", "aa ab a", vec!["aa", "a"]),
        ("-a", "x -a -ab", vec!["-a"]),
        ("a.", "ab abc a c", vec!["ab"]),
    ] {
        let all = found(&[pattern], Syntax::Basic, words, text);
        assert_eq!(all, expected, "{pattern} in {text}");
    }
    let fixed = found(&["a.b"], Syntax::Fixed, words, "a.b xa.b a.bx (a.b)");
    assert_eq!(fixed, ["a.b", "a.b"]);
}

#[test]
fn whole_lines() {
    let lines = Options { whole_line: true, ..Options::default() };
    let pattern = |text: &str, syntax| Pattern::new(&[text.as_bytes()], syntax, lines).unwrap();
    let ab = pattern("ab*", Syntax::Basic);
    for (text, is) in [("a", true), ("abb", true), ("abc", false), ("xab", false), ("", false)] {
        assert_eq!(ab.is_match(text.as_bytes()).unwrap(), is, "{text}");
    }
    let either = pattern("a|bc", Syntax::Extended);
    for (text, is) in [("a", true), ("bc", true), ("ac", false), ("b", false)] {
        assert_eq!(either.is_match(text.as_bytes()).unwrap(), is, "{text}");
    }
    assert!(pattern("", Syntax::Basic).is_match(b"").unwrap());
    assert!(!pattern("", Syntax::Basic).is_match(b"a").unwrap());
    assert!(pattern("a.b", Syntax::Fixed).is_match(b"a.b").unwrap());
    assert!(!pattern("a.b", Syntax::Fixed).is_match(b"axb").unwrap());
}

#[test]
fn several_texts_are_searched_at_once_and_the_longest_counts() {
    let all = found(&["ab", "abcd", "x"], Syntax::Basic, Options::default(), "abcdx ab");
    assert_eq!(all, ["abcd", "x", "ab"]);
    let all = found(&["b", "abc"], Syntax::Fixed, Options::default(), "abc b");
    assert_eq!(all, ["abc", "b"]);
    // No text matches nothing; an empty one everything, but nothing that could be shown.
    let none = Pattern::new(&[], Syntax::Basic, Options::default()).unwrap();
    assert!(!none.is_match(b"a").unwrap() && !none.is_match(b"").unwrap());
    let empty = Pattern::new(&[b"", b"b"], Syntax::Basic, Options::default()).unwrap();
    assert!(empty.is_match(b"a").unwrap());
    assert_eq!(matches(&empty, "abc"), ["b"]);
}

#[test]
fn what_a_newline_is() {
    let of = |subject| Options { subject, ..Options::default() };
    for (pattern, text, line, whole, lines) in [
        ("a.b", "a\nb", 0, 1, 0),
        ("^b", "a\nb", 1, 0, 1),
        ("a$", "a\nb", 1, 0, 1),
        ("[^x]b", "a\nb", 0, 1, 0),
        ("\\`a", "a\nb", 1, 1, 1),
        ("b\\'", "a\nb", 1, 1, 1),
        ("\\`b", "a\nb", 1, 0, 0),
        ("a\\'", "a\nb", 1, 0, 0),
        // Step by step, which a reference asks for.
        ("^\\(b\\)\\1*", "a\nb", 1, 0, 1),
        ("\\(a\\)\\1*$", "a\nb", 1, 0, 1),
        ("\\(\\(a\\n\\)\\2\\)\\1", "a\na\na\na\n", 0, 0, 0),
        ("\\(\\(a[^a]\\)\\2\\)\\1", "a\na\na\na\n", 0, 1, 0),
    ] {
        for (subject, expected) in
            [(Subject::Line, line), (Subject::Text, whole), (Subject::Lines, lines)]
        {
            let all = found(&[pattern], Syntax::Basic, of(subject), text);
            assert_eq!(all.len(), expected, "{pattern} in {text:?} as {subject:?}: {all:?}");
        }
    }
}

#[test]
fn bytes_that_are_not_text_match_no_character() {
    let any = Pattern::new(&[b"a.b"], Syntax::Basic, Options::default()).unwrap();
    assert!(!any.is_match(b"a\xffb").unwrap());
    assert!(any.is_match("aéb".as_bytes()).unwrap());
    let fixed = Pattern::new(&[b"\xff"], Syntax::Fixed, Options::default()).unwrap();
    assert_eq!(fixed.find(b"a\xffb", 0).unwrap(), Some(1..2));
    let either = Pattern::new(&[b"\xff", b"\xfd"], Syntax::Fixed, Options::default()).unwrap();
    for (line, found) in [(b"a\xfd", Some(1..2)), (b"\xffa", Some(0..1)), (b"\xfea", None)] {
        assert_eq!(either.find(line, 0).unwrap(), found, "{line:?}");
    }
}

#[test]
fn what_is_known_of_a_pattern_beforehand() {
    let pattern =
        |text: &str, syntax| Pattern::new(&[text.as_bytes()], syntax, Options::default()).unwrap();
    assert_eq!(pattern("abc", Syntax::Basic).longest_match(), Some(3));
    assert_eq!(pattern("a{2,4}", Syntax::Extended).longest_match(), Some(4));
    assert_eq!(pattern("a*", Syntax::Basic).longest_match(), None);
    assert_eq!(pattern("abc", Syntax::Basic).plain_text(), Some(&b"abc"[..]));
    assert_eq!(pattern("a.c", Syntax::Fixed).plain_text(), Some(&b"a.c"[..]));
    assert_eq!(pattern("a.c", Syntax::Basic).plain_text(), None);
    assert_eq!(pattern("(a)(b(c))", Syntax::Extended).groups(), 3);
    assert_eq!(pattern("(a)", Syntax::Basic).groups(), 0);
}

#[test]
fn classes_of_letters_lose_their_case_with_the_case() {
    for (class, exact, folded) in [
        ("[[:upper:]]", "AÉ", "aAéÉß日"),
        ("[[:lower:]]", "aéß", "aAéÉß日"),
        ("[[:alpha:]]", "aAéÉß日", "aAéÉß日"),
        ("[[:digit:]]", "7", "7"),
        ("[[:punct:]]", "-", "-"),
        ("[A]", "A", "aA"),
    ] {
        for (ignore_case, expected) in [(false, exact), (true, folded)] {
            let options = Options { ignore_case, ..Options::default() };
            let all = found(&[class], Syntax::Basic, options, "aA7éÉß日- ").concat();
            assert_eq!(all, expected, "{class} {ignore_case}");
        }
    }
}

#[test]
fn escapes_in_the_brackets_of_awk() {
    for (pattern, text, expected) in [
        ("[\\]a]", "]a\\", &["]", "a"][..]),
        ("[\\101\\102]x", "Ax101x", &["Ax"]),
        ("[\\t-\\r]", "\t\u{b}\u{e}\\", &["\t", "\u{b}"]),
        ("[\\é]b", "éb\\b", &["éb"]),
        ("[\\/]", "\\/", &["/"]),
        ("[a\\\\-]", "\\-b", &["\\", "-"]),
    ] {
        assert_eq!(found(&[pattern], Syntax::Awk, Options::default(), text), expected, "{pattern}");
    }
    // Without awk a backslash is itself there.
    assert_eq!(found(&["[\\t]"], Syntax::Extended, Options::default(), "\\t\t"), ["\\", "t"]);
}

#[test]
fn words_around_bytes_that_are_not_text() {
    let whole_word = Options { whole_word: true, ..Options::default() };
    let of = |text: &str| Pattern::new(&[text.as_bytes()], Syntax::Basic, whole_word).unwrap();
    for (pattern, line, expected) in [
        ("a", &b"\xffa\xff"[..], Some(1..2)),
        ("a", b"\xc3\xa9a\xff", None),
        ("a", b"a\xff\xc3\xa9a", Some(0..1)),
        ("a*", b"b\xffaa\xff", Some(0..0)),
        ("b*", b"\xffbb-", Some(1..3)),
    ] {
        let found = of(pattern).find(line, 0).unwrap();
        let found_later = of(pattern).find(line, 1).unwrap();
        assert_eq!(of(pattern).is_match(line).unwrap(), found.is_some(), "{pattern} {line:?}");
        if pattern == "a" {
            assert_eq!(found, expected, "{pattern} in {line:?}");
        }
        assert!(found_later.is_none_or(|later| later.start >= 1));
    }
}
