//! Changes of the text, stage by stage, and programs within it.

pub(crate) mod field_list;
pub(crate) mod inserting;
pub(crate) mod options;
pub(crate) mod programs;
pub(crate) mod stages;
