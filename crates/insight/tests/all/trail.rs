//! Trails: every line of a result has its sources, every other line ends where it does, for a
//! reason that is true when it is looked at again.

use std::path::Path;
use std::sync::Arc;

use engine::{Preview, Sample, Trials};
use insight::{Change, Gone, Trail, TrailStart, Whereabouts};
use proptest::prelude::*;
use stream::RunControl;

use super::{file, request_of};

fn evaluated(text: &str) -> Arc<Preview> {
    Trials::default()
        .evaluate(request_of(text, Sample::Everything), None, &RunControl::default())
        .unwrap_or_else(|error| panic!("{text}: {error}"))
}

fn trail(preview: &Preview, start: TrailStart) -> Trail {
    Trail::of(preview, start, &RunControl::default()).expect("a line")
}

fn lines(data: &[u8]) -> Vec<String> {
    String::from_utf8_lossy(data).lines().map(str::to_owned).collect()
}

/// The trail of each line that the first stage reads, in words.
fn fates(text: &str) -> Vec<(String, Vec<String>)> {
    let preview = evaluated(text);
    let stage = &preview.stages[0];
    (0..stage.input_lines())
        .map(|flat| {
            let trail = trail(&preview, TrailStart::In { stage: 0, flat });
            let words = trail.steps.iter().map(|step| step.words(&preview));
            (String::from_utf8_lossy(&trail.text).into_owned(), words.collect())
        })
        .collect()
}

/// The last words on each line of `data`.
fn ends(folder: &Path, line: &str) -> Vec<String> {
    let text = format!("cd {}; {line}", folder.display());
    fates(&text).into_iter().map(|(_, words)| words.last().cloned().unwrap_or_default()).collect()
}

const DATA: &str = "gate-01 3 refused\ngate-02 25 passed\n\ngate-02 25 passed\ngate-03 7 stuck\n";

#[test]
fn each_filter_says_why_a_line_ends() {
    let folder = tempfile::tempdir().unwrap();
    let folder = folder.path();
    file(folder, "data", DATA);
    file(folder, "other", "gate-02 x\ngate-09 y\n");
    file(folder, "sorted", "a\nb\nb\nc\n");
    file(folder, "second", "b\nd\n");
    let all = [
        ("grep refused data", 1, "ends here: no match for “refused”"),
        (
            "grep -v refused data",
            0,
            "ends here: has “refused”, and -v drops what matches “refused”",
        ),
        ("grep -m1 gate data", 4, "ends here: not among the first 1 line selected"),
        ("grep -e a -e b sorted", 3, "ends here: no match for any of 2 patterns"),
        ("head -n 2 data", 3, "ends here: not among the first 2 lines"),
        ("head -n -2 data", 4, "ends here: among the last 2 lines"),
        ("tail -n 1 data", 0, "ends here: not among the last line"),
        ("tail -n +3 data", 1, "ends here: before line 3"),
        ("uniq -d sorted", 0, "ends here: no line next to it is equal to it"),
        ("uniq -u sorted", 2, "ends here: comes 2 times in a row, in lines 2 to 3"),
        ("cut -s -d, -f1 data", 0, "ends here: has no “,”, and -s drops such lines"),
        ("comm -12 sorted second", 0, "ends here: only in the first file, which -1 leaves out"),
        ("comm -23 sorted second", 1, "ends here: in both files, which -3 leaves out"),
        (
            "join data other",
            0,
            "ends here: no line of the other file has “gate-01”, which its field 1 is",
        ),
        ("cat -s gaps", 2, "ends here: an empty line after another one, and -s leaves one of them"),
        ("awk '$2 > 20' data", 0, "ends here: $2 > 20 does not hold: $2 is “3”"),
        (
            "awk '!seen[$0]++' data",
            3,
            "ends here: !seen[$0]++ does not hold: seen[gate-02 25 passed] is 1",
        ),
        (
            "awk 'NR == 1 {next} {print $1}' data",
            0,
            "ends here: the rule for NR == 1 ends with next",
        ),
        (
            "awk '{ if ($3 == \"stuck\") print $1 }' data",
            1,
            "ends here: $3 == \"stuck\" does not hold: $3 is “passed”",
        ),
        ("awk '/refused/ {print $1}' data", 4, "ends here: /refused/ does not hold"),
        (
            "awk -v most=9 '$2 < most && NF == 3' data",
            1,
            "ends here: $2 < most && NF == 3 does not hold: $2 is “25”, most is “9”, NF is 3",
        ),
        (
            "awk 'NR == 2 {exit} {print}' data",
            4,
            "ends here: not read as a record: the program ends at record 2",
        ),
        ("sed '/stuck/d' data", 4, "ends here: command 1 on lines with /stuck/: drops the line"),
        (
            "sed -n '/stuck/p' data",
            0,
            "ends here: no command writes it: it is not one of those of command 1 on lines with /stuck/: writes the line",
        ),
        (
            "sed 2q data",
            4,
            "ends here: the script ends at line 2 before it is read: command 1 on line 2: ends after it",
        ),
        (
            "sed 's/x/y/; 1,2{/gate/d}' data",
            1,
            "ends here: command 3 on lines with /gate/: drops the line",
        ),
    ];
    file(folder, "gaps", "a\n\n\nb\n");
    for (line, number, expected) in all {
        let said = &ends(folder, line)[number];
        assert!(said.starts_with(expected), "{line}, line {}: {said}", number + 1);
    }
}

