//! What the user has settled for good: the configuration file.

use std::collections::BTreeSet;
use std::io::{self, Write};
use std::path::PathBuf;

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// A configuration that cannot be read or written.
#[derive(Debug, Error)]
pub enum ConfigError {
    /// The file cannot be read or written.
    #[error("{path}: {}", stream::describe(.error))]
    File {
        /// The file.
        path: String,
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
    /// Commands that may always be started in the Bench.
    #[serde(default)]
    allowed: Vec<Command>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Command {
    /// Its name and its arguments.
    words: Vec<String>,
}

/// The configuration file: `$XDG_CONFIG_HOME/ylotrope/config.toml` or
/// `~/.config/ylotrope/config.toml`.
#[derive(Clone, Debug)]
pub struct Config {
    path: PathBuf,
}

impl Config {
    /// The usual place.
    pub fn usual() -> Self {
        Self { path: insight::own_folder("XDG_CONFIG_HOME", ".config").join("config.toml") }
    }

    /// A configuration somewhere else.
    pub fn at(path: PathBuf) -> Self {
        Self { path }
    }

    fn file_error(&self, error: io::Error) -> ConfigError {
        ConfigError::File { path: self.path.display().to_string(), error }
    }

    fn read(&self) -> Result<Content, ConfigError> {
        let text = match std::fs::read_to_string(&self.path) {
            Ok(text) => text,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Content::default()),
            Err(error) => return Err(self.file_error(error)),
        };
        toml::from_str(&text).map_err(|error| ConfigError::Text {
            path: self.path.display().to_string(),
            message: error.to_string().lines().next().unwrap_or_default().to_owned(),
        })
    }

    /// The commands that may always be started.
    ///
    /// # Errors
    /// A file that cannot be read, or is no configuration.
    pub fn allowed(&self) -> Result<BTreeSet<Vec<Vec<u8>>>, ConfigError> {
        let words = |command: Command| command.words.into_iter().map(String::into_bytes).collect();
        Ok(self.read()?.allowed.into_iter().map(words).collect())
    }

    /// Allows a command for good. What is wrong with the file stays as it is.
    ///
    /// # Errors
    /// A file that cannot be read or written, or is no configuration.
    pub fn allow(&self, words: &[Vec<u8>]) -> Result<(), ConfigError> {
        let words: Option<Vec<String>> =
            words.iter().map(|word| String::from_utf8(word.clone()).ok()).collect();
        let command = Command { words: words.ok_or(ConfigError::NotText)? };
        let mut content = self.read()?;
        if !content.allowed.contains(&command) {
            content.allowed.push(command);
        }
        let text = toml::to_string(&content).map_err(|error| ConfigError::Text {
            path: self.path.display().to_string(),
            message: error.to_string(),
        })?;
        self.write(&text).map_err(|error| self.file_error(error))
    }

    fn write(&self, text: &str) -> io::Result<()> {
        let folder = self.path.parent().unwrap_or(std::path::Path::new("."));
        std::fs::create_dir_all(folder)?;
        let mut file = tempfile::NamedTempFile::new_in(folder)?;
        file.write_all(text.as_bytes())?;
        file.persist(&self.path).map_err(|error| error.error)?;
        Ok(())
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
        let words = vec![b"touch".to_vec(), b"a 'b'\n".to_vec()];
        config.allow(&words).unwrap();
        config.allow(&words).unwrap();
        config.allow(&[b"uptime".to_vec()]).unwrap();
        let allowed = config.allowed().unwrap();
        assert_eq!(allowed.len(), 2);
        assert!(allowed.contains(&words));
        assert!(matches!(config.allow(&[vec![0xFF]]), Err(ConfigError::NotText)));
    }

    #[test]
    fn a_file_that_is_no_configuration_is_said_and_kept() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("config.toml");
        std::fs::write(&path, "alowed = 3\n").unwrap();
        let config = Config::at(path.clone());
        assert!(config.allowed().unwrap_err().to_string().contains("config.toml: "));
        assert!(config.allow(&[b"uptime".to_vec()]).is_err());
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "alowed = 3\n");
    }
}
