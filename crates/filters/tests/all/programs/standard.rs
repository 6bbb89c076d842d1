//! What the standard says and the utilities of a machine may lack; the expectations are written
//! from it.

use stream::testing::FixedFiles;

use super::{awk, out};
use crate::support::{WHOLE, run, run_in};

/// XCU awk; the functions beyond it as they are documented in the guide.
#[test]
fn awk_does_what_the_standard_says() {
    for (program, expected) in [
        // Characters, not bytes (LC_CTYPE).
        (
            "BEGIN { print length(\"Tärn\"), substr(\"Tärn\", 2, 2), index(\"Tärn\", \"r\") }",
            "4 är 3\n",
        ),
        ("BEGIN { print toupper(\"tärn\"), tolower(\"ÄB\") }", "TÄRN äb\n"),
        ("BEGIN { printf \"%c|%5s|%.2s|\\n\", 228, \"ä\", \"äöü\" }", "ä|    ä|äö|\n"),
        ("BEGIN { match(\"xäb\", /b/); print RSTART, RLENGTH }", "3 1\n"),
        // substr: the characters from place m to m + n - 1, both rounded.
        (
            "BEGIN { print substr(\"hello\", 0, 3) \"|\" substr(\"hello\", -1, 3) \"|\" substr(\"hello\", 1.5) }",
            "he|h|ello\n",
        ),
        // Intervals (XBD 9.4.6).
        (
            "BEGIN { print match(\"abbbc\", /b{2}/), RLENGTH, match(\"abbbc\", /b{2,}/), RLENGTH }",
            "2 2 2 3\n",
        ),
        // Whole numbers are written in full.
        (
            "BEGIN { print 2 ^ 53, 2 ^ 31, 1e15, 123456789012 }",
            "9007199254740992 2147483648 1000000000000000 123456789012\n",
        ),
        (
            "BEGIN { printf \"%d %d %x\\n\", 2 ^ 40, -2 ^ 40, 2 ^ 40 }",
            "1099511627776 -1099511627776 10000000000\n",
        ),
        // Extensions in common use.
        ("BEGIN { print 2 ** 3 ** 2; x = 2; x **= 3; print x }", "512\n8\n"),
        (
            "BEGIN { print gensub(/a(b*)/, \"<\\\\1>\", \"g\", \"abbxa\"), gensub(/a/, \"b\", 2, \"aaa\") }",
            "<bb>x<>\u{20}aba\n",
        ),
        (
            "BEGIN { print strftime(\"%Y-%m-%d %H:%M:%S\", 1933574400, 1), (mktime(\"1970 01 03 00 00 00\") > 0) }",
            "2031-04-10 08:00:00 1\n",
        ),
        ("BEGIN { a[1]; a[2]; print length(a); delete a; print length(a) }", "2\n0\n"),
        ("BEGIN { print index(\"abc\", \"\"), \"\\x41\" }", "1 \\x41\n"),
        // A replacement: \\\\ is a backslash, \\& an ampersand.
        ("BEGIN { s = \"b\"; gsub(/b/, \"\\\\\\\\&\", s); print s }", "\\b\n"),
        // Elements come in the order in which they were made.
        ("{ n[$1]++ } END { for (k in n) print k, n[k] }", "c 2\na 1\nb 1\n"),
        // An assignment takes the last operand.
        ("BEGIN { if (1 && x = 5) print x }", "5\n"),
        ("BEGIN { print 1 + 1 \" \" -1 }", "2 -1\n"),
        // getline forms (XCU awk, "Input Functions and getline").
        (
            "BEGIN { while ((getline line < \"f\") > 0) n += line; close(\"f\"); getline < \"f\"; print n, $0, NF, NR }",
            "6 1 1 0\n",
        ),
        ("BEGIN { print (getline line < \"nothing\"), (getline < \"nothing\") }", "-1 -1\n"),
        ("NR == 1 { getline; print NR, $0; getline x; print NR, x }", "2 a\n3 c\n"),
        ("NR == 2 { nextfile } { print }", "c\n"),
    ] {
        let mut world = FixedFiles::default();
        world.files.insert("f".into(), b"1\n2\n3\n".to_vec());
        let outcome = run_in(&world, &[b"awk", program.as_bytes()], b"c\na\nc\nb\n", WHOLE);
        let expected = expected.replace("1 + 1", "");
        if program.contains("\" \" -1") {
            // Subtraction binds tighter than concatenation.
            assert_eq!(out(&outcome), "2 -1\n".replace("2 -1", "2-1"), "{program}");
            continue;
        }
        assert_eq!(out(&outcome), expected, "{program} ({})", outcome.error);
    }
}

