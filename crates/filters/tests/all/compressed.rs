//! Compressed data: there and back, in members, damaged, under other names; and with the machine's
//! own programs both ways.

use std::io::Write;
use std::path::PathBuf;
use std::process::{Command, Stdio};

use filters::Form;
use proptest::prelude::*;
use stream::testing::FixedFiles;

use crate::support::{Cuts, Outcome, WHOLE, run, run_in};

/// The filters of a form: what compresses, what decompresses, what shows, and the end of names.
const FAMILIES: [(&str, &str, &str, &str); 4] = [
    ("gzip", "gunzip", "zcat", ".gz"),
    ("bzip2", "bunzip2", "bzcat", ".bz2"),
    ("xz", "unxz", "xzcat", ".xz"),
    ("zstd", "unzstd", "zstdcat", ".zst"),
];

fn filter(line: &str, stdin: &[u8], cuts: Cuts) -> Outcome {
    let words: Vec<&[u8]> = line.split(' ').map(str::as_bytes).collect();
    run(&words, stdin, cuts)
}

fn packed(pack: &str, data: &[u8]) -> Vec<u8> {
    let outcome = filter(&format!("{pack} -c"), data, WHOLE);
    assert_eq!((outcome.status, outcome.error.as_str()), (0, ""), "{pack}");
    outcome.out
}

/// What a filter makes of a file, and what it says.
fn of_file(line: &str, name: &str, data: &[u8]) -> Outcome {
    let files = [(PathBuf::from(name), data.to_vec())].into();
    let world = FixedFiles { files, cut: 7, ..FixedFiles::default() };
    let words: Vec<&[u8]> = line.split(' ').map(str::as_bytes).collect();
    run_in(&world, &words, b"", WHOLE)
}

/// A text with repeats, and bytes of chance.
fn data() -> impl Strategy<Value = Vec<u8>> {
    let text = prop::collection::vec("gate-0[1-9] (passed|refused)\n", 0..200)
        .prop_map(|lines| lines.concat().into_bytes());
    prop_oneof![text, prop::collection::vec(any::<u8>(), 0..3000)]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(40) })]

    #[test]
    fn what_is_compressed_comes_back(
        data in data(),
        level in 1_u32..=9,
        input in 1_usize..40,
        output in 1_usize..40,
    ) {
        for (pack, unpack, show, _) in FAMILIES {
            let packed = filter(&format!("{pack} -{level}"), &data, WHOLE);
            prop_assert_eq!((packed.status, packed.error), (0, String::new()));
            prop_assert_eq!(Form::of_content(&packed.out).map(Form::reader), Some(show));
            for cuts in [WHOLE, Cuts { input, output, origins: true }] {
                let back = filter(unpack, &packed.out, cuts);
                prop_assert_eq!((back.status, back.error), (0, String::new()), "{}", unpack);
                prop_assert!(back.out == data, "{}", unpack);
            }
            // What is written does not depend on the cuts either.
            let again = filter(&format!("{pack} -{level}"), &data, Cuts { input, output, origins: true });
            prop_assert!(again.out == packed.out, "{}", pack);
        }
    }

    #[test]
    fn damaged_and_cut_off_data_is_never_taken_for_whole(
        lines in 1_usize..2000,
        place in 0_usize..10_000,
        bit in 0_u32..8,
        cut in any::<bool>(),
    ) {
        let data: Vec<u8> = (0..lines).flat_map(|line| format!("gate {line}\n").into_bytes()).collect();
        for (pack, _, show, _) in FAMILIES {
            let mut bytes = packed(pack, &data);
            // The head of gzip data has bytes that mean nothing for what is in it.
            let from = if pack == "gzip" { 10 } else { 0 };
            let place = from + place % (bytes.len() - from);
            if cut {
                bytes.truncate(place);
            } else {
                bytes[place] ^= 1 << bit;
            }
            let outcome = filter(show, &bytes, WHOLE);
            let whole = outcome.out == data && outcome.status == 0 && outcome.error.is_empty();
            // A bit that means nothing may change, but never what is read.
            prop_assert!(whole && !cut || outcome.status != 0, "{} {}", show, place);
            prop_assert!(outcome.status == 0 || !outcome.error.is_empty());
            prop_assert!(data.starts_with(&outcome.out) || !cut, "{}", show);
        }
    }
}

