//! Stack for what calls itself as deep as a program is nested: more is added where little is left.

/// Reads a part of a program.
pub(crate) fn reading<T>(work: impl FnOnce() -> T) -> T {
    stacker::maybe_grow(128 << 10, 2 << 20, work)
}

/// Runs a part of a program: enough for the deepest expression that is read.
pub(crate) fn running<T>(work: impl FnOnce() -> T) -> T {
    stacker::maybe_grow(1 << 20, 8 << 20, work)
}
