//! Finds recipes by what people ask for.

use std::collections::HashMap;
use std::sync::OnceLock;

use super::recipe::Recipe;
use super::recipes::all;

/// Words that say nothing of an aim.
const IDLE: &[&str] = &[
    "a", "an", "the", "of", "in", "to", "is", "are", "it", "and", "or", "i", "do", "does", "how",
    "what", "which", "that", "with", "for", "from", "by", "on", "my", "me", "want", "can", "be",
    "at", "as", "its", "this", "these", "there", "into", "show", "print", "get", "give", "find",
    "have", "has", "only", "them", "their", "one", "each", "every", "all", "up", "so", "need",
    "please", "would", "like", "where", "when", "then", "than", "per",
];

/// Words for the same thing; the first one means all.
const SAME: &[&[&str]] = &[
    &[
        "remove", "delete", "drop", "strip", "rid", "without", "omit", "except", "exclude", "skip",
        "cut", "not", "but",
    ],
    &["count", "many", "often", "number", "frequency", "occurrence", "occur", "tally"],
    &["largest", "biggest", "maximum", "max", "highest", "greatest", "top", "most"],
    &["smallest", "minimum", "min", "lowest", "least", "fewest"],
    &["replace", "substitute", "change", "exchange", "convert", "turn", "rewrite"],
    &["order", "sort", "sorted", "arrange", "rank", "ordered"],
    &["column", "field", "columns"],
    &["text", "string", "word", "pattern"],
    &["uppercase", "capital", "upper"],
    &["lowercase", "lower", "small"],
    &["repeated", "duplicate", "twice", "double", "again", "repeat"],
    &["different", "distinct", "unique", "once", "dedupe", "deduplicate"],
    &["sum", "total", "add", "adding"],
    &["mean", "average"],
    &["first", "beginning", "head", "start", "begin", "leading"],
    &["last", "end", "tail", "final", "trailing"],
    &["line", "row", "record"],
    &["blank", "space", "whitespace"],
    &["value", "entry", "item", "thing"],
    &["match", "contain", "containing", "hit", "having"],
    &["between", "range", "section"],
    &["join", "merge", "combine", "glue", "concatenate"],
    &["separator", "delimiter", "divider"],
    &["heading", "header", "title"],
    &["empty", "missing"],
    &["path", "directory", "folder"],
    &["reverse", "backwards", "upside", "descending", "opposite"],
    &["number", "numeric", "numerically", "digit"],
    &["percent", "share", "percentage", "proportion"],
    &["group", "category", "key"],
    &["random", "shuffle"],
    &["long", "length", "wide", "width"],
    &["near", "around", "context", "neighbour", "surrounding"],
    &["either", "any"],
    &["both", "together"],
    &["case", "caps"],
    &["comma", "csv"],
    &["tab", "tsv"],
    &["extract", "pull", "pick", "take"],
    &["character", "letter", "char"],
    &["table", "align", "aligned", "pretty"],
    &["third", "second", "fourth", "fifth", "nth"],
];

/// A word without its ending, as one word for all that mean the same.
fn stem(word: &str) -> String {
    let known =
        |word: &str| SAME.iter().find(|same| same.contains(&word)).map(|same| same[0].to_owned());
    if let Some(same) = known(word) {
        return same;
    }
    for ending in ["ies", "ing", "ed", "es", "s", "ly"] {
        let Some(short) = word.strip_suffix(ending).filter(|short| short.len() > 2) else {
            continue;
        };
        let short = if ending == "ies" { format!("{short}y") } else { short.to_owned() };
        return known(&short).or_else(|| known(&format!("{short}e"))).unwrap_or(short);
    }
    word.to_owned()
}

/// The words of a text that mean something.
fn words(text: &str) -> Vec<String> {
    text.split(|one: char| !one.is_alphanumeric())
        .filter(|word| !word.is_empty())
        .map(str::to_lowercase)
        .filter(|word| !IDLE.contains(&&word[..]))
        .map(|word| stem(&word))
        .collect()
}

/// A recipe as it is searched: its words, with how much each counts.
struct Indexed {
    weights: HashMap<String, f64>,
    wordings: Vec<Vec<String>>,
    /// The same as they are, in small letters.
    phrases: Vec<String>,
}

struct Index {
    recipes: Vec<Indexed>,
    /// In how many recipes a word is.
    known: HashMap<String, f64>,
}

