//! Patterns for what was marked.

use insight::{Mark, grouped};
use ratatui::style::Modifier;

use crate::screen::canvas::{Canvas, PART, cut};
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::safe;
use crate::views::patterns::state::PatternView;

/// Columns of a count.
const COUNT: u16 = 11;

/// Rows it takes at most `most` of: the examples, the heading, the patterns, the use.
pub(super) fn rows(patterns: &PatternView, most: u16) -> u16 {
    (patterns.suggestions.len() as u16 + 5).clamp(6, most.max(6))
}

pub(super) fn draw(canvas: &mut Canvas<'_>, patterns: &PatternView, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let mut x = examples(canvas, 1, "examples", &app.examples.marks, app);
    if !app.examples.nots.is_empty() {
        x = examples(canvas, x + 2, "must not match", &app.examples.nots, app);
    }
    let _ = x;
    if patterns.suggestions.is_empty() {
        let text =
            "no pattern matches all examples and nothing that it must not match; x forgets them";
        canvas.put(1, 1, &cut(text, usize::from(area.width.saturating_sub(2))), theme.ink());
        return;
    }
    let width = usize::from(area.width);
    let longest =
        patterns.suggestions.iter().map(|one| one.pattern.chars().count()).max().unwrap_or(0);
    let pattern_room = longest.clamp(12, (width / 2).max(12));
    let right = area.width.saturating_sub(1);
    let says_room = width.saturating_sub(pattern_room + 5 + 2 * usize::from(COUNT) + 3);
    let part = if patterns.whole { "" } else { PART };
    canvas.put(3, 1, "pattern", theme.quiet());
    canvas.put_right(right - COUNT.min(right), 1, &format!("{part}pieces"), theme.quiet());
    canvas.put_right(right, 1, &format!("{part}lines"), theme.quiet());
    let rows = usize::from(area.height.saturating_sub(4)).max(1);
    let first = (patterns.at + 1).saturating_sub(rows);
    for (number, one) in patterns.suggestions.iter().enumerate().skip(first).take(rows) {
        let y = 2 + (number - first) as u16;
        let chosen = number == patterns.at;
        canvas.row_target(y, Target::Entry(number));
        if chosen {
            canvas.select(y, 1);
            canvas.put(1, y, "▸", theme.bright());
        }
        let style = if chosen { theme.bright() } else { theme.ink() };
        canvas.put(3, y, &cut(&safe(&one.pattern), pattern_room), style);
        let x = 5 + pattern_room as u16;
        canvas.put(x, y, &cut(&safe(&one.says), says_room), theme.quiet());
        if let Some(found) = patterns.finds.get(number) {
            canvas.put_right(right - COUNT.min(right), y, &grouped(found.pieces), style);
            canvas.put_right(right, y, &grouped(found.lines), style);
        }
    }
    let uses = patterns.uses();
    let Some((says, stage)) = uses.get(patterns.using) else { return };
    let y = area.height.saturating_sub(1);
    let count = format!("{} of {}", patterns.using + 1, uses.len());
    let x = canvas.put(1, y, &format!("←→ {says}"), theme.ink());
    let x = canvas.put(x + 1, y, &count, theme.quiet());
    if !stage.is_empty() {
        let x = canvas.put(x + 2, y, "| ", theme.quiet());
        let room = usize::from(area.width.saturating_sub(x + 1));
        canvas.put(x, y, &cut(&safe(stage), room), theme.bright());
    }
}

/// What was marked, as on paper.
fn examples(canvas: &mut Canvas<'_>, x: u16, name: &str, marks: &[Mark], app: &App) -> u16 {
    let theme = app.theme;
    let mut x = canvas.put(x, 0, name, theme.quiet());
    for mark in marks {
        let piece = mark.line.get(mark.piece.clone()).unwrap_or_default();
        let text = cut(&safe(&String::from_utf8_lossy(piece)), 30);
        x = canvas.put(x + 2, 0, &text, theme.bright().add_modifier(Modifier::REVERSED));
    }
    x
}
