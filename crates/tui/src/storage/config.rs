//! What the user has settled for good: the configuration file.

use std::io;
use std::path::PathBuf;

use engine::{Consent, Consents};
use thiserror::Error;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

use super::settings::{Allowed, Content, SETTINGS, Settings};

/// A configuration that cannot be read or written.
#[derive(Debug, Error)]
pub(crate) enum ConfigError {
    /// The file cannot be read or written.
    #[error("{}", insight::own_file_error(.path, .error))]
    File {
        /// The file.
        path: PathBuf,
        /// Why.
        error: io::Error,
    },
    /// The file says something else than a configuration.
    #[error("{path}: {message}")]
    Text {
        /// The file.
        path: String,
        /// What is wrong, and where.
        message: String,
    },
    /// A command that cannot stand in a text file.
    #[error("a command whose words are not UTF-8 cannot be kept in the configuration")]
    NotText,
}

impl Allowed {
    fn of(consent: &Consent) -> Result<Self, ConfigError> {
        let words: Vec<String> =
            consent.words.iter().map(|word| shell::quote_bytes(word)).collect();
        let folder = consent.directory.to_str().ok_or(ConfigError::NotText)?.to_owned();
        let text = serde_json::to_string(consent).map_err(|_| ConfigError::NotText)?;
        Ok(Self { command: words.join(" "), folder, consent: text })
    }

    /// The consent, where the lines beside it say the same.
    fn consent(&self) -> Option<Consent> {
        let consent: Consent = serde_json::from_str(&self.consent).ok()?;
        (Self::of(&consent).ok()? == *self).then_some(consent)
    }
}

/// The configuration file: `$XDG_CONFIG_HOME/ylotrope/config.toml` or
/// `~/.config/ylotrope/config.toml`.
#[derive(Clone, Debug)]
pub(crate) struct Config {
    path: PathBuf,
}

impl Config {
    /// The usual place.
    /// `None` where nobody knows which.
    pub(crate) fn usual() -> Option<Self> {
        let folder = insight::own_folder(insight::Keeps::Configuration)?;
        Some(Self { path: folder.join("config.toml") })
    }

    /// A configuration somewhere else.
    #[cfg(test)]
    pub(crate) fn at(path: PathBuf) -> Self {
        Self { path }
    }

    /// Where it is.
    pub(crate) fn path(&self) -> &std::path::Path {
        &self.path
    }

    fn file_error(&self, error: io::Error) -> ConfigError {
        ConfigError::File { path: self.path.clone(), error }
    }

    fn text_error(&self, message: &str) -> ConfigError {
        let message = message.lines().next().unwrap_or_default().to_owned();
        ConfigError::Text { path: self.path.display().to_string(), message }
    }

    /// What is in the file; nothing where there is none.
    fn read_text(&self) -> Result<String, ConfigError> {
        let bytes = match insight::read_own(&self.path) {
            Ok(Some(bytes)) => bytes,
            Ok(None) => return Ok(String::new()),
            Err(error) => return Err(self.file_error(error)),
        };
        String::from_utf8(bytes).map_err(|_| self.text_error("not UTF-8"))
    }

    fn read(&self) -> Result<Content, ConfigError> {
        toml::from_str(&self.read_text()?).map_err(|error| {
            // Which line is meant; the parser says the rest in several lines.
            let text = self.read_text().unwrap_or_default();
            let before = error.span().and_then(|span| text.get(..span.start)).unwrap_or_default();
            let line = before.matches('\n').count() + 1;
            self.text_error(&format!("line {line}: {}", error.message()))
        })
    }

    /// The settings in force.
    ///
    /// # Errors
    /// A file that cannot be read or is not a configuration, a value that means nothing.
    pub(crate) fn settings(&self) -> Result<Settings, ConfigError> {
        Settings::of(&self.read()?).map_err(|message| self.text_error(&message))
    }