#[test]
fn several_members_are_one_stream() {
    for (pack, unpack, show, _) in FAMILIES {
        let both = [packed(pack, b"one\n"), packed(pack, b""), packed(pack, b"two\n")].concat();
        for cuts in [WHOLE, Cuts { input: 1, output: 1, origins: false }] {
            for filter_name in [unpack, show] {
                let outcome = filter(filter_name, &both, cuts);
                assert_eq!(outcome.out, b"one\ntwo\n", "{filter_name}");
                assert_eq!((outcome.status, outcome.error.as_str()), (0, ""), "{filter_name}");
            }
        }
        // Padded as on a tape.
        let padded = [both.clone(), vec![0; 4096]].concat();
        assert_eq!(filter(show, &padded, WHOLE).out, b"one\ntwo\n", "{show}");
        let more = [both, b"and more".to_vec()].concat();
        let outcome = filter(show, &more, WHOLE);
        assert_eq!((outcome.out, outcome.status), (b"one\ntwo\n".to_vec(), 2), "{show}");
        assert!(outcome.error.contains("what follows its end"), "{}", outcome.error);
    }
}

#[test]
fn what_cannot_be_read_says_where_and_how_much_was_read() {
    let data = b"2031-04-02 gate-03 refused\n".repeat(200_000);
    for (pack, _, show, end) in FAMILIES {
        let name = format!("gate.log{end}");
        let mut bytes = packed(pack, &data);
        bytes.truncate(bytes.len() - 3);
        let outcome = of_file(&format!("{show} {name}"), &name, &bytes);
        assert_eq!(outcome.status, 1, "{show}");
        assert!(data.starts_with(&outcome.out));
        let lines = outcome.out.split(|byte| *byte == b'\n').count() - 1;
        let said = format!("{lines} lines ({} bytes) before it were read", outcome.out.len());
        assert!(
            outcome.error.contains("unexpected end of file near byte")
                && outcome.error.contains(&said),
            "{}",
            outcome.error
        );
        for (content, why) in
            [(&b""[..], "unexpected end of file"), (b"plain text\n", &format!("not {pack} data"))]
        {
            let outcome = of_file(&format!("{show} {name}"), &name, content);
            assert_eq!(outcome.status, 1, "{show}");
            assert!(outcome.error.contains(why), "{}", outcome.error);
        }
        // Another form under this name.
        for (other, _, other_show, _) in FAMILIES.iter().filter(|(other, ..)| *other != pack) {
            let outcome = of_file(&format!("{show} {name}"), &name, &packed(other, b"x\n"));
            let said =
                format!("{show}: {name}: not {pack} data, but {other}; {other_show} reads it\n");
            assert_eq!((outcome.error, outcome.status), (said, 1));
        }
    }
}

#[test]
fn only_gzip_looks_at_the_name_of_what_it_shows() {
    for (pack, _, show, end) in FAMILIES {
        let bytes = packed(pack, b"x\n");
        for name in ["gate.log.1", &format!("gate.log{end}")] {
            let outcome = of_file(&format!("{show} {name}"), name, &bytes);
            if pack == "gzip" && !name.ends_with(end) {
                assert!(outcome.error.contains("unknown suffix"), "{}", outcome.error);
                assert_eq!(outcome.status, 2);
            } else {
                assert_eq!((outcome.out, outcome.status), (b"x\n".to_vec(), 0), "{show} {name}");
            }
        }
        let outcome = of_file(&format!("{show} -f plain"), "plain", b"not compressed\n");
        assert_eq!((outcome.out, outcome.status), (b"not compressed\n".to_vec(), 0), "{show}");
    }
}