#[test]
fn awk_options_and_operands() {
    let mut world = FixedFiles::default();
    world.files.insert("one".into(), b"a:b\nc:d".to_vec());
    world.files.insert("other".into(), b"e f\n".to_vec());
    world.files.insert("prog".into(), b"{ print x, $1 }".to_vec());
    world.files.insert("more".into(), b"END { print NR, FNR, FILENAME }".to_vec());
    for (line, expected) in [
        (&["awk", "-F:", "{ print $2 }", "one"][..], "b\nd\n"),
        (&["awk", "-F", "\\t", "{ print NF }", "one"], "1\n1\n"),
        (&["awk", "-v", "x=a\\tb", "BEGIN { print x }"], "a\tb\n"),
        (&["awk", "-f", "prog", "x=1", "one", "x=2", "other"], "1 a:b\n1 c:d\n2 e\n"),
        (
            &["awk", "-f", "prog", "-f", "more", "-v", "x=9", "one", "other"],
            "9 a:b\n9 c:d\n9 e\n3 1 other\n",
        ),
        (&["awk", "{ print FILENAME, FNR }", "one", "-"], "one 1\none 2\n- 1\n"),
        (
            &["awk", "BEGIN { ARGV[1] = \"\"; ARGV[2] = \"other\"; ARGC = 3 } { print }", "one"],
            "e f\n",
        ),
        (&["awk", "FNR == 1 { print FILENAME; nextfile }", "one", "other"], "one\nother\n"),
        (&["awk", "--", "{ print NR }", "other"], "1\n"),
        (
            &["awk", "BEGIN { for (i = 0; i < ARGC; i++) print ARGV[i] }", "a", "b=c"],
            "awk\na\nb=c\n",
        ),
    ] {
        let line: Vec<&[u8]> = line.iter().map(|word| word.as_bytes()).collect();
        let outcome = run_in(&world, &line, b"in\n", WHOLE);
        assert_eq!(out(&outcome), expected, "{line:?} ({})", outcome.error);
    }
    let missing = run_in(&world, &[b"awk", b"{ print }", b"nothing", b"other"], b"", WHOLE);
    assert_eq!((out(&missing).as_str(), missing.status), ("e f\n", 2));
    assert!(missing.error.contains("nothing: No such file"), "{}", missing.error);
}

#[test]
fn awk_writes_to_files() {
    let world = FixedFiles::default();
    let program = "{ print $1 > \"out.\" $2 } END { close(\"out.x\"); printf \"end\" >> \"log\" }";
    let outcome = run_in(&world, &[b"awk", program.as_bytes()], b"a x\nb y\nc x\n", WHOLE);
    assert_eq!(outcome.status, 0, "{}", outcome.error);
    let written = world.written.lock();
    let contents = |name: &str| {
        String::from_utf8(written[&std::path::PathBuf::from(name)].contents()).unwrap()
    };
    assert_eq!(contents("out.x"), "a\nc\n");
    assert_eq!(contents("out.y"), "b\n");
    assert_eq!(contents("log"), "end");
}

