//! What is written never depends on how the input was cut, how small the output blocks are, or
//! whether origins are kept; and every line kept has the origin it says.

use filters::Verb;
use proptest::prelude::*;

use stream::testing::FixedFiles;

use crate::support::{Cuts, Outcome, WHOLE, run, run_closed, run_in, words};

/// Stages that read standard input.
pub(crate) const STAGES: &[&str] = &[
    "cat",
    "cat -n",
    "cat -b -s",
    "cat -A",
    "cat -E",
    "grep a",
    "grep -v a",
    "grep -n b",
    "grep -c .",
    "grep -o 'b*'",
    "grep -i A",
    "grep -w ab",
    "grep -x ab",
    "grep -m 2 a",
    "grep -v -m 2 a",
    "grep -F a.",
    "grep -E 'a|ab'",
    "grep -nv a",
    "grep -e a -e b -a",
    "grep ''",
    "grep '^$'",
    "grep -q a",
    "grep -l a",
    "grep -a '[^a]b'",
    "grep -on a",
    "grep -1n a",
    "grep -n1 a",
    "cut -z -b2-",
    "cut -z -d' ' -f2",
    "cut -d '\n' -f2-",
    "head -z -n2",
    "tail -z -n2",
    "tail +2",
    "head -3c",
    "uniq -1c",
    "cut -c1-2",
    "cut -b2-",
    "cut -d' ' -f2",
    "cut -d' ' -f1,3-",
    "cut -d' ' -f2 -s",
    "cut -d' ' -f2,3 --output-delimiter=::",
    "cut -c1,3,5- --complement",
    "cut -d' ' -f1 --complement",
    "cut -db -f-2",
    "sort",
    "sort -r",
    "sort -n",
    "sort -rn",
    "sort -u",
    "sort -k2,2",
    "sort -t' ' -k2n -k1,1r",
    "sort -f",
    "sort -fu",
    "sort -s -k2,2n",
    "sort -k1.2,1.3",
    "sort -b -k2",
    "sort -nu",
    "sort -g",
    "sort -h",
    "sort -M",
    "sort -V",
    "sort -d",
    "sort -di -k2",
    "sort -m",
    "sort -mu",
    "sort -c",
    "sort -C",
    "sort -cu",
    "sort -z",
    "sort -zr",
    "sort -z -k2n",
    "sort -rV -k1,1 -s",
    "sort -k2,2h -k1,1g",
    "sort -S 1b",
    "sort --sort=numeric --parallel=1",
    "uniq",
    "uniq -c",
    "uniq -d",
    "uniq -u",
    "uniq -i",
    "uniq -ci",
    "head",
    "head -n 2",
    "head -n -2",
    "head -c 5",
    "head -c -5",
    "head -n 0",
    "head -n -0",
    "head -3",
    "tail",
    "tail -n 2",
    "tail -n +2",
    "tail -c 5",
    "tail -c +5",
    "tail -n 0",
    "tail -n +0",
    "tail -3",
    "wc",
    "wc -l",
    "wc -w",
    "wc -c",
    "wc -m",
    "wc -L",
    "wc -lwmcL",
    "tr a-b A-B",
    "tr -d a",
    "tr -s b",
    "tr -s a-b x",
    "tr -cd 'a\\n'",
    "tr ' ' '\\n'",
    "tr '\\n' ' '",
    "tr -d '\\n'",
    "tr -s '\\n'",
    "tr é e",
    "tr a é",
    "tr -c 'a\\n' x",
    "tr abcdefg 'xy[z*]'",
    "tr [:lower:] [:upper:]",
    "tr -ds a b",
    "grep -A1 a",
    "grep -B2 b",
    "grep -C1 -n a",
    "grep -1 -v a",
    "grep -A0 a",
    "grep -m1 -A2 a",
    "grep -m2 -C1 -v b",
    "grep -oA1 a",
    "grep -b a",
    "grep -ob a",
    "grep -bnH a",
    "grep -z a",
    "grep -zc a",
    "grep -zo 'a*'",
    "grep -zv a",
    "grep --color=always a",
    "grep --color=always -n -C1 'a*'",
    "grep --color=always -v -A1 a",
    "grep --color=always -oH b",
    "grep -I a",
    "grep -L a",
    "grep -c -v a",
    "grep -a -B1 b",
    "grep --group-separator=## -A1 a",
    "grep --no-group-separator -A1 a",
    "grep --label=x -H a",
    "grep -Z -H a",
    "grep '\\(a\\)\\1'",
    "grep -E '(.)(.).*\\2\\1'",
    "grep -oE '([ab])\\1'",
    "grep -wE '(a|b)\\1*'",
    "grep -xE '(a*)b*\\1'",
    "nl",
    "nl -ba",
    "nl -ba -l2",
    "nl -bpa -n ln -s: -w3",
    "nl -n rz -v -5 -i3 -ha -fa",
    "nl -d a",
    "tac",
    "tac -s a",
    "tac -b -s b",
    "rev",
    "fold -w 5",
    "fold -s -w 7",
    "fold -b -w 4",
    "fold -bs -w 6",
    "fold",
    "fold -3",
    "expand",
    "expand -t 3",
    "expand -i",
    "expand -t 2,5",
    "expand -t 3,/4",
    "expand -t 2,+3",
    "unexpand",
    "unexpand -a",
    "unexpand -t 3",
    "unexpand -t 2,5",
    "unexpand -a -t 1,2,+3",
    "unexpand --first-only -t 2",
    "uniq -f 1",
    "uniq -s 1",
    "uniq -w 1",
    "uniq -f1 -s1 -w2 -c",
    "uniq -D",
    "uniq --all-repeated=prepend",
    "uniq --all-repeated=separate -w1",
    "uniq --group",
    "uniq --group=both -w1",
    "uniq --group=append",
    "uniq --group=prepend",
    "uniq -du",
    "uniq -Du",
    "uniq -cd -1",
    "uniq -z",
    "paste -s",
    "paste - -",
    "paste -d,; - - -",
    "paste -s -d'\\n,'",
    "tee",
    "od",
    "od -c",
    "od -A x -t x1z",
    "od -A n -t a",
    "od -t u1 -t x2z -t d4",
    "od -t f4 -t o1",
    "od -t fD -v",
    "od -j 3 -N 7 -t x1",
    "od -w3 -t c",
    "od -w -b",
    "od -A d -x -w4",
    "od -t d8 -t u8",
    "od -s -l -i -d -a",
    "numfmt --to=iec --invalid=ignore",
    "numfmt --to=si --field=2 --invalid=ignore -d a",
    "stamp as -u",
    "stamp gap -t -u",
    "fields --json a b",
    "fields --csv -n 1",
    "fields --csv -k -n 2 --as json",
    "fields --pairs a",
    "fields --pairs",
    "cksum",
    "md5sum",
    "sha256sum -b",
    "md5sum --tag -",
    "column -t",
    "column -t -s a",
    "column -t -s ab -o '|'",
    "column -t -N X,YY -R 1",
    "column",
    "column -x -c 40",
];

