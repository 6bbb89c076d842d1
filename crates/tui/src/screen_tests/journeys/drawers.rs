//! Help, actions, the Shelf, saving, leaving: what lies over the notes, and its questions.

use super::{message, press, river, text, written};
use crate::parts::question::Question;
use crate::screen::place::Focus;
use crate::screen_tests::stand::Stand;
use crate::state::event::Wish;

/// What is asked.
fn question(stand: &Stand) -> Option<&str> {
    stand.app.drawer_of::<Question>().map(|question| &question.title[..])
}

/// The question before something that is not saved is left.
const LEAVE: &str = "The pipeline is not saved. Quit anyway?";

/// Saves the text as `name` in the folder of the test.
fn save_as(stand: &mut Stand, name: &str) {
    let path = stand.folder.path().join(name).display().to_string();
    press(stand, "A Ctrl-u");
    stand.letters(&path);
    press(stand, "Enter");
}

fn content(stand: &Stand, name: &str) -> String {
    std::fs::read_to_string(stand.folder.path().join(name)).unwrap_or_default()
}

#[test]
fn help_scrolls_and_closes() {
    let mut stand = river("seq 3");
    press(&mut stand, "? Down Down PageDown Up PageUp");
    assert!(
        stand.app.drawer_of::<crate::views::help::Help>().is_some_and(|help| help.top == 1),
        "one row of the rest"
    );
    press(&mut stand, "x");
    assert!(stand.app.drawer.is_none(), "any other key closes it");
    press(&mut stand, "? Ctrl-g");
    assert!(stand.app.drawer.is_none());
    assert_eq!(text(&stand), "seq 3");
}

#[test]
fn every_action_is_found_by_its_words_and_done() {
    let mut stand = river("seq 3 | tac");
    press(&mut stand, "Space");
    stand.letters("wiring descriptors");
    press(&mut stand, "Enter");
    assert_eq!(stand.app.view, crate::views::wiring::NAME);
    press(&mut stand, "Esc Space");
    assert!(!stand.screen(160, 50).contains("nothing found"));
    stand.letters("no such action");
    assert!(stand.screen(160, 50).contains("nothing found"));
    press(&mut stand, "Enter");
    assert!(stand.app.drawer.is_none());
    press(&mut stand, "Right Space");
    stand.letters("delete the selected");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "seq 3");
    // Chosen by arrows: the second of all.
    press(&mut stand, "Space Down Up Down Enter");
    assert_eq!(stand.app.focus, Focus::Text, "edits the stage");
}

#[test]
fn a_pipeline_is_saved_and_saved_again_under_its_name() {
    let mut stand = river("seq 3 | tac");
    press(&mut stand, "Ctrl-s");
    assert!(
        stand
            .app
            .drawer_of::<crate::parts::prompt::Prompt>()
            .is_some_and(|prompt| prompt.title.starts_with("save as a script"))
    );
    press(&mut stand, "Esc");
    save_as(&mut stand, "down.sh");
    assert_eq!(message(&stand), "saved as DIR/down.sh");
    assert_eq!(content(&stand, "down.sh"), "#!/bin/sh\nseq 3 | tac\n");
    assert!(!stand.app.text.is_changed());
    press(&mut stand, "d Ctrl-s");
    assert_eq!(content(&stand, "down.sh"), "#!/bin/sh\nseq 3\n");
    // Another file that is there is asked about.
    std::fs::write(stand.folder.path().join("other.sh"), "old").unwrap();
    save_as(&mut stand, "other.sh");
    assert!(question(&stand).is_some_and(|asked| asked.ends_with("Overwrite it?")));
    press(&mut stand, "n");
    assert_eq!(content(&stand, "other.sh"), "old");
    save_as(&mut stand, "other.sh");
    press(&mut stand, "y");
    assert_eq!(content(&stand, "other.sh"), "#!/bin/sh\nseq 3\n");
    save_as(&mut stand, "no/such/folder.sh");
    assert_eq!(message(&stand), "not saved: DIR/no/such/folder.sh: No such file or directory");
    press(&mut stand, "A Ctrl-u Enter");
    assert!(stand.app.drawer.is_none(), "no name, no file");
    press(&mut stand, "e Esc A Ctrl-u Space Enter");
    assert_eq!((message(&stand), stand.app.drawer.is_none()), (String::new(), true));
    // Not saved is not left.
    stand.app.text.path = Some(stand.folder.path().join("no/such/folder.sh"));
    press(&mut stand, "e 9 Ctrl-q s");
    assert_eq!(stand.app.wish(), Wish::Stay);
    assert_eq!(message(&stand), "not saved: DIR/no/such/folder.sh: No such file or directory");
}

