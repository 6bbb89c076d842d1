//! Messages, statuses and origins in cases of their own.

use proptest::prelude::*;

use crate::support::{Cuts, WHOLE, run, run_closed, run_line};

fn text(line: &str, stdin: &str) -> String {
    String::from_utf8(run_line(line, stdin.as_bytes()).out).unwrap()
}

#[test]
fn characters_are_cut_and_translated_not_bytes() {
    assert_eq!(text("cut -c2", "aéb\n"), "é\n");
    assert_eq!(text("tr é e", "aéb\n"), "aeb\n");
    assert_eq!(text("tr -c 'a\\n' _", "aéb\n"), "a__\n");
    assert_eq!(run_line("cut -c1,3", b"a\xffb\n").out, b"ab\n");
}

#[test]
fn missing_files_are_reported_and_the_status_says_so() {
    for (line, status) in [
        ("cat nope", 1),
        ("grep a nope", 2),
        ("sort nope", 2),
        ("wc nope", 1),
        ("head nope", 1),
        ("cut -c1 nope", 1),
        ("uniq nope", 1),
        ("tail nope", 1),
        ("column nope", 1),
        ("comm nope nope", 1),
        ("csplit nope 2", 1),
        ("expand nope", 1),
        ("fmt nope", 1),
        ("fold nope", 1),
        ("grep -f nope", 2),
        ("join nope nope2", 1),
        ("md5sum nope", 1),
        ("meter nope", 1),
        ("nl nope", 1),
        ("od nope", 1),
        ("paste nope", 1),
        ("rev nope", 1),
        ("shuf nope", 1),
        ("sort -c nope", 2),
        ("sort -m nope", 2),
        ("split nope", 1),
        ("stamp now nope", 2),
        ("tac nope", 1),
        ("unexpand nope", 1),
        ("venn union nope nope", 2),
        ("xargs -a nope", 1),
    ] {
        let outcome = run_line(line, b"");
        assert_eq!(outcome.status, status, "{line}");
        assert!(
            outcome.error.contains("nope: No such file or directory"),
            "{line}: {}",
            outcome.error
        );
    }
    let outcome = run_line("cat nope -", b"data\n");
    assert_eq!((&outcome.out[..], outcome.status), (&b"data\n"[..], 1));
}

#[test]
fn bad_arguments_are_named() {
    for (line, message) in [
        ("cut -f0", "fields are numbered from 1"),
        ("cut -f3-1", "invalid decreasing range"),
        ("cut", "you must specify a list of bytes, characters, or fields"),
        ("cut -d', ' -f1", "the delimiter must be a single character"),
        ("grep", "a pattern is missing"),
        ("grep [", "Unmatched [, [^, [:, [., or [="),
        ("grep -Q x", "invalid option -- 'Q'"),
        ("grep --shade x", "unrecognized option '--shade'"),
        ("grep -E 'a\\1'", "Invalid back reference"),
        ("head -n x", "invalid number of lines: ‘x’"),
        ("split -t ''", "empty record separator"),
        ("split -t ab", "multi-character separator ‘ab’"),
        ("grep -P '(a'", "Unmatched ( or \\("),
        ("grep -P 'a)'", "Unmatched ) or \\)"),
        ("grep -P '*a'", "Target of repeat operator is invalid"),
        ("grep -P 'x(?R)'", "(?R is not supported in patterns of Perl"),
        ("grep -P -e a -e b", "-P takes a single pattern"),
        ("grep -d x a", "--directories takes read, skip or recurse"),
        ("tac -r -s ''", "separator cannot be empty"),
        ("tac -r -s '\\('", "Unmatched ( or \\("),
        ("sort -k0", "field number is zero: invalid field specification ‘0’"),
        ("sort -Q", "invalid option -- 'Q'"),
        ("sort -gn", "options '-gn' are incompatible"),
        ("sort -k1,1Mn", "options '-Mn' are incompatible"),
        ("sort -S x", "invalid -S argument ‘x’"),
        ("tr a", "missing operand after ‘a’: translating needs two sets"),
        ("tr z-a x", "the range ends before it begins"),
        ("venn", "which operation? union, intersection, difference or symmetric-difference"),
        ("venn s a", "missing operand after ‘a’"),
        (
            "venn x a b",
            "‘x’ is not an operation: union, intersection, difference or symmetric-difference",
        ),
        ("stamp", "which mode? now, elapsed, gap, ago or as"),
        ("stamp ag -f %T", "ago writes words, no format"),
        (
            "stamp ago -t",
            "--times is for elapsed and gap; ago and as read the times in the lines anyway",
        ),
        ("stamp as -d -m", "either --day-first or --month-first"),
        ("stamp as -b soon", "not a time: ‘soon’"),
        ("meter --expect x", "invalid size: ‘x’"),
        ("comm a", "missing operand after ‘a’"),
        ("join a b c", "extra operand ‘c’"),
        ("nl -bx", "invalid body numbering style: ‘x’"),
        ("fold -w0", "invalid number of columns: ‘0’"),
        ("expand -t x", "tab size contains invalid character(s): ‘x’"),
        ("paste -d '\\'", "delimiter list ends with an unescaped backslash: \\"),
        ("split -n 0", "invalid number of chunks: ‘0’: Numerical result out of range"),
        ("csplit in x", "‘x’: invalid pattern"),
        ("od -t q", "invalid character 'q' in type string ‘q’"),
        ("date -d nonsense", "invalid date ‘nonsense’"),
        ("numfmt --to=q", "invalid argument ‘q’ for ‘--to’"),
        ("xargs -n 0", "value 0 for -n option should be >= 1"),
        ("test 1 -eq x", "invalid integer ‘x’"),
        ("tail --follow=q", "invalid argument ‘q’ for ‘--follow’"),
        ("uniq --group -c", "--group is mutually exclusive with -c/-d/-D/-u"),
        ("seq x", "invalid floating point argument: ‘x’"),
        ("tail -n", "option requires an argument -- 'n'"),
    ] {
        let outcome = run_line(line, b"");
        assert_ne!(outcome.status, 0, "{line}");
        assert_eq!(outcome.error.lines().next().unwrap(), message, "{line}");
    }
}

