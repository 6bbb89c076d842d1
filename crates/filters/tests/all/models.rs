//! Filters beside models of them: the same result, written as plainly as can be, without a
//! thought of speed, blocks or memory.

use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::fmt::Write as _;

use proptest::prelude::*;
use stream::testing::FixedFiles;

use crate::support::{Cuts, run, run_in, words};

const CASES: u32 = 96;

/// What a filter writes, with its input cut into blocks of `cut` bytes.
fn written(line: &str, data: &str, cut: usize) -> String {
    let words = words(line);
    let words: Vec<&[u8]> = words.iter().map(|word| &word[..]).collect();
    let cuts = Cuts { input: cut, output: 40, origins: false };
    String::from_utf8(run(&words, data.as_bytes(), cuts).out).expect("text stays text")
}

/// What a filter writes that reads the files `one` and `other`.
fn written_of_two(line: &str, one: &str, other: &str) -> String {
    let mut world = FixedFiles::default();
    world.files.insert("one".into(), one.as_bytes().to_vec());
    world.files.insert("other".into(), other.as_bytes().to_vec());
    let words = words(line);
    let words: Vec<&[u8]> = words.iter().map(|word| &word[..]).collect();
    let cuts = Cuts { input: 1 << 20, output: 40, origins: false };
    String::from_utf8(run_in(&world, &words, b"", cuts).out).expect("text stays text")
}

/// Each line with a newline.
fn unlines<L: AsRef<str>>(lines: impl IntoIterator<Item = L>) -> String {
    lines.into_iter().fold(String::new(), |mut all, line| {
        all.push_str(line.as_ref());
        all.push('\n');
        all
    })
}

fn sorted(lines: &[String]) -> Vec<String> {
    let mut lines = lines.to_vec();
    lines.sort();
    lines
}

/// Lines of few letters, so that many are alike.
fn some_lines() -> impl Strategy<Value = Vec<String>> {
    prop::collection::vec("[abé ]{0,7}", 0..24)
}

/// Lines of words and small numbers.
fn some_records() -> impl Strategy<Value = Vec<String>> {
    let field = prop_oneof![
        "[ab]{0,2}",
        "[ab]{6,10}",
        "aaaaaaaa[ab\u{0}]{0,10}",
        "-?[0-9]{1,2}",
        "[0-9]\\.[0-9]"
    ];
    let line = prop::collection::vec(field, 1..5).prop_map(|fields| fields.join(" "));
    prop::collection::vec(line, 0..24)
}

/// A list as `cut` takes it, and what it chooses: numbers from 0.
fn list() -> impl Strategy<Value = (String, Vec<(usize, usize)>)> {
    let part = (1usize..7, 0usize..4, 0u8..4);
    prop::collection::vec(part, 1..4).prop_map(|parts| {
        let mut text = Vec::new();
        let mut ranges = Vec::new();
        for (start, more, form) in parts {
            let (word, range) = match form {
                0 => (format!("{start}"), (start - 1, start)),
                1 => (format!("{start}-{}", start + more), (start - 1, start + more)),
                2 => (format!("-{start}"), (0, start)),
                _ => (format!("{start}-"), (start - 1, usize::MAX)),
            };
            text.push(word);
            ranges.push(range);
        }
        (text.join(","), ranges)
    })
}

fn is_chosen(ranges: &[(usize, usize)], number: usize) -> bool {
    ranges.iter().any(|&(start, end)| (start..end).contains(&number))
}

/// A way to call `sort`, and what it means.
#[derive(Clone, Copy, Debug)]
struct SortWay {
    /// The key: from this field (from 1),
    first: usize,
    /// and this many more, or all.
    more: Option<usize>,
    numeric: bool,
    reverse: bool,
    fold: bool,
    stable: bool,
    unique: bool,
    /// The second field follows as a second key.
    second: bool,
}

impl SortWay {
    fn any() -> impl Strategy<Value = Self> {
        let flags = prop::array::uniform6(any::<bool>());
        (1usize..4, prop::option::of(0usize..2), flags).prop_map(|(first, more, flags)| {
            let [numeric, reverse, fold, stable, unique, second] = flags;
            let fold = fold && !numeric;
            Self { first, more, numeric, reverse, fold, stable, unique, second }
        })
    }

