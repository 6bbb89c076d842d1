//! What lies over the notes.

use engine::HeldCommand;
use ratatui::layout::{Position, Rect};
use ratatui::style::Style;

use super::canvas::{Canvas, cut};
use super::input::input;
use super::program;
use crate::actions::all as all_actions;
use crate::help;
use crate::noted;
use crate::state::app::App;
use crate::state::drawer::{Changes, Drawer, PromptKind, Question};
use crate::state::list::List;
use crate::state::sample_form::SampleForm;
use crate::state::target::Target;
use crate::text::display::{at_blanks, safe};

/// Rows a drawer takes.
pub(super) fn rows(drawer: &Drawer, app: &App, (width, height): (u16, u16)) -> u16 {
    let most = height * 3 / 5;
    match drawer {
        Drawer::Help(_) => (help::rows_within(app.screen, width).len() as u16).min(most),
        Drawer::Notes(_) => (noted::all(app).len() as u16).clamp(2, most.max(2)),
        Drawer::History(earlier) => (earlier.list.found().len() as u16 + 3).clamp(6, most.max(6)),
        Drawer::Sample(_) => 8,
        Drawer::Prompt(_) => 3,
        Drawer::Confirm(question) => {
            // The estimate of a run comes while the question is there.
            let least = if *question == Question::RunAll { 5 } else { 3 };
            (question_rows(question, app).len() as u16 + 1).clamp(least, most.max(least))
        }
        Drawer::Changes(changes) => {
            let rows = changes.difference.as_ref().map_or(0, |one| one.rows.len());
            (rows as u16 + 3).clamp(4, most.max(4))
        }
        Drawer::Actions(list) => (list.found().len() as u16 + 3).clamp(6, most.max(6)),
        Drawer::Export(list) => (list.found().len() as u16 + 3).clamp(6, most.max(6)),
        Drawer::Program(editor) => program::rows(editor, height),
        Drawer::Point(point) => super::point::rows(point, most),
        Drawer::Trail(view) => super::trail::rows(view, most),
        Drawer::Versions(_) | Drawer::Shelf(_) | Drawer::Start(_) => height,
        Drawer::Guide(guide) => super::guide::rows(guide, most),
        Drawer::Page(page) => super::guide::page_rows(page, most),
        Drawer::Sheet(view) => super::sheet::rows(view, most),
        Drawer::Pattern(patterns) => super::patterns::rows(patterns, most),
    }
}

/// What a line of text is asked for, in words.
fn prompted(kind: &PromptKind) -> String {
    match kind {
        PromptKind::Search => "search the lens for".to_owned(),
        PromptKind::Missed => "which text do you miss in the result?".to_owned(),
        PromptKind::Stage(at) => format!("new stage {}, for example: sort -rn", at + 1),
        PromptKind::Parameters => {
            "parameters of the script, as one would type them after its name".to_owned()
        }
        PromptKind::Export(_) => "write it to".to_owned(),
        PromptKind::Columns => "write the table to (.csv, .json, or text)".to_owned(),
        PromptKind::Substitute { pattern, .. } => {
            format!("replace what {} matches by", safe(pattern))
        }
        PromptKind::Replacement { old, .. } => {
            format!("replace “{}” by", safe(old))
        }
        PromptKind::Rename(path) => {
            format!("another name for {}", safe(&path.display().to_string()))
        }
        PromptKind::CopyAs(path) => {
            format!("copy {} to", safe(&path.display().to_string()))
        }
        PromptKind::Comment(path) => {
            format!("comment above {}", safe(&path.display().to_string()))
        }
        PromptKind::KeepOutput => "save the output of the run as".to_owned(),
        PromptKind::SaveAs => "save as a script for sh, with the name".to_owned(),
    }
}

