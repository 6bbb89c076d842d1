//! What is on the Shelf, and finding it.

use std::path::PathBuf;

use super::past::PastLine;

/// Where an entry is from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Shelved {
    /// A script in a folder.
    Saved(PathBuf),
    /// A line that was evaluated before.
    Past,
}

/// A pipeline on the Shelf.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ShelfEntry {
    /// Where it is from.
    pub shelved: Shelved,
    /// Its text.
    pub text: String,
    /// What it gave when it was evaluated last, where that is known.
    pub last: Option<PastLine>,
    /// What it is found by, in small letters.
    found_by: String,
}

impl ShelfEntry {
    /// A script with its text, and what is known of that.
    pub fn saved(path: PathBuf, text: String, last: Option<PastLine>) -> Self {
        let found_by = format!("{}\n{text}", path.display()).to_lowercase();
        Self { shelved: Shelved::Saved(path), text, last, found_by }
    }

    /// A line that was evaluated before.
    pub fn past(text: String, last: Option<PastLine>) -> Self {
        let files = last.iter().flat_map(|last| &last.files);
        let files: String = files.map(|file| format!("\n{}", file.display())).collect();
        let found_by = format!("{text}{files}").to_lowercase();
        Self { shelved: Shelved::Past, text, last, found_by }
    }

    /// The comment above the text, without its signs.
    pub fn comment(&self) -> String {
        comment_of(&self.text)
    }

    /// The text without the comment above it, on one line.
    pub fn line(&self) -> String {
        let lines =
            self.text.lines().skip_while(|line| line.starts_with('#') || line.trim().is_empty());
        lines.flat_map(str::split_whitespace).collect::<Vec<_>>().join(" ")
    }
}

/// The comment above a text, without its signs.
pub fn comment_of(text: &str) -> String {
    let lines = text.lines().skip_while(|line| line.starts_with("#!"));
    let lines = lines.map_while(|line| line.strip_prefix('#'));
    lines.map(str::trim).filter(|line| !line.is_empty()).collect::<Vec<_>>().join(" ")
}

/// The text with another comment above it; an empty one takes it away.
pub fn with_comment(text: &str, comment: &str) -> String {
    let (shebang, rest) = match text.strip_prefix("#!") {
        Some(_) => text.split_at(text.find('\n').map_or(text.len(), |at| at + 1)),
        None => ("", text),
    };
    let body: Vec<&str> = rest.lines().skip_while(|line| line.starts_with('#')).collect();
    let mut new = shebang.to_owned();
    for line in comment.lines().map(str::trim).filter(|line| !line.is_empty()) {
        new.push_str(&format!("# {line}\n"));
    }
    new.push_str(&body.join("\n"));
    if rest.ends_with('\n') && !new.ends_with('\n') {
        new.push('\n');
    }
    new
}

/// The entries that have every word of the search in their name, text, comment or files, by their
/// numbers, in their order. Looks at each entry's text once.
pub fn search_shelf(entries: &[ShelfEntry], query: &str) -> Vec<usize> {
    let query = query.to_lowercase();
    let words: Vec<memchr::memmem::Finder<'_>> =
        query.split_whitespace().map(memchr::memmem::Finder::new).collect();
    let has = |entry: &ShelfEntry| {
        words.iter().all(|word| word.find(entry.found_by.as_bytes()).is_some())
    };
    entries.iter().enumerate().filter(|(_, entry)| has(entry)).map(|(number, _)| number).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_comment_is_exchanged_and_nothing_else() {
        let text = "#!/bin/sh\n# Old words\n# and more\nsort a |\n  # not this one\n  uniq\n";
        assert_eq!(comment_of(text), "Old words and more");
        let new = with_comment(text, "New");
        assert_eq!(new, "#!/bin/sh\n# New\nsort a |\n  # not this one\n  uniq\n");
        assert_eq!(with_comment(&new, ""), "#!/bin/sh\nsort a |\n  # not this one\n  uniq\n");
        assert_eq!(with_comment("sort", "a\nb"), "# a\n# b\nsort");
        assert_eq!(comment_of("sort # x"), "");
    }

    #[test]
    fn every_word_is_looked_for_in_name_text_and_comment() {
        let entries = [
            ShelfEntry::saved("Gates.sh".into(), "# Worst of all\nsort | uniq -c".to_owned(), None),
            ShelfEntry::past("grep refused gate.log".to_owned(), None),
        ];
        assert_eq!(search_shelf(&entries, ""), [0, 1]);
        assert_eq!(search_shelf(&entries, "gate"), [0, 1]);
        assert_eq!(search_shelf(&entries, "UNIQ worst gates"), [0]);
        assert_eq!(search_shelf(&entries, "refused log"), [1]);
        assert!(search_shelf(&entries, "refused worst").is_empty());
    }
}
