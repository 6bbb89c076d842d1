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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn special_ones_are_those_of_the_standard() {
        // XCU 2.15, without `eval`, which is not done.
        let special = [
            ".", ":", "break", "continue", "exec", "exit", "export", "readonly", "return", "set",
            "shift", "times", "trap", "unset",
        ];
        let is = |list: fn(&[u8]) -> bool| {
            let names = BUILTINS.iter().map(|(name, _)| *name);
            names.filter(|name| list(name.as_bytes())).collect::<Vec<_>>()
        };
        assert_eq!(is(is_special), special);
        assert_eq!(is(is_builtin).len(), BUILTINS.len());
        for name in ["cd", "command", "getopts", "local", "pwd", "read", "type", "umask"] {
            assert!(is_builtin(name.as_bytes()) && !is_special(name.as_bytes()), "{name}");
        }
        assert!(!is_builtin(b"grep") && !is_special(b"") && !is_builtin(b"eval"));
    }

    #[test]
    fn a_function_is_run_by_the_shell() {
        let mut state = Variables::default();
        assert!(
            is_shells(b"cd", &state) && !is_shells(b"f", &state) && !is_shells(b"\xff", &state)
        );
        let script = shell::parse("f() { cd; }").unwrap();
        let command = &script.pipelines().next().unwrap().commands[0];
        let Some(shell::Compound::Function { name, body }) = command.compound.as_deref() else {
            panic!("a function");
        };
        state.functions.insert(name.clone(), body.clone());
        assert!(is_shells(b"f", &state));
    }
}
