//! Patterns by example: the first one offered is the one a person would write, none misses a mark,
//! and every use of one does the same in the shell of this machine.

use std::sync::Arc;

use engine::{Kept, Limits, try_on};
use insight::{Finds, Mark, finds, substituting, suggestions, uses};
use proptest::prelude::*;
use stream::RunControl;

use crate::host;

/// A line with what is marked between `[[` and `]]`.
fn mark(line: &str) -> Mark {
    let start = line.find("[[").expect("a mark");
    let end = line.rfind("]]").expect("its end");
    let text = [&line[..start], &line[start + 2..end], &line[end + 2..]].concat();
    Mark { line: text.into_bytes(), piece: start..end - 2 }
}

/// What is marked, and the patterns a person would write first.
const CASES: &[(&[&str], &[&str])] = &[
    (&["at [[06:12:00]] open", "at [[17:01:59]] shut"], &["[0-9][0-9]:[0-9][0-9]:[0-9][0-9]"]),
    (&["[[06:12]] a", "[[06:40]] b"], &["[0-9][0-9]:[0-9][0-9]"]),
    (
        &["x [[2031-04-02]] y", "x [[2031-04-13]] y"],
        &["[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]"],
    ),
    (
        &["from [[192.0.2.7]] to", "from [[198.51.100.12]] to"],
        &["[0-9]+\\.[0-9]+\\.[0-9]+\\.[0-9]+"],
    ),
    (&["a [[gate-03]] b", "a [[gate-17]] b"], &["gate-[0-9][0-9]", "gate-[0-9]+"]),
    (&["a [[gate-03]] b"], &["gate-[0-9][0-9]", "gate-[0-9]+"]),
    (&["p [[winchd[311]]] x", "p [[winchd[2009]]] x"], &["winchd\\[[0-9]+]"]),
    (&["say [[\"expired\"]] now", "say [[\"no credit\"]] now"], &["\"[^\"]*\""]),
    (&["[[card=16304]] x", "[[card=7]] x"], &["card=[0-9]+"]),
    (&["took [[12 ms]]", "took [[7 ms]]"], &["[0-9]+ ms"]),
    (&["size [[1.5M]] a", "size [[900K]] b"], &["[0-9]+(\\.[0-9]+)?[A-Za-z]*"]),
    (&["open [[/var/log/a.log]] now", "open [[/srv/x]] now"], &["\\/[^ ]*"]),
    (&["[[3.4]] m", "[[12.75]] m"], &["[0-9]+\\.[0-9]+"]),
    (&["is [[refused]] by", "is [[stuck]] by"], &["refused|stuck", "[a-z]+"]),
    (&["[[AB12]] x", "[[CD34]] x"], &["[A-Z][A-Z][0-9][0-9]", "[A-Z]+[0-9]+"]),
    (
        &["[[v1.2.3]] out", "[[v1.10.0]] out"],
        &["v1\\.[0-9]+\\.[0-9]+", "v[0-9]+\\.[0-9]+\\.[0-9]+"],
    ),
    (&["mail [[otter@tarn.example]] x", "mail [[r.tern@pier.example]] x"], &["[^ @]+@[^ @]+"]),
    (&["pid [[311]] x", "pid [[2009]] x"], &["[0-9]+"]),
    (&["error [[E042]]: x", "error [[E107]]: x"], &["E[0-9][0-9][0-9]", "E[0-9]+"]),
    (&["(x) [[(closed)]] y", "(x) [[(half open)]] y"], &["\\([^)]*\\)"]),
    (&["sum [[3fa9c0de]] x", "sum [[0badf00d]] x"], &["[0-9a-f]+"]),
    (&["[[-12]] C", "[[7]] C"], &["-?[0-9]+"]),
];

#[test]
fn the_first_pattern_is_the_one_a_person_would_write() {
    let mut other = Vec::new();
    for (lines, expected) in CASES {
        let marks: Vec<Mark> = lines.iter().map(|line| mark(line)).collect();
        let all = suggestions(&marks, &[]);
        let first = all.first().map_or("", |one| &one.pattern);
        if !expected.contains(&first) {
            let patterns: Vec<&str> = all.iter().map(|one| &one.pattern[..]).collect();
            other.push(format!("{lines:?}: {patterns:?}"));
        }
    }
    assert!(other.len() * 5 <= CASES.len(), "{} others:\n{}", other.len(), other.join("\n"));
}

