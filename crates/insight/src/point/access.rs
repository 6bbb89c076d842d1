//! How shell text gets at a field.

use super::escape::program;
use crate::columns::splitting::Splitting;

/// A field as a program of awk has it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Access {
    /// Options of awk: `-F:`; empty for none.
    options: String,
    /// Statements that come first; empty where awk splits by itself.
    setup: String,
    /// The field as it is in the line.
    pub(crate) value: String,
    /// True where a line has it, as a condition.
    exists: String,
    /// The same column with cut, where cut splits as these lines are split.
    cut: Option<String>,
}

/// The option of awk for a separator.
pub(crate) fn separator(byte: u8) -> String {
    match byte {
        b' ' => "-F'[ ]' ".to_owned(),
        b'\t' => "-F'\\t' ".to_owned(),
        byte if byte.is_ascii_alphanumeric()
            || matches!(byte, b',' | b':' | b'=' | b'/' | b'@') =>
        {
            format!("-F{} ", char::from(byte))
        }
        byte => format!("-F'{}' ", char::from(byte)),
    }
}

/// The option of sort for a separator.
pub(crate) fn sort_separator(byte: u8) -> String {
    match byte {
        b'\t' => "-t\"$(printf '\\t')\" ".to_owned(),
        b',' | b':' | b'=' | b'/' => format!("-t{} ", char::from(byte)),
        byte => format!("-t'{}' ", char::from(byte)),
    }
}

/// The options of cut for a separator.
fn cut_options(byte: u8) -> String {
    match byte {
        b'\t' => String::new(),
        b' ' => "-d' ' ".to_owned(),
        byte if matches!(byte, b',' | b':' | b'=' | b'/' | b'@') => {
            format!("-d{} ", char::from(byte))
        }
        byte => format!("-d'{}' ", char::from(byte)),
    }
}

/// A character of a pattern of awk, by itself.
fn in_pattern(byte: u8) -> String {
    match byte {
        b'|' => "[|]".to_owned(),
        b'/' => "\\/".to_owned(),
        byte => char::from(byte).to_string(),
    }
}

impl Access {
    /// Field `number`, from 1, of lines that are split so. `None` where no utility gets at it.
    pub(crate) fn of(splitting: &Splitting, number: usize, all_ascii: bool) -> Option<Self> {
        let plain = |options: String, cut: Option<String>| Self {
            options,
            setup: String::new(),
            value: format!("${number}"),
            exists: format!("NF >= {number}"),
            cut,
        };
        let made = |setup: String, exists: &str| Self {
            options: String::new(),
            setup,
            value: "v".to_owned(),
            exists: exists.to_owned(),
            cut: None,
        };
        Some(match splitting {
            Splitting::Blanks => plain(String::new(), None),
            Splitting::Byte(byte) => {
                plain(separator(*byte), Some(format!("cut {}-f", cut_options(*byte))))
            }
            Splitting::Quoted(byte) => {
                // A field ends at the separator outside of double quotes.
                let sign = in_pattern(*byte);
                let field = format!("([^\"{}]|\"[^\"]*\")*", char::from(*byte));
                let setup = format!(
                    "s = $0; for (f = 1; f < {number} && match(s, /^{field}{sign}/); f++) \
                     s = substr(s, RLENGTH + 1); match(s, /^{field}/); v = substr(s, 1, RLENGTH)"
                );
                made(setup, &format!("f == {number}"))
            }
            Splitting::First(byte) => {
                let sign = in_pattern(*byte);
                let found = format!("match($0, /[ \\t]*{sign}[ \\t]*/)");
                let setup = match number {
                    1 => {
                        format!("{found}; v = substr($0, 1, RSTART - 1); sub(/^[ \\t]+/, \"\", v)")
                    }
                    _ => format!(
                        "{found}; v = substr($0, RSTART + RLENGTH); sub(/[ \\t]+$/, \"\", v)"
                    ),
                };
                made(setup, "RSTART > 0")
            }
            Splitting::Pairs(names) => {
                let name = std::str::from_utf8(names.get(number - 1)?).ok()?;
                let pattern = name.replace('.', "[.]");
                let setup = format!(
                    "match($0, /(^|[ \\t]){pattern}=(\"([^\"\\\\]|\\\\.)*\"|[^ \\t\"][^ \\t]*)?/); \
                     r = RSTART; v = substr($0, r, RLENGTH); sub(/^[ \\t]?{pattern}=/, \"\", v)"
                );
                made(setup, "r > 0")
            }
            Splitting::Fixed(starts) => {
                if !all_ascii {
                    // Not all of them count characters.
                    return None;
                }
                let from = starts.get(number - 1)? + 1;
                let length = starts.get(number).map(|next| format!(", {}", next + 1 - from));
                let setup = format!(
                    "v = substr($0, {from}{}); gsub(/^[ \\t]+|[ \\t]+$/, \"\", v)",
                    length.unwrap_or_default()
                );
                made(setup, "1")
            }
        })
    }