#[test]
fn a_line_goes_back_to_its_file_and_on_to_the_end() {
    let folder = tempfile::tempdir().unwrap();
    file(folder.path(), "data", DATA);
    let text = format!(
        "cd {}; grep gate data | cut -d' ' -f1 | sort | uniq -c | sort -rn | head -n 1 > worst.txt",
        folder.path().display()
    );
    let preview = evaluated(&text);
    let of_result = trail(&preview, TrailStart::Out { stage: 5, line: 0 });
    assert_eq!(of_result.sources.len(), 1);
    assert_eq!(
        (&of_result.sources[0].name[..], &of_result.sources[0].lines[..]),
        ("data", &[1, 3][..])
    );
    let words: Vec<String> = of_result.steps.iter().map(|step| step.words(&preview)).collect();
    assert_eq!(
        words,
        [
            "2 lines, unchanged",
            "2 lines → “gate-02” …",
            "2 lines, unchanged",
            "2 lines became 1: “      2 gate-02”",
            "line 2 → line 1",
            "unchanged",
        ]
    );
    assert_eq!(of_result.end_in_words(&preview).unwrap(), "line 1 of worst.txt, not written yet");
    assert_eq!(of_result.start_in_words(&preview), "line 1 of the result");
    // From the middle it goes both ways.
    let middle = trail(&preview, TrailStart::In { stage: 3, flat: 0 });
    assert_eq!(middle.start_in_words(&preview), "line 1 of the output of stage 3");
    assert_eq!(middle.sources[0].lines, [0]);
    assert_eq!(middle.end().map(|step| step.stage), Some(5));
    let lost = Whereabouts::of(&preview, "gate-03", &RunControl::default(), &|_, _| {}, &|_| None);
    assert_eq!(lost.found[0].lines, [4]);
    assert_eq!((lost.left, lost.lost.len(), lost.lost[0].stage), (0, 1, 5));
    let Gone::Ends(ends) = &lost.lost[0].how else { panic!() };
    assert_eq!(ends.reason.as_deref(), Some("not among the first line"));
    let there = Whereabouts::of(&preview, "gate-02", &RunControl::default(), &|_, _| {}, &|_| None);
    assert_eq!((there.left, there.lost.len()), (1, 0));
    let nowhere =
        Whereabouts::of(&preview, "gate-77", &RunControl::default(), &|_, _| {}, &|_| None);
    assert!(nowhere.found.is_empty() && nowhere.left == 0);
}

