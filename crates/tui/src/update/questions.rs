//! The questions that are asked before something happens, each with all that a yes covers.

use std::path::PathBuf;

use engine::{HeldCommand, OnFailure};
use ratatui::style::Style;

use crate::parts::question::{Question, Row};
use crate::state::app::App;
use crate::state::event::Wish;
use crate::state::session::HowLong;
use crate::text::display::{at_blanks, safe};

/// A row of one piece.
fn row(indent: u16, text: String, style: Style) -> Row {
    vec![(indent, text, style)]
}

/// Columns for what a yes covers.
fn room(app: &App) -> usize {
    usize::from(app.width().saturating_sub(5))
}

/// Write the held-back files?
pub(super) fn write() -> Question {
    let title = "Write these files now, from all of the data, not only the sample?";
    // What there is now is written, also of a file that is followed.
    Question::yes_or_no(title, |app| app.run_all(true, false)).covering(planned)
}

/// Run on everything?
pub(super) fn run_all() -> Question {
    Question::new("Run this on all of the data now?")
        .answer('y', "run", |app| match app.may_not_write() {
            Some(why) => app.message = Some(format!("not run: {why}; d runs without files")),
            None => {
                app.run_all(true, true);
                app.show_run();
            }
        })
        .answer('d', "run without writing files", |app| {
            app.run_all(false, true);
            app.show_run();
        })
        .answer('n', "no", |_| {})
        .covering(|app| {
            let expected = expected(app).into_iter();
            let expected = expected.map(|text| row(3, text, app.theme.ink()));
            expected.chain(planned(app)).collect()
        })
        .safe_where(changes_nothing)
        // The estimate comes while the question is there.
        .at_least(5)
}

/// Leave although a run continues?
pub(super) fn end_run() -> Question {
    let title = "A run is in progress. Stop it (no files are written) and quit?";
    Question::yes_or_no(title, |app| {
        app.cancel_run();
        app.leave_or_ask();
    })
}

/// Leave although a file is being written?
pub(super) fn leave_writing() -> Question {
    Question::new("A file is still being written. Quit anyway? It may not be there then.")
        .answer('y', "quit", |app| {
            app.writing = 0;
            app.leave();
        })
        .answer('n', "stay", |_| {})
}

/// Leave although something is not saved?
pub(super) fn leave() -> Question {
    Question::new("The pipeline is not saved. Quit anyway?")
        .hint("s", "save and quit")
        .answer('y', "quit without saving", |app| app.leave_now(Wish::Leave))
        .answer('n', "stay", |_| {})
        .unsaid('s', App::save_and_leave)
}

/// Let the result go on to standard output?
pub(super) fn pass_on() -> Question {
    Question::new("Run this on all of the data, and pass its result on to standard output?")
        .answer('y', "run it, pass the result on", |app| match app.text_cannot_run() {
            Some(why) => app.message = Some(format!("not run: {why}; n quits with nothing")),
            None => app.leave_now(Wish::PassOn),
        })
        .answer('n', "pass nothing on, quit", |app| app.leave_now(Wish::Decline))
        .hint("Esc", "stay")
        .covering(|app| {
            let started = started(app).into_iter();
            let started = started.map(|text| row(3, text, app.theme.ink()));
            started.chain(planned(app)).collect()
        })
}

/// Back to the prompt with the text?
pub(super) fn print() -> Question {
    Question::new("Back to the prompt with this text?")
        .answer('y', "back with this text", |app| app.leave_now(Wish::Print))
        .hint("n/Esc", "back, the line as it was")
        .unsaid('n', |app| app.leave_now(Wish::Decline))
        .answer('e', "stay", |_| {})
        // At a prompt it takes back what was begun.
        .on_escape(|app| app.leave_now(Wish::Decline))
}

/// Open another pipeline although something is not saved?
pub(super) fn open(path: PathBuf) -> Question {
    let name = safe(&path.display().to_string());
    let title = format!("The pipeline is not saved. Open {name} anyway?");
    Question::yes_or_no(title, move |app| app.open(path))
}

