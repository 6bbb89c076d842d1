//! Whether filters that need sorted input look if it is.

use crate::spec::{Arguments, OptionId, OptionSpec, long_option};

const CHECK: OptionId = OptionId::Long("check-order");
const NO_CHECK: OptionId = OptionId::Long("nocheck-order");

/// The options that decide it.
pub(crate) const CHECK_OPTIONS: [OptionSpec; 2] = [
    long_option("check-order", None, "fail when a file is not sorted", false),
    long_option("nocheck-order", None, "do not check whether the files are sorted", false),
];

/// When it is looked whether lines are in order.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Check {
    Always,
    /// Once a line has been seen that only one file has.
    WhenItMatters,
    Never,
}

impl Check {
    /// What the last of the options says.
    pub(crate) fn of(arguments: &Arguments) -> Self {
        let chosen = arguments.options.iter().rev().find_map(|given| match given.id {
            CHECK => Some(Self::Always),
            NO_CHECK => Some(Self::Never),
            _ => None,
        });
        chosen.unwrap_or(Self::WhenItMatters)
    }
}