#[test]
fn a_bad_pattern_says_where_it_is_bad() {
    let grep = filters::find(b"grep").unwrap();
    let error = grep.build(&[b"-E".to_vec(), b"ab(c".to_vec()]).err().unwrap();
    assert_eq!((error.word, error.part), (Some(1), Some(2..3)));
}

#[test]
fn merged_lines_know_all_lines_that_made_them() {
    let cuts = Cuts { origins: true, ..WHOLE };
    let origins = |line: &[&[u8]], data: &str| run(line, data.as_bytes(), cuts).origins.unwrap();
    assert_eq!(origins(&[b"uniq", b"-c"], "a\na\nb\n"), [vec![0, 1], vec![2]]);
    assert_eq!(origins(&[b"tr", b"\\n", b" "], "a\nb\nc\n"), [vec![0, 1, 2]]);
    assert_eq!(origins(&[b"tr", b" ", b"\\n"], "a b\nc\n"), [vec![0], vec![0], vec![1]]);
    assert_eq!(origins(&[b"wc", b"-l"], "a\nb"), [vec![0, 1]]);
    assert_eq!(origins(&[b"sort", b"-u"], "b\na\nb\n"), [vec![1], vec![0]]);
    assert_eq!(origins(&[b"tail", b"-n", b"1"], "b\na\nc"), [vec![2]]);
}

#[test]
fn every_filter_explains_itself() {
    let say = |words: &[&[u8]]| {
        let arguments: Vec<Vec<u8>> = words[1..].iter().map(|word| word.to_vec()).collect();
        filters::find(words[0]).unwrap().explain(&arguments).unwrap()
    };
    assert_eq!(
        say(&[b"cut", b"-d ", b"-f3"]),
        "splits every line at each single space and keeps field 3"
    );
    assert_eq!(say(&[b"grep", b"-v", b"x", b"f"]), "keeps lines of f without “x”");
    assert_eq!(
        say(&[b"sort", b"-rn"]),
        "puts the lines in order by the number each begins with, largest first"
    );
    assert_eq!(say(&[b"head", b"-n", b"5"]), "keeps the first 5 lines");
    assert_eq!(
        say(&[b"sort", b"-t,", b"-k3,3n"]),
        "puts the lines in order by field 3 as a number, fields ended by a comma"
    );
    for definition in filters::all() {
        let guide = filters::guide(definition.spec);
        for option in definition.spec.options {
            assert!(guide.contains(option.meaning), "{}: {}", definition.spec.name, option.meaning);
        }
    }
}

#[test]
fn sets_are_worked_out_in_first_seen_order() {
    let stdin = "c\na\nc\nb\n";
    assert_eq!(text("venn u - /nope", stdin), "");
    assert_eq!(
        text("venn u --text 'b\na' 'c\nb'", ""),
        text("venn union --text 'b\na' 'c\nb'", "")
    );
    for (line, expected) in [
        ("venn union --by=char --text gate cabin", "gatecbin\n"),
        ("venn intersection --by=char --text gate cabin", "a\n"),
        ("venn difference --by=char --text gate cabin", "gte\n"),
        ("venn symmetric-difference --by=char --text gate cabin", "gtecbin\n"),
        ("venn d --by=byte --text gaté é", "gat"),
        ("venn i --by=char --text é ê", ""),
    ] {
        assert_eq!(text(line, ""), expected, "{line}");
    }
}

