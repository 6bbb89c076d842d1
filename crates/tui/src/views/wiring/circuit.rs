//! The stages as boxes and their descriptors as wires: a pipe really leads from 1 to the next 0,
//! and what goes where another goes joins it.

use insight::{End, Step, Wire};
use ratatui::style::{Modifier, Style};

use crate::screen::canvas::{Canvas, cut_middle};
use crate::state::app::App;
use crate::text::display::safe;

/// Columns below which there is no room for boxes and wires.
pub(super) const NARROWEST: u16 = 52;

/// Columns of what is read, before the boxes.
const SOURCE: u16 = 13;

/// Columns of what is written, after the boxes, at least.
const TARGET: u16 = 26;

/// From the edge of a box to the wire that leads down.
const DOWN: u16 = 6;

/// A piece of a row: where it is, and how it looks.
type Piece = (u16, String, Style);

/// The rows of the drawing, and in which of them each stage begins.
struct Drawing {
    rows: Vec<Vec<Piece>>,
    begins: Vec<usize>,
}

/// Draws all stages; of more than there is room for, those around the selected one.
pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App, all: &[Vec<Step>], selected: usize) {
    let area = canvas.area;
    let drawing = drawing(area.width, app, all, selected);
    let height = usize::from(area.height);
    let from = drawing.begins.get(selected).copied().unwrap_or(0);
    let end = drawing.begins.get(selected + 1).copied().unwrap_or(drawing.rows.len());
    let last = drawing.rows.len().saturating_sub(height);
    let first = end.saturating_sub(height).min(from).min(last);
    for (y, row) in (0..area.height).zip(drawing.rows.iter().skip(first)) {
        for (x, text, style) in row {
            canvas.put(*x, y, text, *style);
        }
        if first + usize::from(y) == from {
            let mark = app.theme.hue(selected).add_modifier(Modifier::BOLD);
            canvas.put(0, y, "▌", mark);
        }
    }
}

fn drawing(width: u16, app: &App, all: &[Vec<Step>], selected: usize) -> Drawing {
    let mut drawing = Drawing { rows: Vec::new(), begins: Vec::new() };
    let Some(preview) = &app.result.preview else { return drawing };
    let texts: Vec<String> = preview
        .stages
        .iter()
        .map(|stage| {
            let text = preview.text.get(stage.span.range()).unwrap_or(&stage.name);
            safe(&text.split_whitespace().collect::<Vec<_>>().join(" "))
        })
        .collect();
    let ends = all.iter().filter_map(|steps| steps.last()).flat_map(|step| {
        step.wires.iter().map(|wire| words_of(&step.wires, wire).chars().count() as u16 + 10)
    });
    let target = ends.max().unwrap_or(0).clamp(TARGET, (width / 2).max(TARGET));
    let room = usize::from(width.saturating_sub(SOURCE + target + 10)).max(12);
    let inside = texts.iter().map(|text| text.chars().count() + 5).max().unwrap_or(0).min(room);
    for (number, (steps, text)) in all.iter().zip(&texts).enumerate() {
        drawing.begins.push(drawing.rows.len());
        let wires = steps.last().map(|step| &step.wires[..]).unwrap_or_default();
        let stage = Stage { number, text, wires, inside, width, selected: number == selected };
        drawing.rows.extend(stage.rows(app));
    }
    drawing
}

struct Stage<'s> {
    number: usize,
    text: &'s str,
    wires: &'s [Wire],
    /// Columns within the boxes.
    inside: usize,
    width: u16,
    selected: bool,
}

/// A descriptor that goes where another one goes, because it was led there.
fn joins(wires: &[Wire], wire: &Wire) -> bool {
    let of = wire.joined.and_then(|of| wires.iter().find(|other| other.descriptor == of));
    of.is_some_and(|of| of.end == wire.end)
}

/// Where a wire ends, in words.
fn words_of(wires: &[Wire], wire: &Wire) -> String {
    let words = safe(&wire.end.says()).trim_start_matches("the ").to_owned();
    match wire.joined.filter(|_| !joins(wires, wire)) {
        Some(of) => format!("{words} (where {of} led before)"),
        None => words,
    }
}

/// One of both was led where the other one leads, and both lead there still.
fn share(one: &Wire, other: &Wire) -> bool {
    let led = one.joined == Some(other.descriptor) || other.joined == Some(one.descriptor);
    led && one.end == other.end
}

