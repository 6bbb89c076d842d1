//! Whether what users read keeps to one register: plain present-day English. Looks at every text in
//! the program's sources (not tests), at what its options say in their help, and at the documents.

use std::path::Path;
use std::str::FromStr;

use anyhow::{Context, Result, bail};
use proc_macro2::{TokenStream, TokenTree};

/// Turns of phrase that are not used, each with what is said instead. `*` at an end stands for any
/// ending of the word.
const BANNED: &[(&str, &str)] = &[
    ("behind", "after"),
    ("anew", "again"),
    ("so many", "NUM, or the number"),
    ("so often", "every NUM seconds"),
    ("goes on", "continues"),
    ("go on", "continue"),
    ("went on", "continued"),
    ("what stands", "what is"),
    ("stands for", "means"),
    ("stand here", "be used here"),
    ("tells by its status", "sets its status by"),
    ("the status tells", "only set the status"),
    ("tell on", "print to"),
    ("all the same", "anyway"),
    ("is no name", "is not a name"),
    ("is no number", "is not a number"),
    ("is no mode", "is not a mode"),
    ("is no unit", "is not a unit"),
    ("is no operation", "is not an operation"),
    ("is no descriptor", "is not a descriptor"),
    ("is no whole", "is not a whole"),
    ("are no sums", "are not checksums"),
    ("taken back", "undone"),
    ("take back", "undo"),
    ("takes it back", "undoes it"),
    ("put away", "close"),
    ("hand over", "export"),
    ("handed over", "exported"),
    ("hand on", "write"),
    ("told otherwise", "by default"),
    ("come again", "repeat"),
    ("do not count", "are ignored"),
    ("whatever has the name", "whatever file has that name"),
    ("gets more at its end", "is appended to"),
    ("by the system's account", "as reported by the kernel"),
    ("of the text before", "previous text"),
    ("ended with 0", "succeeded"),
    ("nowhere here", "no match here"),
    ("nothing to do again", "nothing to redo"),
    ("exchange the stage", "swap"),
    ("means nothing here", "does nothing here"),
    ("passed whole", "passed through unchanged"),
    ("in the place of each", "replaces each"),
    ("of so many", "of NUM"),
    ("nobody reads any more", "its reader closes"),
    ("ground of the terminal", "terminal background"),
    ("laid out", "created"),
    ("worked off", "done"),
    ("broke off", "was interrupted"),
    ("looked at anew", "read again"),
    ("manieth", "every Nth"),
    ("pass over", "skip"),
    ("one a line", "one per line"),
    ("works out", "evaluates"),
    ("over again", "repeating"),
    ("how long still", "time left"),
];

/// The page with all words of the screen, made from the sources.
const PAGE: &str = "docs/screen-words.md";

/// Where the words of the screen are: a part of the page for each, with a file's own first sentence
/// as its title.
const SCREEN: [&str; 14] = [
    "crates/tui/src/actions.rs",
    "crates/tui/src/hints.rs",
    "crates/tui/src/noted.rs",
    "crates/tui/src/help.rs",
    "crates/tui/src/views/",
    "crates/tui/src/state/",
    "crates/tui/src/update/",
    "crates/tui/src/text/",
    "crates/insight/src/advice/",
    "crates/insight/src/trail/",
    "crates/insight/src/describe/",
    "crates/insight/src/columns/",
    "crates/insight/src/point/",
    "crates/insight/src/example/",
];

/// Checks all texts and prints each that is not as it should be; the page with the words of the
/// screen must be that of these sources.
pub(crate) fn check(root: &Path) -> Result<()> {
    if std::fs::read_to_string(root.join(PAGE)).unwrap_or_default() != page(root)? {
        bail!("{PAGE} is not that of these sources; cargo xtask words --write makes it");
    }
    let mut faults = Vec::new();
    for text in texts(root)? {
        for (phrase, better) in phrases_in(&text.says) {
            faults.push(format!("{}: “{phrase}”, say “{better}”: {}", text.place, text.says));
        }
    }
    for fault in &faults {
        eprintln!("{fault}");
    }
    if !faults.is_empty() {
        bail!("{} texts in another register", faults.len());
    }
    Ok(())
}

/// Writes the page with the words of the screen.
pub(crate) fn write(root: &Path) -> Result<()> {
    std::fs::write(root.join(PAGE), page(root)?).context(PAGE)
}

/// All words of the screen, view by view, to be read in one go.
fn page(root: &Path) -> Result<String> {
    let texts = texts(root)?;
    let mut page = String::from(
        "# Words of the screen\n\nAll texts of the Bench, by the part of the program that shows them, to be read in one go.\nMade by `cargo xtask words --write`; the tests compare it with the sources.\n",
    );
    for part in SCREEN {
        let mut files: Vec<&str> = texts
            .iter()
            .map(|text| text.file.as_str())
            .filter(|file| file.starts_with(part))
            .collect();
        files.dedup();
        for file in files {
            let mut says: Vec<&str> = Vec::new();
            for text in texts.iter().filter(|text| text.file == file) {
                let plain = text.says.trim_start_matches(['b', 'r', '#']);
                let plain = plain.trim_matches(['"', '#']);
                let is_words =
                    plain.contains(' ') && plain.matches(char::is_alphabetic).count() > 3;
                if is_words && !says.contains(&plain) {
                    says.push(plain);
                }
            }
            if says.is_empty() {
                continue;
            }
            let source = std::fs::read_to_string(root.join(file)).context(file.to_owned())?;
            let title = title(&source).unwrap_or_else(|| file.to_owned());
            page += &format!("\n## {title}\n\n`{file}`\n\n");
            for text in says {
                let text = text.split('\n').map(str::trim).collect::<Vec<_>>().join(" ");
                page += &format!("- {}\n", text.replace("\\ ", ""));
            }
        }
    }
    Ok(page)
}