#[test]
fn the_shelf_opens_what_was_saved() {
    let mut stand = river("seq 3 | tac");
    save_as(&mut stand, "down.sh");
    let up = "#!/bin/sh\n# numbers in order\nseq 4 | sort -n\n";
    std::fs::write(stand.folder.path().join("up.sh"), up).unwrap();
    press(&mut stand, "S");
    stand.shelf_read();
    let Some(view) = stand.app.drawer_of::<crate::views::shelf::state::ShelfView>() else {
        panic!("no Shelf")
    };
    let lines: Vec<String> =
        view.entries.iter().flatten().map(|one| one.comment() + &one.line()).collect();
    assert!(lines.contains(&"seq 3 | tac".to_owned()), "{lines:?}");
    assert!(lines.iter().any(|line| line.starts_with("numbers in order")), "{lines:?}");
    stand.letters("numbers");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "# numbers in order\nseq 4 | sort -n");
    assert_eq!(message(&stand), "opened DIR/up.sh");
    assert_eq!(written(&mut stand), "1\n2\n3\n4\n");
    // A text that is not saved is asked about first.
    press(&mut stand, "e");
    stand.letters(" -r");
    press(&mut stand, "Esc S");
    stand.shelf_read();
    stand.letters("down.sh tac");
    press(&mut stand, "Enter");
    assert!(question(&stand).is_some_and(|asked| asked.contains("not saved. Open ")));
    press(&mut stand, "n");
    assert!(text(&stand).ends_with("-r"));
    press(&mut stand, "S");
    stand.shelf_read();
    stand.letters("down.sh tac");
    press(&mut stand, "Enter y");
    assert_eq!(text(&stand), "seq 3 | tac");
    press(&mut stand, "u");
    assert!(text(&stand).ends_with("-r"), "opening is undone as any change");
}

#[test]
fn a_program_is_saved_while_it_is_written() {
    let mut stand = river("seq 3 | sed 's/1/2/'");
    press(&mut stand, "p Ctrl-s");
    assert!(
        stand
            .app
            .drawer_of::<crate::parts::prompt::Prompt>()
            .is_some_and(|prompt| prompt.title.starts_with("save as a script")),
        "it has no name yet"
    );
    press(&mut stand, "Esc");
    save_as(&mut stand, "own.sh");
    press(&mut stand, "p x Ctrl-s");
    assert!(
        stand.app.drawer_of::<crate::views::program::state::ProgramEditor>().is_some(),
        "the program stays open"
    );
    assert_eq!(message(&stand), "saved as DIR/own.sh");
    assert!(content(&stand, "own.sh").contains('x'));
    press(&mut stand, "Esc");
}

#[test]
fn an_empty_text_is_nothing_to_ask_about() {
    let mut stand = river("seq 3 | tac");
    save_as(&mut stand, "own.sh");
    press(&mut stand, "e Ctrl-u Ctrl-o");
    stand.shelf_read();
    stand.letters("own");
    press(&mut stand, "Enter");
    assert_eq!((question(&stand), text(&stand)), (None, "seq 3 | tac".to_owned()));
    press(&mut stand, "e Ctrl-u a b c d e f g Ctrl-o");
    stand.shelf_read();
    stand.letters("own");
    press(&mut stand, "Enter");
    assert!(question(&stand).is_some_and(|asked| asked.contains("not saved. Open ")));
}

#[test]
fn what_cannot_be_opened_says_why() {
    let mut stand = river("seq 3");
    save_as(&mut stand, "own.sh");
    std::fs::write(stand.folder.path().join("binary.sh"), b"\xff\xfe").unwrap();
    press(&mut stand, "S");
    stand.shelf_read();
    stand.letters("binary");
    press(&mut stand, "Enter");
    assert_eq!(message(&stand), "not opened: DIR/binary.sh: not a text file");
    assert_eq!(text(&stand), "seq 3");
    press(&mut stand, "S");
    stand.shelf_read();
    stand.letters("nothing of that name");
    press(&mut stand, "Enter");
    assert!(
        stand.app.drawer_of::<crate::views::shelf::state::ShelfView>().is_some(),
        "there is nothing to open"
    );
}

#[test]
fn leaving_asks_where_something_is_not_saved() {
    let mut stand = river("seq 3");
    press(&mut stand, "q");
    assert_eq!(stand.app.wish(), Wish::Leave, "nothing was changed");
    let mut stand = river("seq 3");
    press(&mut stand, "e");
    stand.letters("0");
    press(&mut stand, "Ctrl-q");
    assert_eq!((question(&stand), stand.app.wish()), (Some(LEAVE), Wish::Stay));
    press(&mut stand, "j");
    assert_eq!(question(&stand), Some(LEAVE), "another key is no answer");
    press(&mut stand, "n");
    assert_eq!((question(&stand), stand.app.wish()), (None, Wish::Stay));
    press(&mut stand, "Ctrl-q s");
    assert!(stand.app.drawer_of::<crate::parts::prompt::Prompt>().is_some(), "it has no name yet");
    press(&mut stand, "Esc Ctrl-q Y");
    assert_eq!(stand.app.wish(), Wish::Leave);
    assert_eq!(stand.app.text.history, ["seq 30"], "the line is kept");
    let mut stand = river("seq 3");
    save_as(&mut stand, "own.sh");
    press(&mut stand, "e");
    stand.letters("0");
    press(&mut stand, "Ctrl-q s");
    assert_eq!(stand.app.wish(), Wish::Leave);
    assert_eq!(content(&stand, "own.sh"), "#!/bin/sh\nseq 30\n");
    // An empty text is nothing to lose.
    let mut stand = river("seq 3");
    press(&mut stand, "e Ctrl-u Ctrl-q");
    assert_eq!(stand.app.wish(), Wish::Leave);
}

