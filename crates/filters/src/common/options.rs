//! Options that several filters take and read alike.

pub(crate) mod field_list;
pub(crate) mod file_headers;
pub(crate) mod head_tail_count;
pub(crate) mod sorted_input;
pub(crate) mod tab_stops;