#[test]
fn times_are_put_before_lines() {
    // The clock of the tests stands still at 1970.
    assert_eq!(text("stamp now -u", "a\nb"), "1970-01-01 00:00:00 a\n1970-01-01 00:00:00 b");
    assert_eq!(text("stamp elapsed", "a\n"), "00:00:00.000 a\n");
    assert_eq!(text("stamp gap -f %S.%3N", "a\n"), "00.000 a\n");
    assert_eq!(text("stamp ago", "at 1969-12-31T23:34:00Z x\n"), "at 26 min ago x\n");
    assert_eq!(text("stamp as -u -f %H:%M", "x [02/Apr/2031:06:12:04 +0200] y\n"), "x [04:12] y\n");
    let kernel = "[ 12.345] a [1.5]\n";
    assert_eq!(
        text("stamp as -b 2031-04-02T06:00Z -u -f %T.%3N", kernel),
        "06:00:12.345 a 06:00:01.500\n"
    );
    assert_eq!(text("stamp as -u", kernel), kernel, "nobody knows when it started");
}

/// Gaps are in their order when they are ordered as text, as the guide does it.
#[test]
fn gaps_of_any_length_sort_as_they_count() {
    let log = "2031-01-01 00:00:00 a\n2031-01-05 03:59:59 b\n2031-01-09 08:00:00 c\n\
               2031-03-01 00:00:00 d\n2031-03-01 00:00:01 e\n2040-03-01 00:00:00 f\n";
    let gaps = text("stamp gap -t -u", log);
    let gap = |line: &str| line[..line.find("20").unwrap()].trim_end().to_owned();
    let gaps: Vec<String> = gaps.lines().map(gap).collect();
    assert_eq!(
        gaps,
        [
            "00:00:00.000",
            "99:59:59.000",
            "d0000004 04:00:01.000",
            "d0000050 16:00:00.000",
            "00:00:01.000",
            "d0003287 23:59:59.000",
        ]
    );
    let mut sorted = gaps.clone();
    sorted.sort();
    let order: Vec<&String> = [0, 4, 1, 2, 3, 5].iter().map(|at| &gaps[*at]).collect();
    assert!(sorted.iter().eq(order));
}

#[test]
fn pauses_are_found_by_the_times_in_the_lines() {
    let log = "2031-04-02 06:12:04 gate-02\n  more of it\n2031-04-02 06:12:04,250 gate-03\n\
               2031-04-02 07:13:00 gate-04\n2031-04-02 07:12:59 late\n";
    assert_eq!(
        text("stamp gap -t -u", log),
        "00:00:00.000 2031-04-02 06:12:04 gate-02\n           -   more of it\n\
         00:00:00.250 2031-04-02 06:12:04,250 gate-03\n\
         01:00:55.750 2031-04-02 07:13:00 gate-04\n-00:00:01.000 2031-04-02 07:12:59 late\n"
    );
    assert_eq!(
        text("stamp elapsed --times -u -f %T", log),
        "00:00:00 2031-04-02 06:12:04 gate-02\n-   more of it\n\
         00:00:00 2031-04-02 06:12:04,250 gate-03\n\
         01:00:56 2031-04-02 07:13:00 gate-04\n01:00:55 2031-04-02 07:12:59 late\n"
    );
    // Times since a start are counted among themselves.
    assert_eq!(
        text("stamp gap -t", "[1.5] a\n1932799124 b\n[3.0] c\n1932799125 d"),
        "00:00:00.000 [1.5] a\n00:00:00.000 1932799124 b\n00:00:01.500 [3.0] c\n\
         00:00:01.000 1932799125 d"
    );
}

