//! The Wiring: each stage with its descriptors, and the redirections of the selected one in the
//! order in which the shell performs them.

use insight::{End, Step, Wire, wiring};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

use super::circuit;
use crate::screen::canvas::{Canvas, cut, list_and_side};
use crate::state::app::App;
use crate::text::display::safe;

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let Some(preview) = app.result.preview.as_ref().filter(|preview| !preview.stages.is_empty())
    else {
        canvas.put(2, 1, "no stages to show yet", app.theme.quiet());
        return;
    };
    let plans: Vec<_> = preview.stages.iter().map(|stage| stage.plan.clone()).collect();
    let given = app.has_given_input();
    let all: Vec<Vec<Step>> = (0..plans.len()).map(|stage| wiring(&plans, stage, given)).collect();
    let number = app.place.stage().min(plans.len() - 1);
    // On a narrow screen the steps of the selected stage stand below the stages.
    let steps_rows = (all[number].len() as u16 * 2 + 2).min(area.height * 2 / 3);
    let (left, right) = list_and_side(area, 10, area.height - steps_rows);
    if left.width >= circuit::NARROWEST {
        let title = "stages and where their descriptors lead";
        canvas.within(left).put(2, 0, title, app.theme.quiet());
        let drawn = Rect { y: left.y + 1, height: left.height.saturating_sub(1), ..left };
        circuit::draw(&mut canvas.within(drawn), app, &all, number);
    } else {
        stages(&mut canvas.within(left), app, &all, number);
    }
    steps(&mut canvas.within(right), app, &all[number], number);
}

/// The arrow of a wire: in or out.
fn arrow(end: &End) -> &'static str {
    match end {
        End::Closed => "×",
        end if end.is_read() => "◂",
        _ => "▸",
    }
}

fn style_of(app: &App, end: &End) -> Style {
    match end {
        End::PipeFrom(stage) | End::PipeTo(stage) => app.theme.hue(*stage),
        End::Terminal | End::Nowhere | End::Closed => app.theme.quiet(),
        _ => app.theme.ink(),
    }
}

/// Columns that a wire takes at least.
const WIRE_LEAST: u16 = 10;

fn wires_line(canvas: &mut Canvas<'_>, y: u16, x: u16, app: &App, wires: &[Wire]) {
    let area = canvas.area;
    let mut x = x;
    for wire in wires {
        if area.width < x + WIRE_LEAST {
            // Part of one says nothing.
            canvas.put(area.width.saturating_sub(1), y, "…", app.theme.quiet());
            return;
        }
        let read = wire.descriptor == 0 || wire.end.is_read();
        let arrow = if wire.end == End::Terminal && read { "◂" } else { arrow(&wire.end) };
        x = canvas.put(x, y, &format!("{} {arrow} ", wire.descriptor), app.theme.bright());
        let room = usize::from(area.width.saturating_sub(x));
        x = canvas.put(x, y, &cut(&safe(&wire.end.says()), room), style_of(app, &wire.end));
        x += 3;
    }
}

fn stages(canvas: &mut Canvas<'_>, app: &App, all: &[Vec<Step>], number: usize) {
    let area = canvas.area;
    let Some(preview) = &app.result.preview else { return };
    // Name and descriptors of each stage, or one row each where there is no room.
    let tall: usize =
        all.iter().map(|steps| 1 + steps.last().map_or(0, |step| step.wires.len())).sum();
    let folded = tall + 1 > usize::from(area.height);
    canvas.put(2, 0, "stages and where their descriptors lead", app.theme.quiet());
    let rows_of = |stage: usize| {
        if folded { 1 } else { 1 + all[stage].last().map_or(0, |step| step.wires.len()) }
    };
    let before: usize = (0..=number).map(rows_of).sum();
    let room = usize::from(area.height.saturating_sub(1));
    let mut skip = before.saturating_sub(room);
    let mut y = 1;
    for (stage, steps) in all.iter().enumerate() {
        if skip >= rows_of(stage) {
            skip -= rows_of(stage);
            continue;
        }
        skip = 0;
        let result = &preview.stages[stage];
        let text = preview.text.get(result.span.range()).unwrap_or_default();
        let selected = stage == number;
        if selected {
            canvas.select(y, 1);
            canvas.put(0, y, "▌", app.theme.hue(stage).add_modifier(Modifier::BOLD));
        }
        let label = format!("{:>2} ", stage + 1);
        let x = canvas.put(1, y, &label, app.theme.hue(stage).add_modifier(Modifier::BOLD));
        let style = if selected { app.theme.bright() } else { app.theme.ink() };
        let text = text.split_whitespace().collect::<Vec<_>>().join(" ");
        let wires = steps.last().map(|step| &step.wires[..]).unwrap_or_default();
        if folded {
            let name_room = usize::from(area.width / 4);
            canvas.put(x, y, &cut(&safe(&text), name_room), style);
            wires_line(canvas, y, x + name_room as u16 + 2, app, wires);
            y += 1;
            continue;
        }
        let name_room = usize::from(area.width.saturating_sub(x + 1));
        canvas.put(x, y, &cut(&safe(&text), name_room), style);
        y += 1;
        for wire in wires {
            wires_line(canvas, y, x + 2, app, std::slice::from_ref(wire));
            y += 1;
        }
        if y >= area.height {
            return;
        }
    }
}

fn steps(canvas: &mut Canvas<'_>, app: &App, steps: &[Step], number: usize) {
    let area = canvas.area;
    let Some(preview) = &app.result.preview else { return };
    let title = match steps.len() {
        0 | 1 => {
            format!("stage {} has no redirections: it keeps its pipes and the terminal", number + 1)
        }
        _ => format!("stage {}, in the order the shell performs it", number + 1),
    };
    canvas.put(0, 0, &title, app.theme.quiet());
    // The redirection as it is in the text, or what is there before the first one.
    let label = |step: &Step| -> &str {
        step.span.and_then(|span| preview.text.get(span.range())).unwrap_or("at the start")
    };
    let widest =
        steps.iter().map(|step| label(step).chars().count()).max().unwrap_or(0).clamp(8, 24) as u16;
    let mut y = 1;
    for step in steps {
        let first_line = label(step).lines().next().unwrap_or_default();
        let style = if step.span.is_some() { app.theme.bright() } else { app.theme.quiet() };
        canvas.put(1, y, &cut(&safe(first_line), usize::from(widest)), style);
        let room = usize::from(area.width.saturating_sub(widest + 4));
        canvas.put(widest + 3, y, &cut(&safe(&step.says), room), app.theme.ink());
        let says = |wire: &Wire| wire.end.says().chars().count() + 7;
        let all: usize = step.wires.iter().map(says).sum();
        if all <= room + 3 {
            wires_line(canvas, y + 1, widest + 3, app, &step.wires);
            y += 2;
        } else {
            for wire in &step.wires {
                wires_line(canvas, y + 1, widest + 3, app, std::slice::from_ref(wire));
                y += 1;
            }
            y += 1;
        }
        y += u16::from(area.height > steps.len() as u16 * 3);
        if y >= area.height {
            return;
        }
    }
}
