//! As `models`, for what is done to many equal lines, plain characters or known elements at once:
//! the data has runs of all lengths.

use proptest::prelude::*;

use crate::support::{Cuts, run, words};

const CASES: u32 = 64;

fn written(line: &str, data: &[u8], cut: usize) -> Vec<u8> {
    let words = words(line);
    let words: Vec<&[u8]> = words.iter().map(|word| &word[..]).collect();
    run(&words, data, Cuts { input: cut, output: 4096, origins: false }).out
}

fn text(line: &str, data: &str, cut: usize) -> String {
    String::from_utf8(written(line, data.as_bytes(), cut)).expect("text stays text")
}

fn unlines<L: AsRef<str>>(lines: impl IntoIterator<Item = L>) -> String {
    lines.into_iter().map(|line| format!("{}\n", line.as_ref())).collect()
}

/// Lines, each repeated this many times.
fn runs_of(line: &'static str) -> impl Strategy<Value = Vec<(String, usize)>> {
    let times = prop_oneof![1usize..4, 7usize..20, 500usize..1200];
    prop::collection::vec((line, times), 0..7)
}

fn spread(runs: &[(String, usize)]) -> Vec<&str> {
    runs.iter().flat_map(|(line, times)| std::iter::repeat_n(&line[..], *times)).collect()
}

/// Where blocks are cut.
fn cut() -> impl Strategy<Value = usize> {
    prop_oneof![1usize..9, 60usize..70, Just(1000), Just(1 << 20)]
}

/// The columns of a text with tab stops every eight, as blanks.
fn expanded(line: &str) -> String {
    line.chars().fold(String::new(), |mut out, character| {
        let column = out.chars().count();
        let times = if character == '\t' { 8 - column % 8 } else { 1 };
        out.extend(std::iter::repeat_n(if character == '\t' { ' ' } else { character }, times));
        out
    })
}

/// Breaks a line of characters of one column behind blanks where there are any.
fn folded(line: &str, width: usize, at_blanks: bool) -> Vec<String> {
    let mut rest: Vec<char> = line.chars().collect();
    let mut parts = Vec::new();
    while rest.len() > width {
        let blank = rest[..width].iter().rposition(|c| *c == ' ').filter(|_| at_blanks);
        let after = rest.split_off(blank.map_or(width, |at| at + 1));
        parts.push(rest.into_iter().collect());
        rest = after;
    }
    parts.push(rest.into_iter().collect());
    parts
}