/// Draws it; gives the cursor's place where text is asked for.
pub(super) fn draw(canvas: &mut Canvas<'_>, drawer: &Drawer, app: &App) -> Option<Position> {
    match drawer {
        Drawer::Help(top) => {
            help(canvas, *top, app);
            None
        }
        Drawer::Notes(top) => {
            super::notes::all(canvas, *top, app);
            None
        }
        Drawer::History(earlier) => {
            let found = earlier.list.found();
            let name = |line: &String| (safe(&line.replace('\n', " ↵ ")), String::new());
            let names: Vec<(String, String)> = found.iter().map(|(_, line)| name(line)).collect();
            let title = match &earlier.offered {
                Some(path) => {
                    format!("earlier lines (Tab reads {} too)", safe(&path.display().to_string()))
                }
                None => "earlier lines".to_owned(),
            };
            picker(canvas, &title, &earlier.list, &names, app)
        }
        Drawer::Pattern(patterns) => {
            super::patterns::draw(canvas, patterns, app);
            None
        }
        Drawer::Sheet(view) => super::sheet::draw(canvas, view, app),
        Drawer::Trail(view) => super::trail::draw(canvas, view, app),
        Drawer::Versions(view) => {
            super::versions::draw(canvas, view, app);
            None
        }
        Drawer::Guide(guide) => super::guide::draw(canvas, guide, app),
        Drawer::Page(page) => {
            super::guide::page(canvas, page, app);
            None
        }
        Drawer::Point(point) => super::point::draw(canvas, point, app),
        Drawer::Changes(changed) => {
            changes(canvas, changed, app);
            None
        }
        Drawer::Sample(form) => {
            sample(canvas, form, app);
            None
        }
        Drawer::Prompt(prompt) => {
            let title = prompted(&prompt.kind);
            let x = canvas.put(1, 0, &title, app.theme.quiet());
            if prompt.offered {
                canvas.put(x + 2, 0, "typing replaces it, ← edits it", app.theme.ink());
            }
            input(canvas, 1, prompt.input.value(), prompt.input.visual_cursor(), app)
        }
        Drawer::Confirm(question) => {
            confirm(canvas, question, app);
            None
        }
        Drawer::Shelf(view) => super::shelf::draw(canvas, view, app),
        Drawer::Start(view) => super::start::draw(canvas, view, app),
        Drawer::Program(editor) => program::draw(canvas, editor, app),
        Drawer::Export(list) => {
            let name = |what: insight::Export| {
                let all = insight::Export::ALL.iter();
                all.clone()
                    .find(|(one, ..)| *one == what)
                    .map(|(_, name, says)| ((*name).to_owned(), (*says).to_owned()))
                    .unwrap_or_default()
            };
            let names: Vec<(String, String)> =
                list.found().iter().map(|(_, what)| name(*what)).collect();
            picker(canvas, "export", list, &names, app)
        }
        Drawer::Actions(list) => {
            let names: Vec<(String, String)> = list
                .found()
                .iter()
                .map(|(_, at)| {
                    (all_actions()[*at].key.to_owned(), all_actions()[*at].says.to_owned())
                })
                .collect();
            picker(canvas, "do", list, &names, app)
        }
    }
}

fn picker<T>(
    canvas: &mut Canvas<'_>,
    title: &str,
    list: &List<T>,
    names: &[(String, String)],
    app: &App,
) -> Option<Position> {
    let area = canvas.area;
    let theme = app.theme;
    let x = canvas.put(1, 0, title, theme.quiet());
    let line = Rect { x: area.x + x + 1, width: area.width.saturating_sub(x + 1), ..area };
    let cursor =
        input(&mut canvas.within(line), 0, list.query.value(), list.query.visual_cursor(), app);
    let rows = usize::from(area.height.saturating_sub(2));
    let at = list.at.min(names.len().saturating_sub(1));
    let first = (at + 1).saturating_sub(rows);
    let said = names.iter().any(|(_, says)| !says.is_empty());
    let most = if said { 44 } else { usize::from(area.width.saturating_sub(4)) };
    let longest = names.iter().map(|(name, _)| name.chars().count()).max().unwrap_or(0).min(most);
    for (number, (name, says)) in names.iter().enumerate().skip(first).take(rows) {
        let y = 1 + (number - first) as u16;
        let style = if number == at { theme.bright() } else { theme.ink() };
        canvas.row_target(y, Target::Entry(number));
        if number == at {
            canvas.select(y, 1);
            canvas.put(1, y, "▸", theme.bright());
        }
        canvas.put(3, y, &cut(name, longest), style);
        let x = 5 + longest as u16;
        canvas.put(x, y, &cut(says, usize::from(area.width.saturating_sub(x + 1))), theme.quiet());
    }
    if names.is_empty() {
        canvas.put(3, 1, "nothing found", theme.quiet());
    }
    cursor
}

