//! The command that reads files, by what is in them.

use filters::Form;

/// The command that reads these files one after the other, each with the form of its data where that is
/// compressed; `None` where no one command does, because they are compressed in different ways.
pub fn reading_command(files: &[(&str, Option<Form>)]) -> Option<String> {
    let words: Vec<String> = files.iter().map(|(name, _)| file_word(name)).collect();
    let words = words.join(" ");
    let mut forms: Vec<Option<Form>> = files.iter().map(|(_, form)| *form).collect();
    forms.dedup();
    let by_name = |form: Form| {
        !form.wants_suffix() || files.iter().all(|(name, _)| form.has_suffix(name.as_bytes()))
    };
    match forms[..] {
        [None] => Some(format!("cat {words}")),
        [Some(form)] if by_name(form) => Some(format!("{} {words}", form.reader())),
        [Some(form)] if files.len() == 1 => Some(format!("{} < {words}", form.reader())),
        // Each is passed on or decompressed by its content, whatever its name.
        _ if forms.iter().flatten().all(|form| *form == Form::Gzip) => {
            Some(format!("zcat -f {words}"))
        }
        _ => None,
    }
}

/// The name of a file as a word of the text that is no option.
fn file_word(name: &str) -> String {
    if name.starts_with('-') { shell::quote(&format!("./{name}")) } else { shell::quote(name) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn files_are_read_by_what_is_in_them() {
        let (gzip, xz) = (Some(Form::Gzip), Some(Form::Xz));
        for (files, expected) in [
            (&[("a.log", None)][..], Some("cat a.log")),
            (&[("a b", None), ("-c", None)], Some("cat 'a b' ./-c")),
            (&[("a.gz", gzip)], Some("zcat a.gz")),
            (&[("a.gz", gzip), ("b.gz", gzip)], Some("zcat a.gz b.gz")),
            (&[("a.log.1", gzip)], Some("zcat < a.log.1")),
            (&[("a.log.1", gzip), ("b.gz", gzip)], Some("zcat -f a.log.1 b.gz")),
            (&[("a.log", None), ("a.gz", gzip)], Some("zcat -f a.log a.gz")),
            (&[("a", xz)], Some("xzcat a")),
            (&[("a.gz", gzip), ("b.xz", xz)], None),
            (&[("a", None), ("b.xz", xz)], None),
        ] {
            assert_eq!(reading_command(files).as_deref(), expected, "{files:?}");
        }
    }
}
