//! Drawings and documents.

pub(crate) mod checked;
pub(crate) mod columns;
pub(crate) mod drawing;
pub(crate) mod json;
pub(crate) mod report;
