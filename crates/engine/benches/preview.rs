//! From a change of stage 4 of 6 on a sample of 100 000 lines to the new result kept.

use std::io::Write;
use std::sync::mpsc::{Receiver, channel};

use criterion::{Criterion, criterion_group, criterion_main};
use engine::{Limits, Request, Sample, SessionEvent, Variables, Workbench};

fn evaluate(bench: &mut Workbench, news: &Receiver<SessionEvent>, text: String) {
    let request = Request {
        text,
        at: usize::MAX,
        variables: Variables::default(),
        script: None,
        plan: None,
        sample: Sample::First(100_000),
        limits: Limits::default(),
        allowed: engine::Consents::default(),
    };
    let generation = bench.evaluate(request);
    while let Ok(job) = news.recv() {
        if let SessionEvent::Done(preview) = job
            && preview.generation == generation
        {
            bench.accept(&preview);
            return;
        }
    }
}

fn fourth_of_six(criterion: &mut Criterion) {
    let Ok(mut file) = tempfile::NamedTempFile::new() else { return };
    let mut state = 1u64;
    for number in 0..120_000u64 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        let gate = state >> 33;
        let word = if gate.is_multiple_of(7) { "refused" } else { "passed" };
        let _ = writeln!(
            file,
            "2031-04-02 06:{:02}:{:02} gate-{:02} card={} {word} zone={}",
            number / 60 % 60,
            number % 60,
            gate % 24,
            10_000 + gate % 90_000,
            gate % 6 + 1
        );
    }
    let path = file.path().display().to_string();
    let (sender, news) = channel();
    let mut bench = Workbench::new(None, move |job| {
        // The receiver outlives every evaluation waited for.
        let _ = sender.send(job);
    });
    let text = |count: u32| {
        format!("grep -v nothing {path} | cut -d' ' -f3,5 | tr a-z A-Z | sed4 | sort | uniq -c")
            .replace("sed4", &format!("cut -c{count}-"))
    };
    evaluate(&mut bench, &news, text(1));
    let mut count = 0;
    criterion.bench_function("change stage 4 of 6, 100 000 lines", |bencher| {
        bencher.iter(|| {
            count += 1;
            evaluate(&mut bench, &news, text(1 + count % 2));
        });
    });
}

criterion_group!(benches, fourth_of_six);
criterion_main!(benches);
