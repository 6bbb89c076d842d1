//! How far a run is, shown on standard error while it runs.

use parking_lot::{Condvar, Mutex, MutexGuard};
use std::io::{IsTerminal, Write};
use std::sync::Arc;
use std::thread::JoinHandle;
use std::time::Duration;

use clap::ValueEnum;
use engine::{CommandFigures, Estimate, Snapshot, Watch};
use insight::{History, RunRecord, byte_rate, bytes, duration, lines, passed, slowest};
use stream::visible;

/// On a terminal the line is updated this often.
const TICK: Duration = Duration::from_millis(100);

/// Elsewhere a line is written after this number of ticks.
const TICKS_A_LINE: u32 = 30;

/// How it is told.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Form {
    /// A line that is updated on a terminal; elsewhere one every few seconds
    Line,
    /// One number per line, from 0 to 100, for another program to read
    Percent,
}

#[derive(Default)]
struct State {
    over: bool,
    /// A line is on the terminal that will be written over.
    shown: bool,
    /// What the run itself wrote to the terminal does not end a line.
    open: bool,
}

type Shared = Arc<(Mutex<State>, Condvar)>;

fn lock(shared: &Shared) -> MutexGuard<'_, State> {
    shared.0.lock()
}

fn say(text: &str) {
    // A standard error that cannot be written has nobody to be told.
    let _ = std::io::stderr().write_all(text.as_bytes());
}

/// What erases the line where one is.
fn erase(state: &mut State) -> &'static str {
    if std::mem::take(&mut state.shown) { "\r\x1b[K" } else { "" }
}

/// The line on the terminal, which is erased before a run writes there.
#[derive(Clone, Default)]
pub(crate) struct TerminalLine(Shared);

impl TerminalLine {
    /// Called before the run writes to a terminal; `ends_line` tells how that ends.
    pub(crate) fn give_way(&self, ends_line: bool) {
        let mut state = lock(&self.0);
        say(erase(&mut state));
        state.open = !ends_line;
    }
}

/// Tells how far a run is until it is stopped.
pub(crate) struct Progress {
    shared: Shared,
    thread: Option<JoinHandle<History>>,
}

impl Progress {
    /// Begins; with no form nothing is told, but the course of the run is noted.
    pub(crate) fn start(watch: &Arc<Watch>, form: Option<Form>, screen: &TerminalLine) -> Self {
        let shared = screen.0.clone();
        let (state, watch) = (shared.clone(), watch.clone());
        let spawned = engine::start_thread("progress", move || follow(&watch, form, &state));
        Self { shared, thread: spawned.ok() }
    }

    /// Ends it, and gives the course of the run.
    pub(crate) fn stop(mut self) -> History {
        lock(&self.shared).over = true;
        self.shared.1.notify_all();
        let history = self.thread.take().map(JoinHandle::join);
        history.and_then(Result::ok).unwrap_or_default()
    }
}

fn follow(watch: &Watch, form: Option<Form>, shared: &Shared) -> History {
    let mut history = History::default();
    let mut teller = form.map(|form| Teller::new(form, std::io::stderr().is_terminal()));
    loop {
        let mut state = lock(shared);
        if !state.over {
            shared.1.wait_for(&mut state, TICK);
        }
        let snapshot = watch.snapshot();
        history.push(&snapshot);
        if let Some(teller) = &mut teller {
            say(&teller.tick(&snapshot, &history, &mut state, width()));
        }
        if state.over {
            return history;
        }
    }
}

/// Decides at every tick what is written.
struct Teller {
    form: Form,
    /// Whether a line can be written over.
    terminal: bool,
    ticks: u32,
    /// The last number for another program.
    percent: Option<u32>,
}

impl Teller {
    fn new(form: Form, terminal: bool) -> Self {
        Self { form, terminal, ticks: 0, percent: None }
    }

