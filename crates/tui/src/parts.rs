//! Parts that several views are made of: a line that is asked for, a question, a list to choose from.

pub(crate) mod changes;
pub(crate) mod choice;
pub(crate) mod difference;
pub(crate) mod noted;
pub(crate) mod notes;
pub(crate) mod outcomes;
pub(crate) mod prompt;
pub(crate) mod question;
pub(crate) mod shaded;
