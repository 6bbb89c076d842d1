//! Other texts are offered only where they give the same.

use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};

use engine::Trials;
use insight::{NoteKind, apply_edits};
use stream::RunControl;

use super::{advised, request, tried};

/// Data, a line over it in `data`, and the change that looks right and is not.
const UNEQUAL: &[(&str, &str, NoteKind)] = &[
    // Ties: which line of a key is left.
    ("b 1\na 1\n", "sort -k2,2 data | awk '!seen[$2]++'", NoteKind::SortUniqueKey),
    ("x 2 9\nx 2 1\ny 1 5\n", "sort -k2,2 data | awk '!s[$2]++'", NoteKind::SortUniqueKey),
    // A newline that is missing at the end.
    ("b\na", "sort data | wc -l", NoteKind::UndoneOrder),
    ("b\na", "cat data nothing | sort | wc -l", NoteKind::UndoneOrder),
    // Lines that an order takes for equal, and uniq does not.
    ("1\n01\n1.0\n", "sort -n data | uniq", NoteKind::SortUniq),
    ("a\nA\na\n", "sort -f data | uniq", NoteKind::SortUniq),
    ("a 1\na 2\na 1\n", "sort -k1,1 data | uniq", NoteKind::SortUniq),
    ("x-1\nx1\n", "sort -d data | uniq", NoteKind::SortUniq),
    ("b 1\na 1\n", "sort -s -k2 data | uniq", NoteKind::SortUniq),
    // Nothing there: another status.
    ("", "grep x data | wc -l", NoteKind::CountByWc),
    ("a\nb\n", "grep x data | wc -l", NoteKind::CountByWc),
    ("a\nb\n", "grep -v '[ab]' data | wc -l", NoteKind::CountByWc),
    ("b\na\n", "sort data | grep x", NoteKind::LateFilter),
    ("b\na\n", "sort data | grep -v '[ab]'", NoteKind::LateFilter),
    // Messages and statuses of a file that is not there.
    ("a\n", "cat nowhere | grep -c a", NoteKind::NeedlessCat),
    ("a\n", "cat nowhere | sort", NoteKind::NeedlessCat),
    ("a\n", "sort nowhere | sort -r", NoteKind::UndoneOrder),
    // Lines become more or fewer.
    ("a,b\nc,d\n", "sed 's/,/\\n/' data | head -n 1", NoteKind::EarlyHead),
    ("a,b\nc,d\ne,f\ng,h\n", "sed 's/,/\\n/' data | tail -n 1", NoteKind::EarlyHead),
    // A line that two patterns find, or find in another order.
    (
        "both one and two\n",
        "printf 'one\\ntwo\\n' > list; while read -r w; do grep \"$w\" data; done < list",
        NoteKind::LoopOfGrep,
    ),
    (
        "two\none\n",
        "printf 'one\\ntwo\\n' > list; while read -r w; do grep \"$w\" data; done < list",
        NoteKind::LoopOfGrep,
    ),
    // Lines without the delimiter.
    ("a,b\nc\n", "awk -F, '{print $2}' data", NoteKind::SimplerThanAwk),
    ("a,b\nc\n", "awk -F, '{print $2}' data | sort", NoteKind::SimplerThanAwk),
    ("a\tb\nc\n", "paste <(cut -f1 data) <(cut -f2 data)", NoteKind::ReadTwice),
    // The second of two programs counts other lines.
    ("a\nb\nc\n", "sed 1d data | sed 1d", NoteKind::TwoInOne),
    ("a\nb\nc\n", "sed 's/$/!/' data | sed '$!N;s/\\n/+/'", NoteKind::TwoInOne),
];

/// Lines in which another locale decides: nothing is even thought of.
const OTHER_LOCALE: &[(&[u8], &str)] = &[
    (b"\xc3\xa9a\n", "cat data | LC_ALL=C cut -c1"),
    (b"b\nB\na\n", "LC_ALL=C sort data | uniq"),
    (b"b\nB\na\n", "sort data | LC_ALL=C uniq"),
    (b"caf\xe9\ncaf\xc3\xa9\n", "LC_ALL=C grep '^....$' data | wc -l"),
    (b"caf\xe9\ncaf\xc3\xa9\n", "LC_ALL=C grep 'caf.$' data | awk '{print $1}'"),
    (b"\xe9\nb\n", "LC_ALL=C sort data | sort -r"),
];

#[test]
fn another_locale_is_left_alone() {
    for (data, line) in OTHER_LOCALE {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("data"), data).unwrap();
        let (_, tried) = tried(folder.path(), line);
        let rewrites = |note: &&insight::Note| {
            let proof = insight::about(note.kind).proof;
            matches!(proof, insight::Proof::Same | insight::Proof::Faster)
        };
        let offered: Vec<_> = tried.notes.iter().filter(rewrites).collect();
        assert!(offered.is_empty(), "{line}: {offered:?}");
    }
}

