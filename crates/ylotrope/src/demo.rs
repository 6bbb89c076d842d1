//! The demo: made-up data and pipelines, carried in the program and written to a folder.

use std::path::Path;
use std::{fs, io};

use include_dir::{Dir, include_dir};

/// Every file of the demo.
static FOLDERS: [Dir<'_>; 2] = [
    include_dir!("$CARGO_MANIFEST_DIR/../../demo/data"),
    include_dir!("$CARGO_MANIFEST_DIR/../../demo/pipelines"),
];

/// The pipeline that is open at the start.
pub(crate) const FIRST: &str = "worst-gates.sh";

/// Lays the demo out in `folder`. Files of the demo are brought back to how they were; others
/// are left alone.
///
/// # Errors
/// When the folder cannot be written.
pub(crate) fn lay_out(folder: &Path) -> io::Result<()> {
    fs::create_dir_all(folder)?;
    for file in FOLDERS.iter().flat_map(Dir::files) {
        let path = folder.join(file.path());
        if fs::read(&path).is_ok_and(|now| now == file.contents()) {
            continue;
        }
        fs::write(&path, file.contents())?;
        if path.extension().is_some_and(|extension| extension == "sh") {
            use std::os::unix::fs::PermissionsExt;
            fs::set_permissions(&path, fs::Permissions::from_mode(0o755))?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn the_demo_comes_back_as_it_was_and_other_files_are_left_alone() {
        let home = tempfile::tempdir().unwrap();
        let folder = home.path().join("a/demo");
        lay_out(&folder).unwrap();
        let mode =
            |name: &str| fs::metadata(folder.join(name)).unwrap().permissions().mode() & 0o777;
        assert_eq!(mode(FIRST), 0o755);
        assert_eq!(mode("gate.log") & 0o111, 0);
        let original = fs::read(folder.join(FIRST)).unwrap();
        assert_eq!(original, FOLDERS[1].get_file(FIRST).unwrap().contents());
        fs::write(folder.join(FIRST), "changed\n").unwrap();
        fs::write(folder.join("mine"), "mine\n").unwrap();
        // What is as it should be is not written again: its time and rights stay.
        fs::set_permissions(folder.join("gate.log"), fs::Permissions::from_mode(0o444)).unwrap();
        lay_out(&folder).unwrap();
        assert_eq!(fs::read(folder.join(FIRST)).unwrap(), original);
        assert_eq!(fs::read(folder.join("mine")).unwrap(), b"mine\n");
        assert_eq!(mode("gate.log"), 0o444);
        assert!(lay_out(&folder.join("mine")).is_err());
    }
}
