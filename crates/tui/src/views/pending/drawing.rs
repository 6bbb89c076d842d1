//! The Pending view: files that would be written and commands that would be run, with what would
//! change in the selected one.

use engine::{HeldCommand, PendingFile, PendingMode, StartResult};
use insight::{bytes, duration, figure_bytes, figure_lines, grouped};
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

use crate::actions::keyed;
use crate::parts::difference;
use crate::screen::canvas::{Canvas, cut, list_and_side};
use crate::state::app::App;
use crate::text::display::{at_blanks, in_rows, safe};

pub(super) fn draw(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let Some(preview) = &app.result.preview else {
        canvas.put(2, 1, "no result yet", app.theme.quiet());
        return;
    };
    let unwritten = app.unwritten();
    let files: Vec<PendingFile> =
        preview.pending.iter().map(|file| file.with_all(&unwritten)).collect();
    let (files, commands) = (&files[..], &preview.commands[..]);
    let past = &app.pending.past[..];
    if files.is_empty() && commands.is_empty() && preview.refused.is_empty() && past.is_empty() {
        let text = "nothing planned: this text writes no files and runs no external commands";
        canvas.put(2, 1, text, app.theme.quiet());
        return;
    }
    // A title for each kind of row.
    let kinds = [files.len(), commands.len(), preview.refused.len(), past.len()];
    let titles = kinds.iter().filter(|count| **count > 0).count();
    let rows = kinds.iter().sum::<usize>() + titles;
    let (list, side) = list_and_side(area, 9, (rows as u16).min(area.height / 2));
    draw_list(&mut canvas.within(list), app, files, commands, &preview.refused);
    let at = app.pending.at;
    if let Some(file) = files.get(at) {
        draw_file(&mut canvas.within(side), app, file);
    } else if let Some(command) = commands.get(at - files.len()) {
        draw_command(&mut canvas.within(side), app, command);
    }
}

