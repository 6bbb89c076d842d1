//! The Compare view: runs that were kept, and two of them side by side.

use insight::{CommandRecord, KeptRun, bytes, change, duration, grouped};
use ratatui::layout::Rect;
use ratatui::style::Modifier;

use crate::actions::keyed;
use crate::screen::canvas::{Canvas, cut};
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::safe;
use crate::views::compare::state::{CompareView, compared_runs, compared_with, runs};

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let runs = runs(app);
    if app.kept.kept_runs.is_none() {
        canvas.put(2, 1, "reading the kept runs …", app.theme.quiet());
        return;
    }
    if runs.is_empty() {
        let text = keyed("no kept runs yet: {run-all} does a full run and keeps its figures here");
        canvas.sentence(2, 1, &text, app.theme.quiet());
        return;
    }
    // Commands are long: both parts have the whole width.
    let rows = (runs.len() as u16 + 1).min(area.height / 3).max(2).min(area.height);
    let list = Rect { height: rows, ..area };
    let top = (rows + 1).min(area.height);
    let side = Rect {
        x: area.x + 2.min(area.width),
        y: area.y + top,
        width: area.width.saturating_sub(3),
        height: area.height - top,
    };
    draw_list(&mut canvas.within(list), app, runs);
    draw_pair(&mut canvas.within(side), app);
}

fn draw_list(canvas: &mut Canvas<'_>, app: &App, runs: &[KeptRun]) {
    let area = canvas.area;
    let theme = app.theme;
    let at = selected(app);
    let with = compared_with(app);
    let title = format!(
        "{} kept, newest first",
        if runs.len() == 1 { "1 run".into() } else { format!("{} runs", runs.len()) }
    );
    canvas.put(2, 0, &title, theme.quiet());
    let rows = usize::from(area.height.saturating_sub(1)).max(1);
    let first = (at + 1).saturating_sub(rows);
    for (row, (number, run)) in runs.iter().enumerate().skip(first).take(rows).enumerate() {
        let y = row as u16 + 1;
        let selected = number == at;
        canvas.row_target(y, Target::Row(number));
        if selected {
            canvas.select(y, 1);
            canvas.put(0, y, "▌", theme.bright().add_modifier(Modifier::BOLD));
        }
        let mark = if selected {
            "2"
        } else if with == Some(number) {
            "1"
        } else {
            " "
        };
        canvas.put(2, y, mark, theme.bright());
        let style = if selected { theme.bright() } else { theme.ink() };
        let record = &run.record;
        let x = canvas.put(4, y, &record.began_here(), style) + 2;
        let took = duration(record.elapsed_ns);
        let right = area.width.saturating_sub(1);
        let end = match record.ended().as_str() {
            "done" => took,
            other => format!("{other} · {took}"),
        };
        canvas.put_right(right, y, &end, theme.quiet());
        let room = usize::from(right.saturating_sub(x + 2)).saturating_sub(end.chars().count());
        canvas.put(x, y, &cut(&safe(&record.line()), room), style);
    }
}

/// Where the columns of the comparison end.
struct Columns {
    lines: [u16; 3],
    took: [u16; 3],
}

impl Columns {
    /// As many as there is room for; the words of the commands come behind them.
    fn of(width: u16) -> Self {
        if width >= 84 {
            Self { lines: [12, 24, 33], took: [44, 55, 64] }
        } else {
            Self { lines: [10, 21, 29], took: [0, 0, 0] }
        }
    }

    fn end(&self) -> u16 {
        self.lines[2].max(self.took[2]) + 2
    }
}

fn draw_pair(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let Some((first, second, rows)) = compared_runs(app) else {
        draw_one(canvas, app);
        return;
    };
    let (a, b) = (&first.record, &second.record);
    let room = usize::from(area.width.saturating_sub(24));
    // On a small screen the list says it.
    let heads = if area.height >= 14 { vec![("1", a), ("2", b)] } else { Vec::new() };
    let top = if heads.is_empty() { 0 } else { 3 };
    for (y, (mark, run)) in heads.into_iter().enumerate() {
        canvas.put(0, y as u16, mark, theme.bright());
        let x = canvas.put(2, y as u16, &run.began_here(), theme.quiet());
        canvas.put(x + 2, y as u16, &cut(&safe(&run.line()), room), theme.ink());
    }
    let columns = Columns::of(area.width);
    let has_time = columns.took[2] > 0;
    let head = |canvas: &mut Canvas<'_>, at: [u16; 3], what: &str| {
        canvas.put_right(at[0], top, &format!("{what} 1"), theme.quiet());
        canvas.put_right(at[1], top, "2", theme.quiet());
        canvas.put_right(at[2], top, "change", theme.quiet());
    };
    head(canvas, columns.lines, "lines out");
    if has_time {
        head(canvas, columns.took, "at work");
    }
    canvas.put(columns.end(), top, "command", theme.quiet());
    // Under the commands come a blank row and three rows of totals.
    let room = usize::from(area.height.saturating_sub(top + 1 + 4));
    let shown = if rows.len() > room { room.saturating_sub(1) } else { rows.len() };
    let mut y = top + 1;
    for row in &rows[..shown] {
        let one = row.first.and_then(|at| a.commands.get(at));
        let two = row.second.and_then(|at| b.commands.get(at));
        let pair = |value: fn(&CommandRecord) -> u64| [one.map(value), two.map(value)];
        figures(canvas, app, y, columns.lines, pair(|one| one.lines_out), grouped);
        if has_time {
            figures(canvas, app, y, columns.took, pair(|one| one.working_ns), duration);
        }
        let number = row.second.or(row.first).unwrap_or(0);
        let x = canvas.put(
            columns.end(),
            y,
            &(number + 1).to_string(),
            theme.hue(number).add_modifier(Modifier::BOLD),
        );
        let words = |command: Option<&CommandRecord>| {
            command.map_or_else(String::new, |command| safe(&command.command))
        };
        let room = usize::from(area.width.saturating_sub(x + 2));
        let text = match (one, two) {
            (Some(_), Some(_)) if !row.same => format!("{}  →  {}", words(one), words(two)),
            (Some(_), None) => format!("{}  only in 1", words(one)),
            (None, Some(_)) => format!("{}  only in 2", words(two)),
            _ => words(two),
        };
        let style = if row.same { theme.ink() } else { theme.bright() };
        canvas.put(x + 1, y, &cut(&text, room), style);
        y += 1;
    }
    if shown < rows.len() {
        let text = format!("… {} more", rows.len() - shown);
        canvas.put(columns.end(), y, &text, theme.quiet());
        y += 1;
    }
    y += 1;
    let totals: [(&str, [u64; 2], fn(u64) -> String); 3] = [
        ("in all", [a.elapsed_ns, b.elapsed_ns], duration),
        ("read", [a.read_bytes, b.read_bytes], bytes),
        ("output", [a.output_bytes, b.output_bytes], bytes),
    ];
    for (name, values, shown) in totals {
        figures(canvas, app, y, columns.lines, values.map(Some), shown);
        let mut text = name.to_owned();
        if name == "output"
            && let Some(said) = outputs(a, b)
        {
            text.push_str(&format!(": {said}"));
        }
        canvas.put(columns.lines[2] + 2, y, &cut(&text, usize::from(area.width)), theme.quiet());
        y += 1;
    }
}

