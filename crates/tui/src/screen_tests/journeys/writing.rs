//! Typing, completing, undoing, going back to earlier lines, pasting.

use super::{message, press, river, text, written};
use crate::screen::place::{Focus, Place};
use crate::screen_tests::stand::Stand;
use crate::state::app::Event;

fn typed(begun: &str, letters: &str) -> Stand {
    let mut stand = Stand::new(begun);
    stand.letters(letters);
    stand
}

#[test]
fn what_is_typed_is_evaluated_while_it_is_typed() {
    let mut stand = typed("", "seq 3");
    assert_eq!(written(&mut stand), "1\n2\n3\n");
    stand.letters(" | tac");
    assert_eq!(written(&mut stand), "3\n2\n1\n");
    press(&mut stand, "Ctrl-w Backspace Backspace Backspace");
    assert_eq!(text(&stand), "seq 3");
    assert_eq!(written(&mut stand), "1\n2\n3\n");
}

#[test]
fn half_a_line_keeps_the_last_result_and_says_what_is_missing() {
    let mut stand = typed("seq 3", "");
    assert_eq!(written(&mut stand), "1\n2\n3\n");
    stand.letters(" | ");
    stand.settle();
    let problem = stand.app.text.problem.as_ref().expect("a problem");
    assert_eq!(problem.message, "a command is missing after |");
    assert_eq!(written(&mut stand), "1\n2\n3\n", "the result before it stays on screen");
    stand.letters("tac");
    assert!(written(&mut stand).starts_with('3'));
    assert!(stand.app.text.problem.is_none());
}

#[test]
fn readline_keys_move_and_delete() {
    for (keys, expected, cursor) in [
        ("Ctrl-a", "sort -r log", 0),
        ("Home", "sort -r log", 0),
        ("Ctrl-a Ctrl-e", "sort -r log", 11),
        ("Ctrl-b Ctrl-b", "sort -r log", 9),
        ("Left Left Ctrl-f", "sort -r log", 10),
        ("Alt-b", "sort -r log", 8),
        ("Home Alt-f", "sort -r log", 6),
        ("Ctrl-w", "sort -r ", 8),
        ("Alt-Backspace", "sort -r ", 8),
        ("Ctrl-h", "sort -r lo", 10),
        ("Left Ctrl-d", "sort -r lo", 10),
        ("Home Delete", "ort -r log", 0),
        ("Home Alt-d", "r log", 0),
        ("Alt-b Ctrl-k", "sort -r ", 8),
        ("Alt-b Ctrl-u", "log", 0),
        ("Ctrl-u Ctrl-y Ctrl-y", "sort -r logsort -r log", 22),
    ] {
        let mut stand = typed("sort -r log", "");
        press(&mut stand, keys);
        assert_eq!(text(&stand), expected, "{keys}");
        assert_eq!(stand.app.text.editor.cursor(), cursor, "{keys}");
    }
}

#[test]
fn undo_goes_back_step_by_step_and_says_where_it_ends() {
    let mut stand = typed("", "seq 3 | tac");
    for expected in ["seq 3 |", "seq 3", "seq", ""] {
        press(&mut stand, "Alt-u");
        assert_eq!(text(&stand), expected);
        assert_eq!(message(&stand), "undone");
    }
    press(&mut stand, "Ctrl-_");
    assert_eq!(message(&stand), "nothing to undo");
    for expected in ["seq", "seq 3", "seq 3 |", "seq 3 | tac"] {
        press(&mut stand, "Alt-r");
        assert_eq!(text(&stand), expected);
        assert_eq!(message(&stand), "redone");
    }
    press(&mut stand, "Alt-r");
    assert_eq!(message(&stand), "nothing to redo");
    // A change after an undo takes the way forward away.
    press(&mut stand, "Alt-u x Alt-r");
    assert_eq!((text(&stand).as_str(), message(&stand).as_str()), ("seq 3 |x", "nothing to redo"));
}

