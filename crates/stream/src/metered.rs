//! Whether this build counts.

/// False in a build made to see what metering costs.
pub const METERED: bool = !cfg!(feature = "unmetered");