impl Stage<'_> {
    fn rows(&self, app: &App) -> Vec<Vec<Piece>> {
        let theme = app.theme;
        let hue = theme.hue(self.number);
        let left = SOURCE + 2;
        let right = left + 2 + self.inside as u16 + 1;
        let down = right + DOWN;
        let is_input = |wire: &&Wire| wire.descriptor == 0;
        let others: Vec<&Wire> = self.wires.iter().filter(|wire| wire.descriptor != 0).collect();
        let height = others.len().max(2);
        let is_pipe = |wire: &Wire| matches!(wire.end, End::PipeTo(_));
        let (first_pipe, last_pipe) = (
            others.iter().position(|wire| is_pipe(wire)),
            others.iter().rposition(|wire| is_pipe(wire)),
        );
        let mut rows: Vec<Vec<Piece>> = vec![Vec::new(); height];
        if let Some(input) = self.wires.iter().find(is_input) {
            rows[0].extend(Self::input(app, input, left));
        }
        let label = format!(" {} ", self.number + 1);
        let name = cut_middle(self.text, self.inside - label.len());
        let filling = self.inside.saturating_sub(label.len() + name.chars().count());
        let bold = if self.selected { theme.bright() } else { theme.ink() };
        let number_at = left + 3;
        rows[0].extend([
            (left + 2, format!("┌{}┐", "─".repeat(self.inside)), hue),
            (number_at, label.clone(), hue.add_modifier(Modifier::BOLD)),
            (
                number_at + label.len() as u16,
                format!("{name}{}", if filling > 0 { " " } else { "" }),
                bold,
            ),
        ]);
        for (at, row) in rows.iter_mut().enumerate().skip(1) {
            let (one, between, other) =
                if at + 1 == height { ("└", "─", "┘") } else { ("│", " ", "│") };
            row.push((left + 2, format!("{one}{}{other}", between.repeat(self.inside)), hue));
        }
        for (at, wire) in others.iter().enumerate() {
            let at_pipe = (first_pipe, last_pipe);
            rows[at].extend(self.output(app, wire, &others, at, (right, down), at_pipe));
        }
        if last_pipe.is_some() {
            // Back to the left, into the next stage.
            for row in rows.iter_mut().skip(others.len()) {
                row.push((down, "│".to_owned(), hue));
            }
            let line = format!("╭{}╯", "─".repeat(usize::from(down - left + 3)));
            rows.push(vec![(left - 4, line, hue)]);
        }
        rows
    }

    fn input(app: &App, wire: &Wire, left: u16) -> Vec<Piece> {
        let theme = app.theme;
        let digit = (left, "0".to_owned(), theme.bright());
        match &wire.end {
            End::PipeFrom(stage) => {
                vec![(left - 4, "╰─▶ ".to_owned(), theme.hue(*stage)), digit]
            }
            End::Closed => vec![(left - 4, "  × ".to_owned(), theme.quiet()), digit],
            end => {
                let words = safe(&end.says());
                let words = cut_middle(words.trim_start_matches("the "), usize::from(SOURCE - 3));
                let at = (left - 4).saturating_sub(words.chars().count() as u16 + 1);
                let style = if matches!(end, End::Terminal | End::Nowhere) {
                    theme.quiet()
                } else {
                    theme.ink()
                };
                vec![(at, words, style), (left - 4, "──▶ ".to_owned(), theme.quiet()), digit]
            }
        }
    }

    /// One of the descriptors at the right of the box, the one in row `at`.
    fn output(
        &self,
        app: &App,
        wire: &Wire,
        others: &[&Wire],
        at: usize,
        (right, down): (u16, u16),
        (first_pipe, last_pipe): (Option<usize>, Option<usize>),
    ) -> Vec<Piece> {
        let theme = app.theme;
        let hue = theme.hue(self.number);
        let mut pieces = vec![(right + 2, wire.descriptor.to_string(), theme.bright())];
        let start = right + 4;
        let line = |from: u16, to: u16| "─".repeat(usize::from(to.saturating_sub(from)));
        if matches!(wire.end, End::PipeTo(_)) {
            let corner = if Some(at) == first_pipe { "╮" } else { "┤" };
            pieces.push((start, format!("{}{corner}", line(start, down)), hue));
            return pieces;
        }
        let passes = first_pipe.is_some_and(|first| first < at) && last_pipe.is_some();
        let cross = if passes { "┼" } else { "─" };
        // A wire that another one joins, or that joins the one above it.
        let above = at.checked_sub(1).and_then(|above| others.get(above));
        let below = others.get(at + 1);
        let joins_above = above.is_some_and(|above| share(above, wire));
        let joined_below = below.is_some_and(|below| share(wire, below));
        let join_at = start + 1;
        if joins_above {
            pieces.push((start, "─╯".to_owned(), theme.ink()));
            return pieces;
        }
        let read = wire.end.is_read();
        let arrow = match (&wire.end, read) {
            (End::Closed, _) => "× ",
            (_, true) => "◀ ",
            _ => "▶ ",
        };
        let mut text: String = format!("{}{cross}─{arrow}", line(start, down));
        if joined_below {
            let index = usize::from(join_at - start);
            text = text
                .chars()
                .enumerate()
                .map(|(place, sign)| if place == index { '┬' } else { sign })
                .collect();
        }
        let ink = if matches!(wire.end, End::Terminal | End::Nowhere | End::Closed) {
            theme.quiet()
        } else {
            theme.ink()
        };
        let length = text.chars().count() as u16;
        pieces.push((start, text, theme.quiet()));
        let words = words_of(self.wires, wire);
        let room = usize::from(self.width.saturating_sub(start + length + 1));
        pieces.push((start + length, cut_middle(&words, room), ink));
        pieces
    }
}
