//! Rows as they are kept: sixteen bytes each.

use stream::LineId;

/// No line on this side.
pub(super) const NONE: u32 = u32::MAX;

/// A row as it is kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Packed {
    pub(super) left: u32,
    pub(super) right: u32,
    /// Lines of the input this row means: 0 without any, 1 for one shown.
    pub(super) lefts: u32,
    pub(super) flags: u8,
}

pub(super) const GROUPED: u8 = 1;
pub(super) const GOES_ON: u8 = 2;
pub(super) const FOLDED: u8 = 4;

impl Packed {
    pub(super) fn new(left: u32, right: u32, flags: u8) -> Self {
        Self { left, right, lefts: u32::from(left != NONE), flags }
    }

    pub(super) fn has(self, flag: u8) -> bool {
        self.flags & flag != 0
    }
}

/// The number of a line among those of all inputs, one input after the other; `starts` has the
/// first number of each.
pub(super) fn flat(starts: &[u64], id: LineId) -> u64 {
    starts.get(id.input()).map_or(0, |start| start + id.line())
}