/// How a figure is shown.
type Shown = fn(&CommandRecord) -> String;

/// The figures of the selected run, where there is none to compare it with.
fn draw_one(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let Some(KeptRun { record, .. }) = runs(app).get(selected(app)) else { return };
    let sources: Vec<String> = record
        .sources
        .iter()
        .map(|source| {
            format!("{} ({})", safe(&source.path.display().to_string()), bytes(source.bytes))
        })
        .collect();
    let text = format!(
        "{} read{}{} · no run before it to compare it with",
        bytes(record.read_bytes),
        if sources.is_empty() { "" } else { ": " },
        sources.join(", ")
    );
    canvas.put(0, 0, &cut(&text, usize::from(area.width)), theme.quiet());
    let columns: [(&str, u16, Shown); 5] = [
        ("lines in", 12, |one| grouped(one.lines_in)),
        ("lines out", 24, |one| grouped(one.lines_out)),
        ("at work", 35, |one| duration(one.working_ns)),
        ("processor", 46, |one| duration(one.processor_ns)),
        ("held", 57, |one| bytes(one.peak_held_bytes)),
    ];
    let shown = if area.width >= 84 { 5 } else { 3 };
    let columns = &columns[..shown];
    let end = columns.last().map_or(0, |column| column.1) + 2;
    for (title, at, _) in columns {
        canvas.put_right(*at, 2, title, theme.quiet());
    }
    canvas.put(end, 2, "command", theme.quiet());
    let room = usize::from(area.height.saturating_sub(3));
    let all = record.commands.len();
    for (number, command) in record.commands.iter().enumerate().take(room) {
        let y = number as u16 + 3;
        if number + 1 == room && all > room {
            let text = format!("… {} more", all - number);
            canvas.put(end, y, &text, theme.quiet());
            break;
        }
        for (_, at, value) in columns {
            canvas.put_right(*at, y, &value(command), theme.ink());
        }
        let hue = theme.hue(number).add_modifier(Modifier::BOLD);
        let x = canvas.put(end, y, &(number + 1).to_string(), hue);
        let room = usize::from(area.width.saturating_sub(x + 2));
        canvas.put(x + 1, y, &cut(&safe(&command.command), room), theme.ink());
    }
}

/// How the outputs of two runs differ, as far as they were kept.
fn outputs(a: &insight::RunRecord, b: &insight::RunRecord) -> Option<String> {
    let (one, two) = (a.output.as_ref()?, b.output.as_ref()?);
    if one == two && a.output_bytes == b.output_bytes {
        return Some("the same".to_owned());
    }
    let at = one.lines().zip(two.lines()).position(|(one, two)| one != two);
    let at = at.unwrap_or_else(|| one.lines().count().min(two.lines().count()));
    Some(format!("different from line {} on", grouped(at as u64 + 1)))
}

fn figures(
    canvas: &mut Canvas<'_>,
    app: &App,
    y: u16,
    at: [u16; 3],
    values: [Option<u64>; 2],
    shown: fn(u64) -> String,
) {
    let theme = app.theme;
    for (value, x) in values.into_iter().zip(at) {
        let text = value.map_or("–".to_owned(), shown);
        canvas.put_right(x, y, &text, theme.ink());
    }
    if let [Some(before), Some(after)] = values {
        let changed = change(before as f64, after as f64);
        let style = if changed == "same" { theme.quiet() } else { theme.bright() };
        canvas.put_right(at[2], y, &changed, style);
    }
}

/// What can be done here, under the lists.
pub(super) fn notes(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    if runs(app).is_empty() {
        return;
    }
    let rows = [
        "2: the selected run. 1: the one marked with m, or this text's run before",
        "Enter restores the text of the selected run; d deletes its figures",
    ];
    for (y, text) in rows.iter().enumerate() {
        let text = cut(text, usize::from(area.width.saturating_sub(5)));
        canvas.put(4, y as u16, &text, app.theme.ink());
    }
}

/// The number of the selected run.
fn selected(app: &App) -> usize {
    app.states.get::<CompareView>().map_or(0, |view| view.at)
}
