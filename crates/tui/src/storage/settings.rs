//! The settings of the configuration file: what each means, what it is without being set, and how it
//! is written. The file, `ylotrope config` and its page come from this table.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Duration;

use engine::{Limits, Sample};
use serde::{Deserialize, Serialize};

use crate::theme::{Background, Depth};

/// What is looked at unless something else is chosen: everything, where that is quick.
pub(crate) const QUICK: Sample = Sample::Quick(5000);

/// A setting.
pub(crate) struct Setting {
    /// Its name in the file.
    pub name: &'static str,
    /// What it is without being set, as it is written.
    pub usual: &'static str,
    /// What it means.
    pub says: &'static str,
}

const fn setting(name: &'static str, usual: &'static str, says: &'static str) -> Setting {
    Setting { name, usual, says }
}

/// All settings but the keys and what is allowed.
pub(crate) const SETTINGS: &[Setting] = &[
    setting("background", "\"detect\"", "the background of the terminal: detect, dark or light"),
    setting("colours", "\"detect\"", "how many: detect, true, 256, 16 or none"),
    setting(
        "sample",
        "\"quick 5000\"",
        "which lines are looked at: quick N (everything where that is quick, or else the first N), first N, last N, every N, random N, everything",
    ),
    setting(
        "preview_quick_ms",
        "300",
        "everything is looked at where that takes no longer, in milliseconds",
    ),
    setting("preview_seconds", "10", "a preview takes no longer, in seconds"),
    setting(
        "preview_memory_mib",
        "0",
        "memory that a preview may take, in MiB; 0 for a quarter of the machine's, at most 2048",
    ),
    setting(
        "shelves",
        "[]",
        "folders whose pipelines are on the Shelf, besides the one you are in",
    ),
    setting("shell_history", "false", "the earlier lines of your shell are among those of Ctrl-R"),
    setting(
        "log",
        "\"off\"",
        "a log in the folder of the state: off, error, warn, info, debug or trace",
    ),
];

/// The file's content as it is read.
#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Content {
    background: Option<String>,
    colours: Option<String>,
    sample: Option<String>,
    preview_quick_ms: Option<u64>,
    preview_seconds: Option<u64>,
    preview_memory_mib: Option<u64>,
    shelves: Option<Vec<String>>,
    pub(super) shell_history: Option<bool>,
    log: Option<String>,
    #[serde(default)]
    keys: BTreeMap<String, String>,
    /// What may always be started in the Bench.
    #[serde(default)]
    pub(super) allowed: Vec<Allowed>,
}

/// A consent as text: all that it covers.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Allowed {
    /// The name and the arguments, for who reads the file.
    pub(super) command: String,
    /// Where it runs.
    pub(super) folder: String,
    /// The consent itself; a line that says something else than this is not let through.
    pub(super) consent: String,
}

/// The settings in force.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Settings {
    pub(crate) background: Option<Background>,
    pub(crate) depth: Option<Depth>,
    pub(crate) sample: Sample,
    pub(crate) limits: Limits,
    pub(crate) shelves: Vec<PathBuf>,
    pub(crate) log: Option<String>,
    pub(crate) keys: BTreeMap<String, String>,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            background: None,
            depth: None,
            sample: QUICK,
            limits: Limits::default(),
            shelves: Vec::new(),
            log: None,
            keys: BTreeMap::new(),
        }
    }
}

/// Less memory for a preview makes no sense: the program itself takes about as much.
const LEAST_MIB: u64 = 64;

/// A value that means nothing: the setting, and what it can be.
fn wrong(name: &str, value: &str) -> String {
    let says =
        SETTINGS.iter().find(|setting| setting.name == name).map_or("", |setting| setting.says);
    format!("{name} cannot be “{value}”: {says}")
}

