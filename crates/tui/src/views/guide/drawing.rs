//! The Guide, and its pages.

use ratatui::layout::{Position, Rect};

use crate::parts::outcomes::{Known, Layout, headings, row};
use crate::screen::canvas::{Canvas, cut, cut_middle};
use crate::screen::input::input;
use crate::state::app::App;
use crate::text::display::{at_blanks, safe};
use crate::views::guide::state::{Found, GuideView, PageView};
use crate::views::point::place_in_words;

/// Rows it takes at most `most` of: the question, the headings, what was found, the stages.
pub(super) fn rows(guide: &GuideView, most: u16) -> u16 {
    (guide.found.len().min(100) as u16 + 4).clamp(8, most.max(8))
}

/// Draws it; gives the place of the cursor in the question.
pub(super) fn draw(canvas: &mut Canvas<'_>, guide: &GuideView, app: &App) -> Option<Position> {
    let area = canvas.area;
    let theme = app.theme;
    let x = canvas.put(1, 0, "what do you want to do?", theme.quiet());
    let line = Rect { x: area.x + x + 1, width: area.width.saturating_sub(x + 1), ..area };
    let cursor =
        input(&mut canvas.within(line), 0, guide.query.value(), guide.query.visual_cursor());
    let layout = Layout::of(area.width);
    let words = about(guide);
    let room = usize::from(layout.words().saturating_sub(2));
    canvas.put(1, 1, &cut(&words, room), theme.quiet());
    if guide.ground.is_some() {
        headings(canvas, 1, layout, guide.whole, app);
    }
    let rows = usize::from(area.height.saturating_sub(3)).max(1);
    let first = (guide.selected + 1).saturating_sub(rows);
    for (number, found) in guide.found.iter().enumerate().skip(first).take(rows) {
        let y = 2 + (number - first) as u16;
        let (says, known) = match found {
            Found::Recipe(recipe) => {
                let known = match guide.outcomes.get(recipe) {
                    _ if guide.ground.is_none() => Known::None,
                    None => Known::Waiting,
                    Some(None) => Known::Untried,
                    Some(Some(made)) => Known::Made(made),
                };
                (GuideView::recipe(*recipe).aim.to_owned(), known)
            }
            Found::Filter(definition) => {
                let spec = definition.spec;
                (format!("page: {}, {}", spec.name, spec.summary), Known::None)
            }
            Found::Topic(topic) => (format!("page: {}", topic.title), Known::None),
        };
        row(canvas, y, layout, &says, &known, (number, number == guide.selected), app);
    }
    let y = area.height.saturating_sub(1);
    match guide.chosen() {
        Some(Found::Recipe(recipe)) => {
            let x = canvas.put(1, y, "| ", theme.quiet());
            let place = place_in_words(guide.at, app);
            let place =
                if guide.ground.is_some() { place } else { "← on sample data".to_owned() };
            let room =
                usize::from(area.width).saturating_sub(usize::from(x) + place.chars().count() + 4);
            let stages = safe(&guide.forms[recipe].stages).replace("^J", " ");
            let x = canvas.put(x, y, &cut_middle(&stages, room), theme.bright());
            canvas.put(x + 2, y, &place, theme.quiet());
        }
        Some(_) => {
            canvas.put(1, y, "Enter opens the page", theme.quiet());
        }
        None => {
            canvas.put(
                3,
                2,
                "nothing found: try other words, or the name of a filter",
                theme.quiet(),
            );
        }
    }
    cursor
}

/// The field that recipes are about.
fn about(guide: &GuideView) -> String {
    let Some(ground) = &guide.ground else {
        return "no lines yet: recipes are shown on their samples".to_owned();
    };
    let table = ground.table();
    let column = table.columns.get(guide.field - 1);
    let heading = column.map(insight::Column::heading).filter(|heading| !heading.is_empty());
    let name = heading.map_or(String::new(), |heading| format!(" {}", safe(&heading)));
    let kind = column.map_or(String::new(), |column| format!(", {}", column.kind_in_words()));
    format!("with field {}{name}{kind} (Tab: the next)", guide.field)
}

/// Rows of a page.
pub(super) fn page_rows(page: &PageView, most: u16) -> u16 {
    (page.lines.len() as u16 + 1).clamp(4, most.max(4))
}

/// Draws a page.
pub(super) fn page(canvas: &mut Canvas<'_>, page: &PageView, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    canvas.put(1, 0, &page.title, theme.bright());
    let rows = usize::from(area.height.saturating_sub(1));
    let room = usize::from(area.width.saturating_sub(2));
    let lines = wrapped(&page.lines, room);
    let top = page.top.min(lines.len().saturating_sub(rows));
    for (y, line) in lines.iter().skip(top).take(rows).enumerate() {
        let style = if line.starts_with("    ") { theme.bright() } else { theme.ink() };
        canvas.put(1, y as u16 + 1, &cut(line, room), style);
    }
    if lines.len() > rows {
        let end = (top + rows).min(lines.len());
        let text = format!("{}–{end} of {}", top + 1, lines.len());
        canvas.put_right(area.width.saturating_sub(1), 0, &text, theme.quiet());
    }
}

/// The lines of a page, those of text broken where they are too long.
fn wrapped(lines: &[String], room: usize) -> Vec<String> {
    let mut out = Vec::new();
    for line in lines {
        let line = safe(line);
        if line.starts_with("  ") {
            out.push(line);
        } else {
            out.extend(at_blanks(&line, room));
        }
    }
    out
}
