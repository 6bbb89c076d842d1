//! The views of runs with figures that are the same each time.

use std::sync::Arc;

use engine::{CommandFigures, CommandKind, Snapshot};
use insight::{History, KeptRun, RunEnd, RunRecord, SourceRecord};
use jiff::Timestamp;
use ratatui::crossterm::event::KeyCode;
use shell::Span;
use stream::{ExitStatus, StageFigures};

use super::stand::Stand;

const TEXT: &str =
    "grep refused gate.log | cut -d' ' -f3 | sort | ./weigh | uniq -c | awk '{print $2}'";
const SECOND: u64 = 1_000_000_000;

/// Commands of all kinds after a part of 40 seconds: one that is held up, one that holds what it
/// reads, a program, and two that wait.
fn commands(text: &str, part: f64) -> Vec<CommandFigures> {
    let part_of = |whole: u64| (whole as f64 * part) as u64;
    let stages = text.split(" | ");
    let mut at = 0;
    stages
        .enumerate()
        .map(|(number, text)| {
            let span = Span::new(at, at + text.len());
            at = span.end + 3;
            let kept = 6 - number as u64;
            let figures = StageFigures {
                lines_in: part_of(900_000 * kept),
                bytes_in: part_of(80_000_000 * kept),
                lines_out: part_of(700_000 * kept),
                bytes_out: part_of(60_000_000 * kept),
                waiting_ns: part_of(SECOND * [1, 4, 2, 20, 36, 39][number]),
                held_up_ns: part_of(SECOND * [22, 16, 0, 1, 0, 0][number]),
                processor_ns: part_of(SECOND * [15, 18, 36, 16, 3, 1][number]),
                elapsed_ns: part_of(SECOND * 40),
                held_bytes: part_of([0, 0, 300 << 20, 5 << 20, 0, 0][number]),
                peak_held_bytes: part_of([0, 4096, 310 << 20, 9 << 20, 0, 0][number]),
                queued_blocks: [8, 6, 0, 3, 1, 0][number],
                ..StageFigures::default()
            };
            CommandFigures {
                span,
                name: text.split(' ').next().unwrap().to_owned(),
                kind: if number == 3 { CommandKind::Program } else { CommandKind::Filter },
                holds: (number == 2).then_some("order is known when all lines are there"),
                memory_limit: (number == 2).then_some(512 << 20),
                linked: number < 5,
                runs: if number == 3 { 3 } else { 0 },
                running: true,
                figures,
                status: ExitStatus::default(),
            }
        })
        .collect()
}

fn snapshot(text: &str, part: f64) -> Snapshot {
    Snapshot {
        elapsed_ns: (40.0 * SECOND as f64 * part) as u64,
        read_bytes: (480_000_000.0 * part) as u64,
        total_bytes: Some(800_000_000),
        expected_time: None,
        paused: false,
        ended: false,
        commands: commands(text, part),
    }
}

/// The Throughput view of a run whose figures are these; nothing of it continues.
fn stand() -> Stand {
    let mut stand = Stand::new("true");
    stand.run_all();
    let running = stand.app.running.as_mut().unwrap();
    running.text = TEXT.to_owned();
    running.end = None;
    running.history = History::default();
    for moment in 1..=80_u32 {
        // First slow, then a rest, then fast.
        let part = f64::from(moment) / 80.0;
        let passed = if moment <= 50 { part.min(0.5) * 0.5 } else { part * 2.0 - 1.0 };
        let then = Snapshot { commands: commands(TEXT, passed), ..snapshot(TEXT, part) };
        running.history.push(&then);
    }
    running.snapshot = snapshot(TEXT, 1.0);
    stand.app.message = None;
    stand
}

fn keep(name: &str, stand: &mut Stand, sizes: &[(u16, u16)]) {
    for (width, height) in sizes {
        let screen = stand.screen(*width, *height);
        let screen: String = screen.lines().map(|line| line.trim_end().to_owned() + "\n").collect();
        insta::assert_snapshot!(format!("{name}-{width}x{height}"), screen);
    }
}

