//! Changes of the text, a stage at a time.

use engine::parse;
use filters::{Arguments, Operands};
use shell::{Command, Pipeline, Span, Word, stage_off_text};
use thiserror::Error;

/// Bytes of the text that are replaced.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TextEdit {
    /// Which bytes; empty to insert.
    pub span: Span,
    /// What takes their place.
    pub text: String,
}

/// Why a change cannot be made.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
pub enum EditError {
    /// The text is not a pipeline that can be taken apart.
    #[error("the text has an error, so its stages are unknown")]
    NotParsed,
    /// There is no such stage.
    #[error("no such stage")]
    NoStage,
    /// A stage without input has nothing to pass through.
    #[error("{0} has no input, so it cannot be switched off")]
    MakesLines(String),
    /// Text of several lines cannot stand in a comment.
    #[error("a stage of several lines cannot be switched off")]
    SeveralLines,
    /// A program of the machine, a compound command, or a filter that reads its words itself.
    #[error("this stage has no options to choose from; e edits its text")]
    NoOptions,
    /// The option is written in a way that cannot be changed alone.
    #[error("the option is quoted or expanded here; e edits the text")]
    Quoted,
    /// Moving a stage that is off would part it from its comment.
    #[error("switch the stage on before you move it")]
    OffMoved,
}

/// Applies edits that do not overlap.
pub fn apply_edits(text: &str, edits: &[TextEdit]) -> String {
    let mut edits: Vec<&TextEdit> = edits.iter().collect();
    edits.sort_by_key(|edit| std::cmp::Reverse((edit.span.start, edit.span.end)));
    let mut text = text.to_owned();
    for edit in edits {
        text.replace_range(edit.span.range(), &edit.text);
    }
    text
}

/// The pipeline whose stages the screen shows when the cursor is at `at`.
fn pipeline(text: &str, at: usize) -> Result<Pipeline, EditError> {
    let script = parse(text).map_err(|_| EditError::NotParsed)?;
    script.shown(at).cloned().ok_or(EditError::NotParsed)
}

/// Where the stage ends, its off comment with it.
fn end(command: &Command) -> usize {
    command.off.map_or(command.span.end, |off| off.end.max(command.span.end))
}

/// Takes a stage out, with one pipe.
///
/// # Errors
/// When the text has no such stage.
pub fn delete_stage(text: &str, at: usize, number: usize) -> Result<Vec<TextEdit>, EditError> {
    let pipeline = pipeline(text, at)?;
    let command = pipeline.commands.get(number).ok_or(EditError::NoStage)?;
    let remove = |start, end| TextEdit { span: Span::new(start, end), text: String::new() };
    if let Some(next) = pipeline.commands.get(number + 1) {
        return Ok(vec![remove(command.span.start, next.span.start)]);
    }
    let Some(before) = number.checked_sub(1).and_then(|at| pipeline.commands.get(at)) else {
        return Ok(vec![remove(command.span.start, end(command))]);
    };
    let pipe = pipeline.pipes[number - 1];
    if before.off.is_some() {
        // The pipe is before the comment, which stays.
        return Ok(vec![remove(before.span.end, pipe.end), remove(end(before), end(command))]);
    }
    Ok(vec![remove(before.span.end, end(command))])
}

/// Puts a new stage before stage `number`, or behind the last one; redirections at the end stay
/// at the end. Gives the edit and the place of the new stage's text after it.
///
/// # Errors
/// When the text cannot be taken apart.
pub fn insert_stage(
    text: &str,
    cursor: usize,
    number: usize,
    stage: &str,
) -> Result<(TextEdit, Span), EditError> {
    let insert = |at: usize, before: &str, after: &str| {
        let start = at + before.len();
        let edit = TextEdit { span: Span::new(at, at), text: format!("{before}{stage}{after}") };
        (edit, Span::new(start, start + stage.len()))
    };
    if text.trim().is_empty() {
        return Ok(insert(text.len(), "", ""));
    }
    let pipeline = pipeline(text, cursor)?;
    if let Some(command) = pipeline.commands.get(number) {
        return Ok(insert(command.span.start, "", " | "));
    }
    let Some(last) = pipeline.commands.last() else { return Err(EditError::NotParsed) };
    if let Some(off) = last.off {
        // Behind the comment a new line begins.
        let (mut edit, span) = insert(off.end, "\n", "");
        edit.text.clear();
        edit.text.push('\n');
        edit.text.push_str(stage);
        let pipe =
            TextEdit { span: Span::new(last.span.end, last.span.end), text: " |".to_owned() };
        let mut edits = [pipe, edit];
        // Both become one replacement of the stage's end and its comment.
        let start = last.span.end;
        let whole = apply_edits(text, &edits);
        edits[1].span = Span::new(start, off.end);
        let length = whole.len() - (text.len() - off.end) - start;
        let replaced = whole[start..start + length].to_owned();
        return Ok((
            TextEdit { span: edits[1].span, text: replaced },
            Span::new(span.start + 2, span.end + 2),
        ));
    }
    let words_end = last.words.last().map_or(last.span.end, |word| word.span.end);
    let redirected_before =
        last.redirections.iter().any(|redirection| redirection.span.start < words_end);
    // What it reads and where its errors go stays with it; its output is that of the new stage.
    let own = last.redirections.iter().take_while(|redirection| redirection.descriptor != 1);
    let own_end = own.last().map_or(words_end, |redirection| redirection.span.end.max(words_end));
    let at = if redirected_before { last.span.end } else { own_end };
    Ok(insert(at, " | ", ""))
}

