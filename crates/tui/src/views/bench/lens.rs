//! The lens: input and output of the selected stage, lined up by lineage.

mod bytes;
mod columns;
mod line;
mod ruler;
mod shown;

use engine::{Figure, InputRecord, Preview, StageResult};
use filters::Verb;
use insight::{grouped, marks};
use ratatui::style::{Modifier, Style};
use stream::InputName;

use self::columns::{Columns, Shape};
use self::line::{DataLine, text};
use self::shown::{Line, Shown};
use crate::actions::keyed;
use crate::screen::canvas::{Canvas, cut};
use crate::screen::place::{Focus, Place};
use crate::screen::target::Target;
use crate::state::app::App;
use crate::state::lens::{Content, row_lines};
use crate::text::display::{View, safe};
use crate::theme::Theme;

/// Columns the lens needs to show both sides beside each other.
pub(crate) const TWO_SIDES: u16 = 66;

/// Columns the name of a file has before a line's number.
const NAME_MOST: usize = 14;

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    if area.height < 2 || area.width < 8 {
        return;
    }
    let (Some(preview), false) = (&app.result.preview, matches!(app.lens.content, Content::Empty))
    else {
        if app.result.preview.is_some() {
            canvas.put(1, 1, "nothing here", app.theme.quiet());
        }
        return;
    };
    let height = usize::from(area.height.saturating_sub(2));
    let stage = match &app.lens.content {
        Content::Stage { stage, .. } => preview.stages.get(*stage),
        _ => None,
    };
    let rows: Vec<Shown> = (app.lens.top..app.lens.len().min(app.lens.top + height))
        .map(|number| shown(app, preview, number))
        .collect();
    if let Content::Bytes { bytes, row, .. } = &app.lens.content {
        header(canvas, app, None, Shape::One, None);
        search_words(canvas, app);
        return bytes::draw(canvas, app, &rows, *bytes, *row);
    }
    let shape = shape(app, stage, &rows);
    let columns = Columns::new(area.width, &app.lens, shape, &rows);
    header(canvas, app, stage, shape, Some(&columns));
    // Where there is no room for both, what was searched for takes the ruler's row.
    if !app.lens.narrow || app.lens.search.is_none() {
        let at = stage.or_else(|| reader(app, preview));
        ruler::draw(canvas, app, at, &columns, &rows);
    }
    headings(canvas, app, shape, &columns);
    // After the ruler, which would lie over it.
    search_words(canvas, app);
    let mut y = 2u16;
    for shown in &rows {
        if y >= area.height {
            break;
        }
        let used = draw_row(canvas, y, app, stage, shape, &columns, shown);
        for row in y..y + used {
            target(canvas, row, &columns, shown);
        }
        y += used;
    }
    if rows.is_empty() {
        let held = preview.stages.get(app.shown().stage()).filter(|stage| stage.is_held());
        let text = match held {
            Some(_) => keyed("not started: {allow} allows it, the notes explain it"),
            None => "no lines".to_owned(),
        };
        canvas.put(columns.gutter + 1, 2, &text, app.theme.quiet());
    }
}

/// Both sides of a row, for the mouse.
fn target(canvas: &mut Canvas<'_>, y: u16, columns: &Columns, shown: &Shown) {
    let line = |start: u16, output: bool| Target::Line { row: shown.number, start, output };
    let x = canvas.area.x;
    canvas.row_target(y, line(x + columns.left.0, false));
    if let Some((start, room)) = columns.right {
        canvas.target(start, y, room, line(x + start, true));
    }
}

/// What the columns of numbers are, above them.
fn headings(canvas: &mut Canvas<'_>, app: &App, shape: Shape, columns: &Columns) {
    let quiet = app.theme.quiet();
    canvas.put_right(columns.gutter - 1, 1, "line", quiet);
    if let (Shape::Apart, Some((start, _))) = (shape, columns.right) {
        canvas.put(columns.middle, 1, "› to", quiet);
        canvas.put_right(start - 1, 1, "line", quiet);
    }
}

/// The stage that reads the stream on show.
fn reader<'p>(app: &App, preview: &'p Preview) -> Option<&'p StageResult> {
    match app.shown() {
        Place::Source => preview.stages.first(),
        place => preview.stages.get(place.stage() + 1),
    }
}

