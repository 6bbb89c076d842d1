//! What the options of `grep` say.

use pattern::{Options, Syntax};

use super::output::{Binary, Listing};

/// All that decides which lines are selected and how they are written, but for the pattern.
#[derive(Clone)]
pub(super) struct Settings {
    pub(super) syntax: Syntax,
    pub(super) options: Options,
    pub(super) listing: Listing,
    pub(super) inverted: bool,
    pub(super) numbered: bool,
    pub(super) offsets: bool,
    pub(super) binary: Binary,
    pub(super) most: u64,
    /// Lines before and behind; `None` for no context at all.
    pub(super) context: Option<(u64, u64)>,
    pub(super) separator: Option<Vec<u8>>,
    /// A tab after what is before a line.
    pub(super) tab: bool,
    pub(super) null_names: bool,
    pub(super) zero: bool,
    pub(super) label: Vec<u8>,
    pub(super) line_buffered: bool,
}
