//! Small pieces of sentences that explanations share.

/// `1 line`, `5 lines`; thousands grouped.
pub(crate) fn counted(number: u64, one: &str, many: &str) -> String {
    let digits = number.to_string();
    let mut grouped = String::new();
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            grouped.push(' ');
        }
        grouped.push(digit);
    }
    format!("{grouped} {}", if number == 1 { one } else { many })
}

/// A delimiter or other short value as words.
pub(crate) fn named(value: &[u8]) -> String {
    match value {
        b" " => "a space".to_owned(),
        b"\t" => "TAB".to_owned(),
        b"," => "a comma".to_owned(),
        b":" => "a colon".to_owned(),
        b";" => "a semicolon".to_owned(),
        b"\0" => "NUL".to_owned(),
        b"\n" => "a newline".to_owned(),
        _ => format!("“{}”", String::from_utf8_lossy(value)),
    }
}

/// `a`, `a and b`, `a, b and c`.
pub(crate) fn list(parts: &[String]) -> String {
    match parts {
        [] => String::new(),
        [only] => only.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    }
}

/// A file operand as one reads it.
pub(crate) fn file_name(file: &[u8]) -> String {
    match file {
        b"-" => "standard input".to_owned(),
        // What a shell puts in the place of a pipeline.
        file if file.starts_with(b"/dev/fd/") => "<( … )".to_owned(),
        file => String::from_utf8_lossy(file).into_owned(),
    }
}

/// `, from a.log and b.log`, or nothing where standard input is read.
pub(crate) fn from_files(files: &[Vec<u8>]) -> String {
    if files.is_empty() {
        return String::new();
    }
    let names: Vec<String> = files.iter().map(|file| file_name(file)).collect();
    format!(" of {}", list(&names))
}
