//! `sort -c`: whether a file is in order.

use stream::{ExitStatus, StageError, StageIo};

use super::keys::Order;
use crate::common::input::line_feed::LineFeed;

/// Says which line is the first out of order, unless `quiet`; status 1 then.
pub(super) fn check(
    io: &mut StageIo<'_>,
    file: &[u8],
    order: &Order,
    quiet: bool,
) -> Result<ExitStatus, StageError> {
    let name = String::from_utf8_lossy(file).into_owned();
    let input = io.open(file).map_err(|error| super::failure::cannot_read(&name, &error))?;
    let mut feed = LineFeed::new(input);
    let mut last: Option<Vec<u8>> = None;
    let mut number = 0u64;
    while feed.advance().map_err(|error| super::failure::read_failed(&name, error))? {
        number += 1;
        let line = feed.line();
        if let Some(last) = &mut last {
            let compared = order.compare(last, line);
            if compared.is_gt() || compared.is_eq() && order.unique {
                if !quiet {
                    let shown = String::from_utf8_lossy(line).into_owned();
                    io.message(&format!("{name}:{number}: disorder: {shown}"))?;
                }
                return Ok(ExitStatus(1));
            }
            last.clear();
            last.extend_from_slice(line);
        } else {
            last = Some(line.to_vec());
        }
    }
    Ok(ExitStatus::SUCCESS)
}
