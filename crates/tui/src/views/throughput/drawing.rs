//! The Throughput view: a band for each command of the run on everything.

use engine::{CommandFigures, LINK_BLOCKS};
use insight::{
    Rate, RunEnd, byte_rate, bytes, duration, grouped, held_by, line_rate, lines, share_percents,
    slowest,
};
use ratatui::layout::Rect;
use ratatui::style::Modifier;

use super::notes;
use crate::actions::keyed;
use crate::screen::canvas::{Canvas, WIDE, cut};
use crate::state::app::App;
use crate::state::run::{Running, Shows};
use crate::text::display::safe;

/// The current rate is that of the last second.
const NOW_NS: u64 = 1_000_000_000;

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let Some(running) = &app.running else {
        let text = keyed("no full run yet: {run-all} starts one, after showing what it will take");
        canvas.sentence(2, 1, &text, app.theme.quiet());
        return;
    };
    progress(canvas, app, running);
    why(canvas, app, running);
    let below =
        Rect { y: area.y + 3.min(area.height), height: area.height.saturating_sub(3), ..area };
    match app.throughput.shows {
        Shows::Figures => bands(&mut canvas.within(below), app, running),
        Shows::Output => output(&mut canvas.within(below), app, running),
    }
}

/// What the run is doing, in a word.
fn state(running: &Running) -> &'static str {
    match &running.end {
        None if running.snapshot.paused => "paused",
        None => "running",
        Some(RunEnd::Done) if running.status == 0 => "done",
        Some(RunEnd::Done) => "ended",
        Some(RunEnd::Cancelled) => "cancelled",
        Some(RunEnd::Failed(_)) => "failed",
    }
}

/// Overall progress.
fn progress(canvas: &mut Canvas<'_>, app: &App, running: &Running) {
    let area = canvas.area;
    let theme = app.theme;
    let snapshot = &running.snapshot;
    let mut x = canvas.put(1, 0, state(running), theme.bright()) + 2;
    let ended_well = matches!(running.end, Some(RunEnd::Done));
    let done = snapshot.done().filter(|_| running.end.is_none() || ended_well);
    if let Some(done) = done {
        // On a small screen the bar leaves room for the figures.
        let width = if area.width >= WIDE { 40 } else { (area.width / 10).clamp(4, 20) };
        let filled = (done * f64::from(width)).round() as u16;
        x = canvas.put(x, 0, &"█".repeat(usize::from(filled)), theme.source_bar());
        x = canvas.put(x, 0, &"·".repeat(usize::from(width - filled)), theme.quiet());
        x = canvas.put(x + 1, 0, &format!("{:>7}", insight::progress(done)), theme.bright()) + 2;
    }
    let first = snapshot.commands.first();
    let read = snapshot.read_bytes.max(first.map_or(0, |first| insight::passed(first).1));
    let amount = match snapshot.total_bytes {
        Some(total) => format!("{} of {}", bytes(read.min(total)), bytes(total)),
        None => format!("{} read", bytes(read)),
    };
    x = canvas.put(x, 0, &amount, theme.ink()) + 2;
    let seconds = snapshot.elapsed().as_secs_f64().max(1e-9);
    let now = match first {
        Some(first) if running.end.is_none() => running.history.rate(first.span, 2 * NOW_NS).bytes,
        _ => read as f64 / seconds,
    };
    x = canvas.put(x, 0, &byte_rate(now), theme.ink()) + 2;
    x = canvas.put(x, 0, &duration(snapshot.elapsed_ns), theme.ink()) + 2;
    if running.end.is_none()
        && let Some(left) = snapshot.time_left()
    {
        let left = duration(left.as_nanos() as u64);
        let text = [format!("about {left} left"), format!("{left} left")]
            .into_iter()
            .find(|text| usize::from(x) + text.chars().count() < usize::from(area.width));
        canvas.put(x, 0, &text.unwrap_or_default(), theme.quiet());
    }
}

