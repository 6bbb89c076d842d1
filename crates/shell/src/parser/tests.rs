use super::*;
use crate::{print, quote};
use proptest::prelude::*;

/// The tree without its places.
fn shape(text: &str) -> String {
    let script = parse(text).unwrap();
    let mut out = String::new();
    let debug = format!("{:?}", script.pipelines);
    let mut rest = debug.as_str();
    while let Some(at) = rest.find("Span {") {
        out.push_str(&rest[..at]);
        rest = &rest[at..];
        rest = &rest[rest.find('}').unwrap() + 1..];
    }
    out.push_str(rest);
    out
}

fn refused(text: &str) -> String {
    let error = parse(text).unwrap_err();
    format!("{} at {:?}", error, &text[error.span.range()])
}

fn values(text: &str) -> Vec<Option<String>> {
    parse(text).unwrap().pipelines[0].commands[0].words.iter().map(Word::literal).collect()
}

#[test]
fn a_pipeline_has_its_commands_and_places() {
    let text = "grep refused gate.log | cut -d' ' -f3 |\n  sort > out.txt # top\n";
    let script = parse(text).unwrap();
    let pipeline = &script.pipelines[0];
    let stages: Vec<&str> =
        pipeline.commands.iter().map(|command| &text[command.span.range()]).collect();
    assert_eq!(stages, ["grep refused gate.log", "cut -d' ' -f3", "sort > out.txt"]);
    assert_eq!(&text[script.comments[0].range()], "# top");
    assert_eq!(pipeline.commands[1].words[1].literal().unwrap(), "-d ");
}

#[test]
fn quoting_gives_the_values_the_shell_gives() {
    let some = |text: &str| Some(text.to_owned());
    assert_eq!(
        values(r#"x a\ b 'c d' "e \"f\" \n" '' g"h"'i' \'j # k"#),
        [
            some("x"),
            some("a b"),
            some("c d"),
            some(r#"e "f" \n"#),
            some(""),
            some("ghi"),
            some("'j")
        ]
    );
    assert_eq!(values("x a#b *.log '*' $y"), [some("x"), some("a#b"), None, some("*"), None]);
    assert_eq!(values("x a\\\nb c\\"), [some("x"), some("ab"), some("c\\")]);
}

#[test]
fn redirections_are_kept_in_order() {
    let script = parse("x 2>&1 >f <g 2>>h >|i").unwrap();
    let kinds: Vec<String> = script.pipelines[0].commands[0]
        .redirections
        .iter()
        .map(|redirection| {
            let name = |word: &Word| word.literal().unwrap();
            match &redirection.kind {
                RedirectionKind::Duplicate(of) => format!("{}&{of}", redirection.descriptor),
                RedirectionKind::Replace(word) => {
                    format!("{}>{}", redirection.descriptor, name(word))
                }
                RedirectionKind::Append(word) => {
                    format!("{}+{}", redirection.descriptor, name(word))
                }
                RedirectionKind::Read(word) => format!("{}<{}", redirection.descriptor, name(word)),
            }
        })
        .collect();
    assert_eq!(kinds, ["2&1", "1>f", "0<g", "2+h", "1>i"]);
}

#[test]
fn a_switched_off_stage_is_found_in_its_comment() {
    let text = "cat gate.log |  # off: grep refused gate.log\nsort |\ncat > x  # off: head -n 5";
    let script = parse(text).unwrap();
    let off: Vec<Option<&str>> = script.pipelines[0]
        .commands
        .iter()
        .map(|command| command.off.map(|span| &text[span.range()]))
        .collect();
    assert_eq!(off, [Some("grep refused gate.log"), None, Some("head -n 5")]);
}

#[test]
fn what_is_wrong_or_unsupported_is_refused_at_its_place() {
    let cases = [
        "a | | b",
        "a |",
        "| a",
        "; a",
        "a ;; b",
        "a && b",
        "a || b",
        "a & b",
        "(a)",
        "a )",
        "a |& b",
        "a 'b",
        "a \"b",
        "a >",
        "a > | b",
        "a << E",
        "a <<< b",
        "tee >(a)",
        "<(a) b",
        "a <(b",
        "a <(b; c)",
        "a <()",
        "a 3> f",
        "a >&7",
        "a >&-",
        "a &> f",
        "a `b`",
        "a $(b)",
        "a $((1+1))",
        "a ${b:-c}",
        "a ${b",
        "a $'b'",
        "a $!",
        "if a; then b; fi",
        "! a",
        "{ a; }",
        "f() { a; }",
        "cd /tmp",
        "[[ a ]]",
        "cat ~root/x",
        "echo {a,b}",
        "echo {1..3}",
        "x \"$(b)\"",
    ];
    let shown: Vec<String> =
        cases.iter().map(|case| format!("{case:<18} {}", refused(case))).collect();
    insta::assert_snapshot!(shown.join("\n"));
}

#[test]
fn dollar_signs_and_braces_that_are_only_themselves() {
    assert_eq!(
        values("grep a$ {} {x} a{2} '$1' \"$\" \"$'\""),
        ["grep", "a$", "{}", "{x}", "a{2}", "$1", "$", "$'"].map(|s| Some(s.to_owned()))
    );
}

fn word() -> impl Strategy<Value = String> {
    prop_oneof![
        "[a-z0-9.*?/-]{1,6}",
        "'[^'\n]{0,5}'",
        "\"[a-z $\\\\*]{0,3} \"",
        Just("$x".to_owned()),
        Just("${x}y".to_owned()),
        Just("\"${12}3 $@\"".to_owned()),
        Just("a\\ b\\'c".to_owned()),
        Just("~/x".to_owned()),
        Just("<( a 'b' | c > d )".to_owned()),
        Just("é\"ü\"".to_owned()),
    ]
}

proptest! {
    #[test]
    fn printing_and_parsing_again_gives_the_same_tree(
        stages in prop::collection::vec((prop::collection::vec(word(), 1..4), prop::option::of("( > f| 2>&1| <  g|\\\\\n2>>h)")), 1..4)
    ) {
        let text: Vec<String> =
            stages.iter().map(|(words, tail)| format!("x {}{}", words.join("  "), tail.clone().unwrap_or_default())).collect();
        let text = text.join("|");
        let first = shape(&text);
        let printed = print(&parse(&text).unwrap());
        prop_assert_eq!(&first, &shape(&printed), "{} printed as {}", text, printed);
    }

    #[test]
    fn any_text_parses_or_is_refused_inside_itself(text in "[ -~\n\u{e9}]{0,40}") {
        if let Err(error) = parse(&text) {
            prop_assert!(error.span.start <= error.span.end && error.span.end <= text.len());
            prop_assert!(text.get(error.span.range()).is_some());
        }
    }

    #[test]
    fn a_quoted_value_is_read_back(value in "[ -~\n\u{e9}\u{1F6E4}]{0,12}") {
        prop_assert_eq!(values(&format!("x {}", quote(&value)))[1].clone(), Some(value));
    }
}
