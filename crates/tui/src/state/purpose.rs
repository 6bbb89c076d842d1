//! What becomes of the text when the screen is left.

/// What the Bench was opened for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Purpose {
    /// To work in it; nothing follows.
    #[default]
    Work,
    /// Between other commands or before a file: the result of the text may go on to standard output.
    Pipe,
    /// For another program, such as a shell at its prompt: the text may be printed.
    Prompt,
}
