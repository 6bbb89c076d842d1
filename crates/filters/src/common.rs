//! What several filters share.

pub(crate) mod checksum;
pub(crate) mod constant_status;
pub(crate) mod input;
pub(crate) mod options;
pub(crate) mod path_output;
pub(crate) mod stack;
pub(crate) mod substitution;
pub(crate) mod time;
