//! What evaluates the text, and what it is given.

use std::sync::mpsc::Sender;

use engine::{Consents, Limits, Variables, Workbench};

use super::event::Event;

/// The background work of the Bench.
pub(crate) struct SessionState {
    pub(crate) workbench: Workbench,
    /// Variables and parameters the text begins with.
    pub(crate) variables: Variables,
    /// What a preview may take.
    pub(crate) limits: Limits,
    /// Where background work sends its news.
    pub(crate) events: Sender<Event>,
}

/// Which programs of the machine may be started.
#[derive(Default)]
pub(crate) struct ConsentState {
    /// Until Ylotrope ends, or for good.
    pub(crate) allowed: Consents,
    /// For the next result alone.
    pub(crate) allowed_once: Consents,
}