pub(crate) fn data() -> impl Strategy<Value = Vec<u8>> {
    let piece = prop_oneof![
        8 => "[ab]{0,3}".prop_map(String::into_bytes),
        4 => Just(b"\n".to_vec()),
        3 => Just(b" ".to_vec()),
        1 => "[0-9]{1,2}".prop_map(String::into_bytes),
        1 => Just(b"\t".to_vec()),
        1 => Just("é".as_bytes().to_vec()),
        1 => Just("線".as_bytes().to_vec()),
    ];
    prop::collection::vec(piece, 0..40).prop_map(|pieces| pieces.concat())
}

pub(crate) fn awkward() -> impl Strategy<Value = Vec<u8>> {
    let piece = prop_oneof![
        4 => data(),
        1 => Just(vec![0]),
        1 => Just(vec![0xff]),
        1 => Just(vec![0xe7, 0xb7]),
        1 => Just(b"\r\n".to_vec()),
    ];
    prop::collection::vec(piece, 0..4).prop_map(|pieces| pieces.concat())
}

fn check(stage: &str, data: &[u8], input: usize, output: usize) -> Result<(), TestCaseError> {
    let words = words(stage);
    let words: Vec<&[u8]> = words.iter().map(|word| &word[..]).collect();
    let plain = run(&words, data, WHOLE);
    for cuts in [
        Cuts { input, output, origins: false },
        Cuts { input: 1, output: 1, origins: false },
        Cuts { input, output, origins: true },
        Cuts { input: 1 << 20, output: 1 << 16, origins: true },
    ] {
        let other = run(&words, data, cuts);
        prop_assert_eq!(
            String::from_utf8_lossy(&plain.out),
            String::from_utf8_lossy(&other.out),
            "{} with {}",
            stage,
            cuts.origins
        );
        prop_assert_eq!(plain.status, other.status, "{}", stage);
        prop_assert_eq!(&plain.error, &other.error, "{}", stage);
        if let Some(origins) = other.origins {
            check_origins(stage, data, &plain.out, &origins)?;
        }
    }
    Ok(())
}

