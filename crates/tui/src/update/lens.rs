//! What the lens shows, and the search in it.

use std::sync::Arc;

use engine::Preview;
use filters::Verb;
use stream::RunControl;

use crate::screen::place::Place;
use crate::state::app::{App, Event};
use crate::state::job::Job;
use crate::state::lens::{Content, content_of, row_lines, rows_of};
use crate::state::search::search;
use crate::text::display::width;

/// Bytes of a line in which marks are looked for to bring them into view.
const MARKED: usize = 1 << 12;

/// Columns of the lens next to its lines.
const GUTTER: usize = 14;

impl App {
    /// Selects a row of the river and shows it in the lens.
    pub(crate) fn select(&mut self, place: Place) {
        let same = self.place == place;
        self.place = place;
        if !same {
            self.lens.search = None;
        }
        self.refresh_lens(same);
    }

    /// Shows the selected place, as it is now, in the lens.
    pub(crate) fn refresh_lens(&mut self, keep_place: bool) {
        let Some(preview) = self.result.preview.clone() else { return };
        if let Some(content) = content_of(&preview, self.shown(), self.lens.sides()) {
            self.lens.show(content, keep_place);
            self.settle_column(&preview);
            return;
        }
        self.lens.show(Content::Empty, keep_place);
        let (place, unfolded) = (self.shown(), self.lens.unfolded);
        if preview.stages.get(place.stage()).is_some() {
            self.in_background(Job::Lens, move || {
                let stage = &preview.stages[place.stage()];
                Event::Aligned(preview.generation, place, Arc::new(rows_of(stage, unfolded)))
            });
        }
    }

    /// The column that shows something: the one chosen by hand as long as a line on screen reaches
    /// it, and otherwise that of what the stage looks at.
    pub(super) fn settle_column(&mut self, preview: &Preview) {
        let column = self.lens.column;
        let chosen = self.lens.scrolled && {
            let (lens, last) = (&self.lens, self.lens.top + self.lens.height);
            (lens.top..last.min(lens.len())).any(|row| {
                let (_, left, right) = row_lines(preview, &lens.content, row);
                let reaches = |line: &[u8]| width(line, lens.view, column + 1) > column;
                [left, right].into_iter().flatten().any(|line| reaches(&line))
            })
        };
        if !chosen {
            self.lens.column = 0;
            self.lens.scrolled = false;
            self.bring_marks_into_view(preview);
        }
    }

    /// Scrolls sideways to what the stage looks at, where that is far to the right in its first
    /// line.
    fn bring_marks_into_view(&mut self, preview: &Preview) {
        let Content::Stage { stage, rows } = &self.lens.content else { return };
        let Some(result) = preview.stages.get(*stage) else { return };
        let first = (0..rows.len().min(self.lens.height)).find_map(|row| {
            let (row, left, _) = row_lines(preview, &self.lens.content, row);
            left.filter(|_| row.part_of.is_some())
        });
        let Some(line) = first else { return };
        let marks = insight::marks(result, &line[..line.len().min(MARKED)]);
        let Some(mark) = marks.first() else { return };
        let one_side = matches!(result.verb, Some(Verb::Keeps | Verb::Passes));
        let room = if one_side { self.lens.width } else { self.lens.width / 2 };
        let before = width(&line[..mark.start], self.lens.view, MARKED);
        let end = before + width(&line[mark.clone()], self.lens.view, room);
        if end + GUTTER > room {
            self.lens.column = before.saturating_sub(room / 4);
        }
    }

    /// Searches the lens in the background.
    pub(crate) fn start_search(&mut self, query: &str) {
        if let Some(running) = self.lens.searching.take() {
            running.cancel();
        }
        self.lens.searches += 1;
        let number = self.lens.searches;
        let Some(preview) = self.result.preview.clone().filter(|_| !query.is_empty()) else {
            self.lens.search = None;
            return;
        };
        let before = self.lens.search.take().unwrap_or_default();
        let rows = if before.query == query { before.rows } else { Arc::default() };
        self.lens.search = Some(crate::state::lens::Search {
            query: query.to_owned(),
            rows,
            searching: true,
            reached: false,
        });
        let control = RunControl::default();
        self.lens.searching = Some(control.clone());
        let (content, query) = (self.lens.content.clone(), query.to_owned());
        let events = self.events.clone();
        self.in_background_until(Job::Search, control.clone(), move || {
            let tell = |rows: &[u32]| {
                if !rows.is_empty() {
                    let rows = Arc::new(rows.to_vec());
                    // Nobody listens any more when the screen is gone.
                    let _ = events.send(Event::Found(number, rows, false));
                }
                !control.is_cancelled()
            };
            let rows = search(&preview, &content, &query, tell);
            Event::Found(number, Arc::new(rows), true)
        });
    }

    /// Takes the rows that a search has found so far; the first one is gone to at once.
    pub(super) fn found(&mut self, number: u64, rows: Arc<Vec<u32>>, done: bool) {
        let (newest, here) = (number == self.lens.searches, self.lens.cursor as u32);
        let Some(search) = self.lens.search.as_mut().filter(|_| newest) else { return };
        search.rows = rows;
        search.searching = !done;
        // Where the keys have gone since is theirs.
        let first = !search.rows.is_empty() && !std::mem::replace(&mut search.reached, true);
        let elsewhere = search.rows.binary_search(&here).is_err();
        if first
            && elsewhere
            && let Some(row) = self.lens.next_match(true)
        {
            self.lens.go(row);
        }
    }
}