fn help(canvas: &mut Canvas<'_>, top: usize, app: &App) {
    let area = canvas.area;
    let theme = app.theme;
    let lines = help::rows_within(app.screen, area.width);
    let rows = usize::from(area.height);
    let top = top.min(lines.len().saturating_sub(rows));
    for (y, (key, says)) in lines.iter().skip(top).take(rows).enumerate() {
        let y = y as u16;
        if says.is_empty() {
            canvas.put(1, y, key, theme.quiet());
        } else {
            canvas.put_right(help::SAYS - 2, y, key, theme.bright());
            canvas.put(help::SAYS, y, says, theme.ink());
        }
    }
    if lines.len() > rows {
        let text = format!(" {}–{} of {} ", top + 1, (top + rows).min(lines.len()), lines.len());
        canvas.put_right(area.width.saturating_sub(1), 0, &text, theme.quiet());
    }
}

fn sample(canvas: &mut Canvas<'_>, form: &SampleForm, app: &App) {
    let theme = app.theme;
    canvas.put(1, 0, "which lines of the data to work on", theme.quiet());
    let number = |at: usize| insight::grouped(form.numbers[at]);
    let texts = [
        (
            "what is quick",
            format!("everything within 0.3 s, or else the first {} lines", number(0)),
        ),
        ("the first", format!("{} lines", number(1))),
        ("the last", format!("{} lines", number(2))),
        ("one in every", format!("{} lines, from the first on", number(3))),
        ("at random", format!("{} lines, seed {}", number(4), form.seed)),
        (
            "everything",
            "within the limits of a preview: 20 million lines, 4 GiB, 2 minutes".to_owned(),
        ),
    ];
    for (at, (name, says)) in texts.iter().enumerate() {
        let y = at as u16 + 1;
        let chosen = at == form.row;
        canvas.row_target(y, Target::Entry(at));
        if chosen {
            canvas.select(y, 1);
            canvas.put(1, y, "▸", theme.bright());
        }
        canvas.put(3, y, name, if chosen { theme.bright() } else { theme.ink() });
        canvas.put(17, y, says, if chosen { theme.bright() } else { theme.quiet() });
        if chosen && at == 4 {
            let what = if form.on_seed {
                "digits change the seed"
            } else {
                "digits change the number of lines"
            };
            canvas.put(50, y, what, theme.quiet());
        }
    }
}

/// What is asked, in rows as wide as the screen.
fn title_of(question: &Question, app: &App) -> Vec<String> {
    let text = match question {
        Question::Write => {
            "Write these files now, from all of the data, not only the sample?".to_owned()
        }
        Question::RunAll => "Run this on all of the data now?".to_owned(),
        Question::Act(commands) => {
            let count = commands.len();
            let what = if count == 1 { "command" } else { "commands" };
            let files =
                if app.has_pending() { "; this does not write the planned files" } else { "" };
            format!("Run {count} {what} now, one after the other{files}?")
        }
        Question::EndRun => {
            "A run is in progress. Stop it (no files are written) and quit?".to_owned()
        }
        Question::Leave => "The pipeline is not saved. Quit anyway?".to_owned(),
        Question::PassOn => {
            "Run this on all of the data, and pass its result on to standard output?".to_owned()
        }
        Question::Print => "Back to the prompt with this text?".to_owned(),
        Question::Open(path) => {
            format!("The pipeline is not saved. Open {} anyway?", safe(&path.display().to_string()))
        }
        Question::Overwrite(path) => {
            format!("{} already exists. Overwrite it?", safe(&path.display().to_string()))
        }
        Question::Allow(_) => "Run this external program?".to_owned(),
    };
    at_blanks(&text, usize::from(app.width().saturating_sub(2)))
}

/// A row of a question: where its pieces begin after one another, and how they look.
type QuestionRow = Vec<(u16, String, Style)>;

