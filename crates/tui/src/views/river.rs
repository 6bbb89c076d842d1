//! The river: streams as bars, stages between them.

use engine::{Ending, PendingMode, Preview, StageResult, TargetKind};
use insight::{bytes, duration, effect, grouped, limit_in_words, sample_in_words};
use ratatui::style::{Modifier, Style};

use super::canvas::{Canvas, PART, cut};
use crate::state::app::App;
use crate::state::place::{Focus, Place};
use crate::text::display::safe;

/// A row of the river.
struct Row {
    /// What it selects, if anything.
    place: Option<Place>,
    kind: Kind,
}

enum Kind {
    Source(String, String),
    Bar {
        lines: u64,
        style: Style,
        /// It may be another figure with all of the data.
        part: bool,
    },
    Stage(usize),
    /// A command inside a stage.
    Inner(usize, usize),
    Text(String, Style),
    Gap,
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
    let most = rows
        .iter()
        .filter_map(|row| match row.kind {
            Kind::Bar { lines, .. } => Some(lines),
            _ => None,
        })
        .max()
        .unwrap_or(1);
    for (y, (number, row)) in rows.iter().enumerate().skip(first).take(height).enumerate() {
        let y = y as u16 + u16::from(wide);
        if number == selected {
            canvas.select(y, 1);
            let mark = if app.focus == Focus::River { "▌" } else { "▏" };
            canvas.put(0, y, mark, app.theme.hue(app.place.stage()).add_modifier(Modifier::BOLD));
        }
        draw_row(canvas, y, row, number == selected, most, app, preview);
    }
}

fn draw_row(
    canvas: &mut Canvas<'_>,
    y: u16,
    row: &Row,
    selected: bool,
    most: u64,
    app: &App,
    preview: &Preview,
) {
    let area = canvas.area;
    let theme = app.theme;
    let stale = app.is_stale();
    let right = area.width.saturating_sub(2);
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
            let room = usize::from(right).saturating_sub(12 + times.chars().count() + lines.len());
            canvas.put(4, y, "┆", theme.hue(*number));
            canvas.put(6, y, &cut(&text, room), theme.ink());
            let at = right.saturating_sub(lines.len() as u16 + 2);
            canvas.put_right(at, y, &times, theme.quiet());
            canvas.put_right(right, y, &lines, theme.hue(*number));
        }
        Kind::Source(name, sample) => {
            let x = canvas.put(2, y, &cut(name, usize::from(area.width / 2)), theme.ink());
            let room = usize::from(area.width.saturating_sub(x + 3));
            canvas.put(x + 2, y, &cut(sample, room), theme.quiet());
        }
        Kind::Text(text, style) => {
            canvas.put(2, y, &cut(text, usize::from(area.width.saturating_sub(3))), *style);
        }
        Kind::Bar { lines, style, part } => {
            let room = usize::from(area.width.saturating_sub(14));
            let width = bar_width(*lines, most, room);
            let x = 2 + ((room - width) / 2) as u16;
            let style = if stale { style.add_modifier(Modifier::DIM) } else { *style };
            canvas.put(x, y, &"▆".repeat(width), style);
            let count = if selected { theme.bright() } else { theme.ink() };
            let part = if *part { PART } else { "" };
            canvas.put_right(right, y, &format!("{part}{}", grouped(*lines)), count);
        }
        Kind::Stage(number) => {
            let Some(stage) = preview.stages.get(*number) else { return };
            stage_row(canvas, y, *number, stage, selected, app, preview);
        }
    }
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
    canvas.put_right(4, y, &(number + 1).to_string(), hue.add_modifier(Modifier::BOLD));
    let text = stage_text(preview, stage);
    let style = match (off.is_some(), selected) {
        (true, _) => theme.quiet().add_modifier(Modifier::CROSSED_OUT),
        (_, true) => theme.bright(),
        _ => theme.ink(),
    };
    // Status 1 alone may be an answer (grep found nothing); with a message it is trouble.
    let trouble = stage.ending == Ending::Finished
        && (stage.status.0 > 1 || stage.status.0 == 1 && !stage.messages.is_empty());
    if !wide {
        let part = if stage.from_part() { PART } else { "" };
        let lines = format!("{part}{}", grouped(stage.out.lines()));
        let room = usize::from(right.saturating_sub(6)).saturating_sub(lines.chars().count());
        canvas.put(5, y, &cut(&text, room), style);
        let count = if trouble { format!("! {lines}") } else { lines };
        canvas.put_right(
            right,
            y,
            &count,
            if off.is_some() { theme.quiet() } else { theme.hue(number) },
        );
        return;
    }
    let time = duration(stage.figures.processor_ns);
    let time_width = 9;
    let effect = match (stage.ending, trouble) {
        (_, true) if stage.is_held() => "! not started".to_owned(),
        (_, true) => format!("! status {}", stage.status.0),
        (Ending::Cut(_), _) => format!("{} (cut off)", effect(stage)),
        _ => effect(stage),
    };
    let effect_width = effect.chars().count().clamp(10, 22) as u16;
    let effect_at = right.saturating_sub(time_width + effect_width + 1).max(16);
    canvas.put(5, y, &cut(&text, usize::from(effect_at.saturating_sub(6))), style);
    let effect_style = if trouble { theme.bright() } else { theme.quiet() };
    let room = usize::from(right.saturating_sub(time_width + effect_at));
    canvas.put(effect_at, y, &cut(&effect, room), effect_style);
    let quiet =
        if stage.reused { theme.quiet().add_modifier(Modifier::DIM) } else { theme.quiet() };
    canvas.put_right(right, y, &time, quiet);
}