    fn line(&self) -> String {
        let mut line = "sort -t' '".to_owned();
        for (option, given) in [(" -s", self.stable), (" -u", self.unique)] {
            line.push_str(if given { option } else { "" });
        }
        write!(line, " -k{}", self.first).unwrap();
        if let Some(more) = self.more {
            write!(line, ",{}", self.first + more).unwrap();
        }
        for (letter, given) in [("n", self.numeric), ("r", self.reverse), ("f", self.fold)] {
            line.push_str(if given { letter } else { "" });
        }
        line + if self.second { " -k2,2" } else { "" }
    }

    fn key(line: &str, first: usize, more: Option<usize>) -> String {
        let fields: Vec<&str> = line.split(' ').skip(first - 1).collect();
        fields[..more.map_or(fields.len(), |more| fields.len().min(more + 1))].join(" ")
    }

    fn compare(&self, one: &str, other: &str) -> Ordering {
        let (left, right) =
            (Self::key(one, self.first, self.more), Self::key(other, self.first, self.more));
        let order = if self.numeric {
            number(&left).partial_cmp(&number(&right)).unwrap()
        } else if self.fold {
            left.to_ascii_uppercase().cmp(&right.to_ascii_uppercase())
        } else {
            left.cmp(&right)
        };
        let order = if self.reverse { order.reverse() } else { order };
        if self.second {
            order.then_with(|| Self::key(one, 2, Some(0)).cmp(&Self::key(other, 2, Some(0))))
        } else {
            order
        }
    }

    fn sorted(&self, lines: &[String]) -> Vec<String> {
        let mut lines = lines.to_vec();
        lines.sort_by(|one, other| self.compare(one, other));
        if self.unique {
            lines.dedup_by(|next, line| self.compare(next, line).is_eq());
        } else if !self.stable {
            lines.sort_by(|one, other| self.compare(one, other).then_with(|| one.cmp(other)));
        }
        lines
    }
}