/// The slowest command and the reason; or that there is life.
fn why(canvas: &mut Canvas<'_>, app: &App, running: &Running) {
    let area = canvas.area;
    let theme = app.theme;
    let commands = &running.snapshot.commands;
    if let Some(RunEnd::Failed(why)) = &running.end {
        canvas.put(1, 1, "!", theme.bright());
        let text = cut(&safe(why), usize::from(area.width.saturating_sub(4)));
        canvas.put(3, 1, &text, theme.bright());
        return;
    }
    let mut x = 1;
    match slowest(commands) {
        Some(found) => {
            let command = &commands[found.at];
            x = canvas.put(x, 1, "slowest", theme.quiet()) + 1;
            let name = format!("{} {}", found.at + 1, command.name);
            x = canvas.put(x, 1, &safe(&name), theme.hue(found.at).add_modifier(Modifier::BOLD));
            x = canvas.put(x + 1, 1, &found.says, theme.ink()) + 2;
        }
        None if running.end.is_none() => {
            x = canvas.put(x, 1, "just started", theme.quiet()) + 2;
        }
        None => {
            x = canvas.put(x, 1, "too short to tell what took the time", theme.quiet()) + 2;
        }
    }
    if running.end.is_none() && !running.snapshot.paused {
        let text = heartbeat(running);
        if usize::from(x) + text.chars().count() + 1 < usize::from(area.width) {
            canvas.put_right(area.width.saturating_sub(1), 1, &text, theme.quiet());
        }
    }
}

/// That the run lives, in numbers that move even where no line comes.
fn heartbeat(running: &Running) -> String {
    let commands = &running.snapshot.commands;
    let processor: u64 = commands.iter().map(|command| command.figures.processor_ns).sum();
    let at_work = commands
        .iter()
        .filter(|command| {
            command.running && command.figures.held_bytes + command.figures.bytes_in > 0
        })
        .count();
    let quiet = commands
        .iter()
        .filter(|command| command.running)
        .map(|command| running.history.gaps(command.span).since_last_ns)
        .min()
        .unwrap_or(0);
    if quiet > 2 * NOW_NS {
        return format!(
            "no line for {} · {} of processor used · {at_work} have data",
            duration(quiet),
            duration(processor)
        );
    }
    format!("{} of processor used", duration(processor))
}

/// A row of eighths, one character a value from 0 to 1.
fn chart_row(values: &[Option<f64>], row: usize, rows: usize) -> String {
    const LEVELS: [char; 9] = [' ', '▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let level = |value: &Option<f64>| {
        let Some(value) = value else { return ' ' };
        // Rows are counted from the top.
        let below = (rows - 1 - row) as f64;
        let eighths = ((value * rows as f64 - below) * 8.0).round().clamp(0.0, 8.0) as usize;
        // What moved at all is seen.
        if eighths == 0 && row + 1 == rows && *value > 0.0 { '▁' } else { LEVELS[eighths] }
    };
    values.iter().map(level).collect()
}

fn bands(canvas: &mut Canvas<'_>, app: &App, running: &Running) {
    let area = canvas.area;
    let commands = &running.snapshot.commands;
    if commands.is_empty() || area.height == 0 {
        return;
    }
    let wanted = match usize::from(area.height) / commands.len() {
        0..=2 => 2,
        rows => rows.min(8),
    };
    let visible = (usize::from(area.height) / wanted).max(1);
    let at = app.throughput.at.min(commands.len() - 1);
    let first = (at + 1).saturating_sub(visible);
    for (row, number) in (first..commands.len()).take(visible).enumerate() {
        let band = Rect {
            y: area.y + (row * wanted) as u16,
            height: (wanted as u16).min(area.height - (row * wanted) as u16),
            ..area
        };
        band_of(&mut canvas.within(band), app, running, number);
    }
    let above = Rect { y: area.y.saturating_sub(1), height: 1, ..area };
    axis(&mut canvas.within(above), app, running);
    if first > 0 || first + visible < commands.len() {
        let text = format!(
            "{}–{} of {}",
            first + 1,
            (first + visible).min(commands.len()),
            commands.len()
        );
        canvas.within(above).put_right(area.width.saturating_sub(1), 0, &text, app.theme.quiet());
    }
}

