//! What there is to begin with: the files of a folder and what is in them, and programs that are
//! often the source of a pipeline.

pub(crate) mod folder;
pub(crate) mod look;
pub(crate) mod programs;
pub(crate) mod reading;
