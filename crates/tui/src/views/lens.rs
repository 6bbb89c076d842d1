//! The lens: input and output of the selected stage, lined up by lineage.

use bytes::Bytes;
use engine::{Preview, StageKind, StageResult};
use filters::Verb;
use insight::{Row, bytes, grouped, marks};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

use super::canvas::{Canvas, PART, cut};
use crate::state::app::App;
use crate::state::lens::{Content, matches, row_lines};
use crate::state::place::{Focus, Place};
use crate::text::display::{View, pieces, width};
use crate::theme::Theme;

/// Columns the lens needs to show both sides beside each other.
const TWO_SIDES: u16 = 66;

/// Columns the heading of a side takes.
const HEADING: u16 = 34;

struct Shown {
    row: Row,
    number: usize,
    left: Option<Bytes>,
    right: Option<Bytes>,
    left_number: Option<i64>,
    right_number: Option<i64>,
    /// The line at the left, and at the right, has no newline at its end.
    open: (bool, bool),
}

/// How the columns are divided.
struct Columns {
    gutter: u16,
    left: Option<(u16, u16)>,
    middle: u16,
    right: Option<(u16, u16)>,
    right_gutter: u16,
}

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
    // Stages that change no line need it only once.
    let single = stage
        .is_some_and(|stage| matches!(stage.verb, Some(Verb::Keeps | Verb::Passes | Verb::Makes)));
    let rows: Vec<Shown> = (app.lens.top..app.lens.len().min(app.lens.top + height))
        .map(|number| shown(app, preview, number))
        .collect();
    let columns = columns(area, app, stage, single, &rows);
    header(canvas, app, stage, single, &columns);
    // Where there is no room for both, what was searched for takes the ruler's row.
    let ruler = area.width >= TWO_SIDES || app.lens.search.is_none();
    if let Some(stage) = stage.filter(|_| ruler) {
        field_ruler(canvas, app, stage, &columns, &rows);
    }
    let mut y = 2u16;
    for shown in &rows {
        if y >= area.height {
            break;
        }
        y += draw_row(canvas, y, app, stage, single, &columns, shown);
    }
    if rows.is_empty() {
        let text = match stage {
            Some(stage) if stage.is_held() => "not started: y allows it, the notes explain it",
            _ => "no lines",
        };
        canvas.put(columns.gutter + 1, 2, text, app.theme.quiet());
    }
}

fn shown(app: &App, preview: &Preview, number: usize) -> Shown {
    let (row, left, right) = row_lines(preview, &app.lens.content, number);
    let (left_number, right_number) = match (&app.lens.content, app.shown()) {
        (Content::Stage { stage, .. }, _) => {
            let result = &preview.stages[*stage];
            let at = row.left.and_then(|flat| result.input_at(flat));
            let right = row.right.and_then(|line| origin(preview, *stage + 1, line));
            (at.and_then(|(input, line)| number_of(preview, *stage, input, line)), right)
        }
        (Content::Stream { .. }, Place::Source) => (number_of(preview, 0, 0, number as u64), None),
        (Content::Stream { .. }, place) => {
            (origin(preview, place.stage() + 1, number as u64), None)
        }
        (Content::Empty, _) => (None, None),
    };
    let last = |kept: &engine::Kept, line: u64| line + 1 == kept.lines() && kept.ends_open();
    let open = match &app.lens.content {
        Content::Stage { stage, .. } => {
            let result = &preview.stages[*stage];
            let at = row.left.and_then(|flat| result.input_at(flat));
            let left = at.is_some_and(|(input, line)| last(&result.inputs[input].kept, line));
            (left, row.right.is_some_and(|line| last(&result.out, line)))
        }
        Content::Stream { kept, .. } => (last(kept, number as u64), false),
        Content::Empty => (false, false),
    };
    Shown { row, number, left, right, left_number, right_number, open }
}

/// The number in its file of the line a line of input `input` of stage `stage` comes from.
fn number_of(preview: &Preview, stage: usize, input: usize, line: u64) -> Option<i64> {
    let record = preview.stages.get(stage)?.inputs.get(input)?;
    match &record.sampled {
        Some(sampled) => Some(sampled.number(line)),
        None => origin(preview, stage, line),
    }
}

