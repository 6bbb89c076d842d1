//! Patterns that cannot be used: the reason and the bytes that are meant.

use pattern::{Options, Pattern, PatternErrorKind, Syntax};

use PatternErrorKind::{
    BackReference, BadInterval, BadRange, CloseGroup, OpenBracket, OpenGroup, OpenInterval, TooBig,
    TooDeep, TrailingBackslash, UnknownClass, UnknownCollating,
};

fn refused(syntax: Syntax, pattern: &str) -> (PatternErrorKind, String) {
    let error = Pattern::new(&[pattern.as_bytes()], syntax, Options::default())
        .err()
        .unwrap_or_else(|| panic!("{pattern} is taken"));
    assert_eq!(error.text, 0);
    assert_eq!(error.to_string(), error.kind.to_string());
    (error.kind, pattern[error.span].to_owned())
}

#[test]
fn basic_patterns_that_are_wrong() {
    for (pattern, kind, place) in [
        ("a\\(b", OpenGroup, "\\("),
        ("a\\)b", CloseGroup, "\\)"),
        ("x[ab", OpenBracket, "[ab"),
        ("x[^", OpenBracket, "[^"),
        ("x[[:alpha:", OpenBracket, "[[:alpha:"),
        ("a\\{1", OpenInterval, "\\{"),
        ("a\\{x\\}", BadInterval, "\\{x\\}"),
        ("a\\{3,1\\}", BadInterval, "\\{3,1\\}"),
        ("a\\{1,2,3\\}", BadInterval, "\\{1,2,3\\}"),
        ("[z-a]", BadRange, "z-a"),
        ("[[:word:]]", UnknownClass, "[:word:]"),
        ("[[.ab.]]", UnknownCollating, "[.ab.]"),
        ("[[=ab=]]", UnknownCollating, "[=ab=]"),
        ("ab\\", TrailingBackslash, "\\"),
        ("\\(a\\)\\2", BackReference, "\\2"),
        ("\\1", BackReference, "\\1"),
    ] {
        assert_eq!(refused(Syntax::Basic, pattern), (kind, place.to_owned()), "{pattern}");
    }
}

#[test]
fn extended_patterns_that_are_wrong() {
    for (pattern, kind, place) in [
        ("a(b", OpenGroup, "("),
        ("((a)", OpenGroup, "("),
        ("[a", OpenBracket, "[a"),
        ("a{3,1}", BadInterval, "{3,1}"),
        ("[b-a]", BadRange, "b-a"),
        ("[[:digits:]]", UnknownClass, "[:digits:]"),
        ("a\\", TrailingBackslash, "\\"),
        ("(a)\\2", BackReference, "\\2"),
    ] {
        assert_eq!(refused(Syntax::Extended, pattern), (kind, place.to_owned()), "{pattern}");
    }
    let nested = "(((((((((((a{255}){255}){255}){255}){255}){255}){255}){255}){255}){255}))";
    assert_eq!(refused(Syntax::Extended, nested).0, TooBig);
}

#[test]
fn what_is_nested_too_deeply_is_said_at_its_place_in_every_syntax() {
    let many = |text: &str, count: usize| text.repeat(count);
    for (syntax, repeats, groups) in [
        (Syntax::Basic, &["*", "\\+", "\\?", "\\{1\\}"][..], ("\\(", "\\)")),
        (Syntax::Extended, &["*", "+", "?", "{1}", "*+?"], ("(", ")")),
        (Syntax::Awk, &["*", "+", "?", "{1}"], ("(", ")")),
        (Syntax::Perl, &["*", "+", "?", "{1}", "+?"], ("(?:", ")")),
    ] {
        for repeat in repeats {
            for count in [10_000, 100_000] {
                let pattern = format!("xa{}y", many(repeat, count));
                let error = Pattern::new(&[pattern.as_bytes()], syntax, Options::default());
                let error = error.err().unwrap();
                assert_eq!(error.kind, TooDeep, "{syntax:?} {repeat}");
                assert!(error.span.start > 200 && error.span.end < 2_000, "{:?}", error.span);
            }
        }
        let (open, close) = groups;
        let pattern = format!("{}a{}", many(open, 50_000), many(close, 50_000));
        let error = Pattern::new(&[pattern.as_bytes()], syntax, Options::default());
        assert_eq!(error.err().unwrap().kind, TooDeep, "{syntax:?}");
        // What people write is not.
        let pattern = format!("{}a*{}", many(open, 20), many(close, 20));
        assert!(Pattern::new(&[pattern.as_bytes()], syntax, Options::default()).is_ok());
    }
    let stars = format!("a{}", many("*", 20));
    assert!(Pattern::new(&[stars.as_bytes()], Syntax::Extended, Options::default()).is_ok());
}

#[test]
fn awk_patterns_that_are_wrong() {
    for (pattern, kind, place) in [
        ("x[\\377]", PatternErrorKind::NotText, "\\377"),
        ("x[a\\200-z]", PatternErrorKind::NotText, "\\200"),
        ("x[ab\\", OpenBracket, "[ab\\"),
        ("x[\\z-\\a]", BadRange, "\\z-\\a"),
    ] {
        assert_eq!(refused(Syntax::Awk, pattern), (kind, place.to_owned()), "{pattern}");
    }
    let not_text = |text: &[u8]| {
        let error = Pattern::new(&[text], Syntax::Awk, Options::default()).unwrap_err();
        assert_eq!(error.kind, PatternErrorKind::NotText);
        error.span
    };
    assert_eq!(not_text(b"x[a\xff]"), 3..4);
    assert_eq!(not_text(b"x[a\\\xff]"), 3..4);
}

#[test]
fn the_text_that_is_wrong_is_named_among_several() {
    let texts: [&[u8]; 3] = [b"fine", b"also", b"a["];
    let error = Pattern::new(&texts, Syntax::Basic, Options::default()).err().unwrap();
    assert_eq!((error.text, error.span), (2, 1..2));
    // Nothing is wrong with any text that is taken as it is.
    assert!(Pattern::new(&texts, Syntax::Fixed, Options::default()).is_ok());
}

#[test]
fn a_class_outside_brackets_is_refused_where_that_is_asked_for() {
    let asked = Options { refuse_bare_class: true, ..Options::default() };
    let built = |pattern: &str, options| {
        Pattern::new(&[pattern.as_bytes()], Syntax::Basic, options)
            .map_err(|error| (error.kind, pattern[error.span].to_owned()))
    };
    for (pattern, place) in
        [("[:space:]", "[:space:]"), ("x[:a:]y", "[:a:]"), ("[^:digit:]*", "[^:digit:]")]
    {
        let error = built(pattern, asked).err();
        assert_eq!(error, Some((PatternErrorKind::BareClass, place.to_owned())), "{pattern}");
        assert!(built(pattern, Options::default()).is_ok(), "{pattern}");
    }
    for pattern in ["[[:space:]]", "[:a]", "[:a:b]", "[::]", "[:a-c:]", "[a:b:]"] {
        assert!(built(pattern, asked).is_ok(), "{pattern}");
    }
}
