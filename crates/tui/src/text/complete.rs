//! Completion at the cursor: names of filters and programs, options, files, variables, names of fields.

use std::sync::Arc;

use engine::Kept;
use shell::Span;

use super::candidates::{field_names, files, programs, variables};

/// What can stand at the cursor.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Completion {
    /// The bytes of the text that a candidate takes the place of.
    pub span: Span,
    /// The candidates: text and what it means.
    pub candidates: Vec<(String, String)>,
    /// The one that is in the text now.
    pub chosen: Option<usize>,
}

/// The word at the cursor, the name of its stage, and whether it is that name.
fn context(text: &str, cursor: usize) -> (Span, Option<String>, bool) {
    let before = &text[..cursor];
    let (mut quote, mut escaped) = (None, false);
    let (mut word_start, mut in_word) = (cursor, false);
    let mut name: Option<String> = None;
    let mut names = 0;
    let mut target = false;
    for (at, character) in before.char_indices() {
        if let Some(open) = quote {
            if character == open {
                quote = None;
            }
            continue;
        }
        if escaped {
            escaped = false;
            continue;
        }
        match character {
            ' ' | '\t' | '\n' | '|' | ';' | '<' | '>' => {
                if in_word && !target {
                    if names == 0 {
                        name = Some(before[word_start..at].to_owned());
                    }
                    names += 1;
                }
                target = matches!(character, '<' | '>') || target && !in_word;
                in_word = false;
                if matches!(character, '|' | ';' | '\n') {
                    (name, names, target) = (None, 0, false);
                }
            }
            _ => {
                if !in_word {
                    word_start = at;
                    in_word = true;
                }
                match character {
                    '\'' | '"' => quote = Some(character),
                    '\\' => escaped = true,
                    _ => {}
                }
            }
        }
    }
    let start = if in_word { word_start } else { cursor };
    (Span::new(start, cursor), name, names == 0 && !target)
}

/// All that can stand at the cursor, read from the filters, the directory, the folders of programs and the
/// text; `stream` has the lines that a stage of this name reads, where they are known.
pub(crate) fn complete(
    text: &str,
    cursor: usize,
    stream: impl Fn(&str) -> Option<Arc<Kept>>,
) -> Option<Completion> {
    let (span, name, is_name) = context(text, cursor);
    let word = &text[span.range()];
    let names = |name: &str| field_names(word, &stream(name)?);
    let mut candidates: Vec<(String, String)> = if let Some(found) = variables(text, word) {
        found
    } else if let Some(found) = name.as_deref().filter(|name| *name == "fields").and_then(names) {
        found
    } else if is_name && !word.contains('/') {
        let own = filters::all()
            .iter()
            .filter(|definition| definition.spec.name.starts_with(word))
            .map(|definition| {
                (format!("{} ", definition.spec.name), definition.spec.summary.to_owned())
            });
        let own: Vec<(String, String)> = own.collect();
        // Programs of the machine are many: they come where no filter fits.
        if own.is_empty() { programs(word) } else { own }
    } else if word.starts_with('-') {
        options(word, name.as_deref()?)
    } else {
        files(word)
    };
    candidates.sort();
    (!candidates.is_empty()).then_some(Completion { span, candidates, chosen: None })
}

fn options(word: &str, name: &str) -> Vec<(String, String)> {
    let Some(definition) = filters::find(name.as_bytes()) else { return Vec::new() };
    let spec = definition.spec;
    let describe = |option: &filters::OptionSpec| {
        let value = option.value.map(|value| format!(" {value}")).unwrap_or_default();
        format!(
            "{}{}",
            option.meaning,
            if value.is_empty() { String::new() } else { format!("  ({})", value.trim()) }
        )
    };
    if let Some(long) = word.strip_prefix("--") {
        return spec
            .options
            .iter()
            .filter(|option| !option.long.is_empty() && option.long.starts_with(long))
            .map(|option| {
                let end = if option.value.is_some() { "=" } else { " " };
                (format!("--{}{end}", option.long), describe(option))
            })
            .collect();
    }
    // Letters that take no value can be joined by more; one that does cannot.
    let joined = word.chars().skip(1);
    let open = joined
        .clone()
        .all(|letter| spec.option(letter).is_some_and(|option| option.value.is_none()));
    if !open {
        return Vec::new();
    }
    spec.options
        .iter()
        .filter_map(|option| Some((option, option.id.letter()?)))
        .filter(|(_, letter)| !word[1..].contains(*letter))
        .map(|(option, letter)| (format!("{word}{letter}"), describe(option)))
        .collect()
}