    /// The configuration in force, as a file that says the same, with a comment for each setting.
    ///
    /// # Errors
    /// As [`Config::settings`].
    pub(crate) fn in_force(&self) -> Result<String, ConfigError> {
        self.settings()?;
        let set: toml::Table = toml::from_str(&self.read_text()?).unwrap_or_default();
        let is_there = if self.path.exists() { "" } else { ", which is not there" };
        let mut text =
            format!("# The configuration in force, from {}{is_there}.\n", self.path.display());
        for setting in SETTINGS {
            let value = set.get(setting.name).map(ToString::to_string);
            let mark = if value.is_some() { "" } else { " (not set)" };
            let value = value.unwrap_or_else(|| setting.usual.to_owned());
            text.push_str(&format!("\n# {}{mark}\n{} = {value}\n", setting.says, setting.name));
        }
        text.push_str("\n# keys of actions, each a letter, digit or sign\n[keys]\n");
        let keys = set.get("keys").and_then(toml::Value::as_table);
        for entry in crate::actions::all() {
            let name = entry.name();
            let chosen = keys.and_then(|keys| keys.get(&name)).map(ToString::to_string);
            // A key with a name can be replaced, not written here.
            let is_named = entry.key.chars().count() > 1;
            match chosen {
                Some(key) => text.push_str(&format!("{name} = {key}\n")),
                None if is_named => text.push_str(&format!("# {name} is on {}\n", entry.key)),
                None => {
                    let key = toml::Value::from(entry.key);
                    text.push_str(&format!("{name} = {key}\n"));
                }
            }
        }
        let allowed = set.get("allowed").and_then(toml::Value::as_array).map_or(0, Vec::len);
        text.push_str(&format!(
            "\n# Commands that may always be started in the Bench, added there by “always”: {allowed}\n"
        ));
        Ok(text)
    }

