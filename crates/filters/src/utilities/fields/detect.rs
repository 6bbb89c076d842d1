//! The form of data by its first lines.

use super::pairs;

/// Bytes of the beginning that are looked at.
pub(super) const LOOKED_AT: usize = 4096;

/// How records are written in the data.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Form {
    Json,
    /// With this byte between the fields.
    Csv(u8),
    Pairs,
}

impl Form {
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Json => "JSON",
            Self::Csv(b'\t') => "CSV with TAB",
            Self::Csv(_) => "CSV",
            Self::Pairs => "pairs",
        }
    }
}

/// Bytes that may be between the fields of CSV, the surest first.
const DELIMITERS: [u8; 3] = [b'\t', b',', b';'];

/// The form of the first line that is not empty: JSON where it begins as an object or a list, CSV where
/// the line after it has as many delimiters, pairs where it has a name and `=`.
pub(super) fn form(lines: &[&[u8]]) -> Option<Form> {
    let mut filled = lines.iter().filter(|line| !line.iter().all(u8::is_ascii_whitespace));
    let first = filled.next()?;
    let first = first.strip_prefix(b"\xef\xbb\xbf").unwrap_or(first).trim_ascii();
    if matches!(first.first(), Some(b'{' | b'[')) {
        return Some(Form::Json);
    }
    let next = filled.next();
    let delimiter = DELIMITERS.into_iter().find(|delimiter| {
        let count = outside_quotes(first, *delimiter);
        count > 0
            && next.is_none_or(|next| outside_quotes(next, *delimiter) > 0 || next.contains(&b'"'))
    });
    let has_pairs = pairs::names(first).next().is_some();
    match delimiter {
        Some(delimiter) if !has_pairs => Some(Form::Csv(delimiter)),
        _ if has_pairs => Some(Form::Pairs),
        _ => None,
    }
}

fn outside_quotes(line: &[u8], delimiter: u8) -> usize {
    let mut quoted = false;
    line.iter()
        .filter(|byte| {
            quoted ^= **byte == b'"';
            !quoted && **byte == delimiter
        })
        .count()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn forms_are_found_by_the_first_lines() {
        for (lines, expected) in [
            (&["{\"a\":1}"][..], Some(Form::Json)),
            (&["", "  [1, 2]"], Some(Form::Json)),
            (&["\u{feff}{}"], Some(Form::Json)),
            (&["id,name", "1,Gull"], Some(Form::Csv(b','))),
            (&["id\tname, short", "1\tGull, G"], Some(Form::Csv(b'\t'))),
            (&["id;name", "1;Gull"], Some(Form::Csv(b';'))),
            (&["\"a,b\";c", "1;2"], Some(Form::Csv(b';'))),
            (&["2031-04-02 gate-02 card=16304 passed"], Some(Form::Pairs)),
            (&["line.state=running"], Some(Form::Pairs)),
            (&["one word"], None),
            (&["a, b", "no comma here"], None),
            (&["", " "], None),
        ] {
            let lines: Vec<&[u8]> = lines.iter().map(|line| line.as_bytes()).collect();
            assert_eq!(form(&lines), expected, "{lines:?}");
        }
    }
}