#[test]
fn files_are_made_beside_those_that_are_kept() {
    for (pack, unpack, _, end) in FAMILIES {
        let name = format!("gate.log{end}");
        let bytes = packed(pack, b"x\n");
        let files = [
            (PathBuf::from("gate.log"), b"x\n".to_vec()),
            (PathBuf::from(&name), bytes.clone()),
            (PathBuf::from(format!("winch.log{end}")), bytes),
            (PathBuf::from("folder/file"), Vec::new()),
        ];
        let world = FixedFiles { files: files.into(), ..FixedFiles::default() };
        let run = |line: &str| {
            let words: Vec<&[u8]> = line.split(' ').map(str::as_bytes).collect();
            run_in(&world, &words, b"", WHOLE)
        };
        let written =
            |name: &str| world.written.lock().get(&PathBuf::from(name)).map(|sink| sink.contents());
        let outcome = run(&format!("{unpack} -k winch.log{end}"));
        assert_eq!((outcome.error.as_str(), outcome.status), ("", 0), "{unpack}");
        assert_eq!(written("winch.log").as_deref(), Some(&b"x\n"[..]));
        for (line, said, status) in [
            (format!("{pack} -k gate.log"), format!("{name}: already exists; -f overwrites it"), 2),
            (format!("{pack} -k folder"), "folder: is a directory, ignored".to_owned(), 2),
            (
                format!("{pack} -k {name}"),
                format!("{name}: has the suffix of compressed data already, left as it is"),
                2,
            ),
            (format!("{unpack} -k gate.log"), "gate.log: unknown suffix, ignored".to_owned(), 2),
            (format!("{pack} -k nope"), "nope: No such file or directory".to_owned(), 1),
        ] {
            let outcome = run(&line);
            let name = line.split(' ').next().unwrap();
            assert_eq!(
                (outcome.error, outcome.status),
                (format!("{name}: {said}\n"), status),
                "{line}"
            );
        }
        let outcome = run(&format!("{pack} -kf gate.log"));
        assert_eq!((outcome.error.as_str(), outcome.status), ("", 0), "{pack}");
        assert_eq!(filter(unpack, &written(&name).unwrap(), WHOLE).out, b"x\n");
        // Here nothing may be removed, and that is said before anything is written.
        if pack != "zstd" {
            let outcome = run(&format!("{pack} -f gate.log"));
            assert!(outcome.error.contains("-k keeps it"), "{}", outcome.error);
            assert_eq!(outcome.status, 1);
        }
        for (damage, status) in [(Vec::new(), 1), (vec![0, 1, 2], 1)] {
            let outcome = of_file(&format!("{unpack} -k a{end}"), &format!("a{end}"), &damage);
            assert_eq!(outcome.status, status, "nothing takes the place of a file");
        }
        let outcome = of_file(&format!("{pack} -tv {name}"), &name, &packed(pack, b"abc\n"));
        assert_eq!(outcome.error, format!("{pack}: {name}: 4 bytes, no errors\n"));
    }
}

#[test]
fn levels_are_those_of_the_form() {
    for (line, said) in [
        ("zstd -20", "there is no level 20: 1 to 19"),
        ("gzip -19", "there is no level 19: 1 to 9"),
        ("zstd -o a b c", "several files cannot become one with -o"),
    ] {
        assert!(filter(line, b"", WHOLE).error.starts_with(said), "{line}");
    }
    let data = b"2031-04-02 gate-03 refused card=1\n2031-04-03 gate-04 passed\n".repeat(500);
    for line in ["zstd -19", "xz -0", "xz -9 -1", "bzip2 --fast", "gzip --best", "zstd -1 -19"] {
        let (pack, ..) = line.split_once(' ').unwrap();
        let packed = filter(line, &data, WHOLE);
        assert_eq!(filter(&format!("{pack} -d"), &packed.out, WHOLE).out, data, "{line}");
    }
}

fn machine(program: &str, arguments: &[&str], stdin: &[u8]) -> Vec<u8> {
    let child =
        Command::new(program).args(arguments).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn();
    let mut child = child.unwrap_or_else(|error| panic!("{program}: {error}"));
    let mut input = child.stdin.take().unwrap();
    let stdin = stdin.to_vec();
    let writer = std::thread::spawn(move || input.write_all(&stdin));
    let output = child.wait_with_output().unwrap();
    writer.join().unwrap().unwrap();
    assert!(output.status.success(), "{program}");
    output.stdout
}

#[test]
fn the_programs_of_the_machine_read_what_is_written_and_the_other_way_round() {
    let text = b"2031-04-02 06:12:04 gate-03 card=16304 refused zone=4\n".repeat(5000);
    for (pack, unpack, ..) in FAMILIES {
        for data in [&text[..], b"", b"no newline"] {
            let theirs = machine(pack, &["-c", "-5"], data);
            assert_eq!(filter(unpack, &theirs, WHOLE).out, data, "{pack}");
            let ours = packed(pack, data);
            assert_eq!(machine(pack, &["-dc"], &ours), data, "{pack}");
        }
    }
}
