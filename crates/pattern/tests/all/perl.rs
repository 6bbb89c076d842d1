//! Patterns of Perl: what they find, what of them is refused, and that they end.

use pattern::{Options, Pattern, PatternErrorKind, Syntax, TooManySteps};
use proptest::prelude::*;

fn built(pattern: &str, options: Options) -> Pattern {
    Pattern::new(&[pattern.as_bytes()], Syntax::Perl, options)
        .unwrap_or_else(|error| panic!("{pattern}: {error}"))
}

fn found(pattern: &str, text: &[u8]) -> Vec<String> {
    let pattern = built(pattern, Options::default());
    let all = pattern.find_all(text).map(|found| found.unwrap());
    all.map(|range| String::from_utf8_lossy(&text[range]).into_owned()).collect()
}

#[test]
fn what_is_found() {
    for (pattern, text, expected) in [
        ("a|ab", "ab", &["a"][..]),
        ("a(?=b)", "ab ac", &["a"]),
        ("(?<=card=)\\d+", "card=17 lane=3", &["17"]),
        ("card=\\K\\d+", "card=17", &["17"]),
        ("(\\w)\\1", "aabbc", &["aa", "bb"]),
        ("(?<x>a)b\\k<x>", "aba", &["aba"]),
        ("(?P<x>a)b(?P=x)", "aba", &["aba"]),
        ("(a)\\g{1}", "aa", &["aa"]),
        ("\\w+", "é_1٣", &["_1"]),
        (".", "é", &["é"]),
        ("(?i)É", "é", &["é"]),
        ("\\h+", "a \tb\u{a0}c", &[" \t", "\u{a0}"]),
        ("\\bb", "ab b", &["b"]),
        ("\\Qa.b\\E+", "a.bb axb", &["a.bb"]),
        ("a{,2}", "aa{,2}", &["a{,2}"]),
        ("[[]x[]]", "[x]", &["[x]"]),
        ("[a&&b]+", "a&b", &["a&b"]),
        ("[\\d-x]+", "1-x2", &["1-x2"]),
        ("[\\[-\\]]+", "[\\]a", &["[\\]"]),
        ("[[-a]+", "[^a-", &["[^a"]),
        ("[+--]+", "+,-.", &["+,-"]),
        ("[a-c-e]+", "abc-ed", &["abc-e"]),
        ("[-a]+[a-]+", "-a-ab", &["-a-a"]),
        ("[]-a]+", "]^a\\", &["]^a"]),
        ("[\\w-]+[[:space:]-]", "a-b -", &["a-b "]),
        ("[^\\s]+", "a b", &["a", "b"]),
        ("\\x41\\x{e9}", "Aé", &["Aé"]),
        ("a(?#note)b", "ab", &["ab"]),
        ("a++b", "aab", &["aab"]),
        ("a*+a", "aa", &[]),
        ("\\cI", "\t", &["\t"]),
        ("[\\b]", "\u{8}", &["\u{8}"]),
        ("a{2}b{1}c", "aabc", &["aabc"]),
        ("a\\xg\\x4", "a\0g\u{4}", &["a\0g\u{4}"]),
        ("\\x{}", "\0", &["\0"]),
        ("\\060\\0101", "0\u{8}1", &["0\u{8}1"]),
        ("\\p{Lu}\\pL\\P{L}", "Aé1 aé1", &["Aé1"]),
        ("\\p{Greek}x", "λx", &["λx"]),
        ("[a-c-e]+", "d", &[]),
        ("(?i-s)A.", "ab", &["ab"]),
        ("(?i:A)b", "ab AB", &["ab"]),
        ("(a)\\k'1'", "aa", &["aa"]),
    ] {
        assert_eq!(found(pattern, text.as_bytes()), expected, "{pattern} in {text:?}");
    }
}

#[test]
fn bytes_that_are_not_text_are_in_no_match() {
    assert_eq!(found("a.b|.", b"a\xffb"), ["a", "b"]);
    assert_eq!(found("[^a]+", b"\xffb\xc3"), ["b"]);
    assert_eq!(found("^.|.$", b"\xffab"), ["b"]);
    // A match that would take such a byte in is none; the search continues after it.
    assert_eq!(found("a[^x]c", b"a\xffc abc"), ["abc"]);
    assert_eq!(found("a[^x]c", b"a\xffc"), [""; 0]);
    assert_eq!(found("b+", b"a\xffbb\xc3b"), ["bb", "b"]);
}

