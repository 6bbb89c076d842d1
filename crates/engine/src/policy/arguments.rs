//! Whether the arguments of a program are all on its list.

use std::ffi::OsStr;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use crate::files::plain::is_plain_file;

/// A way to call a program that only looks.
#[derive(Clone, Copy, Debug)]
pub(super) struct Form {
    /// Words that may come before the verbs, each as it is.
    pub(super) before: &'static [&'static str],
    /// Words that must come then: one of each list.
    pub(super) verbs: &'static [&'static [&'static str]],
    /// Options of one letter without a value, which may be written together.
    pub(super) flags: &'static str,
    /// Other words, each as it is.
    pub(super) exact: &'static [&'static str],
    /// Options with a value: in the next word, after `=` (of those with two hyphens), or attached
    /// (of those of one letter).
    pub(super) valued: &'static [(&'static str, Kind)],
    /// What the other words are.
    pub(super) operands: Kind,
}

/// What a word may be. But for [`Kind::Any`] none begins as an option does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    /// There is none.
    Nothing,
    /// Any word at all, for values that are never taken as options.
    Any,
    /// Any word that is not empty.
    Text,
    /// A path that is looked at, not opened.
    Path,
    /// A regular file, which is opened.
    File,
    /// A name: of a user, a unit, a device, an address.
    Name,
    /// A whole number.
    Number,
    /// Names with commas and signs between them, as lists of columns have.
    Letters,
    /// Options of `ps` without a hyphen, or process numbers.
    BsdFlags,
    /// What `find` looks through, and its operators.
    Expression,
    /// `FIELD=VALUE` of the journal.
    Match,
    /// A filter expression of `ss`.
    Filter,
}

impl Kind {
    fn takes(self, word: &[u8], directory: &Path) -> bool {
        if self == Self::Any {
            return true;
        }
        !begins_as_option(word) && self.takes_attached(word, directory)
    }

    /// As [`Kind::takes`], for a value in the word of its option: there a sign begins nothing.
    fn takes_attached(self, word: &[u8], directory: &Path) -> bool {
        if word.is_empty() {
            return self == Self::Any;
        }
        let all = |more: &[u8]| {
            word.iter().all(|byte| byte.is_ascii_alphanumeric() || more.contains(byte))
        };
        match self {
            Self::Nothing => false,
            Self::Any | Self::Text | Self::Path => true,
            Self::File => is_plain_file(&directory.join(OsStr::from_bytes(word))),
            Self::Name => all(b"._@:/-+*?[]$\\"),
            Self::Number => word.iter().all(u8::is_ascii_digit),
            Self::Letters => all(b",._+=%:-"),
            Self::BsdFlags => {
                word.iter().all(|byte| b"aefghHjlmnrSTuvwxX".contains(byte))
                    || word.iter().all(u8::is_ascii_digit)
            }
            Self::Expression => true,
            Self::Match => {
                let name = word.split(|&byte| byte == b'=').next().unwrap_or_default();
                name.len() < word.len()
                    && !name.is_empty()
                    && name
                        .iter()
                        .all(|byte| byte.is_ascii_uppercase() || b"_0123456789".contains(byte))
            }
            Self::Filter => all(b"._:/()=!<>*[]-&|,"),
        }
    }
}

impl Form {
    /// True when every word is one of this form.
    pub(super) fn takes(&self, words: &[Vec<u8>], directory: &Path) -> bool {
        let is = |list: &[&str], word: &[u8]| list.iter().any(|known| known.as_bytes() == word);
        let mut words = words.iter().map(Vec::as_slice).peekable();
        while words.next_if(|word| is(self.before, word)).is_some() {}
        for verb in self.verbs {
            if words.next_if(|word| is(verb, word)).is_none() {
                return false;
            }
        }
        let mut only_operands = false;
        while let Some(word) = words.next() {
            if only_operands || !begins_as_option(word) {
                // After `--` a word is an operand whatever it begins with; none is let through
                // that some program might take for an option anyway.
                if !self.operands.takes(word, directory) {
                    return false;
                }
                continue;
            }
            if word == b"--" {
                only_operands = true;
                continue;
            }
            if is(self.exact, word) || self.is_flags(word) {
                continue;
            }
            let next_is_value = |kind: Kind, next: Option<&[u8]>| {
                next.is_some_and(|next| kind.takes(next, directory))
            };
            if let Some((_, kind)) = self.valued.iter().find(|(name, _)| name.as_bytes() == word) {
                if !next_is_value(*kind, words.next()) {
                    return false;
                }
                continue;
            }
            if !self.has_attached_value(word, directory) {
                return false;
            }
        }
        true
    }

    /// Some letters, each one that is on the list.
    fn is_flags(&self, word: &[u8]) -> bool {
        word.len() > 1
            && word[0] == b'-'
            && word[1..].iter().all(|letter| self.flags.as_bytes().contains(letter))
    }

    /// `--name=VALUE`, or `-nVALUE`.
    fn has_attached_value(&self, word: &[u8], directory: &Path) -> bool {
        self.valued.iter().any(|(name, kind)| {
            let Some(rest) = word.strip_prefix(name.as_bytes()) else { return false };
            let value = if name.starts_with("--") { rest.strip_prefix(b"=") } else { Some(rest) };
            let short = name.len() == 2;
            (short || name.starts_with("--"))
                && value.is_some_and(|value| kind.takes_attached(value, directory))
        })
    }
}

/// True for a word that some program takes for something else than an operand: options begin with a
/// hyphen or, as those of `lsof`, with a plus; what follows an at sign may be a file of arguments. So
/// these words must be on the list as they are, whatever the program and wherever they are.
fn begins_as_option(word: &[u8]) -> bool {
    matches!(word.first(), Some(b'-' | b'+' | b'@'))
}