    /// True where awk splits the line by itself.
    pub(crate) fn is_plain(&self) -> bool {
        self.setup.is_empty()
    }

    /// A program of awk of these statements for each line, and of a part at the end.
    pub(crate) fn awk(&self, each: &str, end: &str) -> String {
        let setup = if self.is_plain() { String::new() } else { format!("{}; ", self.setup) };
        let end = if end.is_empty() { String::new() } else { format!(" END {{ {end} }}") };
        format!("awk {}{}", self.options, program(&format!("{{ {setup}{each} }}{end}")))
    }

    /// A stage that keeps the lines with a condition.
    pub(crate) fn keep(&self, condition: &str) -> String {
        if self.is_plain() {
            return format!("awk {}{}", self.options, program(condition));
        }
        self.awk(&format!("if ({condition}) print"), "")
    }

    /// That a line has the field.
    pub(crate) fn exists(&self) -> &str {
        &self.exists
    }

    /// That a condition on the value is true, and there is a value.
    pub(crate) fn if_exists(&self, condition: &str) -> String {
        if self.exists == "1" {
            condition.to_owned()
        } else {
            format!("{} && {condition}", self.exists)
        }
    }

    /// The column alone, with cut where that will do.
    pub(crate) fn column(&self, number: usize) -> String {
        match &self.cut {
            Some(cut) => format!("{cut}{number}"),
            None => self.column_by_awk(),
        }
    }

    /// The column alone, with awk.
    pub(crate) fn column_by_awk(&self) -> String {
        if self.is_plain() {
            return self.awk(&format!("print {}", self.value), "");
        }
        self.awk(&format!("if ({}) print {}", self.exists, self.value), "")
    }

    /// The columns with cut, as a list of ranges; `None` where cut cannot.
    pub(crate) fn cut(&self, list: &str) -> Option<String> {
        self.cut.as_ref().map(|cut| format!("{cut}{list}"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_shortest_text_that_is_right_is_chosen() {
        let column = |splitting: &Splitting| Access::of(splitting, 3, true).unwrap().column(3);
        assert_eq!(column(&Splitting::Blanks), "awk '{ print $3 }'");
        assert_eq!(column(&Splitting::Byte(b' ')), "cut -d' ' -f3");
        assert_eq!(column(&Splitting::Byte(b'\t')), "cut -f3");
        assert_eq!(column(&Splitting::Byte(b';')), "cut -d';' -f3");
        let keep =
            |splitting: &Splitting| Access::of(splitting, 3, true).unwrap().keep("$3 == \"x\"");
        assert_eq!(keep(&Splitting::Byte(b' ')), "awk -F'[ ]' '$3 == \"x\"'");
        assert_eq!(keep(&Splitting::Byte(b':')), "awk -F: '$3 == \"x\"'");
        assert!(Access::of(&Splitting::Fixed([0, 4].into()), 2, false).is_none());
    }
}
