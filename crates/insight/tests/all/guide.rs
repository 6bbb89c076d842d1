//! The Guide: every recipe runs, as the shell of this machine runs it, and is found by what people
//! ask.

use std::process::Command;
use std::sync::Arc;

use engine::{Kept, Limits, try_on};
use insight::{Ground, Recipe, candidates, recipes, search_recipes};
use stream::RunControl;

use crate::host;

/// Recipes that give commands to run, which a trial does not start.
fn starts_commands(stages: &str) -> bool {
    stages.contains("xargs") || stages.contains("print | ")
}

/// Recipes with filters that no machine has.
fn is_of_our_own(stages: &str) -> bool {
    ["fields", "stamp", "venn", "meter"].iter().any(|name| stages.starts_with(name))
}

#[test]
fn recipes_with_filters_of_our_own_give_what_they_promise() {
    let mut all = String::new();
    for recipe in recipes() {
        let (data, stages) = recipe.on_sample();
        if !is_of_our_own(&stages) {
            continue;
        }
        let input = Arc::new(Kept::of(data.as_bytes()));
        let ours = try_on(&stages, &input, &Limits::default(), &RunControl::default()).unwrap();
        let ours = String::from_utf8(ours.contents()).unwrap();
        all.push_str(&format!("── {}: {stages}\n{ours}", recipe.aim));
    }
    insta::assert_snapshot!(all);
}

#[test]
fn every_recipe_runs_as_in_the_shell() {
    let mut wrong = Vec::new();
    for recipe in recipes() {
        let (data, stages) = recipe.on_sample();
        if is_of_our_own(&stages) {
            continue;
        }
        let theirs = host(&stages, data.as_bytes());
        if theirs.is_empty() {
            wrong.push(format!("{}: {stages} gives nothing", recipe.aim));
        }
        let input = Arc::new(Kept::of(data.as_bytes()));
        let ours = try_on(&stages, &input, &Limits::default(), &RunControl::default());
        let Some(ours) = ours else {
            if !starts_commands(&stages) {
                wrong.push(format!("{}: {stages} cannot be tried", recipe.aim));
            }
            continue;
        };
        if ours.contents() != theirs {
            wrong.push(format!(
                "{}: {stages}\n ours: {:?}\n host: {:?}",
                recipe.aim,
                String::from_utf8_lossy(&ours.contents()),
                String::from_utf8_lossy(&theirs)
            ));
        }
    }
    assert!(wrong.is_empty(), "{}:\n{}", wrong.len(), wrong.join("\n"));
}

#[test]
fn there_are_many_and_each_is_one_of_its_own() {
    let all: Vec<&Recipe> = recipes().collect();
    assert!(all.len() >= 120, "{}", all.len());
    let mut aims: Vec<&str> = all.iter().map(|recipe| recipe.aim).collect();
    aims.sort_unstable();
    aims.dedup();
    assert_eq!(aims.len(), all.len());
}

/// The place of a recipe among the answers to a question, from 1.
fn rank(question: &str, aim: &str) -> Option<usize> {
    let all: Vec<&Recipe> = recipes().collect();
    let found = search_recipes(question, |_| false);
    found.iter().position(|number| all[*number].aim == aim).map(|at| at + 1)
}

#[test]
fn each_is_found_by_each_of_its_wordings() {
    let mut missed = Vec::new();
    for recipe in recipes() {
        for wording in recipe.wordings.iter().chain([&recipe.aim]) {
            let rank = rank(wording, recipe.aim);
            if rank.is_none_or(|rank| rank > 5) {
                missed.push(format!("{wording}: {rank:?} is {}", recipe.aim));
            }
        }
    }
    assert!(missed.is_empty(), "{}:\n{}", missed.len(), missed.join("\n"));
}