/// What all candidates begin with.
pub(crate) fn common(candidates: &[(String, String)]) -> String {
    let Some((first, _)) = candidates.first() else { return String::new() };
    let mut common = first.as_str();
    for (candidate, _) in candidates {
        let length = common
            .char_indices()
            .zip(candidate.chars())
            .take_while(|((_, one), other)| one == other)
            .map(|((at, one), _)| at + one.len_utf8())
            .last()
            .unwrap_or(0);
        common = &common[..length];
    }
    common.to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn names(text: &str) -> Vec<String> {
        complete(text, text.len(), |_| None)
            .map(|completion| completion.candidates.into_iter().map(|(text, _)| text).collect())
            .unwrap_or_default()
    }

    #[test]
    fn the_word_at_the_cursor_its_stage_and_whether_it_is_a_name() {
        for (text, start, name, is_name) in [
            ("", 0, None, true),
            ("so", 0, None, true),
            ("sort ", 5, Some("sort"), false),
            ("sort -r", 5, Some("sort"), false),
            ("sort  -r fi", 9, Some("sort"), false),
            ("grep 'a | b' fi", 13, Some("grep"), false),
            ("grep \"a ; b\" fi", 13, Some("grep"), false),
            ("grep 'a", 5, Some("grep"), false),
            ("cat a\\ b c", 9, Some("cat"), false),
            ("cat a\\ b", 4, Some("cat"), false),
            ("cat x | un", 8, None, true),
            ("cat x; un", 7, None, true),
            ("cat x\nun", 6, None, true),
            ("cat x | uniq -", 13, Some("uniq"), false),
            ("sort < f", 7, Some("sort"), false),
            ("sort > out -", 11, Some("sort"), false),
            ("< f so", 4, None, true),
            ("< f sort -", 9, Some("sort"), false),
            ("< fi", 2, None, false),
        ] {
            let (span, stage, found) = context(text, text.len());
            let expected = (start, name, is_name);
            assert_eq!((span.start, stage.as_deref(), found), expected, "{text:?}");
        }
    }

    #[test]
    fn names_options_and_files_where_they_belong() {
        assert_eq!(names("so"), ["sort "]);
        assert_eq!(names("cat x | u"), ["unexpand ", "uniq ", "unxz ", "unzstd "]);
        // Programs of the machine where no filter fits.
        assert!(names("cat x | bas").is_empty() || names("bas").contains(&"basename ".to_owned()));
        assert!(names("chmo").contains(&"chmod ".to_owned()));
        assert!(names("sort -").contains(&"-r".to_owned()));
        assert_eq!(names("cut --del"), ["--delimiter="]);
        assert!(names("sort -k").is_empty());
        let here = env!("CARGO_MANIFEST_DIR");
        assert!(names(&format!("cat {here}/Cargo.to")).contains(&format!("{here}/Cargo.toml ")));
        assert!(names(&format!("sort < {here}/Car")).contains(&format!("{here}/Cargo.toml ")));
        assert!(names(&format!("cat {here}/sr")).contains(&format!("{here}/src/")));
        // Within quotes, and of variables.
        assert!(names(&format!("cat '{here}/Cargo.to")).contains(&format!("'{here}/Cargo.toml' ")));
        assert!(names(&format!("cat \"{here}/sr")).contains(&format!("\"{here}/src/")));
        assert_eq!(names("gate=7; echo $ga"), ["$gate"]);
        assert_eq!(names("gate=7; echo \"at ${ga"), ["\"at ${gate}"]);
        assert!(names("echo $PAT").contains(&"$PATH".to_owned()));
        assert!(names("echo '$PAT").is_empty());
        // Names of the fields of what is read.
        let stream =
            |name: &str| (name == "fields").then(|| Arc::new(Kept::of(b"id,state of it\n1,a\n")));
        let found = |text: &str| -> Vec<String> {
            let all = complete(text, text.len(), stream).map(|all| all.candidates);
            all.unwrap_or_default().into_iter().map(|(text, _)| text).collect()
        };
        assert_eq!(found("cat x | fields "), ["'state of it' ", "id "]);
        assert_eq!(found("cat x | fields i"), ["id "]);
        assert_eq!(common(&[("tail ".into(), String::new()), ("tr ".into(), String::new())]), "t");
    }
}
