//! Keys one after the other, and what each of them changed: a table that is read as a story.

use super::{Stand, press};
use crate::parts::changes::Changes;
use crate::parts::prompt::Prompt;
use crate::views::action_list::ActionList;
use crate::views::all_notes::AllNotes;
use crate::views::export::ExportList;
use crate::views::guide::state::{GuideView, PageView};
use crate::views::help::Help;
use crate::views::history::EarlierLines;
use crate::views::patterns::state::PatternView;
use crate::views::point::state::PointView;
use crate::views::program::state::ProgramEditor;
use crate::views::sample::state::SampleForm;
use crate::views::sheet::state::SheetView;
use crate::views::shelf::state::ShelfView;
use crate::views::start::state::StartView;
use crate::views::trail::state::TrailView;
use crate::views::versions::state::VersionsView;

/// All that keys change, a line for each thing.
fn facts(stand: &Stand) -> Vec<String> {
    let app = &stand.app;
    let folder = stand.folder.path().display().to_string();
    let editor = |editor: &crate::text::editor::Editor| {
        let named = |text: &str| text.replace('\n', "⏎").replace(&folder, "DIR");
        let (before, after) = editor.text().split_at(editor.cursor());
        let (parts, whole) = (format!("{}▮{}", named(before), named(after)), named(editor.text()));
        // Within the folder's name its place differs from time to time.
        if parts.replace('▮', "") == whole { parts } else { whole }
    };
    let lens = &app.lens;
    let said = app.message.clone().unwrap_or_default();
    // How long it took is different each time.
    let said = match said.split_once(" in ") {
        Some(("done", rest)) => {
            format!("done, {}", rest.split_once(", ").map_or("", |(_, end)| end))
        }
        _ => said,
    };
    let mut facts = vec![
        format!("text {}", editor(&app.text.editor)),
        format!("focus {:?}, {:?}, {:?}", app.focus, app.place, app.view),
        format!(
            "lens at {} from {}, column {}, {:?}{}{}{}",
            lens.cursor,
            lens.top,
            lens.column,
            lens.view,
            if lens.wrap { ", wrapped" } else { "" },
            if lens.unfolded { ", all lines" } else { "" },
            if lens.turned { ", turned" } else { "" },
        ),
        format!("history {}", app.text.history.join(" ⏎ ").replace(&folder, "DIR")),
        format!("recalled {:?}", app.text.recalled.as_ref().map(|recalled| recalled.0)),
        format!("opened {:?}, sample {:?}", app.opened, app.sample),
        format!("problem {}", app.text.problem.is_some()),
        format!("message {}", said.replace(&folder, "DIR")),
        format!(
            "throughput at {} from {}, {:?}",
            app.throughput.at, app.throughput.top, app.throughput.shows
        ),
        format!(
            "pending {} from {}, without {} files and {:?}",
            app.pending.at,
            app.pending.top,
            app.pending.left_out.len(),
            app.pending.commands_out
        ),
    ];
    if let Some(completion) = &app.text.completion {
        let count = completion.candidates.len();
        facts.push(format!("completion {:?} of {count}", completion.chosen));
    }
    if let Some(search) = &lens.search {
        facts.push(format!("search {} rows", search.rows.len()));
    }
    facts.push(drawer_in_words(stand, editor));
    facts
}

/// What lies over the notes, and where in it the keys are.
fn drawer_in_words(
    stand: &Stand,
    editor: impl Fn(&crate::text::editor::Editor) -> String,
) -> String {
    let app = &stand.app;
    let Some(drawer) = &app.drawer else { return "drawer none".to_owned() };
    let listed = |name: &str, query: &tui_input::Input, at: usize| {
        format!("drawer {name} {} at {at}", query.value())
    };
    if let Some(help) = app.drawer_of::<Help>() {
        return format!("drawer help from {}", help.top);
    }
    if let Some(notes) = app.drawer_of::<AllNotes>() {
        return format!("drawer notes from {}", notes.top);
    }
    if let Some(earlier) = app.drawer_of::<EarlierLines>() {
        return listed("earlier", &earlier.list.query, earlier.list.at);
    }
    if let Some(form) = app.drawer_of::<SampleForm>() {
        return format!("drawer sample {:?}", form.sample());
    }
    if let Some(prompt) = app.drawer_of::<Prompt>() {
        return format!("drawer prompt {}", prompt.input.value());
    }
    if let Some(ActionList(list)) = app.drawer_of() {
        return listed("actions", &list.query, list.at);
    }
    if let Some(ExportList(list)) = app.drawer_of() {
        return listed("export", &list.query, list.at);
    }
    if let Some(program) = app.drawer_of::<ProgramEditor>() {
        return format!(
            "drawer program of {} {} at {} {}",
            program.stage + 1,
            program.filter,
            program.changed,
            editor(&program.editor)
        );
    }
    if let Some(view) = app.drawer_of::<VersionsView>() {
        return format!("drawer versions {} with {}", view.at, view.with);
    }
    if let Some(page) = app.drawer_of::<PageView>() {
        return format!("drawer page from {}", page.top);
    }
    if let Some(changes) = app.drawer_of::<Changes>() {
        return format!("drawer changes from {}", changes.top);
    }
    let at = [
        app.drawer_of::<ShelfView>().map(|view| view.at),
        app.drawer_of::<StartView>().map(|view| view.at),
        app.drawer_of::<PointView>().map(|point| point.list.at),
        app.drawer_of::<PatternView>().map(|patterns| patterns.at),
        app.drawer_of::<SheetView>().map(|sheet| sheet.at),
        app.drawer_of::<TrailView>().map(|view| view.at),
        app.drawer_of::<GuideView>().map(|guide| guide.selected),
    ];
    match at.into_iter().flatten().next() {
        Some(at) => format!("drawer {} at {at}", drawer.name()),
        None => format!("drawer {}", drawer.name()),
    }
}