    /// The text of this tick, often none.
    fn tick(
        &mut self,
        snapshot: &Snapshot,
        history: &History,
        state: &mut State,
        width: usize,
    ) -> String {
        self.ticks += 1;
        if state.over {
            // The last number is told by whoever knows how the run ended.
            return erase(state).to_owned();
        }
        match self.form {
            Form::Percent => {
                let percent = snapshot.done().map(|done| (done * 100.0) as u32);
                if percent <= self.percent {
                    return String::new();
                }
                self.percent = percent;
                format!("{}\n", percent.unwrap_or(0))
            }
            Form::Line if self.terminal && state.open => String::new(),
            Form::Line if self.terminal => {
                state.shown = true;
                let text = line(snapshot, history);
                let text: String = text.chars().take(width.saturating_sub(1)).collect();
                format!("\r{}\x1b[K", visible(&text))
            }
            Form::Line if self.ticks.is_multiple_of(TICKS_A_LINE) => {
                format!("{}\n", visible(&line(snapshot, history)))
            }
            Form::Line => String::new(),
        }
    }
}

fn width() -> usize {
    rustix::termios::tcgetwinsize(std::io::stderr())
        .map_or(80, |size| usize::from(size.ws_col).max(20))
}

/// How far a run is, on one line.
fn line(snapshot: &Snapshot, history: &History) -> String {
    let mut parts = Vec::new();
    match (snapshot.total_bytes, snapshot.done()) {
        (Some(total), Some(done)) => {
            parts.push(format!("{} of {}", bytes(snapshot.read_bytes.min(total)), bytes(total)));
            parts.push(insight::progress(done));
        }
        _ => parts.push(format!("{} read", bytes(snapshot.read_bytes.max(first(snapshot).1)))),
    }
    if snapshot.all_is_read()
        && let Some(command) = snapshot.at_work()
    {
        parts.push(format!("{} is processing the data it holds", command.name));
    } else if !snapshot.commands.is_empty() {
        let rates = first_ones(snapshot).map(|one| history.rate(one.span, 2_000_000_000).bytes);
        parts.push(byte_rate(rates.sum()));
    }
    parts.push(duration(snapshot.elapsed_ns));
    if let Some(left) = snapshot.time_left() {
        parts.push(format!("about {} left", duration(left.as_nanos() as u64)));
    }
    if snapshot.paused {
        parts.push("paused".to_owned());
    }
    parts.join(" · ")
}

/// The first commands of the pipelines.
fn first_ones(snapshot: &Snapshot) -> impl Iterator<Item = &CommandFigures> {
    let all = &snapshot.commands;
    let begins = |number: &usize| number.checked_sub(1).is_none_or(|before| !all[before].linked);
    (0..all.len()).filter(begins).map(|number| &all[number])
}

/// What passed through the first command of each pipeline.
fn first(snapshot: &Snapshot) -> (u64, u64) {
    let all = first_ones(snapshot).map(passed);
    all.fold((0, 0), |sum, one| (sum.0 + one.0, sum.1 + one.1))
}

/// What is expected, in a line before the run begins.
pub(crate) fn expect(estimate: &Estimate) {
    if let Some(expected) = expected(estimate) {
        say(&format!("expected: {}\n", visible(&expected)));
    }
}

fn expected(estimate: &Estimate) -> Option<String> {
    let mut parts = Vec::new();
    if let Some(total) = estimate.total_bytes {
        let files = estimate.sources.len();
        let files = if files == 1 { "1 file".to_owned() } else { format!("{files} files") };
        parts.push(format!("{} in {files}", bytes(total)));
    }
    if let Some(time) = estimate.time {
        parts.push(format!("about {}", duration(time.as_nanos() as u64)));
    }
    for hold in &estimate.holds {
        let mut text = format!("{} holds up to {}", hold.name, bytes(hold.bytes));
        if hold.spilled_bytes > 0 {
            text.push_str(&format!(", {} more on disk", bytes(hold.spilled_bytes)));
        }
        parts.push(text);
    }
    if estimate.endless {
        parts.push("runs until it is stopped".to_owned());
    }
    (!parts.is_empty()).then(|| parts.join(" · "))
}

/// What came of it, in a line or two.
pub(crate) fn summary(record: &RunRecord, snapshot: &Snapshot) {
    say(&visible(&summed_up(record, snapshot)));
}

