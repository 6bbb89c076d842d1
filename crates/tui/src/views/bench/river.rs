//! The river: the data as one body that flows down through the stages, as wide as the logarithm of
//! its lines, with what each stage does next to it.

mod body;
mod words;

use engine::{Ending, Figure, Known, PendingMode, Preview, StageResult};
use filters::Verb;
use insight::{Severity, bytes, duration, effect, figure, figure_lines, grouped};
use ratatui::style::{Modifier, Style};

use self::body::Body;
pub(crate) use self::words::source_name;
use self::words::{footer, more_sources, source_words, stage_text};
use crate::actions::{Action, key, keyed};
use crate::screen::canvas::{Canvas, WIDE, cut, cut_middle, cut_parts};
use crate::screen::place::{Focus, Place};
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::safe;

/// Columns a time takes, with the space before it.
const TIME: u16 = 9;

/// A row of the river.
struct Row {
    /// What it selects, if anything.
    place: Option<Place>,
    body: Option<Body>,
    kind: Kind,
}

impl Row {
    /// Words without a part of the body.
    fn words(text: String, style: Style) -> Self {
        Self { place: None, body: None, kind: Kind::Text(text, style) }
    }

    fn gap() -> Self {
        Self { place: None, body: None, kind: Kind::Gap }
    }
}

enum Kind {
    /// The name, and which part of it there is; on a wide screen its lines instead of that.
    Source(String, String),
    /// What came out of a stage, or what there is at the source.
    Stream {
        lines: Option<Figure>,
        /// What the stage did.
        effect: String,
    },
    Stage(usize),
    /// A command inside a stage.
    Inner(usize, usize),
    Text(String, Style),
    /// A file that would be written.
    File(String),
    /// What would become of it, in words and in fewer.
    FileWords(String, String, Style),
    Gap,
}

/// Columns of the body on a river of this width; 0 where stages have a row each.
fn body_columns(width: u16, wide: bool) -> u16 {
    if wide { (width / 4).clamp(8, 16) } else { 0 }
}

/// Where words begin: after the body and a place for `!`.
fn words_at(width: u16, wide: bool) -> u16 {
    if wide { body_columns(width, true) + 4 } else { 2 }
}

/// The columns that the river's words need on a screen of this width, between bounds. It changes in
/// steps, so that not every letter typed moves the lens.
pub(super) fn width(app: &App, screen: u16) -> u16 {
    let wide = screen >= WIDE;
    let (least, most) = if wide {
        (44, (screen * 2 / 5).max(48))
    } else {
        (20.min(screen), (screen * 2 / 5).clamp(20.min(screen), 36.min(screen)))
    };
    let Some(preview) = &app.result.preview else { return least.max(most.min(52)) };
    let needs = preview.stages.iter().map(|stage| {
        let text = stage_text(preview, stage).chars().count() as u16;
        let below = effect(stage).chars().count() as u16;
        let lines = figure_lines(stage.lines_out()).chars().count() as u16 + 2;
        let files = stage.pending.iter().map(|file| file_words(file)[0].chars().count() as u16);
        let below = (below + lines).max(files.max().unwrap_or(0));
        if wide { (text + TIME).max(below) + 3 } else { text + lines }
    });
    let words = needs.max().unwrap_or(0);
    let sample = preview.stages.first().filter(|stage| wide && !stage.inputs.is_empty());
    let words = words.max(sample.map_or(0, |_| source_words(app, preview).chars().count() as u16));
    // The body has a quarter of all.
    let all = if wide { (words + 6) * 4 / 3 } else { words + 8 };
    all.next_multiple_of(4).clamp(least, most)
}

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    if area.height == 0 || area.width < 4 {
        return;
    }
    let Some(preview) = &app.result.preview else {
        let text = if app.text.problem.is_some() {
            "no result yet"
        } else if app.result.waiting.is_some() {
            "evaluating …"
        } else {
            "nothing to show yet"
        };
        canvas.put(2, 1, text, app.theme.quiet());
        return;
    };
    let wide = canvas.is_wide();
    if let Some(words) = which_command(app).filter(|_| wide) {
        canvas.put(2, 0, &words, app.theme.quiet());
    }
    let rows = rows(app, preview, wide);
    let selected = rows.iter().position(|row| row.place == Some(app.place)).unwrap_or(0);
    // In the folded river a stream has no row of its own: its stage is marked instead.
    let selected = match app.place {
        Place::Stream(number) if !wide => {
            rows.iter().position(|row| row.place == Some(Place::Stage(number))).unwrap_or(selected)
        }
        _ => selected,
    };
    let height = usize::from(area.height).saturating_sub(usize::from(wide));
    let first = (selected + 2).saturating_sub(height).min(rows.len().saturating_sub(height));
    let bodies = rows.iter().filter_map(|row| row.body.as_ref());
    let most = bodies.map(|body| body.top.max(body.bottom)).max().unwrap_or(1);
    for (y, (number, row)) in rows.iter().enumerate().skip(first).take(height).enumerate() {
        let y = y as u16 + u16::from(wide);
        if number == selected {
            canvas.select(y, 1);
            let mark = if app.focus == Focus::River { "▌" } else { "▏" };
            canvas.put(0, y, mark, app.theme.hue(app.place.stage()).add_modifier(Modifier::BOLD));
        }
        if let Some(body) = &row.body {
            let columns = body_columns(area.width, wide);
            body.draw(&mut canvas.part(2, y, columns), most, app.is_stale());
        }
        if let Some(place) = row.place {
            canvas.row_target(y, Target::Place(place));
        }
        draw_row(canvas, y, row, number == selected, app, preview);
    }
}