/// A question with all that a yes covers.
fn question_rows(question: &Question, app: &App) -> Vec<QuestionRow> {
    let theme = app.theme;
    let row = |indent: u16, text: String, style: Style| vec![(indent, text, style)];
    let mut rows: Vec<QuestionRow> =
        title_of(question, app).into_iter().map(|text| row(1, text, theme.bright())).collect();
    let room = usize::from(app.width().saturating_sub(5));
    let of_command = |command: &HeldCommand| {
        let style = |is_line| if is_line { theme.bright() } else { theme.ink() };
        let asked = asked(command, room).into_iter();
        asked.map(|(is_line, text)| row(3, text, style(is_line))).collect::<Vec<_>>()
    };
    match question {
        Question::Allow(command) => rows.extend(of_command(command)),
        Question::Act(commands) => {
            for (_, command) in commands {
                let line = safe(&insight::command_line(command));
                rows.extend(
                    at_blanks(&line, room).into_iter().map(|text| row(3, text, theme.bright())),
                );
                let details = safe(&insight::command_details(command).join(" · "));
                let details = at_blanks(&details, room.saturating_sub(2)).into_iter();
                rows.extend(details.map(|text| row(5, text, theme.ink())));
            }
        }
        Question::RunAll => {
            rows.extend(expected(app).into_iter().map(|text| row(3, text, theme.ink())));
        }
        _ => {}
    }
    if matches!(question, Question::PassOn) {
        rows.extend(started(app).into_iter().map(|text| row(3, text, theme.ink())));
    }
    if matches!(question, Question::RunAll | Question::Write | Question::PassOn) {
        rows.extend(planned(app));
    }
    rows
}

/// The commands of the machine that a run would start, as far as the preview knows.
fn started(app: &App) -> Vec<String> {
    let Some(preview) = &app.result.preview else {
        return vec!["what it would write and start is not known yet".to_owned()];
    };
    let words = |words: &[Vec<u8>]| -> String {
        let words: Vec<String> = words.iter().map(|word| shell::quote_bytes(word)).collect();
        safe(&words.join(" "))
    };
    let stages = preview.stages.iter();
    let programs = stages.filter(|stage| matches!(stage.plan.kind, engine::StageKind::Host(_)));
    let mut rows: Vec<String> =
        programs.map(|stage| format!("starts {}", words(&stage.plan.words()))).collect();
    match preview.commands.len() {
        0 => {}
        1 => rows.push(format!("starts {}", safe(&insight::command_line(&preview.commands[0])))),
        more => rows.push(format!(
            "starts {} commands in the sample: {} and others",
            insight::grouped(more as u64),
            safe(&insight::command_line(&preview.commands[0]))
        )),
    }
    rows
}

/// The files that would be written.
fn planned(app: &App) -> Vec<QuestionRow> {
    let theme = app.theme;
    let all = app.result.preview.as_ref().map(|preview| &preview.pending[..]).unwrap_or_default();
    let files = all.iter().filter(|file| !app.pending.left_out.contains(&file.path));
    let row = |file: &engine::PendingFile| {
        let now = match (file.mode, file.lines_now) {
            (engine::PendingMode::New, _) => "new file".to_owned(),
            (engine::PendingMode::Replace, Some(lines)) => {
                format!("replaces {} lines", insight::grouped(lines))
            }
            (engine::PendingMode::Replace, None) => {
                format!("replaces {}", insight::bytes(file.bytes_now))
            }
            (engine::PendingMode::Append, Some(lines)) => {
                format!("appends to {} lines", insight::grouped(lines))
            }
            (engine::PendingMode::Append, None) => {
                format!("appends to {}", insight::bytes(file.bytes_now))
            }
        };
        let name = safe(&file.path.display().to_string());
        let mut pieces = vec![(3, name, theme.ink()), (2, now, theme.quiet())];
        if file.has_changed() {
            pieces.push((2, "changed since it was read".to_owned(), theme.bright()));
        }
        pieces
    };
    files.map(row).collect()
}

