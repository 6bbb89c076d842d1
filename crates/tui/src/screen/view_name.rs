//! The names of the views.

/// The name of a view, as the configuration and the log have it. Each view has its own in its folder.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) struct ViewName(pub(crate) &'static str);

impl std::fmt::Debug for ViewName {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str(self.0)
    }
}

/// River and lens: where all other views lead back to.
pub(crate) const BENCH: ViewName = ViewName("bench");

/// The run on everything, which opens its view by itself.
pub(crate) const THROUGHPUT: ViewName = ViewName("throughput");

/// What would be written and started; the Wiring leads to it.
pub(crate) const PENDING: ViewName = ViewName("pending");

/// The Shelf: it lies over the view it was opened from.
pub(crate) const SHELF: ViewName = ViewName("shelf");
