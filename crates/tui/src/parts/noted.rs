//! What is said of the stages under the river: what each does, its figures, advice, what it said.

use engine::{Ending, Sample, StageKind, StageResult};
use insight::{
    NoteKind, Severity, bytes, duration, explain, figure, figure_bytes, figure_lines, rate,
};

use crate::actions::{Action, key};
use crate::screen::place::Focus;
use crate::state::app::App;
use crate::text::display::safe;

/// What went in and out of a stage, and what it took.
pub(crate) fn figures(stage: &StageResult, followed_ns: Option<u64>) -> String {
    let figures = stage.figures;
    let time = followed_ns.unwrap_or(figures.elapsed_ns.max(figures.processor_ns));
    let passed = match followed_ns {
        // What was evaluated at once has come over the whole time.
        Some(_) => stage.lines_in().so_far().max(stage.lines_out().so_far()),
        None => figures.lines_in.max(figures.lines_out),
    };
    let mut numbers = format!(
        "{} in, {} out · {} in, {} out · {}, {} · processor {}",
        figure_lines(stage.lines_in()),
        figure(stage.lines_out()),
        figure_bytes(stage.bytes_in()),
        figure_bytes(stage.bytes_out()),
        duration(time),
        rate(passed, time),
        duration(figures.processor_ns),
    );
    if figures.peak_held_bytes > 0 {
        numbers.push_str(&format!(" · held {}", bytes(figures.peak_held_bytes)));
    }
    if stage.status.0 != 0 && stage.ending != Ending::ClosedPipe {
        numbers.push_str(&format!(" · status {}", stage.status.0));
    }
    if matches!(stage.plan.kind, StageKind::Host(_)) && stage.unstarted.is_none() {
        let age = stage.made.elapsed().as_nanos() as u64;
        numbers.push_str(&format!(
            " · started {} ago, {} starts it again",
            duration(age),
            key(Action::Reread)
        ));
    } else if stage.reused {
        numbers.push_str(" · kept from before");
    }
    numbers
}

/// A row of the notes: its mark, what it says, and what `f` would do.
pub(crate) type Row = (char, String, Option<String>);

/// Warnings, then what the stage said, then hints; how it went only with `remarks`.
fn of_one(app: &App, stage: &StageResult, number: usize, remarks: bool) -> Vec<Row> {
    let mut rows: Vec<Row> = Vec::new();
    let notes = app.result.notes_for(number).into_iter();
    for note in notes.filter(|note| remarks || note.severity != Severity::Remark) {
        let mark = if note.severity == Severity::Warning { '!' } else { '·' };
        let mut text = note.text.clone();
        if note.kind == NoteKind::SampleOnly && app.sample != Sample::Everything {
            let key = key(Action::Everything);
            let keys =
                if app.focus == Focus::Text { format!("Esc, then {key},") } else { key.to_owned() };
            text.push_str(&format!("; press {keys} for all of the data"));
        }
        rows.push((mark, text, note.fix.as_ref().map(|fix| fix.label.clone())));
    }
    let said = stage.messages.lines().filter(|line| !line.is_empty());
    let at = rows.iter().position(|row| row.0 == '·').unwrap_or(rows.len());
    let said: Vec<Row> = said.map(|line| ('!', safe(line), None)).collect();
    rows.splice(at..at, said);
    rows
}

/// What is said of a stage and, among that, what other commands of the text said.
pub(crate) fn of_stage(app: &App, stage: &StageResult, number: usize) -> Vec<Row> {
    let mut rows = of_one(app, stage, number, true);
    let others = app.result.preview.iter().flat_map(|preview| preview.said.lines());
    let others = others.filter(|line| !line.is_empty());
    let others: Vec<Row> = others
        .map(|line| ('!', format!("another command of the text: {}", safe(line)), None))
        .collect();
    let at = rows.iter().position(|row| row.0 == '·').unwrap_or(rows.len());
    rows.splice(at..at, others);
    if app.result.preview.as_ref().is_some_and(|preview| !preview.reached) {
        let text = "a real run would not reach this: the command before && or || decides so";
        rows.insert(0, ('!', text.to_owned(), None));
    }
    rows
}

/// What is said of all other stages, each with its number: trouble first. Remarks on how it went are
/// said of the selected stage only, and `f` changes that one.
pub(crate) fn of_others(app: &App, selected: usize) -> Vec<Row> {
    let Some(preview) = &app.result.preview else { return Vec::new() };
    let others = preview.stages.iter().enumerate().filter(|(number, _)| *number != selected);
    let mut rows: Vec<Row> = others
        .flat_map(|(number, stage)| {
            let rows = of_one(app, stage, number, false).into_iter();
            rows.map(move |(mark, text, _)| (mark, format!("stage {}: {text}", number + 1), None))
        })
        .collect();
    rows.sort_by_key(|row| row.0 == '·');
    rows
}

/// A row of all that is said of all stages.
pub(crate) struct Told {
    /// The stage it begins to be about, by its number.
    pub stage: Option<usize>,
    /// It is the first row of what is said.
    pub begins: bool,
    pub mark: char,
    pub text: String,
}

/// All that is said of all stages, as wide as the screen: the selected stage first, whole, and then
/// the others with what is said of them.
pub(crate) fn all(app: &App) -> Vec<Told> {
    let Some(preview) = &app.result.preview else { return Vec::new() };
    let room = usize::from(app.width()).saturating_sub(8).max(8);
    let mut told = Vec::new();
    let mut tell = |stage: Option<usize>, mark: char, text: &str| {
        for (number, part) in textwrap::wrap(&safe(text), room).into_iter().enumerate() {
            let first = number == 0;
            let stage = stage.filter(|_| first);
            told.push(Told { stage, begins: first, mark, text: part.into_owned() });
        }
    };
    let selected = app.shown().stage();
    let others = (0..preview.stages.len()).filter(|number| *number != selected);
    for number in std::iter::once(selected).chain(others) {
        let Some(stage) = preview.stages.get(number) else { continue };
        let rows = of_stage(app, stage, number);
        tell(Some(number), ' ', &explain(stage));
        if number == selected {
            tell(None, '·', &figures(stage, preview.followed_ns));
        }
        for (mark, text, fix) in rows {
            let fix = fix.map(|fix| format!(" (f: {fix})")).unwrap_or_default();
            tell(None, mark, &format!("{text}{fix}"));
        }
    }
    told
}
