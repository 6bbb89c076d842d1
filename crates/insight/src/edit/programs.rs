//! Programs in the text of a pipeline: what is in quotes behind `awk` and `sed`.

use filters::Shade;
use shell::{Script, Span};

/// A program of a stage, as it is in the text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ProgramText {
    /// The stage, from 0, of the last pipeline.
    pub stage: usize,
    /// The filter it is for.
    pub filter: String,
    /// The word it is, with its quotes.
    pub span: Span,
    /// The program itself.
    pub text: String,
    /// Its parts, as places in the text; none where the program is there in another form.
    pub shades: Vec<(Span, Shade)>,
}

/// The programs of the pipeline that is shown when the cursor is at `at`.
pub fn programs(text: &str, script: &Script, at: usize) -> Vec<ProgramText> {
    let mut all = Vec::new();
    let Some(pipeline) = script.shown(at) else { return all };
    for (stage, command) in pipeline.commands.iter().enumerate() {
        let mut words = &command.words[..];
        // `ylotrope use awk …` is the filter, too.
        if let [program, verb, _, ..] = words
            && program.literal().as_deref() == Some("ylotrope")
            && verb.literal().as_deref() == Some("use")
        {
            words = &words[2..];
        }
        let Some((name, arguments)) = words.split_first() else { continue };
        let Some(definition) = name.literal().and_then(|name| filters::find(name.as_bytes()))
        else {
            continue;
        };
        // Words that are expanded mean something else than a program.
        let values: Vec<Option<String>> = arguments.iter().map(shell::Word::literal).collect();
        let given: Vec<Vec<u8>> =
            values.iter().map(|value| value.clone().unwrap_or_default().into_bytes()).collect();
        for program in definition.programs(&given) {
            let Some(Some(value)) = values.get(program.word) else { continue };
            let span = arguments[program.word].span;
            let source = text.get(span.range()).unwrap_or_default();
            let mut shades = Vec::new();
            // An option's letter may stand before its value.
            if let Some(at) = source.rfind(value.as_str()) {
                let start = span.start + at;
                shades.extend(program.shades.iter().map(|(range, shade)| {
                    (Span::new(start + range.start, start + range.end), *shade)
                }));
            }
            all.push(ProgramText {
                stage,
                filter: definition.spec.name.to_owned(),
                span,
                text: value.clone(),
                shades,
            });
        }
    }
    all
}

/// The text of a word that means a program: in single quotes where that can be.
pub fn quoted_program(text: &str) -> String {
    format!("'{}'", text.replace('\'', "'\\''"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn programs_are_found_in_their_quotes() {
        let text = "cat a | awk -F: '$3 > 1 {print $1}' | sed -ne '/x/p' | ylotrope use awk \"NR\"";
        let script = engine::parse(text).unwrap();
        let found = programs(text, &script, 0);
        let shown: Vec<_> = found
            .iter()
            .map(|program| {
                let parts: Vec<_> =
                    program.shades.iter().map(|(span, _)| &text[span.range()]).collect();
                (program.stage, program.filter.as_str(), &text[program.span.range()], parts)
            })
            .collect();
        assert_eq!(
            shown,
            [
                (1, "awk", "'$3 > 1 {print $1}'", vec!["$3", "print", "$1"]),
                (2, "sed", "'/x/p'", vec!["/x/"]),
                (3, "awk", "\"NR\"", vec![]),
            ]
        );
    }

    #[test]
    fn a_program_can_hold_quotes() {
        let text = "it's \"x\"";
        let line = format!("awk {}", quoted_program(text));
        let script = engine::parse(&line).unwrap();
        assert_eq!(programs(&line, &script, 0)[0].text, text);
    }
}
