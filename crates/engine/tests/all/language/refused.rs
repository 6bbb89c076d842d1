//! What the language refuses before anything runs, and differences kept on purpose.

use engine::{Variables, dry_run, run_script};
use stream::RunControl;

use super::{Text, agree, dry, real};

/// A text that is refused, and words of the reason.
const REFUSED: [(&str, &str); 28] = [
    ("echo a > out; echo b & wait", "run in the background"),
    ("echo a > out; eval echo b", "its commands are not known before it runs"),
    ("echo a > out; exec echo b", "exec with a command"),
    ("echo a > out; wait", "job control"),
    ("echo a > out; fg", "fg"),
    ("echo a > out; select x in a; do echo; done", "select"),
    ("echo a > out; coproc cat", "coproc"),
    ("echo a > out; if true; then", "a command is missing here"),
    ("echo a > out; for x in a; do echo", "has no end"),
    ("echo a > out; while true; do echo", "has no end"),
    ("echo a > out; case a in a) echo", "this case has no end"),
    ("echo a > out; { echo", "this { has no end"),
    ("echo a > out; (echo", "this ( has no end"),
    ("echo a > out; echo )", ")"),
    ("echo a > out; fi", "fi"),
    ("echo a > out; done", "done"),
    ("echo a > out; echo 'a", "quote"),
    ("echo a > out; echo \"a", "quote"),
    ("echo a > out; echo $(echo", "$("),
    ("echo a > out; echo ${x", "${"),
    ("echo a > out; echo $((1 +", "$(("),
    ("echo a > out; cat <<E\ntext", "E"),
    ("echo a > out; | cat", "|"),
    ("echo a > out; cat |", "|"),
    ("echo a > out; && cat", "&&"),
    ("echo a > out; cat >", ">"),
    ("echo a > out; f() ", "f"),
    ("echo a > out; ;; ", ";;"),
];

#[test]
fn a_text_is_refused_whole_before_anything_runs() {
    for (text, reason) in REFUSED {
        for (way, (said, status, left)) in [("dry run", dry(text)), ("run", real(text))] {
            assert!(said.starts_with("refused: "), "{way} of {text}: {said}");
            assert!(said.contains(reason), "{way} of {text}: {said}");
            assert_eq!((status, left.len()), (2, 0), "{way} of {text}");
        }
    }
}

#[test]
fn errors_have_their_place() {
    for (text, place) in [
        ("echo 'a", "'"),
        ("echo a; fi", "fi"),
        ("echo a |", "|"),
        ("echo a && || b", "||"),
        ("sort a; eval x", "eval"),
    ] {
        let span = |error: engine::RunError| match error {
            engine::RunError::Shell(error) => error.span,
            engine::RunError::Plan(error) => error.span,
            error => panic!("{text}: {error}"),
        };
        let run = run_script(text, &mut Variables::default(), &RunControl::default(), None);
        let at = span(run.expect_err(text));
        assert!(text[at.range()].contains(place), "{text}: {:?}", &text[at.range()]);
        let dry = dry_run(
            text,
            &mut Variables::default(),
            engine::DryLimits::AsPreview,
            &RunControl::default(),
        );
        assert_eq!(span(dry.err().expect(text)), at, "a dry run refuses the same");
    }
}

#[test]
fn kept_differences() {
    agree(&[
        Text("echo 'a\\b' | { read x; echo \"$x\"; }", b"ab\n", 0, &[]),
        Text("echo 'a\\b' | { read -r x; printf '%s\\n' \"$x\"; }", b"a\\b\n", 0, &[]),
        Text("echo 'a\\tb'", b"a\\tb\n", 0, &[]),
        Text("echo -e 'a\\tb'", b"a\tb\n", 0, &[]),
        Text("seq 5 | { head -n 2 > first; cat; }", b"3\n4\n5\n", 0, &[("first", b"1\n2\n")]),
        Text("seq 5 | { sed 2q > first; cat; }", b"3\n4\n5\n", 0, &[("first", b"1\n2\n")]),
        Text("seq 5 | { grep -m1 2; cat; }", b"2\n3\n4\n5\n", 0, &[]),
        Text("seq 5 | { awk 'NR == 2 {exit}'; cat; }", b"3\n4\n5\n", 0, &[]),
        Text(": < missing.txt; echo $?", b"2\n", 0, &[]),
    ]);
}
