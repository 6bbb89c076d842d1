//! Where stages are put that are made without typing them.

/// Where the stages of an offer are put.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum PutAt {
    /// Between the source and the first stage.
    #[default]
    Source,
    /// After this stage.
    After(usize),
}