/// One side is enough for a stage that changes no line, which is seen on the lines themselves.
fn shape(app: &App, stage: Option<&StageResult>, rows: &[Shown]) -> Shape {
    let (Some(stage), Content::Stage { rows: alignment, .. }) = (stage, &app.lens.content) else {
        return Shape::One;
    };
    let keeps = matches!(stage.verb, Some(Verb::Keeps | Verb::Passes | Verb::Makes));
    let same = || keeps && !alignment.merges && rows.iter().all(Shown::is_unchanged);
    match (app.lens.narrow, alignment.aligned) {
        (true, _) => Shape::One,
        (_, false) => Shape::Apart,
        _ if same() => Shape::One,
        _ => Shape::Pairs,
    }
}

fn shown(app: &App, preview: &Preview, number: usize) -> Shown {
    let (row, left, right) = row_lines(preview, &app.lens.content, number);
    let input_of = |stage: usize| {
        let result = preview.stages.get(stage)?;
        result.input_at(row.left?)
    };
    let origin = match (&app.lens.content, app.shown()) {
        (Content::Stage { stage, .. }, _) => input_of(*stage)
            .filter(|_| row.folded.is_none())
            .and_then(|(input, line)| origin_of(preview, *stage, input, line)),
        (Content::Stream { .. }, Place::Source) => origin_of(preview, 0, 0, number as u64),
        (Content::Stream { .. }, place) => origin(preview, place.stage() + 1, number as u64),
        (Content::Bytes { .. } | Content::Empty, _) => None,
    };
    let last = |kept: &engine::Kept, line: u64| line + 1 == kept.lines() && kept.ends_open();
    let open = match &app.lens.content {
        Content::Stage { stage, .. } => {
            let result = &preview.stages[*stage];
            let left = input_of(*stage)
                .is_some_and(|(input, line)| last(&result.inputs[input].kept, line));
            (left, row.right.is_some_and(|line| last(&result.out, line)))
        }
        Content::Stream { kept, .. } => (last(kept, number as u64), false),
        Content::Bytes { .. } | Content::Empty => (false, false),
    };
    Shown { row, number, left, right, origin, open }
}

/// A short name of an input: that of a file without its folder.
fn label(stage: &StageResult, input: &InputRecord) -> String {
    let label = stage.input_label(input);
    let last =
        if label.starts_with("<(") { &label } else { label.rsplit('/').next().unwrap_or("") };
    cut(&safe(last), NAME_MOST)
}

/// Where line `line` of input `input` of stage `stage` comes from in its file.
fn origin_of(preview: &Preview, stage: usize, input: usize, line: u64) -> Option<Line> {
    let result = preview.stages.get(stage)?;
    let record = result.inputs.get(input)?;
    let number = match (&record.sampled, &record.name) {
        (Some(sampled), _) => sampled.number(line),
        (None, InputName::File(_)) => line as i64 + 1,
        (None, InputName::Standard) => return origin(preview, stage, line),
    };
    let named = matches!(record.name, InputName::File(_)) && result.inputs.len() > 1;
    Some(Line { number, name: named.then(|| label(result, record)) })
}

/// The same for a line that the stage before `stage` wrote.
fn origin(preview: &Preview, stage: usize, line: u64) -> Option<Line> {
    let writer = stage.checked_sub(1)?;
    let result = preview.stages.get(writer)?;
    let (id, of_one) = {
        let origins = result.origins.lock();
        let origins = origins.get(line);
        let first = origins.first()?;
        (first, origins.len() == 1)
    };
    let origin = origin_of(preview, writer, id.input(), id.line())?;
    // What is made of several lines may be of several files.
    Some(Line { name: origin.name.filter(|_| of_one), ..origin })
}