/// Whether there is room for the course, and the widths of what is at the left, of the numbers
/// at the right, and of the course between them.
fn columns(width: u16) -> (bool, u16, u16, u16) {
    let wide = width >= WIDE;
    let left = if wide { (width / 4).clamp(39, 48) } else { width * 2 / 3 };
    // The longest name of a rate and the longest rates stay apart.
    let numbers = 46.min(width * 2 / 5);
    (wide, left, numbers, width.saturating_sub(left + numbers + 2))
}

/// The stretch of time that the courses show, over them.
fn axis(canvas: &mut Canvas<'_>, app: &App, running: &Running) {
    let row = canvas.area;
    let (wide, left, _, chart_width) = columns(row.width);
    if !wide || chart_width < 20 {
        return;
    }
    let elapsed = running.snapshot.elapsed_ns;
    let endless = running.snapshot.total_bytes.is_none() && elapsed > notes::MINUTE_NS;
    let from = if endless { elapsed - notes::MINUTE_NS } else { 0 };
    let style = app.theme.quiet();
    let start = if from == 0 { "0 s".to_owned() } else { duration(from) };
    canvas.put(left, 0, &start, style);
    canvas.put_right(left + chart_width, 0, &duration(elapsed), style);
    let title = "lines/s over time";
    let middle = left + (chart_width - title.len() as u16) / 2;
    if chart_width > 48 {
        canvas.put(middle, 0, title, style);
    }
}

fn band_of(canvas: &mut Canvas<'_>, app: &App, running: &Running, number: usize) {
    let band = canvas.area;
    let theme = app.theme;
    let command = &running.snapshot.commands[number];
    let selected = number == app.throughput.at;
    if selected {
        canvas.select(0, 1);
        canvas.put(0, 0, "▌", theme.bright().add_modifier(Modifier::BOLD));
    }
    let (wide, left, numbers, chart_width) = columns(band.width);
    let text = safe(running.text.get(command.span.range()).unwrap_or(&command.name));
    let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
    let hue = theme.hue(number);
    let x = canvas.put(2, 0, &(number + 1).to_string(), hue.add_modifier(Modifier::BOLD)) + 1;
    let ink = if selected { theme.bright() } else { theme.ink() };
    canvas.put(x, 0, &cut(&text, usize::from(left.saturating_sub(x + 1))), ink);
    let (now, average) = rates(running, command);
    let figures = &command.figures;
    let slow = slowest(&running.snapshot.commands).is_some_and(|found| found.at == number);
    if !wide {
        // One row for the rate, one for the time.
        let rate = line_rate(if command.running { now.lines } else { average.lines });
        canvas.put_right(band.width.saturating_sub(1), 0, &rate, ink);
        let width = band.width.saturating_sub(32).clamp(6, 30);
        shares_bar(canvas, app, running, number, 4, 1, width);
        let text = format!(
            "{} · {}",
            shares_short(command),
            bytes(figures.held_bytes.max(figures.peak_held_bytes))
        );
        canvas.put(5 + width, 1, &text, theme.quiet());
        return;
    }
    // Numbers at the right, the course in between.
    let chart_left = left;
    let rows = match band.height {
        0..=3 => band.height.max(1),
        rows => rows - 1,
    };
    let window = running.snapshot.total_bytes.is_none().then_some(notes::MINUTE_NS);
    let values = running.history.rates(command.span, usize::from(chart_width), window);
    let most = values.iter().flatten().map(|rate| rate.lines).fold(0.0_f64, f64::max);
    let heights: Vec<Option<f64>> = values
        .iter()
        .map(|rate| rate.map(|rate| if most > 0.0 { rate.lines / most } else { 0.0 }))
        .collect();
    for row in 0..rows {
        let text = chart_row(&heights, usize::from(row), usize::from(rows));
        canvas.put(chart_left, row, &text, hue);
    }
    let right = band.width.saturating_sub(1);
    let column = right.saturating_sub(24);
    let label = if command.running { "now" } else { "on average" };
    let shown = if command.running { now } else { average };
    canvas.put(right - numbers, 0, label, theme.quiet());
    canvas.put_right(column + 8, 0, &line_rate(shown.lines), ink);
    canvas.put_right(right, 0, &byte_rate(shown.bytes), ink);
    if band.height >= 2 {
        if command.running {
            canvas.put(right - numbers, 1, "average", theme.quiet());
            canvas.put_right(column + 8, 1, &line_rate(average.lines), theme.quiet());
            canvas.put_right(right, 1, &byte_rate(average.bytes), theme.quiet());
        } else {
            // A short run was looked at too seldom to see its quickest moment.
            let most = most.max(average.lines);
            canvas.put(right - numbers, 1, "most", theme.quiet());
            canvas.put_right(column + 8, 1, &line_rate(most), theme.quiet());
        }
        let width = left.saturating_sub(8);
        shares_bar(canvas, app, running, number, 4, 1, width);
    }
    if band.height >= 3 {
        let text = shares_in_words(running, number);
        canvas.put(4, 2, &cut(&text, usize::from(left.saturating_sub(5))), theme.quiet());
        let held =
            figures.held_bytes.max(if command.running { 0 } else { figures.peak_held_bytes });
        let memory = format!("{} held", bytes(held));
        canvas.put(right - numbers, 2, &memory, theme.quiet());
        let processor = format!("processor {}", duration(figures.processor_ns));
        canvas.put_right(right, 2, &processor, theme.quiet());
    }
    if band.height >= 4 && number + 1 < running.snapshot.commands.len() {
        link(canvas, app, running, command, 3);
    }
    if slow {
        canvas.put(0, 1.min(band.height - 1), "!", theme.bright());
    }
}

