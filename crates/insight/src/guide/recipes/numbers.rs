//! Numbers: sums, means, bounds.

use crate::guide::recipe::{Recipe, recipe};
use crate::guide::samples::Sample::{Log, Numbers, Sizes, Words};

pub(super) const RECIPES: &[Recipe] = &[
    recipe(
        "the sum of a column",
        ["add up a field", "total of the numbers in a column", "sum all values of a column"],
        "{tail}{awk}'{ s += ${m} } END { print s }'",
        Log,
    ),
    recipe(
        "the mean of a column",
        ["average of a field", "mean value of the numbers in a column", "average per line"],
        "{tail}{awk}'{ s += ${m} } END { if (NR) print s / NR }'",
        Log,
    ),
    recipe(
        "the smallest number of a column",
        ["minimum of a field", "lowest value in a column", "least number"],
        "{tail}{awk}'NR == 1 || ${m} + 0 < m { m = ${m} + 0 } END { print m }'",
        Log,
    ),
    recipe(
        "the largest number of a column",
        ["maximum of a field", "highest value in a column", "peak of the numbers"],
        "{tail}{awk}'NR == 1 || ${m} + 0 > m { m = ${m} + 0 } END { print m }'",
        Log,
    ),
    recipe(
        "the line with the largest number",
        [
            "row of the maximum of a field",
            "which line has the highest value",
            "record with the peak",
        ],
        "{tail}{awk}'NR == 1 || ${m} + 0 > m { m = ${m} + 0; l = $0 } END { print l }'",
        Log,
    ),
    recipe(
        "the sum for each value of a column",
        ["total by group", "add up a field per key", "sum of one column by another"],
        "{tail}{awk}'{ s[${n}] += ${m} } END { for (k in s) print s[k], k }' | sort -rn",
        Log,
    ),
    recipe(
        "the mean for each value of a column",
        ["average by group", "mean of a field per key", "average of one column by another"],
        "{tail}{awk}'{ s[${n}] += ${m}; n[${n}]++ } END { for (k in s) print s[k] / n[k], k }' | sort -rn",
        Log,
    ),
    recipe(
        "the largest number for each value of a column",
        ["maximum by group", "highest value of a field per key", "peak per group"],
        "{tail}{awk}'!(${n} in m) || ${m} + 0 > m[${n}] { m[${n}] = ${m} + 0 } END { for (k in m) print m[k], k }' | sort -rn",
        Log,
    ),
    recipe(
        "the median",
        ["middle value of the numbers", "half of the values are below", "median of the lines"],
        "sort -n | awk '{ v[NR] = $1 } END { if (NR) print (v[int((NR + 1) / 2)] + v[int(NR / 2) + 1]) / 2 }'",
        Numbers,
    ),
    recipe(
        "the 90th percentile",
        [
            "value that nine of ten are below",
            "percentile of the numbers",
            "quantile of a list of numbers",
        ],
        "sort -n | awk '{ v[NR] = $1 } END { if (NR) print v[int(NR * 0.9 + 0.999)] }'",
        Numbers,
    ),
    recipe(
        "a running total",
        ["cumulative sum", "sum up to each line", "total so far beside each number"],
        "awk '{ s += $1; print $1, s }'",
        Numbers,
    ),
    recipe(
        "the difference to the line before",
        [
            "change from line to line",
            "delta of consecutive numbers",
            "how much larger than the previous line",
        ],
        "awk 'NR > 1 { print $1 - p } { p = $1 }'",
        Numbers,
    ),
    recipe(
        "each number as a share of the sum",
        [
            "percent of the total",
            "proportion of each line in the total",
            "percentage beside each number",
        ],
        "awk '{ v[NR] = $1; s += $1 } END { for (i = 1; i <= NR; i++) printf \"%s %.1f %%\\n\", v[i], v[i] * 100 / s }'",
        Numbers,
    ),
    recipe(
        "numbers rounded",
        ["round to whole numbers", "without decimals", "fewer digits after the point"],
        "awk '{ printf \"%.0f\\n\", $1 }'",
        Numbers,
    ),
    recipe(
        "numbers multiplied",
        ["multiply a field", "convert units by a factor", "times sixty"],
        "awk '{ print $1 * 60 }'",
        Numbers,
    ),
    recipe(
        "numbers with leading zeros",
        ["pad numbers with zeros", "fixed number of digits", "zero padded numbers"],
        "awk '{ printf \"%05d\\n\", $1 }'",
        Numbers,
    ),
    recipe(
        "sizes with suffixes as bytes",
        ["12K to 12288", "expand K and M to numbers", "human readable sizes to plain numbers"],
        "numfmt --from=iec",
        Sizes,
    ),
    recipe(
        "bytes as sizes with suffixes",
        ["numbers to human readable sizes", "12288 to 12K", "shorten large numbers to K and M"],
        "awk '{ print int($1 * 1000) }' | numfmt --to=iec",
        Numbers,
    ),
    recipe(
        "the sum of all lines",
        ["add up numbers, one per line", "total of a list of numbers", "sum of the lines"],
        "paste -s -d+ | bc",
        Numbers,
    ),
    recipe(
        "the smallest and the largest number",
        ["range of the numbers", "minimum and maximum together", "bounds of a list"],
        "sort -n | sed -n '1p;$p'",
        Numbers,
    ),
    recipe(
        "lines that are numbers",
        ["only numeric lines", "keep digits only lines", "drop lines that are not a number"],
        "grep -E '^-?[0-9]+([.][0-9]+)?$'",
        Numbers,
    ),
    recipe(
        "how many numbers are above a limit",
        [
            "count values over a threshold",
            "number of lines greater than ten",
            "how many exceed a limit",
        ],
        "awk '$1 > 10 { n++ } END { print n + 0 }'",
        Numbers,
    ),
    recipe(
        "a rank beside each line",
        ["position in the order", "numbered ranking", "first, second, third place"],
        "sort -rn | awk '{ print NR \".\", $0 }'",
        Numbers,
    ),
    recipe(
        "every line several times",
        ["repeat lines", "each line twice", "duplicate the lines on purpose"],
        "awk '{ print; print }'",
        Words,
    ),
];
