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
    /// Patterns are tried.
    Patterns,
    /// The text is kept in case the program ends.
    Recovery,
    /// A text is looked for.
    Search,
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
    /// What is written is written each time; of all else only the newest counts.
    pub(crate) fn order(self) -> Order {
        match self {
            Self::EarlierLines | Self::Recovery | Self::Writing => Order::Each,
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
            Self::Patterns => "patterns",
            Self::Recovery => "the recovery file cannot be written",
            Self::Search => "search",
            Self::Shelf => "shelf",
            Self::Start => "start",
            Self::Trail => "trail",
            Self::Trials => "trials",
            Self::Writing => "writing",
        })
    }
}
