//! What is printed: names and data in it never steer the terminal.

use std::io::{IsTerminal, Write};

use stream::visible;

/// Prints a line on standard error.
pub(crate) fn error(line: &str) {
    error_text(&format!("{line}\n"));
}

/// Prints whole lines on standard error.
pub(crate) fn error_text(text: &str) {
    // A standard error that cannot be written has nobody to be told.
    let _ = std::io::stderr().write_all(visible(text).as_bytes());
}

/// Prints text on standard output.
pub(crate) fn print(text: &str) {
    // Whoever closes standard output has read enough.
    let _ = std::io::stdout().write_all(visible(text).as_bytes());
}

/// Prints a text on standard output for another program, as it is; on a terminal as a line.
pub(crate) fn print_exactly(text: &str) {
    if std::io::stdout().is_terminal() {
        return print(&format!("{text}\n"));
    }
    // Whoever closes standard output has read enough.
    let _ = std::io::stdout().write_all(text.as_bytes());
}
