//! What is refused of commands of the shell where they are written, before anything runs.

use shell::{Place, Refusal, Word};

/// `exec`: only its redirections are done.
pub(crate) fn exec(arguments: &[Word]) -> Result<Place, Refusal> {
    match arguments.first() {
        Some(word) => Err(Refusal::of(word, "exec with a command")),
        None => Ok(Place::Anywhere),
    }
}

/// `umask`: a new mask holds for the whole process.
pub(crate) fn umask(arguments: &[Word]) -> Result<Place, Refusal> {
    Ok(if arguments.is_empty() { Place::Anywhere } else { Place::Alone })
}

/// `trap`: only the end of the shell is one of its conditions.
pub(crate) fn trap(arguments: &[Word]) -> Result<Place, Refusal> {
    if arguments.len() < 2 {
        return Err(Refusal::of_command("trap without a command and EXIT"));
    }
    let unknown = |word: &&Word| word.literal().is_some_and(|text| text != "EXIT" && text != "0");
    match arguments.iter().skip(1).find(unknown) {
        Some(word) => Err(Refusal::of(word, "trap for anything but EXIT")),
        None => Ok(Place::Anywhere),
    }
}
