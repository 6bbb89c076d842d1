//! Input and programs made to hurt: no panic, no endless run, no memory without bounds.

use std::time::{Duration, Instant};

use super::{awk, out};
use crate::support::{WHOLE, run};

fn timed(line: &[&[u8]], stdin: &[u8]) -> (String, u8) {
    let started = Instant::now();
    let outcome = run(line, stdin, WHOLE);
    // Far above what any of them takes: this tells an endless run, not a slow machine.
    assert!(started.elapsed() < Duration::from_mins(2), "{:?}", String::from_utf8_lossy(line[1]));
    (format!("{}{}", out(&outcome), outcome.error), outcome.status)
}

#[test]
fn deep_nesting_is_refused_not_run_into_the_ground() {
    let deep = 100_000;
    let programs: Vec<(&str, String)> = vec![
        ("awk", format!("BEGIN {{ x = {}1{} }}", "(".repeat(deep), ")".repeat(deep))),
        ("awk", format!("BEGIN {{ print {}1 }}", "-".repeat(deep))),
        ("awk", format!("BEGIN {{ print {}x }}", "!".repeat(deep))),
        ("awk", format!("BEGIN {{ print 1{} }}", "^1".repeat(deep))),
        ("awk", format!("BEGIN {{ x{} 1 }}", " = x".repeat(deep))),
        ("awk", format!("BEGIN {}{}", "{".repeat(deep), "}".repeat(deep))),
        ("awk", format!("BEGIN {{ {} x }}", "if (1) ".repeat(deep))),
        ("awk", format!("BEGIN {{ print {}1{} }}", "a[".repeat(deep), "]".repeat(deep))),
        ("awk", format!("BEGIN {{ print {}1 }}", "1 ? 1 : ".repeat(deep))),
        ("awk", format!("BEGIN {{ print {}1 }}", "$".repeat(deep))),
        ("awk", format!("/{}a{}/", "(".repeat(deep), ")".repeat(deep))),
        ("sed", format!("{}p{}", "{".repeat(deep), "}".repeat(deep))),
        ("sed", format!("s/{}a{}/b/", "\\(".repeat(deep), "\\)".repeat(deep))),
        ("bc", format!("{}1{}\n", "(".repeat(deep), ")".repeat(deep))),
        ("bc", format!("{}1\n", "-".repeat(deep))),
        ("bc", format!("1{}\n", "^1".repeat(deep))),
        ("bc", format!("{}1{}\n", "{".repeat(deep), "}".repeat(deep))),
        ("bc", format!("{}1\n", "if(1) ".repeat(deep))),
    ];
    for (name, program) in programs {
        let (shown, status) = if name == "bc" {
            timed(&[b"bc", b"-q"], program.as_bytes())
        } else {
            timed(&[name.as_bytes(), program.as_bytes()], b"")
        };
        // Blocks within blocks are no nesting for sed's machine; all else is refused.
        assert!(status != 0 || name == "sed", "{name} {}: {shown}", &program[..30]);
    }
    // Long but not deep is no trouble.
    let long = format!("BEGIN {{ print 1{} }}", " + 1".repeat(150));
    assert_eq!(awk(&long, ""), "151\n");
}

