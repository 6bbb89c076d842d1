//! What is offered for a field.

use super::access::{Access, sort_separator};
use super::escape::awk_string;
use super::ground::Ground;
use super::offer::{Group, Offer, offer, shown};
use crate::columns::kind::Kind;
use crate::columns::splitting::Splitting;
use crate::columns::table::Column;

/// Different values up to which a column is one to sum by.
const GROUPS: u64 = 1_000;

/// Columns to sum by that are offered.
const BY: usize = 3;

/// A field and how to get at it.
pub(super) struct Field<'g> {
    pub(super) ground: &'g Ground,
    /// From 1.
    pub(super) number: usize,
    pub(super) access: Access,
    pub(super) column: Option<&'g Column>,
}

impl Field<'_> {
    /// As in “field 3 (zone=)”.
    fn name(&self) -> String {
        let heading = self.column.map(Column::heading).unwrap_or_default();
        let heading = heading.trim_end_matches('=');
        match &self.ground.form.splitting {
            Splitting::Pairs(_) => heading.to_owned(),
            _ if heading.is_empty() => format!("field {}", self.number),
            _ => format!("field {} ({heading})", self.number),
        }
    }

    fn kind(&self) -> Kind {
        self.column.map_or(Kind::Word, |column| column.kind)
    }

    /// The first line is no data.
    fn has_heading(&self) -> bool {
        self.ground.form.begins_apart()
    }

    /// Characters before the number in a value: its `name=`.
    fn label(&self) -> usize {
        self.column.map_or(0, |column| column.label.len())
    }

    /// The value without its label, for awk.
    fn unlabelled(&self) -> String {
        match self.label() {
            0 => self.access.value.clone(),
            label => format!("substr({}, {})", self.access.value, label + 1),
        }
    }

    /// The value as a number of awk.
    fn number_of(&self) -> String {
        let text = self.unlabelled();
        match self.kind() {
            Kind::Size => format!("b({text})"),
            _ => text,
        }
    }

    /// Bytes of a size with a suffix, as a function of awk.
    fn helper(&self) -> &'static str {
        match self.kind() {
            Kind::Size => {
                "function b(s) { return s * 1024 ^ index(\"KMGTPE\", \
                 match(s, /[KMGTPEk]/) ? toupper(substr(s, RSTART, 1)) : \"-\") } "
            }
            _ => "",
        }
    }

    /// A stage that keeps the lines with a condition on the number.
    fn keep(&self, condition: &str) -> String {
        let helper = self.helper();
        if helper.is_empty() {
            return self.access.keep(condition);
        }
        let each = format!("if ({condition}) print");
        with_helper(&self.access.awk(&each, ""), helper)
    }

    /// Lines with this value, without it, from it on.
    pub(super) fn of_value(&self, value: &str, all: &mut Vec<Offer>) {
        let (name, access) = (self.name(), &self.access);
        let says = if value.is_empty() { "empty".to_owned() } else { shown(value) };
        let literal = awk_string(value);
        let this = format!("{} == {literal}", access.value);
        let this = if value.is_empty() { access.if_exists(&this) } else { this };
        let other = if value.is_empty() {
            format!("!({this})")
        } else {
            format!("{} != {literal}", access.value)
        };
        // Where a field is found by hand, a line without it is none of these.
        let other = if access.is_plain() || value.is_empty() {
            other
        } else {
            format!("!({}) || {other}", access.exists())
        };
        let this = if access.is_plain() { this } else { access.if_exists(&this) };
        all.push(offer(
            Group::Lines,
            format!("keep the lines where {name} is {says}"),
            access.keep(&this),
        ));
        all.push(offer(Group::Lines, format!("drop them: {name} is {says}"), access.keep(&other)));
        self.of_amount(value, all);
        let from = access.awk(&format!("if ({this}) on = 1; if (on) print"), "");
        all.push(offer(
            Group::Lines,
            format!("from the first line where {name} is {says} on"),
            from,
        ));
        let until = access.awk(&format!("print; if ({this}) exit"), "");
        all.push(offer(
            Group::Lines,
            format!("up to the first line where {name} is {says}"),
            until,
        ));
    }

    /// Lines with one of the most frequent values of the column.
    pub(super) fn of_frequent_values(&self, all: &mut Vec<Offer>) {
        let Some(column) = self.column else { return };
        for (value, _) in &column.frequent {
            let whole = [&column.label[..], value].concat();
            // A cut value is none that lines have.
            let (Ok(whole), false) = (String::from_utf8(whole), value.len() >= 200) else {
                continue;
            };
            let same = format!("{} == {}", self.access.value, awk_string(&whole));
            let same = if self.access.is_plain() { same } else { self.access.if_exists(&same) };
            let says = format!("keep the lines where {} is {}", self.name(), shown(&whole));
            all.push(offer(Group::Lines, says, self.access.keep(&same)));
        }
    }

    /// At least, at most this: numbers, sizes and times.
    fn of_amount(&self, value: &str, all: &mut Vec<Offer>) {
        let label = self.label();
        let Some(bare) = value.get(label..) else { return };
        let kind = Kind::of(bare.as_bytes());
        let column = self.kind();
        let name = self.name();
        let (left, right) = match column {
            Kind::Whole | Kind::Decimal
                if kind.is_number() && kind != Kind::Size && !bare.starts_with('"') =>
            {
                (format!("{} + 0", self.unlabelled()), bare.trim_start_matches('+').to_owned())
            }
            Kind::Size if kind.is_number() && !bare.starts_with('"') => {
                (self.number_of(), format!("b({})", awk_string(bare)))
            }
            Kind::Day | Kind::Clock | Kind::Moment if kind == column => {
                (self.unlabelled(), awk_string(bare))
            }
            _ => return,
        };
        for (sign, words) in [(">=", "at least"), ("<=", "at most")] {
            let mut condition = format!("{left} {sign} {right}");
            let gaps = self.column.is_some_and(|column| {
                column.others > 0 || column.filled < self.ground.table.data_lines
            });
            if column.is_number() && (gaps || self.has_heading()) {
                // What is no number would count as 0.
                condition = format!("{} ~ /^[-+.0-9]/ && {condition}", self.unlabelled());
            } else if column.is_time() && self.has_heading() {
                condition = format!("{} ~ /^[0-9]/ && {condition}", self.unlabelled());
            }
            let condition =
                if self.access.is_plain() { condition } else { self.access.if_exists(&condition) };
            let says = format!("keep the lines where {name} is {words} {bare}");
            all.push(offer(Group::Lines, says, self.keep(&condition)));
        }
    }

    /// The column as such.
    pub(super) fn of_column(&self, all: &mut Vec<Offer>) {
        let (name, number, access) = (self.name(), self.number, &self.access);
        let column = access.column(number);
        let awk = access.column_by_awk();
        let by_awk =
            |more: &str| (column != awk).then(|| format!("{}{awk}{more}", self.without_heading()));
        let only = |group: Group, says: String, more: &str| Offer {
            by_awk: by_awk(more),
            ..offer(group, says, format!("{}{column}{more}", self.without_heading()))
        };
        let mut alone = offer(Group::Columns, format!("only {name}"), column.clone());
        alone.by_awk = (column != awk).then(|| awk.clone());
        all.push(alone);
        self.other_columns(all);
        let counted = " | sort | uniq -c | sort -rn";
        all.push(only(Group::Count, format!("count by {name}, most frequent first"), counted));
        all.push(only(Group::Count, format!("the values of {name}, each once"), " | sort -u"));
        let few = " | sort | uniq -c | sort -rn | head -n 5";
        all.push(only(Group::Count, format!("the 5 most frequent values of {name}"), few));
        self.of_order(all);
        if self.kind().is_number() && self.kind() != Kind::Size {
            self.of_sums(all);
        }
    }

    /// True where both bounds are numbers with points between them: versions.
    fn is_version(&self) -> bool {
        let Some(column) = self.column else { return false };
        let version = |value: &Option<Vec<u8>>| {
            let value = value.as_deref().unwrap_or_default();
            let value = value.strip_prefix(b"v").unwrap_or(value);
            let mut parts = value.split(|byte| *byte == b'.');
            let digits = |part: &[u8]| !part.is_empty() && part.iter().all(u8::is_ascii_digit);
            value.contains(&b'.') && parts.all(digits)
        };
        column.others == 0 && version(&column.smallest) && version(&column.largest)
    }

    /// What takes a heading away, before stages that would mix it with the data.
    fn without_heading(&self) -> &'static str {
        if self.has_heading() { "tail -n +2 | " } else { "" }
    }

    /// All columns but this one, and those up to it.
    fn other_columns(&self, all: &mut Vec<Offer>) {
        let (name, number, access) = (self.name(), self.number, &self.access);
        let last = self.ground.table.columns.len();
        if last < 2 {
            return;
        }
        let others = match number {
            1 => "2-".to_owned(),
            number if number == last => format!("-{}", number - 1),
            2 => "1,3-".to_owned(),
            number => format!("1-{},{}-", number - 1, number + 1),
        };
        let by_loop = |wanted: &str, to: &str| {
            let each = format!(
                "s = \"\"; for (i = 1; i <= {to}; i++) {wanted}s = s (s == \"\" ? \"\" : \" \") $i; print s"
            );
            access.awk(&each, "")
        };
        let (without, up_to) = match (access.cut(&others), &self.ground.form.splitting) {
            (Some(without), _) => (without, access.cut(&format!("-{number}"))),
            (None, Splitting::Blanks) => {
                let to = format!("{number} && i <= NF");
                (by_loop(&format!("if (i != {number}) "), "NF"), Some(by_loop("", &to)))
            }
            _ => return,
        };
        all.push(offer(Group::Columns, format!("without {name}"), without));
        if let Some(up_to) = up_to.filter(|_| number > 1 && number < last) {
            all.push(offer(Group::Columns, format!("the fields up to {name}"), up_to));
        }
    }

    /// Lines in the order of the column.
    fn of_order(&self, all: &mut Vec<Offer>) {
        let (separator, begin) = match &self.ground.form.splitting {
            Splitting::Blanks => (String::new(), "b"),
            Splitting::Byte(byte) => (sort_separator(*byte), ""),
            _ => return,
        };
        let number = self.number;
        let start = match self.label() {
            0 => format!("{number}"),
            label => format!("{number}.{}", label + 1),
        };
        let order = match self.kind() {
            Kind::Word if self.is_version() => "V",
            Kind::Whole => "n",
            // Of numbers with exponents the usual order sees only what is before the e.
            Kind::Decimal => "g",
            Kind::Size => "h",
            _ => "",
        };
        let key = |letters: &str| format!("sort {separator}-k{start}{begin},{number}{letters}");
        let name = self.name();
        let heading = self.without_heading();
        let (up, down) = match order {
            "" => ("A to Z", "Z to A"),
            _ => ("smallest first", "largest first"),
        };
        all.push(offer(
            Group::Count,
            format!("order by {name}, {up}"),
            format!("{heading}{}", key(order)),
        ));
        let reverse = format!("{order}r");
        let down_stages = format!("{heading}{}", key(&reverse));
        all.push(offer(Group::Count, format!("order by {name}, {down}"), down_stages.clone()));
        if !order.is_empty() {
            let says = format!("the 10 lines with the largest {name}");
            all.push(offer(Group::Count, says, format!("{down_stages} | head -n 10")));
        }
    }

    /// Sums, means and bounds, of all or by another column.
    fn of_sums(&self, all: &mut Vec<Offer>) {
        let (name, access, number) = (self.name(), &self.access, self.unlabelled());
        let guarded = |statement: &str| {
            let first = if self.has_heading() { "NR > 1" } else { "" };
            let exists = if access.is_plain() { "" } else { access.exists() };
            let conditions: Vec<&str> = [first, exists]
                .into_iter()
                .filter(|condition| !matches!(*condition, "" | "1"))
                .collect();
            if conditions.is_empty() {
                return statement.to_owned();
            }
            format!("if ({}) {{ {statement} }}", conditions.join(" && "))
        };
        let form = if self.kind() == Kind::Whole { "%.0f" } else { "%.10g" };
        let mut sum = |says: &str, each: String, end: &str| {
            all.push(offer(Group::Sum, format!("{says} of {name}"), access.awk(&each, end)));
        };
        sum("total", guarded(&format!("t += {number}")), &format!("printf \"{form}\\n\", t"));
        sum("mean", guarded(&format!("t += {number}; n++")), "if (n) printf \"%.10g\\n\", t / n");
        for (says, sign) in [("smallest", "<"), ("largest", ">")] {
            let each = guarded(&format!("x = {number} + 0; if (!n++ || x {sign} m) m = x"));
            sum(says, each, "if (n) printf \"%.10g\\n\", m");
        }
        if !access.is_plain() {
            return;
        }
        let by = self.ground.table.columns.iter().filter(|column| {
            column.number != self.number
                && (2..=GROUPS).contains(&column.distinct.count())
                && column.distinct.count() * 2 <= column.filled
                && matches!(
                    column.kind,
                    Kind::Word | Kind::YesNo | Kind::Ipv4 | Kind::Day | Kind::Path | Kind::Whole
                )
        });
        for column in by.take(BY) {
            let heading = column.heading();
            let by = match heading.trim_end_matches('=') {
                "" => format!("field {}", column.number),
                heading => format!("field {} ({heading})", column.number),
            };
            let each = guarded(&format!("t[${}] += {number}", column.number));
            let end = format!("for (k in t) printf \"{form} %s\\n\", t[k], k");
            let stages = format!("{} | sort -rn", access.awk(&each, &end));
            all.push(offer(Group::Sum, format!("total of {name} by {by}"), stages));
            let k = column.number;
            let each = guarded(&format!("t[${k}] += {number}; n[${k}]++"));
            let end = "for (k in t) printf \"%.10g %s\\n\", t[k] / n[k], k";
            let stages = format!("{} | sort -rn", access.awk(&each, end));
            all.push(offer(Group::Sum, format!("mean of {name} by {by}"), stages));
        }
    }
}

/// A program of awk with a function before it.
fn with_helper(stage: &str, helper: &str) -> String {
    match stage.split_once('\'') {
        Some((before, rest)) if !before.contains("-F") => format!("{before}'{helper}{rest}"),
        // The separator has quotes of its own.
        _ => {
            let at = stage.find("'{").map_or(0, |at| at + 1);
            format!("{}{helper}{}", &stage[..at], &stage[at..])
        }
    }
}
