//! The notes: what the selected stage does, its figures, advice, what it said.

use engine::{Ending, Sample, StageKind, StageResult};
use insight::{NoteKind, Severity, bytes, duration, explain, grouped, rate};
use ratatui::style::Modifier;
use unicode_width::UnicodeWidthStr;

use super::canvas::{Canvas, cut};
use crate::state::app::App;
use crate::state::place::Focus;
use crate::state::screen::Screen;
use crate::text::display::safe;

/// What the Pending view is about, under it.
fn pending(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let Some(preview) = &app.result.preview else { return };
    let theme = app.theme;
    let (files, commands) = app.pending_rows();
    let started = (0..commands).filter(|number| app.start_result(*number).is_some()).count();
    let first = match (started + app.pending.past.len(), files) {
        (0, _) => "nothing here has been done yet",
        (_, 0) => "commands were run: the result is next to each",
        (_, _) => "commands were run: the result is next to each; no file is written yet",
    };
    let mut rows = vec![(' ', first.to_owned())];
    if files > 0 {
        let text = "w writes all files from all of the data; x leaves one out";
        rows.push((' ', text.to_owned()));
    }
    if !preview.is_whole() {
        rows.push(('!', "these results come from a sample, not from all of the data".to_owned()));
    }
    if commands > 0 {
        let text = "r runs the commands one after the other; those in a pipeline run only with it";
        rows.push((' ', text.to_owned()));
    }
    for (y, (mark, text)) in rows.iter().take(usize::from(area.height)).enumerate() {
        canvas.put(1, y as u16, &mark.to_string(), theme.bright());
        let style = if *mark == '·' { theme.quiet() } else { theme.ink() };
        let text = cut(text, usize::from(area.width.saturating_sub(5)));
        canvas.put(4, y as u16, &text, style);
    }
}

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    if app.screen == Screen::Pending {
        return pending(canvas, app);
    }
    let theme = app.theme;
    let number = app.shown().stage();
    let Some(stage) = app.result.preview.as_ref().and_then(|preview| preview.stages.get(number))
    else {
        return;
    };
    let room = usize::from(area.width.saturating_sub(6));
    let label = (number + 1).to_string();
    canvas.put(1, 0, &label, theme.hue(number).add_modifier(Modifier::BOLD));
    canvas.put(4, 0, &cut(&safe(&explain(stage)), room), theme.ink());
    let numbers = figures_in_words(stage);
    let rows = rows(app, stage, number);
    let mut y = 1;
    if area.height > 2 {
        canvas.put(4, 1, &cut(&numbers, room), theme.quiet());
        y = 2;
    } else if rows.is_empty() {
        canvas.put(4, 1, &cut(&numbers, room), theme.quiet());
        return;
    }
    draw_rows(canvas, y, app, &rows);
}

/// What went in and out of a stage, and what it took.
fn figures_in_words(stage: &StageResult) -> String {
    let figures = stage.figures;
    let time = figures.elapsed_ns.max(figures.processor_ns);
    let mut numbers = format!(
        "{} in, {} out · {} in, {} out · {}, {} · processor {}",
        insight::lines(figures.lines_in),
        grouped(stage.out.lines()),
        bytes(figures.bytes_in),
        bytes(stage.out.bytes()),
        duration(time),
        rate(figures.lines_in.max(stage.out.lines()), time),
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
        numbers.push_str(&format!(" · started {} ago, R starts it again", duration(age)));
    } else if stage.reused {
        numbers.push_str(" · kept from before");
    }
    numbers
}

/// A row of the notes: its mark, what it says, and what `f` would do.
type Row = (char, String, Option<String>);

/// Warnings, then what the stage and other commands said, then hints.
fn rows(app: &App, stage: &StageResult, number: usize) -> Vec<Row> {
    let mut rows: Vec<Row> = Vec::new();
    for note in app.result.notes_for(number) {
        let mark = if note.severity == Severity::Warning { '!' } else { '·' };
        let mut text = note.text.clone();
        if note.kind == NoteKind::SampleOnly && app.sample != Sample::Everything {
            let keys = if app.focus == Focus::Text { "Esc, then a," } else { "a" };
            text.push_str(&format!("; press {keys} for all of the data"));
        }
        rows.push((mark, text, note.fix.as_ref().map(|fix| fix.label.clone())));
    }
    let others = app.result.preview.iter().flat_map(|preview| preview.said.lines());
    let others = others.filter(|line| !line.is_empty());
    let others: Vec<Row> = others
        .map(|line| ('!', format!("another command of the text: {}", safe(line)), None))
        .collect();
    let said = stage.messages.lines().filter(|line| !line.is_empty());
    let said: Vec<Row> = said.map(|line| ('!', safe(line), None)).collect();
    if app.result.preview.as_ref().is_some_and(|preview| !preview.reached) {
        let text = "a real run would not reach this: the command before && or || decides so";
        rows.insert(0, ('!', text.to_owned(), None));
    }
    let at = rows.iter().position(|row| row.0 == '·').unwrap_or(rows.len());
    rows.splice(at..at, said.into_iter().chain(others));
    rows
}

/// Where there is no room for what the fix does.
const SHORT_OFFER: &str = " f fixes it";

fn draw_rows(canvas: &mut Canvas<'_>, top: u16, app: &App, rows: &[Row]) {
    let area = canvas.area;
    let theme = app.theme;
    let room = usize::from(area.width.saturating_sub(6));
    let left = rows.len().saturating_sub(usize::from(area.height.saturating_sub(top)));
    let mut offered = false;
    for (y, (mark, text, fix)) in (top..area.height).zip(rows) {
        let style = if *mark == '!' { theme.bright() } else { theme.quiet() };
        canvas.put(1, y, &mark.to_string(), style);
        let text_style = if *mark == '!' { theme.ink() } else { theme.quiet() };
        let Some(label) = fix else {
            canvas.put(4, y, &cut(&safe(text), room), text_style);
            continue;
        };
        // The key does what the first offer says.
        let is_first = !std::mem::replace(&mut offered, true);
        let shown = cut(&safe(text), room);
        if shown.width() + label.width() + 10 < usize::from(area.width) {
            let x = canvas.put(4, y, &shown, text_style);
            let x = canvas.put(x + 3, y, if is_first { "f" } else { " " }, theme.bright());
            canvas.put(x + 1, y, label, theme.quiet());
        } else if is_first {
            let short = cut(&shown, room.saturating_sub(SHORT_OFFER.len()));
            canvas.put(4, y, &short, text_style);
            canvas.put_right(area.width.saturating_sub(1), y, SHORT_OFFER, theme.bright());
        } else {
            canvas.put(4, y, &shown, text_style);
        }
    }
    if left > 0 && area.height > 0 {
        let more = format!(" {left} more ");
        // In two rows the one note that is left room for keeps its own.
        let y = if area.height > 2 { area.height - 1 } else { 0 };
        canvas.put_right(area.width.saturating_sub(1), y, &more, theme.quiet());
    }
}