/// The same for a line that the stage before `stage` wrote.
fn origin(preview: &Preview, stage: usize, line: u64) -> Option<i64> {
    let writer = stage.checked_sub(1)?;
    let result = preview.stages.get(writer)?;
    let id = {
        let origins = result.origins.lock();
        origins.get(line).first()?
    };
    number_of(preview, writer, id.input(), id.line())
}

fn columns(
    area: Rect,
    app: &App,
    stage: Option<&StageResult>,
    single: bool,
    rows: &[Shown],
) -> Columns {
    let digits = |numbers: &mut dyn Iterator<Item = i64>| {
        numbers
            .map(|number| grouped(number.unsigned_abs()).len() + usize::from(number < 0))
            .max()
            .unwrap_or(0)
    };
    let gutter = digits(&mut rows.iter().filter_map(|row| row.left_number)).max(4) as u16 + 2;
    let start = gutter + 2;
    let room = area.width.saturating_sub(start);
    if stage.is_none() || single {
        return Columns {
            gutter,
            left: Some((start, room)),
            middle: 0,
            right: None,
            right_gutter: 0,
        };
    }
    let aligned = matches!(&app.lens.content, Content::Stage { rows, .. } if rows.aligned);
    let right_gutter = if aligned {
        0
    } else {
        digits(&mut rows.iter().filter_map(|row| row.right_number)).max(4) as u16 + 1
    };
    if area.width < TWO_SIDES {
        let right_start = right_gutter.max(1) + 2;
        let right_room = area.width.saturating_sub(right_start);
        return if app.lens.turned {
            Columns {
                gutter,
                left: None,
                middle: 0,
                right: Some((right_start, right_room)),
                right_gutter,
            }
        } else {
            Columns { gutter, left: Some((start, room)), middle: 0, right: None, right_gutter: 0 }
        };
    }
    let limit = usize::from(room);
    let widest = |side: fn(&Shown) -> Option<&Bytes>| {
        let widths = rows.iter().filter_map(side).map(|line| width(line, app.lens.view, limit));
        widths.max().unwrap_or(0) as u16
    };
    // Both sides as wide as their lines on screen, as far as there is room: the output between
    // its heading and half of it, the input what is left, so that partners stand close.
    let right_room =
        (widest(|row| row.right.as_ref()) + right_gutter + 1).max(HEADING).min(room / 2);
    let left_most = room - right_room;
    let left_room = if app.lens.wrap {
        left_most
    } else {
        (widest(|row| row.left.as_ref()) + 6).clamp(HEADING.min(left_most), left_most)
    };
    let right_start = start + left_room + right_gutter;
    Columns {
        gutter,
        left: Some((start, left_room.saturating_sub(5))),
        middle: start + left_room.saturating_sub(4),
        right: Some((right_start, area.width.saturating_sub(right_start))),
        right_gutter,
    }
}

