//! Patterns that cannot be used: the reason and the bytes that are meant.

use pattern::{Options, Pattern, PatternErrorKind, Syntax};

use PatternErrorKind::{
    BackReference, BadInterval, BadRange, CloseGroup, OpenBracket, OpenGroup, OpenInterval, TooBig,
    TrailingBackslash, UnknownClass, UnknownCollating,
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
