//! What is printed: names and data in it never steer the terminal.

use std::io::{self, IsTerminal, Write};
use std::process::ExitCode;

use parking_lot::Mutex;
use stream::visible;

/// Prints a line on standard error.
pub(crate) fn error(line: &str) {
    error_text(&format!("{line}\n"));
}

/// Prints whole lines on standard error.
pub(crate) fn error_text(text: &str) {
    // A standard error that cannot be written has nobody to be told.
    let _ = io::stderr().write_all(visible(text).as_bytes());
}

/// Why standard output could not be written.
static LOST: Mutex<Option<io::Error>> = Mutex::new(None);

/// Prints text on standard output.
pub(crate) fn print(text: &str) {
    put(visible(text).as_bytes());
}

/// Prints a text on standard output for another program, as it is; on a terminal as a line.
pub(crate) fn print_exactly(text: &str) {
    if io::stdout().is_terminal() {
        return print(&format!("{text}\n"));
    }
    put(text.as_bytes());
}

fn put(bytes: &[u8]) {
    let mut out = io::stdout().lock();
    match out.write_all(bytes).and_then(|()| out.flush()) {
        // Whoever closes standard output has read enough.
        Err(error) if error.kind() != io::ErrorKind::BrokenPipe => {
            LOST.lock().get_or_insert(error);
        }
        _ => {}
    }
}

/// The status to end with: what could not be printed is told, and is no success.
pub(crate) fn end(code: ExitCode) -> ExitCode {
    let Some(lost) = LOST.lock().take() else { return code };
    error(&format!("ylotrope: standard output: {}", stream::describe(&lost)));
    ExitCode::from(2)
}