#[test]
fn enter_continues_an_unfinished_text_and_remembers_a_finished_one() {
    let mut stand = typed("", "seq 3 |");
    press(&mut stand, "Enter");
    stand.letters("tac");
    assert_eq!(text(&stand), "seq 3 |\ntac");
    press(&mut stand, "Enter");
    assert_eq!(text(&stand), "seq 3 |\ntac", "a finished text is not changed");
    assert_eq!(stand.app.text.history, ["seq 3 |\ntac"]);
    // The result is what one wants to see then.
    assert_eq!((stand.app.focus, stand.app.place), (Focus::Lens, Place::Stage(1)));
    press(&mut stand, "e Enter");
    assert_eq!(stand.app.text.history.len(), 1, "once");
    // Inside the text Enter never breaks a line; Ctrl-J does.
    press(&mut stand, "e Home Up Enter e Ctrl-j");
    assert_eq!(text(&stand), "\nseq 3 |\ntac");
}

#[test]
fn earlier_lines_come_back_and_the_one_being_written_too() {
    let mut stand = typed("", "");
    for line in ["seq 1", "seq 2", "seq 3"] {
        press(&mut stand, "Ctrl-u");
        stand.letters(line);
        press(&mut stand, "Enter e");
    }
    press(&mut stand, "Ctrl-u");
    stand.letters("own");
    for (keys, expected) in [
        ("Up", "seq 3"),
        ("Up", "seq 2"),
        ("Up", "seq 1"),
        ("Up", "seq 1"),
        ("Down", "seq 2"),
        ("Ctrl-n", "seq 3"),
        ("Down", "own"),
        ("Down", "own"),
        ("Ctrl-p", "seq 3"),
    ] {
        press(&mut stand, keys);
        assert_eq!(text(&stand), expected, "{keys}");
    }
    // Who types in an earlier line has a line of their own again.
    stand.letters("0");
    press(&mut stand, "Down");
    assert_eq!(text(&stand), "seq 30");
    // A line that is written again goes to the end.
    press(&mut stand, "Ctrl-u");
    stand.letters("seq 1");
    press(&mut stand, "Enter");
    assert_eq!(stand.app.text.history, ["seq 2", "seq 3", "seq 1"]);
}

#[test]
fn up_and_down_move_in_a_text_of_several_lines_first() {
    let mut stand = typed("seq 3 |\ntac", "");
    stand.app.text.history.push("earlier".to_owned());
    press(&mut stand, "Up");
    assert_eq!(text(&stand), "seq 3 |\ntac");
    assert_eq!(stand.app.text.editor.cursor(), 3, "the same column of the line above");
    press(&mut stand, "Up");
    assert_eq!(text(&stand), "earlier");
}

#[test]
fn names_options_and_files_are_completed() {
    for (begun, keys, expected) in [
        ("uni", "Tab", "uniq "),
        ("grep x DIR/ga", "Tab", "grep x DIR/gate.log "),
        ("cat < DIR/ga", "Tab", "cat < DIR/gate.log "),
        ("sort --rev", "Tab", "sort --reverse "),
        ("cut --del", "Tab", "cut --delimiter="),
        ("sort x | uni", "Tab", "sort x | uniq "),
        ("so", "Tab", "sort "),
    ] {
        let mut stand = typed(begun, "");
        press(&mut stand, keys);
        assert_eq!(text(&stand), expected, "{begun}");
    }
    let mut stand = typed("no such thing", "");
    press(&mut stand, "Tab");
    assert_eq!(
        (text(&stand).as_str(), message(&stand).as_str()),
        ("no such thing", "nothing to complete here")
    );
}

#[test]
fn several_candidates_are_shown_and_taken_in_turn() {
    let mut stand = typed("ta", "");
    press(&mut stand, "Tab");
    let shown = stand.app.text.completion.clone().expect("candidates");
    let names: Vec<&str> = shown.candidates.iter().map(|(name, _)| name.trim()).collect();
    assert_eq!(names, ["tac", "tail"]);
    assert_eq!((text(&stand).as_str(), shown.chosen), ("ta", None));
    for expected in ["tac ", "tail ", "tac "] {
        press(&mut stand, "Tab");
        assert_eq!(text(&stand), expected);
    }
    press(&mut stand, "BackTab");
    assert_eq!(text(&stand), "tail ");
    let mut stand = typed("ta", "");
    press(&mut stand, "Tab BackTab");
    assert_eq!(text(&stand), "tail ", "the last one first");
    // The first Esc puts the candidates away, the second leaves the text.
    press(&mut stand, "Esc");
    assert!(stand.app.text.completion.is_none() && stand.app.focus == Focus::Text);
    press(&mut stand, "Esc");
    assert_eq!(stand.app.focus, Focus::River);
}