/// Where a text is, and where it is lost, in a few words.
fn told(preview: &Preview, query: &str) -> String {
    let all = Whereabouts::of(preview, query, &RunControl::default(), &|_, _| {}, &|_| None);
    let mut told: Vec<String> = Vec::new();
    for source in &all.found {
        let how = if source.input.is_none() { "makes" } else { "has" };
        told.push(format!("{} {how} {}", source.name, source.lines.len()));
    }
    told.extend(all.inside.iter().map(|(stage, name)| format!("{name} inside {}", stage + 1)));
    told.extend(all.in_patterns.iter().map(|name| format!("{name} as a pattern")));
    told.extend(all.beyond.iter().map(|one| match one.found {
        Some(found) => format!("all: {} of {}, line {}", found.count, found.lines, found.first),
        None => "all: unknown".to_owned(),
    }));
    told.extend(all.lost.iter().map(|lost| match &lost.how {
        Gone::Ends(ends) => format!(
            "{} of {} end at {}: {}",
            ends.count,
            lost.came,
            lost.stage + 1,
            ends.reason.as_deref().unwrap_or("-")
        ),
        Gone::CutAway { count, text, .. } => {
            format!("{count} cut at {}: {}", lost.stage + 1, String::from_utf8_lossy(text))
        }
    }));
    told.extend(all.unknown.map(|stage| format!("unknown at {}", stage + 1)));
    told.push(format!("left {} of {}", all.having, all.left));
    told.join("; ").replace(&preview.text[3..preview.text.find(';').unwrap()], "DIR")
}

