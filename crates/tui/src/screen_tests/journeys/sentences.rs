//! What is said of a line on the whole screen: true sentences that must be there, and untrue ones that were.

use super::river;

#[test]
fn what_is_said_of_a_line_is_true() {
    let cases: [(&str, &[&str], &[&str]); 12] = [
        // A reader that has left is no loss.
        ("seq 100000 | sort -r | head -n 3", &["more not read"], &["dropped"]),
        ("seq 9 | awk 'END { print NR }'", &[], &["dropped", "8 lines"]),
        ("printf 'a b c\\n' | xargs -n 1 echo", &[], &["dropped"]),
        // What programs and commands in the place of files give is no standard input.
        ("uname | cat", &[], &["0 lines", "standard input"]),
        ("comm <(seq 3) <(seq 4)", &["<(seq 3)"], &[" 0 lines", "standard input"]),
        ("cat nosuch | cat", &["No such file"], &["passes on every line of nosuch"]),
        // One and several.
        ("seq 1 | uniq -c", &["1 line"], &["1 lines", "merges 1 → 1"]),
        ("seq 1 | sed s/1/2/", &["1 line"], &["1 lines", "keeps 1, edited"]),
        ("seq 1 | grep -v 1", &[], &["1 lines", "1 of 1 line end here"]),
        ("seq 2 | grep -v 1", &[], &["1 lines"]),
        ("seq 5 | sort | uniq -c", &["5 lines"], &[]),
        ("seq 5 | sort | nosuchprogram", &["5"], &["standard input"]),
    ];
    for (line, there, absent) in cases {
        let mut stand = river(line);
        for size in [(160, 50), (80, 24)] {
            let screen = stand.screen(size.0, size.1);
            for text in absent {
                assert!(!screen.contains(text), "{line}: {text}\n{screen}");
            }
            if size.0 == 160 {
                for text in there {
                    assert!(screen.contains(text), "{line}: no {text}\n{screen}");
                }
            }
        }
    }
}
