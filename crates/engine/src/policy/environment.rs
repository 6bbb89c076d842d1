//! Which variables a text may change without changing what a program does, and what programs of the
//! allow list get of the environment.

use std::ffi::OsString;
use std::os::unix::ffi::OsStrExt;

/// A variable that differs from the environment the process began with; `None` where it was unset.
pub type Change = (String, Option<Vec<u8>>);

/// Where programs of the allow list look for others.
const SAFE_PATH: &str = "/usr/sbin:/usr/bin:/sbin:/bin";

/// Variables that matter although they are not exported: what the shell itself goes by.
const MATTERS_UNEXPORTED: [&str; 2] = ["PATH", "IFS"];

/// What the values of a variable may consist of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Values {
    /// Names of languages: no slash, so that no file is meant.
    Locale,
    /// Names of time zones: below the system's folder only.
    Zone,
    /// Digits, and letters for units.
    Number,
    /// Anything: the shell sets it where it goes.
    Folder,
}

/// Variables that a text may change: they choose a language, a time zone, a width or a unit.
const MAY_CHANGE: [(&str, Values); 10] = [
    ("LANG", Values::Locale),
    ("LC_*", Values::Locale),
    ("TZ", Values::Zone),
    ("COLUMNS", Values::Number),
    ("LINES", Values::Number),
    ("BLOCK_SIZE", Values::Number),
    ("BLOCKSIZE", Values::Number),
    ("DF_BLOCK_SIZE", Values::Number),
    ("PWD", Values::Folder),
    ("OLDPWD", Values::Folder),
];

/// Variables of the process's own environment that programs of the allow list get.
const PASSED_ON: [&str; 12] = [
    "COLUMNS",
    "HOME",
    "LANG",
    "LANGUAGE",
    "LINES",
    "LOGNAME",
    "PWD",
    "TZ",
    "USER",
    "LC_*",
    "XDG_RUNTIME_DIR",
    "XDG_SESSION_ID",
];

fn names(pattern: &str, name: &str) -> bool {
    match pattern.strip_suffix('*') {
        Some(start) => name.len() > start.len() && name.starts_with(start),
        None => pattern == name,
    }
}

fn is_value(values: Values, value: &[u8]) -> bool {
    let of =
        |more: &[u8]| value.iter().all(|byte| byte.is_ascii_alphanumeric() || more.contains(byte));
    match values {
        Values::Locale => of(b"_.@-,"),
        Values::Zone => {
            of(b"_+-,./") && !value.starts_with(b"/") && !value.windows(2).any(|two| two == b"..")
        }
        Values::Number => of(b""),
        Values::Folder => true,
    }
}

/// True where a program does the same with this change as without it, but for languages, zones,
/// widths and units.
pub(super) fn is_harmless((name, value): &Change) -> bool {
    let Some((_, values)) = MAY_CHANGE.iter().find(|(pattern, _)| names(pattern, name)) else {
        return false;
    };
    value.as_deref().is_none_or(|value| is_value(*values, value))
}

/// True for a variable of the shell that matters although no program gets it.
pub(crate) fn matters_unexported(name: &str) -> bool {
    MATTERS_UNEXPORTED.contains(&name)
}

/// What differs from the environment the process began with, by name; a name that is given more
/// than once has its last value.
pub(super) fn changes(set: &[(String, Vec<u8>)], unset: &[String]) -> Vec<Change> {
    let mut all: std::collections::BTreeMap<String, Option<Vec<u8>>> =
        unset.iter().map(|name| (name.clone(), None)).collect();
    all.extend(set.iter().map(|(name, value)| (name.clone(), Some(value.clone()))));
    all.retain(|name, value| {
        let now = std::env::var_os(name);
        now.as_ref().map(|now| now.as_bytes()) != value.as_deref()
    });
    all.into_iter().collect()
}

/// The whole environment of a program of the allow list.
pub(super) fn scrubbed(changes: &[Change]) -> Vec<(OsString, OsString)> {
    let passed = |name: &str| PASSED_ON.iter().any(|pattern| names(pattern, name));
    let mut all: Vec<(OsString, OsString)> = std::env::vars_os()
        .filter(|(name, _)| name.to_str().is_some_and(passed))
        .filter(|(name, _)| !changes.iter().any(|(changed, _)| name == changed.as_str()))
        .collect();
    for (name, value) in changes.iter().filter(|(name, _)| passed(name) || is_set(name)) {
        if let Some(value) = value {
            all.push((name.into(), std::ffi::OsStr::from_bytes(value).to_owned()));
        }
    }
    all.push(("PATH".into(), SAFE_PATH.into()));
    all
}

/// True for a variable that is passed on only where the text sets it.
fn is_set(name: &str) -> bool {
    MAY_CHANGE.iter().any(|(pattern, _)| names(pattern, name))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn change(name: &str, value: &str) -> Change {
        (name.to_owned(), Some(value.as_bytes().to_vec()))
    }

    #[test]
    fn only_languages_zones_widths_and_units_may_change() {
        for (name, value) in [
            ("LC_ALL", "C"),
            ("LANG", "en_GB.UTF-8"),
            ("TZ", "Europe/Vienna"),
            ("TZ", "UTC-2"),
            ("COLUMNS", "200"),
            ("BLOCK_SIZE", "1M"),
        ] {
            assert!(is_harmless(&change(name, value)), "{name}={value}");
        }
        for (name, value) in [
            ("PATH", "/x"),
            ("LD_PRELOAD", "x.so"),
            ("LC_ALL", "../../x"),
            ("LC_", "C"),
            ("TZ", ":/etc/x"),
            ("TZ", "/dev/x"),
            ("TZ", "a/../../x"),
            ("LOCPATH", "/x"),
            ("PAGER", "x"),
            ("LESSOPEN", "x"),
            ("SYSTEMD_PAGER", "x"),
            ("ENV", "x"),
            ("ANYTHING", "1"),
        ] {
            assert!(!is_harmless(&change(name, value)), "{name}={value}");
        }
        assert!(!is_harmless(&("PATH".to_owned(), None)));
        assert!(is_harmless(&("TZ".to_owned(), None)));
    }

    #[test]
    fn only_what_differs_is_a_change() {
        let home = std::env::var("HOME").unwrap_or_default().into_bytes();
        let set = vec![("HOME".to_owned(), home), ("YLO_NEW".to_owned(), b"1".to_vec())];
        let unset = vec!["YLO_NEVER".to_owned()];
        assert_eq!(changes(&set, &unset), [change("YLO_NEW", "1")]);
    }

    #[test]
    fn a_listed_program_gets_a_scrubbed_environment() {
        let all = scrubbed(&[change("LC_ALL", "C"), change("SECRET", "x")]);
        let has = |name: &str| all.iter().filter(|(known, _)| known == name).count();
        assert_eq!((has("LC_ALL"), has("SECRET"), has("PATH")), (1, 0, 1));
        // One that is passed on anyway has its changed value, once.
        for (name, value) in scrubbed(&[]) {
            let known = name.to_str().unwrap();
            if known == "PATH" {
                assert_eq!(value, SAFE_PATH);
                continue;
            }
            let all = scrubbed(&[change(known, "other")]);
            let values: Vec<_> = all.iter().filter(|one| one.0 == name).map(|one| &one.1).collect();
            assert_eq!(values, ["other"], "{known}");
        }
    }
}
