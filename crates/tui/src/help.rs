//! What the help says: the areas, every key, and every sign of the view it is opened over.

use crate::actions::{all, keyed};
use crate::state::screen::Screen;
use crate::text::display::at_blanks;

/// A row: what is explained, and what it is; a heading has nothing to be explained.
pub(crate) type Row = (String, String);

/// Signs and what they are.
type Signs = &'static [(&'static str, &'static str)];

const BENCH: Signs = &[
    ("▌ ▏", "what is selected, where the keys go and elsewhere"),
    ("███", "the data, from its source down; the width is the logarithm of its lines"),
    ("▌▌▌", "lines are merged or split here"),
    ("≈", "with all of the data this may be another figure: the stage has seen a part"),
    ("≥", "at least this number: who reads them had enough, and nobody read more"),
    ("!", "trouble or a warning; · is a hint"),
    ("›", "this line of input is in the output, next to it or in line N of it"),
    ("┐ │ ┘", "the lines of input that made one line of output together"),
    ("⋮", "lines that are not shown here: Enter opens them, {unfold} shows all"),
    ("« »", "the line continues to the left or to the right; ← → scroll, {wrap} wraps"),
    ("└─2─┘", "field 2 of the line the cursor is on, as the stage counts fields"),
    ("1  ╷  10", "the numbers of its characters or bytes, where the stage counts those"),
    ("^[ \\x9B", "bytes that are no text; {view} shows blanks, tabs and ends of lines as · → ¶"),
    ("┆", "a command inside a stage, with how often it ran"),
    ("↧", "a file that would be written"),
    ("^^^", "the place of a mistake in the text"),
    ("…", "something is cut off here"),
];

const WIRING: Signs = &[
    ("▌", "the selected stage"),
    ("1 ─╮ ╰─▶ 0", "a pipe to the next stage"),
    ("─▶ ─◀", "a descriptor that is written, one that is read"),
    ("┬ ╯", "a descriptor that goes where another one goes; ┼ is only a crossing"),
    ("▸", "a descriptor that is written"),
    ("◂", "a descriptor that is read"),
    ("×", "a descriptor that is closed"),
];

const PENDING: Signs = &[
    ("▌", "the selected row"),
    ("↧", "a file that would be written; · one that is left out"),
    ("▹", "a command that would be started, or has succeeded"),
    ("!", "a file that cannot be written or kept, a command that failed"),
    ("›", "what a command has said"),
];

const THROUGHPUT: Signs = &[
    ("▌", "the selected command"),
    ("!", "the slowest command"),
    ("█", "the time at work, or the part of the run that is done"),
    ("·", "the time waiting for input, or the part to come"),
    ("▒", "the time held up by the command whose colour it has"),
    ("▁ ▅ █", "lines a second over time, of the most there was"),
    ("▪", "a block that waits in the link to the next command"),
];

const COLUMNS: Signs = &[
    ("▌", "the selected field"),
    ("≈", "counted from a part of the data; {everything} works on all of it"),
    (
        "~ … ±2 %",
        "an estimate, and how far it may be off: there are too many to count them exactly",
    ),
    ("a-00", "the form of all values: letters as a, digits as 0"),
    ("card=", "what all values of the field begin with; it is left out of the rest of the row"),
    ("!", "lines that do not fit the splitting; Enter goes to the first"),
    ("·", "fields of free text at the end of lines, without a row each; h shows them"),
];

const COMPARE: Signs = &[("▌", "the selected run, compared with the one marked as 1")];

fn signs(screen: Screen) -> Signs {
    match screen {
        Screen::Bench => BENCH,
        Screen::Wiring => WIRING,
        Screen::Pending => PENDING,
        Screen::Throughput => THROUGHPUT,
        Screen::Compare => COMPARE,
        Screen::Columns => COLUMNS,
    }
}

/// The help over this view.
pub(crate) fn rows(screen: Screen) -> Vec<Row> {
    let row = |what: &str, says: &str| (what.to_owned(), says.to_owned());
    let mut rows = vec![
        row("Keys go to one of three areas.", ""),
        row("text", &keyed("keys type; Esc goes to the river, {edit-text} comes back")),
        row("river", "↑↓ go from row to row, ←→ from stage to stage; Tab goes to the lens"),
        row(
            "lens",
            "Enter points at the line under the cursor: what can be done with a field of it",
        ),
        row("", "↑↓←→ scroll, Home and End go to the ends; PgUp and PgDn work everywhere"),
        row("", "j k g G are ↓ ↑ Home End there, Ctrl-F and Ctrl-B are PgDn and PgUp"),
        row("", ""),
        row("Signs in this view:", ""),
    ];
    rows.extend(signs(screen).iter().map(|(sign, says)| (keyed(sign), keyed(says))));
    rows.push(row("", ""));
    rows.push(row("In the river and the lens:", ""));
    rows.extend(all().iter().map(|entry| row(entry.key, entry.says)));
    rows.extend([
        row("", ""),
        row("In the text: readline keys (Ctrl-A E B F W K U Y, Alt-B F D), and", ""),
        row("Tab", "completes filter names, options and file names"),
        row("↑ ↓", "earlier lines, when the cursor is in the first or last row"),
        row("Alt-Enter", "a new line; Alt-u undoes, Alt-r redoes"),
        row(
            "mouse",
            "a click selects, a second one opens; drawing over a piece of a line points at it",
        ),
        row("", "with Shift the terminal itself selects, as ever"),
        row("Ctrl-C", "stops what runs; Ctrl-Z suspends; Ctrl-Q quits"),
    ]);
    rows
}

/// The same on a screen of this width: sentences go on in the next row.
pub(crate) fn rows_within(screen: Screen, width: u16) -> Vec<Row> {
    let room = usize::from(width.saturating_sub(SAYS + 1));
    let broken = |(what, says): Row| {
        let parts = if says.is_empty() { vec![says] } else { at_blanks(&says, room) };
        let named = std::iter::once(what).chain(std::iter::repeat(String::new()));
        named.zip(parts).collect::<Vec<_>>()
    };
    rows(screen).into_iter().flat_map(broken).collect()
}

/// The column in which sentences begin.
pub(crate) const SAYS: u16 = 13;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_view_has_its_signs_explained_once() {
        for screen in [
            Screen::Bench,
            Screen::Wiring,
            Screen::Pending,
            Screen::Throughput,
            Screen::Compare,
            Screen::Columns,
        ] {
            let shown = rows(screen);
            for (sign, says) in signs(screen) {
                assert!(!says.is_empty() && !says.ends_with('.'), "{sign}");
                assert_eq!(
                    shown.iter().filter(|row| row.0 == *sign && row.1 == keyed(says)).count(),
                    1
                );
            }
            assert!(all().iter().all(|entry| shown.iter().any(|row| row.1 == entry.says)));
        }
    }
}