fn header(
    canvas: &mut Canvas<'_>,
    app: &App,
    stage: Option<&StageResult>,
    single: bool,
    columns: &Columns,
) {
    let area = canvas.area;
    let theme = app.theme;
    let number = app.shown().stage();
    let title = theme.hue(number).add_modifier(Modifier::BOLD);
    let from_part = |number: usize| {
        let preview = app.result.preview.as_ref();
        preview.and_then(|preview| preview.stages.get(number)).is_some_and(StageResult::from_part)
    };
    // What stands at the source says itself which part it is.
    let part = app.shown() != Place::Source && from_part(number);
    let part = if part { PART } else { "" };
    let amount =
        |lines: u64, size: u64| format!("{part}{} · {part}{}", insight::lines(lines), bytes(size));
    let stale = if app.is_stale() { "  outdated" } else { "" };
    let Some(stage) = stage else {
        let (name, style) = match app.shown() {
            Place::Source => ("source".to_owned(), theme.bright()),
            _ => (format!("out of {}", number + 1), title),
        };
        let x = canvas.put(1, 0, &name, style);
        if let Content::Stream { kept, lines } = &app.lens.content {
            canvas.put(
                x + 2,
                0,
                &format!("{}{stale}", amount(*lines, kept.bytes())),
                theme.quiet(),
            );
        }
        search_words(canvas, app);
        return;
    };
    let figures = stage.figures;
    let into = amount(figures.lines_in, figures.bytes_in);
    let out = amount(stage.out.lines(), stage.out.bytes());
    if single {
        let x = canvas.put(1, 0, &format!("through {}", number + 1), title);
        let hidden = if app.lens.hide { " · dropped lines hidden" } else { "" };
        canvas.put(x + 2, 0, &format!("in {into}   out {out}{hidden}{stale}"), theme.quiet());
    } else {
        if columns.left.is_some() {
            let x = canvas.put(1, 0, &format!("into {}", number + 1), title);
            canvas.put(x + 2, 0, &format!("{into}{stale}"), theme.quiet());
        }
        if let Some((start, _)) = columns.right {
            let at = if columns.left.is_some() { start - columns.right_gutter } else { 1 };
            let x = canvas.put(at, 0, &format!("out of {}", number + 1), title);
            canvas.put(x + 2, 0, &out, theme.quiet());
        }
        if area.width < TWO_SIDES {
            canvas.put_right(area.width.saturating_sub(1), 0, " o other side", theme.quiet());
        }
    }
    search_words(canvas, app);
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
            (true, _) => format!(" “{}” … ", search.query),
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
                usize::from(if area.width < TWO_SIDES {
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

/// The fields of the line under the cursor, numbered, where the stage has a delimiter.
fn field_ruler(
    canvas: &mut Canvas<'_>,
    app: &App,
    stage: &StageResult,
    columns: &Columns,
    rows: &[Shown],
) {
    let Some((start, room)) = columns.left else { return };
    if app.lens.view == View::Hex {
        return;
    }
    let Some(delimiter) = delimiter_of(stage) else { return };
    let Some(line) = rows
        .iter()
        .find(|row| row.number == app.lens.cursor)
        .or(rows.first())
        .and_then(|row| row.left.as_ref())
    else {
        return;
    };
    let mut column = 0usize;
    let mut field_start = 0usize;
    let mut field = 1;
    let mut draw = |from: usize, to: usize, field: usize| {
        let end = (app.lens.column + usize::from(room)).min(to);
        if to <= from || end <= app.lens.column {
            return;
        }
        let label = field.to_string();
        let width = to - from;
        let text: String = if width >= label.len() + 2 {
            let rest = width - label.len() - 2;
            format!("└{}{label}{}┘", "─".repeat(rest / 2), "─".repeat(rest - rest / 2))
        } else if width >= label.len() {
            format!("{label:^width$}")
        } else {
            // A part of a number would be another one.
            " ".repeat(width)
        };
        let skip = app.lens.column.saturating_sub(from);
        let visible: String =
            text.chars().skip(skip).take(end - from.max(app.lens.column)).collect();
        let x = start + (from.max(app.lens.column) - app.lens.column) as u16;
        canvas.put(x, 1, &visible, app.theme.quiet());
    };
    let limit = app.lens.column + usize::from(room);
    for piece in pieces(line, app.lens.view, 0, limit) {
        if line.get(piece.at..).is_some_and(|rest| rest.starts_with(&delimiter)) {
            draw(field_start, column, field);
            field += 1;
            field_start = column + piece.width;
        }
        column += piece.width;
    }
    draw(field_start, column, field);
}

fn delimiter_of(stage: &StageResult) -> Option<Vec<u8>> {
    let StageKind::Native(definition) = &stage.plan.kind else { return None };
    let arguments = definition.parse(&stage.plan.arguments).ok()?;
    match definition.spec.name {
        "cut" if arguments.has('f') => {
            Some(arguments.last('d').map_or(b"\t".to_vec(), |given| given.value.clone()))
        }
        "sort" => arguments.last('t').map(|given| given.value.clone()),
        _ => None,
    }
}

fn draw_row(
    canvas: &mut Canvas<'_>,
    y: u16,
    app: &App,
    stage: Option<&StageResult>,
    single: bool,
    columns: &Columns,
    shown: &Shown,
) -> u16 {
    let theme = app.theme;
    let dropped = stage.is_some()
        && shown.row.left.is_some()
        && shown.row.right.is_none()
        && !shown.row.grouped
        && matches!(&app.lens.content, Content::Stage { rows, .. } if rows.aligned);
    let base = if dropped { theme.quiet() } else { Style::new() };
    let here = shown.number == app.lens.cursor;
    let mut used = 1;
    if let (Some((start, room)), Some(line)) = (columns.left, &shown.left) {
        let marked = if dropped {
            Vec::new()
        } else {
            stage.map(|stage| marks(stage, &line[..line.len().min(1 << 16)])).unwrap_or_default()
        };
        let hue = theme.hue(app.shown().stage()).add_modifier(Modifier::BOLD);
        let data = DataLine { bytes: line, open: shown.open.0, base, marked: &marked, hue };
        used = used.max(text(canvas, (start, room), y, app, data));
    } else if let (Some((start, room)), None, Some(line), true) =
        (columns.left, &shown.left, &shown.right, single)
    {
        let data = DataLine { bytes: line, open: shown.open.1, base, ..DataLine::default() };
        used = used.max(text(canvas, (start, room), y, app, data));
    }
    if let (Some((start, room)), Some(line)) = (columns.right, &shown.right) {
        let data = DataLine { bytes: line, open: shown.open.1, ..DataLine::default() };
        used = used.max(text(canvas, (start, room), y, app, data));
        if columns.right_gutter > 0
            && let Some(number) = shown.right_number
        {
            canvas.put_right(start - 1, y, &signed(number), theme.quiet());
        }
    }
    if let Some(number) = shown.left_number.filter(|_| columns.left.is_some()) {
        canvas.put_right(columns.gutter - 1, y, &signed(number), theme.quiet());
    }
    if single && stage.is_some() && shown.row.left.is_some() && !dropped {
        canvas.put(columns.gutter, y, "›", theme.hue(app.shown().stage()));
    }
    if columns.middle > 0 {
        let bracket = match (shown.row.grouped, shown.right.is_some(), shown.row.goes_on) {
            (true, true, true) => "┐ ›",
            (true, false, true) => "│",
            (true, false, false) => "┘",
            (_, true, _) if columns.right_gutter == 0 => "  ›",
            _ => "",
        };
        canvas.put(columns.middle, y, bracket, theme.quiet());
    }
    if here {
        canvas.select(y, used);
        let style = if app.focus == Focus::Lens { theme.bright() } else { theme.quiet() };
        canvas.put(0, y, "▏", style);
    }
    used
}

fn signed(number: i64) -> String {
    let digits = grouped(number.unsigned_abs());
    if number < 0 { format!("−{digits}") } else { digits }
}

/// A line of data and how it is shown.
#[derive(Clone, Copy, Default)]
struct DataLine<'l> {
    bytes: &'l [u8],
    /// It has no newline at its end.
    open: bool,
    base: Style,
    /// The parts that its stage looks at, which are shown in `hue`.
    marked: &'l [std::ops::Range<usize>],
    hue: Style,
}

/// Writes a line of data from column `start` on, in `room` columns; gives the rows it takes.
fn text(
    canvas: &mut Canvas<'_>,
    (start, room): (u16, u16),
    y: u16,
    app: &App,
    data: DataLine<'_>,
) -> u16 {
    let area = canvas.area;
    let DataLine { bytes: line, open, base, marked, hue } = data;
    if room == 0 {
        return 1;
    }
    let found = app
        .lens
        .search
        .as_ref()
        .map(|search| matches(&line[..line.len().min(1 << 16)], &search.query))
        .unwrap_or_default();
    let inside = |ranges: &[std::ops::Range<usize>], at: usize| {
        ranges.iter().any(|range| range.contains(&at))
    };
    let rows = if app.lens.wrap { area.height - y } else { 1 };
    let columns = usize::from(room);
    let skip = if app.lens.wrap { 0 } else { app.lens.column };
    let (mut x, mut row) = (0usize, 0u16);
    let mut last = 0;
    for piece in pieces(line, app.lens.view, skip, columns.saturating_mul(usize::from(rows))) {
        // The mark of a newline that is not there.
        if open && piece.mark && piece.at == line.len() {
            break;
        }
        if x + piece.width > columns {
            row += 1;
            x = 0;
            if row >= rows {
                break;
            }
        }
        let mut style = base;
        if piece.mark {
            style = style.patch(app.theme.mark());
        }
        if inside(marked, piece.at) {
            style = style.patch(hue);
            if app.theme.hue(0) == Style::new() {
                style = style.add_modifier(Modifier::UNDERLINED);
            }
        }
        if inside(&found, piece.at) {
            style = style.patch(Theme::found());
        }
        canvas.put(start + x as u16, y + row, &piece.text, style);
        x += piece.width;
        last = piece.at;
    }
    // Something of the line is not on screen.
    if !app.lens.wrap && x >= columns && last + 1 < line.len() {
        canvas.put(start + room - 1, y, "»", app.theme.mark());
    }
    row + 1
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
