//! Changes of a text that keep all else: a stage switched off and on.

/// How the comment begins that keeps a switched-off stage.
///
/// A stage that is off is `cat` (with the files the stage reads, if any) and behind it the
/// comment with the stage's own text, so that the text means the same to `sh`:
/// `cat gate.log |  # off: grep refused gate.log`
pub const OFF_MARK: &str = "# off:";

/// The text of a stage that passes its input on unchanged and remembers `stage`.
///
/// `files` are the words of the stage that name its input files, `redirections` those that stay
/// in force; `pipe` is true where another stage follows, on the next line. `None` for a stage
/// whose text cannot stand in a comment because it has several lines.
pub fn stage_off_text(
    stage: &str,
    files: &[&str],
    redirections: &[&str],
    pipe: bool,
) -> Option<String> {
    if stage.contains('\n') {
        return None;
    }
    let mut text = String::from("cat");
    for part in files.iter().chain(redirections) {
        text.push(' ');
        text.push_str(part);
    }
    if pipe {
        text.push_str(" |");
    }
    text.push_str("  ");
    text.push_str(OFF_MARK);
    text.push(' ');
    text.push_str(stage);
    Some(text)
}
