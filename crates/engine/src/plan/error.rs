//! Why there is no plan.

use shell::Span;
use thiserror::Error;

/// Why there is no plan, and the place in the text.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{message}")]
pub struct PlanError {
    /// What is wrong, in a few words.
    pub message: String,
    /// The bytes of the text that are meant.
    pub span: Span,
}
