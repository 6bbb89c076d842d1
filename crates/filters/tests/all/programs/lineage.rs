//! Which lines of the input each line of the output comes from.

use super::parts;
use crate::support::{Cuts, WHOLE, run, words};

fn origins(line: &str, stdin: &str) -> String {
    let words = words(line);
    let outcome = run(&parts(&words), stdin.as_bytes(), Cuts { origins: true, ..WHOLE });
    let out = String::from_utf8_lossy(&outcome.out).into_owned();
    let of = outcome.origins.unwrap();
    assert_eq!(of.len(), out.lines().count(), "{line}: {out:?}");
    let shown = out.lines().zip(of).map(|(text, lines)| {
        let lines: Vec<String> = lines.iter().map(|line| (line + 1).to_string()).collect();
        format!("{text} < {}", lines.join(" ")).trim_end().to_owned()
    });
    shown.collect::<Vec<_>>().join("\n")
}

#[test]
fn awk_lines_know_their_records() {
    let data = "a 1\nb 2\na 3\nc 4\na 5\n";
    insta::assert_snapshot!(origins("awk '/a/{print $2}'", data), @r"
    1 < 1
    3 < 3
    5 < 5
    ");
    insta::assert_snapshot!(origins("awk '{n[$1] += $2} END {for (k in n) print k, n[k]}'", data), @r"
    a 9 < 1 3 5
    b 2 < 2
    c 4 < 4
    ");
    insta::assert_snapshot!(origins("awk '{s += $2} END {print s}'", data), @"15 < 1 2 3 4 5");
    insta::assert_snapshot!(origins("awk '/a/{s += $2} END {print s; print NR}'", data), @r"
    9 < 1 3 5
    5 <
    ");
    insta::assert_snapshot!(origins("awk 'NR > 1 {print before, $1} {before = $1}'", data), @r"
    a b < 1 2
    b a < 2 3
    a c < 3 4
    c a < 4 5
    ");
    insta::assert_snapshot!(origins("awk '{l = l $1} NR % 2 == 0 {print l; l = \"\"}'", data), @r"
    ab < 1 2
    ac < 3 4
    ");
    insta::assert_snapshot!(origins("awk '{a[NR] = $0} END {for (i = NR; i > 2; i--) print a[i]}'", data), @r"
    a 5 < 5
    c 4 < 4
    a 3 < 3
    ");
    insta::assert_snapshot!(origins("awk '{for (i = 1; i <= NF; i++) print $i}'", "a b\nc\n"), @r"
    a < 1
    b < 1
    c < 2
    ");
    insta::assert_snapshot!(origins("awk 'BEGIN {print \"head\"} {printf \"%s \", $1} END {print \"\"}'", "a\nb\n"), @r"
    head <
    a b  < 1 2
    ");
    insta::assert_snapshot!(origins("awk 'NR % 2 {getline x; print $0, x}'", "a\nb\nc\nd\n"), @r"
    a b < 1 2
    c d < 3 4
    ");
    insta::assert_snapshot!(origins("awk 'function f(x) {return x \"!\"} {print f($1)}'", "a\nb\n"), @r"
    a! < 1
    b! < 2
    ");
    insta::assert_snapshot!(origins("awk 'BEGIN {RS = \"\"} {print $1}'", "a\nb\n\nc\n"), @r"
    a < 1 2
    c < 4
    ");
}

#[test]
fn sed_lines_know_their_lines() {
    let data = "a\nb\nc\nd\n";
    insta::assert_snapshot!(origins("sed s/b/x/", data), @r"
    a < 1
    x < 2
    c < 3
    d < 4
    ");
    insta::assert_snapshot!(origins("sed -n '/[bd]/p'", data), @r"
    b < 2
    d < 4
    ");
    insta::assert_snapshot!(origins("sed 'N;s/\\n/+/'", data), @r"
    a+b < 1 2
    c+d < 3 4
    ");
    insta::assert_snapshot!(origins("sed '$!N;P;D'", data), @r"
    a < 1
    b < 2
    c < 3
    d < 4
    ");
    insta::assert_snapshot!(origins("sed -n '1!G;h;$p'", data), @r"
    d < 4
    c < 3
    b < 2
    a < 1
    ");
    insta::assert_snapshot!(origins("sed -n 'H;${x;s/\\n/,/g;p}'", data), @",a,b,c,d < 1 2 3 4");
    insta::assert_snapshot!(origins("sed '2a new'", data), @r"
    a < 1
    b < 2
    new < 2
    c < 3
    d < 4
    ");
}

#[test]
fn bc_results_know_their_lines() {
    insta::assert_snapshot!(origins("bc", "1+1\n\nx=5\nx*2\ndefine f(n) {\nreturn (n)\n}\nf(3);f(4)\n"), @r"
    2 < 1
    10 < 4
    3 < 8
    4 < 8
    ");
}