/// Exchanges a stage with the next one. Files that the first stage reads stay with whichever
/// stage is first.
///
/// # Errors
/// When there are no two such stages, or one of them is off.
pub fn move_stage(text: &str, at: usize, number: usize) -> Result<Vec<TextEdit>, EditError> {
    let pipeline = pipeline(text, at)?;
    let (Some(one), Some(other)) =
        (pipeline.commands.get(number), pipeline.commands.get(number + 1))
    else {
        return Err(EditError::NoStage);
    };
    if one.off.is_some() || other.off.is_some() {
        return Err(EditError::OffMoved);
    }
    let files = if number == 0 { file_words(one) } else { Vec::new() };
    let mut first = words_text(text, other, &[]);
    for file in &files {
        first.push(' ');
        first.push_str(&text[file.span.range()]);
    }
    let second = words_text(text, one, &files);
    Ok(vec![
        TextEdit { span: words_span(one), text: first },
        TextEdit { span: words_span(other), text: second },
    ])
}

/// Assignments and words, without redirections behind them.
fn words_span(command: &Command) -> Span {
    let end = command.words.last().map_or(command.span.end, |word| word.span.end);
    Span::new(command.span.start, end.max(command.span.start))
}

/// The text of the words without some of them.
fn words_text(text: &str, command: &Command, without: &[&Word]) -> String {
    let span = words_span(command);
    let edits: Vec<TextEdit> = without
        .iter()
        .map(|word| {
            // The blank before the word goes with it.
            let before = text[..word.span.start].trim_end().len().max(span.start);
            TextEdit {
                span: Span::new(before - span.start, word.span.end - span.start),
                text: String::new(),
            }
        })
        .collect();
    apply_edits(&text[span.range()], &edits)
}

/// The words that name input files.
fn file_words(command: &Command) -> Vec<&Word> {
    let Some(definition) = command.name().and_then(|name| filters::find(name.as_bytes())) else {
        return Vec::new();
    };
    // A word whose value is not known before it is expanded cannot be an option here.
    let values: Vec<Vec<u8>> = command.words[1..]
        .iter()
        .map(|word| word.literal().unwrap_or_else(|| "expanded".to_owned()).into_bytes())
        .collect();
    let Ok(arguments) = Arguments::parse(definition.spec, &values) else { return Vec::new() };
    let skip = match definition.spec.operands {
        Operands::Files | Operands::OneFile => 0,
        Operands::PatternThenFiles => usize::from(!arguments.has('e')),
        Operands::Values => return Vec::new(),
    };
    let files = arguments.operands.iter().skip(skip);
    files.filter_map(|operand| command.words.get(operand.word + 1)).collect()
}

