//! Ways of reading input that several filters share.

pub(crate) mod line_feed;
pub(crate) mod line_set;
pub(crate) mod nul_lines;
pub(crate) mod records;
