//! What became of lines inside of groups and loops.

use engine::{Plan, Request, Sample, Trials};
use insight::{Gone, LostAt, Whereabouts};
use stream::RunControl;

use super::{file, request_of};

const DATA: &str = "gate-01 3 refused\ngate-02 25 passed\ngate-02 26 passed\ngate-03 7 stuck\n";

fn in_words(lost: &LostAt) -> String {
    match &lost.how {
        Gone::Ends(ends) => {
            let reason = ends.reason.as_deref().unwrap_or("-");
            format!("{} of {} end at {}: {reason}", ends.count, lost.came, lost.stage + 1)
        }
        Gone::CutAway { count, text, .. } => {
            format!("{count} cut at {}: {}", lost.stage + 1, String::from_utf8_lossy(text))
        }
    }
}

/// Where lines with the text end, inside of stages and outside, in a few words.
fn told(text: &str, query: &str, sample: Sample) -> String {
    let control = RunControl::default();
    let request = request_of(text, sample);
    let preview = Trials::default().evaluate(request.clone(), None, &control).unwrap();
    let evaluate = |plan: Plan| {
        let request = Request { plan: Some(plan), ..request.clone() };
        Trials::default().evaluate(request, None, &control).ok()
    };
    let all = Whereabouts::of(&preview, query, &control, &|_, _| {}, &evaluate);
    let inner = all.inner.iter().map(|inner| {
        format!("in {}, {}: {}", inner.stage + 1, inner.rounds, in_words(&inner.lost))
    });
    let outer = all.lost.iter().map(in_words);
    inner.chain(outer).collect::<Vec<_>>().join("; ")
}

#[test]
fn lines_are_followed_inside_of_groups_and_loops() {
    let folder = tempfile::tempdir().unwrap();
    file(folder.path(), "data", DATA);
    file(folder.path(), "more", "gate-04 stuck\ngate-04 stuck\n");
    let mut wrong = Vec::new();
    for (line, query, expected) in [
        // What commands inside read by its name, with the words as they were in each round.
        (
            "{ grep refused data; grep gate-02 data; } | sort",
            "stuck",
            "in 1, 1: 1 of 1 end at 1: no match for “refused”; in 1, 1: 1 of 1 end at 1: no match for “gate-02”",
        ),
        (
            "for f in data more; do sort -u -k2,2 $f | grep -v 7; done | tail -n 2",
            "stuck",
            "in 1, 1: 1 of 1 end at 2: has “7”, and -v drops what matches “7”; \
             in 1, 1: 1 of 2 end at 1: equal to line 1",
        ),
        (
            "for i in 1 2 3; do grep \"gate-0$i\" data; done | sort",
            "gate-03",
            "in 1, 2: 2 of 2 end at 1: no match for “gate-01”",
        ),
        ("(cut -d' ' -f1 data | sort -u) | tail -n 1", "passed", "in 1, 1: 2 cut at 1: gate-02"),
        // What a single pipeline inside reads of the stage before, or of where the group is led to.
        (
            "cat data | { sort -u -k1,1; } | wc -l",
            "26",
            "in 2, 1: 1 of 1 end at 2: equal to line 2",
        ),
        ("{ sort -u -k1,1; } < data", "26", "in 1, 1: 1 of 1 end at 1: equal to line 2"),
        // Where more than one reads it, nobody knows which took what.
        ("cat data | { head -n 1; sort -u -k1,1; } | sort", "gate-99", ""),
        // What only the shell itself does has no other words.
        (
            "while read -r gate rest; do [ $gate = gate-03 ] && echo $gate; done < data",
            "passed",
            "2 of 2 end at 1: -",
        ),
    ] {
        let text = format!("cd {}; {line}", folder.path().display());
        let told = told(&text, query, Sample::Everything);
        if told != expected {
            wrong.push(format!("{line}\n  {told}\n  {expected}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn many_rounds_are_one_answer() {
    let folder = tempfile::tempdir().unwrap();
    file(folder.path(), "data", DATA);
    let line = "for i in $(seq 150); do grep none data; done | wc -l";
    let text = format!("cd {}; {line}", folder.path().display());
    let told = told(&text, "stuck", Sample::Everything);
    assert_eq!(told, "in 1, 100: 100 of 100 end at 1: no match for “none”");
}
