//! The commands that act on the shell itself (XCU 2.14 and 2.15), a row each: whether it is a special one, what
//! of it is refused where it is written, and what runs it. Commands of shells that are not done have their reason.

use shell::{Place, Refusal, Script, ShellError, Word};

use super::shell::{Builtin, Builtins, checks, set_options};

/// Assignments before a special one stay (XCU 2.14).
const SPECIAL: bool = true;
const OTHER: bool = false;

/// Whatever its arguments are, it may be written anywhere.
const ANY: fn(&[Word]) -> Result<Place, Refusal> = |_| Ok(Place::Anywhere);

/// All of them.
pub(crate) static BUILTINS: Builtins = Builtins {
    commands: &[
        Builtin { name: ".", special: SPECIAL, check: ANY, run: |shell, call| shell.source(call) },
        Builtin { name: ":", special: SPECIAL, check: ANY, run: |shell, _| shell.succeed() },
        Builtin {
            name: "break",
            special: SPECIAL,
            check: ANY,
            run: |shell, call| shell.leave_loops(call),
        },
        Builtin {
            name: "cd",
            special: OTHER,
            check: ANY,
            run: |shell, call| shell.change_directory(call),
        },
        Builtin {
            name: "command",
            special: OTHER,
            check: ANY,
            run: |shell, call| shell.describe_commands(call),
        },
        Builtin {
            name: "continue",
            special: SPECIAL,
            check: ANY,
            run: |shell, call| shell.leave_loops(call),
        },
        Builtin {
            name: "exec",
            special: SPECIAL,
            check: checks::exec,
            run: |shell, call| shell.exec(call),
        },
        Builtin { name: "exit", special: SPECIAL, check: ANY, run: |shell, call| shell.exit(call) },
        Builtin {
            name: "export",
            special: SPECIAL,
            check: ANY,
            run: |shell, call| shell.mark(call),
        },
        Builtin {
            name: "getopts",
            special: OTHER,
            check: ANY,
            run: |shell, call| shell.next_option(call),
        },
        Builtin {
            name: "local",
            special: OTHER,
            check: ANY,
            run: |shell, call| shell.make_local(call),
        },
        Builtin {
            name: "pwd",
            special: OTHER,
            check: ANY,
            run: |shell, call| shell.print_directory(call),
        },
        Builtin { name: "read", special: OTHER, check: ANY, run: |shell, call| shell.read(call) },
        Builtin {
            name: "readonly",
            special: SPECIAL,
            check: ANY,
            run: |shell, call| shell.mark(call),
        },
        Builtin {
            name: "return",
            special: SPECIAL,
            check: ANY,
            run: |shell, call| shell.return_from(call),
        },
        Builtin {
            name: "set",
            special: SPECIAL,
            check: set_options::check,
            run: |shell, call| shell.set_options(call),
        },
        Builtin {
            name: "shift",
            special: SPECIAL,
            check: ANY,
            run: |shell, call| shell.shift(call),
        },
        Builtin {
            name: "times",
            special: SPECIAL,
            check: ANY,
            run: |shell, _| shell.print_times(),
        },
        Builtin {
            name: "trap",
            special: SPECIAL,
            check: checks::trap,
            run: |shell, call| shell.trap(call),
        },
        Builtin {
            name: "type",
            special: OTHER,
            check: ANY,
            run: |shell, call| shell.tell_types(call.arguments),
        },
        Builtin {
            name: "umask",
            special: OTHER,
            check: checks::umask,
            run: |shell, call| shell.file_mask(call),
        },
        Builtin {
            name: "unset",
            special: SPECIAL,
            check: ANY,
            run: |shell, call| shell.unset(call),
        },
    ],
    refused: &[
        ("alias", "alias"),
        ("bg", "bg (job control)"),
        ("bind", "bind"),
        ("builtin", "builtin"),
        ("caller", "caller"),
        ("compgen", "compgen"),
        ("complete", "complete"),
        ("compopt", "compopt"),
        ("declare", "declare"),
        ("dirs", "dirs"),
        ("disown", "disown (job control)"),
        ("enable", "enable"),
        ("fc", "fc"),
        ("fg", "fg (job control)"),
        ("hash", "hash"),
        ("help", "help"),
        ("history", "history"),
        ("jobs", "jobs (job control)"),
        ("let", "let (write $(( … )))"),
        ("logout", "logout"),
        ("mapfile", "mapfile"),
        ("popd", "popd"),
        ("pushd", "pushd"),
        ("readarray", "readarray"),
        ("shopt", "shopt"),
        ("source", "source (write . FILE)"),
        ("suspend", "suspend (job control)"),
        ("typeset", "typeset"),
        ("ulimit", "ulimit"),
        ("unalias", "unalias"),
        ("wait", "wait (job control)"),
        ("eval", "eval (its commands are not known before it runs)"),
    ],
};