/// What passes now and what passed on average.
fn rates(running: &Running, command: &CommandFigures) -> (Rate, Rate) {
    let now = running.history.rate(command.span, NOW_NS);
    let seconds = (command.figures.elapsed_ns as f64 / 1e9).max(1e-9);
    let (lines, bytes) = insight::passed(command);
    (now, Rate { lines: lines as f64 / seconds, bytes: bytes as f64 / seconds })
}

/// One bar of the elapsed time: at work in the command's own hue, waiting in dots, held up in the
/// hue of the command that holds it up.
fn shares_bar(
    canvas: &mut Canvas<'_>,
    app: &App,
    running: &Running,
    number: usize,
    x: u16,
    y: u16,
    width: u16,
) {
    let theme = app.theme;
    let command = &running.snapshot.commands[number];
    let shares = command.figures.shares();
    let whole = command.figures.elapsed_ns.max(1) as f64;
    let cells = |part: u64| (part as f64 / whole * f64::from(width)).round() as u16;
    let working = cells(shares.working_ns).min(width);
    let held = cells(shares.held_up_ns).min(width - working);
    let waiting = if command.figures.elapsed_ns == 0 { 0 } else { width - working - held };
    let holder = held_by(&running.snapshot.commands, number)
        .filter(|(_, how)| *how == "held up by")
        .map_or(number + 1, |(holder, _)| holder);
    let x = canvas.put(x, y, &"█".repeat(usize::from(working)), theme.hue(number));
    let x = canvas.put(x, y, &"·".repeat(usize::from(waiting)), theme.quiet());
    canvas.put(x, y, &"▒".repeat(usize::from(held)), theme.hue(holder));
}

fn shares_short(command: &CommandFigures) -> String {
    format!("works {} %", share_percents(&command.figures)[0])
}

fn shares_in_words(running: &Running, number: usize) -> String {
    let command = &running.snapshot.commands[number];
    let [works, waits, held_up] = share_percents(&command.figures);
    format!("works {works} · waits {waits} · held up {held_up} %")
}