#[test]
fn exports_are_written_where_they_are_asked_for() {
    let mut stand = river("seq 3 | tac");
    for (words, file, begins) in [
        ("diagram", "diagram.svg", "<svg"),
        ("diagram", "diagram.txt", ""),
        ("wiring", "wiring.svg", "<svg"),
        ("report", "report.md", "# "),
    ] {
        press(&mut stand, "X");
        stand.letters(words);
        press(&mut stand, "Enter Ctrl-u");
        let path = stand.folder.path().join(file).display().to_string();
        stand.letters(&path);
        press(&mut stand, "Enter");
        if message(&stand).starts_with("not written") {
            assert_eq!(content(&stand, file), "", "{words}: {}", message(&stand));
            continue;
        }
        assert_eq!(message(&stand), format!("written: DIR/{file}"));
        assert!(content(&stand, file).contains(begins), "{file}");
    }
    press(&mut stand, "X");
    stand.letters("diagram");
    press(&mut stand, "Enter Ctrl-u");
    stand.letters("/no/such/folder/diagram.svg");
    press(&mut stand, "Enter");
    assert!(message(&stand).starts_with("not written"), "{}", message(&stand));
}

#[test]
fn an_export_has_a_name_to_begin_with() {
    let mut stand = river("seq 3 | tac");
    let mut names = Vec::new();
    for (what, ..) in insight::Export::ALL {
        crate::views::export::ask_where(&mut stand.app, what);
        let Some(prompt) = stand.app.drawer_of::<crate::parts::prompt::Prompt>() else {
            panic!("no question")
        };
        names.push(prompt.input.value().to_owned());
    }
    insta::assert_debug_snapshot!(names);
}

#[test]
fn a_drawer_takes_what_is_pasted() {
    let paste = |stand: &mut Stand, text: &str| {
        let event = ratatui::crossterm::event::Event::Paste(text.to_owned());
        stand.app.update(crate::state::app::Event::Terminal(event));
    };
    let mut stand = river("seq 3");
    press(&mut stand, "n");
    paste(&mut stand, "sort -r\n");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "seq 3 | sort -r");
    press(&mut stand, "?");
    paste(&mut stand, "not here");
    press(&mut stand, "Esc");
    assert_eq!(text(&stand), "seq 3 | sort -r", "help takes no text");
}

#[test]
fn a_line_of_no_file_is_kept_among_the_earlier_ones_and_not_asked_about() {
    let state = tempfile::tempdir().unwrap();
    let with_store = |text: &str| {
        let mut stand = river(text);
        stand.app.kept.store = Some(crate::storage::store::Store::at(state.path().to_owned()));
        stand
    };
    let mut stand = with_store("seq 3");
    press(&mut stand, "e 0 Ctrl-q");
    assert_eq!((question(&stand), stand.app.wish()), (None, Wish::Leave));
    assert_eq!(stand.app.text.history, ["seq 30"]);
    // Several lines are more than a line, and a file is a file.
    let mut stand = with_store("seq 3\nseq 4");
    press(&mut stand, "e 0 Ctrl-q");
    assert_eq!(question(&stand), Some(LEAVE));
    let mut stand = with_store("seq 3");
    save_as(&mut stand, "own.sh");
    press(&mut stand, "e 0 Ctrl-q");
    assert_eq!(question(&stand), Some(LEAVE));
}

#[test]
fn a_long_question_is_read_on() {
    let names: Vec<String> = (0..200).map(|number| format!("name-of-a-file-{number}")).collect();
    let mut stand = river(&format!("touch {}", names.join(" ")));
    stand.screen(80, 24);
    press(&mut stand, "y");
    let first = stand.screen(80, 24);
    assert!(first.contains("Run this external program?") && first.contains("↑↓"), "{first}");
    assert!(!first.contains("in folder"), "{first}");
    let mut seen = first.clone();
    for _ in 0..12 {
        press(&mut stand, "PageDown");
        seen.push_str(&stand.screen(80, 24));
    }
    assert!(seen.contains("in folder"), "all of it was seen");
    // Another question begins at its beginning.
    press(&mut stand, "n y");
    assert_eq!(stand.screen(80, 24), first);
}

#[test]
fn all_notes_are_read_whole_at_any_size() {
    let mut stand =
        river("cut -d, -f2 DIR/gate.log | uniq -c | awk '$1 > 2 {print $1, $2} END {print n}'");
    stand.settle();
    stand.screen(80, 24);
    press(&mut stand, "Home Right m");
    let mut seen = stand.screen(80, 24);
    for _ in 0..30 {
        press(&mut stand, "Down");
        seen.push_str(&stand.screen(80, 24));
    }
    // The selected stage first, and then the others with their numbers and explanations.
    for words in ["splits every line", "at the end: prints n", "merges adjacent"] {
        assert!(seen.contains(words), "{words} in {seen}");
    }
    press(&mut stand, "Esc");
    assert!(stand.app.drawer.is_none());
}