impl Settings {
    /// The settings of a file.
    ///
    /// # Errors
    /// The first value that means nothing, in words.
    pub(super) fn of(content: &Content) -> Result<Self, String> {
        let chosen = |value: &Option<String>| value.clone().unwrap_or_default();
        let background = match chosen(&content.background).as_str() {
            "" | "detect" => None,
            "dark" => Some(Background::Dark),
            "light" => Some(Background::Light),
            other => return Err(wrong("background", other)),
        };
        let depth = match chosen(&content.colours).as_str() {
            "" | "detect" => None,
            "true" => Some(Depth::True),
            "256" => Some(Depth::Indexed),
            "16" => Some(Depth::Sixteen),
            "none" => Some(Depth::None),
            other => return Err(wrong("colours", other)),
        };
        let sample = match &content.sample {
            None => QUICK,
            Some(text) => sample(text).ok_or_else(|| wrong("sample", text))?,
        };
        let mut limits = Limits::default();
        if let Some(mib @ 1..) = content.preview_memory_mib {
            limits.memory_bytes = mib.clamp(LEAST_MIB, 1 << 30) << 20;
        }
        if let Some(seconds) = content.preview_seconds {
            limits.time = Duration::from_secs(seconds.clamp(1, 3600));
        }
        if let Some(milliseconds) = content.preview_quick_ms {
            limits.quick = Duration::from_millis(milliseconds.min(60_000));
        }
        let log = match chosen(&content.log).as_str() {
            "" | "off" => None,
            level @ ("error" | "warn" | "info" | "debug" | "trace") => Some(level.to_owned()),
            other => return Err(wrong("log", other)),
        };
        let keys = content.keys.iter().map(|(name, key)| (name.as_str(), key.as_str()));
        crate::actions::with_keys(keys).map_err(|error| format!("keys: {error}"))?;
        Ok(Self {
            background,
            depth,
            sample,
            limits,
            shelves: content
                .shelves
                .iter()
                .flatten()
                .map(|folder| crate::storage::folders::at_home(folder))
                .collect(),
            log,
            keys: content.keys.clone(),
        })
    }

    /// The keys that were chosen take effect.
    pub(crate) fn choose_keys(&self) {
        let keys = self.keys.iter().map(|(name, key)| (name.as_str(), key.as_str()));
        // They were looked at when they were read.
        if let Ok(all) = crate::actions::with_keys(keys) {
            crate::actions::choose(all);
        }
    }
}

fn sample(text: &str) -> Option<Sample> {
    let mut words = text.split_whitespace();
    let kind = words.next()?;
    let number = match words.next() {
        Some(number) => Some(number.parse::<u64>().ok().filter(|number| *number > 0)?),
        None => None,
    };
    if words.next().is_some() {
        return None;
    }
    match (kind, number) {
        ("everything", None) => Some(Sample::Everything),
        ("quick", Some(lines)) => Some(Sample::Quick(lines)),
        ("first", Some(lines)) => Some(Sample::First(lines)),
        ("last", Some(lines)) => Some(Sample::Last(lines)),
        ("every", Some(step)) => Some(Sample::Every(step)),
        ("random", Some(lines)) => Some(Sample::Random { lines, seed: 1 }),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(text: &str) -> Result<Settings, String> {
        Settings::of(&toml::from_str(text).map_err(|error| error.to_string())?)
    }

    #[test]
    fn every_setting_is_read_and_its_usual_value_changes_nothing() {
        let usual: String =
            SETTINGS.iter().map(|one| format!("{} = {}\n", one.name, one.usual)).collect();
        assert_eq!(of(&usual).unwrap(), Settings::default());
        let chosen = of(
            "background = \"light\"\ncolours = \"16\"\nsample = \"last 20\"\npreview_quick_ms = 50\n\
             preview_seconds = 3\npreview_memory_mib = 512\nshelves = [\"/srv/pipelines\"]\nlog = \"warn\"\n\
             [keys]\nrun-all = \"L\"\n",
        )
        .unwrap();
        assert_eq!(chosen.background, Some(Background::Light));
        assert_eq!((chosen.depth, chosen.sample), (Some(Depth::Sixteen), Sample::Last(20)));
        assert_eq!(chosen.limits.memory_bytes, 512 << 20);
        assert_eq!((chosen.limits.time.as_secs(), chosen.limits.quick.as_millis()), (3, 50));
        assert_eq!(chosen.shelves, [PathBuf::from("/srv/pipelines")]);
        assert_eq!((chosen.log.as_deref(), chosen.keys.len()), (Some("warn"), 1));
    }

    #[test]
    fn what_means_nothing_is_said_with_what_could_be_there() {
        for (text, said) in [
            (
                "background = \"grey\"",
                "background cannot be “grey”: the background of the terminal",
            ),
            ("colours = \"7\"", "colours cannot be “7”"),
            ("sample = \"some 3\"", "sample cannot be “some 3”"),
            ("sample = \"first 0\"", "sample cannot be"),
            ("sample = \"first\"", "sample cannot be"),
            ("log = \"loud\"", "log cannot be “loud”"),
            ("[keys]\nfly = \"f\"", "keys: there is no action “fly”"),
            ("colors = \"16\"", "unknown field"),
        ] {
            let error = of(text).unwrap_err();
            assert!(error.contains(said), "{text}: {error}");
        }
    }
}
