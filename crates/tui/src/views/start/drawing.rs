//! The place to begin: what is here, what was done lately, programs, the demo.

use insight::{EntryKind, FileLook, FolderEntry, Shelved, bytes, duration, grouped};
use ratatui::layout::{Position, Rect};

use crate::screen::canvas::{Canvas, cut, cut_middle};
use crate::screen::input::input;
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::safe;
use crate::views::start::state::{Beginning, Item, StartView};

/// A row: a heading, an item by its place among those found, or nothing.
enum Row {
    Heading(&'static str),
    Found(usize),
    Space,
}

/// Draws it; gives the place of the cursor in the search.
pub(super) fn draw(canvas: &mut Canvas<'_>, view: &StartView, app: &App) -> Option<Position> {
    let theme = app.theme;
    let area = canvas.area;
    let x = canvas.put(1, 0, "type to search:", theme.quiet());
    let line = Rect { x: area.x + x + 1, width: area.width.saturating_sub(x + 1), ..area };
    let query = &view.query;
    let cursor = input(&mut canvas.within(line), 0, query.value(), query.visual_cursor());
    let Some(all) = &view.all else {
        canvas.put(1, 2, "reading this folder …", theme.quiet());
        return cursor;
    };
    if let Err(why) = &all.files {
        let text = format!("this folder cannot be read: {}", safe(why));
        canvas.put(1, 1, &text, theme.bright());
    }
    let rows = rows(view);
    let room = usize::from(area.height.saturating_sub(3));
    let selected = rows.iter().position(|row| matches!(row, Row::Found(at) if *at == view.at));
    // The heading of the first file stays in view, too.
    let top = (selected.unwrap_or(0) + 2).saturating_sub(room.max(1)).min(rows.len());
    let top = if selected.unwrap_or(0) + 1 < room { 0 } else { top };
    let columns = Columns::of(area.width);
    for (y, row) in (2..area.height.saturating_sub(1)).zip(rows.iter().skip(top)) {
        match row {
            Row::Space => {}
            Row::Heading(text) => {
                canvas.put(1, y, text, theme.quiet());
                if *text == HERE {
                    columns.headings(canvas, y, app);
                }
            }
            Row::Found(at) => {
                canvas.row_target(y, Target::Entry(*at));
                item(canvas, y, view, all, view.found[*at], &columns, app);
                if *at == view.at {
                    canvas.put(1, y, "▸", theme.bright());
                    canvas.select(y, 1);
                }
            }
        }
    }
    if view.found.is_empty() {
        canvas.put(3, 2, "nothing found; Esc leaves for an empty text", theme.quiet());
    }
    if let Some(chosen) = view.chosen() {
        let text = says(view, all, chosen);
        let y = area.height.saturating_sub(1);
        canvas.put(1, y, &cut(&text, usize::from(area.width.saturating_sub(2))), theme.ink());
    }
    cursor
}

const HERE: &str = "in this folder";

fn rows(view: &StartView) -> Vec<Row> {
    let heading = |item: Item| match item {
        Item::File(_) | Item::Above => HERE,
        Item::Lately(_) => "lately",
        Item::Program(_) => "programs of this machine that only look",
        Item::Demo => "to try it",
    };
    let mut rows = Vec::new();
    let mut before = "";
    for (at, found) in view.found.iter().enumerate() {
        let of = heading(*found);
        if of != before {
            if !rows.is_empty() {
                rows.push(Row::Space);
            }
            rows.push(Row::Heading(of));
            before = of;
        }
        rows.push(Row::Found(at));
    }
    rows
}

/// Where the columns of files end or begin.
struct Columns {
    name: u16,
    kind: u16,
    /// These end before their column.
    lines: u16,
    size: u16,
    changed: u16,
    first: u16,
}

impl Columns {
    fn of(width: u16) -> Self {
        let name = (width / 5).clamp(18, 30);
        let kind = if width >= 100 { 30 } else { 24 };
        let kind_end = 3 + name + kind + 2;
        let lines = kind_end + 12;
        let size = lines + 11;
        let changed = size + 15;
        Self { name, kind: 3 + name + 2, lines, size, changed, first: changed + 3 }
    }