fn summed_up(record: &RunRecord, snapshot: &Snapshot) -> String {
    let (first_lines, first_bytes) = first(snapshot);
    let read = snapshot.read_bytes.max(first_bytes);
    let seconds = snapshot.elapsed().as_secs_f64().max(1e-9);
    let mut text = format!(
        "{}: {} ({}) in {} · {}",
        record.ended(),
        bytes(read),
        lines(first_lines),
        duration(snapshot.elapsed_ns),
        byte_rate(read as f64 / seconds),
    );
    // What the last command of each pipeline has written.
    let ends = snapshot.commands.iter().filter(|command| !command.linked);
    if !snapshot.commands.is_empty() {
        let out = ends.map(|command| command.figures.lines_out).sum();
        text.push_str(&format!(" · {} out", lines(out)));
    }
    text.push('\n');
    if let Some(slowest) = slowest(&snapshot.commands) {
        let name = &snapshot.commands[slowest.at].name;
        text.push_str(&format!("slowest: {name} {}\n", slowest.says));
    }
    text
}

/// The last number for another program: 100 for a run that came to its end.
pub(crate) fn finish(form: Option<Form>, came_to_its_end: bool) {
    if form == Some(Form::Percent) && came_to_its_end {
        say("100\n");
    }
}

#[cfg(test)]
mod tests {
    use std::path::PathBuf;
    use std::time::Duration;

    use engine::{CommandFigures, Hold};
    use stream::StageFigures;

    use super::*;

    fn command(name: &str, lines: u64, bytes: u64) -> CommandFigures {
        let figures = StageFigures {
            lines_in: lines,
            lines_out: lines / 2,
            bytes_in: bytes,
            bytes_out: bytes / 2,
            elapsed_ns: 2_000_000_000,
            processor_ns: 1_900_000_000,
            ..StageFigures::default()
        };
        CommandFigures { name: name.to_owned(), figures, ..CommandFigures::default() }
    }

    fn snapshot(read_bytes: u64, total_bytes: Option<u64>) -> Snapshot {
        Snapshot {
            elapsed_ns: 2_000_000_000,
            read_bytes,
            total_bytes,
            commands: vec![
                CommandFigures { linked: true, ..command("grep", 100, 4096) },
                command("sort", 50, 2048),
            ],
            ..Snapshot::default()
        }
    }

    #[test]
    fn a_line_of_a_run_in_all_its_states() {
        let line = |snapshot: &Snapshot| line(snapshot, &History::default());
        assert_eq!(line(&Snapshot::default()), "0 B read · 0 ms");
        // What is not read of files has passed through the first command.
        assert_eq!(line(&snapshot(0, None)), "4.00 KiB read · 0 B/s · 2.00 s");
        assert_eq!(line(&snapshot(8192, None)), "8.00 KiB read · 0 B/s · 2.00 s");
        assert_eq!(
            line(&snapshot(1024, Some(4096))),
            "1.00 KiB of 4.00 KiB · 25.0 % · 0 B/s · 2.00 s · about 6.00 s left"
        );
        let mut all_read = snapshot(4096, Some(4096));
        all_read.commands[1].running = true;
        assert_eq!(
            line(&all_read),
            "4.00 KiB of 4.00 KiB · 99.9 % · sort is processing the data it holds · 2.00 s"
        );
        all_read.expected_time = Some(Duration::from_secs(5));
        assert!(line(&all_read).ends_with("2.00 s · about 3.00 s left"));
        all_read.paused = true;
        assert!(line(&all_read).ends_with("left · paused"));
        let mut ended = snapshot(4096, Some(4096));
        ended.ended = true;
        assert_eq!(line(&ended), "4.00 KiB of 4.00 KiB · 100.0 % · 0 B/s · 2.00 s");
        // A file that has grown is not more than whole.
        assert!(line(&snapshot(9000, Some(4096))).starts_with("4.00 KiB of 4.00 KiB · 99.9 %"));
    }

