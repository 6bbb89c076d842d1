//! Stages put into a pipeline, also between its source and its first stage.

use engine::parse;

use super::stages::{EditError, apply_edits, insert_stage, move_stage};

/// A text with stages put into it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PutIn {
    /// The whole text.
    pub text: String,
    /// The place after the last new stage, for the cursor.
    pub cursor: usize,
    /// The number of the last new stage.
    pub last: usize,
}

/// How many stages a piece of text has.
fn count(stages: &str) -> Result<usize, EditError> {
    let script = parse(stages).map_err(|_| EditError::NotParsed)?;
    let pipeline = script.shown(0).ok_or(EditError::NotParsed)?;
    Ok(pipeline.commands.len())
}

/// Puts stages (one or more, with their pipes) before stage `number`, or after the last one.
///
/// # Errors
/// When one of the texts cannot be taken apart.
pub fn insert_stages(
    text: &str,
    cursor: usize,
    number: usize,
    stages: &str,
) -> Result<PutIn, EditError> {
    let count = count(stages)?;
    let (edit, span) = insert_stage(text, cursor, number, stages)?;
    let text = apply_edits(text, &[edit]);
    Ok(PutIn { text, cursor: span.end, last: number + count - 1 })
}

/// Puts stages between what the first stage reads and the first stage: they read it instead.
///
/// # Errors
/// When one of the texts cannot be taken apart, or the first stage cannot be moved.
pub fn insert_at_source(text: &str, cursor: usize, stages: &str) -> Result<PutIn, EditError> {
    let put = insert_stages(text, cursor, 1, stages)?;
    let count = put.last;
    let mut text = put.text;
    for number in 0..count {
        // The first line of the pipeline stays where it is, so the cursor stays in it.
        let at = cursor.min(text.len());
        text = apply_edits(&text, &move_stage(&text, at, number)?);
    }
    let end = parse(&text).ok().and_then(|script| {
        let pipeline = script.shown(cursor.min(text.len()))?;
        Some(pipeline.commands.get(count - 1)?.span.end)
    });
    Ok(PutIn { cursor: end.unwrap_or(text.len()), text, last: count - 1 })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stages_are_put_after_a_stage() {
        let put = insert_stages("grep a f | sort > out", 0, 1, "cut -f1 | uniq").unwrap();
        assert_eq!(put.text, "grep a f | cut -f1 | uniq | sort > out");
        assert_eq!((put.last, &put.text[..put.cursor]), (2, "grep a f | cut -f1 | uniq"));
        let put = insert_stages("cat f > out", 0, 1, "sort").unwrap();
        assert_eq!((put.text.as_str(), put.last), ("cat f | sort > out", 1));
        let put = insert_stages("sort < f 2> e > out", 0, 1, "uniq").unwrap();
        assert_eq!(put.text, "sort < f 2> e | uniq > out");
        assert!(insert_stages("cat (", 0, 1, "sort").is_err());
        assert!(insert_stages("cat f", 0, 1, "sort |").is_err());
    }

    #[test]
    fn at_the_source_they_read_what_the_first_stage_read() {
        let put = |text: &str, stages: &str| insert_at_source(text, 0, stages).unwrap();
        let one = put("grep a f g | sort", "cut -f1");
        assert_eq!((one.text.as_str(), one.last), ("cut -f1 f g | grep a | sort", 0));
        assert_eq!(&one.text[..one.cursor], "cut -f1 f g");
        let two = put("sort -r < f", "cut -f1 | uniq -c");
        assert_eq!((two.text.as_str(), two.last), ("cut -f1 < f | uniq -c | sort -r", 1));
        let three = put("grep 'a b' f", "tail -n +2 | cut -f1 | sort");
        assert_eq!(three.text, "tail -n +2 f | cut -f1 | sort | grep 'a b'");
    }
}
