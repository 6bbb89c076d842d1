//! What the Bench does beside the filters: a full Shelf searched, results compared, a line followed, notes made.

use std::fmt::Write as _;
use std::hint::black_box;
use std::path::Path;
use std::sync::Arc;

use criterion::{Criterion, criterion_group, criterion_main};
use engine::{Consents, Kept, Limits, Preview, Request, Sample, Trials, Variables};
use insight::{ShelfEntry, Trail, TrailStart, Whereabouts, compare_streams, notes, search_shelf};
use stream::RunControl;

/// A search over 2 000 saved and 20 000 earlier pipelines.
fn shelf(criterion: &mut Criterion) {
    let text = |at: usize| {
        format!("# note {at}\ngrep refused gate-{at}.log | cut -d' ' -f{} | sort | uniq -c", at % 9)
    };
    let saved = (0..2_000).map(|at| ShelfEntry::saved(format!("{at}.sh").into(), text(at), None));
    let past = (0..20_000).map(|at| ShelfEntry::past(text(at + 5_000), None));
    let entries: Vec<ShelfEntry> = saved.chain(past).collect();
    let mut group = criterion.benchmark_group("search a Shelf of 22 000");
    for query in ["g", "refused", "uniq gate-1999", "nothing of this"] {
        group.bench_function(query, |bencher| {
            bencher.iter(|| search_shelf(&entries, black_box(query)));
        });
    }
    group.finish();
}

/// Two results of a million lines.
fn comparison(criterion: &mut Criterion) {
    let line =
        |at: u32| format!("2031-04-02 06:12:{:02} gate-{:02} card={at} passed\n", at % 60, at % 22);
    let left: String = (0..1_000_000).map(line).collect();
    let few: String = (0..1_000_000).filter(|at| at % 1_000 != 7).map(line).collect();
    let other = left.replace("passed", "refused");
    let mut group = criterion.benchmark_group("compare 1 000 000 lines");
    group.sample_size(10);
    for (what, right) in
        [("the same", &left), ("one in a thousand missing", &few), ("all different", &other)]
    {
        let (one, two) = (Kept::of(left.as_bytes()), Kept::of(right.as_bytes()));
        group.bench_function(what, |bencher| {
            bencher.iter(|| compare_streams(&one, &two, &RunControl::default(), &mut |_, _| {}));
        });
    }
    group.finish();
}

/// The result of a line in a folder, all of the data read; `None` where the folder cannot be used.
fn evaluated(folder: &Path, line: &str) -> Option<Arc<Preview>> {
    let request = Request {
        text: format!("cd {}; {line}", folder.display()),
        at: usize::MAX,
        variables: Variables::default(),
        script: None,
        plan: None,
        sample: Sample::Everything,
        limits: Limits::default(),
        allowed: Consents::default(),
    };
    Trials::default().evaluate(request, None, &RunControl::default()).ok()
}

/// A line made of 100 000, a line among 300 000, and all lines with a text.
fn trail(criterion: &mut Criterion) {
    let Ok(folder) = tempfile::tempdir() else { return };
    let data: String = (0..300_000).map(|at| format!("gate-{:02} {at}\n", at % 3)).collect();
    let written = std::fs::write(folder.path().join("data"), data);
    let line = "cut -d' ' -f1 data | sort | uniq -c | sort -rn";
    let (Ok(()), Some(preview)) = (written, evaluated(folder.path(), line)) else { return };
    let control = RunControl::default();
    let mut group = criterion.benchmark_group("follow 300 000 lines");
    group.sample_size(10);
    for (what, start) in [
        ("a line of 100 000", TrailStart::Out { stage: 3, line: 0 }),
        ("one line on", TrailStart::In { stage: 0, flat: 7 }),
    ] {
        group.bench_function(what, |bencher| {
            bencher.iter(|| Trail::of(&preview, start, &control));
        });
    }
    group.bench_function("where a text is lost", |bencher| {
        let ask = || Whereabouts::of(&preview, "gate-01", &control, &|_, _| {}, &|_| None);
        bencher.iter(ask);
    });
    group.finish();
}

/// The preview of 40 000 lines, and all notes on it.
fn notes_beside_previews(criterion: &mut Criterion) {
    let Ok(folder) = tempfile::tempdir() else { return };
    let mut log = String::new();
    for number in 0..40_000u32 {
        let what = if number % 17 == 3 { "refused" } else { "passed" };
        let _ = writeln!(
            log,
            "2031-04-02 06:{:02}:{:02} gate-{:02} card={} {what} zone={}",
            number / 60 % 60,
            number % 60,
            number * 7 % 22 + 1,
            10_000 + number * 137 % 90_000,
            number % 6 + 1
        );
    }
    if std::fs::write(folder.path().join("gate.log"), log).is_err() {
        return;
    }
    let mut group = criterion.benchmark_group("40 000 lines");
    group.sample_size(20);
    for (what, line) in [
        ("nothing to say", "grep refused gate.log | cut -d' ' -f3 | sort | uniq -c | sort -rn"),
        ("something to say", "cut -d' ' -f3 gate.log | uniq -c"),
    ] {
        let Some(preview) = evaluated(folder.path(), line) else { return };
        group.bench_function(format!("{what}: preview"), |bencher| {
            bencher.iter(|| evaluated(folder.path(), black_box(line)));
        });
        group.bench_function(format!("{what}: notes"), |bencher| bencher.iter(|| notes(&preview)));
    }
    group.finish();
}

criterion_group!(benches, shelf, comparison, trail, notes_beside_previews);
criterion_main!(benches);