enum Line<'l> {
    Title(String),
    /// A file that may not be written, and why.
    Refused(String, &'l str),
    File(usize, &'l PendingFile),
    Command(usize, &'l HeldCommand),
    /// A command that was started and is none of the text's any more.
    Past(&'l HeldCommand, &'l StartResult),
}

fn draw_list(
    canvas: &mut Canvas<'_>,
    app: &App,
    files: &[PendingFile],
    commands: &[HeldCommand],
    refused: &[(std::path::PathBuf, String)],
) {
    let area = canvas.area;
    let mut list = Vec::new();
    if !files.is_empty() {
        let what = if files.len() == 1 { "file" } else { "files" };
        let written = files.iter().filter(|file| app.pending.written.contains_key(&file.path));
        list.push(Line::Title(match written.count() {
            0 => format!("{} {what} would be written", files.len()),
            all if all == files.len() => format!("{all} {what} written"),
            some => format!("{some} of {} {what} written", files.len()),
        }));
    }
    list.extend(files.iter().enumerate().map(|(at, file)| Line::File(at, file)));
    if !commands.is_empty() {
        let what = if commands.len() == 1 { "command" } else { "commands" };
        let count = grouped(commands.len() as u64);
        let started =
            (0..commands.len()).filter(|number| app.start_result(*number).is_some()).count();
        list.push(Line::Title(match started {
            _ if app.pending.acting => acting(app, started),
            0 => format!("{count} {what} would be run"),
            started => format!("{} of {count} {what} run", grouped(started as u64)),
        }));
    }
    let commands = commands.iter().enumerate();
    list.extend(commands.map(|(at, command)| Line::Command(files.len() + at, command)));
    if !refused.is_empty() {
        let what = if refused.len() == 1 { "file" } else { "files" };
        list.push(Line::Title(format!("{} {what} may not be written", refused.len())));
    }
    for (path, why) in refused {
        list.push(Line::Refused(path.display().to_string(), why));
    }
    if !app.pending.past.is_empty() {
        list.push(Line::Title("run before, and no longer part of the text".into()));
    }
    list.extend(
        app.pending.past.iter().map(|(command, start_result)| Line::Past(command, start_result)),
    );
    let is_selected = |line: &Line<'_>| match line {
        Line::Title(_) | Line::Refused(..) | Line::Past(..) => false,
        Line::File(at, _) | Line::Command(at, _) => *at == app.pending.at,
    };
    let height = usize::from(area.height);
    let selected = list.iter().position(is_selected).unwrap_or(0);
    let first = (selected + 1).saturating_sub(height);
    for (y, line) in list.iter().skip(first).take(height).enumerate() {
        draw_row(canvas, y as u16, app, line, is_selected(line));
    }
}

fn draw_row(canvas: &mut Canvas<'_>, y: u16, app: &App, line: &Line<'_>, selected: bool) {
    let area = canvas.area;
    let theme = app.theme;
    if selected {
        canvas.select(y, 1);
        canvas.put(0, y, "▌", theme.bright().add_modifier(Modifier::BOLD));
    }
    let style = if selected { theme.bright() } else { theme.ink() };
    match line {
        Line::Title(text) => {
            canvas.put(2, y, text, theme.quiet());
        }
        Line::Refused(path, why) => {
            canvas.put(2, y, "!", theme.bright());
            let room =
                usize::from(area.width.saturating_sub(8)).saturating_sub(why.chars().count());
            canvas.put(4, y, &cut(&safe(path), room), theme.ink());
            canvas.put_right(area.width.saturating_sub(1), y, why, theme.bright());
        }
        Line::File(_, file) => {
            let out = app.pending.left_out.contains(&file.path);
            let written = app.pending.written.get(&file.path);
            let mark = match (out, file.lost) {
                (true, _) => "·",
                (false, true) => "!",
                (false, false) if written.is_some() => "▹",
                (false, false) => "↧",
            };
            canvas.put(2, y, mark, style);
            let effect = match written {
                _ if out => "left out".to_owned(),
                Some(all) => format!("written, {}", figure_lines(*all)),
                None => effect(file),
            };
            let room = usize::from(area.width.saturating_sub(6))
                .saturating_sub(effect.chars().count() + 2);
            let name = cut(&safe(&file.path.display().to_string()), room.max(8));
            let name_style =
                if out { theme.quiet().add_modifier(Modifier::CROSSED_OUT) } else { style };
            canvas.put(4, y, &name, name_style);
            let effect_style = if file.lost && !out { theme.bright() } else { theme.quiet() };
            canvas.put_right(area.width.saturating_sub(1), y, &effect, effect_style);
        }
        Line::Past(command, start_result) => {
            let state = ended(start_result);
            canvas.put(2, y, if start_result.succeeded() { "▹" } else { "!" }, theme.quiet());
            let room =
                usize::from(area.width.saturating_sub(7)).saturating_sub(state.chars().count());
            let text = cut(&safe(&insight::command_line(command)), room);
            canvas.put(4, y, &text, theme.quiet());
            canvas.put_right(area.width.saturating_sub(1), y, &state, theme.quiet());
        }
        Line::Command(at, command) => {
            let number = at - app.pending_rows().0;
            let out = app.pending.commands_out.contains(&number);
            let state = match app.start_result(number) {
                Some(start_result) => ended(start_result),
                None if out => "left out".to_owned(),
                None if command.joined => "part of a pipeline".to_owned(),
                None => String::new(),
            };
            let trouble = app.start_result(number).is_some_and(|start_result| {
                !start_result.succeeded() && *start_result != StartResult::Running
            });
            canvas.put(2, y, if trouble { "!" } else { "▹" }, style);
            let room =
                usize::from(area.width.saturating_sub(7)).saturating_sub(state.chars().count());
            let text = cut(&safe(&insight::command_line(command)), room);
            let text_style =
                if out { theme.quiet().add_modifier(Modifier::CROSSED_OUT) } else { style };
            canvas.put(4, y, &text, text_style);
            let state_style = if trouble { theme.bright() } else { theme.quiet() };
            canvas.put_right(area.width.saturating_sub(1), y, &state, state_style);
        }
    }
}

/// How far the commands are that are being run, how long it takes, and what stops it.
fn acting(app: &App, started: usize) -> String {
    let Some((all, since)) = app.pending.batch else { return "running".to_owned() };
    let left = match (since.elapsed().as_nanos() as u64, started.min(all) as u64) {
        (passed, done @ 2..) => {
            let left = passed / done * (all as u64).saturating_sub(done);
            format!(" · about {} left", duration(left))
        }
        _ => String::new(),
    };
    let (done, all) = (grouped(started.min(all) as u64), grouped(all as u64));
    format!("running: {done} of {all}{left} · Esc stops")
}

/// How a command ended.
fn ended(start_result: &StartResult) -> String {
    match start_result {
        StartResult::Exited(status, _) => format!("status {status}"),
        StartResult::Signalled(signal, _) => format!("ended by signal {signal}"),
        StartResult::NotFound => "not found".to_owned(),
        StartResult::NotStarted(_) => "not started".to_owned(),
        StartResult::Running => "runs".to_owned(),
    }
}

fn effect(file: &PendingFile) -> String {
    if file.lost {
        return "emptied before it is read".to_owned();
    }
    let written = file.lines();
    match (file.mode, file.lines_now) {
        (PendingMode::New, _) => format!("new, {}", figure_lines(written)),
        (PendingMode::Replace, Some(now)) => {
            format!("{} → {}", grouped(now), figure_lines(written))
        }
        (PendingMode::Replace, None) => {
            format!("{} → {}", bytes(file.bytes_now), figure_lines(written))
        }
        (PendingMode::Append, Some(now)) => format!("{} + {}", grouped(now), figure_lines(written)),
        (PendingMode::Append, None) => {
            format!("{} + {}", bytes(file.bytes_now), figure_lines(written))
        }
    }
}

fn draw_file(canvas: &mut Canvas<'_>, app: &App, file: &PendingFile) {
    let area = canvas.area;
    let theme = app.theme;
    let what = match file.mode {
        PendingMode::New => "is created",
        PendingMode::Replace => "is replaced",
        PendingMode::Append => "is appended to",
    };
    let written = format!(
        "{what}: {} now, {} written ({})",
        bytes(file.bytes_now),
        figure_bytes(file.bytes()),
        figure_lines(file.lines()),
    );
    let name = file.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let x = canvas.put(0, 0, &cut(&safe(&name), 30), theme.bright());
    if let Some(all) = app.pending.written.get(&file.path) {
        let done = format!("is written: {}, from all of the data", figure_lines(*all));
        canvas.put(x + 1, 0, &done, theme.quiet());
        canvas.put(0, 1, "opened with your own rights", theme.quiet());
        canvas.put(0, 3, &cut(&again(file), usize::from(area.width)), theme.quiet());
        return;
    }
    canvas.put(x + 1, 0, &written, theme.quiet());
    canvas.put(0, 1, &cut(&rights(file), usize::from(area.width)), theme.quiet());
    let compared = app.pending.difference.as_ref().filter(|known| known.1 == app.pending.at);
    let Some((_, _, difference)) = compared else {
        canvas.put(0, 3, "comparing …", theme.quiet());
        return;
    };
    let body =
        Rect { y: (area.y + 3).min(area.bottom()), height: area.height.saturating_sub(3), ..area };
    if difference.rows.is_empty() {
        canvas.within(body).put(0, 0, "nothing in it would change", theme.quiet());
        return;
    }
    let height = usize::from(body.height);
    let top = app.pending.top.min(difference.rows.len().saturating_sub(height));
    for (y, row) in difference.rows.iter().skip(top).take(height).enumerate() {
        difference::draw(&mut canvas.within(body), y as u16, app, row);
    }
    let hidden = difference.rows.len().saturating_sub(top + height);
    if hidden > 0 || difference.cut {
        let text = match (hidden, difference.cut) {
            (0, _) => " only the first MiB is compared ".to_owned(),
            (hidden, true) => {
                format!(" {} more; only the first MiB is compared ", grouped(hidden as u64))
            }
            (hidden, false) => format!(" {} more, PgDn ", grouped(hidden as u64)),
        };
        let y = body.height.saturating_sub(1);
        canvas.within(body).put_right(body.width, y, &text, theme.quiet());
    }
}

/// What becomes of a file that is written when the text is run again.
fn again(file: &PendingFile) -> String {
    let what = match file.mode {
        PendingMode::Append => "adds the same to it once more",
        PendingMode::New | PendingMode::Replace => "writes it again",
    };
    keyed(&format!("{{write}} {what}; {{undo-write}} brings back what it was before"))
}

/// Who opens the file, and with which rights.
fn rights(file: &PendingFile) -> String {
    let at = file.path.parent().filter(|parent| !parent.as_os_str().is_empty());
    match &file.facts_now {
        Some(facts) => format!(
            "opened with your own rights · keeps mode {:04o} and owner {}",
            facts.mode & 0o7777,
            facts.owner
        ),
        None => format!(
            "opened with your own rights · created in {}",
            at.map_or_else(|| "this folder".to_owned(), |at| safe(&at.display().to_string()))
        ),
    }
}

fn draw_command(canvas: &mut Canvas<'_>, app: &App, command: &HeldCommand) {
    let area = canvas.area;
    let theme = app.theme;
    let count = command.words.len().saturating_sub(1);
    let title = match count {
        0 => "run without arguments".to_owned(),
        1 => "run with exactly this one argument".to_owned(),
        count => format!("run with exactly these {} arguments", grouped(count as u64)),
    };
    // All of it can be seen: what is longer than a row continues in the next one, and the rows scroll.
    let room = usize::from(area.width.saturating_sub(10)).max(1);
    let mut all: Vec<(String, String, Style)> = Vec::new();
    for text in insight::command_details(command) {
        let rows = at_blanks(&text, usize::from(area.width).saturating_sub(1));
        all.extend(rows.into_iter().map(|row| (String::new(), row, theme.quiet())));
    }
    let details = all.len();
    all.push(Default::default());
    for (number, word) in command.words.iter().enumerate() {
        let label = if number == 0 { "command".to_owned() } else { number.to_string() };
        let style = if number == 0 { theme.bright() } else { theme.ink() };
        // Blanks at the ends, quotes and newlines are seen.
        let rows = in_rows(&shell::quote_bytes(word), room).into_iter().enumerate();
        all.extend(rows.map(|(row, text)| {
            (if row == 0 { label.clone() } else { String::new() }, text, style)
        }));
    }
    let rows = usize::from(area.height.saturating_sub(1));
    let top = app.pending.top.min(all.len().saturating_sub(rows));
    for (y, (number, (label, text, style))) in
        (1..).zip(all.iter().enumerate().skip(top).take(rows))
    {
        canvas.put_right(8, y, label, theme.quiet());
        canvas.put(if number < details { 0 } else { 10 }, y, text, *style);
    }
    let width = area.width.saturating_sub(1);
    let mut title_room = usize::from(width);
    if top + rows < all.len() && rows > 0 {
        let hidden = grouped((all.len() - top - rows) as u64);
        let long = format!("{hidden} more rows, PgDn");
        // Beside the title where there is room for both.
        let fits = title.chars().count() + 2 + long.len() <= title_room;
        let more = if fits { long } else { format!("+{hidden}, PgDn") };
        title_room = title_room.saturating_sub(more.len() + 1);
        canvas.put_right(width, 0, &more, theme.quiet());
    }
    canvas.put(0, 0, &cut(&title, title_room), theme.quiet());
    let number = app.pending.at - app.pending_rows().0;
    let said = match app.start_result(number) {
        Some(
            StartResult::Exited(_, said)
            | StartResult::Signalled(_, said)
            | StartResult::NotStarted(said),
        ) => said,
        _ => "",
    };
    let below = all.len().min(rows) as u16 + 2;
    for (y, line) in said.lines().enumerate().take(rows) {
        let text = cut(&safe(line), usize::from(area.width.saturating_sub(3)));
        canvas.put(0, below + y as u16, "›", theme.quiet());
        canvas.put(2, below + y as u16, &text, theme.ink());
    }
}

/// What the Pending view is about, under it.
pub(super) fn notes(canvas: &mut Canvas<'_>, app: &App) {
    let area = canvas.area;
    let Some(preview) = &app.result.preview else { return };
    let theme = app.theme;
    let (files, commands) = app.pending_rows();
    let started = (0..commands).filter(|number| app.start_result(*number).is_some()).count();
    let written = app.pending.written.len();
    let first = match (started + app.pending.past.len(), files) {
        _ if written > 0 && written == files => {
            "all files are written; {undo-write} brings back what they were"
        }
        _ if written > 0 => "some files are written; {undo-write} brings back what they were",
        (0, _) => "nothing here has been done yet",
        (_, 0) => "commands were run: the result is next to each",
        (_, _) => "commands were run: the result is next to each; no file is written yet",
    };
    let mut rows = vec![(' ', keyed(first))];
    if files > 0 {
        let text = "{write} writes all files from all of the data; x leaves one out";
        rows.push((' ', keyed(text)));
    }
    let unwritten = app.unwritten();
    if !unwritten.is_empty() {
        let text = "the last run was on all of the data and wrote no files: this is what it made";
        rows.push((' ', text.to_owned()));
    } else if !preview.is_whole() {
        rows.push(('!', "these results come from a sample, not from all of the data".to_owned()));
    }
    if commands > 0 {
        let text = "r runs the commands one after the other; those in a pipeline run only with it";
        rows.push((' ', text.to_owned()));
    }
    for (y, (mark, text)) in rows.iter().take(usize::from(area.height)).enumerate() {
        canvas.put(1, y as u16, &mark.to_string(), theme.bright());
        let style = if *mark == '·' { theme.quiet() } else { theme.ink() };
        let text = cut(text, usize::from(area.width.saturating_sub(5)));
        canvas.put(4, y as u16, &text, style);
    }
}
