//! Where programs keep files of their own (XDG Base Directory Specification).

use std::path::PathBuf;

/// The folder of this program in the one that an environment variable names, else in one under
/// the home directory.
pub fn own_folder(variable: &str, under_home: &str) -> PathBuf {
    let set =
        |name: &str| std::env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from);
    set(variable)
        .or_else(|| set("HOME").map(|home| home.join(under_home)))
        .unwrap_or_else(std::env::temp_dir)
        .join("ylotrope")
}