#[test]
fn binary_data_goes_through() {
    let data: Vec<u8> = (0..=255u8).cycle().take(200_000).collect();
    assert_eq!(run(&[b"sed", b""], &data, WHOLE).out, data);
    assert_eq!(run(&[b"sed", b"s/\\xffq/x/"], &data, WHOLE).out, data);
    assert_eq!(run(&[b"sed", b"-z", b"p;d"], &data, WHOLE).out, data);
    let copied = run(&[b"awk", b"{ print }"], &data, WHOLE).out;
    let mut whole = data.clone();
    whole.push(b'\n');
    assert!(copied == whole);
    for program in [
        "{ gsub(/./, \"x\"); print length($0) }",
        "{ print toupper($0), substr($0, 2, 5), $3 }",
        "BEGIN { RS = \"[\\001-\\037]\" } { n += NF } END { print n }",
        "BEGIN { FS = \"\" } { $3 = \"y\"; n += length($0) } END { print n }",
        "{ printf \"%c %d %s %5.2f\\n\", $1, $2, $3, $4 }",
        "{ a[$0]++ } END { for (k in a) n += a[k]; print n }",
    ] {
        assert_eq!(run(&[b"awk", program.as_bytes()], &data, WHOLE).error, "", "{program}");
    }
    for script in
        ["y/abc/\\n\\t\\\\/", "s/[^a-z]*/<&>/g", "l;d", "s/\\(.\\)\\(.\\)/\\2\\1/g", "N;P;D"]
    {
        assert_eq!(run(&[b"sed", script.as_bytes()], &data, WHOLE).error, "", "{script}");
    }
    let _ = run(&[b"bc"], &data, WHOLE);
}

#[test]
fn long_lines_take_time_in_proportion() {
    let line = "gate 12 ".repeat(1_250_000);
    let data = format!("{line}\nshort\n");
    let count = |program: &str| timed(&[b"awk", program.as_bytes()], data.as_bytes()).0;
    assert_eq!(count("{ print NF }"), "2500000\n1\n");
    assert_eq!(count("{ print gsub(/[0-9]+/, \"#\") }"), "1250000\n0\n");
    assert_eq!(count("{ print length($0), substr($0, 9999999, 1) }"), "10000000 2\n5 \n");
    assert_eq!(count("{ n = split($0, a); print a[n], length(a) }"), "12 2500000\nshort 1\n");
    let (out, _) = timed(&[b"sed", b"s/[0-9][0-9]//g;s/ //g;s/gate//g"], data.as_bytes());
    assert_eq!(out, "\nshort\n");
    let digits = "7".repeat(300_000);
    let (out, _) = timed(&[b"bc"], format!("length({digits})\n").as_bytes());
    assert_eq!(out, "300000\n");
}

#[test]
fn catastrophic_patterns_end() {
    let line = format!("{}b\n", "a".repeat(2000));
    for pattern in ["(a*)*c", "(a|aa)+c", "(a|a)*c", "(.*)(.*)(.*)(.*)c", "((a*)*)*c"] {
        let (shown, _) = timed(&[b"awk", format!("/{pattern}/").as_bytes()], line.as_bytes());
        assert_eq!(shown, "");
        let script = format!("s/{pattern}/<&>/");
        let (shown, _) = timed(&[b"sed", b"-E", script.as_bytes()], line.as_bytes());
        assert_eq!(shown, line);
    }
    // With back-references a search may be given up, with a word about it.
    let (shown, status) = timed(
        &[b"sed", b"-E", b"s/(x+x+)+\\1y/z/"],
        format!("{}z{}y\n", "x".repeat(60), "x".repeat(60)).as_bytes(),
    );
    assert!(status == 0 || shown.contains("too many steps"), "{shown}");
}

#[test]
fn numbers_without_end_are_refused() {
    for program in [
        "9^999999999",
        "2^2^100",
        "scale=999999999",
        "1/3^9999999",
        "e(10^9)",
        "a[99999999]=1",
        "obase=0",
        "ibase=99",
    ] {
        let (shown, status) = timed(&[b"bc", b"-l"], format!("{program}\n").as_bytes());
        assert!(status == 1 && shown.contains("line 1"), "{program}: {shown}");
    }
    let (shown, _) = timed(&[b"awk", b"BEGIN { printf \"%99999999999d\", 1 }"], b"");
    assert!(shown.contains("too large"), "{shown}");
    let (shown, _) = timed(&[b"awk", b"{ $99999999999 = 1 }"], b"a\n");
    assert!(shown.contains("at most"), "{shown}");
    let (shown, _) = timed(&[b"awk", b"{ NF = 1e18 }"], b"a\n");
    assert!(shown.contains("at most"), "{shown}");
}