#[test]
fn a_text_is_looked_for_in_all_that_comes_in() {
    let folder = tempfile::tempdir().unwrap();
    file(folder.path(), "data", DATA);
    file(folder.path(), "list", "gate-02\n");
    file(folder.path(), "names", "data\n");
    let mut wrong = Vec::new();
    for (line, query, expected) in [
        // Cut away: the commonest answer.
        ("cut -d' ' -f1 data | sort", "refused", "data has 1; 1 cut at 1: gate-01; left 0 of 1"),
        (
            "grep gate data | awk '{print $3}' | sort -u",
            "gate-02",
            "data has 2; 2 cut at 2: passed; left 0 of 1",
        ),
        ("grep -c passed data", "passed", "data has 2; 1 cut at 1: 2; left 0 of 1"),
        // What programs, arguments and commands in the place of files make.
        (
            "printf 'a\\nb\\n' | grep a",
            "b",
            "printf makes 1; 1 of 1 end at 2: no match for “a”; left 0 of 0",
        ),
        ("comm -13 <(sort data) <(echo gate-77)", "gate-77", "<(echo gate-77) has 1; left 1 of 1"),
        (
            "comm -12 <(sort data) <(echo gate-77)",
            "gate-77",
            "<(echo gate-77) has 1; 1 of 1 end at 1: only in the second file, which -2 leaves out; left 0 of 0",
        ),
        (
            "ls | grep -v data",
            "data",
            "ls makes 1; 1 of 1 end at 2: has “data”, and -v drops what matches “data”; left 0 of 0",
        ),
        // Files that commands inside a stage read.
        (
            "cat names | xargs cat | grep -v 25",
            "gate-03",
            "xargs makes 1; DIR/data inside 2; left 1 of 1",
        ),
        // Patterns are no data.
        ("grep -f list data", "gate-02", "data has 2; list as a pattern; left 2 of 2"),
        (
            "sort -u data data | grep gate-01",
            "gate-01",
            "data has 1; data has 1; 1 of 2 end at 1: equal to line 1 of a file before it; left 1 of 1",
        ),
    ] {
        let preview = evaluated(&format!("cd {}; {line}", folder.path().display()));
        let told = told(&preview, query);
        if told != expected {
            wrong.push(format!("{line}\n  {told}\n  {expected}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn a_sample_does_not_speak_for_all_of_a_file() {
    let folder = tempfile::tempdir().unwrap();
    let data: String = (1..=3_000).map(|at| format!("line {at}\n")).collect();
    file(folder.path(), "data", &data);
    let text = format!("cd {}; grep line data | sort", folder.path().display());
    let request = request_of(&text, Sample::First(100));
    let preview = Trials::default().evaluate(request, None, &RunControl::default()).unwrap();
    let mut told_of = Vec::new();
    let told_of_cell = std::cell::RefCell::new(&mut told_of);
    let told = |read, whole| told_of_cell.borrow_mut().push((read, whole));
    let control = RunControl::default();
    let all = Whereabouts::of(&preview, "line 2345", &control, &told, &|_| None);
    let found = all.beyond[0].found.unwrap();
    assert!(all.found.is_empty());
    assert_eq!((found.count, found.first, found.lines), (1, 2345, 3000));
    let bytes = data.len() as u64;
    assert_eq!(told_of.last(), Some(&(bytes, Some(bytes))));
    let nowhere =
        Whereabouts::of(&preview, "line 4000", &RunControl::default(), &|_, _| {}, &|_| None);
    assert_eq!(nowhere.beyond[0].found.unwrap().count, 0);
}

#[test]
fn what_other_programs_make_is_not_known() {
    let folder = tempfile::tempdir().unwrap();
    file(folder.path(), "data", DATA);
    let text =
        format!("cd {}; grep gate data | /usr/bin/sort | head -n 1", folder.path().display());
    let preview = evaluated(&text);
    let on = trail(&preview, TrailStart::In { stage: 0, flat: 0 });
    assert_eq!(on.steps.last().map(|step| step.change), Some(Change::Unknown));
    assert!(on.end().is_none(), "nobody knows");
    let lost = Whereabouts::of(&preview, "gate", &RunControl::default(), &|_, _| {}, &|_| None);
    assert_eq!((lost.unknown, lost.lost.len()), (Some(1), 0));
}

/// All pipelines of the demo: each line of each source and of each result.
#[test]
fn every_line_of_the_demo_has_its_trail() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let folder = tempfile::tempdir().unwrap();
    for part in ["data", "pipelines"] {
        for file in std::fs::read_dir(root.join(part)).unwrap() {
            let file = file.unwrap();
            std::fs::copy(file.path(), folder.path().join(file.file_name())).unwrap();
        }
    }
    let (mut results, mut dropped) = (0, 0);
    for script in std::fs::read_dir(root.join("pipelines")).unwrap() {
        let script = std::fs::read_to_string(script.unwrap().path()).unwrap();
        let text = format!("cd {}\n{script}", folder.path().display());
        let request = request_of(&text, Sample::First(150));
        let Ok(preview) = Trials::default().evaluate(request, None, &RunControl::default()) else {
            continue;
        };
        let last = preview.stages.len() - 1;
        for line in 0..preview.stages[last].out.lines() {
            let trail = trail(&preview, TrailStart::Out { stage: last, line });
            let first = &trail.steps[0];
            let known =
                !trail.sources.is_empty() || matches!(first.change, Change::Made | Change::Unknown);
            assert!(known, "{script}: line {}", line + 1);
            // What it was made of leads to it.
            for source in &trail.sources {
                let stage = &preview.stages[source.stage];
                let before: u64 = stage.inputs[..source.input.unwrap()]
                    .iter()
                    .map(|input| input.kept.lines())
                    .sum();
                let start = TrailStart::In { stage: source.stage, flat: before + source.lines[0] };
                let on = self::trail(&preview, start);
                let end = on.steps.last().unwrap();
                assert!(end.stage == last && end.lines.contains(&line), "{script}: {}", line + 1);
            }
            results += 1;
        }
        for (number, stage) in
            preview.stages.iter().enumerate().filter(|(_, stage)| stage.filter.is_some())
        {
            for flat in 0..stage.input_lines() {
                let trail = trail(&preview, TrailStart::In { stage: number, flat });
                let Some(end) = trail.end() else { continue };
                let lost = end.lost.as_ref().unwrap();
                assert!(
                    lost.reason.is_some(),
                    "{script}: stage {}: {}",
                    end.stage + 1,
                    String::from_utf8_lossy(&trail.text)
                );
                dropped += 1;
            }
        }
    }
    assert!(results > 100 && dropped > 500, "{results} {dropped}");
}

/// Stages over lines `<id> <number> <word>`, each of which keeps the id of what it keeps.
const STAGES: &[&str] = &[
    "grep a",
    "grep -v b",
    "grep -m3 .",
    "head -n 5",
    "head -n -1",
    "tail -n 4",
    "tail -n +2",
    "sort -k3",
    "sort -rn -k2",
    "tac",
    "cut -d' ' -f1-3",
    "awk '$2 > 4'",
    "awk 'NR % 2'",
    "awk '!seen[$3]++'",
    "awk '$3 ~ /a/ {print; next} $2 < 3'",
    "sed '/b$/d'",
    "sed -n '/[ab]/p'",
    "sed 4q",
    "sed -n '2,4p'",
    "tr a-z A-Z",
    "cat -s",
    "uniq -f 2 -u",
    "uniq -f 2 -d",
];

fn id(line: &str) -> &str {
    line.split(' ').next().unwrap_or_default()
}

/// Looks at a reason again, with nothing of what gave it.
fn is_true(reason: &str, line: &str, number: usize, all: &[String]) -> bool {
    let field = |at: usize| line.split(' ').nth(at).unwrap_or_default();
    let mut words = reason.split(' ');
    if let Some(pattern) = reason.strip_prefix("no match for “") {
        return !line.contains(pattern.trim_end_matches('”'));
    }
    if reason.starts_with("has “b”") {
        return line.contains('b');
    }
    if reason.starts_with("not among the first") {
        let most: usize = words.nth(4).and_then(|n| n.parse().ok()).unwrap_or(1);
        return number >= most;
    }
    if reason.starts_with("among the last") {
        let most: usize = words.nth(3).and_then(|n| n.parse().ok()).unwrap_or(1);
        return number + most >= all.len();
    }
    if reason.starts_with("not among the last") {
        let most: usize = words.nth(4).and_then(|n| n.parse().ok()).unwrap_or(1);
        return number + most < all.len();
    }
    if reason.starts_with("before line 2") {
        return number == 0;
    }
    if reason.starts_with("$2 > 4 does not hold") {
        return field(1).parse::<f64>().unwrap_or(0.0) <= 4.0
            && reason.ends_with(&format!("$2 is “{}”", field(1)));
    }
    if reason.starts_with("NR % 2 does not hold") {
        return number % 2 == 1 && reason.ends_with(&format!("NR is {}", number + 1));
    }
    if reason.starts_with("!seen[$3]++ does not hold") {
        let before = all[..number]
            .iter()
            .filter(|other| other.split(' ').nth(2).unwrap_or_default() == field(2));
        let count = before.count();
        return count > 0 && reason.contains(&format!("is {count}"));
    }
    if reason.starts_with("$3 ~ /a/ does not hold") {
        return !field(2).contains('a') && field(1).parse::<f64>().unwrap_or(0.0) >= 3.0;
    }
    if reason.contains("on lines with /b$/: drops") {
        return line.ends_with('b');
    }
    if reason.contains("not one of those of command 1 on lines with /[ab]/") {
        return !line.contains(['a', 'b']);
    }
    if reason.starts_with("the script ends at line 4") {
        return number >= 4;
    }
    if reason.contains("command 1 from line 2 to line 4") {
        return !(1..4).contains(&number);
    }
    let last = |line: &str| line.split(' ').skip(2).collect::<Vec<_>>().join(" ");
    let own = last(line);
    let beside =
        |at: Option<usize>| at.and_then(|at| all.get(at)).is_some_and(|other| last(other) == own);
    let repeated = beside(number.checked_sub(1)) || beside(Some(number + 1));
    if reason.starts_with("no line next to it is equal") {
        return !repeated;
    }
    if reason.starts_with("comes ") || reason.starts_with("the same as line") {
        return repeated;
    }
    if reason.starts_with("an empty line after another") {
        return line.is_empty() && number > 0 && all[number - 1].is_empty();
    }
    false
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// The stage named is the first whose output lacks the line, and the reason is true.
    #[test]
    fn where_and_why_a_line_ends_is_true(
        rows in proptest::collection::vec((0u8..9, "[ab]{1,2}|c"), 1..14),
        stages in proptest::collection::vec(0..STAGES.len(), 1..5),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let data: String =
            rows.iter().enumerate().map(|(at, (number, word))| format!("{at}x {number} {word}\n")).collect();
        file(folder.path(), "data", &data);
        let stages: Vec<&str> = stages.iter().map(|at| STAGES[*at]).collect();
        let text = format!("cat {}/data | {}", folder.path().display(), stages.join(" | "));
        let preview = evaluated(&text);
        let outs: Vec<Vec<String>> =
            preview.stages.iter().map(|stage| lines(&stage.out.contents())).collect();
        for (flat, line) in data.lines().enumerate() {
            let trail = trail(&preview, TrailStart::In { stage: 0, flat: flat as u64 });
            let own = id(line).to_uppercase();
            let there = |stage: usize| outs[stage].iter().position(|out| id(out).to_uppercase() == own);
            let first_without = (0..outs.len()).find(|stage| there(*stage).is_none());
            // `uniq -d` leaves one line of a group, of which the others are a part.
            let merged = first_without.is_some_and(|stage| stages[stage - 1].ends_with("-d"));
            let end = trail.end().map(|step| step.stage);
            if !merged {
                prop_assert_eq!(end, first_without, "{}: {}", text, line);
            }
            if let Some(end) = trail.end().filter(|_| !merged) {
                let reason = end.lost.as_ref().and_then(|lost| lost.reason.clone());
                let reason = reason.unwrap_or_default();
                let before = &outs[end.stage - 1];
                let number = there(end.stage - 1).unwrap();
                prop_assert!(
                    is_true(&reason, &before[number], number, before),
                    "{}: {:?} at stage {}: {}", text, before[number], end.stage + 1, reason
                );
            }
        }
    }
}

/// Which lines, from 0, each line of the result is made of, by what the utility does: told here once more
/// and in another way.
fn model(which: usize, lines: &[&str]) -> Vec<Vec<u64>> {
    let with = |wanted: &dyn Fn(usize, &str) -> bool| -> Vec<u64> {
        let all = lines.iter().enumerate();
        all.filter(|(at, line)| wanted(*at, line)).map(|(at, _)| at as u64).collect()
    };
    let groups = |same: &dyn Fn(&str, &str) -> bool| -> Vec<Vec<u64>> {
        let mut groups: Vec<Vec<u64>> = Vec::new();
        for at in 0..lines.len() {
            match groups.last_mut() {
                Some(group) if same(lines[at - 1], lines[at]) => group.push(at as u64),
                _ => groups.push(vec![at as u64]),
            }
        }
        groups
    };
    match which {
        0 => vec![with(&|_, line| line.contains('a'))],
        1 => vec![with(&|_, line| !line.contains('a'))],
        2 => vec![with(&|_, line| line.contains('a')).into_iter().take(2).collect()],
        3 => vec![with(&|_, _| true)],
        4 | 5 => groups(&|one, other| one == other),
        6 => groups(&|one, other| one.eq_ignore_ascii_case(other)),
        7 => vec![with(&|_, line| line.contains('b'))],
        8 => vec![with(&|at, _| at % 2 == 0)],
        9 => {
            let mut keys: Vec<&str> = lines.to_vec();
            keys.sort_unstable();
            keys.dedup();
            keys.iter().map(|key| with(&|_, line| line == *key)).collect()
        }
        10 => {
            let mut keys: Vec<&str> = lines.to_vec();
            keys.sort_unstable();
            keys.dedup();
            let first = |key: &&str| lines.iter().position(|line| line == key).unwrap() as u64;
            keys.iter().map(|key| vec![first(key)]).collect()
        }
        11 => vec![with(&|_, _| true)],
        _ => lines
            .chunks(2)
            .enumerate()
            .map(|(at, part)| (0..part.len()).map(|one| (at * 2 + one) as u64).collect())
            .collect(),
    }
}

const SUMMING: [&str; 13] = [
    "grep -c a data",
    "grep -vc a data",
    "grep -c -m2 a data",
    "wc -l data",
    "uniq data",
    "uniq -c data",
    "uniq -ci data",
    "awk '/b/ { n++ } END { print n + 0 }' data",
    "awk 'NR % 2 { s += length($0) } END { print s + 0 }' data",
    "awk '{ n[$0]++ } END { for (k in n) print k, n[k] }' data | sort",
    "sort -u data",
    "paste -s data",
    "paste - - < data",
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn what_sums_up_names_exactly_its_lines(
        data in proptest::collection::vec("[abA]{1,2}", 1..30), which in 0..SUMMING.len(),
    ) {
        let folder = tempfile::tempdir().unwrap();
        file(folder.path(), "data", &format!("{}\n", data.join("\n")));
        let text = format!("cd {}; LC_ALL=C; {}", folder.path().display(), SUMMING[which]);
        let preview = evaluated(&text);
        let lines: Vec<&str> = data.iter().map(String::as_str).collect();
        let expected = model(which, &lines);
        let last = preview.stages.last().unwrap();
        prop_assert_eq!(last.out.lines(), expected.len() as u64, "{}", text);
        for (line, expected) in expected.iter().enumerate() {
            let start = TrailStart::Out { stage: preview.stages.len() - 1, line: line as u64 };
            let trail = trail(&preview, start);
            let lines: Vec<u64> = trail.sources.iter().flat_map(|one| one.lines.clone()).collect();
            prop_assert_eq!(&lines, expected, "{}, line {}", text, line);
        }
    }
}
