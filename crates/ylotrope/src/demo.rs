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