/// Parses a whole text of the shell as it is run here.
///
/// # Errors
/// The first thing that is wrong or not supported, with its place.
///
/// # Examples
/// ```
/// assert!(engine::parse("grep refused gate.log | wc -l").is_ok());
/// let error = engine::parse("seq 3 | eval wc").unwrap_err();
/// assert_eq!(error.span, shell::Span::new(8, 12));
/// ```
pub fn parse(text: &str) -> Result<Script, ShellError> {
    shell::parse(text, &BUILTINS)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn special_ones_are_those_of_the_standard() {
        // XCU 2.14, without `eval`, which is not done.
        let standard = [
            ".", ":", "break", "continue", "exec", "exit", "export", "readonly", "return", "set",
            "shift", "times", "trap", "unset",
        ];
        let special = BUILTINS.commands.iter().filter(|builtin| builtin.special);
        assert_eq!(special.map(|builtin| builtin.name).collect::<Vec<_>>(), standard);
    }

    #[test]
    fn a_name_has_one_row() {
        let done = BUILTINS.commands.iter().map(|builtin| builtin.name);
        let mut names: Vec<_> =
            done.chain(BUILTINS.refused.iter().map(|(name, _)| *name)).collect();
        let all = names.len();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), all);
        assert!(BUILTINS.find(b"eval").is_none() && BUILTINS.find(b"grep").is_none());
        assert!(BUILTINS.find(b"\xff").is_none() && BUILTINS.find(b"").is_none());
    }

    #[test]
    fn what_is_not_done_is_refused_at_its_place() {
        let cases = [
            ("exec a >f", "exec with a command is not supported", "a"),
            ("trap x INT", "trap for anything but EXIT is not supported", "INT"),
            ("trap", "trap without a command and EXIT is not supported", "trap"),
            ("set", "set without arguments is not supported", "set"),
            ("set -x", "set -x is not supported", "-x"),
            ("set -e -o posix", "set -o posix is not supported", "posix"),
            ("set -eo pipefail -q", "set -q is not supported", "-q"),
            ("umask 077 | a", "umask in a pipeline with other commands is not supported", "umask"),
            (
                "a | { umask 077; }",
                "umask in a pipeline with other commands is not supported",
                "umask",
            ),
            (
                "a $(b | umask 1)",
                "umask in a pipeline with other commands is not supported",
                "umask",
            ),
            ("source f", "source (write . FILE) is not supported", "source"),
            ("a `wait`", "wait (job control) is not supported", "wait"),
            ("f() { jobs; }", "jobs (job control) is not supported", "jobs"),
            (
                "function f { a; }",
                "the word “function” (write NAME() { …; }) is not supported",
                "function",
            ),
        ];
        for (text, why, place) in cases {
            let error = parse(text).unwrap_err();
            assert_eq!(
                (error.to_string().as_str(), &text[error.span.range()]),
                (why, place),
                "{text}"
            );
        }
        for (name, what) in BUILTINS.refused {
            let error = parse(&format!("{name} x")).unwrap_err();
            assert_eq!(error.to_string(), format!("{what} is not supported"));
            assert!(parse(&format!("'{name}' x")).is_ok(), "a quoted name is known when it runs");
        }
        for text in [
            "exec 3< f",
            ". f",
            "trap 'a' EXIT 0",
            "trap - EXIT",
            "set -- -x",
            "set - -x",
            "set -o pipefail",
            "kill 1",
            "local a",
            "export a=1",
            "readonly a",
            "unset a",
            "shift",
            "return 1",
            "exit 1",
            "break",
            "continue",
            "set -euo pipefail -- a -x",
            "umask 077; a",
            "umask | a",
        ] {
            assert!(parse(text).is_ok(), "{text}");
        }
    }
}
