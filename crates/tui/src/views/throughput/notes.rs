//! The selected command in words, under the bands.

use engine::CommandKind;
use insight::{bytes, duration, grouped, held_by, line_rate, lines, percent};
use ratatui::style::{Modifier, Style};

use crate::screen::canvas::{Canvas, cut};
use crate::state::app::App;
use crate::text::display::safe;

/// Runs without an end show the last minute.
pub(super) const MINUTE_NS: u64 = 60_000_000_000;

pub(super) fn notes(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let Some(running) = &app.running else { return };
    let commands = &running.snapshot.commands;
    let number = app.throughput.at.min(commands.len().saturating_sub(1));
    let Some(command) = commands.get(number) else { return };
    let theme = app.theme;
    let figures = &command.figures;
    let room = usize::from(area.width.saturating_sub(6));
    canvas.put(1, 0, &(number + 1).to_string(), theme.hue(number).add_modifier(Modifier::BOLD));
    let mut first = format!(
        "{} in, {} out · {} in, {} out",
        lines(figures.lines_in),
        grouped(figures.lines_out),
        bytes(figures.bytes_in),
        bytes(figures.bytes_out)
    );
    if command.runs > 1 {
        first.push_str(&format!(" · ran {} times", grouped(command.runs)));
    }
    canvas.put(4, 0, &cut(&first, room), theme.ink());
    let shares = figures.shares();
    let mut second = format!(
        "of {}: {} at work, {} waiting for input, {} held up · processor {} · at most {} held",
        duration(figures.elapsed_ns),
        percent(shares.working_ns, figures.elapsed_ns),
        percent(shares.waiting_ns, figures.elapsed_ns),
        percent(shares.held_up_ns, figures.elapsed_ns),
        duration(figures.processor_ns),
        bytes(figures.peak_held_bytes),
    );
    if command.kind == CommandKind::Program {
        second.push_str(" · as reported by the kernel");
    }
    let mut rows: Vec<(String, Style)> = vec![(second, theme.quiet())];
    if let Some((other, how)) = held_by(commands, number) {
        rows.push((format!("{how} {} {}", other + 1, commands[other].name), theme.ink()));
    }
    if let Some(holds) = command.holds {
        let limit = command.memory_limit.map_or(String::new(), |limit| {
            format!("; what does not fit into {} goes to temporary files", bytes(limit))
        });
        rows.push((format!("holds data back: {holds}{limit}"), theme.ink()));
    }
    if running.snapshot.total_bytes.is_none() && command.running {
        let gaps = running.history.gaps(command.span);
        let minute = running.history.rate(command.span, MINUTE_NS);
        rows.push((
            format!(
                "over the last minute {} · last line {} ago · longest gap {}",
                line_rate(minute.lines),
                duration(gaps.since_last_ns),
                duration(gaps.longest_ns)
            ),
            theme.ink(),
        ));
    }
    if let Some(said) = running.run.said().lines().next() {
        rows.push((format!("standard error: {}", safe(said)), theme.bright()));
    }
    for (y, (text, style)) in rows.iter().enumerate() {
        canvas.put(4, y as u16 + 1, &cut(text, room), *style);
    }
}