#[test]
fn times_that_can_be_read_in_two_ways_are_said() {
    for (line, stdin, out, said) in [
        (
            "stamp as -u",
            "03/04/2031 06:12 a\n",
            "2031-03-04 06:12:00 a\n",
            "stamp: 1 time, the first “03/04/2031 06:12”, can be read in two ways: the month was \
             taken to be first (--month-first or --day-first settles it)\n",
        ),
        ("stamp as -u -m", "03/04/2031 06:12 a\n", "2031-03-04 06:12:00 a\n", ""),
        ("stamp as -u -d", "03/04/2031 06:12 a\n", "2031-04-03 06:12:00 a\n", ""),
        ("stamp as -u", "25/04/2031 06:12 a\n", "2031-04-25 06:12:00 a\n", ""),
        (
            "stamp as -u",
            "1932799124 a 1932799125\n1932799126\n",
            "2031-04-01 08:38:44 a 1932799125\n2031-04-01 08:38:46\n",
            "stamp: 2 numbers, the first “1932799124”, may be no times: taken as seconds since 1970 \
             at the beginning of a line (--epoch settles it)\n",
        ),
        ("stamp as -u -e", "a 1932799124\n", "a 2031-04-01 08:38:44\n", ""),
        (
            "stamp ago",
            "[12.5] a\n",
            "[12.5] a\n",
            "stamp: 1 time since the start of the machine left as they are: when it started is not \
             in the lines (--boot TIME says it)\n",
        ),
        ("stamp gap -t", "a\n", "           - a\n", "stamp: no line has a time in it\n"),
    ] {
        let outcome = run_line(line, stdin.as_bytes());
        assert_eq!(String::from_utf8_lossy(&outcome.out), out, "{line}");
        assert_eq!(outcome.error, said, "{line}");
        assert_eq!(outcome.status, 0, "{line}");
    }
}

#[test]
fn any_number_of_commands_may_be_wanted_at_once() {
    for most in ["0", "16", "4000000000", "1200000000000000000", "9223372036854775807"] {
        let done = run_line(&format!("xargs -P {most} -n 1 echo"), b"a\n");
        // The test has no commands: each is looked for, and not found.
        assert_eq!(done.status, 127, "{most}: {}", done.error);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(1500) })]

    #[test]
    fn no_arguments_make_a_filter_fail_inside(
        arguments in prop::collection::vec(
            prop_oneof![
                "-[A-Za-z0-9]{1,3}",
                "[-+]?[0-9]{1,20}[kMGb%]?",
                "-[a-zA-Z][-+0-9,./:{}a-z*%]{0,6}",
                "--[a-z-]{1,9}(=[a-z0-9,%é]{0,4})?",
                "[/%{}*a-z0-9,.:+\\[\\]\\\\()é -]{0,6}",
                Just("\u{ff}\u{1F6E4}".to_owned()),
            ],
            0..5,
        ),
        line in "[a-z0-9 é,:.\\t-]{0,12}",
    ) {
        let arguments: Vec<Vec<u8>> = arguments.into_iter().map(String::into_bytes).collect();
        for definition in filters::all() {
            definition.explain(&arguments);
            if let Ok(filter) = definition.build(&arguments) {
                for mark in filter.marks(line.as_bytes()) {
                    prop_assert!(mark.start <= mark.end && mark.end <= line.len(), "{}", definition.spec.name);
                }
                let _ = (filter.verb(), filter.holds(), definition.follows(&arguments));
                // This many files or numbers as somebody asks for are made.
                let name = definition.spec.name;
                if !["split", "csplit", "shuf"].contains(&name) {
                    let mut words = vec![name.as_bytes()];
                    words.extend(arguments.iter().map(|argument| &argument[..]));
                    run_closed(&words, format!("{line}\n\n x\ty {line}").as_bytes());
                }
            }
        }
    }
}

/// The letters that the synopses of the standard have (XCU 4); of utilities it does not have, none.
#[test]
fn options_beyond_the_standard_are_marked_so() {
    let standard = [
        ("awk", "Ffv"),
        ("bc", "l"),
        ("cat", "u"),
        ("comm", "123"),
        ("csplit", "fkns"),
        ("cut", "bcdfns"),
        ("date", "u"),
        ("expand", "t"),
        ("fold", "bsw"),
        ("grep", "EFcefilnqsvx"),
        ("head", "n"),
        ("join", "12aeotv"),
        ("nl", "bdfhilnpsvw"),
        ("od", "ANjtv"),
        ("paste", "ds"),
        ("sed", "Eefn"),
        ("sort", "Cbcdfikmnortu"),
        ("split", "abl"),
        ("tail", "cfn"),
        ("tee", "ai"),
        ("tr", "Ccds"),
        ("unexpand", "at"),
        ("uniq", "cdfsu"),
        ("wc", "clmw"),
        ("xargs", "EILnpstx"),
        // Its operators are described as options, -h together with -L.
        ("test", "LSbcdefgnprstuwxz"),
        ("[", "LSbcdefgnprstuwxz"),
    ];
    for definition in filters::all() {
        let name = definition.spec.name;
        let expected = standard.iter().find(|known| known.0 == name).map_or("", |known| known.1);
        let marked = definition.spec.options.iter().filter(|option| option.posix);
        let mut letters: Vec<char> = marked.filter_map(|option| option.id.letter()).collect();
        letters.sort_unstable();
        assert_eq!(letters.iter().collect::<String>(), expected, "{name}");
    }
}