/// Which command of the text is shown, where there are several, and the parameters it is given.
fn which_command(app: &App) -> Option<String> {
    let (all, at) = app.text.commands();
    let several = format!(
        "command {} of {}   {} {} the others",
        at + 1,
        all.len(),
        key(Action::PreviousCommand),
        key(Action::NextCommand)
    );
    let given = match safe(&app.parameters()) {
        none if none.is_empty() => keyed("no parameters   {parameters} gives some"),
        given => format!("with {given}   {} changes them", key(Action::Parameters)),
    };
    let parts = [(all.len() > 1).then_some(several), app.uses_parameters().then_some(given)];
    let parts: Vec<String> = parts.into_iter().flatten().collect();
    (!parts.is_empty()).then(|| parts.join("   "))
}

fn draw_row(
    canvas: &mut Canvas<'_>,
    y: u16,
    row: &Row,
    selected: bool,
    app: &App,
    preview: &Preview,
) {
    let (area, wide) = (canvas.area, canvas.is_wide());
    let theme = app.theme;
    let right = area.width.saturating_sub(2);
    let at = words_at(area.width, wide);
    match &row.kind {
        Kind::Gap => {}
        Kind::Inner(number, inner) => {
            let Some(inner) = preview.stages[*number].inside.get(*inner) else { return };
            let text = preview.text.get(inner.span.range()).unwrap_or(&inner.name);
            let text = safe(text.lines().next().unwrap_or_default());
            let times = if inner.runs == 1 {
                "once".to_owned()
            } else {
                format!("{}×", grouped(inner.runs))
            };
            let lines = grouped(inner.figures.lines_out);
            let taken = usize::from(at) + 8 + times.chars().count() + lines.len();
            let room = usize::from(right).saturating_sub(taken);
            canvas.put(at + 2, y, "┆", theme.hue(*number));
            canvas.put(at + 4, y, &cut_middle(&text, room), theme.ink());
            let end = right.saturating_sub(lines.len() as u16 + 2);
            canvas.put_right(end, y, &times, theme.quiet());
            canvas.put_right(right, y, &lines, theme.hue(*number));
        }
        Kind::Source(name, sample) => {
            let room = right.saturating_sub(at);
            if wide {
                let left = usize::from(room).saturating_sub(sample.chars().count() + 2);
                canvas.put(at, y, &named(name, preview, left), theme.ink());
                canvas.put_right(right, y, sample, theme.ink());
                return;
            }
            let x =
                canvas.put(at, y, &named(name, preview, usize::from(room * 2 / 3)), theme.ink());
            let room = usize::from(right.saturating_sub(x + 2));
            canvas.put(x + 2, y, &cut(sample, room), theme.quiet());
        }
        Kind::Text(text, style) => {
            canvas.put(2, y, &cut_parts(text, usize::from(area.width.saturating_sub(3))), *style);
        }
        Kind::File(name) => {
            canvas.put(at + 1, y, "↧", theme.ink());
            let room = usize::from(right.saturating_sub(at + 3));
            canvas.put(at + 3, y, &cut_middle(name, room), theme.ink());
        }
        Kind::FileWords(words, fewer, style) => {
            let room = usize::from(right.saturating_sub(at + 3));
            let text = if words.chars().count() <= room { words } else { fewer };
            canvas.put(at + 3, y, &cut(text, room), *style);
        }
        Kind::Stream { lines, effect } => {
            let count = if selected { theme.bright() } else { theme.ink() };
            let x = if lines.is_some() { at + 3 } else { at };
            let all = usize::from(right.saturating_sub(x));
            let room_beside = |words: &str| {
                all.saturating_sub(words.chars().count() + usize::from(lines.is_some()))
            };
            let whole = lines.map(figure_lines).unwrap_or_default();
            // What was done is worth more than the word after the number.
            let words = match lines {
                Some(lines) if room_beside(&whole) < effect.chars().count() => figure(*lines),
                _ => whole,
            };
            let room = room_beside(&words);
            canvas.put_right(right, y, &words, count);
            let style = if effect.starts_with('!') { theme.bright() } else { theme.quiet() };
            canvas.put(x, y, &cut(effect, room), style);
        }
        Kind::Stage(number) => {
            let Some(stage) = preview.stages.get(*number) else { return };
            stage_row(canvas, y, *number, stage, selected, app, preview);
        }
    }
}