fn confirm(canvas: &mut Canvas<'_>, question: &Question, app: &App) {
    let area = canvas.area;
    let rows = question_rows(question, app);
    let height = usize::from(area.height);
    let top = app.question_top.min(rows.len().saturating_sub(height));
    for (y, row) in (0..area.height).zip(rows.iter().skip(top)) {
        let mut x = 0;
        for (indent, text, style) in row {
            x = canvas.put(x + indent, y, text, *style);
        }
    }
    if rows.len() > height {
        let text = format!(" {}–{} of {}, ↑↓ ", top + 1, top + height, rows.len());
        canvas.put_right(area.width.saturating_sub(1), 0, &text, app.theme.quiet());
    }
}

/// A command that is asked about, whole: its line and all that a yes covers, in rows of this width.
fn asked(command: &HeldCommand, width: usize) -> Vec<(bool, String)> {
    let line = std::iter::once((true, insight::command_line(command)));
    let details = insight::command_details(command).into_iter().map(|text| (false, text));
    let mut rows = Vec::new();
    for (is_line, text) in line.chain(details) {
        let shown: Vec<char> = safe(&text).chars().collect();
        for part in shown.chunks(width.max(8)) {
            rows.push((is_line, part.iter().collect()));
        }
    }
    rows
}

/// A file that is not taken back: what was written, and what others have made of it.
fn changes(canvas: &mut Canvas<'_>, changes: &Changes, app: &App) {
    let area = canvas.area;
    let name = safe(&changes.path.display().to_string());
    let title = format!("{name} was changed by others since it was written; it stays as it is now");
    canvas.put(1, 0, &cut(&title, usize::from(area.width.saturating_sub(2))), app.theme.bright());
    let body =
        Rect { y: (area.y + 1).min(area.bottom()), height: area.height.saturating_sub(1), ..area };
    let Some(difference) = &changes.difference else {
        canvas.within(body).put(3, 0, "it is gone, or too large to compare here", app.theme.ink());
        return;
    };
    let height = usize::from(body.height);
    let top = changes.top.min(difference.rows.len().saturating_sub(height));
    for (y, row) in difference.rows.iter().skip(top).take(height).enumerate() {
        super::pending::draw_difference(&mut canvas.within(body), y as u16, app, row);
    }
}

/// What a run on everything is expected to take.
fn expected(app: &App) -> Vec<String> {
    use insight::{bytes, duration};
    let room = usize::from(app.width().saturating_sub(5));
    let Some(estimate) = &app.throughput.estimate else {
        let text = "trying it on the beginning of the data to estimate the time …";
        return at_blanks(text, room);
    };
    let mut first = Vec::new();
    let names: Vec<String> = estimate
        .sources
        .iter()
        .map(|(path, size)| format!("{} ({})", safe(&path.display().to_string()), bytes(*size)))
        .collect();
    match names.len() {
        0 => {}
        1..=3 => first.push(names.join(", ")),
        files => {
            first.push(format!("{files} files ({})", bytes(estimate.total_bytes.unwrap_or(0))));
        }
    }
    match estimate.time {
        Some(time) => first.push(format!("about {}", duration(time.as_nanos() as u64))),
        None if estimate.endless => first.push("runs until it is stopped".to_owned()),
        None => first.push("the time cannot be estimated".to_owned()),
    }
    if let Some(memory) = estimate.memory_bytes {
        first.push(format!("up to {} held in memory", bytes(memory)));
    }
    let mut rows = vec![first.join(" · ")];
    for hold in &estimate.holds {
        let mut text = format!("{} holds up to {}", safe(&hold.name), bytes(hold.bytes));
        if hold.spilled_bytes > 0 {
            text.push_str(&format!(" and {} in temporary files", bytes(hold.spilled_bytes)));
        }
        if let Some(reason) = hold.reason {
            text.push_str(&format!(": {reason}"));
        }
        rows.push(text);
    }
    for consent in app.fed_programs() {
        let words: Vec<String> =
            consent.words.iter().map(|word| shell::quote_bytes(word)).collect();
        rows.push(format!("! runs {} on whatever input it gets then", safe(&words.join(" "))));
    }
    let writes = app.result.preview.as_ref().is_some_and(|preview| !preview.pending.is_empty());
    if estimate.endless && writes {
        rows.push("! it runs until you stop it, and then writes no files".to_owned());
    }
    rows.iter().flat_map(|row| at_blanks(row, room)).collect()
}
