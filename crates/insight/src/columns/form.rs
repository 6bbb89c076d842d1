//! The form of lines that are split in a known way: a heading, and labels before the values.

use super::kind::{Kind, label_length};
use super::splitting::Splitting;

/// The form of the lines of a stream.
#[derive(Clone, Debug)]
pub struct Form {
    /// How they are split.
    pub splitting: Splitting,
    /// The names in the first line, where it is a heading.
    pub heading: Option<Vec<String>>,
    /// Why the first line is no data, where it names no columns either.
    pub apart: Option<Apart>,
    /// For each column the `name=` its values begin with, or nothing.
    pub labels: Vec<Vec<u8>>,
}

/// A first line that is neither data nor the names of the columns.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Apart {
    /// Names that do not fit the columns: some have blanks in them, or the first column has none. A wrong name
    /// would be worse than a number.
    Names(usize),
    /// A total before the rows, as `ls -l` writes it.
    Total,
}

impl Default for Form {
    fn default() -> Self {
        Self { splitting: Splitting::Blanks, heading: None, apart: None, labels: Vec::new() }
    }
}

/// The share of values that must have a label for it to be the column's.
const LABELLED: f64 = 0.98;

impl Form {
    /// The form of lines, the first of the stream first, that are split in this way.
    pub fn of(lines: &[&[u8]], splitting: Splitting) -> Self {
        if matches!(splitting, Splitting::Pairs(_)) {
            return Self { splitting, ..Self::default() };
        }
        let rows: Vec<Vec<&[u8]>> = lines
            .iter()
            .map(|line| line.strip_suffix(b"\r").unwrap_or(line))
            .filter(|line| !line.is_empty() && !splitting.leaves_open(line))
            .map(|line| splitting.fields(line).into_iter().map(|field| &line[field]).collect())
            .collect();
        let first = lines.first().filter(|first| !first.is_empty());
        let mut heading = first.and_then(|_| heading(&rows, &splitting));
        let mut apart = first.and_then(|_| total(&rows)).filter(|_| heading.is_none());
        if let (Some(names), Some(first)) = (&heading, first)
            && !fits(names.len(), first, &rows, &splitting)
        {
            apart = Some(Apart::Names(names.len()));
            heading = None;
        }
        let no_data = usize::from(heading.is_some() || apart.is_some());
        let data = rows.get(no_data..).unwrap_or_default();
        let columns = data.iter().map(Vec::len).max().unwrap_or(0).min(256);
        let labels = (0..columns).map(|at| label(data, at)).collect();
        Self { splitting, heading, apart, labels }
    }

    /// True where the first line is no data.
    pub fn begins_apart(&self) -> bool {
        self.heading.is_some() || self.apart.is_some()
    }

    /// The names of the columns: of the heading, of the pairs, or none.
    pub fn names(&self) -> Vec<String> {
        match (&self.splitting, &self.heading) {
            (Splitting::Pairs(names), _) => {
                names.iter().map(|name| String::from_utf8_lossy(name).into_owned()).collect()
            }
            (_, Some(names)) => names.clone(),
            _ => Vec::new(),
        }
    }
}

/// The `name=` that nearly all values of a column begin with.
fn label(rows: &[Vec<&[u8]>], at: usize) -> Vec<u8> {
    let values = || rows.iter().filter_map(|row| row.get(at)).filter(|value| !value.is_empty());
    let Some(first) = values().find(|value| label_length(value) > 0) else { return Vec::new() };
    let label = &first[..label_length(first)];
    let (all, with) = values().fold((0_u64, 0_u64), |(all, with), value| {
        (all + 1, with + u64::from(value.starts_with(label)))
    });
    if with as f64 >= all as f64 * LABELLED { label.to_vec() } else { Vec::new() }
}

/// The names in the first row, where it is a heading: words in every column, and either a column
/// of numbers, times or addresses below one of them, or words that no column has again below and
/// that look like names.
fn heading(rows: &[Vec<&[u8]>], splitting: &Splitting) -> Option<Vec<String>> {
    let (first, rest) = rows.split_first()?;
    if rest.is_empty() || first.len() < 2 {
        return None;
    }
    let is_name = |value: &&[u8]| {
        let kind = Kind::of(value);
        matches!(kind, Kind::Word | Kind::Text | Kind::YesNo)
            && value.iter().any(u8::is_ascii_alphabetic)
            && value.len() < 64
            && !value.contains(&b'=')
    };
    if !first.iter().all(is_name) {
        return None;
    }
    let kind_below = |at: usize| {
        let kinds = rest.iter().filter_map(|row| row.get(at)).map(|value| Kind::of(value));
        kinds.filter(|kind| *kind != Kind::Empty).reduce(Kind::with)
    };
    let below: Vec<Option<Kind>> = (0..first.len()).map(kind_below).collect();
    let special =
        below.iter().flatten().any(|kind| !matches!(kind, Kind::Word | Kind::Text | Kind::Empty));
    let again = || {
        first.iter().enumerate().any(|(at, name)| rest.iter().any(|row| row.get(at) == Some(name)))
    };
    let upper = || {
        first.iter().all(|name| !name.iter().any(u8::is_ascii_lowercase))
            && rest
                .iter()
                .take(50)
                .any(|row| row.iter().any(|value| value.iter().any(u8::is_ascii_lowercase)))
    };
    let named = special && !again();
    // Without numbers below, only what is made for tables has headings.
    let table =
        !matches!(splitting, Splitting::Blanks | Splitting::Byte(b' ') | Splitting::First(_));
    let plain = !special && rest.len() > 1 && (table && lower_names(first) || upper()) && !again();
    (named || plain).then(|| {
        let name =
            |value: &&[u8]| String::from_utf8_lossy(&super::kind::unquoted(value)).into_owned();
        first.iter().map(name).collect()
    })
}

