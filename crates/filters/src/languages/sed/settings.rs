//! What the options of `sed` say.

use pattern::Syntax;

/// What the options say.
pub(super) struct Settings {
    pub(super) quiet: bool,
    pub(super) syntax: Syntax,
    pub(super) separate: bool,
    /// With the suffix of the copy, empty for none.
    pub(super) in_place: Option<Vec<u8>>,
    pub(super) zero: bool,
    pub(super) list_width: usize,
    pub(super) unbuffered: bool,
}