/// Presses the keys and tells after each of them what is different.
fn told(text: &str, keys: &str) -> String {
    let mut stand = Stand::new(text);
    stand.app.text.history = vec!["seq 3".to_owned(), "echo a".to_owned()];
    stand.settle();
    stand.screen(110, 30);
    let mut before = facts(&stand);
    let mut out = format!("── {text}\n   {}\n", before.join("\n   "));
    for key in keys.split_whitespace() {
        press(&mut stand, key);
        stand.settle();
        stand.until(|stand| stand.app.lens.search.as_ref().is_none_or(|search| !search.searching));
        stand.until(|stand| !stand.app.is_running());
        stand.screen(110, 30);
        let now = facts(&stand);
        let changed: Vec<&str> =
            now.iter().filter(|fact| !before.contains(fact)).map(String::as_str).collect();
        out.push_str(&format!("{key:<10} {}\n", changed.join(" · ")));
        before = now;
    }
    out
}

const LINE: &str = "grep refused DIR/gate.log | cut -d' ' -f2 | sort";

#[test]
fn writing_is_told() {
    let mut all = String::new();
    for (text, keys) in [
        (
            "grep refused | sort",
            "Home Right Right Backspace Delete x Alt-u Alt-u Alt-r End Left Left Alt-b Alt-f Alt-d \
             Ctrl-w Ctrl-k Ctrl-u Ctrl-y a Enter Up Up Up Up Up Down Down Down Down b Up Down \
             Ctrl-p Ctrl-p Ctrl-n F5",
        ),
        ("seq 9", "Space | Enter s o r t Enter Alt-Enter a Up Up Up Down Down End Up Home Down"),
        ("", "Up Enter Down Enter Ctrl-p e c h o Enter Enter Down Up Esc Esc"),
        ("so", "Tab Esc Esc e x Ctrl-j y Ctrl-x Ctrl-7"),
        ("seq 3 | sort", "Ctrl-a Alt-f Alt-f Ctrl-j Alt-u Alt-Enter x"),
        ("sort -", "Tab Tab Tab BackTab BackTab BackTab Esc Esc e Down Tab r Tab Enter"),
        ("echo one\necho two", "Up Down Up Up Down Down Down Ctrl-a Ctrl-e Ctrl-b Ctrl-f Ctrl-d"),
    ] {
        all.push_str(&told(text, keys));
    }
    insta::assert_snapshot!("told-writing", all);
}

#[test]
fn looking_is_told() {
    let mut all = String::new();
    for (text, keys) in [
        (
            LINE,
            "Esc Home Down Down Down Up Left Left Right Right End Tab Down Down PageDown End Down Up \
             PageUp Home Right Right Left Left Left v v v v z z h h . , o o Esc Tab s 7 Enter",
        ),
        (
            "cat DIR/gate.log",
            "Esc / r e f u Enter . . , , Down . End . Home , Tab . / Enter / z z z Enter . Esc",
        ),
        (
            "cut -d' ' -f2 DIR/gate.log | while read x; do echo $x | tr a-z A-Z; done | sort -u",
            "Esc Left Left Right Enter Esc i Down Down Down i Up [ ] x x d u u U 1 2 3 9 Esc n Esc",
        ),
        ("sleep 1 | head -n 1", "Esc Up Up c C S Esc X Down Down Up Esc A D p"),
        (
            LINE,
            "Esc s Down Down Up Space 5 Tab Tab Esc s Right Left Enter ? Down Down PageDown End Up Home x Esc",
        ),
        (LINE, "Esc X z z z Down Up Enter X f u n n e l Enter Esc S Down Enter S x Enter"),
        (LINE, "Space Esc Space s o r t Down Down Up Backspace z z z Enter"),
        (LINE, "Esc Space h e l p Enter Esc W Down Down Up Esc T Esc K Esc P Esc"),
        (
            "sort DIR/gate.log > DIR/a; rm -r DIR/none; echo b > DIR/b",
            "Esc P Down Space x Down x Down x Up End PageDown PageUp Home Enter x Esc P",
        ),
    ] {
        all.push_str(&told(text, keys));
    }
    insta::assert_snapshot!("told-looking", all);
}

#[test]
fn runs_are_told() {
    let mut all = String::new();
    for (text, keys) in [
        (
            "cat DIR/gate.log | cut -d' ' -f2 | tee DIR/copy",
            "Esc r y Down Down Down Down Up End Home h v j o Down Down Up PageDown PageDown PageUp \
             Down End Down Up Home h v j o T o Esc T o Down Esc Esc R T Ctrl-c K Down Up j Esc",
        ),
        ("seq 5", "Esc r d o End Down o p x r n T R r y K Down Enter j d Esc"),
    ] {
        all.push_str(&told(text, keys));
    }
    insta::assert_snapshot!("told-runs", all);
}

#[test]
fn programs_are_told() {
    let mut all = String::new();
    for (text, keys) in [
        (
            "awk '/refused/ { n[$2]++ }\nEND { print 1 }' DIR/gate.log | sed -n 2p",
            "Esc Home Down p Down Down Up Up End x Backspace Enter Tab Alt-u Alt-r Home Left Esc p Esc Down Down Down p y Esc u",
        ),
        ("seq 3 | sed 's/a/b/'", "Left p x Esc Home Ctrl-s Esc"),
        ("seq 3 | sort", "Esc p Home p"),
    ] {
        all.push_str(&told(text, keys));
    }
    insta::assert_snapshot!("told-programs", all);
}