    #[test]
    fn a_program_is_told_each_number_once_and_never_a_smaller_one() {
        let mut teller = Teller::new(Form::Percent, false);
        let mut state = State::default();
        let mut tick = |read, total, over| {
            state.over = over;
            teller.tick(&snapshot(read, total), &History::default(), &mut state, 80)
        };
        assert_eq!(tick(0, None, false), "", "nothing is known yet");
        assert_eq!(tick(0, Some(4096), false), "0\n");
        assert_eq!(tick(2048, Some(4096), false), "50\n");
        assert_eq!(tick(2049, Some(4096), false), "");
        assert_eq!(tick(1024, Some(4096), false), "");
        assert_eq!(tick(4096, Some(4096), true), "", "the end is told by whoever knows it");
    }

    #[test]
    fn a_line_is_updated_on_a_terminal_and_written_now_and_then_elsewhere() {
        let (snapshot, history) = (snapshot(8192, None), History::default());
        let mut state = State::default();
        let mut teller = Teller::new(Form::Line, false);
        let told: Vec<String> = (0..2 * TICKS_A_LINE)
            .map(|_| teller.tick(&snapshot, &history, &mut state, 20))
            .collect();
        let at = |number: u32| told[number as usize - 1].as_str();
        assert_eq!(at(TICKS_A_LINE), "8.00 KiB read · 0 B/s · 2.00 s\n");
        assert_eq!(at(2 * TICKS_A_LINE), at(TICKS_A_LINE));
        assert_eq!(told.iter().filter(|text| !text.is_empty()).count(), 2);

        let mut teller = Teller::new(Form::Line, true);
        let mut tick = |state: &mut State| teller.tick(&snapshot, &history, state, 20);
        assert_eq!(tick(&mut state), "\r8.00 KiB read · 0 B\u{1b}[K", "as wide as the terminal");
        assert!(state.shown);
        // The run wrote the beginning of a line there.
        assert_eq!(erase(&mut state), "\r\u{1b}[K");
        state.open = true;
        assert_eq!(tick(&mut state), "");
        assert!(!state.shown);
        state.open = false;
        assert!(!tick(&mut state).is_empty());
        state.over = true;
        assert_eq!(tick(&mut state), "\r\u{1b}[K");
        assert_eq!(tick(&mut state), "");
    }

    #[test]
    fn what_is_expected_names_sources_time_and_what_is_held() {
        assert_eq!(expected(&Estimate::default()), None);
        let mut estimate = Estimate {
            sources: vec![(PathBuf::from("a"), 1024)],
            total_bytes: Some(1024),
            time: Some(Duration::from_millis(1500)),
            ..Estimate::default()
        };
        assert_eq!(expected(&estimate).unwrap(), "1.00 KiB in 1 file · about 1.50 s");
        estimate.sources.push((PathBuf::from("b"), 0));
        estimate.time = None;
        let hold = |spilled_bytes| Hold {
            span: shell::Span::new(0, 4),
            name: "sort".to_owned(),
            reason: None,
            bytes: 2048,
            spilled_bytes,
        };
        estimate.holds = vec![hold(0), hold(4096)];
        estimate.endless = true;
        assert_eq!(
            expected(&estimate).unwrap(),
            "1.00 KiB in 2 files · sort holds up to 2.00 KiB · \
             sort holds up to 2.00 KiB, 4.00 KiB more on disk · runs until it is stopped"
        );
    }

    #[test]
    fn a_summary_says_how_much_how_fast_and_what_was_slowest() {
        let record = RunRecord::default();
        let first = "done: 4.00 KiB (100 lines) in 2.00 s · 2.00 KiB/s · 25 lines out\n";
        let text = summed_up(&record, &snapshot(0, None));
        assert!(text.starts_with(first), "{text}");
        assert!(text[first.len()..].starts_with("slowest: "), "{text}");
        // Of two pipelines both count.
        let mut two = snapshot(0, None);
        two.commands[0].linked = false;
        let text = summed_up(&record, &two);
        let read = two.commands.iter().map(|command| command.figures.lines_in).sum();
        let out = two.commands.iter().map(|command| command.figures.lines_out).sum();
        let (read, out) = (lines(read), lines(out));
        assert!(
            text.contains(&format!("({read})")) && text.contains(&format!("{out} out")),
            "{text}"
        );
        let nothing = summed_up(&record, &Snapshot::default());
        assert_eq!(nothing, "done: 0 B (0 lines) in 0 ms · 0 B/s\n");
    }
}
