//! Versions of the text: a list, two of them stage by stage, and what differs in the result.

use insight::{StagePair, duration, figure_bytes, figure_lines, grouped, lines, row_text};
use ratatui::layout::Rect;
use ratatui::style::Modifier;

use crate::screen::canvas::{Canvas, cut, cut_middle};
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::{View, pieces, safe};
use crate::views::trail::state::stage_text;
use crate::views::versions::state::{Compared, Known, VersionsView};

/// Draws it.
pub(super) fn draw(canvas: &mut Canvas<'_>, view: &VersionsView, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    canvas.put(1, 0, "versions of the text, on the same data", theme.bright());
    let list_rows = (view.all.len() as u16).min((area.height / 4).max(2));
    list(canvas, view, list_rows, app);
    let top = (list_rows + 2).min(area.height);
    let body = Rect { y: area.y + top, height: area.height - top, ..area };
    let mut body = canvas.within(body);
    match &view.known {
        Known::Evaluating => {
            body.put(1, 0, "evaluating both …", theme.quiet());
        }
        Known::Failed(why) => {
            body.put(1, 0, "!", theme.bright());
            body.put(
                3,
                0,
                &cut(&safe(why), usize::from(area.width.saturating_sub(4))),
                theme.ink(),
            );
        }
        Known::Made(made) => {
            let used = stages(&mut body, view, made, app);
            difference(&mut body, used + 1, view, made, app);
        }
    }
}

/// The versions: the selected one is 2, the one it is compared with 1.
fn list(canvas: &mut Canvas<'_>, view: &VersionsView, rows: u16, app: &App) {
    let theme = app.theme;
    let width = usize::from(canvas.area.width);
    let first = (view.at + 1).saturating_sub(usize::from(rows));
    let name_room = (width / 4).clamp(12, 34);
    for (row, (number, one)) in
        view.all.iter().enumerate().skip(first).take(usize::from(rows)).enumerate()
    {
        let y = row as u16 + 1;
        canvas.row_target(y, Target::Entry(number));
        let on = number == view.at;
        if on {
            canvas.select(y, 1);
            canvas.put(0, y, "▌", theme.bright().add_modifier(Modifier::BOLD));
        }
        let marks = match (number == view.with, on) {
            (true, true) => "1 2",
            (true, false) => "1",
            (false, true) => "  2",
            (false, false) => "",
        };
        canvas.put(2, y, marks, theme.bright());
        canvas.put(6, y, &cut_middle(&safe(&one.name), name_room), theme.ink());
        let figures = one.figures.map_or(String::new(), |(count, size, time)| {
            format!("{} · {} · {}", figure_lines(count), figure_bytes(size), duration(time))
        });
        let end = canvas.area.width.saturating_sub(1 + figures.chars().count() as u16);
        canvas.put(end, y, &figures, theme.quiet());
        let start = 8 + name_room as u16;
        let room = usize::from(end.saturating_sub(start + 2));
        // Comments above it say what all versions are for.
        let lines = one.text.lines().skip_while(|line| line.starts_with('#'));
        let text = lines.flat_map(str::split_whitespace).collect::<Vec<_>>().join(" ");
        canvas.put(start, y, &cut(&safe(&text), room), theme.quiet());
    }
}

/// The stages of both, and where they begin to differ; gives the rows it took.
fn stages(canvas: &mut Canvas<'_>, view: &VersionsView, made: &Compared, app: &App) -> u16 {
    let theme = app.theme;
    let area = canvas.area;
    let half = area.width.saturating_sub(20) / 2;
    let name = |at: usize| safe(&view.all[at].name);
    canvas.put(1, 0, "1", theme.bright());
    canvas.put(3, 0, &cut(&name(view.with), usize::from(half.saturating_sub(4))), theme.quiet());
    canvas.put(half + 2, 0, "2", theme.bright());
    canvas.put(
        half + 4,
        0,
        &cut(&name(view.at), usize::from(half.saturating_sub(4))),
        theme.quiet(),
    );
    let differs = insight::first_difference(&made.pairs);
    let rows = usize::from((area.height / 2).max(2));
    for (number, pair) in made.pairs.iter().enumerate().take(rows) {
        let y = number as u16 + 1;
        side(canvas, (1, half), y, pair.left.map(|at| (at, &*made.left)), app);
        side(canvas, (half + 2, half), y, pair.right.map(|at| (at, &*made.right)), app);
        let here = differs == Some(number);
        let says = outcome(pair, here);
        let style = if here { theme.bright() } else { theme.quiet() };
        canvas.put_right(area.width.saturating_sub(1), y, says, style);
    }
    let shown = made.pairs.len().min(rows) as u16 + 1;
    if made.pairs.len() > rows {
        let more = match made.pairs.len() - rows {
            1 => "1 more stage".to_owned(),
            more => format!("{more} more stages"),
        };
        canvas.put(1, shown, &more, theme.quiet());
        return shown + 1;
    }
    shown
}