/// The name of the first input, cut to the room there is, and how many there are beside it.
fn named(name: &str, preview: &Preview, room: usize) -> String {
    let more = more_sources(preview);
    cut_middle(name, room.saturating_sub(more.chars().count())) + &more
}

/// True for a stage that went wrong. Status 1 alone may be an answer (grep found nothing); with a
/// message it is trouble.
fn is_trouble(stage: &StageResult) -> bool {
    stage.ending == Ending::Finished
        && (stage.status.0 > 1 || stage.status.0 == 1 && !stage.messages.is_empty())
}

fn stage_row(
    canvas: &mut Canvas<'_>,
    y: u16,
    number: usize,
    stage: &StageResult,
    selected: bool,
    app: &App,
    preview: &Preview,
) {
    let (area, wide) = (canvas.area, canvas.is_wide());
    let theme = app.theme;
    let right = area.width.saturating_sub(2);
    let off = stage.plan.off;
    let hue = if off.is_some() { theme.quiet() } else { theme.hue(number) };
    let at = words_at(area.width, wide);
    canvas.put_right(at + 2, y, &(number + 1).to_string(), hue.add_modifier(Modifier::BOLD));
    let text = stage_text(preview, stage);
    let style = match (off.is_some(), selected) {
        (true, _) => theme.quiet().add_modifier(Modifier::CROSSED_OUT),
        (_, true) => theme.bright(),
        _ => theme.ink(),
    };
    let has = |severity| app.result.notes_for(number).iter().any(|note| note.severity == severity);
    // A warning, or quietly a hint.
    let mark = if has(Severity::Warning) || is_trouble(stage) {
        Some(("!", theme.bright()))
    } else {
        has(Severity::Hint).then(|| ("·", theme.quiet()))
    };
    if !wide {
        let lines = figure(stage.lines_out());
        let count = mark.map_or(lines.clone(), |(mark, _)| format!("{mark} {lines}"));
        let room = usize::from(right.saturating_sub(6)).saturating_sub(count.chars().count());
        canvas.put(5, y, &cut_middle(&text, room), style);
        canvas.put_right(right, y, &count, hue);
        return;
    }
    if let Some((mark, style)) = mark {
        canvas.put(at - 1, y, mark, style);
    }
    let room = right.saturating_sub(at + 3 + TIME);
    canvas.put(at + 3, y, &cut_middle(&text, usize::from(room)), style);
    let quiet =
        if stage.reused { theme.quiet().add_modifier(Modifier::DIM) } else { theme.quiet() };
    canvas.put_right(right, y, &duration(stage.figures.processor_ns), quiet);
}

/// What a stage did, or that it went wrong.
fn effect_words(stage: &StageResult) -> String {
    match stage.ending {
        _ if is_trouble(stage) && stage.is_held() => "! not started".to_owned(),
        _ if is_trouble(stage) => format!("! status {}", stage.status.0),
        Ending::Cut(_) => format!("{} (cut off)", effect(stage)),
        Ending::ClosedPipe => format!("{}, more not read", effect(stage)),
        _ => effect(stage),
    }
}

