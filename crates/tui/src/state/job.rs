//! What is done in the background, by its kind.

use std::fmt;

use engine::Order;

/// A kind of work on a thread of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Job {
    /// Notes of a result are tried.
    Advice,
    /// Files that were read are looked at again.
    Changes,
    /// The fields of a stream are counted.
    Columns,
    /// What would change in a file is found.
    Comparing,
    /// Versions are held against each other.
    Comparison,
    /// What can be at the cursor.
    Completion,
    /// A line is kept among the earlier ones.
    EarlierLines,
    /// First lines of files are read.
    FirstLines,
    /// Input and output are put side by side.
    Lens,
    /// Notes on a result.
    Notes,
    /// A long text is parsed.
    Parsing,
    /// What was asked for is read.
    Opening,
    /// Patterns are tried.
    Patterns,
    /// The text is kept in case the program ends.
    Recovery,
    /// A script is saved.
    Saving,
    /// A text is looked for.
    Search,
    /// Kept runs are read.
    Runs,
    /// Saved pipelines and earlier lines are read.
    Shelf,
    /// What there is to begin with is read.
    Start,
    /// A line is followed.
    Trail,
    /// Offers are tried.
    Trials,
    /// A file is written that was asked for.
    Writing,
}

impl Job {
    /// All kinds.
    #[cfg(test)]
    pub(crate) const ALL: [Self; 22] = [
        Self::Advice,
        Self::Changes,
        Self::Columns,
        Self::Comparing,
        Self::Comparison,
        Self::Completion,
        Self::EarlierLines,
        Self::FirstLines,
        Self::Lens,
        Self::Notes,
        Self::Parsing,
        Self::Opening,
        Self::Patterns,
        Self::Recovery,
        Self::Saving,
        Self::Search,
        Self::Runs,
        Self::Shelf,
        Self::Start,
        Self::Trail,
        Self::Trials,
        Self::Writing,
    ];

    /// What is written is written each time; of all else only the newest counts.
    pub(crate) fn order(self) -> Order {
        match self {
            Self::EarlierLines | Self::Recovery | Self::Saving | Self::Writing => Order::Each,
            _ => Order::Newest,
        }
    }
}

impl fmt::Display for Job {
    /// What it is called where it has failed.
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(match self {
            Self::Advice => "advice",
            Self::Changes => "files looked at again",
            Self::Columns => "columns",
            Self::Comparing => "comparing",
            Self::Comparison => "comparison",
            Self::Completion => "completion",
            Self::EarlierLines => "earlier lines cannot be kept",
            Self::FirstLines => "looking at files",
            Self::Lens => "lens",
            Self::Notes => "notes",
            Self::Parsing => "parsing",
            Self::Opening => "reading",
            Self::Patterns => "patterns",
            Self::Recovery => "the recovery file cannot be written",
            Self::Runs => "kept runs",
            Self::Saving => "saving",
            Self::Search => "search",
            Self::Shelf => "shelf",
            Self::Start => "start",
            Self::Trail => "trail",
            Self::Trials => "trials",
            Self::Writing => "writing",
        })
    }
}