/// True where each name of a heading is over its own column. At a byte each does. Between blanks it is
/// so where rows have as many fields, or have more in free text at their ends; not where all have more,
/// or the heading begins with blanks and the rows do not.
fn fits(names: usize, first: &[u8], rows: &[Vec<&[u8]>], splitting: &Splitting) -> bool {
    if !matches!(splitting, Splitting::Blanks | Splitting::Byte(b' ')) {
        return true;
    }
    let mut counts: Vec<usize> = rows[1..].iter().map(Vec::len).collect();
    counts.sort_unstable();
    let equal = counts.iter().filter(|count| **count == names).count();
    if equal * 2 > counts.len() {
        return true;
    }
    let least = counts.get(counts.len() / 10).copied().unwrap_or(0);
    let middle = counts.get(counts.len() / 2).copied().unwrap_or(0);
    let alike = counts.iter().filter(|count| **count == middle).count() * 10 > counts.len() * 8;
    least >= names && !alike && !first.starts_with(b" ")
}

/// `total 48` before rows of more fields.
fn total(rows: &[Vec<&[u8]>]) -> Option<Apart> {
    let (first, rest) = rows.split_first()?;
    let is_total = matches!(first[..], [word, number]
        if word.eq_ignore_ascii_case(b"total") && Kind::of(number).is_number());
    let longer = rest.iter().filter(|row| row.len() > 4).count();
    (is_total && longer * 10 > rest.len() * 9 && !rest.is_empty()).then_some(Apart::Total)
}

/// True for names as programs write them: letters, digits, `_`, `-`, blanks, no capitals but
/// first letters.
fn lower_names(names: &[&[u8]]) -> bool {
    names.iter().all(|name| {
        let name = super::kind::unquoted(name);
        let word =
            |byte: &u8| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-' | b' ' | b'.');
        name.iter().all(word) && name.first().is_some_and(u8::is_ascii_alphabetic)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn form(splitting: Splitting, text: &str) -> Form {
        let lines: Vec<&[u8]> = text.lines().map(str::as_bytes).collect();
        Form::of(&lines, splitting)
    }

    fn heading(splitting: Splitting, text: &str) -> Option<String> {
        form(splitting, text).heading.map(|names| names.join("/"))
    }

    #[test]
    fn a_first_line_of_names_over_other_data_is_a_heading() {
        let comma = Splitting::Byte(b',');
        let found = |text: &str| heading(comma.clone(), text);
        assert_eq!(found("id,name\n1,a\n2,b\n").as_deref(), Some("id/name"));
        assert_eq!(found("\"id\",\"load kg\"\n1,5\n").as_deref(), Some("id/load kg"));
        assert_eq!(found("name,line\nOtter,north\nTern,south\n").as_deref(), Some("name/line"));
        assert_eq!(found("1,a\n2,b\n"), None);
        assert_eq!(found("Otter 1,North\nTern 2,North\nHeron 3,North\n"), None);
        assert_eq!(found("north,a\nsouth,b\nnorth,c\n"), None);
        assert_eq!(found("id,name\n"), None);
        let blanks = |text: &str| heading(Splitting::Blanks, text);
        assert_eq!(blanks("PID TTY\n1 pts/0\n").as_deref(), Some("PID/TTY"));
        assert_eq!(blanks("NAME STATE\nwinch running\ngate open\n").as_deref(), Some("NAME/STATE"));
        assert_eq!(blanks("winch running\ngate open\ncabin ready\n"), None);
        assert_eq!(blanks("gate card=1\ngate card=2\n"), None);
    }

    #[test]
    fn names_that_do_not_fit_name_nothing() {
        let apart = |text: &str| {
            let form = form(Splitting::Blanks, text);
            assert!(form.apart.is_none() || form.names().is_empty());
            form.apart
        };
        // Blanks in names, a first column without one, more columns than names.
        let sockets = "State Recv-Q Local Address:Port Peer Address:Port\nLISTEN 0 *:22 *:*\n\
                       ESTAB 0 *:22 *:99\n";
        assert_eq!(apart(sockets), Some(Apart::Names(6)));
        let memory = "        total used free\nMem: 8 4 4\nSwap: 2 0 2\n";
        assert_eq!(apart(memory), Some(Apart::Names(3)));
        let table = " sl local st tx_queue rx_queue\n0: 0A 01 00:00 00:00 00 1 2\n\
                     1: 0A 01 00:00 00:00 00 1 2\n";
        assert_eq!(apart(table), Some(Apart::Names(5)));
        // Free text at the end.
        let processes = "PID CPU COMMAND\n1 0.0 init\n2 0.1 gate -d 2\n3 0.2 winch --slow\n";
        assert_eq!(apart(processes), None);
        assert_eq!(form(Splitting::Blanks, processes).names(), ["PID", "CPU", "COMMAND"]);
        let listing = "total 48\n-rw-r--r-- 1 otter otter 120 Apr 2 06:12 gate.log\n";
        assert_eq!(apart(listing), Some(Apart::Total));
        assert_eq!(apart("total 48\nother 2\n"), None);
        assert_eq!(form(Splitting::Byte(b','), "a,b,c\n1,2\n3,4\n").apart, None);
    }

    #[test]
    fn a_label_is_what_nearly_all_values_begin_with() {
        let form = form(Splitting::Blanks, "a card=1 x=1\nb card=2 y=2\n");
        let labels: Vec<&str> =
            form.labels.iter().map(|l| std::str::from_utf8(l).unwrap()).collect();
        assert_eq!(labels, ["", "card=", ""]);
        let pairs = Splitting::Pairs([b"a".to_vec()].into());
        assert_eq!(Form::of(&[b"a=1"], pairs).names(), ["a"]);
    }
}