#[test]
fn what_looks_equal_and_is_not_is_not_offered() {
    for (data, line, kind) in UNEQUAL {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("data"), data).unwrap();
        std::fs::write(folder.path().join("nothing"), "").unwrap();
        let (_, tried) = tried(folder.path(), line);
        let offered = tried.notes.iter().any(|note| note.kind == *kind);
        assert!(!offered, "{line} with {data:?}: {} is offered", kind.id());
        // Otherwise nothing was shown by this.
        let thought_of = tried.dropped.iter().any(|note| note.kind == *kind);
        assert!(thought_of, "{line}: {} was not even tried", kind.id());
    }
}

/// Changes that are right for any data in `data`, each with lines it is offered for.
const ALWAYS: &[(NoteKind, &[&str])] = &[
    (NoteKind::NeedlessCat, &["cat data | grep -n a", "cat data | awk '{print NR, $1}'"]),
    (NoteKind::SortUniq, &["sort data | uniq", "sort -r data | uniq"]),
    (
        NoteKind::LateFilter,
        &["sort -k2 data | grep -a a | wc -l", "sort -n data | grep -av b | cat"],
    ),
    (NoteKind::UndoneOrder, &["sort data | sort -k2,2", "sort -n data | sort -r"]),
    (NoteKind::UndoneOrder, &["sort data | grep -c a", "sort -k2 data | grep -c -v b"]),
];

/// Data of few different lines, with blanks, numbers, repeats, empty lines and no newline at the
/// end at times.
fn data() -> impl Strategy<Value = String> {
    let line = prop_oneof![
        "[ab ]{0,4}",
        "[ab]{1,2} [0-9]{1,2}",
        Just(String::new()),
        "[ -~]{0,8}",
        Just("a b a".to_owned()),
    ];
    (proptest::collection::vec(line, 0..12), any::<bool>()).prop_map(|(lines, open)| {
        let mut text: String = lines.iter().map(|line| format!("{line}\n")).collect();
        if open {
            text.pop();
        }
        text
    })
}

#[test]
fn what_is_right_for_any_data_is_right_for_generated_data() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("data");
    for (kind, lines) in ALWAYS {
        let mut pairs = Vec::new();
        for line in *lines {
            // Data for which it is offered, to see the change.
            let some: String =
                (0..40).map(|at| format!("{}a {at}\nb {}\n", at % 7, at % 5)).collect();
            std::fs::write(&path, some).unwrap();
            let (preview, tried) = tried(folder.path(), line);
            let note = tried.notes.iter().find(|note| note.kind == *kind);
            let note = note.unwrap_or_else(|| panic!("{line}: {} is not offered", kind.id()));
            assert!(note.always.is_some_and(|why| why.len() > 20), "{line}: no reason");
            let other = apply_edits(&preview.text, &note.fix.as_ref().unwrap().edits);
            pairs.push((preview.text.clone(), other));
        }
        let mut runner = TestRunner::new(Config { cases: 2000, ..Config::default() });
        let trials = Trials::default();
        let tested = runner.run(&(data(), 0..pairs.len()), |(data, pair)| {
            std::fs::write(&path, &data).unwrap();
            let of = |text: &str| {
                let request =
                    engine::Request { text: text.to_owned(), ..request(folder.path(), "") };
                let preview = trials.evaluate(request, None, &RunControl::default()).unwrap();
                let last = preview.stages.last().unwrap();
                let said: String = preview.stages.iter().map(|one| one.messages.clone()).collect();
                (last.out.contents(), last.status, said)
            };
            let (one, other) = &pairs[pair];
            prop_assert_eq!(of(one), of(other), "{} and {}", one, other);
            Ok(())
        });
        assert!(tested.is_ok(), "{}: {tested:?}", kind.id());
    }
}

