//! The tour of the guide, “why is it wrong?”, with its keys, on a large and on a small terminal.

use crate::tmux::Terminal;

fn tour(columns: u16, rows: u16) {
    let terminal = Terminal::open(columns, rows);
    terminal.type_text("$Y demo");
    terminal.press(&["Enter"]);
    terminal.wait("226 gate-03");
    terminal.press(&["Escape"]);
    terminal.wait("↑↓ select");
    terminal.press(&["S"]);
    terminal.wait("Shelf: ");
    terminal.type_text("forgotten");
    terminal.wait("Shelf: 1 of");
    terminal.press(&["Enter"]);
    terminal.wait("opened forgotten-sort.sh");
    terminal.wait_gone("worst-gates.txt");
    terminal.wait("evaluated in");
    terminal.escape("↑↓ select");
    terminal.press(&["Home", "Right", "Right", "Right"]);
    terminal.wait("found only 121 of 1 026 repeats");
    // What has no room is said short.
    terminal.wait_for("the offer", |screen| {
        screen.contains("put sort before it") || screen.contains("f fixes it")
    });
    terminal.press(&["f"]);
    terminal.wait("sort | uniq -c");
    terminal.wait_gone("found only 121");
    terminal.wait("evaluated in");
    terminal.press(&["M"]);
    terminal.wait("versions of the text");
    terminal.wait("only in 1");
    terminal.escape("↑↓ select");
    terminal.press(&["End", "Tab", "t"]);
    terminal.wait("226 lines became 1");
    terminal.wait("card=94952");
    terminal.escape("Tab river");
    terminal.press(&["Y"]);
    terminal.wait("which text is missing");
    terminal.type_text("gate-05");
    terminal.press(&["Enter"]);
    terminal.wait("666 of 703 lines end here");
    terminal.press(&["Down"]);
    terminal.wait("not among the first 5 lines");
    terminal.escape("Tab river");
    terminal.press(&["C-o"]);
    terminal.wait("Shelf: ");
    terminal.type_text("uniq sort -rn worst");
    terminal.wait("Shelf: 2 of");
    terminal.escape("Tab river");
}

#[test]
fn the_tour_goes_as_the_guide_says() {
    tour(160, 50);
}

#[test]
fn the_tour_goes_on_a_small_terminal() {
    tour(80, 24);
}