/// The number a text begins with, behind blanks.
fn number(text: &str) -> f64 {
    let text = text.trim_start_matches(' ');
    let end = text
        .char_indices()
        .find(|&(at, c)| !(c.is_ascii_digit() || c == '.' || at == 0 && c == '-'))
        .map_or(text.len(), |(at, _)| at);
    text[..end].parse().unwrap_or(0.0)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(CASES) })]

    #[test]
    fn cut_keeps_the_fields_listed(
        lines in some_records(), (text, ranges) in list(), way in 0u8..8, cut in 1usize..50,
    ) {
        let (only, complement, between) = (way & 1 > 0, way & 2 > 0, way & 4 > 0);
        let mut line = format!("cut -d' ' -f{text}");
        line.push_str(if only { " -s" } else { "" });
        line.push_str(if complement { " --complement" } else { "" });
        line.push_str(if between { " --output-delimiter=::" } else { "" });
        let keep = |line: &String| {
            if !line.contains(' ') {
                return (!only).then(|| line.clone());
            }
            let kept: Vec<&str> = line
                .split(' ')
                .enumerate()
                .filter(|(number, _)| is_chosen(&ranges, *number) != complement)
                .map(|(_, field)| field)
                .collect();
            Some(kept.join(if between { "::" } else { " " }))
        };
        let expected = unlines(lines.iter().filter_map(keep));
        prop_assert_eq!(written(&line, &unlines(&lines), cut), expected, "{}", line);
    }

    #[test]
    fn cut_keeps_the_characters_and_bytes_listed(
        lines in some_lines(), (text, ranges) in list(), complement: bool, cut in 1usize..50,
    ) {
        let more = if complement { " --complement" } else { "" };
        let keep = |line: &String| -> String {
            let chosen = |(number, _): &(usize, char)| is_chosen(&ranges, *number) != complement;
            line.chars().enumerate().filter(chosen).map(|(_, character)| character).collect()
        };
        let line = format!("cut -c{text}{more}");
        let data = unlines(&lines);
        prop_assert_eq!(written(&line, &data, cut), unlines(lines.iter().map(keep)), "{}", line);
        // The same of bytes, where each character is one.
        let plain: Vec<String> = lines.iter().map(|line| line.replace('é', "e")).collect();
        let line = format!("cut -b{text}{more}");
        let expected = unlines(plain.iter().map(keep));
        prop_assert_eq!(written(&line, &unlines(&plain), cut), expected, "{}", line);
    }

    #[test]
    fn wc_counts_what_is_there(data in "[ab\u{1}\u{7f}é \t\r\n.]{0,400}", cut in 1usize..300) {
        let numbers = |line: &str| -> Vec<usize> {
            written(line, &data, cut).split_whitespace().map(|word| word.parse().unwrap()).collect()
        };
        // What cannot be printed is no part of a word and does not end one either.
        let shown: String = data.chars().filter(|&c| c.is_whitespace() || !c.is_control()).collect();
        let words = shown.split_whitespace().count();
        let newlines = data.matches('\n').count();
        prop_assert_eq!(numbers("wc"), vec![newlines, words, data.len()]);
        prop_assert_eq!(numbers("wc -w"), vec![words]);
        prop_assert_eq!(numbers("wc -wm"), vec![words, data.chars().count()]);
    }

    #[test]
    fn wc_counts_words_of_long_texts(words in prop::collection::vec("[!-~]{1,90}", 0..40), cut in 1usize..700) {
        for between in [" ", "\n", " \t ", "\u{b}"] {
            let data = words.join(between);
            let counted = written("wc -w", &data, cut);
            prop_assert_eq!(counted.trim(), words.len().to_string());
        }
    }

    #[test]
    fn seq_counts(
        first in prop_oneof![-30i64..30, 990i64..1010],
        step in prop_oneof![-7i64..0, 1i64..7, 95i64..1200],
        last in prop_oneof![-40i64..40, 900i64..12_000],
        width: bool,
    ) {
        let mut numbers = Vec::new();
        let mut number = first;
        while if step > 0 { number <= last } else { number >= last } {
            numbers.push(number);
            number += step;
        }
        let line = format!("seq {} -- {first} {step} {last}", if width { "-w" } else { "-s /" });
        let expected = if width {
            // The numbers given decide how wide all are.
            let wide = first.to_string().len().max(last.to_string().len());
            unlines(numbers.iter().map(|number| format!("{number:0wide$}")))
        } else {
            let texts: Vec<String> = numbers.iter().map(i64::to_string).collect();
            if texts.is_empty() { String::new() } else { texts.join("/") + "\n" }
        };
        prop_assert_eq!(written(&line, "", 1), expected, "{}", line);
    }

    #[test]
    fn uniq_groups_neighbours(lines in prop::collection::vec("[ab]{0,2}", 0..30), cut in 1usize..20) {
        let groups: Vec<&[String]> = lines.chunk_by(|one, other| one == other).collect();
        let data = unlines(&lines);
        let all = groups.iter().map(|group| group[0].clone());
        prop_assert_eq!(written("uniq", &data, cut), unlines(all));
        let counted = groups.iter().map(|group| format!("{:7} {}", group.len(), group[0]));
        prop_assert_eq!(written("uniq -c", &data, cut), unlines(counted));
        let repeated = groups.iter().filter(|group| group.len() > 1).map(|group| group[0].clone());
        prop_assert_eq!(written("uniq -d", &data, cut), unlines(repeated));
        let single = groups.iter().filter(|group| group.len() == 1).map(|group| group[0].clone());
        prop_assert_eq!(written("uniq -u", &data, cut), unlines(single));
        let every = groups.iter().filter(|group| group.len() > 1).flat_map(|group| group.iter());
        prop_assert_eq!(written("uniq -D", &data, cut), unlines(every));
    }

    #[test]
    fn head_and_tail_take_an_end(lines in some_lines(), count in 0usize..30, cut in 1usize..20) {
        let data = unlines(&lines);
        let first = count.min(lines.len());
        let rest = lines.len() - first;
        prop_assert_eq!(written(&format!("head -n {count}"), &data, cut), unlines(&lines[..first]));
        prop_assert_eq!(written(&format!("head -n -{count}"), &data, cut), unlines(&lines[..rest]));
        prop_assert_eq!(written(&format!("tail -n {count}"), &data, cut), unlines(&lines[rest..]));
        let from = count.saturating_sub(1).min(lines.len());
        prop_assert_eq!(written(&format!("tail -n +{count}"), &data, cut), unlines(&lines[from..]));
        let plain = data.replace('é', "e");
        let bytes = count.min(plain.len());
        prop_assert_eq!(written(&format!("head -c {count}"), &plain, cut), &plain[..bytes]);
        prop_assert_eq!(written(&format!("tail -c {count}"), &plain, cut), &plain[plain.len() - bytes..]);
    }

    #[test]
    fn tr_translates_deletes_and_squeezes(data in "[a-eA-E \n]{0,80}", cut in 1usize..20) {
        let upper: String = data.chars().map(|c| c.to_ascii_uppercase()).collect();
        prop_assert_eq!(written("tr a-e A-E", &data, cut), upper);
        // The last of a shorter set means all behind it.
        let short = |c: char| match c { 'a' => 'x', 'b'..='e' => 'y', other => other };
        prop_assert_eq!(written("tr a-e xy", &data, cut), data.chars().map(short).collect::<String>());
        let kept: String = data.chars().filter(|c| !"ace".contains(*c)).collect();
        prop_assert_eq!(written("tr -d ace", &data, cut), kept);
        let kept: String = data.chars().filter(|c| "ace\n".contains(*c)).collect();
        prop_assert_eq!(written("tr -cd 'ace\\n'", &data, cut), kept);
        let mut squeezed = String::new();
        for character in data.chars() {
            if character != ' ' || !squeezed.ends_with(' ') {
                squeezed.push(character);
            }
        }
        prop_assert_eq!(written("tr -s ' '", &data, cut), squeezed);
    }

    #[test]
    fn what_turns_lines_turns_them(lines in some_lines(), cut in 1usize..20) {
        let data = unlines(&lines);
        prop_assert_eq!(written("tac", &data, cut), unlines(lines.iter().rev()));
        let back = lines.iter().map(|line| line.chars().rev().collect::<String>());
        prop_assert_eq!(written("rev", &data, cut), unlines(back));
        let numbered = lines.iter().enumerate().map(|(at, line)| format!("{:6}\t{line}", at + 1));
        prop_assert_eq!(written("nl -ba", &data, cut), unlines(numbered.clone()));
        prop_assert_eq!(written("cat -n", &data, cut), unlines(numbered));
    }

    #[test]
    fn fold_breaks_after_so_many(lines in prop::collection::vec("[ab]{0,30}", 0..9), width in 1usize..9, cut in 1usize..20) {
        let broken = lines.iter().flat_map(|line| {
            let characters: Vec<char> = line.chars().collect();
            let parts: Vec<String> = characters.chunks(width).map(|part| part.iter().collect()).collect();
            if parts.is_empty() { vec![String::new()] } else { parts }
        });
        prop_assert_eq!(written(&format!("fold -w {width}"), &unlines(&lines), cut), unlines(broken));
    }

    #[test]
    fn paste_lays_lines_side_by_side(one in some_lines(), other in some_lines()) {
        let line = |lines: &[String], at: usize| lines.get(at).cloned().unwrap_or_default();
        let pairs = (0..one.len().max(other.len()))
            .map(|at| format!("{}:{}", line(&one, at), line(&other, at)));
        prop_assert_eq!(written_of_two("paste -d: one other", &unlines(&one), &unlines(&other)), unlines(pairs));
        if !one.is_empty() {
            let serial = format!("{}\n", one.join(","));
            prop_assert_eq!(written("paste -sd, -", &unlines(&one), 7), serial);
        }
    }

    #[test]
    fn comm_and_join_meet_in_order(one in some_records(), other in some_records()) {
        let (one, other) = (sorted(&one), sorted(&other));
        let texts = (unlines(&one), unlines(&other));
        let mut counts: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
        for line in &one {
            counts.entry(line).or_default().0 += 1;
        }
        for line in &other {
            counts.entry(line).or_default().1 += 1;
        }
        let mut columns = String::new();
        for (line, &(here, there)) in &counts {
            // Of equal lines as many pair up as both have.
            let both = here.min(there);
            for (times, tabs) in [(both, "\t\t"), (here - both, ""), (there - both, "\t")] {
                for _ in 0..times {
                    writeln!(columns, "{tabs}{line}").unwrap();
                }
            }
        }
        prop_assert_eq!(written_of_two("comm one other", &texts.0, &texts.1), columns);
        let key = |line: &str| line.split(' ').next().unwrap_or_default().to_owned();
        let rest = |line: &str| line.split_once(' ').map_or(String::new(), |(_, rest)| format!(" {rest}"));
        let (mut by_key, mut by_key_too) = (one.clone(), other.clone());
        by_key.sort_by_key(|line| key(line));
        by_key_too.sort_by_key(|line| key(line));
        let mut joined = String::new();
        for left in &by_key {
            for right in by_key_too.iter().filter(|right| key(right) == key(left)) {
                writeln!(joined, "{}{}{}", key(left), rest(left), rest(right)).unwrap();
            }
        }
        let line = "join -t' ' one other";
        prop_assert_eq!(written_of_two(line, &unlines(&by_key), &unlines(&by_key_too)), joined);
    }

    #[test]
    fn sort_orders_by_keys(lines in some_records(), way in SortWay::any(), cut in 1usize..50) {
        let line = way.line();
        prop_assert_eq!(written(&line, &unlines(&lines), cut), unlines(way.sorted(&lines)), "{}", line);
    }

    #[test]
    fn sort_orders_many_lines_by_keys(
        lines in prop::collection::vec("(|a|aaaaaaaa|aaaaaaaa[ab\u{0}]{0,10}|-?[0-9]) (b|a{0,17}\u{0}?|[0-9]{1,2}) ?[ab]?", 100..300),
        way in SortWay::any(),
    ) {
        let line = way.line();
        prop_assert_eq!(written(&line, &unlines(&lines), 1 << 12), unlines(way.sorted(&lines)), "{}", line);
    }

    #[test]
    fn grep_chooses_lines(lines in some_lines(), text in "[ab]{1,2}", cut in 1usize..20) {
        let data = unlines(&lines);
        let matching: Vec<&String> = lines.iter().filter(|line| line.contains(&text)).collect();
        prop_assert_eq!(written(&format!("grep {text}"), &data, cut), unlines(&matching));
        let others = lines.iter().filter(|line| !line.contains(&text));
        prop_assert_eq!(written(&format!("grep -v {text}"), &data, cut), unlines(others));
        let count = format!("{}\n", matching.len());
        prop_assert_eq!(written(&format!("grep -c {text}"), &data, cut), count);
        let parts = matching.iter().flat_map(|line| line.matches(&text));
        prop_assert_eq!(written(&format!("grep -o {text}"), &data, cut), unlines(parts));
        let whole = lines.iter().filter(|line| **line == text);
        prop_assert_eq!(written(&format!("grep -x {text}"), &data, cut), unlines(whole));
        let numbered = lines.iter().enumerate().filter(|(_, line)| line.contains(&text));
        let numbered = numbered.map(|(at, line)| format!("{}:{line}", at + 1));
        prop_assert_eq!(written(&format!("grep -n {text}"), &data, cut), unlines(numbered));
    }

    #[test]
    fn sed_and_awk_edit_lines(lines in some_records(), cut in 1usize..50) {
        let data = unlines(&lines);
        let first = lines.iter().map(|line| line.replacen('a', "<&>", 1));
        prop_assert_eq!(written("sed 's/a/<\\&>/'", &data, cut), unlines(first));
        let all = lines.iter().map(|line| line.replace('a', "<a>"));
        prop_assert_eq!(written("sed 's/a/<&>/g'", &data, cut), unlines(all));
        let kept = lines.iter().enumerate().filter(|(at, _)| !(1..4).contains(at));
        prop_assert_eq!(written("sed 2,4d", &data, cut), unlines(kept.map(|(_, line)| line)));
        let swapped = lines.iter().map(|line| line.replace('a', "B").replace('b', "A"));
        prop_assert_eq!(written("sed y/ab/BA/", &data, cut), unlines(swapped));
        let second = lines.iter().map(|line| line.split_whitespace().nth(1).unwrap_or_default());
        prop_assert_eq!(written("awk '{print $2}'", &data, cut), unlines(second));
        let counts = lines.iter().map(|line| line.split_whitespace().count().to_string());
        prop_assert_eq!(written("awk '{print NF}'", &data, cut), unlines(counts));
        let whole = |word: &str| word.parse::<i64>().unwrap_or(0);
        let sum: i64 = lines
            .iter()
            .filter_map(|line| line.split_whitespace().next())
            .filter(|word| !word.contains('.'))
            .map(whole)
            .sum();
        let program = "awk '$1 !~ /[.]/ {s += $1} END {print s + 0}'";
        prop_assert_eq!(written(program, &data, cut), format!("{sum}\n"));
        let replaced = lines.iter().map(|line| line.replace("ab", "-"));
        prop_assert_eq!(written("awk '{gsub(/ab/, \"-\"); print}'", &data, cut), unlines(replaced));
    }
}