/// Lines near those that get a change: other options, operands, neighbours.
fn neighbours() -> impl Strategy<Value = String> {
    let one = |all: &'static [&'static str]| proptest::sample::select(all);
    let files = one(&[
        "data",
        "data",
        "data",
        "data other",
        "- < data",
        "< data",
        "./data none",
        "-- data",
    ]);
    let sort =
        one(&["", "-r", "-n", "-k2", "-k2,2 -s", "-u", "-f", "-z", "-R", "-o sorted", "-t: -k1"]);
    let grep = one(&[
        "a", "-a a", "-v a", "-av a", "-c a", "-ac a", "-n a", "-H a", "-o a", "-z a", "-m1 a",
        "-l a", "-q a", "-A1 a", "-f other", "-w a", "-aF a", "-L a", "-b a", "-s a",
    ]);
    let first = (one(&["cat", "sort", "grep -v b", "grep -av b"]), sort.clone(), files.clone())
        .prop_map(|(name, options, files)| match name {
            "sort" => format!("sort {options} {files}"),
            other => format!("{other} {files}"),
        });
    let second = prop_oneof![
        (grep, one(&["", "", "-", "other", "- other"]))
            .prop_map(|(options, more)| format!("grep {options} {more}")),
        (sort, one(&["", "", "-", "- other"]))
            .prop_map(|(options, more)| format!("sort {options} {more}")),
        one(&[
            "uniq",
            "uniq -c",
            "uniq -i",
            "uniq - out",
            "wc",
            "wc -l",
            "wc -c",
            "wc -",
            "head -n 2",
            "tail -n 2",
            "tail -f",
            "tail -n +2",
            "tail -c 3",
            "tee -a data",
            "tee copy",
            "tr a b",
            "tr -d '\\0'",
            "cut -c1",
            "cut -f1 other",
            "nl",
            "rev",
            "tac",
            "od -c",
            "paste - other",
            "comm - other",
            "join - other",
            "awk '{ print FILENAME, $1 }'",
            "awk '$1 > 1'",
            "awk 'NR > 1'",
            "awk '{ print > \"out\" }'",
            "awk '/a/ { system(\"cat\") }'",
            "sed 's/a/b/'",
            "sed -n '$p'",
            "sed 'w out'",
            "sed F",
            "xargs echo",
            "while read -r x; do echo \"$x\"; done",
            "diff - other",
            "awk '!seen[$0]++'",
            "awk 'length > 1'",
            "awk 'system(\"true\")'",
            "head -c 2",
            "cksum",
            "split -l 1 - part",
            "stat -c %F -",
            "test -p /dev/stdin",
        ])
        .prop_map(str::to_owned),
    ];
    let third =
        one(&["", "", "| cat", "| wc -l", "> out", "> data", ">> other", "2> /dev/null | cat"]);
    (first, second, third).prop_map(|(first, second, third)| format!("{first} | {second} {third}"))
}

/// Data that is odd in some way.
const ODD: [&[u8]; 8] = [
    b"",
    b"a 1\nb 2\na 1\n",
    b"b\0x\na\nbinary file\nB\n",
    b"a\nb\n\0\na\n\xff\n",
    b"\xe9a\nA\na\n",
    b"10 a\n9 b\n1",
    b"a\r\nb\r\n",
    b"\n\n a\n\ta\n",
];

/// Whatever is beside it: what is said to be the same for any data is.
#[test]
fn neighbours_of_what_is_right_are_right_too() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, data: &[u8]| std::fs::write(folder.path().join(name), data).unwrap();
    put("other", b"a\nb\n");
    let trials = Trials::default();
    let of = |text: &str| {
        let request = engine::Request { text: text.to_owned(), ..request(folder.path(), "") };
        let preview = trials.evaluate(request, None, &RunControl::default()).ok()?;
        let last = preview.stages.last().unwrap();
        let said: String = preview.stages.iter().map(|one| one.messages.clone()).collect();
        let files: Vec<_> =
            preview.pending.iter().map(|one| (one.path.clone(), one.kept.contents())).collect();
        Some((last.out.contents(), last.status, said, files))
    };
    let claims = std::cell::Cell::new(0);
    let mut runner = TestRunner::new(Config { cases: 1500, ..Config::default() });
    let tested = runner.run(&(neighbours(), 0..ODD.len()), |(line, at)| {
        put("data", ODD[at]);
        let (trials, request) = (Trials::default(), request(folder.path(), &line));
        let Ok(preview) = trials.evaluate(request.clone(), None, &RunControl::default()) else {
            return Ok(());
        };
        let proofs = insight::Proofs::new(trials, request).whatever_the_gain();
        let tried = proofs.tried(&preview, &RunControl::default());
        for note in tried.notes.iter().filter(|note| note.always.is_some()) {
            let Some(fix) = &note.fix else { continue };
            claims.set(claims.get() + 1);
            let other = apply_edits(&preview.text, &fix.edits);
            for data in ODD {
                put("data", data);
                prop_assert_eq!(of(&preview.text), of(&other), "{} and {}", line, other);
            }
        }
        Ok(())
    });
    assert!(tested.is_ok(), "{tested:?}");
    // Otherwise nothing was shown by this.
    assert!(claims.get() > 20, "{}", claims.get());
}

#[test]
fn without_a_reason_it_is_said_to_be_of_this_data() {
    let folder = super::folder();
    for (line, says) in [
        ("sort gate.log | uniq", "the same for any data"),
        ("cat gate.log | sort | uniq", "the same for any data"),
        ("sort -n counts.txt | uniq", "the same result on this data"),
    ] {
        let (_, notes) = advised(folder.path(), line);
        let note = notes.iter().find(|note| note.kind == NoteKind::SortUniq).expect(line);
        assert!(note.text.contains(says), "{line}: {}", note.text);
        assert_eq!(note.always.is_some(), says.contains("any"), "{line}");
    }
}
