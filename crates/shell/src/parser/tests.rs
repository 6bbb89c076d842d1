//! Texts, and the trees that they become.

use proptest::prelude::*;

use super::*;
use crate::{Connector, NoBuiltins, Pipeline, RedirectionKind, Word, print, quote};

/// Only the grammar.
fn parse(text: &str) -> Result<Script, ShellError> {
    super::parse(text, &NoBuiltins)
}

fn same_again(text: &str) -> Result<(), TestCaseError> {
    let first = shape(text);
    let printed = print(&parse(text).unwrap());
    match parse(&printed) {
        Ok(_) => prop_assert_eq!(&first, &shape(&printed), "{} printed as {}", text, printed),
        Err(error) => prop_assert!(false, "{text} printed as {printed}: {error}"),
    }
    Ok(())
}

/// The tree without its places.
fn shape(text: &str) -> String {
    let script = parse(text).unwrap();
    let mut out = String::new();
    let debug = format!("{:?}", script.list);
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

fn pipeline(text: &str) -> Pipeline {
    parse(text).unwrap().pipelines().next().unwrap().clone()
}

fn values(text: &str) -> Vec<Option<String>> {
    pipeline(text).commands[0].words.iter().map(Word::literal).collect()
}

#[test]
fn a_pipeline_has_its_commands_and_places() {
    let text = "grep refused gate.log | cut -d' ' -f3 |\n  sort > out.txt # top\n";
    let script = parse(text).unwrap();
    let pipeline = script.pipelines().next().unwrap();
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
    let script = parse("x 2>&1 >f <g 2>>h >|i 3<>j &>k &>> l 7<&- <<<m").unwrap();
    let kinds: Vec<String> = script.pipelines().next().unwrap().commands[0]
        .redirections
        .iter()
        .map(|redirection| {
            let name = |word: &Word| word.literal().unwrap();
            match &redirection.kind {
                RedirectionKind::Duplicate(of) => format!("{}&{of}", redirection.descriptor),
                RedirectionKind::Close => format!("{}&-", redirection.descriptor),
                RedirectionKind::Document(_) => unreachable!(),
                RedirectionKind::Replace(word) => {
                    format!("{}>{}", redirection.descriptor, name(word))
                }
                RedirectionKind::Append(word) => {
                    format!("{}+{}", redirection.descriptor, name(word))
                }
                RedirectionKind::Read(word) => format!("{}<{}", redirection.descriptor, name(word)),
                RedirectionKind::ReadWrite(word) => {
                    format!("{}<>{}", redirection.descriptor, name(word))
                }
                RedirectionKind::ReplaceBoth(word) => format!("both>{}", name(word)),
                RedirectionKind::AppendBoth(word) => format!("both+{}", name(word)),
                RedirectionKind::Text(word) => {
                    format!("{}<<<{}", redirection.descriptor, name(word))
                }
            }
        })
        .collect();
    assert_eq!(
        kinds,
        ["2&1", "1>f", "0<g", "2+h", "1>i", "3<>j", "both>k", "both+l", "7&-", "0<<<m"]
    );
}

#[test]
fn a_switched_off_stage_is_found_in_its_comment() {
    let text = "cat gate.log |  # off: grep refused gate.log\nsort |\ncat > x  # off: head -n 5";
    let script = parse(text).unwrap();
    let off: Vec<Option<&str>> = script
        .pipelines()
        .next()
        .unwrap()
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
        "a &&",
        "a && | b",
        "a & b",
        "(a",
        "a )",
        "()",
        "a 'b",
        "a \"b",
        "a $'b",
        "a `b",
        "a $(b",
        "a $((1",
        "a ${b",
        "a >",
        "a > | b",
        "a << E",
        "a <<E\nx\n",
        "a $(b <<E)",
        "a <(b",
        "a <()",
        "a 30> f",
        "a >&70",
        "a >& f",
        "a <&$x",
        "a ${b/c/d}",
        "a ${b:1:2}",
        "a ${!b}",
        "a ${1=x}",
        "a ${#b:-c}",
        "a $[1]",
        "a $\"b\"",
        "a $!",
        "if a; then b",
        "if a; fi",
        "if; then b; fi",
        "while a; do b",
        "for 1 in a; do b; done",
        "for x in a | b; do c; done",
        "for ((i=0;i<3;i++)); do a; done",
        "case a in b) c ;& esac",
        "case a in b c) d;; esac",
        "case a b) c;; esac",
        "done",
        "{ a }",
        "{ a; } b",
        "f() a",
        "f(x) { a; }",
        "f.g() { a; }",
        "function f { a; }",
        "((1+1))",
        "[[ a ",
        "[[ ]]",
        "x+=1",
        "x=(1 2)",
        "! ",
        "time",
        "a $(b; c",
        "x `b \\`c | \\``",
        "<<<",
        "a <<$(b)\nc\n",
        "a (b)",
    ];
    let shown: Vec<String> = cases
        .iter()
        .map(|case| format!("{:<22} {}", case.escape_debug().to_string(), refused(case)))
        .collect();
    insta::assert_snapshot!(shown.join("\n"));
}