/// A stage's words as they stand in the text; of one that is off, its own.
fn stage_text(preview: &Preview, stage: &StageResult) -> String {
    let span = if let Some(off) = stage.plan.off {
        off
    } else {
        let targets = stage.plan.targets.iter().map(|target| target.span.start);
        let end = targets.min().unwrap_or(stage.span.end).min(stage.span.end);
        shell::Span::new(stage.span.start, end.max(stage.span.start))
    };
    let text = preview.text.get(span.range()).unwrap_or(&stage.name);
    safe(text.trim()).replace("^J", " ")
}

/// Columns of a bar: the logarithm of the number of lines, at least one for one line.
fn bar_width(lines: u64, most: u64, room: usize) -> usize {
    if lines == 0 {
        return 0;
    }
    let share = ((lines + 1) as f64).ln() / ((most.max(1) + 1) as f64).ln();
    ((share * room as f64).round() as usize).clamp(1, room.max(1))
}

fn rows(app: &App, preview: &Preview, wide: bool) -> Vec<Row> {
    let theme = app.theme;
    let mut rows = Vec::new();
    if preview.stages.first().is_some_and(|stage| !stage.inputs.is_empty()) {
        let (name, sample) = source_words(app, preview);
        rows.push(Row {
            place: (!wide).then_some(Place::Source),
            kind: Kind::Source(name, sample),
        });
        let lines = preview.stages[0].input_lines();
        if wide {
            rows.push(Row {
                place: Some(Place::Source),
                kind: Kind::Bar { lines, style: theme.source_bar(), part: false },
            });
        }
    }
    for (number, stage) in preview.stages.iter().enumerate() {
        if wide && number == 0 && !rows.is_empty() {
            rows.push(Row { place: None, kind: Kind::Gap });
        }
        rows.push(Row { place: Some(Place::Stage(number)), kind: Kind::Stage(number) });
        if app.opened.contains(&number) {
            let inside = (0..stage.inside.len()).map(|inner| Kind::Inner(number, inner));
            rows.extend(inside.map(|kind| Row { place: None, kind }));
        }
        if wide {
            let style = if stage.plan.off.is_some() { theme.quiet() } else { theme.hue(number) };
            let kind = Kind::Bar { lines: stage.out.lines(), style, part: stage.from_part() };
            rows.push(Row { place: Some(Place::Stream(number)), kind });
        }
        for file in &stage.pending {
            let now = match file.lines_now {
                Some(lines) => insight::lines(lines),
                None => bytes(file.bytes_now),
            };
            let lines = insight::lines(file.kept.lines());
            let how = match file.mode {
                PendingMode::New => format!("new file, {lines}"),
                PendingMode::Replace => format!("replaces {now} by {lines}"),
                PendingMode::Append => format!("appends {lines} to {now}"),
            };
            let name = safe(&file.path.display().to_string());
            if wide {
                rows.push(Row { place: None, kind: Kind::Gap });
                rows.push(Row {
                    place: None, kind: Kind::Text(format!(" ↧ {name}"), theme.ink())
                });
                let text = format!("   {how}, not written yet");
                rows.push(Row { place: None, kind: Kind::Text(text, theme.hue(number)) });
            } else {
                let text = format!("↧ {name} {how}, not written");
                rows.push(Row { place: None, kind: Kind::Text(text, theme.hue(number)) });
            }
        }
    }
    if wide {
        rows.push(Row { place: None, kind: Kind::Gap });
    }
    rows.push(Row { place: None, kind: Kind::Text(footer(app, preview), theme.quiet()) });
    rows
}