/// Switches a stage off or on. Off, it is `cat` with the files it reads and a comment that
/// keeps its text.
///
/// # Errors
/// For a stage that makes its lines itself or has several lines of text.
pub fn toggle_stage(text: &str, at: usize, number: usize) -> Result<Vec<TextEdit>, EditError> {
    let pipeline = pipeline(text, at)?;
    let command = pipeline.commands.get(number).ok_or(EditError::NoStage)?;
    let last = number + 1 == pipeline.commands.len();
    if let Some(off) = command.off {
        let mark = text[..off.start].rfind('#').unwrap_or(off.start);
        let stage = &text[off.range()];
        if last {
            let before = text[..mark].trim_end().len();
            return Ok(vec![
                TextEdit { span: words_span(command), text: stage.to_owned() },
                TextEdit { span: Span::new(before, off.end), text: String::new() },
            ]);
        }
        // The pipe stays; the comment and the new line behind it go.
        let pipe = pipeline.pipes[number];
        let next = pipeline.commands[number + 1].span.start;
        let between = &text[off.end..next];
        let mut edits = vec![TextEdit { span: words_span(command), text: stage.to_owned() }];
        if between.trim().is_empty() {
            edits.push(TextEdit { span: Span::new(pipe.end, next), text: " ".to_owned() });
        } else {
            edits.push(TextEdit { span: Span::new(pipe.end, off.end), text: String::new() });
        }
        return Ok(edits);
    }
    let name = command.name().unwrap_or_default();
    let definition = filters::find(name.as_bytes());
    let makes = definition.is_none_or(|definition| {
        definition.spec.operands == Operands::Values && definition.spec.name != "tr"
    });
    if makes && number == 0 {
        return Err(EditError::MakesLines(name));
    }
    let files: Vec<&str> =
        file_words(command).into_iter().map(|word| &text[word.span.range()]).collect();
    let stage = &text[words_span(command).range()];
    let redirections: Vec<&str> =
        command.redirections.iter().map(|redirection| &text[redirection.span.range()]).collect();
    let off = stage_off_text(stage, &files, &redirections, !last).ok_or(EditError::SeveralLines)?;
    if last {
        // A comment behind the stage would run into ours.
        let rest = &text[command.span.end..];
        let tail = if rest.trim_start_matches([' ', '\t']).starts_with('#') { "\n" } else { "" };
        return Ok(vec![TextEdit { span: command.span, text: format!("{off}{tail}") }]);
    }
    let pipe = pipeline.pipes[number];
    let next = pipeline.commands[number + 1].span.start;
    let between = &text[pipe.end..next];
    let start = if between.trim().is_empty() { next } else { pipe.end };
    Ok(vec![TextEdit { span: Span::new(command.span.start, start), text: format!("{off}\n") }])
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "grep refused gate.log | cut -d' ' -f3 | sort > out.txt";

    fn edited(text: &str, edits: Result<Vec<TextEdit>, EditError>) -> String {
        let new = apply_edits(text, &edits.unwrap());
        assert!(new.is_empty() || parse(&new).is_ok(), "{new}");
        new
    }

    #[test]
    fn stages_are_deleted_with_their_pipe() {
        assert_eq!(edited(TEXT, delete_stage(TEXT, 0, 0)), "cut -d' ' -f3 | sort > out.txt");
        assert_eq!(
            edited(TEXT, delete_stage(TEXT, 0, 1)),
            "grep refused gate.log | sort > out.txt"
        );
        assert_eq!(edited(TEXT, delete_stage(TEXT, 0, 2)), "grep refused gate.log | cut -d' ' -f3");
        assert_eq!(edited("sort x", delete_stage("sort x", 0, 0)), "");
    }

    #[test]
    fn stages_are_inserted_before_the_redirections() {
        let at = |number| {
            let (edit, span) = insert_stage(TEXT, 0, number, "uniq").unwrap();
            let new = apply_edits(TEXT, &[edit]);
            assert_eq!(&new[span.range()], "uniq");
            new
        };
        assert_eq!(at(1), "grep refused gate.log | uniq | cut -d' ' -f3 | sort > out.txt");
        assert_eq!(at(9), "grep refused gate.log | cut -d' ' -f3 | sort | uniq > out.txt");
        // A redirection that touches the last word is after it all the same.
        let (edit, _) = insert_stage("cat log>out", 0, 1, "sort").unwrap();
        assert_eq!(apply_edits("cat log>out", &[edit]), "cat log | sort>out");
        let (edit, _) = insert_stage("cat >out log", 0, 1, "sort").unwrap();
        assert_eq!(apply_edits("cat >out log", &[edit]), "cat >out log | sort");
        for empty in ["", "  ", "\n\n\n\n\n\n\n"] {
            let (edit, span) = insert_stage(empty, 0, 0, "sort").unwrap();
            assert_eq!(apply_edits(empty, &[edit]), format!("{empty}sort"));
            assert_eq!(span.range(), empty.len()..empty.len() + 4);
        }
        let off = "cat x  # off: sort x";
        let (edit, span) = insert_stage(off, 0, 9, "uniq").unwrap();
        let new = apply_edits(off, &[edit]);
        assert_eq!(new, "cat x |  # off: sort x\nuniq");
        assert_eq!(&new[span.range()], "uniq");
    }

    #[test]
    fn files_stay_with_the_first_stage_when_it_moves() {
        assert_eq!(
            edited(TEXT, move_stage(TEXT, 0, 0)),
            "cut -d' ' -f3 gate.log | grep refused | sort > out.txt"
        );
        assert_eq!(
            edited(TEXT, move_stage(TEXT, 0, 1)),
            "grep refused gate.log | sort | cut -d' ' -f3 > out.txt"
        );
        assert_eq!(move_stage(TEXT, 0, 2), Err(EditError::NoStage));
    }

    #[test]
    fn switching_off_and_on_gives_the_text_back() {
        for number in 0..3 {
            let off = edited(TEXT, toggle_stage(TEXT, 0, number));
            let script = parse(&off).unwrap();
            assert!(script.pipelines().next().unwrap().commands[number].off.is_some(), "{off}");
            assert_eq!(script.pipelines().next().unwrap().commands.len(), 3);
            assert_eq!(edited(&off, toggle_stage(&off, 0, number)), TEXT, "{off}");
        }
        let off = edited(TEXT, toggle_stage(TEXT, 0, 0));
        assert_eq!(
            off,
            "cat gate.log |  # off: grep refused gate.log\ncut -d' ' -f3 | sort > out.txt"
        );
        let all = (0..3)
            .fold(TEXT.to_owned(), |text, number| edited(&text, toggle_stage(&text, 0, number)));
        let back = (0..3).fold(all, |text, number| edited(&text, toggle_stage(&text, 0, number)));
        assert_eq!(back, TEXT);
        assert!(matches!(toggle_stage("seq 5 | sort", 0, 0), Err(EditError::MakesLines(_))));
    }
}
