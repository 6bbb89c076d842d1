//! A table of columns in words: what each cell of it says.

use stream::visible;

use super::form::Apart;
use super::kind::Kind;
use super::table::{Column, ColumnTable, Distinct};
use crate::describe::units::{grouped, percent};

/// The headings of the cells of a column.
pub const COLUMN_HEADINGS: [&str; 8] =
    ["field", "heading", "kind", "in lines", "different", "smallest", "largest", "most frequent"];

/// A value as it is shown: control characters quoted, no line end.
fn shown(value: &[u8]) -> String {
    visible(&String::from_utf8_lossy(value)).replace('\n', "$'\\n'").replace('\t', "$'\\t'")
}

impl Column {
    /// Its name, or the label its values begin with; empty without.
    pub fn heading(&self) -> String {
        match &self.name {
            Some(name) => shown(name.as_bytes()),
            None => shown(&self.label),
        }
    }

    /// What its values are: `whole number`, `one of 4`, `word  a-00`.
    pub fn kind_in_words(&self) -> String {
        let few = self.is_one_of_few();
        let kind = match (self.kind, &self.shape) {
            (Kind::Word | Kind::Text, _) if few && self.distinct.count() == 1 => {
                "always the same".to_owned()
            }
            (Kind::Word | Kind::Text, _) if few => format!("one of {}", self.distinct.count()),
            (Kind::Word, Some(shape)) if shape.len() > 1 && shape.len() < 16 => {
                format!("word  {}", shown(shape.as_bytes()))
            }
            (kind, _) => kind.name().to_owned(),
        };
        if self.others > 0 { format!("{kind}, but {}", grouped(self.others)) } else { kind }
    }

    /// The share of the lines that have something in it.
    pub fn share(&self, table: &ColumnTable) -> String {
        let lines = table.data_lines - table.empty_lines;
        if self.filled == lines && lines > 0 {
            "100 %".to_owned()
        } else {
            percent(self.filled, lines)
        }
    }

    /// How many different values: `31`, `~ 412 000 ±1 %`.
    pub fn different(&self) -> String {
        match self.distinct {
            Distinct::Exact(count) => grouped(count),
            Distinct::About { count, error } => {
                // No more digits than are known.
                let unit = 10_u64.pow((count.max(1).ilog10()).saturating_sub(2));
                let rounded = (count + unit / 2) / unit * unit;
                format!("~ {} ±{:.0} %", grouped(rounded), (error * 100.0).ceil())
            }
        }
    }

    /// The smallest value; `–` where order says nothing.
    pub fn smallest_in_words(&self) -> String {
        self.bound(self.smallest.as_deref())
    }

    /// The largest value.
    pub fn largest_in_words(&self) -> String {
        self.bound(self.largest.as_deref())
    }

    fn bound(&self, value: Option<&[u8]>) -> String {
        match value {
            Some(value) if !matches!(self.kind, Kind::YesNo | Kind::Text) => shown(value),
            _ => "–".to_owned(),
        }
    }

    /// The most frequent values with their shares: `passed  85.9 % · refused  11.8 %`.
    pub fn frequent_in_words(&self) -> String {
        // Where even the most frequent one is rare, none is worth its place.
        let rare = self.frequent.first().is_none_or(|(_, times)| times * 100 < self.filled);
        if rare {
            return "–".to_owned();
        }
        let one = |(value, times): &(Vec<u8>, u64)| {
            let share = percent(*times, self.filled);
            let share = if *times == self.filled { "100 %" } else { &share };
            format!("{}  {share}", shown(value))
        };
        let mut words: Vec<String> = self.frequent.iter().map(one).collect();
        if self.distinct.count() > self.frequent.len() as u64 {
            words.push("…".to_owned());
        }
        words.join(" · ")
    }

    /// The cells of its row, under [`COLUMN_HEADINGS`].
    pub fn cells(&self, table: &ColumnTable) -> [String; 8] {
        [
            self.number.to_string(),
            self.heading(),
            self.kind_in_words(),
            self.share(table),
            self.different(),
            self.smallest_in_words(),
            self.largest_in_words(),
            self.frequent_in_words(),
        ]
    }
}

impl ColumnTable {
    /// How its lines are split, and how many of them so: `split at TAB: 98.2 % of lines have 6
    /// to 8 fields`.
    pub fn splitting_in_words(&self) -> String {
        let (from, to) = (*self.usual.start(), *self.usual.end());
        let lines = self.data_lines - self.empty_lines;
        let share = match percent(self.agreeing(), lines) {
            _ if self.agreeing() == lines => "all".to_owned(),
            // Not all, be it that it rounds to that.
            share if share == "100.0 %" => "> 99.9 % of".to_owned(),
            share => share + " of",
        };
        let fields = match (from, to) {
            (1, 1) => "1 field".to_owned(),
            (from, to) if from == to => format!("{from} fields"),
            (from, to) => format!("{from} to {to} fields"),
        };
        if lines == 0 {
            return format!("split at {}: no lines", self.splitting.name());
        }
        format!("split at {}: {share} lines have {fields}", self.splitting.name())
    }