#[test]
fn braces_without_an_end_take_no_time() {
    for text in [
        format!("echo {}", "{a,".repeat(50)),
        format!("echo {{a,b{}}} }}", "{".repeat(55)),
        format!("echo {}", "{$(echo ".repeat(14)),
        format!("echo {}{}", "{a,$(echo ".repeat(14), ")".repeat(14)),
    ] {
        // Refused or not: it is known soon.
        let _ = parse(&text);
    }
    assert!(parse("echo $'a\0b'").is_err(), "no word can hold it");
    for text in ["echo `{ a; } b`", "echo \"$({ a; } b)\"", "x=`(a) b`"] {
        assert!(parse(text).is_err(), "{text}");
    }
    let printed = crate::print(&parse("> f { x").unwrap());
    assert_eq!(printed, "> f { x\n");
    for text in ["echo \"a$\\\n{b\"", "for\\\n\n", "echo $\\\nx"] {
        if let Ok(script) = parse(text) {
            assert!(parse(&crate::print(&script)).is_ok(), "{text:?}");
        }
    }
    let printed = crate::print(&parse("echo $`b` \"$`c`\"").unwrap());
    assert_eq!(printed, "echo \\$$(b) \"\\$$(c)\"\n");
}

#[test]
fn dollar_signs_and_braces_that_are_only_themselves() {
    assert_eq!(
        values("grep a$ {} {x} a{2} '$1' \"$\" \"$'\""),
        ["grep", "a$", "{}", "{x}", "a{2}", "$1", "$", "$'"].map(|s| Some(s.to_owned()))
    );
}

/// Words of every form, with `list` for what is inside them.
fn word(list: &str) -> impl Strategy<Value = String> + use<> {
    let list = list.to_owned();
    let with = move |form: &str| Just(form.replace('§', &list));
    prop_oneof![
        4 => "[a-z0-9.*?/-]{1,6}",
        1 => "'[^'\n]{0,5}'",
        1 => "\"[a-z $\\\\*]{0,3} \"",
        1 => prop::sample::select(vec![
            "$x", "${x}y", "\"${12}3 $1\"", "a\\ b\\'c", "~/x", "~tarn/y", "é\"ü\"", "$'a\\tb\\'\\303'",
            "{a,b}c", "x{1..3}", "{07..-9..2}{}", "{a", "${x:-a b}", "\"${x:-a \"b\" 'c'}\"", "${#x}$#",
            "${x##*/}", "\"${x%'*'}\"", "$((1 + x * (2)))", "\"$(( ${x} ))\"", "${x:=~/a}", "a#b", "$-$$",
        ]).prop_map(str::to_owned),
        1 => with("$(§)"),
        1 => with("\"a$( § )\""),
        1 => with("<(§)"),
        1 => with(">(§ )"),
    ]
}