/// Save over a file that is there?
pub(super) fn overwrite(path: PathBuf) -> Question {
    let name = safe(&path.display().to_string());
    Question::yes_or_no(format!("{name} already exists. Overwrite it?"), move |app| {
        app.save_to(path, |_| {});
    })
}

/// Start this program?
pub(super) fn allow(command: HeldCommand) -> Question {
    let answer = |how_long| {
        let command = command.clone();
        move |app: &mut App| app.allow(&command, how_long)
    };
    let (once, session, yes, always) = (
        answer(HowLong::Once),
        answer(HowLong::Session),
        answer(HowLong::Session),
        answer(HowLong::Always),
    );
    Question::new("Run this external program?")
        .answer('o', "once", once)
        .answer('s', "for this session", session)
        .answer('a', "always, kept in the configuration", always)
        .answer('n', "no", |_| {})
        .unsaid('y', yes)
        .covering(move |app| {
            let style = |is_line| if is_line { app.theme.bright() } else { app.theme.ink() };
            let asked = whole(&command, room(app)).into_iter();
            asked.map(|(is_line, text)| row(3, text, style(is_line))).collect()
        })
}

/// Start these held-back commands, by their numbers among all?
pub(crate) fn act(commands: Vec<(usize, HeldCommand)>, app: &App) -> Question {
    let count = commands.len();
    let what = if count == 1 { "command" } else { "commands" };
    let files = if app.has_pending() { "; this does not write the planned files" } else { "" };
    let answer = |on_failure| {
        let commands = commands.clone();
        move |app: &mut App| app.act_now(commands, on_failure)
    };
    let (stop, go_on, together) =
        (answer(OnFailure::Stop), answer(OnFailure::GoOn), answer(OnFailure::Together));
    Question::new(format!("Run {count} {what} now, one after the other{files}?"))
        .answer('s', "run them, stop at the first failure", stop)
        .answer('g', "run them all, also after a failure", go_on)
        .answer('t', "several together, in no order", together)
        .answer('n', "no", |_| {})
        .covering(move |app| {
            commands.iter().flat_map(|(_, command)| details(command, app)).collect()
        })
}

/// A command's line and what belongs to it, broken at blanks.
fn details(command: &HeldCommand, app: &App) -> Vec<Row> {
    let theme = app.theme;
    let line = at_blanks(&safe(&insight::command_line(command)), room(app));
    let more = safe(&insight::command_details(command).join(" · "));
    let more = at_blanks(&more, room(app).saturating_sub(2));
    let line = line.into_iter().map(|text| row(3, text, theme.bright()));
    line.chain(more.into_iter().map(|text| row(5, text, theme.ink()))).collect()
}

/// A command that is asked about, whole: its line and all that a yes covers, in rows of this width.
fn whole(command: &HeldCommand, width: usize) -> Vec<(bool, String)> {
    let line = std::iter::once((true, insight::command_line(command)));
    let details = insight::command_details(command).into_iter().map(|text| (false, text));
    let mut rows = Vec::new();
    for (is_line, text) in line.chain(details) {
        let shown: Vec<char> = safe(&text).chars().collect();
        for part in shown.chunks(width.max(8)) {
            rows.push((is_line, part.iter().collect()));
        }
    }
    rows
}

/// True where a full run changes nothing: no file is written and no program started.
fn changes_nothing(app: &App) -> bool {
    let Some(preview) = &app.result.preview else { return false };
    let starts = |stage: &engine::StageResult| {
        matches!(stage.plan.kind, engine::StageKind::Host(_)) || !stage.held.is_empty()
    };
    preview.pending.is_empty()
        && preview.commands.is_empty()
        && !preview.stages.iter().any(starts)
        && app.fed_programs().is_empty()
}

