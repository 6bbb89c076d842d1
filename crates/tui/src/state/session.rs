//! What evaluates the text, and what it is given.

use engine::{Consents, Limits, Variables, Workbench};

/// The background work of the Bench.
pub(crate) struct SessionState {
    pub(crate) workbench: Workbench,
    /// Variables and parameters the text begins with.
    pub(crate) variables: Variables,
    /// What a preview may take.
    pub(crate) limits: Limits,
}

/// Which programs of the machine may be started.
#[derive(Default)]
pub(crate) struct ConsentState {
    /// Until Ylotrope ends, or for good.
    pub(crate) allowed: Consents,
    /// For the next result alone.
    pub(crate) allowed_once: Consents,
}

/// For how long a program may be started.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum HowLong {
    /// For one result, which is kept until the text before it changes or it is read again.
    Once,
    /// Until Ylotrope ends.
    Session,
    /// For good.
    Always,
}