#[test]
fn throughput_shows_a_band_for_each_command() {
    let mut stand = stand();
    keep("throughput", &mut stand, &[(160, 50), (104, 36), (104, 30), (80, 24)]);
    insta::assert_snapshot!("throughput-styles", stand.styles(104, 30));
    // What is selected is explained, and in view.
    for at in 1..6 {
        stand.key(KeyCode::Down);
        let screen = stand.screen(104, 16);
        assert_eq!(stand.app.throughput.at, at);
        let first = screen.lines().find(|line| line.contains(" of 6")).unwrap().trim_end();
        assert!(first.ends_with(&format!("{}–{} of 6", at.max(1), at.max(1) + 1)), "{screen}");
        assert_eq!(screen.lines().filter(|line| line.starts_with('▌')).count(), 1, "{screen}");
    }
    stand.key(KeyCode::Down);
    keep("throughput-last", &mut stand, &[(160, 50), (104, 30), (80, 24)]);
    stand.key(KeyCode::Home);
    stand.key(KeyCode::Down);
    stand.key(KeyCode::Down);
    keep("throughput-holds", &mut stand, &[(160, 50), (80, 24)]);
}

#[test]
fn throughput_says_what_becomes_of_a_run() {
    let mut stand = stand();
    let head = |stand: &mut Stand| -> String {
        let screen = stand.screen(120, 40);
        screen.lines().skip(5).take(4).map(|line| line.trim_end().to_owned() + "\n").collect()
    };
    let mut shown = String::new();
    let mut show = |name: &str, stand: &mut Stand| shown += &format!("{name}\n{}", head(stand));
    show("running", &mut stand);
    let running = |stand: &mut Stand, change: fn(&mut crate::state::run::Running)| {
        change(stand.app.running.as_mut().unwrap());
    };
    running(&mut stand, |running| running.snapshot.paused = true);
    show("paused", &mut stand);
    running(&mut stand, |running| {
        running.snapshot.paused = false;
        running.snapshot.total_bytes = None;
        running.snapshot.elapsed_ns = 100 * SECOND;
        running.history.push(&running.snapshot);
    });
    show("without an end, for a minute without a line", &mut stand);
    keep("throughput-endless", &mut stand, &[(160, 50)]);
    running(&mut stand, |running| {
        running.snapshot = snapshot(TEXT, 1.0);
        running.end = Some(RunEnd::Cancelled);
    });
    show("cancelled", &mut stand);
    running(&mut stand, |running| running.end = Some(RunEnd::Failed("no space left".to_owned())));
    show("failed", &mut stand);
    running(&mut stand, |running| {
        running.end = Some(RunEnd::Done);
        running.status = 1;
        running.snapshot.ended = true;
        for command in &mut running.snapshot.commands {
            command.running = false;
        }
    });
    show("ended", &mut stand);
    running(&mut stand, |running| running.status = 0);
    show("done", &mut stand);
    keep("throughput-done", &mut stand, &[(160, 50), (104, 30), (80, 24)]);
    // The most is never less than the average, however few moments were seen.
    running(&mut stand, |running| running.history = History::default());
    let screen = stand.screen(160, 50);
    let most = screen.lines().find(|line| line.contains(" most ")).unwrap();
    assert!(most.contains("135 k lines/s"), "{most}");
    running(&mut stand, |running| {
        running.end = None;
        running.snapshot = Snapshot::default();
    });
    show("just started", &mut stand);
    running(&mut stand, |running| running.end = Some(RunEnd::Done));
    show("too short", &mut stand);
    insta::assert_snapshot!("throughput-heads", shown);
}

/// Twelve runs, newest first: two texts by turns, one cancelled, one failed.
fn kept_runs() -> Vec<KeptRun> {
    let runs = (0..12_u32).map(|number| {
        let text = if number % 2 == 1 {
            TEXT.replace(" | ./weigh", "").replace("refused", "passed")
        } else {
            TEXT.to_owned()
        };
        let snapshot = snapshot(&text, 1.0 - f64::from(number) / 50.0);
        let hours = i64::from(12 - number) * 3600;
        let began = Timestamp::from_second(1_932_000_000 + hours).unwrap();
        let mut record = RunRecord::of(&text, began, &snapshot, &History::default());
        record.sources = vec![SourceRecord { path: "gate.log".into(), bytes: 800_000_000 }];
        record.output = Some(format!("gate-{:02}\n", number % 4));
        record.output_bytes = 8;
        match number {
            3 => record.end = RunEnd::Cancelled,
            4 => record.end = RunEnd::Failed("no space left".to_owned()),
            6 => record.status = 1,
            _ => {}
        }
        KeptRun { id: format!("{:02}", 12 - number), record }
    });
    runs.collect()
}