    /// What is not told of the columns one by one; empty where all are.
    pub fn text_in_words(&self) -> String {
        let shown = self.before_text();
        match self.columns.len() - shown {
            0 => String::new(),
            more => format!(
                "from field {} on free text: {more} further fields, each in less than half of the lines",
                shown + 1
            ),
        }
    }

    /// The lines that do not fit, a sentence for each number of fields; the first line counts from
    /// 1.
    pub fn odd_in_words(&self) -> Vec<String> {
        let sentence = |odd: &super::table::OddLines| {
            let first = grouped(odd.first + 1);
            let one = odd.lines == 1;
            let lines =
                if one { "1 line".to_owned() } else { format!("{} lines", grouped(odd.lines)) };
            let place = if one { format!("line {first}") } else { format!("first: line {first}") };
            match odd.fields {
                None if one => format!("{lines} ends within quotes ({place})"),
                None => format!("{lines} end within quotes ({place})"),
                Some(fields) => {
                    let have = if one { "has" } else { "have" };
                    let fields = if fields == 1 {
                        "1 field".to_owned()
                    } else {
                        format!("{} fields", grouped(fields as u64))
                    };
                    format!("{lines} {have} {fields} ({place})")
                }
            }
        };
        let apart = self.apart.map(|apart| match apart {
            Apart::Names(count) => format!(
                "the {} names in line 1 do not fit the columns: they have numbers",
                grouped(count as u64)
            ),
            Apart::Total => "line 1 is a total, not a row".to_owned(),
        });
        let mut words: Vec<String> = apart.into_iter().collect();
        words.extend(self.odd.iter().map(sentence));
        match self.empty_lines {
            0 => {}
            1 => words.push("1 line is empty".to_owned()),
            lines => words.push(format!("{} lines are empty", grouped(lines))),
        }
        words
    }
}

#[cfg(test)]
mod tests {
    use super::super::form::Form;
    use super::super::splitting::Splitting;
    use super::super::survey::Survey;

    #[test]
    fn a_table_is_told_in_words() {
        let mut survey = Survey::new(Form {
            splitting: Splitting::Byte(b' '),
            labels: vec![Vec::new(), b"card=".to_vec()],
            ..Form::default()
        });
        let lines: String = (0..40)
            .map(|at| {
                format!(
                    "gate-{:02} card={} {}\n",
                    at % 22,
                    at * 3,
                    if at % 4 == 0 { "refused" } else { "passed" }
                )
            })
            .collect();
        survey.feed_whole(lines.as_bytes());
        survey.feed_whole("gate-01 card=7 passed\n".repeat(200).as_bytes());
        survey.feed_whole(b"gate-01 card=\x1b[1m refused why not\n\na\n");
        let table = survey.table();
        let cells: Vec<String> =
            table.columns.iter().map(|column| column.cells(&table).join(" | ")).collect();
        assert_eq!(
            cells,
            [
                "1 |  | word | 100 % | 23 | a | gate-21 | gate-01  83.9 % · gate-00  0.8 % · gate-02  0.8 % · …",
                "2 | card= | whole number, but 1 | 99.6 % | 42 | 0 | 117 | 7  83.0 % · …",
                "3 |  | one of 2 | 99.6 % | 2 | passed | refused | passed  95.4 % · refused  4.6 %",
                "4 |  | word | 0.4 % | 1 | why | why | why  100 %",
                "5 |  | word | 0.4 % | 1 | not | not | not  100 %",
            ]
        );
        assert_eq!(
            table.splitting_in_words(),
            "split at single blanks: 99.2 % of lines have 3 fields"
        );
        assert_eq!(
            table.odd_in_words(),
            ["1 line has 5 fields (line 241)", "1 line has 1 field (line 243)", "1 line is empty"]
        );
    }

    #[test]
    fn free_text_at_the_end_has_no_rows() {
        let words = [
            "rope", "slack", "at", "the", "upper", "wheel", "so", "it", "went", "down", "there",
            "again",
        ];
        let mut chance = 7_usize;
        let lines: String = (0..400)
            .map(|at| {
                let mut line = format!("06:{:02} gate-{:02}", at % 60, at % 22);
                chance = chance * 31 % 1009;
                for place in 0..chance % 14 {
                    line.push_str(&format!(
                        " {}{}",
                        words[(chance + place) % 12],
                        (chance * place) % 19
                    ));
                }
                line + "\n"
            })
            .collect();
        let mut survey = Survey::new(Form { splitting: Splitting::Byte(b' '), ..Form::default() });
        survey.feed_whole(lines.as_bytes());
        let table = survey.table();
        assert!(table.columns.len() > 12, "{}", table.columns.len());
        let shown = table.before_text();
        assert!((2..10).contains(&shown), "{shown}");
        assert!(
            table.text_in_words().starts_with(&format!("from field {} on free text", shown + 1))
        );
        // What has a label, few values or numbers is none of it.
        let log = "a b c d\n".repeat(50) + &"a b c d reason=x no 7\n".repeat(30);
        let mut survey = Survey::new(Form { splitting: Splitting::Byte(b' '), ..Form::default() });
        survey.feed_whole(log.as_bytes());
        assert_eq!(
            (survey.table().before_text(), survey.table().text_in_words()),
            (7, String::new())
        );
    }
}
