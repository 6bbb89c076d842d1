//! The Shelf: saved pipelines, the demo, and everything that was written or run before.

pub(crate) mod entry;
pub(crate) mod files;
pub(crate) mod folder;
pub(crate) mod past;
