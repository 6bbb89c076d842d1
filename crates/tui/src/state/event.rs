//! What changes the state, and what the state asks for.

use std::sync::Arc;

use engine::{Preview, SessionEvent};
use insight::{Alignment, Note};
use ratatui::crossterm::event::Event as TerminalEvent;

use crate::screen::place::Place;
use crate::state::job::Job;
use crate::state::parsed::Parsed;
use crate::state::told::Told;
use crate::text::complete::Completion;

/// News for the state.
pub(crate) enum Event<S> {
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
    /// Rows made in the background: preview, place, and the rows.
    Aligned(u64, Place, Arc<Alignment>),
    /// Something is to be done with what background work has made.
    Then(Box<dyn FnOnce(&mut S) + Send>),
    /// Matches found in the background for a search with this number.
    Found(u64, Arc<Vec<u32>>, bool),
    /// Somebody asks the program to end, by this signal.
    Signal(i32),
    /// Somebody asks it to stop until the shell brings it back.
    Suspend,
    /// It was brought back.
    Continued,
}

impl<S> Event<S> {
    /// Does something with the state when its turn comes.
    pub(crate) fn then(work: impl FnOnce(&mut S) + Send + 'static) -> Self {
        Self::Then(Box::new(work))
    }
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