/// Lines that the body has after a stage, of `before`: what nobody read is not lost at it.
fn body_lines(stage: &StageResult, before: u64) -> u64 {
    let lines = stage.lines_out();
    let loses_none =
        matches!(stage.verb, Some(Verb::Orders | Verb::Passes | Verb::Copies | Verb::Edits));
    if loses_none && lines.known() == Known::AtLeast {
        return before.max(lines.so_far());
    }
    lines.so_far()
}

fn rows(app: &App, preview: &Preview, wide: bool) -> Vec<Row> {
    let theme = app.theme;
    let mut rows = Vec::new();
    let which = which_command(app).filter(|_| !wide);
    rows.extend(which.map(|words| Row::words(words, theme.quiet())));
    // Lines that the body has so far.
    let mut width = 0;
    let body = |top, bottom, style, strands| wide.then_some(Body { top, bottom, style, strands });
    if preview.stages.first().is_some_and(|stage| !stage.inputs.is_empty()) {
        let (name, sample) = (source_name(preview), source_words(app, preview));
        let all = preview.stages[0].lines_in();
        let lines = all.so_far();
        width = lines;
        rows.push(Row {
            place: (!wide).then_some(Place::Source),
            body: body(lines, lines, theme.source_bar(), false),
            kind: Kind::Source(name, if wide { figure_lines(all) } else { sample.clone() }),
        });
        if wide {
            rows.push(Row {
                place: Some(Place::Source),
                body: body(lines, lines, theme.source_bar(), false),
                kind: Kind::Stream { lines: None, effect: sample },
            });
        }
    }
    for (number, stage) in preview.stages.iter().enumerate() {
        let style = if stage.plan.off.is_some() { theme.quiet() } else { theme.hue(number) };
        let lines = body_lines(stage, width);
        let strands = matches!(stage.verb, Some(Verb::Merges | Verb::Splits));
        rows.push(Row {
            place: Some(Place::Stage(number)),
            body: body(width, lines, style, strands),
            kind: Kind::Stage(number),
        });
        width = lines;
        if app.opened.contains(&number) {
            let inside = (0..stage.inside.len()).map(|inner| Kind::Inner(number, inner));
            let inside = inside.map(|kind| Row {
                place: None,
                body: body(lines, lines, style, false),
                kind,
            });
            rows.extend(inside);
        }
        if wide {
            rows.push(Row {
                place: Some(Place::Stream(number)),
                body: body(lines, lines, style, false),
                kind: Kind::Stream { lines: Some(stage.lines_out()), effect: effect_words(stage) },
            });
        }
        for file in &stage.pending {
            rows.extend(pending_rows(file, app, number));
        }
    }
    if wide {
        rows.push(Row::gap());
    }
    rows.push(Row::words(footer(app, preview), theme.quiet()));
    if wide
        && rows.iter().filter_map(|row| row.body.as_ref()).any(|body| body.top + body.bottom > 0)
    {
        let text = "width: logarithm of the lines".to_owned();
        rows.push(Row::words(text, theme.quiet()));
    }
    rows
}

/// What would become of a file, in words and in fewer.
fn file_words(file: &engine::PendingFile) -> [String; 2] {
    let now = match file.lines_now {
        Some(lines) => insight::lines(lines),
        None => bytes(file.bytes_now),
    };
    let lines = figure_lines(file.lines());
    let had = file.lines_now.map_or_else(|| now.clone(), grouped);
    match file.mode {
        PendingMode::New => {
            [format!("new file, {lines}, not written yet"), format!("planned, new: {lines}")]
        }
        PendingMode::Replace => [
            format!("replaces {now} by {lines}, not written yet"),
            format!("planned: {had} → {lines}"),
        ],
        PendingMode::Append => [
            format!("appends {lines} to {now}, not written yet"),
            format!("planned: {had} + {lines}"),
        ],
    }
}

/// A file that would be written.
fn pending_rows(file: &engine::PendingFile, app: &App, number: usize) -> [Row; 2] {
    let name = safe(&file.path.display().to_string());
    let row = |kind| Row { place: None, body: None, kind };
    let [words, fewer] = match app.pending.written.get(&file.path) {
        Some(all) => {
            let words = format!("written, {}", figure_lines(*all));
            [words.clone(), words]
        }
        None => file_words(file),
    };
    [row(Kind::File(name)), row(Kind::FileWords(words, fewer, app.theme.hue(number)))]
}