fn header(
    canvas: &mut Canvas<'_>,
    app: &App,
    stage: Option<&StageResult>,
    shape: Shape,
    columns: Option<&Columns>,
) {
    let area = canvas.area;
    let theme = app.theme;
    let number = app.shown().stage();
    let title = theme.hue(number).add_modifier(Modifier::BOLD);
    let amount = |lines: Figure, size: Figure| {
        format!("{} · {}", insight::figure_lines(lines), insight::figure_bytes(size))
    };
    let stale = if app.is_stale() { "  outdated" } else { "" };
    let other = match (app.shown(), app.lens.narrow, app.lens.sides().output_alone) {
        (Place::Stage(_), _, true) if app.lens.view == View::Hex => "  o input",
        (Place::Stage(_), _, false) if app.lens.view == View::Hex => "  o output",
        (Place::Stage(_), true, true) => "  o input",
        (Place::Stage(_), true, false) => "  o output",
        (Place::Stage(_), false, true) => "  o both sides",
        _ => "",
    };
    let end = area.width.saturating_sub(1);
    // Where the title and the key touch, the key gives way: the help has it.
    let other = if usize::from(area.width) < 24 + other.len() { "" } else { other };
    let Some(stage) = stage else {
        let (name, style) = match app.shown() {
            Place::Source => ("source".to_owned(), theme.bright()),
            Place::Stage(_) if !app.lens.sides().output_alone => {
                (format!("into {}", number + 1), title)
            }
            _ => (format!("out of {}", number + 1), title),
        };
        let x = canvas.put(1, 0, &name, style);
        let amounts = match &app.lens.content {
            Content::Stream { kept, lines } => Some((kept, *lines)),
            Content::Bytes { kept, .. } => Some((kept, kept.lines())),
            _ => None,
        };
        if let Some((kept, lines)) = amounts {
            let known = app.known_of(kept);
            let lines = Figure::new(lines, known);
            let words = format!("{}{stale}", amount(lines, Figure::new(kept.bytes(), known)));
            canvas.put(x + 2, 0, &words, theme.quiet());
        }
        canvas.put_right(end, 0, other, theme.quiet());
        return;
    };
    let into = amount(stage.lines_in(), stage.bytes_in());
    let out = amount(stage.lines_out(), stage.bytes_out());
    match (shape, columns.and_then(|columns| Some((columns, columns.right?)))) {
        (Shape::One, _) if app.lens.narrow => {
            let x = canvas.put(1, 0, &format!("into {}", number + 1), title);
            canvas.put(x + 2, 0, &format!("{into}{stale}"), theme.quiet());
        }
        (Shape::One, _) | (_, None) => {
            let x = canvas.put(1, 0, &format!("through {}", number + 1), title);
            canvas.put(x + 2, 0, &format!("in {into}   out {out}{stale}"), theme.quiet());
        }
        (_, Some((columns, (start, _)))) => {
            let x = canvas.put(1, 0, &format!("into {}", number + 1), title);
            canvas.put(x + 2, 0, &format!("{into}{stale}"), theme.quiet());
            let at = start - columns.right_gutter;
            let x = canvas.put(at, 0, &format!("out of {}", number + 1), title);
            canvas.put(x + 2, 0, &out, theme.quiet());
        }
    }
    canvas.put_right(end, 0, other, theme.quiet());
}

/// What is searched for and how often it was found, on the second row.
fn search_words(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    if let Some(search) = &app.lens.search {
        let at = search.rows.partition_point(|&row| (row as usize) < app.lens.cursor);
        let here = search.rows.get(at).is_some_and(|&row| row as usize == app.lens.cursor);
        let count = search.rows.len() as u64;
        let text = match (search.searching, count) {
            (true, 0) => format!(" searching for “{}” … ", search.query),
            (true, _) => format!(" “{}” in {} rows so far … ", search.query, grouped(count)),
            (false, 0) => format!(" no “{}” here ", search.query),
            (false, _) if here => {
                format!(" “{}” in row {} of {} ", search.query, at + 1, grouped(count))
            }
            (false, _) => format!(" “{}” in {} rows ", search.query, grouped(count)),
        };
        canvas.put_right(
            area.width.saturating_sub(1),
            1,
            &cut(
                &text,
                usize::from(if app.lens.narrow {
                    area.width.saturating_sub(2)
                } else {
                    area.width / 2
                }),
            ),
            theme.bright(),
        );
    } else if app.lens.view != View::Text {
        canvas.put_right(area.width.saturating_sub(1), 1, app.lens.view.name(), theme.quiet());
    }
}