fn lines(data: &[u8]) -> Vec<&[u8]> {
    let mut lines: Vec<&[u8]> = data.split(|&byte| byte == b'\n').collect();
    if lines.last().is_some_and(|line| line.is_empty()) {
        lines.pop();
    }
    lines
}

fn check_origins(
    stage: &str,
    data: &[u8],
    out: &[u8],
    origins: &[Vec<u64>],
) -> Result<(), TestCaseError> {
    let (input, output) = (lines(data), lines(out));
    prop_assert_eq!(origins.len(), output.len(), "an origin a line: {}", stage);
    for origins in origins {
        for &origin in origins {
            prop_assert!(
                (origin as usize) < input.len(),
                "{stage}: origin {origin} of {}",
                input.len()
            );
        }
    }
    // A last line that is not ended joins the one written after it.
    if data.ends_with(b"\n") { check_verb(stage, &input, &output, origins) } else { Ok(()) }
}

/// What a filter says that it does with lines is what it does: one that only drops, passes on or
/// reorders lines writes the very lines it says.
fn check_verb(
    stage: &str,
    input: &[&[u8]],
    output: &[&[u8]],
    origins: &[Vec<u64>],
) -> Result<(), TestCaseError> {
    let words = words(stage);
    let definition = filters::find(&words[0]).unwrap();
    let Ok(filter) = definition.build(&words[1..]) else { return Ok(()) };
    // Records that end with NUL are no lines.
    let of_lines = !words[1..].iter().any(|word| word.starts_with(b"-z"));
    if filter.verb_varies() || !of_lines {
        return Ok(());
    }
    let verb = filter.verb();
    let counts_bytes = ["head", "tail"].contains(&definition.spec.name)
        && words[1..].iter().any(|word| word.contains(&b'c'));
    if matches!(verb, Verb::Keeps | Verb::Passes | Verb::Orders) {
        for (line, origins) in output.iter().zip(origins) {
            match origins.first() {
                // A number of bytes may end within a line.
                Some(first) if counts_bytes => {
                    let whole = input[*first as usize];
                    prop_assert!(whole.starts_with(line) || whole.ends_with(line), "{}", stage);
                }
                Some(first) => prop_assert_eq!(&input[*first as usize], line, "{}", stage),
                // Only what is between lines is of none.
                None => prop_assert!(matches!(*line, b"" | b"--" | b"##"), "{}: {:?}", stage, line),
            }
        }
    }
    let firsts: Vec<u64> = origins.iter().filter_map(|of| of.first().copied()).collect();
    if matches!(verb, Verb::Keeps | Verb::Passes) {
        prop_assert!(firsts.windows(2).all(|pair| pair[0] < pair[1]), "{}: {:?}", stage, firsts);
    }
    if verb == Verb::Orders {
        let mut all = firsts;
        all.sort_unstable();
        prop_assert!(all.into_iter().eq(0..input.len() as u64), "{}", stage);
        prop_assert!(origins.iter().all(|of| of.len() == 1), "{}", stage);
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(40) })]

    #[test]
    fn output_does_not_depend_on_cuts(data in data(), input in 1usize..9, output in 1usize..9) {
        for stage in STAGES {
            check(stage, &data, input, output)?;
        }
    }

    #[test]
    fn nor_for_awkward_bytes(data in awkward(), input in 1usize..9, output in 1usize..9) {
        for stage in STAGES {
            check(stage, &data, input, output)?;
        }
    }
}