/// What once went wrong, found by feeding the parsers with noise.
#[test]
#[allow(clippy::too_many_lines)] // a table
fn regressions() {
    for program in [
        "",
        "#",
        "\\",
        "\\\n",
        "\"",
        "\"\\",
        "/",
        "/[",
        "/[^",
        "/[[:",
        "/\\",
        "$",
        "!",
        "{",
        "}",
        "(",
        "1 1",
        "a[",
        "a[]",
        "function",
        "function f",
        "function f(",
        "function f(a,",
        "BEGIN",
        "END",
        "getline",
        "getline <",
        "x |",
        "x | getline",
        "print",
        "{print >}",
        "{print |}",
        "{printf(}",
        "1,",
        "/a/,",
        "{for(;;",
        "{for(a in",
        "{do",
        "{if(",
        "\u{e9}",
        "1e",
        "1e+",
        ".",
        "..",
        "0x",
        "{a=/=/}",
        "{a /= /b/}",
        "a++b",
        "a++ ++b",
        "$i++ + ++$j",
        "{delete}",
        "{delete a[}",
        "-+!1",
        "in",
        "(a,b)",
        "(a,b) in",
        "f(",
        "{return}",
    ] {
        let _ = run(&[b"awk", program.as_bytes()], b"a b\n", WHOLE);
    }
    for script in [
        "",
        ";",
        "{",
        "}",
        "s",
        "s/",
        "s//",
        "s///",
        "s/a",
        "y",
        "y/",
        "y/a/",
        "y//",
        "y///",
        "a",
        "a\\",
        "a\\\n",
        "i\\",
        "c",
        ":",
        ":a",
        "b",
        "ba",
        "t;T",
        "1",
        "1,",
        "1,2",
        "$",
        "/",
        "/a",
        "/a/",
        "\\",
        "\\a",
        "\\aba",
        "0,/x/",
        "0p",
        "1~",
        "1~0p",
        "~",
        "+",
        "1,+",
        "1,~",
        "!",
        "1!",
        "r",
        "w",
        "R",
        "W",
        "q1",
        "q256",
        "l999999999999999999999",
        "#",
        "#n",
        "s/a/b/99999999999999999999",
        "s/a/\\",
        "s/\\",
        "s/[",
        "s/[]/b/",
        "s/a/b/w",
        "=p",
        "\u{e9}",
        "s\u{e9}a\u{e9}b\u{e9}",
        "s/a/\\c",
        "s/\\c",
        "y/\\c/a/",
        "s/x/\\x/",
        "s/x/\\d999/",
        "s/\\n/x/;N",
        "D;D",
        "x;x;G;G;H",
        "$!N;$!D",
        "z;z",
    ] {
        let _ = run(&[b"sed", b"-n", script.as_bytes()], b"a b\nc\n", WHOLE);
    }
    for text in [
        "",
        ";",
        "\\",
        "\"",
        "/*",
        "/",
        "1+",
        "(",
        "{",
        "}",
        "if",
        "if(",
        "if(1)",
        "while(",
        "for(",
        "define",
        "define f",
        "define f(",
        "define f(){",
        "auto",
        "print",
        "print \"",
        "a[",
        "a[]",
        "f(a[])",
        "1++",
        "++1",
        "++",
        "-",
        "!",
        "=",
        "a=",
        "scale",
        "scale(",
        "length",
        "sqrt",
        "sqrt(",
        "read",
        "ibase=16\nZ",
        ".",
        "..",
        "1.2.3",
        "1..2",
        "\u{e9}",
        "define f(){auto\n}",
        "return",
        "break",
        "a=b=",
        "1&&",
        "last=",
        "halt",
        "quit",
        "1;;2",
        "{;}",
        "define f(a,a){}",
        "f(1",
        "j(1,2,3)",
        "e()",
        "x^y",
        "0^-1",
        "0^0",
        "-1^.5",
    ] {
        let _ = run(&[b"bc", b"-l"], text.as_bytes(), WHOLE);
        let _ = run(&[b"bc", b"-l"], format!("{text}\n1\n").as_bytes(), WHOLE);
    }
}