fn outcome(pair: &StagePair, here: bool) -> &'static str {
    match (pair.same_output, here) {
        (Some(true), _) => "same",
        (Some(false), true) => "differs first",
        (Some(false), false) => "differs",
        (None, true) => "only one, first",
        (None, false) => "only one",
    }
}

/// A stage of one version, with its figures.
fn side(
    canvas: &mut Canvas<'_>,
    (start, width): (u16, u16),
    y: u16,
    stage: Option<(usize, &engine::Preview)>,
    app: &App,
) {
    let theme = app.theme;
    let Some((number, preview)) = stage else { return };
    let Some(result) = preview.stages.get(number) else { return };
    let label = (number + 1).to_string();
    let x = canvas.put(start, y, &label, theme.hue(number).add_modifier(Modifier::BOLD)) + 1;
    let time = result.figures.elapsed_ns.max(result.figures.processor_ns);
    let figures = if width > 44 {
        format!(
            "{} · {} · {}",
            figure_lines(result.lines_out()),
            figure_bytes(result.bytes_out()),
            duration(time)
        )
    } else {
        figure_lines(result.lines_out())
    };
    let end = (start + width).saturating_sub(figures.chars().count() as u16);
    canvas.put(end, y, &figures, theme.quiet());
    let room = usize::from(end.saturating_sub(x + 1));
    // One that is off looks as it does in the river.
    let (text, style) = match result.plan.off {
        Some(off) => (
            preview.text.get(off.range()).unwrap_or_default().trim().to_owned(),
            theme.quiet().add_modifier(Modifier::CROSSED_OUT),
        ),
        None => (stage_text(preview, number), theme.ink()),
    };
    canvas.put(x, y, &cut(&safe(&text), room), style);
}

/// What differs in the result, line by line.
fn difference(canvas: &mut Canvas<'_>, top: u16, view: &VersionsView, made: &Compared, app: &App) {
    let theme = app.theme;
    let area = canvas.area;
    if top >= area.height {
        return;
    }
    let Some(found) = &made.difference else {
        let (done, all) = view.progress;
        let how = if all == 0 {
            String::new()
        } else {
            format!(" {}", insight::progress(done as f64 / all as f64))
        };
        canvas.put(1, top, &format!("comparing the results …{how}"), theme.quiet());
        return;
    };
    let part = if made.left.is_whole() && made.right.is_whole() {
        ""
    } else {
        ", from a part of the data"
    };
    let words = if found.is_same() {
        format!("the results are the same: {}{part}", lines(found.same))
    } else {
        let first = found.first.map_or(String::new(), |(left, right)| {
            format!(", the first at line {} and {}", grouped(left + 1), grouped(right + 1))
        });
        let end = if found.ends_differ { ", one has no newline at its end" } else { "" };
        let more = if found.more { ", more than are shown" } else { "" };
        format!(
            "{} the same, {} only in 1, {} only in 2{first}{end}{more}{part}",
            lines(found.same),
            grouped(found.only_left),
            grouped(found.only_right)
        )
    };
    canvas.put(1, top, &cut(&words, usize::from(area.width.saturating_sub(2))), theme.bright());
    let (Some(left), Some(right)) = (made.left.stages.last(), made.right.stages.last()) else {
        return;
    };
    let rows = usize::from(area.height.saturating_sub(top + 1));
    let first = view.top.min(found.rows.len().saturating_sub(rows));
    let digits = grouped(left.out.lines().max(right.out.lines())).len();
    for (row, one) in found.rows.iter().skip(first).take(rows).enumerate() {
        let y = top + 1 + row as u16;
        if let insight::Side::Skipped(count) = one.side {
            let words = format!("⋮  {} the same", lines(count as u64));
            canvas.put(digits as u16 + 2, y, &words, theme.quiet());
            continue;
        }
        let (mark, style) = match one.side {
            insight::Side::Old => ("1", theme.bright()),
            insight::Side::New => ("2", theme.bright()),
            _ => (" ", theme.quiet()),
        };
        let number = grouped(one.left.or(one.right).unwrap_or(0) + 1);
        canvas.put(1 + (digits - number.len().min(digits)) as u16, y, &number, theme.quiet());
        canvas.put(digits as u16 + 2, y, mark, style);
        let text = row_text(one, &left.out, &right.out).unwrap_or_default();
        let start = digits as u16 + 4;
        let room = usize::from(area.width.saturating_sub(start + 1));
        let ink = if one.side == insight::Side::Both { theme.quiet() } else { theme.ink() };
        let mut x = start;
        for piece in pieces(&text, View::Text, 0, room) {
            canvas.put(x, y, &piece.text, if piece.mark { theme.mark() } else { ink });
            x += piece.width as u16;
        }
    }
}