/// A byte as `cat -A` shows it.
fn shown(byte: u8) -> String {
    match byte {
        b'\n' => "$\n".to_owned(),
        0x80.. => format!("M-{}", if byte == 0x8a { "^J".into() } else { shown(byte - 0x80) }),
        0..0x20 => format!("^{}", char::from(byte + 0x40)),
        0x7f => "^?".to_owned(),
        _ => char::from(byte).to_string(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(CASES) })]

    #[test]
    fn uniq_counts_runs(runs in runs_of("[ab]{0,3}"), open: bool, cut in cut()) {
        let lines = spread(&runs);
        let mut data = unlines(&lines);
        if open && !data.is_empty() {
            data.pop();
        }
        // A line that is empty and not ended is none.
        let lines = if open && data.is_empty() { Vec::new() } else { data.lines().collect() };
        let groups: Vec<&[&str]> = lines.chunk_by(|one, other| one == other).collect();
        prop_assert_eq!(text("uniq", &data, cut), unlines(groups.iter().map(|group| group[0])));
        let counted = groups.iter().map(|group| format!("{:7} {}", group.len(), group[0]));
        prop_assert_eq!(text("uniq -c", &data, cut), unlines(counted));
        let single = groups.iter().filter(|group| group.len() == 1).map(|group| group[0]);
        prop_assert_eq!(text("uniq -u", &data, cut), unlines(single));
        let by_first: Vec<&[&str]> =
            lines.chunk_by(|one, other| one.get(..1) == other.get(..1)).collect();
        let counted = by_first.iter().map(|group| format!("{:7} {}", group.len(), group[0]));
        prop_assert_eq!(text("uniq -cw1", &data, cut), unlines(counted));
    }

    #[test]
    fn grep_takes_lines_that_follow_each_other(runs in runs_of("[abé ]{0,6}"), cut in cut()) {
        let lines = spread(&runs);
        let data = unlines(&lines);
        for (pattern, matches) in [
            ("a", Box::new(|line: &str| line.contains('a')) as Box<dyn Fn(&str) -> bool>),
            ("^$", Box::new(str::is_empty)),
            (".", Box::new(|line: &str| !line.is_empty())),
            ("", Box::new(|_: &str| true)),
            ("é *b", Box::new(|line: &str| line.replace(' ', "").contains("éb"))),
        ] {
            let kept: Vec<&str> = lines.iter().copied().filter(|line| matches(line)).collect();
            prop_assert_eq!(text(&format!("grep -e '{pattern}'"), &data, cut), unlines(&kept));
            let count = format!("{}\n", kept.len());
            prop_assert_eq!(text(&format!("grep -c -e '{pattern}'"), &data, cut), count);
            let others = lines.iter().copied().filter(|line| !matches(line));
            prop_assert_eq!(text(&format!("grep -v -e '{pattern}'"), &data, cut), unlines(others));
            let numbered = lines.iter().enumerate().filter(|(_, line)| matches(line));
            let numbered = numbered.map(|(at, line)| format!("{}:{line}", at + 1));
            prop_assert_eq!(text(&format!("grep -n -e '{pattern}'"), &data, cut), unlines(numbered));
        }
    }

    #[test]
    fn grep_writes_no_line_that_is_no_text(
        runs in prop::collection::vec(prop_oneof![Just(&b"a good one"[..]), Just(&b"a bad \xff one"[..])], 0..200),
        cut in cut(),
    ) {
        let data: Vec<u8> = runs.iter().flat_map(|line| [line, &b"\n"[..]].concat()).collect();
        let good = runs.iter().filter(|line| line.is_ascii()).count();
        prop_assert_eq!(written("grep one", &data, cut), b"a good one\n".repeat(good));
        prop_assert_eq!(written("grep -a one", &data, cut), data);
    }

    #[test]
    fn sed_goes_on_where_patterns_match_every_line_for_a_while(runs in runs_of("[ab]{1,3}"), cut in cut()) {
        let lines = spread(&runs);
        let data = unlines(&lines);
        let changed = lines.iter().map(|line| line.replacen('a', "X", 1));
        prop_assert_eq!(text("sed s/a/X/", &data, cut), unlines(changed));
        let kept = lines.iter().filter(|line| line.contains("ab"));
        prop_assert_eq!(text("sed -n /ab/p", &data, cut), unlines(kept));
        let ended = lines.iter().map(|line| format!("> {line}."));
        prop_assert_eq!(text("sed 's/^/> /;s/$/./'", &data, cut), unlines(ended));
    }

    #[test]
    fn fold_breaks_characters_and_words(
        lines in prop::collection::vec("([ab]{0,9} ?|[aé ]{0,12}){0,4}", 0..9), width in 1usize..12, cut in cut(),
    ) {
        let data = unlines(&lines);
        for (option, at_blanks) in [("", false), (" -s", true)] {
            let broken = lines.iter().flat_map(|line| folded(line, width, at_blanks));
            let line = format!("fold{option} -w {width}");
            prop_assert_eq!(text(&line, &data, cut), unlines(broken), "{}", line);
        }
    }

    #[test]
    fn expand_fills_up_to_tab_stops(lines in prop::collection::vec("([abé]{0,9}|\t{0,2}| {0,9}){0,5}", 0..9), cut in cut()) {
        let data = unlines(&lines);
        let filled = unlines(lines.iter().map(|line| expanded(line)));
        prop_assert_eq!(text("expand", &data, cut), &filled[..]);
        // Nothing moves when blanks become tabs and come back.
        let packed = text("unexpand -a", &data, cut);
        prop_assert_eq!(text("expand", &packed, cut), filled);
        let first = lines.iter().map(|line| {
            let end = line.find(|c| c != ' ' && c != '\t').unwrap_or(line.len());
            format!("{}{}", expanded(&line[..end]), &line[end..])
        });
        prop_assert_eq!(text("expand -i", &data, cut), unlines(first));
    }

    #[test]
    fn cat_shows_every_byte(data in prop::collection::vec(any::<u8>(), 0..3000), cut in cut()) {
        let marked: String = data.iter().map(|byte| shown(*byte)).collect();
        prop_assert_eq!(written("cat -A", &data, cut), marked.as_bytes());
        let tabs: Vec<u8> =
            data.iter().flat_map(|byte| if *byte == b'\t' { b"^I".to_vec() } else { vec![*byte] }).collect();
        prop_assert_eq!(written("cat -T", &data, cut), tabs);
    }

    #[test]
    fn wc_counts_characters(parts in prop::collection::vec(
        prop_oneof![Just("aé€😀\n".as_bytes().to_vec()), Just(vec![0xe2, 0x82]), Just(vec![0xff])], 0..60,
    ), cut in 1usize..9) {
        // A byte that is no part of a character is none.
        let data = parts.concat();
        let characters = String::from_utf8_lossy(&data).chars().filter(|c| *c != '\u{fffd}').count();
        let counted = String::from_utf8(written("wc -m", &data, cut)).unwrap();
        prop_assert_eq!(counted.trim(), characters.to_string());
    }

    #[test]
    fn awk_fills_arrays_again(lines in prop::collection::vec("([ab]{1,3}|c{20,30}|[0-9]{1,2})( ([ab]{1,3}|c{20,30}))*", 0..30), cut in cut()) {
        let data = unlines(&lines);
        let fields = |line: &String| line.split(' ').map(str::to_owned).collect::<Vec<_>>();
        let turned = lines.iter().map(|line| fields(line).into_iter().rev().collect::<Vec<_>>().join(","));
        let program = "awk '{n = split($0, a, \" \"); s = a[n]; for (i = n - 1; i; i--) s = s \",\" a[i]; print s}'";
        prop_assert_eq!(text(program, &data, cut), unlines(turned));
        // What was in the array before is gone, whatever it was.
        let counts = lines.iter().map(|line| fields(line).len().to_string());
        let program = "awk '{a[\"x\"] = 1; a[2] = 3; split($0, a); print length(a)}'";
        prop_assert_eq!(text(program, &data, cut), unlines(counts));
        let kept = lines.iter().rev();
        let program = "awk '{a[NR] = $0} END {for (i = NR; i; i--) print a[i]}'";
        prop_assert_eq!(text(program, &data, cut), unlines(kept));
        let changed = lines.iter().map(|line| {
            let mut fields = fields(line);
            fields.resize(fields.len().max(2), String::new());
            fields[1].push('!');
            fields.join(" ")
        });
        prop_assert_eq!(text("awk '{$2 = $2 \"!\"; print}'", &data, cut), unlines(changed));
    }
}
