//! What the user has settled for good: the configuration file.

use std::io::{self, Write};
use std::path::PathBuf;

use engine::{Consent, Consents};
use serde::{Deserialize, Serialize};
use thiserror::Error;

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

/// The file's content.
#[derive(Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Content {
    /// Memory that a preview may take, in MiB.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    preview_memory_mib: Option<u64>,
    /// The history file of the shell is read too.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    shell_history: bool,
    /// What may always be started in the Bench.
    #[serde(default)]
    allowed: Vec<Allowed>,
}

/// A consent as text: all that it covers.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Allowed {
    /// The name and the arguments, for who reads the file.
    command: String,
    /// Where it runs.
    folder: String,
    /// The consent itself; a line that says something else than this is not let through.
    consent: String,
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

    fn file_error(&self, error: io::Error) -> ConfigError {
        ConfigError::File { path: self.path.clone(), error }
    }

    fn read(&self) -> Result<Content, ConfigError> {
        let bytes = match insight::read_own(&self.path) {
            Ok(Some(bytes)) => bytes,
            Ok(None) => return Ok(Content::default()),
            Err(error) => return Err(self.file_error(error)),
        };
        let text = String::from_utf8(bytes).map_err(|_| ConfigError::Text {
            path: self.path.display().to_string(),
            message: "not UTF-8".to_owned(),
        })?;
        toml::from_str(&text).map_err(|error| ConfigError::Text {
            path: self.path.display().to_string(),
            message: error.to_string().lines().next().unwrap_or_default().to_owned(),
        })
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

    /// Bytes of memory that a preview may take (`preview_memory_mib`, at least 64), where that is set.
    ///
    /// # Errors
    /// A file that cannot be read, or is not a configuration.
    pub(crate) fn preview_memory(&self) -> Result<Option<u64>, ConfigError> {
        /// Less than this makes no sense: the program itself takes about as much.
        const LEAST_MIB: u64 = 64;
        let set = self.read()?.preview_memory_mib;
        Ok(set.map(|mib| mib.clamp(LEAST_MIB, 1 << 30) << 20))
    }

    /// Allows a command for good. What is wrong with the file stays as it is.
    ///
    /// # Errors
    /// A file that cannot be read or written, or is no configuration.
    pub(crate) fn allow(&self, consent: &Consent) -> Result<(), ConfigError> {
        let allowed = Allowed::of(consent)?;
        self.change(|content| {
            if !content.allowed.contains(&allowed) {
                content.allowed.push(allowed);
            }
        })
    }

    /// Whether the history file of the shell is read too (`shell_history`).
    ///
    /// # Errors
    /// A file that cannot be read, or is not a configuration.
    pub(crate) fn reads_shell_history(&self) -> Result<bool, ConfigError> {
        Ok(self.read()?.shell_history)
    }

    /// The history file of the shell is read from now on. What is wrong with the file stays as it is.
    ///
    /// # Errors
    /// As [`Config::allow`].
    pub(crate) fn read_shell_history(&self) -> Result<(), ConfigError> {
        if self.reads_shell_history()? {
            Ok(())
        } else {
            self.change(|content| content.shell_history = true)
        }
    }

    fn change(&self, change: impl FnOnce(&mut Content)) -> Result<(), ConfigError> {
        let mut content = self.read()?;
        change(&mut content);
        let text = toml::to_string(&content).map_err(|error| ConfigError::Text {
            path: self.path.display().to_string(),
            message: error.to_string(),
        })?;
        self.write(&text).map_err(|error| self.file_error(error))
    }

    fn write(&self, text: &str) -> io::Result<()> {
        insight::make_own_folder(self.path.parent().unwrap_or(std::path::Path::new(".")))?;
        // Where it is a link, that stays one.
        insight::put_in_place(&self.path, 0o600, |file| file.write_all(text.as_bytes()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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
    fn the_memory_of_a_preview_is_a_setting_and_stays_one() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("config.toml");
        let config = Config::at(path.clone());
        assert_eq!(config.preview_memory().unwrap(), None);
        std::fs::write(&path, "preview_memory_mib = 512\n").unwrap();
        let held = engine::HeldCommand::of_words(&[b"touch".to_vec()]).unwrap();
        config.allow(&held.consent().unwrap()).unwrap();
        assert_eq!(config.preview_memory().unwrap(), Some(512 << 20));
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