    /// Writes every setting that is not in the file into it, with its comment and the value it has; what is there
    /// stays as it is. The file and its folders are made where they are not there. Says which were added.
    ///
    /// # Errors
    /// As [`Config::settings`], and where it cannot be written; the file is as it was then.
    pub(crate) fn write_settings(&self) -> Result<Vec<&'static str>, ConfigError> {
        let mut added = Vec::new();
        self.change(|document| {
            for setting in SETTINGS {
                if document.contains_key(setting.name) {
                    continue;
                }
                let Ok(value) = setting.usual.parse::<toml_edit::Value>() else { continue };
                document.insert(setting.name, Item::Value(value));
                if let Some(mut key) = document.key_mut(setting.name) {
                    key.leaf_decor_mut().set_prefix(format!("\n# {}\n", setting.says));
                }
                added.push(setting.name);
            }
        })?;
        Ok(added)
    }

    /// What may always be started.
    ///
    /// # Errors
    /// A file that cannot be read, or is not a configuration.
    pub(crate) fn allowed(&self) -> Result<Consents, ConfigError> {
        let allowed = self.read()?.allowed;
        allowed
            .iter()
            .map(|one| {
                one.consent().ok_or_else(|| ConfigError::Text {
                    path: self.path.display().to_string(),
                    message: format!("“{}” does not match the consent given", one.command),
                })
            })
            .collect()
    }

    /// Allows a command for good. What is wrong with the file stays as it is.
    ///
    /// # Errors
    /// A file that cannot be read or written, or is no configuration.
    pub(crate) fn allow(&self, consent: &Consent) -> Result<(), ConfigError> {
        let allowed = Allowed::of(consent)?;
        if self.read()?.allowed.contains(&allowed) {
            return Ok(());
        }
        self.change(|document| {
            let list =
                document.entry("allowed").or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
            let Some(list) = list.as_array_of_tables_mut() else { return };
            let mut table = Table::new();
            table.insert("command", value(&allowed.command));
            table.insert("folder", value(&allowed.folder));
            table.insert("consent", value(&allowed.consent));
            list.push(table);
        })
    }

    /// Whether the history file of the shell is read too (`shell_history`).
    ///
    /// # Errors
    /// A file that cannot be read, or is not a configuration.
    pub(crate) fn reads_shell_history(&self) -> Result<bool, ConfigError> {
        Ok(self.read()?.shell_history.unwrap_or(false))
    }

    /// The history file of the shell is read from now on. What is wrong with the file stays as it is.
    ///
    /// # Errors
    /// As [`Config::allow`].
    pub(crate) fn read_shell_history(&self) -> Result<(), ConfigError> {
        if self.reads_shell_history()? {
            Ok(())
        } else {
            self.change(|document| {
                document.insert("shell_history", value(true));
            })
        }
    }

    /// Changes the file; what else is in it, comments too, stays as it is.
    fn change(&self, change: impl FnOnce(&mut DocumentMut)) -> Result<(), ConfigError> {
        self.settings()?;
        let text = self.read_text()?;
        let mut document: DocumentMut =
            text.parse().map_err(|error: toml_edit::TomlError| self.text_error(error.message()))?;
        change(&mut document);
        self.write(&document.to_string()).map_err(|error| self.file_error(error))
    }

    fn write(&self, text: &str) -> io::Result<()> {
        insight::make_own_folder(self.path.parent().unwrap_or(std::path::Path::new(".")))?;
        // Where it is a link, that stays one.
        engine::put_in_place(&self.path, engine::Writing::Own, |file| {
            file.write_all(text.as_bytes())
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_are_added_and_what_is_there_stays() {
        let folder = tempfile::tempdir().unwrap();
        let config = Config::at(folder.path().join("a/b/config.toml"));
        assert_eq!(config.write_settings().unwrap().len(), SETTINGS.len());
        assert!(config.write_settings().unwrap().is_empty());
        let path = folder.path().join("a/b/config.toml");
        let held = engine::HeldCommand::of_words(&[b"touch".to_vec(), b"x".to_vec()]).unwrap();
        config.allow(&held.consent().unwrap()).unwrap();
        config.settings().unwrap();
        // A file of a person's own.
        let own = "# mine\nbackground = \"light\" # why\n\n[keys]\n";
        std::fs::write(&path, own).unwrap();
        config.allow(&held.consent().unwrap()).unwrap();
        let added = config.write_settings().unwrap();
        assert!(!added.contains(&"background") && added.len() == SETTINGS.len() - 1);
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(text.starts_with("# mine\nbackground = \"light\" # why\n"), "{text}");
        assert_eq!(config.allowed().unwrap().iter().count(), 1);
        config.settings().unwrap();
        // A mistake is said, and stays.
        std::fs::write(&path, "background = 3\n").unwrap();
        config.write_settings().unwrap_err();
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "background = 3\n");
    }

    #[test]
    fn what_is_allowed_for_good_is_found_again() {
        let folder = tempfile::tempdir().unwrap();
        let config = Config::at(folder.path().join("new/config.toml"));
        assert!(config.allowed().unwrap().is_empty());
        let consent = |words: &[&[u8]]| {
            let words: Vec<Vec<u8>> = words.iter().map(|word| word.to_vec()).collect();
            engine::HeldCommand::of_words(&words).unwrap().consent().unwrap()
        };
        let one = consent(&[b"touch", b"a 'b'\n\xFF"]);
        config.allow(&one).unwrap();
        config.allow(&one).unwrap();
        config.allow(&consent(&[b"touch", b"x"])).unwrap();
        let allowed = config.allowed().unwrap();
        assert_eq!(allowed.iter().count(), 2);
        assert!(allowed.covers(&one));
        // A line that was changed by hand says something else than the consent.
        let path = folder.path().join("new/config.toml");
        let text = std::fs::read_to_string(&path).unwrap();
        std::fs::write(&path, text.replace("touch x", "touch y")).unwrap();
        assert!(config.allowed().unwrap_err().to_string().contains("touch y"));
    }

    #[test]
    fn what_the_user_wrote_stays_when_something_is_added() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("config.toml");
        let config = Config::at(path.clone());
        let own = "# mine\npreview_memory_mib = 512 # enough\n";
        std::fs::write(&path, own).unwrap();
        let held = engine::HeldCommand::of_words(&[b"touch".to_vec()]).unwrap();
        config.allow(&held.consent().unwrap()).unwrap();
        config.read_shell_history().unwrap();
        let text = std::fs::read_to_string(&path).unwrap();
        assert!(text.starts_with(own), "{text}");
        assert_eq!(config.settings().unwrap().limits.memory_bytes, 512 << 20);
        assert!(config.reads_shell_history().unwrap());
        assert_eq!(config.allowed().unwrap().iter().count(), 1);
        // What is printed says the same.
        let printed = config.in_force().unwrap();
        let other = Config::at(folder.path().join("other.toml"));
        std::fs::write(folder.path().join("other.toml"), &printed).unwrap();
        let settings = |config: &Config| Settings {
            keys: std::collections::BTreeMap::default(),
            ..config.settings().unwrap()
        };
        assert_eq!(settings(&other), settings(&config));
        assert!(printed.contains("preview_memory_mib = 512\n"), "{printed}");
        assert!(printed.contains("(not set)\nsample = \"quick 5000\""), "{printed}");
        std::fs::remove_file(&path).unwrap();
        rustix::fs::mknodat(
            rustix::fs::CWD,
            &path,
            rustix::fs::FileType::Fifo,
            rustix::fs::Mode::RUSR | rustix::fs::Mode::WUSR,
            0,
        )
        .unwrap();
        let said = config.allowed().unwrap_err().to_string();
        assert!(said.contains("a named pipe"), "{said}");
    }

    #[test]
    fn a_file_that_is_no_configuration_is_said_and_kept() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("config.toml");
        std::fs::write(&path, "alowed = 3\n").unwrap();
        let config = Config::at(path.clone());
        assert!(config.allowed().unwrap_err().to_string().contains("config.toml: "));
        assert!(
            config
                .allow(
                    &engine::HeldCommand::of_words(&[b"touch".to_vec()])
                        .unwrap()
                        .consent()
                        .unwrap()
                )
                .is_err()
        );
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "alowed = 3\n");
    }
}
