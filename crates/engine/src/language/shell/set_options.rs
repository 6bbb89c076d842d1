//! `set`: its options, where they are checked and where they are set (XCU 2.14, set).

use shell::{Place, Refusal, Word};

use super::{Call, Shell};
use crate::language::unwind::{ShellResult, Unwind};
use crate::plan::variables::ShellOptions;

/// An option: its letter, its name after `-o`, and where it is kept.
struct SetOption {
    letter: Option<char>,
    name: &'static str,
    kept: fn(&mut ShellOptions) -> &mut bool,
}

/// Those that are done.
const OPTIONS: [SetOption; 4] = [
    SetOption { letter: Some('e'), name: "errexit", kept: |options| &mut options.error_exit },
    SetOption { letter: Some('u'), name: "nounset", kept: |options| &mut options.no_unset },
    SetOption { letter: Some('f'), name: "noglob", kept: |options| &mut options.no_glob },
    SetOption { letter: None, name: "pipefail", kept: |options| &mut options.pipe_fail },
];

fn with_letter(letter: char) -> Option<&'static SetOption> {
    OPTIONS.iter().find(|option| option.letter == Some(letter))
}

fn with_name(name: &str) -> Option<&'static SetOption> {
    OPTIONS.iter().find(|option| option.name == name)
}

/// Looks at `set` with its arguments, as far as the text tells.
pub(in crate::language) fn check(arguments: &[Word]) -> Result<Place, Refusal> {
    if arguments.is_empty() {
        return Err(Refusal::of_command("set without arguments"));
    }
    let mut named = false;
    for word in arguments {
        let Some(text) = word.literal() else { break };
        if std::mem::take(&mut named) {
            if with_name(&text).is_none() {
                return Err(Refusal::of(word, format!("set -o {text}")));
            }
            continue;
        }
        let Some(letters) = text.strip_prefix(['-', '+']) else { break };
        if text == "--" || letters.is_empty() {
            break;
        }
        let known = |letter: char| letter == 'o' || with_letter(letter).is_some();
        if let Some(letter) = letters.chars().find(|&letter| !known(letter)) {
            return Err(Refusal::of(word, format!("set -{letter}")));
        }
        named = letters.contains('o');
    }
    Ok(Place::Anywhere)
}

impl Shell<'_> {
    /// `set [-efu] [-o NAME] [--] [VALUE …]`
    pub(in crate::language) fn set_options(&mut self, call: &Call<'_>) -> ShellResult<()> {
        let mut rest = call.arguments.iter();
        let refused = |word: &[u8]| {
            let shown = String::from_utf8_lossy(word).into_owned();
            Unwind::fault(format!("set: {shown} is not supported"), call.span, 2)
        };
        if call.arguments.is_empty() {
            return refused(b"without arguments");
        }
        while let Some(word) = rest.as_slice().first() {
            let on = match word.first() {
                Some(b'-') => true,
                Some(b'+') if word.len() > 1 => false,
                _ => break,
            };
            rest.next();
            if word == b"--" {
                self.state.positional = rest.cloned().collect();
                return self.succeed();
            }
            for &letter in &word[1..] {
                let option = if letter == b'o' {
                    let Some(name) = rest.next() else { return refused(b"-o without a name") };
                    match std::str::from_utf8(name).ok().and_then(with_name) {
                        Some(option) => option,
                        None => return refused(&[b"-o ", &name[..]].concat()),
                    }
                } else if let Some(option) = with_letter(letter as char) {
                    option
                } else {
                    return refused(&[word[0], letter]);
                };
                *(option.kept)(&mut self.state.options) = on;
            }
        }
        let values = rest.as_slice();
        if !values.is_empty() {
            self.state.positional = values.to_vec();
        }
        self.succeed()
    }
}