fn draw_row(
    canvas: &mut Canvas<'_>,
    y: u16,
    app: &App,
    stage: Option<&StageResult>,
    shape: Shape,
    columns: &Columns,
    shown: &Shown,
) -> u16 {
    let theme = app.theme;
    let row = shown.row;
    let dropped = stage.is_some() && row.left.is_some() && row.part_of.is_none();
    let base = if dropped { theme.quiet() } else { Style::new() };
    let hue = theme.hue(app.shown().stage());
    let mut used = 1;
    if row.folded.is_some() {
        fold(canvas, y, app, stage, columns, shown);
    } else if let Some(line) = &shown.left {
        let marked = match stage {
            Some(stage) if !dropped => marks(stage, &line[..line.len().min(1 << 16)]),
            _ => Vec::new(),
        };
        let hue = hue.add_modifier(Modifier::BOLD);
        let open = shown.open.0;
        let data = DataLine { bytes: line, open, base, marked: &marked, hue, output: false };
        used = used.max(text(canvas, columns.left, y, app, data));
    } else if let (Shape::One, false, Some(line)) = (shape, app.lens.narrow, &shown.right) {
        let data = DataLine { bytes: line, open: shown.open.1, base, ..DataLine::default() };
        used = used.max(text(canvas, columns.left, y, app, data));
    }
    if let (Some((start, room)), Some(line)) = (columns.right, &shown.right) {
        let open = shown.open.1;
        let data = DataLine { bytes: line, open, output: true, ..DataLine::default() };
        used = used.max(text(canvas, (start, room), y, app, data));
        if let (true, Some(line)) = (columns.right_gutter > 0, row.right) {
            canvas.put_right(start - 1, y, &grouped(line + 1), theme.quiet());
        }
    }
    if let Some(origin) = &shown.origin {
        let name = origin.name.as_ref().map(|name| format!("{name} ")).unwrap_or_default();
        let words = format!("{name}{}", signed(origin.number));
        canvas.put_right(columns.gutter - 1, y, &words, theme.quiet());
    }
    match shape {
        Shape::One if stage.is_some() && row.part_of.or(row.right).is_some() => {
            canvas.put(columns.gutter, y, "›", hue);
        }
        Shape::One => {}
        Shape::Pairs => {
            let bracket = match (row.grouped, row.right.is_some(), row.goes_on) {
                (true, true, true) => "┐ ›",
                (true, false, true) => "│",
                (true, false, false) => "┘",
                (_, true, _) => "  ›",
                _ => "",
            };
            canvas.put(columns.middle, y, bracket, theme.quiet());
        }
        Shape::Apart => {
            if let Some(line) = row.part_of {
                canvas.put(columns.middle, y, &format!("› {}", grouped(line + 1)), theme.quiet());
            }
        }
    }
    if shown.number == app.lens.cursor {
        canvas.select(y, used);
        let style = if app.focus == Focus::Lens { theme.bright() } else { theme.quiet() };
        canvas.put(0, y, "▏", style);
    }
    used
}

/// A row that means lines it does not show.
fn fold(
    canvas: &mut Canvas<'_>,
    y: u16,
    app: &App,
    stage: Option<&StageResult>,
    columns: &Columns,
    shown: &Shown,
) {
    let Some(count) = shown.row.folded else { return };
    let what = if shown.row.grouped {
        "more"
    } else {
        stage.map_or("dropped", |stage| {
            insight::left_over(stage, shown.number + 1 == app.lens.len())
        })
    };
    let (start, room) = columns.left;
    let words = format!("{} {what}", insight::lines(count));
    let search = app.lens.search.as_ref();
    let found =
        search.is_some_and(|search| search.rows.binary_search(&(shown.number as u32)).is_ok());
    let style = if found { app.theme.quiet().patch(Theme::found()) } else { app.theme.quiet() };
    canvas.put_right(columns.gutter - 1, y, "⋮", app.theme.quiet());
    let x = canvas.put(start, y, &cut(&words, usize::from(room)), style);
    if app.focus == Focus::Lens && shown.number == app.lens.cursor {
        let left = usize::from(room).saturating_sub(usize::from(x - start));
        canvas.put(x, y, &cut("  Enter shows them", left), app.theme.bright());
    }
}

fn signed(number: i64) -> String {
    let digits = grouped(number.unsigned_abs());
    if number < 0 { format!("−{digits}") } else { digits }
}

#[cfg(test)]
mod tests {
    use super::signed;

    #[test]
    fn numbers_below_zero_count_from_the_end() {
        assert_eq!((signed(0), signed(1), signed(-1)), ("0".into(), "1".into(), "−1".into()));
        assert_eq!((signed(12_345), signed(-1_000)), ("12 345".into(), "−1 000".into()));
    }
}