    fn headings(&self, canvas: &mut Canvas<'_>, y: u16, app: &App) {
        let quiet = app.theme.quiet();
        for (end, text) in [(self.lines, "lines"), (self.size, "size"), (self.changed, "changed")] {
            if end <= canvas.area.width {
                canvas.put_right(end, y, text, quiet);
            }
        }
        if self.first + 12 <= canvas.area.width {
            canvas.put(self.first, y, "first line", quiet);
        }
    }
}

fn item(
    canvas: &mut Canvas<'_>,
    y: u16,
    view: &StartView,
    all: &Beginning,
    item: Item,
    columns: &Columns,
    app: &App,
) {
    let theme = app.theme;
    let width = usize::from(canvas.area.width);
    match item {
        Item::File(number) => {
            let Some(file) = view.file(number) else { return };
            let is_marked = view.marked.contains(&number);
            if is_marked {
                canvas.put(2, y, "+", theme.bright());
            }
            file_row(canvas, y, file, view.looks.get(&number), columns, app);
        }
        Item::Above => {
            canvas.put(3, y, "../", theme.ink());
            canvas.put(columns.kind, y, "the folder above", theme.quiet());
        }
        Item::Lately(number) => {
            let Some(entry) = all.lately.get(number) else { return };
            let name = match &entry.shelved {
                Shelved::Saved(path) => safe(&path.display().to_string()),
                Shelved::Past => "not saved".to_owned(),
            };
            let style = if entry.shelved == Shelved::Past { theme.quiet() } else { theme.ink() };
            canvas.put(3, y, &cut_middle(&name, usize::from(columns.name)), style);
            let known = entry.last.as_ref().map_or(String::new(), |last| {
                format!("{} · {}", age(last.when.into()), duration(last.elapsed_ns))
            });
            let end = width.saturating_sub(known.chars().count() + 1);
            canvas.put(end as u16, y, &known, theme.quiet());
            let room = end.saturating_sub(usize::from(columns.kind) + 2);
            canvas.put(columns.kind, y, &cut(&safe(&entry.line()), room), theme.ink());
        }
        Item::Program(number) => {
            let Some(program) = all.programs.get(number) else { return };
            let x = canvas.put(3, y, program.line, theme.ink());
            canvas.put((x + 2).max(columns.kind + 20), y, program.says, theme.quiet());
        }
        Item::Demo => {
            canvas.put(3, y, "demo", theme.ink());
            canvas.put(
                columns.kind,
                y,
                "made-up data of a funicular railway, with pipelines",
                theme.quiet(),
            );
        }
    }
}

fn file_row(
    canvas: &mut Canvas<'_>,
    y: u16,
    file: &FolderEntry,
    look: Option<&Result<FileLook, String>>,
    columns: &Columns,
    app: &App,
) {
    let theme = app.theme;
    let slash = if file.kind == EntryKind::Folder { "/" } else { "" };
    let name = format!("{}{slash}", safe(&file.name.to_string_lossy()));
    canvas.put(3, y, &cut_middle(&name, usize::from(columns.name)), theme.ink());
    let kind = match (file.kind, look) {
        (EntryKind::Folder, _) => "folder".to_owned(),
        (EntryKind::Other, _) => "not a file".to_owned(),
        (_, None) => "…".to_owned(),
        (_, Some(Err(why))) => safe(why),
        (_, Some(Ok(look))) => look.kind.clone(),
    };
    let kind_room = usize::from(columns.lines.saturating_sub(columns.kind + 11));
    canvas.put(columns.kind, y, &cut(&kind, kind_room), theme.quiet());
    if file.kind != EntryKind::File {
        return;
    }
    let fits = |end: u16| end <= canvas.area.width;
    let look = look.and_then(|look| look.as_ref().ok());
    let (has_lines, has_size, has_age) =
        (fits(columns.lines), fits(columns.size), fits(columns.changed));
    if let Some(lines) = look.and_then(|look| look.lines).filter(|_| has_lines) {
        let about = if look.is_some_and(|look| look.estimated) { "~" } else { "" };
        canvas.put_right(columns.lines, y, &format!("{about}{}", grouped(lines)), theme.ink());
    }
    if has_size {
        canvas.put_right(columns.size, y, &bytes(file.bytes), theme.ink());
    }
    if let Some(changed) = file.changed.filter(|_| has_age) {
        canvas.put_right(columns.changed, y, &age(changed), theme.quiet());
    }
    if let Some(look) = look {
        let room = usize::from(canvas.area.width.saturating_sub(columns.first + 1));
        if room >= 12 {
            let first = safe(&String::from_utf8_lossy(&look.first));
            canvas.put(columns.first, y, &cut(&first, room), theme.quiet());
        }
    }
}

/// How long ago something was, in one unit.
fn age(time: std::time::SystemTime) -> String {
    let Ok(since) = time.elapsed() else { return "in the future".to_owned() };
    let seconds = since.as_secs();
    let counted = |count: u64, one: &str, many: &str| {
        format!("{count} {} ago", if count == 1 { one } else { many })
    };
    match seconds {
        0..=9 => "now".to_owned(),
        10..=59 => format!("{seconds} s ago"),
        60..=3599 => format!("{} min ago", seconds / 60),
        3600..=86_399 => format!("{} h ago", seconds / 3600),
        86_400..=2_678_399 => counted(seconds / 86_400, "day", "days"),
        2_678_400..=31_535_999 => counted(seconds / 2_629_746, "month", "months"),
        _ => counted(seconds / 31_556_952, "year", "years"),
    }
}

/// What Enter does with the selected item.
fn says(view: &StartView, all: &Beginning, item: Item) -> String {
    let marked = view.marked.len();
    if marked > 0 {
        return format!(
            "Enter opens {marked} marked {}",
            if marked == 1 { "file" } else { "files, one after the other" }
        );
    }
    match item {
        Item::File(number) => {
            let Some(file) = view.file(number) else { return String::new() };
            let name = safe(&file.name.to_string_lossy());
            match file.kind {
                EntryKind::Folder => format!("Enter goes to {name}/"),
                EntryKind::Other => {
                    format!("{name} is a pipe, a device or a link to nowhere: it is not opened")
                }
                EntryKind::File if file.is_script => format!("Enter opens {name} as a pipeline"),
                EntryKind::File => {
                    format!("Enter opens {name}: its lines, its columns, and a place to type")
                }
            }
        }
        Item::Above => {
            format!("Enter goes to {}", safe(&insight::folder_name(&all.folder.join(".."))))
        }
        Item::Lately(_) => "Enter takes this line; nothing is written before you say so".to_owned(),
        Item::Program(_) => "Enter shows what it writes; it only looks".to_owned(),
        Item::Demo => "Enter opens the demo in a folder of its own".to_owned(),
    }
}