fn index() -> &'static Index {
    static INDEX: OnceLock<Index> = OnceLock::new();
    INDEX.get_or_init(|| {
        let one = |recipe: &Recipe| {
            let mut weights: HashMap<String, f64> = HashMap::new();
            let mut note = |text: &str, weight: f64| {
                for word in words(text) {
                    let own = weights.entry(word).or_default();
                    *own = own.max(weight);
                }
            };
            note(recipe.stages, 0.5);
            recipe.wordings.iter().for_each(|wording| note(wording, 0.9));
            note(recipe.aim, 1.0);
            let phrases = recipe.wordings.iter().chain([&recipe.aim]);
            Indexed {
                weights,
                wordings: phrases.clone().map(|phrase| words(phrase)).collect(),
                phrases: phrases.map(|phrase| phrase.to_lowercase()).collect(),
            }
        };
        let recipes: Vec<Indexed> = all().map(one).collect();
        let mut known: HashMap<String, f64> = HashMap::new();
        for recipe in &recipes {
            for word in recipe.weights.keys() {
                *known.entry(word.clone()).or_default() += 1.0;
            }
        }
        Index { recipes, known }
    })
}

/// As [`words`], of a question: its last word may be typed by half.
fn asked_words(question: &str) -> Vec<String> {
    let mut asked = words(question);
    if let Some(last) = asked.last_mut().filter(|last| last.len() > 2) {
        let begun = |same: &&&[&str]| same.iter().any(|word| word.starts_with(&last[..]));
        let known = SAME.iter().any(|same| same.contains(&&last[..]));
        if let (false, Some(same)) = (known, SAME.iter().find(begun)) {
            *last = same[0].to_owned();
        }
    }
    asked
}

/// The recipes for a question, the best first, by their numbers; for an empty one, all in their
/// order. `fits` says which of them are for the stream at hand: these come first among those that
/// answer as well.
pub fn search(question: &str, fits: impl Fn(usize) -> bool) -> Vec<usize> {
    let index = index();
    let asked = asked_words(question);
    let all = index.recipes.len() as f64;
    let literal = question.trim().to_lowercase();
    let mut scored: Vec<(usize, f64)> = index
        .recipes
        .iter()
        .enumerate()
        .map(|(number, recipe)| (number, score(index, recipe, &asked, &literal, all)))
        .map(|(number, score)| (number, if fits(number) { score * 1.05 + 0.01 } else { score }))
        .filter(|(_, score)| asked.is_empty() || *score > 0.011)
        .collect();
    scored.sort_by(|one, other| other.1.total_cmp(&one.1));
    scored.into_iter().map(|(number, _)| number).collect()
}

/// How well a recipe answers: how much of the question it has, and how much of one of its own
/// wordings the question has.
fn score(index: &Index, recipe: &Indexed, asked: &[String], question: &str, all: f64) -> f64 {
    let worth = |word: &str| {
        // The last word may be typed by half.
        let count = index.known.get(word).copied().unwrap_or(1.0);
        (1.0 + all / count).ln()
    };
    let weight = |word: &str| {
        recipe.weights.get(word).copied().unwrap_or_else(|| {
            let begun =
                recipe.weights.iter().filter(|(own, _)| word.len() > 2 && own.starts_with(word));
            begun.map(|(_, weight)| weight * 0.8).fold(0.0, f64::max)
        })
    };
    let total: f64 = asked.iter().map(|word| worth(word)).sum();
    if total == 0.0 {
        return 0.0;
    }
    let had: f64 = asked.iter().map(|word| worth(word) * weight(word)).sum::<f64>() / total;
    let phrase = |own: &Vec<String>| {
        let whole: f64 = own.iter().map(|word| worth(word)).sum();
        let met: f64 = own.iter().filter(|word| asked.contains(word)).map(|word| worth(word)).sum();
        if whole > 0.0 { met / whole } else { 0.0 }
    };
    let close = recipe.wordings.iter().map(phrase).fold(0.0, f64::max);
    // Who asks in the very words of a recipe means it.
    let begun = |own: &Vec<String>| own.len() >= asked.len() && own[..asked.len()] == *asked;
    let same = if recipe.wordings.iter().any(begun) { 1.3 } else { 1.0 };
    // Also letter by letter: “how often” is not “how many”.
    let literal = recipe.phrases.iter().any(|phrase| phrase.contains(question));
    let same = if literal { same * 1.2 } else { same };
    had * (0.6 + 0.4 * close) * same
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_for_the_same_thing_are_one() {
        assert_eq!(words("How do I DELETE the duplicates?"), words("drop repeated"));
        assert_eq!(words("summing columns"), ["summ", "column"]);
        assert!(words("the of a").is_empty());
    }

    #[test]
    fn half_a_word_finds_already() {
        let found = search("dupl", |_| false);
        assert!(!found.is_empty());
        assert_eq!(search("", |_| false).len(), all().count());
        assert!(search("xylophone", |_| true).is_empty());
    }
}
