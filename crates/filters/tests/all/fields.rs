//! `fields`: records of every form, also of several lines, missing and bad ones.

use std::path::PathBuf;
use std::sync::Arc;

use proptest::prelude::*;
use stream::testing::{CutSource, FixedFiles, MemorySink, NoCommands, Processed};
use stream::{Output, RunControl, StageIo, StageMeter, StagePorts};

use crate::support::{Cuts, Outcome, WHOLE, run, run_in, run_line};

fn out(line: &str, stdin: &str) -> String {
    String::from_utf8(run_line(line, stdin.as_bytes()).out).unwrap()
}

const CABINS: &str =
    "id,name,\"line\",note\n1,Gull,A,\n2,\"Heron, grey\",B,\"two\nlines\"\n3,Tern,A,x\n";

#[test]
fn fields_are_written_by_name() {
    for (line, stdin, expected) in [
        ("fields name id", CABINS, "Gull\t1\nHeron, grey\t2\nTern\t3\n"),
        ("fields note", CABINS, "\ntwo\\nlines\nx\n"),
        ("fields note id --as csv", CABINS, "note,id\n,1\n\"two\nlines\",2\nx,3\n"),
        ("fields --heading id line", CABINS, "id\tline\n1\tA\n2\tB\n3\tA\n"),
        ("fields -n 2 --csv", "a,b\nc,d\r\n", "b\nd\n"),
        ("fields b -d ;", "a;b\n1;\"x\"\"y\"\n", "x\"y\n"),
        ("fields --tsv b", "a\tb\n1\t2", "2\n"),
        (
            "fields card zone",
            "06:12 gate-02 card=16304 passed zone=4\n06:13 gate-03 card=7 refused reason=\"no credit\"\n",
            "16304\t4\n7\t\n",
        ),
        (
            "fields reason --as json",
            "a card=7 reason=\"no credit\"\nb card=8\n",
            "{\"reason\":\"no credit\"}\n{}\n",
        ),
        (
            "fields /w/load t --as pairs",
            "{\"t\": \"a b\", \"w\": {\"load\": 1.50}}\n",
            "/w/load=1.50 t=\"a b\"\n",
        ),
        ("fields a --as json", "{\"a\": [1, 2.50]}\n\n{\"b\": 1}\n", "{\"a\":[1, 2.50]}\n{}\n"),
        ("fields a", "\u{feff}{\"a\": \"x\\ty\"}", "x\\ty\n"),
    ] {
        assert_eq!(out(line, stdin), expected, "{line}");
    }
}

#[test]
fn without_names_what_there_is_is_listed() {
    for (stdin, expected) in [
        (CABINS, "id\t3\t1\nname\t3\tGull\nline\t3\tA\nnote\t2\ttwo\\nlines\n"),
        ("x card=1 zone=2\ny card=3\n", "card\t2\t1\nzone\t1\t2\n"),
        ("{\"a\": 1, \"b\": {\"c\": \"x\"}}\n{\"a\": 2}\n", "a\t2\t1\n/b/c\t1\tx\n"),
    ] {
        assert_eq!(out("fields", stdin), expected);
    }
    assert_eq!(out("fields", "\n\n"), "");
}

fn said(outcome: &Outcome) -> Vec<&str> {
    outcome.error.lines().collect()
}