/// The first sentence of a file's own words.
fn title(source: &str) -> Option<String> {
    let words: Vec<&str> = source.lines().map_while(|line| line.strip_prefix("//! ")).collect();
    let words = words.join(" ");
    let end = words.find(". ").unwrap_or(words.len());
    Some(words[..end].trim_end_matches('.').to_owned()).filter(|title| !title.is_empty())
}

/// A text that users read, and where it is.
struct Text {
    file: String,
    place: String,
    says: String,
}

/// The banned phrases in a text, as whole words.
fn phrases_in(text: &str) -> Vec<(&'static str, &'static str)> {
    let text = text.to_lowercase();
    let is_word = |character: Option<char>| character.is_some_and(char::is_alphanumeric);
    let has = |phrase: &str| {
        text.match_indices(phrase).any(|(at, _)| {
            !is_word(text[..at].chars().next_back())
                && !is_word(text[at + phrase.len()..].chars().next())
        })
    };
    BANNED.iter().copied().filter(|(phrase, _)| has(phrase)).collect()
}

/// Every text of the sources and the documents.
fn texts(root: &Path) -> Result<Vec<Text>> {
    let mut texts = Vec::new();
    for file in crate::test::kept_files(root, &["crates/*/src/*.rs"])? {
        if file.contains("/tests") || file.ends_with("tests.rs") || file.contains("testing") {
            continue;
        }
        let source = std::fs::read_to_string(root.join(&file)).with_context(|| file.clone())?;
        let tokens =
            TokenStream::from_str(&source).map_err(|error| anyhow::anyhow!("{file}: {error}"))?;
        // The help of the command line is its documentation.
        let with_help = file.starts_with("crates/ylotrope/src/");
        literals(tokens, with_help, &mut |line, says| {
            texts.push(Text { file: file.clone(), place: format!("{file}:{line}"), says });
        });
    }
    for file in crate::test::kept_files(root, &["docs/*.md", "README.md", "CHANGELOG.md"])? {
        let source = std::fs::read_to_string(root.join(&file)).with_context(|| file.clone())?;
        for (number, line) in source.lines().enumerate() {
            let place = format!("{file}:{}", number + 1);
            texts.push(Text { file: file.clone(), place, says: line.to_owned() });
        }
    }
    Ok(texts)
}

/// Hands every string of the tokens to `found`, but for those of tests and, unless they are help
/// for the command line, documentation.
fn literals(tokens: TokenStream, with_help: bool, found: &mut impl FnMut(usize, String)) {
    let mut tokens = tokens.into_iter().peekable();
    while let Some(token) = tokens.next() {
        match token {
            TokenTree::Punct(mark) if mark.as_char() == '#' => {
                if matches!(tokens.peek(), Some(TokenTree::Punct(mark)) if mark.as_char() == '!') {
                    tokens.next();
                }
                let Some(TokenTree::Group(group)) = tokens.peek() else { continue };
                let text = group.stream().to_string();
                if text.replace(' ', "") == "cfg(test)" {
                    tokens.next();
                    skip_item(&mut tokens);
                } else if !(with_help && text.starts_with("doc")) {
                    tokens.next();
                }
            }
            TokenTree::Group(group) => literals(group.stream(), with_help, found),
            TokenTree::Literal(literal) => {
                let text = literal.to_string();
                if text.starts_with(['"', 'r']) {
                    found(literal.span().start().line, text);
                }
            }
            _ => {}
        }
    }
}

fn skip_item(tokens: &mut impl Iterator<Item = TokenTree>) {
    for token in tokens {
        match token {
            TokenTree::Group(group) if group.delimiter() == proc_macro2::Delimiter::Brace => return,
            TokenTree::Punct(mark) if mark.as_char() == ';' => return,
            _ => {}
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_phrase_is_found_as_whole_words_in_either_case() {
        let found =
            |text| phrases_in(text).into_iter().map(|(phrase, _)| phrase).collect::<Vec<_>>();
        assert_eq!(found("A stage Behind it"), ["behind"]);
        assert_eq!(found("reads all anew."), ["anew"]);
        assert_eq!(found("renewed, ago on"), [] as [&str; 0]);
    }

    #[test]
    fn texts_of_tests_and_comments_do_not_count() {
        let source = r#"
            /// A place behind another.
            fn f() { say("one"); }
            #[cfg(test)]
            mod tests { const T: &str = "two"; }
            #[allow(dead_code)]
            const U: &str = "three";
        "#;
        let mut found = Vec::new();
        literals(source.parse().unwrap(), false, &mut |_, says| found.push(says));
        assert_eq!(found, ["\"one\"", "\"three\""]);
        found.clear();
        literals(source.parse().unwrap(), true, &mut |_, says| found.push(says));
        assert_eq!(found[0], "\" A place behind another.\"");
    }
}
