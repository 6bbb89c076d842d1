//! What changes the state, and what the state asks for.

use std::path::PathBuf;
use std::sync::Arc;

use engine::{Preview, SessionEvent};
use insight::{Alignment, Note, ShelfEntry};
use ratatui::crossterm::event::Event as TerminalEvent;

use crate::state::columns::Counted;
use crate::state::job::Job;
use crate::state::parsed::Parsed;
use crate::state::place::Place;
use crate::state::start::{Beginning, Looked};
use crate::state::told::Told;
use crate::state::trail::TrailRow;
use crate::state::versions::VersionsNews;
use crate::text::complete::Completion;

/// News for the state.
pub(crate) enum Event {
    /// From the terminal.
    Terminal(TerminalEvent),
    /// From the background.
    Session(SessionEvent),
    /// Data came; more of it is told when this was looked at.
    Arrived(Told),
    /// A preview; its advice comes after it.
    Previewed(Arc<Preview>),
    /// Advice on a preview, by its number.
    Noted(u64, Vec<Note>),
    /// What can be said of a result at once, before changes were tried.
    Remarked(u64, Vec<Note>),
    /// What can be at the cursor: of which text, where, and the candidates.
    Completed(String, usize, Option<Completion>),
    /// A long text was parsed: which, and with the cursor where.
    Parsed(u64, String, usize, Box<Parsed>),
    /// Work in the background has failed: which, and why.
    Failed(Job, String),
    /// Files that have changed since they were read, for a result by its number.
    Changed(u64, Vec<PathBuf>),
    /// Rows made in the background: preview, place, and the rows.
    Aligned(u64, Place, Arc<Alignment>),
    /// A file of the Pending view was compared: preview, row, and what would change.
    Compared(u64, usize, Arc<insight::Difference>),
    /// Columns counted so far, or to the end: which count, and what it found.
    Columns(u64, Box<Counted>),
    /// What patterns find: which try, and what each finds.
    Finds(u64, Vec<insight::Finds>),
    /// What came out of an offer: which try, which offer; past the last one it has ended.
    Tried(u64, usize, Option<insight::Outcome>),
    /// What is on the Shelf, by the number of the reading, and why earlier lines are not.
    ShelfRead(u64, Vec<ShelfEntry>, Option<String>),
    /// What there is to begin with, by the number of the reading.
    StartRead(u64, Box<Beginning>),
    /// Looks at files, by the number of the reading.
    Looked(u64, Vec<Looked>),
    /// News of the comparison of versions with this number.
    Versions(u64, VersionsNews),
    /// The rows of a trail by its number, with what it is of; `None` where there is no such line.
    Trailed(u64, Option<(String, Vec<TrailRow>)>),
    /// How far the search for a text is: bytes read, and of how many.
    Searched(u64, u64, Option<u64>),
    /// Matches found in the background for a search with this number.
    Found(u64, Arc<Vec<u32>>, bool),
    /// Somebody asks the program to end, by this signal.
    Signal(i32),
    /// Somebody asks it to stop until the shell brings it back.
    Suspend,
    /// It was brought back.
    Continued,
}

/// What the state asks of the terminal.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Wish {
    /// Nothing.
    Stay,
    /// To be stopped until the shell brings it back.
    Suspend,
    /// To be taken over again, after it was somebody else's.
    TakeAgain,
    /// To end.
    Leave,
    /// To end, and the result was not wanted.
    Decline,
    /// To end, and then to run the text with its result going on.
    PassOn,
    /// To end, and then to print the text.
    Print,
    /// To end by this signal.
    End(i32),
}