/// Text of commands, from simple ones to compound ones in each other.
fn list() -> impl Strategy<Value = String> {
    let leaf = prop::collection::vec(word("a 'b' | c > d"), 1..4)
        .prop_map(|words| format!("x {}", words.join(" ")));
    leaf.prop_recursive(4, 24, 3, |inner| {
        let tails = vec![
            "",
            " > f",
            " 2>&1",
            " <  g",
            " 3<>h 4>&-",
            " &> i",
            " <<<\"j k\"",
            " <<E\nl $x `m`\nE\n",
            " <<-'E F' 2>n\n\to\n\tE F\n",
        ];
        let simple = (inner.clone(), prop::sample::select(tails)).prop_flat_map(|(list, tail)| {
            (word(&list.replace("<<", "<").replace("E\n", "")), Just(tail))
                .prop_filter("documents end a line", |(word, _)| !word.contains('\n'))
                .prop_map(|(word, tail)| format!("A=1 x {word}{tail}"))
        });
        let forms = vec![
            "§ ; §",
            "§ && § || §",
            "! §",
            "time -p §",
            "( § )",
            "{ §\n}",
            "if §\nthen §\nelif §\nthen §\nelse §\nfi",
            "while §\ndo §\ndone <f",
            "until §\ndo §\ndone",
            "for i in a \"$@\"; do §\ndone",
            "for i do §\ndone",
            "case $x in a|b*) §\n;; (\"c\") ;; esac",
            "f() { §\n}",
            "[[ -f a && ! ( $x == b* || c -lt 3 ) ]]",
            "[[ $x =~ ^(a|b)+$ || z ]]",
            "((§\n))",
        ];
        let compound = (prop::sample::select(forms), prop::collection::vec(inner, 5))
            .prop_filter_map("documents end a line", |(form, parts)| {
                let mut text = String::new();
                for (number, piece) in form.split('§').enumerate() {
                    if number > 0 {
                        let part = &parts[number - 1];
                        let joined = piece.starts_with([' ', ';']) || part.contains("\n#");
                        if joined && part.contains("<<") && part.ends_with('\n') {
                            return None;
                        }
                        text.push_str(part);
                    }
                    text.push_str(piece);
                }
                Some(text)
            });
        prop_oneof![simple, compound]
    })
}