/// How full the link behind a command is.
fn link(canvas: &mut Canvas<'_>, app: &App, running: &Running, command: &CommandFigures, y: u16) {
    let band = canvas.area;
    let theme = app.theme;
    if !command.linked {
        return;
    }
    let full = running.history.fullness(command.span, 2 * NOW_NS);
    let blocks = (full * LINK_BLOCKS as f64).round() as usize;
    let x = canvas.put(4, y, "↓ ", theme.quiet());
    let x = canvas.put(x, y, &"▪".repeat(blocks), theme.ink());
    let x = canvas.put(x, y, &"·".repeat(LINK_BLOCKS - blocks.min(LINK_BLOCKS)), theme.quiet());
    let passed = format!("link {:.0} % full", full * 100.0);
    canvas.put(x + 1, y, &passed, theme.quiet());
    let text =
        format!("{} · {}", lines(command.figures.lines_out), bytes(command.figures.bytes_out));
    canvas.put_right(band.width.saturating_sub(1), y, &text, theme.quiet());
}

fn output(canvas: &mut Canvas<'_>, app: &App, running: &Running) {
    let area = canvas.area;
    let theme = app.theme;
    let parts = running.parts();
    let Some((file, kept)) = parts.get(app.throughput.part).or(parts.first()) else { return };
    let all = kept.lines();
    if all == 0 && file.is_none() {
        let said = running.run.said();
        let mut rows = vec!["nothing was written to standard output".to_owned()];
        rows.extend(running.written.iter().map(|file| {
            let name = safe(&file.path.display().to_string());
            format!("{name}: {}, {}", lines(file.lines), bytes(file.bytes))
        }));
        rows.extend(said.lines().map(safe));
        for (y, text) in rows.iter().take(usize::from(area.height)).enumerate() {
            canvas.put(2, y as u16, text, if y == 0 { theme.quiet() } else { theme.ink() });
        }
        return;
    }
    let top = app.throughput.top.min(all.saturating_sub(1));
    let name = match file {
        None => "output".to_owned(),
        Some(path) => format!("not written: {}", safe(&path.display().to_string())),
    };
    let others = if parts.len() > 1 {
        let at = app.throughput.part.min(parts.len() - 1);
        format!("   {} of {}, ←→ the others", at + 1, parts.len())
    } else {
        String::new()
    };
    let head = format!("{name}: {} · {}{others}", lines(all), bytes(kept.bytes()));
    canvas.put(1, 0, &head, theme.quiet());
    let rows = usize::from(area.height.saturating_sub(1));
    let digits = grouped(all).len().max(4);
    for (row, line) in kept.lines_at(top, rows).iter().enumerate() {
        let y = row as u16 + 1;
        let number = grouped(top + row as u64 + 1);
        canvas.put_right(digits as u16 + 1, y, &number, theme.quiet());
        let text = safe(&String::from_utf8_lossy(line));
        let room = usize::from(area.width).saturating_sub(digits + 3);
        canvas.put(digits as u16 + 3, y, &cut(&text, room), theme.ink());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_chart_has_eighths_from_the_lowest_row_up() {
        let values = [None, Some(0.0), Some(0.001), Some(0.5), Some(0.75), Some(1.0)];
        assert_eq!(chart_row(&values, 0, 1), "  ▁▄▆█");
        assert_eq!(chart_row(&values, 0, 2), "    ▄█");
        assert_eq!(chart_row(&values, 1, 2), "  ▁███");
        assert_eq!(chart_row(&[Some(2.0)], 0, 1), "█");
    }

    #[test]
    fn columns_have_room_for_the_course_only_where_it_is_wide() {
        assert_eq!(columns(103), (false, 68, 41, 0));
        assert_eq!(columns(104), (true, 39, 41, 22));
        assert_eq!(columns(160), (true, 40, 46, 72));
        assert_eq!(columns(200), (true, 48, 46, 104));
        assert_eq!(columns(0), (false, 0, 0, 0));
    }
}
