//! Rows of what can be done, each with what comes out of it.

use insight::{Outcome, grouped};

use crate::screen::canvas::{Canvas, PART, cut};
use crate::screen::target::Target;
use crate::state::app::App;
use crate::text::display::{View, pieces, safe};

/// From this width on there is room for the first line, too.
const WIDE: usize = 100;

/// Columns of a count.
const COUNT: u16 = 11;

/// Where the words are, the counts and the first line.
#[derive(Clone, Copy)]
pub(crate) struct Layout {
    says: usize,
    right: u16,
    first: usize,
}

impl Layout {
    pub(crate) fn of(width: u16) -> Self {
        let width = usize::from(width);
        let counts = usize::from(COUNT) * 2;
        let room = width.saturating_sub(3 + counts);
        // Where there is no room for both, what is done says more than the first line.
        let says = if width < WIDE { room.saturating_sub(1) } else { room * 3 / 5 };
        let says = says.clamp(20, 64);
        Self { says, right: 3 + says as u16, first: width.saturating_sub(3 + says + counts + 3) }
    }

    /// Columns for what is before the counts.
    pub(crate) fn words(self) -> u16 {
        self.right
    }
}

/// What is known of an outcome.
pub(crate) enum Known<'o> {
    /// There is nothing to be known.
    None,
    /// It is not tried yet.
    Waiting,
    /// It could not be tried.
    Untried,
    /// It was.
    Made(&'o Outcome),
}

/// The headings of the counts.
pub(crate) fn headings(canvas: &mut Canvas<'_>, y: u16, layout: Layout, whole: bool, app: &App) {
    let theme = app.theme;
    let part = if whole { "" } else { PART };
    canvas.put_right(layout.right + COUNT, y, &format!("{part}lines"), theme.quiet());
    canvas.put_right(layout.right + 2 * COUNT, y, "different", theme.quiet());
    let first = if whole {
        "first line of what comes out".to_owned()
    } else {
        format!("first line, of the first {} lines", grouped(insight::TRIED as u64))
    };
    if layout.first > 8 {
        canvas.put(layout.right + 2 * COUNT + 2, y, &cut(&first, layout.first), theme.quiet());
    }
}

/// A row: what is done, and what comes out of it.
pub(crate) fn row(
    canvas: &mut Canvas<'_>,
    y: u16,
    layout: Layout,
    says: &str,
    known: &Known<'_>,
    (number, chosen): (usize, bool),
    app: &App,
) {
    let theme = app.theme;
    canvas.row_target(y, Target::Entry(number));
    if chosen {
        canvas.select(y, 1);
        canvas.put(1, y, "▸", theme.bright());
    }
    let style = if chosen { theme.bright() } else { theme.ink() };
    canvas.put(3, y, &cut(&safe(says), layout.says), style);
    let end = layout.right + COUNT;
    match known {
        Known::None => {}
        Known::Waiting => canvas.put_right(end, y, "…", theme.quiet()),
        Known::Untried => canvas.put_right(end, y, "–", theme.quiet()),
        Known::Made(made) => {
            canvas.put_right(end, y, &grouped(made.lines), style);
            canvas.put_right(end + COUNT, y, &grouped(made.different), style);
            if let (Some(line), true) = (&made.first, layout.first > 8) {
                let shown = pieces(line, View::Text, 0, layout.first).into_iter();
                let text: String = shown.map(|piece| piece.text).collect();
                canvas.put(end + COUNT + 2, y, &text, theme.quiet());
            }
        }
    }
}