/// Questions in people's words, and the recipe that answers.
const QUESTIONS: &[(&str, &str)] = &[
    ("count how often", "count how often each value of a column comes"),
    ("most common values in column 3", "the five most frequent values of a column"),
    ("how many unique visitors", "how many different values a column has"),
    ("get rid of duplicate lines", "equal lines once, ordered"),
    ("dedupe but keep order", "equal lines once, in their order"),
    ("show me the duplicates", "lines that come more than once"),
    ("lines between two times", "lines from one time to another"),
    ("last but one column", "the last but one column"),
    ("print last field", "the last column"),
    ("remove carriage return", "remove carriage returns"),
    ("dos2unix", "remove carriage returns"),
    ("^M at line end", "remove carriage returns"),
    ("one record a line", "one record a line"),
    ("sum a column", "the sum of a column"),
    ("add up the numbers in the third column", "the sum of a column"),
    ("average response time", "the mean of a column"),
    ("average per host", "the mean for each value of a column"),
    ("total per user", "the sum for each value of a column"),
    ("max value", "the largest number of a column"),
    ("maximum per group", "the largest number for each value of a column"),
    ("median", "the median"),
    ("percentile 90", "the 90th percentile"),
    ("swap columns", "columns in another order"),
    ("reorder fields", "columns in another order"),
    ("convert csv to tsv", "TABs between the columns"),
    ("transpose rows and columns", "rows and columns exchanged"),
    ("join lines with comma", "all lines as one, with commas"),
    ("split comma list into lines", "a line for each part between commas"),
    ("skip header", "all but the first line"),
    ("sort but keep header", "in order, the heading first"),
    ("sort by second column", "in order of a column"),
    ("sort by number descending", "in order of a column of numbers, largest first"),
    ("sort human readable sizes", "in order of sizes with suffixes"),
    ("top 10 biggest", "the lines with the largest numbers"),
    ("reverse file", "in reverse order of lines"),
    ("delete empty lines", "no empty lines"),
    ("strip comments", "no comments and no empty lines"),
    ("grep two words both", "lines with both of two texts"),
    ("grep either word", "lines with either of two texts"),
    ("lines not containing", "lines without a text"),
    ("ignore case", "lines with a text in either case"),
    ("context lines around match", "lines around a match"),
    ("extract ip addresses", "all IPv4 addresses"),
    ("extract email", "all mail addresses"),
    ("text between quotes", "what is between double quotes"),
    ("text after equals sign", "values without their names"),
    ("get file name from path", "the file name of a path"),
    ("file extension", "the ending of a file name"),
    ("replace string", "replace a text"),
    ("upper case", "all in capitals"),
    ("trim trailing spaces", "remove blanks at the end of lines"),
    ("squeeze multiple spaces", "single blanks between words"),
    ("pretty print table", "as a table with aligned columns"),
    ("word frequency", "how often each word comes"),
    ("requests per hour", "how many lines an hour"),
    ("percentage of each", "the share of each value in percent"),
    ("cumulative sum", "a running total"),
    ("difference between consecutive lines", "the difference to the line before"),
    ("lines longer than 80 characters", "lines longer than a length"),
    ("every nth line", "every third line"),
    ("line 17 only", "one line by its number"),
    ("rows where column greater than 100", "lines where a number is above a limit"),
    ("where status equals 500", "lines with a value in a column"),
    ("run a command for every line", "a command for each line"),
    ("tabs to spaces", "blanks in place of TABs"),
    ("show hidden characters", "unseen characters made visible"),
];

#[test]
fn questions_in_peoples_words_find_their_recipe() {
    let missed: Vec<String> = QUESTIONS
        .iter()
        .map(|(question, aim)| (question, aim, rank(question, aim)))
        .filter(|(.., rank)| rank.is_none_or(|rank| rank > 5))
        .map(|(question, aim, rank)| format!("{question}: {rank:?} is {aim}"))
        .collect();
    assert!(QUESTIONS.len() >= 60);
    assert!(
        missed.len() * 12 <= QUESTIONS.len(),
        "{} of {}:\n{}",
        missed.len(),
        QUESTIONS.len(),
        missed.join("\n")
    );
}

#[test]
fn a_recipe_takes_the_form_of_the_stream() {
    let on = |aim: &str, data: &str, field: usize| {
        let lines: Vec<&[u8]> = data.lines().map(str::as_bytes).collect();
        let ground = Ground::of(&lines, candidates(&lines)[0].splitting.clone());
        let recipe = recipes().find(|recipe| recipe.aim == aim).unwrap();
        recipe.form(&ground, field)
    };
    let accounts = "root:x:0:0::/root:/bin/sh\notter:x:1000:10::/home/otter:/bin/sh\n";
    let form = on("count how often each value of a column comes", accounts, 7);
    assert_eq!(
        (form.stages.as_str(), form.fits),
        ("cut -d: -f7 | sort | uniq -c | sort -rn", true)
    );
    let table = "name,load\notter,5\ntern,7\nheron,7\n";
    let form = on("the sum for each value of a column", table, 1);
    assert_eq!(
        form.stages,
        "tail -n +2 | awk -F, '{ s[$1] += $2 } END { for (k in s) print s[k], k }' | sort -rn"
    );
    // What fits comes first, also where nothing was asked yet.
    let fits = |number: usize| number % 7 == 3;
    let first = search_recipes("", fits);
    let many = recipes().count().div_ceil(7) - 1;
    assert!(first[..many].iter().all(|number| fits(*number)));
    let words = "one\ntwo\nthree\n";
    assert!(!on("the sum of a column", words, 1).fits);
    assert!(on("how many lines", words, 1).fits);
}

#[test]
fn every_example_of_a_page_runs_as_in_the_shell() {
    let mut tried = 0;
    for topic in insight::TOPICS {
        for example in topic.examples() {
            tried += 1;
            let input = Arc::new(Kept::of(b""));
            let ours = try_on(&example, &input, &Limits::default(), &RunControl::default());
            let ours = ours.unwrap_or_else(|| panic!("{example}")).contents();
            let theirs = Command::new("sh").args(["-c", &example]).output().unwrap();
            assert_eq!(
                String::from_utf8_lossy(&ours),
                String::from_utf8_lossy(&theirs.stdout),
                "{example}"
            );
            assert_eq!(String::from_utf8_lossy(&theirs.stderr), "", "{example}");
        }
    }
    assert!(tried > 20, "{tried}");
}

#[test]
fn every_example_of_a_filter_can_be_read() {
    for definition in filters::all() {
        for example in definition.spec.examples {
            assert!(engine::parse(example.line).is_ok(), "{}", example.line);
        }
    }
}