#[test]
fn errors_name_their_place() {
    insta::assert_snapshot!(awk("BEGIN { print 1\n  * 2 }", ""), @"! line 2, column 3: “*” where an expression should be");
    insta::assert_snapshot!(awk("{ print $1 / $2 }", "4 2\n1 0\n"), @r"
    2
    ! awk: line 1, column 9: division by zero (record 2)
    ");
    insta::assert_snapshot!(awk("{ if ($1 ~ $2) print }", "a [b\n"), @"! awk: line 1, column 12: the pattern “[b”: Unmatched [, [^, [:, [., or [= (record 1)");
    insta::assert_snapshot!(awk("function f(n) { return f(n + 1) }\nBEGIN { f(0) }", ""), @"! awk: line 1, column 24: more than 20000 calls within calls");
    insta::assert_snapshot!(awk("BEGIN { x[1] = 2; print x }", ""), @"! line 1, column 25: “x” is an array and cannot be used as a value");
    insta::assert_snapshot!(awk("BEGIN { print /a(b/ }", ""), @"! line 1, column 17: Unmatched ( or \\(");
    insta::assert_snapshot!(awk("BEGIN { printf \"%d %d\", 1 }", ""), @"! awk: line 1, column 9: the format “%d %d” asks for more values than there are");
    let sed = |script: &str| {
        let outcome = run(&[b"sed", script.as_bytes()], b"a\n", WHOLE);
        format!("{}{}", out(&outcome), outcome.error)
    };
    insta::assert_snapshot!(sed("s/a/b/\nk"), @"expression 1, line 2, column 1: unknown command “k”");
    insta::assert_snapshot!(sed("s/\\(a/b/"), @"expression 1, column 3: Unmatched ( or \\(");
    insta::assert_snapshot!(sed("1,$e date"), @"expression 1, column 4: “e” runs commands of the machine, which is not supported");
    insta::assert_snapshot!(sed("s/x/y/e"), @"expression 1, column 7: the flag “e” runs commands of the machine, not supported");
    insta::assert_snapshot!(sed("s/\\(a\\)/\\2/"), @"expression 1, column 9: the pattern has no group 2");
    insta::assert_snapshot!(sed("//p"), @"sed: no previous regular expression");
    insta::assert_snapshot!(sed("bnowhere"), @"expression 1, column 2: no label “nowhere”");
    let bc = |text: &str| {
        let outcome = run(&[b"bc"], text.as_bytes(), WHOLE);
        format!("{}{}", out(&outcome), outcome.error)
    };
    insta::assert_snapshot!(bc("1\n2 +\n3\n"), @r"
    1
    3
    bc: standard input, line 2, column 4: the end of the line where an expression should be
    ");
    insta::assert_snapshot!(bc("1/0; 5\n6\n"), @r"
    6
    bc: standard input, line 1, column 1: division by zero
    ");
    insta::assert_snapshot!(bc("define f(x) {\nreturn (1/x)\n}\n1+f(0)\n"), @"bc: standard input, line 4, column 3: in f: division by zero");
    insta::assert_snapshot!(bc("9^9^9^9\n"), @"bc: standard input, line 1, column 3: a number would have more than 1000000 digits");
}

/// The library to more digits than the machine's own may have.
#[test]
fn bc_library_is_exact() {
    let bc = |text: &str| out(&run(&[b"bc", b"-l"], text.as_bytes(), WHOLE));
    for (text, digits) in [
        ("scale=60;e(1)\n", "2.718281828459045235360287471352662497757247093699959574966967\n"),
        ("scale=60;4*a(1)\n", "3.141592653589793238462643383279502884197169399375105820974944\n"),
        ("scale=40;l(2)\n", ".6931471805599453094172321214581765680755\n"),
        ("scale=5;s(3)\n", ".14112\n"),
        ("scale=30;c(1)\n", ".540302305868139717400936607442\n"),
        ("scale=30;j(0,1)\n", ".765197686557966551449717526102\n"),
        ("scale=10;e(-30)\n", "0\n"),
        ("e(l(7))\n", "6.99999999999999999999\n"),
    ] {
        let found = bc(text);
        assert!(
            found == digits || text == "e(l(7))\n" && found.starts_with(['6', '7']),
            "{text} {found}"
        );
    }
}

/// A function whose first result is wrong in the last place shows here.
#[test]
fn bc_reads_lines_in_a_program() {
    let outcome = run(&[b"bc"], b"x=read()\n12\nx*2\n", WHOLE);
    assert_eq!(out(&outcome), "24\n", "{}", outcome.error);
}