/// What the first stage reads, and which part of it.
fn source_words(app: &App, preview: &Preview) -> (String, String) {
    let inputs = &preview.stages[0].inputs;
    let name = match inputs.first().map(|input| &input.name) {
        Some(stream::InputName::File(name)) if name.starts_with(b"/dev/fd/") => "<( … )".to_owned(),
        Some(stream::InputName::File(name)) => safe(&String::from_utf8_lossy(name)),
        _ => {
            let first = &preview.stages[0];
            let path = first.inputs.first().and_then(|input| first.input_path(input));
            match (path, first.plan.input_target()) {
                (Some(path), _) => safe(&path.display().to_string()),
                (None, Some(TargetKind::Text(_))) => "text of the command".to_owned(),
                (None, _) => "standard input".to_owned(),
            }
        }
    };
    let more =
        if inputs.len() > 1 { format!(" and {} more", inputs.len() - 1) } else { String::new() };
    if preview.stages[0].follows {
        let words =
            if app.is_following() { "followed as it grows" } else { "followed until stopped" };
        return (format!("{name}{more}"), words.to_owned());
    }
    let Some(sampled) = inputs.first().and_then(|input| input.sampled.as_ref()) else {
        return (format!("{name}{more}"), String::new());
    };
    let mut words = if sampled.complete {
        "all of it".to_owned()
    } else {
        let sample = sample_in_words(preview.sample);
        match (sampled.whole_lines(), sampled.whole_bytes) {
            (Some(lines), _) if sampled.kept.lines() >= lines => {
                format!("{} so far", insight::lines(lines))
            }
            (Some(lines), _) => format!("{sample} of {} lines", grouped(lines)),
            (None, Some(whole)) => format!("{sample} of {}", bytes(whole)),
            (None, None) => format!("{sample}, more is coming"),
        }
    };
    if let Some(limit) = sampled.cut {
        words = format!("{words}, cut off at {}", limit_in_words(limit));
    }
    (format!("{name}{more}"), words)
}

fn footer(app: &App, preview: &Preview) -> String {
    if app.is_following() {
        let lines = preview.stages.first().map_or(0, |stage| stage.out.lines());
        return format!("following · {} lines so far · Esc stops", grouped(lines));
    }
    if app.result.waiting.is_some() {
        let progress = app.progress();
        let lines: u64 = progress.first().map_or(0, |stage| stage.lines_in.max(stage.lines_out));
        return format!("evaluating … {} lines · Ctrl-C stops", grouped(lines));
    }
    if app.is_stale() {
        return "outdated: shows the previous text".to_owned();
    }
    if let Some(path) = app.result.changed.first() {
        return format!("{} has changed since: R reads it", safe(&path.display().to_string()));
    }
    let held: u64 = preview.stages.iter().map(|stage| stage.figures.peak_held_bytes).sum();
    let mut text = format!("evaluated in {}", duration(preview.elapsed_ns));
    if held > 0 {
        text.push_str(&format!(" · {} held", bytes(held)));
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bars_are_logarithmic_and_never_vanish() {
        assert_eq!(bar_width(0, 1000, 30), 0);
        assert_eq!(bar_width(1_000_000, 1_000_000, 30), 30);
        assert!(bar_width(1, 1_000_000_000, 30) >= 1);
        let (five, all) = (bar_width(5, 1_000_000, 30), bar_width(1_000_000, 1_000_000, 30));
        assert!(five > 2 && five < all);
    }
}