#[test]
fn options_and_groups() {
    let whole_word = Options { whole_word: true, ..Options::default() };
    assert!(built("a|ab", whole_word).is_match(b"ab").unwrap());
    assert!(!built("a", whole_word).is_match(b"ab").unwrap());
    let whole_line = Options { whole_line: true, ..Options::default() };
    assert!(built("a|ab", whole_line).is_match(b"ab").unwrap());
    assert!(!built("a", whole_line).is_match(b"ab").unwrap());
    let ignore_case = Options { ignore_case: true, ..Options::default() };
    assert!(built("A", ignore_case).is_match(b"a").unwrap());
    let pattern = built("(a)|(b)", Options::default());
    assert_eq!((pattern.groups(), pattern.longest_match()), (2, None));
    let captures = pattern.captures(b"xb", 0).unwrap().unwrap();
    assert_eq!((captures.whole(), captures.group(1), captures.group(2)), (1..2, None, Some(1..2)));
    assert_eq!(pattern.find(b"ab", 1).unwrap(), Some(1..2));
    assert_eq!(pattern.find_candidate(b"x\ny\nb", 2), Some((2, false)));
}

#[test]
fn what_is_not_done_is_refused_at_its_place() {
    for (pattern, place) in [
        ("x\\X", "\\X"),
        ("x(?R)", "(?R"),
        ("x(?1)", "(?1"),
        ("x(?|a|b)", "(?|"),
        ("x(*FAIL)", "(*"),
        ("x\\g{-1}", "\\g{-1}"),
        ("x\\12", "\\12"),
        ("x\\y", "\\y"),
        ("[\\y]", "\\y"),
        ("[[.a.]]", "[."),
        ("[a-\\d]", "\\d"),
        ("[a-[:digit:]]", "[:digit:]"),
        ("x(?)", "(?)"),
        ("x(?ix)", "(?ix"),
        ("x(?x)", "(?x"),
        ("(?<n>a)\\g<n>", "\\g<n>"),
        ("(a)\\g'1'", "\\g'1'"),
        ("x\\k{}", "\\k{}"),
        ("x\\k{a-b}", "\\k{a-b}"),
        ("x\\x{zz}", "\\x{zz}"),
        ("x\\x{d800}", "\\x{d800}"),
    ] {
        let error = Pattern::new(&[pattern.as_bytes()], Syntax::Perl, Options::default());
        let error = error.map(drop).unwrap_err();
        assert!(matches!(error.kind, PatternErrorKind::NotSupported(_)), "{pattern}: {error}");
        assert_eq!(&pattern[error.span], place, "{pattern}");
    }
    for (pattern, kind, place) in [
        ("xy)", PatternErrorKind::CloseGroup, ")"),
        ("xy(a", PatternErrorKind::OpenGroup, "("),
        ("xy[ab", PatternErrorKind::OpenBracket, "[ab"),
        ("xy\\", PatternErrorKind::TrailingBackslash, "\\"),
    ] {
        let error = Pattern::new(&[pattern.as_bytes()], Syntax::Perl, Options::default());
        let error = error.map(drop).unwrap_err();
        assert_eq!((error.kind, &pattern[error.span]), (kind, place), "{pattern}");
    }
    for pattern in ["(a", "[a", "a\\", "*a", "a)", "[[:nope:]]", "(?<=a*)b(", "\\1"] {
        let built = Pattern::new(&[pattern.as_bytes()], Syntax::Perl, Options::default());
        assert!(built.is_err(), "{pattern}");
    }
}

#[test]
fn a_search_of_too_many_steps_is_given_up() {
    let pattern = built("(x+x+)+(?=y)y", Options::default());
    let text = "x".repeat(60);
    assert_eq!(pattern.is_match(text.as_bytes()), Err(TooManySteps));
    assert_eq!(pattern.find_all(text.as_bytes()).next(), Some(Err(TooManySteps)));
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(6000) })]

    /// Half-typed and broken ones too: each is compiled or refused at a place in it.
    #[test]
    fn any_text_is_compiled_or_refused(
        parts in prop::collection::vec(prop::sample::select(vec![
            "a", "é", "\\", "[", "]", "(", ")", "?", "<", ">", "=", "!", ":", "#", "*", "+", "{", "}", ",", "1", "P", "Q", "E", "x",
            "k", "g", "'", "&", "^", "$", "|", ".", "-", "[:", ":]", "(?", "\\x{", "\\Q", "\\p{", "\\g{", "i", "n",
        ]), 0..12),
        line in prop::collection::vec(prop::sample::select(vec![b'a', b'1', b' ', b'-', 0xc3, 0xa9, 0xff]), 0..12),
    ) {
        let text = parts.concat();
        match Pattern::new(&[text.as_bytes()], Syntax::Perl, Options::default()) {
            Err(error) => prop_assert!(text.get(error.span.clone()).is_some(), "{text}: {:?}", error.span),
            Ok(pattern) => {
                let matches = pattern.is_match(&line);
                if let Ok(Some(found)) = pattern.find(&line, 0) {
                    prop_assert!(found.start <= found.end && found.end <= line.len());
                    prop_assert_eq!(matches, Ok(true), "{}", text);
                    prop_assert!(std::str::from_utf8(&line[found]).is_ok(), "{text}");
                }
                let _ = pattern.captures(&line, 0);
            }
        }
    }
}
