//! What would take all of the machine: in the Bench it is cut, in a run it is an error.

use std::sync::mpsc::RecvTimeoutError;
use std::time::{Duration, Instant};

use engine::{Ending, Limit, RunError, SessionEvent, Variables, run_script};
use stream::{Excess, RunControl};

use crate::previews::Bench;

/// A preview may take this much here.
const BUDGET: u64 = 192 << 20;

/// What became of a text: how its stages ended and what was said.
fn evaluate(text: &str) -> (Vec<Ending>, String) {
    let mut bench = Bench::new();
    bench.limits.time = Duration::from_mins(1);
    bench.limits.memory_bytes = BUDGET;
    let request = bench.request(text);
    let generation = bench.workbench.evaluate(request);
    let since = Instant::now();
    loop {
        match bench.news.recv_timeout(Duration::from_secs(1)) {
            Ok(SessionEvent::Done(preview)) if preview.generation == generation => {
                let said: Vec<&str> =
                    preview.stages.iter().map(|stage| stage.messages.as_str()).collect();
                let endings = preview.stages.iter().map(|stage| stage.ending).collect();
                return (endings, format!("{}{}", said.concat(), preview.said));
            }
            Ok(SessionEvent::Failed(_, message)) => return (Vec::new(), message),
            Ok(SessionEvent::Refused(_, error)) => return (Vec::new(), error.to_string()),
            Ok(_) | Err(RecvTimeoutError::Timeout) => {}
            Err(error) => panic!("{error}: {text}"),
        }
        assert!(since.elapsed() < Duration::from_secs(50), "{text}");
    }
}

#[test]
fn what_grows_without_end_is_cut_with_a_message() {
    for text in [
        "awk 'BEGIN { s = \"x\"; while (1) s = s s }'",
        "awk 'BEGIN { s = \"x\"; while (1) { s = s s; t = t s } }'",
        "awk 'BEGIN { while (1) a[i++] = \"some words to hold in it \" i }'",
        "echo abc | sed ':a;s/.*/&&/;ta'",
        "echo abc | sed ':a;G;h;ba'",
        "echo 'while (1) { a[i] = i; i += 1 }' | bc",
        "echo {1..1000}{1..1000}{1..1000}",
        "x=a; while :; do x=$x$x; done",
        "x=a\nwhile :; do x=$x$x; done\necho $x",
        "yes | tr -d '\\n' | sed p",
        "yes | sort",
        "yes | tr '\\n' x | awk '{ print length }'",
        "f() { f | f; }; f",
        "f() { f | f; }\nf | cat",
    ] {
        let (endings, said) = evaluate(text);
        let limit = |ending: &Ending| {
            matches!(
                ending,
                Ending::Cut(
                    Limit::Memory(_)
                        | Limit::Process(_)
                        | Limit::Commands(_)
                        | Limit::Lines(_)
                        | Limit::Bytes(_)
                )
            )
        };
        let told = ["MiB", "too many", "too long", "same time", "memory", "cannot hold"]
            .iter()
            .any(|word| said.contains(word));
        assert!(endings.iter().any(limit) || told, "{text}: {endings:?} {said}");
    }
}

#[test]
fn more_stages_than_can_be_at_work_are_cut() {
    let text = vec!["cat"; 25_000].join(" | ");
    let (endings, _) = evaluate(&text);
    assert_eq!(endings.len(), 25_000);
    assert!(endings.iter().all(|ending| matches!(ending, Ending::Cut(Limit::Commands(1000)))));
    let ended = run_script(&text, &mut Variables::default(), &RunControl::default(), None);
    assert!(matches!(ended, Err(RunError::Excess(Excess::Commands(1000)))), "{ended:?}");
    let (endings, _) = evaluate(&("seq 3 | ".to_owned() + &vec!["cat"; 300].join(" | ")));
    assert!(endings.iter().all(|ending| *ending == Ending::Finished));
}

#[test]
fn a_run_that_starts_ever_more_commands_ends_with_an_error() {
    let control = RunControl::default();
    let ended = run_script("f() { f | f; }; f", &mut Variables::default(), &control, None);
    assert!(matches!(ended, Err(RunError::Excess(Excess::Commands(_)))), "{ended:?}");
}

#[test]
fn everything_ends_soon_after_it_is_cancelled() {
    let long = "0".repeat(300_000);
    for text in [
        format!("x={long}; y=${{x##{}1}}; echo $y", "*0".repeat(200)),
        format!("x={long}; y=${{x%%1{}}}; echo $y", "0*".repeat(200)),
        "awk 'BEGIN { while (1) i++ }'".to_owned(),
        "echo a | sed ':a;ba'".to_owned(),
        "while :; do :; done".to_owned(),
        "echo 'while (1) i += 1' | bc".to_owned(),
        "seq 10000000 | sort -R".to_owned(),
        "yes | tac".to_owned(),
        "f() { while :; do echo; done; }; f | cat > /dev/null".to_owned(),
        "cat <(yes) > /dev/null".to_owned(),
        "sleep 100".to_owned(),
    ] {
        let control = RunControl::default();
        let ending = control.clone();
        let thread = std::thread::spawn(move || {
            let line = format!("{{ {text}\n}} > /dev/null");
            let _ = run_script(&line, &mut Variables::default(), &ending, None);
            text
        });
        std::thread::sleep(Duration::from_millis(150));
        control.cancel();
        let since = Instant::now();
        while !thread.is_finished() {
            // A tenth of a second on a quiet machine; here only that it does not wait for the work.
            assert!(since.elapsed() < Duration::from_secs(5), "it works on");
            std::thread::sleep(Duration::from_millis(1));
        }
        let text = thread.join().unwrap();
        eprintln!("{:?} {}", since.elapsed(), &text[..text.len().min(40)]);
    }
}
