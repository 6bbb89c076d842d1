//! How many, how often.

use crate::guide::recipe::{Recipe, recipe};
use crate::guide::samples::Sample::{Log, Text, Words};

pub(super) const RECIPES: &[Recipe] = &[
    recipe(
        "count how often each value of a column comes",
        [
            "frequency of every value in a field",
            "how many lines per value",
            "occurrences per group, most frequent first",
        ],
        "{tail}{col} | sort | uniq -c | sort -rn",
        Log,
    ),
    recipe(
        "the five most frequent values of a column",
        ["top five values of a field", "most common values", "which values occur most often"],
        "{tail}{col} | sort | uniq -c | sort -rn | head -n 5",
        Log,
    ),
    recipe(
        "the rarest values of a column",
        ["least frequent values", "values that occur least often", "uncommon values of a field"],
        "{tail}{col} | sort | uniq -c | sort -n | head -n 5",
        Log,
    ),
    recipe(
        "how many different values a column has",
        ["number of distinct values of a field", "count unique values", "how many unique entries"],
        "{tail}{col} | sort -u | wc -l",
        Log,
    ),
    recipe(
        "the different values of a column",
        ["distinct values of a field", "unique values in a column", "list of all values once"],
        "{tail}{col} | sort -u",
        Log,
    ),
    recipe(
        "values that come only once in a column",
        [
            "unique values of a field, not repeated",
            "singletons of a column",
            "values without a second occurrence",
        ],
        "{tail}{col} | sort | uniq -u",
        Log,
    ),
    recipe(
        "values that come more than once in a column",
        ["duplicate values of a field", "which keys are repeated", "double entries in a column"],
        "{tail}{col} | sort | uniq -d",
        Log,
    ),
    recipe(
        "count by two columns",
        [
            "how often each pair of values comes",
            "frequency of combinations of two fields",
            "cross count of two columns",
        ],
        "{awk}'{ print $5, ${n} }' | sort | uniq -c | sort -rn",
        Log,
    ),
    recipe(
        "how many lines",
        ["count the lines", "number of lines", "how long is the file in lines"],
        "wc -l",
        Log,
    ),
    recipe("how many words", ["count the words", "number of words", "word count"], "wc -w", Text),
    recipe(
        "how many characters",
        ["count the characters", "number of letters in all", "size in characters"],
        "wc -m",
        Text,
    ),
    recipe(
        "how many lines have a text",
        ["count the matching lines", "number of matches", "how many lines contain a word"],
        "grep -c refused",
        Log,
    ),
    recipe(
        "how many lines do not have a text",
        [
            "count the lines without a word",
            "number of lines that do not match",
            "how many lines lack a string",
        ],
        "grep -c -v refused",
        Log,
    ),
    recipe(
        "how often a text comes",
        [
            "count all occurrences of a string",
            "several matches in a line counted",
            "total number of hits of a word",
        ],
        "grep -o gate | wc -l",
        Log,
    ),
    recipe(
        "how often each line comes",
        ["count equal lines", "frequency of lines", "duplicates with their number"],
        "sort | uniq -c | sort -rn",
        Words,
    ),
    recipe(
        "how often each word comes",
        ["word frequency", "most frequent words of a text", "count words by themselves"],
        "tr -cs '[:alpha:]' '\\n' | sort | uniq -c | sort -rn",
        Text,
    ),
    recipe(
        "how often each character comes",
        ["letter frequency", "count the characters one by one", "which letters are used most"],
        "fold -w1 | sort | uniq -c | sort -rn",
        Words,
    ),
    recipe(
        "how many lines an hour",
        ["count log lines per hour", "events by hour", "entries each hour of the day"],
        "awk '{ print substr($2, 1, 2) }' | sort | uniq -c",
        Log,
    ),
    recipe(
        "how many lines a minute",
        ["count log lines per minute", "events by minute", "requests each minute"],
        "awk '{ print substr($2, 1, 5) }' | sort | uniq -c",
        Log,
    ),
    recipe(
        "how many lines a day",
        ["count log lines per day", "events by date", "entries each day"],
        "cut -d' ' -f1 | sort | uniq -c",
        Log,
    ),
    recipe(
        "the share of each value in percent",
        [
            "percentage of every value of a field",
            "proportion of each group",
            "how many percent are refused",
        ],
        "{tail}{awk}'{ n[${n}]++ } END { for (k in n) printf \"%5.1f %% %s\\n\", n[k] * 100 / NR, k }' | sort -rn",
        Log,
    ),
    recipe(
        "bars for how often values come",
        ["histogram of a field", "draw counts as bars", "chart of frequencies with stars"],
        "{tail}{col} | sort | uniq -c | awk '{ s = \"\"; for (i = 0; i < $1; i++) s = s \"*\"; print $2, s }'",
        Log,
    ),
    recipe(
        "a running number for each value",
        [
            "which occurrence of its value a line is",
            "count up within groups",
            "running count per key",
        ],
        "{awk}'{ print ++n[${n}], $0 }'",
        Log,
    ),
    recipe(
        "how long each line is",
        ["length of the lines", "characters in each line", "measure lines"],
        "awk '{ print length, $0 }'",
        Words,
    ),
    recipe(
        "the longest line",
        ["line with most characters", "maximum line length", "widest line"],
        "awk 'length > m { m = length; l = $0 } END { print l }'",
        Words,
    ),
    recipe(
        "the first and the last line of a match",
        ["when did it begin and end", "first and last occurrence", "span of the matches"],
        "grep refused | sed -n '1p;$p'",
        Log,
    ),
];