/// A screen with the times of day, which depend on where it is, as letters.
fn without_day(screen: &str) -> String {
    let runs = kept_runs();
    runs.iter().fold(screen.to_owned(), |screen, run| {
        screen.replace(&run.record.began_here(), &format!("day and time {:>6}", run.id))
    })
}

#[test]
fn kept_runs_are_listed_and_compared() {
    let mut stand = Stand::new("true");
    stand.settle();
    stand.key(KeyCode::Esc);
    stand.letters("K");
    assert!(stand.screen(80, 24).contains("no kept runs yet"));
    stand.app.kept.kept_runs = Some(Arc::new(kept_runs()));
    let keep = |name: &str, stand: &mut Stand, sizes: &[(u16, u16)]| {
        for (width, height) in sizes {
            let screen = without_day(&stand.screen(*width, *height));
            let screen: String =
                screen.lines().map(|line| line.trim_end().to_owned() + "\n").collect();
            insta::assert_snapshot!(format!("{name}-{width}x{height}"), screen);
        }
    };
    keep("compare", &mut stand, &[(160, 50), (104, 30), (80, 24)]);
    insta::assert_snapshot!("compare-styles", stand.styles(104, 30));
    stand.letters("m");
    stand.key(KeyCode::Down);
    keep("compare-marked", &mut stand, &[(160, 50), (80, 24)]);
    stand.letters("m");
    assert_eq!(
        stand
            .app
            .states
            .get::<crate::views::compare::state::CompareView>()
            .unwrap()
            .marked
            .as_deref(),
        Some("11")
    );
    assert_eq!(
        crate::views::compare::state::compared_with(&stand.app),
        None,
        "no run is compared with itself"
    );
    stand.letters("m");
    assert_eq!(
        stand.app.states.get::<crate::views::compare::state::CompareView>().unwrap().marked,
        None
    );
    stand.key(KeyCode::End);
    assert_eq!(
        (
            stand.app.states.get::<crate::views::compare::state::CompareView>().unwrap().at,
            crate::views::compare::state::compared_with(&stand.app)
        ),
        (11, None)
    );
    keep("compare-oldest", &mut stand, &[(160, 50), (87, 24), (86, 24), (80, 24), (80, 21)]);
    let mut runs = kept_runs();
    runs[11].record.sources.clear();
    stand.app.kept.kept_runs = Some(Arc::new(runs));
    assert!(stand.screen(100, 40).contains("MiB read · no run before it"));
    stand.key(KeyCode::Down);
    assert_eq!(stand.app.states.get::<crate::views::compare::state::CompareView>().unwrap().at, 11);
    stand.key(KeyCode::Up);
    // The other text is taken where no run of this one came before.
    assert_eq!(
        (
            stand.app.states.get::<crate::views::compare::state::CompareView>().unwrap().at,
            crate::views::compare::state::compared_with(&stand.app)
        ),
        (10, Some(11))
    );
    stand.key(KeyCode::Home);
    stand.key(KeyCode::Up);
    assert_eq!(
        (
            stand.app.states.get::<crate::views::compare::state::CompareView>().unwrap().at,
            crate::views::compare::state::compared_with(&stand.app)
        ),
        (0, Some(2))
    );
}

#[test]
fn figures_give_way_by_their_worth() {
    let mut stand = stand();
    super::sweep_tests::keep("sweep-throughput", &mut stand);
    stand.key(KeyCode::End);
    super::sweep_tests::keep("sweep-throughput-last", &mut stand);
    let running = stand.app.running.as_mut().unwrap();
    running.end = Some(RunEnd::Done);
    running.snapshot.ended = true;
    stand.letters("o");
    super::sweep_tests::keep("sweep-output", &mut stand);
    let mut stand = Stand::new("true");
    stand.settle();
    stand.key(KeyCode::Esc);
    stand.letters("K");
    stand.app.kept.kept_runs = Some(Arc::new(kept_runs()));
    stand.key(KeyCode::Down);
    super::sweep_tests::keep("sweep-compare", &mut stand);
}