#[test]
fn a_paste_is_one_step_and_its_lines_are_lines() {
    let mut stand = river("");
    stand.app.update(Event::Terminal(ratatui::crossterm::event::Event::Paste(
        "seq 3 |\r\ntac\r\n".to_owned(),
    )));
    assert_eq!(stand.app.focus, Focus::Text, "a paste goes to the text");
    assert_eq!(text(&stand), "seq 3 |\ntac");
    assert_eq!(written(&mut stand), "3\n2\n1\n");
    press(&mut stand, "Alt-u");
    assert_eq!(text(&stand), "");
}

#[test]
fn the_program_of_a_stage_has_an_editor_of_its_own() {
    let mut stand = river("seq 3 | awk '{ print $1 }'");
    press(&mut stand, "Right F2");
    press(&mut stand, "End Backspace Backspace");
    stand.letters("* 2 }");
    assert_eq!(text(&stand), "seq 3 | awk '{ print $1* 2 }'");
    assert_eq!(written(&mut stand), "2\n4\n6\n");
    press(&mut stand, "Home Enter Up");
    stand.letters("# it's doubled");
    assert_eq!(text(&stand), "seq 3 | awk '# it'\\''s doubled\n{ print $1* 2 }'");
    assert_eq!(written(&mut stand), "2\n4\n6\n");
    press(&mut stand, "Alt-u Esc");
    assert!(stand.app.drawer.is_none());
    // All of it is one step of the command text.
    press(&mut stand, "u");
    assert_eq!(text(&stand), "seq 3 | awk '{ print $1 }'");
    press(&mut stand, "Left F2");
    assert!(stand.app.drawer.is_some(), "the only program is meant");
}

#[test]
fn a_text_to_begin_with_gives_way_to_what_is_typed() {
    for (typed, text_then) in [
        ("grep", "grep"),
        (" -n", "cat -n"),
        ("|wc", "cat|wc"),
        ("> x", "cat> x"),
        ("\u{e9}", "\u{e9}"),
    ] {
        let mut stand = river("cat");
        stand.app.text.offered = Some("cat".to_owned());
        press(&mut stand, "e");
        stand.letters(typed);
        assert_eq!(text(&stand), text_then);
    }
    // Only as long as it is the text.
    let mut stand = river("cat");
    stand.app.text.offered = Some("cat".to_owned());
    press(&mut stand, "e Backspace");
    stand.letters("t");
    assert_eq!(text(&stand), "cat");
    stand.letters("s");
    assert_eq!(text(&stand), "cats");
}

#[test]
fn an_error_goes_with_the_text_it_is_of() {
    let mut stand = river("seq 3 | cut -f0");
    assert!(stand.app.text.problem.is_some());
    press(&mut stand, "e Backspace 1");
    // The result of the new text is not there yet.
    assert!(stand.app.text.problem.is_none() && stand.app.result.waiting.is_some());
    stand.settle();
    assert!(stand.app.text.problem.is_none());
}

#[test]
fn earlier_lines_are_searched_and_those_of_the_shell_offered() {
    let mut stand = typed("", "");
    for line in ["seq 3 | tac", "echo a", "seq 9 | sort"] {
        stand.app.text.history.push(line.to_owned());
    }
    let file = stand.folder.path().join("shell history");
    std::fs::write(&file, "grep x y\nseq 7 | tac\necho a\n").unwrap();
    stand.app.kept.shell_history = Some(file.clone());
    press(&mut stand, "Ctrl-r");
    let screen = stand.screen(120, 40);
    assert!(screen.contains("shell history too"), "{screen}");
    assert!(!screen.contains("grep x y"), "it is not read before it is wanted");
    stand.letters("tac");
    press(&mut stand, "Tab");
    let screen = stand.screen(120, 40);
    assert!(screen.contains("seq 3 | tac") && screen.contains("seq 7 | tac"), "{screen}");
    press(&mut stand, "Down Enter");
    assert_eq!(text(&stand), "seq 7 | tac");
    press(&mut stand, "Alt-u");
    assert_eq!(text(&stand), "", "what was there comes back");
    // Where the user has said so once, they are there the next time.
    let config = crate::storage::config::Config::at(stand.folder.path().join("config.toml"));
    stand.app.kept.config = Some(config.clone());
    // It is offered once, and not again where it was not wanted.
    press(&mut stand, "Ctrl-r");
    assert!(stand.screen(120, 40).contains("shell history too"));
    press(&mut stand, "Esc Ctrl-r");
    assert!(!stand.screen(120, 40).contains("shell history too"));
    press(&mut stand, "Esc");
    stand.app.kept.shell_history = Some(file.clone());
    press(&mut stand, "Ctrl-r");
    assert!(!stand.screen(120, 40).contains("grep x y"));
    press(&mut stand, "Tab Esc Ctrl-r");
    assert!(config.reads_shell_history().unwrap());
    let screen = stand.screen(120, 40);
    assert!(screen.contains("grep x y") && !screen.contains("Tab reads"), "{screen}");
    // The newest first, and each once.
    assert_eq!(screen.matches("echo a").count(), 1);
    press(&mut stand, "Esc");
    // A file that is gone is said.
    std::fs::remove_file(&file).unwrap();
    press(&mut stand, "Ctrl-r Esc");
    assert!(message(&stand).contains("shell history"), "{}", message(&stand));
}