#[test]
fn what_is_missing_is_counted_and_bad_records_are_named() {
    let outcome = run_line("fields zone card", b"a card=1\nb card=2 zone=3\nc x=1\n");
    assert_eq!(
        said(&outcome),
        [
            "fields: “zone” is missing in 2 of 3 records",
            "fields: “card” is missing in 1 of 3 records"
        ]
    );
    assert_eq!((outcome.out, outcome.status), (b"\t1\n3\t2\n\t\n".to_vec(), 0));
    let data = b"{\"a\":1}\n{\"a\":\n{\"a\":2}\nnot json\n";
    let outcome = run_line("fields a", data);
    assert_eq!(
        said(&outcome),
        [
            "fields: line 2, byte 5: the JSON record ends early; it must be on one line",
            "fields: line 4, byte 2: not JSON",
            "fields: 2 records of 4 cannot be read, dropped"
        ]
    );
    assert_eq!((&outcome.out[..], outcome.status), (&b"1\n2\n"[..], 1));
    let outcome = run_line("fields -k a", data);
    assert_eq!(outcome.out, b"1\n{\"a\":\n2\nnot json\n");
    assert!(said(&outcome)[2].ends_with("passed on as it was"));
    assert_eq!(run_line("fields -q a", data).error, "");
    let outcome = run_line("fields --csv b", b"a,b\n1\n1,2,3\n4,5\n\"x\"y,2\n6,\"open\n7,8\n");
    assert_eq!(
        said(&outcome),
        [
            "fields: line 2: 1 fields, the heading has 2",
            "fields: line 3: 3 fields, the heading has 2",
            "fields: line 5, byte 4: text after a closing quote",
            "fields: line 6, byte 3: a quote is not closed",
            "fields: 4 records of 6 cannot be read, dropped"
        ]
    );
    assert_eq!((&outcome.out[..], outcome.status), (&b"5\n8\n"[..], 1));
    let outcome = run_line("fields nope", CABINS.as_bytes());
    assert_eq!(
        (outcome.error.as_str(), outcome.status),
        ("fields: no field “nope”: there are id, name, line and note\n", 2)
    );
    let many = b"x\n".repeat(1000);
    assert_eq!(said(&run_line("fields --json a", &many)).len(), 11, "ten, and how many");
    for (line, said) in [
        ("fields --json --csv", "the data is JSON already"),
        ("fields --as xml a", "written as what? csv, json, pairs or tab"),
        ("fields --json -n a", "-d and -n are for CSV"),
        ("fields -d ab a", "the delimiter is one character, not a quote"),
    ] {
        assert!(run_line(line, b"").error.starts_with(said), "{line}");
    }
    let outcome = run_line("fields a", b"only words here\n");
    assert_eq!(
        (outcome.error.as_str(), outcome.status),
        ("fields: which form? --json, --csv or --pairs says it\n", 2)
    );
}

#[test]
fn what_was_read_before_a_file_breaks_is_written() {
    for (form, line, written) in [
        ("--json", "{\"a\":7}\n", "7\n"),
        ("--pairs", "at a=7\n", "7\n"),
        ("-n --csv", "7,8\n", "7\n"),
    ] {
        for lines in [1, 3, 300_000] {
            let name = if form == "-n --csv" { "1" } else { "a" };
            let files = [(PathBuf::from("/broken/x"), line.repeat(lines).into_bytes())].into();
            let world = FixedFiles { files, cut: 1000, ..FixedFiles::default() };
            let line = format!("fields {form} {name} -f /broken/x");
            let words: Vec<&[u8]> = line.split(' ').map(str::as_bytes).collect();
            for cuts in [WHOLE, Cuts { input: 1, output: 64, origins: true }] {
                let outcome = run_in(&world, &words, b"", cuts);
                assert!(outcome.out == written.repeat(lines).into_bytes(), "{form} {lines}");
                assert_eq!(outcome.status, 2);
                assert!(outcome.error.contains("/broken/x"), "{}", outcome.error);
            }
        }
    }
}

#[test]
fn bad_records_are_named_where_they_are() {
    // One place for both: what was written before a message is there before it.
    let data = "{\"a\":1}\n{\n{\"a\":2}\n[\n\"x\"\n{\"a\":3}\n";
    for (arguments, expected) in
        [(&["a"][..], ["1\n", "2\n", "3\n"]), (&["-k", "a"], ["1\n", "{\n2\n", "[\n\"x\"\n3\n"])]
    {
        let arguments: Vec<Vec<u8>> =
            arguments.iter().map(|word| word.as_bytes().to_vec()).collect();
        let sink = Arc::new(MemorySink::default());
        let (world, meter) = (FixedFiles::default(), StageMeter::default());
        let mut io = StageIo::new(StagePorts {
            name: "fields".into(),
            stdin: Some(Box::new(CutSource::new(data.as_bytes(), 1000))),
            out: Output::new(sink.clone(), None),
            error: None,
            files: &world,
            commands: &NoCommands,
            processors: &Processed(3),
            meter: &meter,
            control: RunControl::default(),
        });
        let mut filter = filters::find(b"fields").unwrap().build(&arguments).unwrap();
        assert_eq!(filter.run(&mut io).unwrap().0, 1);
        io.out().flush().unwrap();
        let text = String::from_utf8(sink.contents()).unwrap();
        let place = |part: &str| text.find(part).unwrap_or_else(|| panic!("{part} in {text}"));
        assert!(text.starts_with(expected[0]), "{text}");
        assert!(place("line 2, byte 1") < place(expected[1]), "{text}");
        assert!(place(expected[1]) < place("line 4"), "{text}");
        assert!(place("line 5, byte 1: not a JSON object") < place("3\n"), "{text}");
        assert!(
            text.contains(if arguments.len() == 1 { "dropped" } else { "passed on" }),
            "{text}"
        );
    }
}