proptest! {
    #[test]
    fn printing_and_parsing_again_gives_the_same_tree(
        stages in prop::collection::vec(
            (prop::collection::vec(word("a"), 1..4), prop::option::of(prop::sample::select(vec![" > f", " 2>&1", " <  g", " \\\n2>>h"]))),
            1..4,
        ),
        pipe in prop::sample::select(vec!["|", "|&", " | \n"]),
    ) {
        let text: Vec<String> = stages
            .iter()
            .map(|(words, tail)| format!("x {}{}", words.join("  "), tail.unwrap_or_default()))
            .collect();
        same_again(&text.join(pipe))?;
    }

    #[test]
    fn compound_commands_are_printed_as_they_were_read(text in list()) {
        // `((` may be read as something else, which is refused.
        if parse(&text).is_ok() {
            same_again(&text)?;
        } else {
            prop_assert!(text.contains("((") || text.contains("<<"), "{}: {}", text, refused(&text));
        }
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

/// The trees of texts, with all their places: one line a text, so that a change is seen for what
/// it changes.
#[test]
fn what_texts_become() {
    let texts = [
        // Sequences: signs, leading zeros, letters, steps, and what is none.
        "e {1..3} {3..1} {-1..+2} {01..3} {1..007} {-05..5} {a..e} {e..a..2} {1..9..-2} {1..9..0}",
        "e {+..3} {-..3} {..3} {1..} {a1..3} {ab..c} {1..c} {é..f} {1..2..x} {1..2..3..4} {1.2} {1..2",
        // Home folders: where one begins, and where its name ends.
        "e ~ ~/a ~tarn/b a~ ~:b {~,~x}c {a~,b} ${x:-~} ${x:-~y} ~é \"~\" a=~:~b:c~ a=~;",
        "e ~} ~, {~/a,~}",
        // What is quoted within what.
        "e \"${x:-\"a\" 'b'}\" ${x:-\"a\" 'b'} $((${x:-'1'})) $(( \"1\" + $y )) \"$'\" $'\\x41\\101\\u00e9'",
        "e `a \\`b\\` \\$c \\\\ \"\\\"\"` \"`d \\\"e\\\"`\" $(f `g`)",
        "e $((1 + (2) * $x)) $((a)) $( (a) ) $((a); (b))",
        // Names of variables end where they must.
        "e $a_1b $1a ${1} ${12}3 $@ $*a $# $? $- $$ $$a ${#a} ${#} ${a%%b} ${a#'}'} ${a:=b}",
        "a=1 b=\"$x\" c= d=e f=g=h x a=1 1a=2",
        "A=~ x >> f <> g 3>&4 <&- 2>|h &>i <<<j > >(k)",
        "a <<E <<-'F' | b <<G; c\n1 $x\nE\n\t2 $x\n\tF\n3\nG\nd",
        // Lists and what is around commands.
        "! a && b || ! c | d |& e; time a; time -p ! b; ! time c",
        "if a; then b; elif c; then d; else e; fi > f",
        "for i in a \"$b\" *; do c; done; for j; do d; done; while a; do b; done; until a; do b; done",
        "case $x in (a | b*) c;; 'd'|[e-g]) ;; *) h; esac",
        "f() { a; } > g; h () (b); { c; }; ( d; e ) 2> f",
        "[[ -n $a && ! b == c* || ( d =~ e(f|g)h ) ]]",
        "a \\\n b # c\n\n d;\n# e\nf",
    ];
    let shown: Vec<String> = texts
        .iter()
        .map(|text| match parse(text) {
            Ok(script) => format!("{text}\n  {:?}\n  {:?}", script.list, script.comments),
            Err(error) => format!("{text}\n  {error} at {:?}", error.span),
        })
        .collect();
    // Only what is not as usual is shown of a command, and a place as two numbers.
    let mut shown = shown.join("\n").replace("Span { start: ", "@").replace(", end: ", "–");
    for usual in [
        "assignments: [], ",
        "negated: false, ",
        "timed: None, ",
        ", compound: None",
        ", redirections: []",
        ", errors_too: false",
        ", off: None",
        ", pipes: []",
        ", rest: []",
    ] {
        shown = shown.replace(usual, "");
    }
    insta::assert_snapshot!(shown);
}

#[test]
fn depth_has_a_limit_that_is_reached_exactly() {
    let nested = |depth: usize| "( ".repeat(depth) + "a" + &" )".repeat(depth);
    assert!(parse(&nested(DEPTH_MAX - 1)).is_ok());
    let refused = parse(&nested(DEPTH_MAX)).unwrap_err();
    assert_eq!(refused.to_string(), "a command so deep inside others is not supported");
    // The text of a here-document is one level deeper, and what is substituted in it another.
    let document = |depth| "( ".repeat(depth) + "a <<E\n$(b)\nE\n" + &" )".repeat(depth);
    assert!(parse(&document(DEPTH_MAX - 3)).is_ok());
    assert!(parse(&document(DEPTH_MAX - 2)).is_err());
}

#[test]
fn what_a_text_is_known_to_be() {
    for word in ["if", "then", "{", "}", "!", "in", "[[", "time", "esac"] {
        assert!(crate::is_reserved(word.as_bytes()), "{word}");
    }
    assert!(!crate::is_reserved(b"function") && !crate::is_reserved(b"cd"));
    for (text, assigns) in [
        ("a=1", true),
        ("a=1 b=$(c)", true),
        ("a=1 b", false),
        ("a=1 > f", false),
        ("{ a=1; }", false),
        ("a=1 | b=2", false),
    ] {
        assert_eq!(pipeline(text).only_assigns(), assigns, "{text}");
    }
    let goes_on = [Connector::And, Connector::Or]
        .map(|connector| [0, 1, 255].map(|status| connector.goes_on(status)));
    assert_eq!(goes_on, [[true, false, false], [false, true, true]]);
}

#[test]
fn the_parameters_a_script_uses_are_known() {
    let uses = |text: &str| {
        let uses = parse(text).unwrap().uses;
        (uses.highest, uses.all)
    };
    assert_eq!(uses("grep x log"), (0, false));
    assert_eq!(uses("grep \"$2\" $1 ${10}"), (10, false));
    assert_eq!(uses("for x; do echo $x; done; echo $#"), (0, true));
    assert_eq!(uses("echo `echo $3` $(echo ${4:-x})"), (4, false));
    assert_eq!(uses("echo `echo \\$3`"), (3, false));
    assert_eq!(uses("cat << E\n$5 ${#1}\nE\n"), (5, false));
    assert_eq!(uses("cat << 'E'\n$5\nE\n"), (0, false));
    assert_eq!(uses("awk '{print $1}'"), (0, false));
    // Those of a function are its own.
    assert_eq!(uses("f() { echo $7 $@; }; f $1"), (1, false));
}
