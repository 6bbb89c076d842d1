//! The names of the commands that act on the shell itself (XCU 2.14 and 2.15).

use crate::plan::variables::Variables;

/// The commands, and whether each is one of the special ones: assignments before those stay.
const BUILTINS: [(&str, bool); 22] = [
    (".", true),
    (":", true),
    ("break", true),
    ("cd", false),
    ("command", false),
    ("continue", true),
    ("exec", true),
    ("exit", true),
    ("export", true),
    ("getopts", false),
    ("local", false),
    ("pwd", false),
    ("read", false),
    ("readonly", true),
    ("return", true),
    ("set", true),
    ("shift", true),
    ("times", true),
    ("trap", true),
    ("type", false),
    ("umask", false),
    ("unset", true),
];

/// True for a command that acts on the shell itself.
pub(crate) fn is_builtin(name: &[u8]) -> bool {
    BUILTINS.iter().any(|(known, _)| known.as_bytes() == name)
}

pub(crate) fn is_special(name: &[u8]) -> bool {
    BUILTINS.iter().any(|(known, special)| *special && known.as_bytes() == name)
}

/// True when a stage of this name is run by the shell itself.
pub(crate) fn is_shells(name: &[u8], state: &Variables) -> bool {
    is_builtin(name)
        || std::str::from_utf8(name).is_ok_and(|name| state.functions.contains_key(name))
}