#[test]
fn a_quote_that_is_not_closed_costs_its_line_and_no_memory() {
    let mut data = b"a,b\n1,\"open\n".to_vec();
    for line in 0..200_000 {
        data.extend_from_slice(format!("{line},gate-03\n").as_bytes());
    }
    let outcome = run_line("fields a", &data);
    assert!(
        outcome.error.starts_with("fields: line 2, byte 3: a quote is not closed within 1 MiB\n")
    );
    assert_eq!(outcome.status, 1);
    let expected: String = (0..200_000).map(|line| format!("{line}\n")).collect();
    assert!(outcome.out == expected.as_bytes(), "all lines after it are read");
}

#[test]
fn records_know_their_lines() {
    let cuts = Cuts { origins: true, ..WHOLE };
    let outcome = run(&[b"fields", b"name"], CABINS.as_bytes(), cuts);
    assert_eq!(outcome.origins.unwrap(), [vec![1], vec![2, 3], vec![4]]);
    let outcome = run(&[b"fields", b"a"], b"{\"a\":1}\n\nx\n{\"a\":2}\n", cuts);
    assert_eq!(outcome.origins.unwrap(), [vec![0], vec![3]]);
    let outcome = run(&[b"fields", b"-k", b"-n", b"1", b"--csv"], b"1,2\n\"3\n4\n", cuts);
    assert_eq!(outcome.out, b"1\n\"3\n4\n");
    assert_eq!(outcome.origins.unwrap(), [vec![0], vec![1], vec![2]]);
    assert!(outcome.error.contains("line 3: 1 fields, the first record has 2"));
}

/// Texts with all that has a meaning somewhere.
fn value() -> impl Strategy<Value = String> {
    "[a-z0-9 ,;=\"\\\\\t\né]{0,8}"
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(60) })]

    #[test]
    fn what_one_form_writes_the_others_read(
        records in prop::collection::vec((value(), value()), 1..8),
        input in 1_usize..30,
    ) {
        let json: String = records
            .iter()
            .map(|(a, b)| format!("{}\n", serde_json::json!({"a": a, "b": b})))
            .collect();
        let reference = run_line("fields --json a b --as json", json.as_bytes());
        prop_assert_eq!((reference.status, &reference.error[..]), (0, ""));
        let mut data = (reference.out.clone(), "json");
        for form in ["csv", "json", "pairs", "csv", "pairs", "json"] {
            let line = format!("fields --{} a b --as {form}", data.1);
            let words: Vec<&[u8]> = line.split(' ').map(str::as_bytes).collect();
            let outcome = run(&words, &data.0, Cuts { input, output: input, origins: true });
            prop_assert_eq!((outcome.status, &outcome.error[..]), (0, ""), "{} {:?}", line, String::from_utf8_lossy(&data.0));
            data = (outcome.out, form);
        }
        prop_assert_eq!(String::from_utf8_lossy(&data.0), String::from_utf8_lossy(&reference.out));
    }

    #[test]
    fn no_bytes_make_it_fail_inside(data in prop::collection::vec(any::<u8>(), 0..200), json in "[\\[\\]{}\":,a0-9\\\\ue. \n-]{0,60}") {
        for form in ["--json", "--csv", "--pairs", "--tsv -n"] {
            for names in ["", " a 1 /a/0"] {
                for data in [&data[..], json.as_bytes()] {
                    let outcome = run_line(&format!("fields {form}{names}"), data);
                    prop_assert!(outcome.status <= 2);
                }
            }
        }
    }
}
