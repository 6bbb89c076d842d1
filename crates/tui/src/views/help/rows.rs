//! What the help says: the areas, every key, and every sign of the view it is opened over.

use crate::actions::{all, keyed};
use crate::state::app::App;
use crate::state::view::View;
use crate::text::display::at_blanks;

/// A row: what is explained, and what it is; a heading has nothing to be explained.
pub(crate) type Row = (String, String);

/// The help over this view.
pub(crate) fn rows(view: &dyn View<App>) -> Vec<Row> {
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
    rows.extend(view.signs().iter().map(|(sign, says)| (keyed(sign), keyed(says))));
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
pub(crate) fn rows_within(view: &dyn View<App>, width: u16) -> Vec<Row> {
    let room = usize::from(width.saturating_sub(SAYS + 1));
    let broken = |(what, says): Row| {
        let parts = if says.is_empty() { vec![says] } else { at_blanks(&says, room) };
        let named = std::iter::once(what).chain(std::iter::repeat(String::new()));
        named.zip(parts).collect::<Vec<_>>()
    };
    rows(view).into_iter().flat_map(broken).collect()
}

/// The column in which sentences begin.
pub(crate) const SAYS: u16 = 13;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_view_has_its_signs_explained_once() {
        crate::views::register();
        for view in crate::views::REGISTRY.views {
            let view = *view;
            let shown = rows(view);
            for (sign, says) in view.signs() {
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
