//! What holds for any pattern and text.

use pattern::{Options, Pattern, Subject, Syntax};
use proptest::prelude::*;

use super::candidate_is_right;

/// An extended pattern of few characters; with every kind of assertion where that is asked for.
fn expression(assertions: bool) -> impl Strategy<Value = String> {
    let characters = ["a", "b", "A", "é", "_", "-", ".", "[ab]", "[^a]", "[[:upper:]]", ""];
    let looks = ["^", "$", "\\<", "\\>", "\\b", "\\B", "\\w", "\\W", "\\`", "\\'"];
    let leaves = [&characters[..], if assertions { &looks } else { &[] }].concat();
    let leaf = prop::sample::select(leaves).prop_map(str::to_owned);
    leaf.prop_recursive(3, 12, 3, |inner| {
        let repeated = prop::sample::select(vec!["*", "+", "?", "{2}", "{0,2}", "{1,}"]);
        prop_oneof![
            (inner.clone(), inner.clone()).prop_map(|(one, two)| format!("{one}{two}")),
            (inner.clone(), inner.clone()).prop_map(|(one, two)| format!("({one}|{two})")),
            (inner, repeated).prop_map(|(one, times)| format!("({one}){times}")),
        ]
    })
}

fn options() -> impl Strategy<Value = Options> {
    let subject = prop::sample::select(vec![Subject::Line, Subject::Text, Subject::Lines]);
    (any::<bool>(), any::<bool>(), any::<bool>(), subject).prop_map(
        |(ignore_case, whole_word, whole_line, subject)| Options {
            ignore_case,
            whole_word,
            whole_line,
            subject,
            refuse_bare_class: false,
        },
    )
}

fn text() -> impl Strategy<Value = Vec<u8>> {
    prop::collection::vec(
        prop::sample::select(vec![
            &b"a"[..],
            b"b",
            b"A",
            b"B",
            "é".as_bytes(),
            "É".as_bytes(),
            b"_",
            b"-",
            b" ",
        ]),
        0..10,
    )
    .prop_map(|parts| parts.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(3000) })]

    /// A reference to a group that matches nothing but the empty text adds nothing: the step by
    /// step search then finds what the automata find.
    #[test]
    fn both_ways_of_searching_find_the_same(
        expression in expression(true), options in options(), mut text in text(),
        newline in prop::option::of(0_usize..10)
    ) {
        if let Some(at) = newline.filter(|at| options.subject != Subject::Line && *at < text.len())
            && std::str::from_utf8(&text[..at]).is_ok()
        {
            text.insert(at, b'\n');
        }
        let groups = expression.matches('(').count();
        prop_assume!(groups < 8);
        let build = |text: &str| Pattern::new(&[text.as_bytes()], Syntax::Extended, options);
        let plain = build(&format!("({expression})")).unwrap();
        let stepped = build(&format!("({expression})()\\{}", groups + 2)).unwrap();
        let all = |pattern: &Pattern| -> Vec<_> {
            pattern.find_all(&text).map(|found| found.unwrap()).collect()
        };
        prop_assert_eq!(all(&plain), all(&stepped), "{} {:?} in {:?}", expression, options, text);
        let matches = plain.is_match(&text).unwrap();
        prop_assert_eq!(matches, stepped.is_match(&text).unwrap());
        prop_assert_eq!(matches, plain.captures(&text, 0).unwrap().is_some());
        if options.subject == Subject::Line {
            candidate_is_right(&plain, &text);
            candidate_is_right(&stepped, &text);
        }
    }

    /// Texts that are searched for as they are, or nearly: where the quick ways are taken.
    #[test]
    fn quick_ways_find_what_a_plain_search_finds(
        needle in "[aAbB.*é-]{0,4}", text in text(), fixed in any::<bool>(), ignore_case in any::<bool>()
    ) {
        let options = Options { ignore_case, ..Options::default() };
        let syntax = if fixed { Syntax::Fixed } else { Syntax::Extended };
        let Ok(pattern) = Pattern::new(&[needle.as_bytes()], syntax, options) else { return Ok(()) };
        candidate_is_right(&pattern, &text);
        let fold = |text: &str| if ignore_case { text.to_lowercase() } else { text.to_owned() };
        if fixed || !needle.contains(['.', '*']) {
            let text = String::from_utf8(text.clone()).unwrap();
            let place = fold(&text).find(&fold(&needle));
            let found = pattern.find(text.as_bytes(), 0).unwrap();
            prop_assert_eq!(found.map(|found| found.start), place, "{} in {}", needle, text);
        }
    }

    /// Places of the text after its beginning see what is before them.
    #[test]
    fn a_search_from_a_later_place_knows_what_is_before_it(
        expression in expression(true), text in text(), from in 0_usize..10
    ) {
        let text = String::from_utf8(text).unwrap();
        let from = (0..=from.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap();
        let build = |text: &str| Pattern::new(&[text.as_bytes()], Syntax::Extended, Options::default()).unwrap();
        let groups = expression.matches('(').count();
        prop_assume!(groups < 8);
        let plain = build(&expression);
        let stepped = build(&format!("({expression})()\\{}", groups + 2));
        let found = |pattern: &Pattern| pattern.find(text.as_bytes(), from).unwrap();
        prop_assert_eq!(found(&plain), found(&stepped), "{} from {} in {}", expression, from, text);
    }

    /// A group and a reference to it match a text twice over, and no other.
    #[test]
    fn a_back_reference_is_the_text_of_its_group(
        expression in expression(false), text in text(), ignore_case in any::<bool>()
    ) {
        let groups = expression.matches('(').count();
        prop_assume!(groups < 9);
        let options = Options { ignore_case, whole_line: true, ..Options::default() };
        let build = |text: &str| Pattern::new(&[text.as_bytes()], Syntax::Extended, options).unwrap();
        let once = build(&expression);
        let twice = build(&format!("({expression})\\1"));
        let text = String::from_utf8(text).unwrap();
        let (one, two) = text.split_at(
            (0..=text.len() / 2).rev().find(|&at| text.is_char_boundary(at)).unwrap_or(0),
        );
        let same = if ignore_case {
            one.len() == two.len() && one.eq_ignore_ascii_case(two)
        } else {
            one == two
        };
        let expected = same && once.is_match(one.as_bytes()).unwrap();
        prop_assert_eq!(twice.is_match(text.as_bytes()).unwrap(), expected, "{} {}", expression, text);
        let doubled = format!("{one}{one}");
        prop_assert_eq!(
            twice.is_match(doubled.as_bytes()).unwrap(),
            once.is_match(one.as_bytes()).unwrap(),
            "{} {}", expression, doubled
        );
    }
}