#[test]
fn repeated_lines_keep_their_own_origins() {
    let data: String = (0..20_000u32).map(|number| format!("{} x\n", number * 7 % 13)).collect();
    for stage in ["sort", "sort -r", "sort -k1,1n", "sort -rn"] {
        let words = words(stage);
        let words: Vec<&[u8]> = words.iter().map(|word| &word[..]).collect();
        let plain = run(&words, data.as_bytes(), WHOLE);
        let traced = run(&words, data.as_bytes(), Cuts { origins: true, ..WHOLE });
        assert!(plain.out == traced.out, "{stage}");
        let (input, origins) = (lines(data.as_bytes()), traced.origins.unwrap());
        for (pair, both) in lines(&traced.out).windows(2).zip(origins.windows(2)) {
            assert_eq!(input[both[0][0] as usize], pair[0], "{stage}");
            assert!(pair[0] != pair[1] || both[0][0] < both[1][0], "{stage}");
        }
    }
}

#[test]
fn long_sorts_are_merged_from_pieces() {
    let mut data = Vec::new();
    let mut state = 7u64;
    for _ in 0..150_000 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        data.extend_from_slice(format!("{}\n", state >> 40).as_bytes());
    }
    let mut model: Vec<&[u8]> = lines(&data);
    model.sort();
    let expected = [&model.join(&b'\n')[..], b"\n"].concat();
    // Long lines that differ late, short ones, and zeros where a line ends.
    let mut deep: Vec<Vec<u8>> = model
        .iter()
        .take(40_000)
        .map(|line| [b"same beginning of forty bytes or so ", *line].concat())
        .collect();
    deep.extend(model.iter().take(20_000).map(|line| [&line[..line.len().min(2)], b"\0"].concat()));
    deep.extend(model.iter().take(20_000).map(|line| line[..line.len().min(2)].to_vec()));
    let mixed = [&deep.join(&b'\n')[..], b"\n"].concat();
    deep.sort();
    for (option, reversed) in [(&b"-s"[..], false), (b"-r", true)] {
        let mut wanted = deep.clone();
        if reversed {
            wanted.reverse();
        }
        let outcome = run(&[b"sort", option], &mixed, WHOLE);
        assert!(outcome.out == [&wanted.join(&b'\n')[..], b"\n"].concat(), "{reversed}");
    }
    for origins in [false, true] {
        let outcome = run(&[b"sort"], &data, Cuts { origins, ..WHOLE });
        assert!(outcome.out == expected, "with origins: {origins}");
    }
}

#[test]
fn what_does_not_fit_into_memory_is_merged_from_disk() {
    let mut data = Vec::new();
    let mut state = 11u64;
    for number in 0..160_000u32 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        data.extend_from_slice(
            format!("{:>9} line {number} {}\n", state >> 44, state % 7).as_bytes(),
        );
    }
    for line in ["sort", "sort -r", "sort -n", "sort -k3,3n -s", "sort -k4,4 -u", "sort -rg -k1,1"]
    {
        let parts = words(line);
        let parts: Vec<&[u8]> = parts.iter().map(|word| &word[..]).collect();
        let whole = run(&parts, &data, WHOLE);
        for size in ["1b", "2M"] {
            let limited = [&parts[..1], &[b"-S", size.as_bytes()], &parts[1..]].concat();
            let spilled = run(&limited, &data, WHOLE);
            assert!(spilled.out == whole.out, "{line} -S {size}: {}", spilled.error);
            assert_eq!(spilled.status, 0);
        }
    }
    // Few different lines, and then many.
    let mut mixed = b"same\n".repeat(40_000);
    mixed.extend_from_slice(&data);
    let whole = run(&[b"sort"], &mixed, WHOLE);
    let spilled = run(&[b"sort", b"-S", b"1b"], &mixed, WHOLE);
    assert!(spilled.out == whole.out);
}