#[test]
fn lines_that_had_a_result_are_remembered_when_they_are_left() {
    let mut stand = typed("", "");
    for line in ["seq 3 | tac", "seq 5 | sort"] {
        press(&mut stand, "Ctrl-u");
        stand.letters(line);
        stand.settle();
    }
    assert_eq!(stand.app.text.history, ["seq 3 | tac"]);
    press(&mut stand, "Ctrl-w Backspace Backspace Backspace");
    stand.settle();
    stand.app.leave_now(crate::state::event::Wish::Leave);
    assert_eq!(stand.app.text.history, ["seq 3 | tac", "seq 5 | sort", "seq 5"]);
}

#[test]
fn one_goes_from_command_to_command() {
    let mut stand = typed("x=1; seq 3; seq 4 | tac && echo $x", "");
    stand.settle();
    press(&mut stand, "Esc");
    let shown = |stand: &Stand| stand.app.text.commands().1;
    assert_eq!(shown(&stand), 2);
    press(&mut stand, "{");
    assert_eq!((shown(&stand), stand.app.place), (1, Place::Stage(1)));
    stand.settle();
    let screen = stand.screen(160, 50);
    assert!(screen.contains("command 2 of 3"), "{screen}");
    press(&mut stand, "{ {");
    assert_eq!(
        (shown(&stand), message(&stand).as_str()),
        (0, "it is the first command of the text")
    );
    press(&mut stand, "} } }");
    assert_eq!(
        (shown(&stand), message(&stand).as_str()),
        (2, "it is the last command of the text")
    );
}

#[test]
fn enter_is_yes_where_nothing_is_changed_by_it() {
    let mut stand = typed("seq 3 | tac", "");
    stand.settle();
    press(&mut stand, "Esc r Enter");
    assert!(stand.app.drawer.is_none() && stand.app.running.is_some());
    let mut stand = typed("seq 3 > DIR/new", "");
    stand.settle();
    press(&mut stand, "Esc r Enter");
    assert!(stand.app.drawer.is_some() && stand.app.running.is_none());
    assert!(!stand.folder.path().join("new").exists());
}

#[test]
fn a_script_is_asked_for_its_parameters_and_shows_them() {
    let mut stand = typed("", "");
    let script = stand.folder.path().join("count.sh");
    std::fs::write(&script, "#!/bin/sh\nseq \"$1\" | grep -c \"$2\"\n").unwrap();
    press(&mut stand, "Ctrl-o");
    stand.shelf_read();
    stand.letters("count");
    press(&mut stand, "Enter");
    let screen = stand.screen(160, 50);
    assert!(screen.contains("parameters of the script"), "{screen}");
    stand.letters("20 '1 '");
    press(&mut stand, "Enter");
    assert_eq!(written(&mut stand), "0\n");
    press(&mut stand, "Esc =");
    let screen = stand.screen(160, 50);
    assert!(screen.contains("with 20 '1 '") && screen.contains("› 20 '1 '"), "{screen}");
    press(&mut stand, "Backspace Backspace Backspace Backspace");
    stand.letters("7");
    press(&mut stand, "Enter");
    assert_eq!(written(&mut stand), "2\n");
    // What is no word is said, and nothing changes.
    press(&mut stand, "= Ctrl-u");
    stand.letters("a | b");
    press(&mut stand, "Enter");
    assert!(message(&stand).starts_with("parameters are words"), "{}", message(&stand));
    assert_eq!(stand.app.parameters(), "20 7");
}
