//! Pieces taken out of lines, and lines handed on.

use crate::guide::recipe::{Recipe, recipe};
use crate::guide::samples::Sample::{Log, Paths, Settings, Table, Text, Words};

pub(super) const RECIPES: &[Recipe] = &[
    recipe(
        "only the part that matches",
        ["print just the match, not the line", "extract what matches", "pieces that fit a pattern"],
        "grep -o 'gate-[0-9]*'",
        Log,
    ),
    recipe(
        "all numbers in the text",
        ["extract digits", "pull the numbers out of lines", "numbers, one per line"],
        "grep -oE '[0-9]+'",
        Text,
    ),
    recipe(
        "all words, one per line",
        ["split text into words", "list of words", "each word by itself"],
        "tr -cs '[:alnum:]' '\\n'",
        Text,
    ),
    recipe(
        "all IPv4 addresses",
        ["extract IP addresses", "internet addresses in the text", "find numbers like 192.0.2.7"],
        "grep -oE '[0-9]+[.][0-9]+[.][0-9]+[.][0-9]+'",
        Text,
    ),
    recipe(
        "all mail addresses",
        ["extract e-mail addresses", "addresses with an at sign", "pull out emails"],
        "grep -oE '[[:alnum:]._+-]+@[[:alnum:].-]+'",
        Text,
    ),
    recipe(
        "all times",
        ["extract clock times", "hours and minutes in the text", "pull out hh:mm"],
        "grep -oE '[0-2][0-9]:[0-5][0-9](:[0-5][0-9])?'",
        Text,
    ),
    recipe(
        "all days",
        ["extract dates", "find dates like 2031-04-02", "pull out year month day"],
        "grep -oE '[0-9]{4}-[0-9]{2}-[0-9]{2}'",
        Log,
    ),
    recipe(
        "what is between double quotes",
        ["text inside quotation marks", "extract quoted text", "content of the quotes"],
        "sed -n 's/[^\"]*\"\\([^\"]*\\)\".*/\\1/p'",
        Text,
    ),
    recipe(
        "what is between brackets",
        ["text inside square brackets", "extract bracketed text", "content of [ ]"],
        "sed -n 's/.*\\[\\([^]]*\\)].*/\\1/p'",
        Text,
    ),
    recipe(
        "what is between parentheses",
        ["text inside round brackets", "extract text in ( )", "content of parentheses"],
        "sed -n 's/.*(\\([^)]*\\)).*/\\1/p'",
        Text,
    ),
    recipe(
        "what comes after a text",
        [
            "rest of the line after a word",
            "everything to the right of a match",
            "text to the right of a marker",
        ],
        "sed -n 's/.*card=//p'",
        Log,
    ),
    recipe(
        "what comes before a text",
        [
            "beginning of the line up to a word",
            "everything in front of a match",
            "text to the left of a marker",
        ],
        "sed -n 's/ card=.*//p'",
        Log,
    ),
    recipe(
        "the value of a name=value word",
        ["extract the value of a key in a log", "what follows card=", "parameter of a line"],
        "sed -n 's/.*card=\\([^ ]*\\).*/\\1/p'",
        Log,
    ),
    recipe(
        "the part between two texts of a line",
        [
            "extract from one word to another within a line",
            "between two markers on the same line",
            "middle of a line",
        ],
        "sed -n 's/.*gate-\\(.*\\) card.*/\\1/p'",
        Log,
    ),
    recipe(
        "a command for each line",
        [
            "run something for every line",
            "use lines as arguments one by one",
            "loop over the lines",
        ],
        "xargs -n 1 echo see",
        Words,
    ),
    recipe(
        "a command for all lines at once",
        [
            "pass lines as arguments",
            "put lines on a command line",
            "lines as one list of arguments",
        ],
        "xargs echo",
        Words,
    ),
    recipe(
        "a command with the line in its middle",
        [
            "placeholder for the line in a command",
            "insert each line into a command",
            "build command lines from lines",
        ],
        "xargs -I % echo cp % %.old",
        Paths,
    ),
    recipe(
        "the first word of each line",
        ["leading word", "what the line begins with", "word at the start"],
        "sed 's/^[[:blank:]]*//;s/[[:blank:]].*//'",
        Text,
    ),
    recipe(
        "the settings in effect, ordered",
        ["active configuration lines", "configuration without comments", "what is really set"],
        "grep -v '^[[:blank:]]*\\(#\\|$\\)' | sort",
        Settings,
    ),
    recipe(
        "the time of each refused line",
        ["when did something happen", "times of the matches", "timestamps of matching lines"],
        "grep refused | cut -d' ' -f1,2",
        Log,
    ),
    recipe(
        "the pause between lines of a log",
        ["gaps between times", "seconds since the line before", "how long nothing happened"],
        "stamp gap -t | sort -r",
        Log,
    ),
    recipe(
        "seconds of the day from a time",
        ["convert hh:mm:ss to seconds", "time as a number of seconds", "clock time to seconds"],
        "awk '{ split($2, t, \":\"); print t[1] * 3600 + t[2] * 60 + t[3] }'",
        Log,
    ),
    recipe(
        "columns of CSV by their names",
        ["named columns of a table", "pick CSV fields by heading", "csv column by header name"],
        "fields name seats",
        Table,
    ),
    recipe(
        "a named value of each line",
        ["values of key=value pairs", "pick a named value out of a log", "logfmt field"],
        "fields card",
        Log,
    ),
    recipe(
        "CSV as JSON lines",
        ["convert csv to json", "a table as JSON records", "JSON objects from a table"],
        "fields cabin name load --as json",
        Table,
    ),
    recipe(
        "which named fields there are",
        [
            "list the fields of records",
            "names of the columns or members",
            "what is in these records",
        ],
        "fields",
        Table,
    ),
];
