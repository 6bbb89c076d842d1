//! Where the keys go, and which row of the river is selected.

/// Which part of the screen the keys go to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Focus {
    /// The command text.
    Text,
    /// The river.
    River,
    /// The lens.
    Lens,
}

/// A row of the river.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Place {
    /// What the first stage reads.
    Source,
    /// A stage.
    Stage(usize),
    /// What a stage writes.
    Stream(usize),
}

impl Place {
    /// The stage a place belongs to.
    pub(crate) fn stage(self) -> usize {
        match self {
            Self::Source => 0,
            Self::Stage(number) | Self::Stream(number) => number,
        }
    }
}
