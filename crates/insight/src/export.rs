//! Drawings and documents.

pub(crate) mod drawing;
pub(crate) mod report;