/// Filters with files `one` and `other` among their operands.
const AMONG_FILES: &[&str] = &[
    "cat one other",
    "comm one other",
    "comm -12 --nocheck-order one -",
    "join one other",
    "join -a1 -a2 -t' ' one -",
    "paste one other",
    "paste -s -d, one other",
    "paste - one -",
    "venn union one other",
    "venn intersection one -",
    "venn difference --by=char one other",
    "venn symmetric-difference --by=byte one other",
    "sort one other",
    "sort -m one other",
    "sort -o new one",
    "uniq one new",
    "grep -n a one other",
    "grep -f one other",
    "grep -C1 -c b one other",
    "wc one other",
    "nl one other",
    "tac one other",
    "head -n1 one other",
    "tail -n1 one other",
    "split -l 2 one",
    "split -n 3 one",
    "split -n l/2 one",
    "split -C 4 one",
    "split -n r/2 -",
    "csplit -k one /a/ {*}",
    "csplit -z one 2",
    "shuf --seed=5 one",
    "shuf --seed=5 -n 2 one",
    "shuf --seed=5 -e a b c",
    "column -t one other",
    "od -w3 -c one other",
    "tee new",
    "md5sum one other",
    "fmt -w 9 one other",
    "meter one other",
    "stamp as -u one",
    "numfmt --to=si --invalid=ignore",
];

fn among(line: &str, files: [&[u8]; 2], stdin: &[u8], cuts: Cuts) -> (Outcome, Vec<Vec<u8>>) {
    let mut world = FixedFiles { cut: cuts.input, ..FixedFiles::default() };
    for (name, data) in ["one", "other"].iter().zip(files) {
        world.files.insert(name.into(), data.to_vec());
    }
    let words = words(line);
    let words: Vec<&[u8]> = words.iter().map(|word| &word[..]).collect();
    let outcome = run_in(&world, &words, stdin, cuts);
    let written = world.written.lock();
    let written = written.values().map(|sink| sink.contents()).collect();
    (outcome, written)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(24) })]

    #[test]
    fn files_do_not_depend_on_cuts_either(
        one in awkward(), other in data(), stdin in data(), input in 1usize..7, output in 1usize..9,
    ) {
        for line in AMONG_FILES {
            let files = [&one[..], &other[..]];
            let (whole, whole_files) = among(line, files, &stdin, WHOLE);
            let (cut, cut_files) = among(line, files, &stdin, Cuts { input, output, origins: false });
            let (traced, traced_files) = among(line, files, &stdin, Cuts { input, output, origins: true });
            prop_assert_eq!(&whole.out, &cut.out, "{}", line);
            prop_assert_eq!(&whole.out, &traced.out, "with origins: {}", line);
            prop_assert_eq!(whole.status, cut.status, "{}", line);
            prop_assert_eq!(&whole_files, &cut_files, "{}", line);
            prop_assert_eq!(&whole_files, &traced_files, "{}", line);
            let origins = traced.origins.unwrap();
            prop_assert_eq!(origins.len(), lines(&traced.out).len(), "an origin a line: {}", line);
            let most = [&one, &other, &stdin].iter().map(|data| lines(data).len() as u64).max().unwrap_or(0);
            for origin in origins.iter().flatten() {
                prop_assert!(*origin < most, "{}: origin {} of {}", line, origin, most);
            }
        }
    }
}

#[test]
fn every_filter_ends_when_its_reader_has_gone() {
    let data = b"a b a\nbb 12\n\n".repeat(20_000);
    for stage in STAGES {
        let words = words(stage);
        let words: Vec<&[u8]> = words.iter().map(|word| &word[..]).collect();
        let outcome = run_closed(&words, &data);
        // Some write nothing, or end before they do.
        assert!(matches!(outcome.status, 0 | 1 | 2 | 141), "{stage}: {}", outcome.status);
    }
    assert_eq!(run_closed(&[b"yes"], b"").status, 141);
    assert_eq!(run_closed(&[b"cat"], &data).status, 141);
    assert_eq!(run_closed(&[b"sort"], &data).status, 141);
}

#[test]
fn filters_are_listed_in_order() {
    let names: Vec<&str> = filters::all().iter().map(|definition| definition.spec.name).collect();
    let mut sorted = names.clone();
    sorted.sort_unstable();
    assert_eq!(names, sorted);
    for definition in filters::all() {
        let spec = definition.spec;
        let mut letters: Vec<filters::OptionId> =
            spec.options.iter().map(|option| option.id).collect();
        letters.sort_unstable();
        letters.dedup();
        assert_eq!(letters.len(), spec.options.len(), "{}: an option twice", spec.name);
        assert!(
            spec.examples.len() + spec.options.len() > 0 || ["true", "false"].contains(&spec.name)
        );
    }
}
