//! Beginning: a folder, its files, what was done lately, programs.

use std::path::PathBuf;
use std::time::{Duration, SystemTime};

use insight::{EntryKind, FolderEntry, PastLine, ShelfEntry};
use tui_input::Input;

use super::{Stand, message, press};
use crate::views::start::state::{Beginning, StartView};
use crate::views::start::{looked, read};

fn file(name: &str, kind: EntryKind, bytes: u64, days: u64) -> FolderEntry {
    FolderEntry {
        name: name.into(),
        kind,
        bytes,
        changed: Some(SystemTime::now() - Duration::from_secs(days * 86_400 + 60)),
        is_script: name == "worst-gates.sh",
    }
}

fn look(kind: &str, lines: u64, first: &str) -> insight::FileLook {
    insight::FileLook {
        kind: kind.to_owned(),
        lines: Some(lines),
        first: first.as_bytes().to_vec(),
        ..insight::FileLook::default()
    }
}

/// A place to begin as it looks when all is known.
fn view() -> StartView {
    let mut view = StartView::reading(0);
    let past = PastLine {
        text: "grep refused gate.log | wc -l".to_owned(),
        when: jiff::Timestamp::now() - jiff::SignedDuration::from_hours(3),
        lines: 1,
        bytes: 4,
        elapsed_ns: 4_100_000,
        partial: false,
        files: vec![PathBuf::from("gate.log")],
    };
    view.take(Beginning {
        folder: PathBuf::from("/station/logs"),
        files: Ok(vec![
            file("gate.log", EntryKind::File, 61 << 20, 0),
            file("gate.log.1.gz", EntryKind::File, 9 << 20, 1),
            file("cabins.csv", EntryKind::File, 1200, 21),
            file("worst-gates.sh", EntryKind::File, 90, 40),
            file("pipe", EntryKind::Other, 0, 400),
            file("archive", EntryKind::Folder, 0, 800),
            file(".hidden", EntryKind::File, 3, 0),
        ]),
        lately: vec![ShelfEntry::past(past.text.clone(), Some(past))],
        programs: insight::source_programs("/nowhere", |_| true),
    });
    let gzip = insight::FileLook {
        estimated: true,
        compressed: Some(filters::Form::Gzip),
        ..look("gzip of text, fields by blanks", 2_300_000, "2031-04-01 05:58:12 gate-07")
    };
    view.looks.insert(
        0,
        Ok(look("text, fields by blanks", 1_204_331, "2031-04-02 06:12:00 gate-02 \u{1b}[31m")),
    );
    view.looks.insert(1, Ok(gzip));
    view.looks.insert(2, Ok(look("CSV, 7 fields, heading", 25, "id,name,line")));
    view.looks.insert(3, Err("Permission denied".to_owned()));
    view
}

fn begun() -> Stand {
    let mut stand = Stand::new("");
    stand.app.open_drawer(view());
    stand
}

#[test]
fn the_place_to_begin_says_what_there_is() {
    let mut stand = begun();
    for (width, height) in [(160, 50), (100, 30), (80, 24)] {
        let screen = stand.screen(width, height);
        insta::assert_snapshot!(format!("start-{width}x{height}"), screen);
        assert!(!screen.contains('\u{1b}'));
    }
    for (width, height) in [(40, 10), (20, 8), (1, 1), (0, 0)] {
        stand.screen(width, height);
    }
}

#[test]
fn what_is_chosen_is_begun_with() {
    let text = |stand: &Stand| stand.app.text.editor.text().to_owned();
    for (keys, expected) in [
        ("Enter", "cat gate.log"),
        ("Down Enter", "zcat gate.log.1.gz"),
        ("Tab Down Tab Enter", "cat gate.log cabins.csv"),
        ("Tab Tab Enter", "zcat -f gate.log gate.log.1.gz"),
    ] {
        let mut stand = begun();
        press(&mut stand, keys);
        assert_eq!(text(&stand), expected, "{keys}");
        assert!(stand.app.drawer.is_none());
    }
    for (query, expected) in
        [("cab", "cat cabins.csv"), ("refused wc", "grep refused gate.log | wc -l")]
    {
        let mut stand = begun();
        stand.letters(query);
        press(&mut stand, "Enter");
        assert_eq!(text(&stand), expected, "{query}");
    }
    // Nothing that is no file is opened, and a file that cannot be read says so.
    let mut stand = begun();
    stand.letters("pipe");
    press(&mut stand, "Enter");
    assert!(message(&stand).contains("is not opened"));
    assert!(stand.app.drawer_of::<crate::views::start::state::StartView>().is_some());
    // Hidden names are found by their dot; until it is known what is in a file, Enter waits.
    press(&mut stand, "Ctrl-u");
    stand.letters(".hid");
    press(&mut stand, "Enter");
    let Some(view) = stand.app.drawer_of::<crate::views::start::state::StartView>() else {
        panic!("open")
    };
    assert!(view.opens);
    let number = view.number;
    looked(&mut stand.app, number, vec![(6, Ok(look("text", 1, "x")))]);
    assert_eq!(text(&stand), "cat .hidden");
    let mut stand = begun();
    press(&mut stand, "Esc");
    assert!(stand.app.drawer.is_none() && text(&stand).is_empty());
}

#[test]
fn a_folder_is_read_and_its_files_are_looked_at() {
    let mut stand = Stand::new("");
    let folder = stand.folder.path().to_owned();
    std::fs::create_dir(folder.join("logs")).unwrap();
    let line = "2031-04-02 06:12 gate-02 passed\n";
    std::fs::write(folder.join("logs/winch.log"), line.repeat(3)).unwrap();
    // The tests of a process share its folder: what is read is given by a path.
    let files = insight::list_folder(&folder.join("logs")).map_err(|error| error.to_string());
    let mut view = StartView::reading(9);
    view.query = Input::default();
    stand.app.open_drawer(view);
    let lately = Vec::new();
    let all = Beginning { folder: folder.join("logs"), files, lately, programs: Vec::new() };
    read(&mut stand.app, 9, all);
    let is_looked_at =
        |view: &StartView| view.looks.values().next().is_some_and(std::result::Result::is_ok);
    while !stand.app.drawer_of().is_some_and(is_looked_at) {
        let event = stand.news.recv_timeout(Duration::from_secs(30)).unwrap();
        stand.app.update(event);
    }
    let screen = stand.screen(160, 50);
    assert!(screen.contains("winch.log") && screen.contains("text, fields by blanks"), "{screen}");
    // A reading that is not the newest counts for nothing.
    looked(&mut stand.app, 8, vec![(0, Err("late".to_owned()))]);
    assert!(!stand.screen(160, 50).contains("late"));
}