#[test]
fn what_must_not_match_narrows_it() {
    let marks = [mark("a [[gate-03]] x"), mark("a [[gate-17]] x")];
    let house = [mark("the [[gate-house]] x")];
    let all = suggestions(&marks, &house);
    assert_eq!(all[0].pattern, "gate-[0-9][0-9]");
    assert!(all.iter().all(|one| !one.pattern.contains("[^ ]")), "{all:?}");
    let none = suggestions(&marks, &[mark("a [[gate-03]] x")]);
    assert!(none.is_empty(), "{none:?}");
    assert!(suggestions(&[], &[]).is_empty());
    assert!(suggestions(&[Mark { line: vec![0xff, b'a'], piece: 0..1 }], &[]).is_empty());
}

#[test]
fn what_a_pattern_finds_is_counted() {
    let lines = ["a gate-01 gate-02", "none", "gate-03"].map(str::as_bytes);
    let found = finds("gate-[0-9]+", lines.into_iter());
    assert_eq!(found, Finds { pieces: 3, lines: 2 });
}

#[test]
fn every_use_is_the_same_in_the_shell() {
    for (lines, _) in CASES {
        let marks: Vec<Mark> = lines.iter().map(|line| mark(line)).collect();
        let data: String = marks
            .iter()
            .map(|mark| String::from_utf8_lossy(&mark.line).into_owned() + "\n")
            .collect();
        let data = format!("{data}something else/\\ [0-9] 'q'\n");
        let input = Arc::new(Kept::of(data.as_bytes()));
        for one in suggestions(&marks, &[]) {
            let mut stages: Vec<String> =
                uses(&one.pattern).into_iter().map(|(_, stage)| stage).collect();
            stages.push(substituting(&one.pattern, "a/b&c\\1"));
            for stage in stages {
                let ours = try_on(&stage, &input, &Limits::default(), &RunControl::default());
                let ours = ours.unwrap_or_else(|| panic!("{stage}")).contents();
                let theirs = host(&stage, data.as_bytes());
                assert_eq!(
                    String::from_utf8_lossy(&ours),
                    String::from_utf8_lossy(&theirs),
                    "{stage} on {data}"
                );
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(400) })]

    /// Whatever is marked: every pattern finds each mark as it is marked and touches no other mark.
    #[test]
    fn no_pattern_misses_a_mark(
        lines in prop::collection::vec(("[a-cA-C0-3 =./:\"é\\[\\]*+-]{0,6}", "[a-cA-C0-3=./:\"é\\[\\]()*+?^$|\\\\{}-]{1,6}", "[a-c0-3 ]{0,4}"), 1..4),
        not in prop::option::of(("[a-c0-3 ]{0,3}", "[a-c0-3=]{1,4}")),
    ) {
        let made = |before: &str, piece: &str, after: &str| Mark {
            line: format!("{before}{piece}{after}").into_bytes(),
            piece: before.len()..before.len() + piece.len(),
        };
        let marks: Vec<Mark> = lines.iter().map(|(before, piece, after)| made(before, piece, after)).collect();
        let nots: Vec<Mark> = not.iter().map(|(before, piece)| made(before, piece, "")).collect();
        for one in suggestions(&marks, &nots) {
            let pattern = pattern::Pattern::new(&[one.pattern.as_bytes()], pattern::Syntax::Extended, pattern::Options::default());
            let pattern = pattern.map_err(|error| TestCaseError::fail(format!("{}: {error}", one.pattern)))?;
            let found = |line: &[u8]| pattern.find_all(line).map(Result::unwrap).collect::<Vec<_>>();
            for mark in &marks {
                prop_assert!(found(&mark.line).contains(&mark.piece), "{} in {:?}", one.pattern, mark);
            }
            for not in &nots {
                let touches = found(&not.line).iter().any(|at| at.start < not.piece.end && at.end > not.piece.start);
                prop_assert!(!touches, "{} in {:?}", one.pattern, not);
            }
        }
        // With nothing that must not match, the text itself is found at least, unless what is searched
        // from the left takes a part of it for one that begins before: `""` at the end of `"""`.
        if let ([(before, piece, after)], []) = (&lines[..], &nots[..]) {
            let line = format!("{before}{piece}{after}");
            let comes = line.match_indices(piece.as_str()).any(|(at, _)| at == before.len());
            prop_assert!(!comes || !suggestions(&marks, &[]).is_empty());
        }
    }
}
