//! The demo: made-up data and pipelines, carried in the program and laid out in a folder.

use std::path::Path;
use std::{fs, io};

/// Name and content of every file of the demo.
const FILES: &[(&str, &[u8])] = &[
    ("awkward.txt", include_bytes!("../../../demo/data/awkward.txt")),
    ("cabins.csv", include_bytes!("../../../demo/data/cabins.csv")),
    ("count-lower.txt", include_bytes!("../../../demo/data/count-lower.txt")),
    ("count-middle.txt", include_bytes!("../../../demo/data/count-middle.txt")),
    ("count-upper.txt", include_bytes!("../../../demo/data/count-upper.txt")),
    ("gate.log", include_bytes!("../../../demo/data/gate.log")),
    ("spares-lower.txt", include_bytes!("../../../demo/data/spares-lower.txt")),
    ("spares-upper.txt", include_bytes!("../../../demo/data/spares-upper.txt")),
    ("station.conf", include_bytes!("../../../demo/data/station.conf")),
    ("wardens.txt", include_bytes!("../../../demo/data/wardens.txt")),
    ("winch-tidy.sed", include_bytes!("../../../demo/data/winch-tidy.sed")),
    ("winch.log", include_bytes!("../../../demo/data/winch.log")),
    ("winch.status", include_bytes!("../../../demo/data/winch.status")),
    ("added-in-a-loop.sh", include_bytes!("../../../demo/pipelines/added-in-a-loop.sh")),
    ("alarms-apart.sh", include_bytes!("../../../demo/pipelines/alarms-apart.sh")),
    ("all-at-once.sh", include_bytes!("../../../demo/pipelines/all-at-once.sh")),
    ("append-or-replace.sh", include_bytes!("../../../demo/pipelines/append-or-replace.sh")),
    ("around-alarms.sh", include_bytes!("../../../demo/pipelines/around-alarms.sh")),
    ("both-in-one.sh", include_bytes!("../../../demo/pipelines/both-in-one.sh")),
    ("cabin-table.sh", include_bytes!("../../../demo/pipelines/cabin-table.sh")),
    ("counts-added.sh", include_bytes!("../../../demo/pipelines/counts-added.sh")),
    ("counts-to-add.sh", include_bytes!("../../../demo/pipelines/counts-to-add.sh")),
    ("double-spares.sh", include_bytes!("../../../demo/pipelines/double-spares.sh")),
    ("forgotten-sort.sh", include_bytes!("../../../demo/pipelines/forgotten-sort.sh")),
    ("gate-totals.sh", include_bytes!("../../../demo/pipelines/gate-totals.sh")),
    ("hand-over.sh", include_bytes!("../../../demo/pipelines/hand-over.sh")),
    ("heaviest-cabins.sh", include_bytes!("../../../demo/pipelines/heaviest-cabins.sh")),
    ("heavy-cabins.sh", include_bytes!("../../../demo/pipelines/heavy-cabins.sh")),
    ("hidden-entries.sh", include_bytes!("../../../demo/pipelines/hidden-entries.sh")),
    ("in-pairs.sh", include_bytes!("../../../demo/pipelines/in-pairs.sh")),
    ("last-words.sh", include_bytes!("../../../demo/pipelines/last-words.sh")),
    ("least-used-gates.sh", include_bytes!("../../../demo/pipelines/least-used-gates.sh")),
    ("low-gates.sh", include_bytes!("../../../demo/pipelines/low-gates.sh")),
    ("motor-lines.sh", include_bytes!("../../../demo/pipelines/motor-lines.sh")),
    ("newest-services.sh", include_bytes!("../../../demo/pipelines/newest-services.sh")),
    ("note-for-gate.sh", include_bytes!("../../../demo/pipelines/note-for-gate.sh")),
    ("oldest-services.sh", include_bytes!("../../../demo/pipelines/oldest-services.sh")),
    ("one-by-one.sh", include_bytes!("../../../demo/pipelines/one-by-one.sh")),
    ("passages-per-gate.sh", include_bytes!("../../../demo/pipelines/passages-per-gate.sh")),
    ("rarest-reason.sh", include_bytes!("../../../demo/pipelines/rarest-reason.sh")),
    ("refusals-by-reason.sh", include_bytes!("../../../demo/pipelines/refusals-by-reason.sh")),
    ("repeated-spares.sh", include_bytes!("../../../demo/pipelines/repeated-spares.sh")),
    ("results-and-errors.sh", include_bytes!("../../../demo/pipelines/results-and-errors.sh")),
    ("rope-speed.sh", include_bytes!("../../../demo/pipelines/rope-speed.sh")),
    ("settings-in-force.sh", include_bytes!("../../../demo/pipelines/settings-in-force.sh")),
    ("settings-rows.sh", include_bytes!("../../../demo/pipelines/settings-rows.sh")),
    ("single-spares.sh", include_bytes!("../../../demo/pipelines/single-spares.sh")),
    ("spares-of-both.sh", include_bytes!("../../../demo/pipelines/spares-of-both.sh")),
    ("spares-of-either.sh", include_bytes!("../../../demo/pipelines/spares-of-either.sh")),
    ("spares-of-one.sh", include_bytes!("../../../demo/pipelines/spares-of-one.sh")),
    ("spares-upper-only.sh", include_bytes!("../../../demo/pipelines/spares-upper-only.sh")),
    ("stairs-of-doubling.sh", include_bytes!("../../../demo/pipelines/stairs-of-doubling.sh")),
    ("three-at-once.sh", include_bytes!("../../../demo/pipelines/three-at-once.sh")),
    ("warden-lines.sh", include_bytes!("../../../demo/pipelines/warden-lines.sh")),
    ("winch-alarms.sh", include_bytes!("../../../demo/pipelines/winch-alarms.sh")),
    ("winch-tidy.sh", include_bytes!("../../../demo/pipelines/winch-tidy.sh")),
    ("winch-times.sh", include_bytes!("../../../demo/pipelines/winch-times.sh")),
    ("words-in-a-line.sh", include_bytes!("../../../demo/pipelines/words-in-a-line.sh")),
    ("worst-gates.sh", include_bytes!("../../../demo/pipelines/worst-gates.sh")),
    ("wrong-order.sh", include_bytes!("../../../demo/pipelines/wrong-order.sh")),
    ("zone-four.sh", include_bytes!("../../../demo/pipelines/zone-four.sh")),
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
    for (name, content) in FILES {
        let path = folder.join(name);
        if fs::read(&path).is_ok_and(|now| now == *content) {
            continue;
        }
        fs::write(&path, content)?;
        if path.extension().is_some_and(|extension| extension == "sh") {
            use std::os::unix::fs::PermissionsExt;
            fs::set_permissions(&path, fs::Permissions::from_mode(0o755))?;
        }
    }
    Ok(())
}