/// The commands of the machine that a run would start, as far as the preview knows.
fn started(app: &App) -> Vec<String> {
    let Some(preview) = &app.result.preview else {
        return vec!["what it would write and start is not known yet".to_owned()];
    };
    let words = |words: &[Vec<u8>]| -> String {
        let words: Vec<String> = words.iter().map(|word| shell::quote_bytes(word)).collect();
        safe(&words.join(" "))
    };
    let stages = preview.stages.iter();
    let programs = stages.filter(|stage| matches!(stage.plan.kind, engine::StageKind::Host(_)));
    let mut rows: Vec<String> =
        programs.map(|stage| format!("starts {}", words(&stage.plan.words()))).collect();
    match preview.commands.len() {
        0 => {}
        1 => rows.push(format!("starts {}", safe(&insight::command_line(&preview.commands[0])))),
        more => rows.push(format!(
            "starts {} commands in the sample: {} and others",
            insight::grouped(more as u64),
            safe(&insight::command_line(&preview.commands[0]))
        )),
    }
    rows
}

/// The files that would be written.
fn planned(app: &App) -> Vec<Row> {
    let theme = app.theme;
    let all = app.result.preview.as_ref().map(|preview| &preview.pending[..]).unwrap_or_default();
    let files = all.iter().filter(|file| !app.pending.left_out.contains(&file.path));
    let row = |file: &engine::PendingFile| {
        let now = match (file.mode, file.lines_now) {
            (engine::PendingMode::New, _) => "new file".to_owned(),
            (engine::PendingMode::Replace, Some(lines)) => {
                format!("replaces {} lines", insight::grouped(lines))
            }
            (engine::PendingMode::Replace, None) => {
                format!("replaces {}", insight::bytes(file.bytes_now))
            }
            (engine::PendingMode::Append, Some(lines)) => {
                format!("appends to {} lines", insight::grouped(lines))
            }
            (engine::PendingMode::Append, None) => {
                format!("appends to {}", insight::bytes(file.bytes_now))
            }
        };
        let name = safe(&file.path.display().to_string());
        let mut pieces = vec![(3, name, theme.ink()), (2, now, theme.quiet())];
        if app.pending.changed.contains(&file.path) {
            pieces.push((2, "changed since it was read".to_owned(), theme.bright()));
        }
        pieces
    };
    files.map(row).collect()
}

/// What a run on everything is expected to take.
fn expected(app: &App) -> Vec<String> {
    use insight::{bytes, duration};
    let room = usize::from(app.width().saturating_sub(5));
    let Some(estimate) = &app.throughput.estimate else {
        let text = "trying it on the beginning of the data to estimate the time …";
        return at_blanks(text, room);
    };
    let mut first = Vec::new();
    let names: Vec<String> = estimate
        .sources
        .iter()
        .map(|(path, size)| format!("{} ({})", safe(&path.display().to_string()), bytes(*size)))
        .collect();
    match names.len() {
        0 => {}
        1..=3 => first.push(names.join(", ")),
        files => {
            first.push(format!("{files} files ({})", bytes(estimate.total_bytes.unwrap_or(0))));
        }
    }
    match estimate.time {
        Some(time) => first.push(format!("about {}", duration(time.as_nanos() as u64))),
        None if estimate.endless => first.push("runs until it is stopped".to_owned()),
        None => first.push("the time cannot be estimated".to_owned()),
    }
    if let Some(memory) = estimate.memory_bytes {
        first.push(format!("up to {} held in memory", bytes(memory)));
    }
    let mut rows = vec![first.join(" · ")];
    for hold in &estimate.holds {
        let mut text = format!("{} holds up to {}", safe(&hold.name), bytes(hold.bytes));
        if hold.spilled_bytes > 0 {
            text.push_str(&format!(" and {} in temporary files", bytes(hold.spilled_bytes)));
        }
        if let Some(reason) = hold.reason {
            text.push_str(&format!(": {reason}"));
        }
        rows.push(text);
    }
    for consent in app.fed_programs() {
        let words: Vec<String> =
            consent.words.iter().map(|word| shell::quote_bytes(word)).collect();
        rows.push(format!("! runs {} on whatever input it gets then", safe(&words.join(" "))));
    }
    let writes = app.result.preview.as_ref().is_some_and(|preview| !preview.pending.is_empty());
    if estimate.endless && writes {
        rows.push("! it runs until you stop it, and then writes no files".to_owned());
    }
    rows.iter().flat_map(|row| at_blanks(row, room)).collect()
}
