//! What became of a write that was cut off, in words.

use engine::Recovered;

/// One line for the write, and one for each file that others have changed since.
pub fn recovered_in_words(recovered: &Recovered) -> Vec<String> {
    let Recovered { finished, files, left } = recovered;
    let count = files.len();
    let all = match (count, *finished) {
        (1, true) => "its file has its new content",
        (1, false) => "its file is as it was",
        (_, true) => "all of its files have their new content",
        (_, false) => "all of its files are as they were",
    };
    let except = if left.is_empty() { "" } else { ", but for these" };
    let named = files.first().map(|path| path.display().to_string()).unwrap_or_default();
    let named = if count == 1 { named } else { format!("{count} files, {named} among them") };
    let mut lines = vec![format!("a write that was cut off ({named}): {all}{except}")];
    lines.extend(left.iter().map(|(path, why, kept)| {
        let kept = kept.as_ref().map_or_else(
            || "what was meant for it is kept, and tried again next time".to_owned(),
            |kept| format!("what was meant for it is in {}", kept.display()),
        );
        format!("{}: {why}; {kept}", path.display())
    }));
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_said_whether_all_is_old_or_new_and_where_the_rest_is() {
        let paths = |names: &[&str]| names.iter().map(Into::into).collect();
        let one = Recovered { finished: true, files: paths(&["/a"]), left: Vec::new() };
        assert_eq!(
            recovered_in_words(&one),
            ["a write that was cut off (/a): its file has its new content"]
        );
        let left = vec![("/b".into(), "it was changed".to_owned(), Some("/b.not-written".into()))];
        let many = Recovered { finished: false, files: paths(&["/a", "/b"]), left };
        assert_eq!(
            recovered_in_words(&many),
            [
                "a write that was cut off (2 files, /a among them): all of its files are as they were, but for these",
                "/b: it was changed; what was meant for it is in /b.not-written",
            ]
        );
    }
}
