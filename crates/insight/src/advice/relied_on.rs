//! Whether the order that a stage makes is what others need, and not what people look at.

use engine::StageKind;

use super::look::Look;

/// True where a stage after it works only on lines in this order, or gives the same in any; where it is
/// not known what those do with it; and where the lines go to a file that another command of the text
/// names.
pub(super) fn order_is_relied_on(look: &Look<'_>) -> bool {
    let stages = look.preview.stages.iter().enumerate();
    for (number, stage) in stages.skip(look.number) {
        if number > look.number && stage.plan.off.is_none() {
            let name = stage.name.as_str();
            let needs = ["uniq", "comm", "join", "sort", "wc", "awk", "diff", "cmp", "tsort"];
            if needs.contains(&name) || !matches!(stage.plan.kind, StageKind::Native(_)) {
                return true;
            }
        }
        if stage.pending.iter().any(|file| is_named_again(look, &file.path)) {
            return true;
        }
        if !stage.plan.feeds_next() {
            return false;
        }
    }
    false
}

/// A file that is written here is named more than once in the text.
fn is_named_again(look: &Look<'_>, path: &std::path::Path) -> bool {
    let Some(name) = path.file_name().map(|name| name.to_string_lossy().into_owned()) else {
        return false;
    };
    look.text().matches(&*name).count() > 1
}
