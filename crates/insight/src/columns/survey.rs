//! Counts what the columns of a stream hold, line by line.

use std::collections::BTreeMap;
use std::collections::hash_map::{Entry, HashMap};
use std::hash::{BuildHasher, BuildHasherDefault, Hasher};
use std::ops::Range;

use super::form::Form;
use super::kind::{KINDS, Kind, amount};
use super::splitting::{Splitting, characters};
use super::table::{Column, ColumnTable, Distinct, OddLines};

/// Different values of a column that are counted exactly, where there are not too many columns.
pub(crate) const EXACT: usize = 100_000;

/// Different values that are counted over all columns: about 150 MB.
const EXACT_IN_ALL: usize = 3_000_000;

/// Fields of a line that are looked at; further ones are counted only.
const FIELDS: usize = 256;

/// Bytes of a value that are kept to show it.
const SHOWN: usize = 200;

/// Bytes of lines that are looked at together.
const TOGETHER: usize = 1 << 16;

/// The most frequent values that are told.
const FREQUENT: usize = 3;

/// Hashes that are their own hash.
#[derive(Clone, Copy, Default)]
struct Itself(u64);

impl Hasher for Itself {
    fn finish(&self) -> u64 {
        self.0
    }
    fn write(&mut self, _bytes: &[u8]) {}
    fn write_u64(&mut self, hash: u64) {
        self.0 = hash;
    }
}

/// A value that was met.
#[derive(Clone, Copy)]
struct Met {
    times: u64,
    /// Where its text begins among the kept ones.
    at: u32,
    length: u8,
    kind: Kind,
}

/// The smallest and the largest of something.
#[derive(Clone)]
struct Bounds<T> {
    smallest: Option<(T, Box<[u8]>)>,
    largest: Option<(T, Box<[u8]>)>,
}

impl<T> Default for Bounds<T> {
    fn default() -> Self {
        Self { smallest: None, largest: None }
    }
}

impl<T: PartialOrd + Copy> Bounds<T> {
    fn note(&mut self, amount: T, value: &[u8]) {
        if self.smallest.as_ref().is_none_or(|(least, _)| amount < *least) {
            self.smallest = Some((amount, value.into()));
        }
        if self.largest.as_ref().is_none_or(|(most, _)| amount > *most) {
            self.largest = Some((amount, value.into()));
        }
    }
}

/// The form letters and digits have in all values, as `a-00`.
#[derive(Clone, Default)]
enum Shape {
    #[default]
    Unknown,
    One(Box<[u8]>),
    Several,
}

/// One column while it is counted.
#[derive(Clone, Default)]
struct Gathering {
    label: Vec<u8>,
    /// Different values that are kept at most.
    most: usize,
    met: HashMap<u64, Met, BuildHasherDefault<Itself>>,
    texts: Vec<u8>,
    /// Values that are to be counted, as places in the lines that were fed.
    waiting: Vec<(u32, u32)>,
    /// Only hashes that end in this many zero bits (of their upper half) are kept: with each bit,
    /// half of the values. What is left says how many there are (adaptive sampling after Wegman).
    level: u32,
    /// Values that are not kept, by kind.
    others: [u64; KINDS],
    present: u64,
    empty: u64,
    extremes: Extremes,
    width: usize,
}

/// What all values of a column have in common.
#[derive(Clone, Default)]
struct Extremes {
    numbers: Bounds<f64>,
    /// Addresses by their parts, not as text.
    addresses: Bounds<f64>,
    /// By their bytes.
    least: Option<Box<[u8]>>,
    greatest: Option<Box<[u8]>>,
    shape: Shape,
}

impl Extremes {
    /// What a value is; the bounds and the shape take note of it.
    fn look_at(&mut self, value: &[u8]) -> Kind {
        let kind = Kind::of(value);
        let cut = &value[..value.len().min(SHOWN)];
        if let Some(amount) = amount(value, kind) {
            let bounds = if kind == Kind::Ipv4 { &mut self.addresses } else { &mut self.numbers };
            bounds.note(amount, cut);
        }
        if self.least.as_deref().is_none_or(|least| value < least) {
            self.least = Some(cut.into());
        }
        if self.greatest.as_deref().is_none_or(|greatest| value > greatest) {
            self.greatest = Some(cut.into());
        }
        match &self.shape {
            Shape::Several => {}
            Shape::Unknown => self.shape = Shape::One(shape(value).collect()),
            Shape::One(known) if shape(value).eq(known.iter().copied()) => {}
            Shape::One(_) => self.shape = Shape::Several,
        }
        kind
    }
}

impl Gathering {
    fn new(label: &[u8], most: usize) -> Self {
        Self { label: label.to_vec(), most, ..Self::default() }
    }

    /// Counts the values that wait, which are places in `lines`. Column by column the tables stay in
    /// the processor's cache.
    fn count(&mut self, lines: &[u8], hasher: &foldhash::quality::FixedState) {
        let waiting = std::mem::take(&mut self.waiting);
        for (start, end) in &waiting {
            self.note(&lines[*start as usize..*end as usize], hasher);
        }
        self.waiting = waiting;
        self.waiting.clear();
    }

    fn note(&mut self, value: &[u8], hasher: &foldhash::quality::FixedState) {
        let value = match &self.label[..] {
            [] => value,
            label => value.strip_prefix(label).unwrap_or(value),
        };
        self.present += 1;
        if value.is_empty() {
            self.empty += 1;
            return;
        }
        if value.len() > self.width {
            self.width = self.width.max(characters(value));
        }
        let mut state = hasher.build_hasher();
        state.write(value);
        let hash = state.finish();
        if self.leaves_out(hash) {
            let kind = self.extremes.look_at(value);
            self.others[kind as usize] += 1;
            return;
        }
        match self.met.entry(hash) {
            Entry::Occupied(mut met) => met.get_mut().times += 1,
            Entry::Vacant(place) => {
                let length = value.len().min(SHOWN);
                let at = self.texts.len() as u32;
                if self.level == 0 {
                    self.texts.extend_from_slice(&value[..length]);
                }
                let kind = self.extremes.look_at(value);
                place.insert(Met { times: 1, at, length: length as u8, kind });
                if self.met.len() > self.most {
                    self.thin();
                }
            }
        }
    }

    fn leaves_out(&self, hash: u64) -> bool {
        (hash >> 32) & ((1 << self.level) - 1) != 0
    }

    /// Leaves out half of the values.
    fn thin(&mut self) {
        while self.met.len() > self.most && self.level < 30 {
            self.level += 1;
            let (level, others) = (self.level, &mut self.others);
            self.met.retain(|hash, met| {
                let stays = (*hash >> 32) & ((1 << level) - 1) == 0;
                if !stays {
                    others[met.kind as usize] += met.times;
                }
                stays
            });
            self.texts = Vec::new();
        }
    }

    fn column(&self, number: usize, name: Option<&str>) -> Column {
        let mut kinds = self.others;
        for met in self.met.values() {
            kinds[met.kind as usize] += met.times;
        }
        let filled: u64 = kinds.iter().sum();
        let mut order: Vec<usize> = (0..KINDS).filter(|kind| kinds[*kind] > 0).collect();
        order.sort_by_key(|kind| std::cmp::Reverse(kinds[*kind]));
        let (mut kind, mut covered) = (Kind::Empty, 0);
        for one in order {
            // A few strays do not make words of numbers.
            if covered * 100 >= filled * 98 && covered > 0 {
                break;
            }
            kind = kind.with(Kind::ALL[one]);
            covered += kinds[one];
        }
        let fits = |one: usize| kind.with(Kind::ALL[one]) == kind;
        let others = (0..KINDS).filter(|one| !fits(*one)).map(|one| kinds[one]).sum();
        let distinct = if self.level == 0 {
            Distinct::Exact(self.met.len() as u64)
        } else {
            // Three times the standard error of adaptive sampling, 1.2 / √kept.
            let error = 3.6 / (self.met.len().max(1) as f64).sqrt();
            // There are no more than there are values.
            let count = ((self.met.len() as u64) << self.level).min(filled);
            Distinct::About { count, error }
        };
        let text = |bytes: &[u8]| bytes.to_vec();
        let by_amount = kind.is_number() || kind == Kind::WebMoment;
        let (smallest, largest) = if kind == Kind::Ipv4 {
            let bounds = &self.extremes.addresses;
            let bound =
                |bound: &Option<(f64, Box<[u8]>)>| bound.as_ref().map(|(_, value)| text(value));
            (bound(&bounds.smallest), bound(&bounds.largest))
        } else if by_amount {
            let bound =
                |bound: &Option<(f64, Box<[u8]>)>| bound.as_ref().map(|(_, value)| text(value));
            (bound(&self.extremes.numbers.smallest), bound(&self.extremes.numbers.largest))
        } else {
            (self.extremes.least.as_deref().map(text), self.extremes.greatest.as_deref().map(text))
        };
        let mut frequent: Vec<&Met> =
            if self.level == 0 { self.met.values().collect() } else { Vec::new() };
        let order =
            |one: &&Met, other: &&Met| other.times.cmp(&one.times).then(one.at.cmp(&other.at));
        if frequent.len() > FREQUENT {
            frequent.select_nth_unstable_by(FREQUENT, order);
            frequent.truncate(FREQUENT);
        }
        frequent.sort_by(order);
        let value = |met: &Met| {
            let at = met.at as usize;
            (text(&self.texts[at..at + usize::from(met.length)]), met.times)
        };
        // Where each value comes once, none is frequent.
        frequent.retain(|met| met.times > 1 || self.met.len() <= FREQUENT);
        let shape = match &self.extremes.shape {
            Shape::One(shape) if kind == Kind::Word => {
                Some(String::from_utf8_lossy(shape).into_owned())
            }
            _ => None,
        };
        Column {
            number,
            name: name.map(str::to_owned),
            label: self.label.clone(),
            kind,
            others,
            shape,
            present: self.present,
            filled,
            distinct,
            smallest,
            largest,
            frequent: frequent.into_iter().map(value).collect(),
            width: self.width,
        }
    }
}

/// Letters as `a`, runs of them as one; digits as `0`.
fn shape(value: &[u8]) -> impl Iterator<Item = u8> + '_ {
    let mut last = 0;
    value.iter().filter_map(move |byte| {
        let sign = match byte {
            b'0'..=b'9' => b'0',
            b'a'..=b'z' | b'A'..=b'Z' | 0x80.. => b'a',
            byte => *byte,
        };
        let again = sign == b'a' && last == b'a';
        last = sign;
        (!again).then_some(sign)
    })
}

/// The columns of a stream while they are counted: fed with its lines, asked at any time.
///
/// Memory: at most about 150 MB, and 200 bytes a column for its bounds.
#[derive(Clone)]
pub struct Survey {
    form: Form,
    columns: Vec<Gathering>,
    lines: u64,
    empty_lines: u64,
    open_lines: Option<(u64, u64)>,
    /// Lines by their number of fields, and the first of each.
    by_fields: BTreeMap<usize, (u64, u64)>,
    /// The same for the usual numbers, without a search.
    by_few: [(u64, u64); 64],
    fields: Vec<Range<usize>>,
    hasher: foldhash::quality::FixedState,
}

impl Survey {
    /// Nothing counted yet.
    pub fn new(form: Form) -> Self {
        Self {
            form,
            columns: Vec::new(),
            lines: 0,
            empty_lines: 0,
            open_lines: None,
            by_fields: BTreeMap::new(),
            by_few: [(0, 0); 64],
            fields: Vec::new(),
            hasher: foldhash::quality::FixedState::with_seed(0),
        }
    }

    /// Lines so far, a heading with them.
    pub fn lines(&self) -> u64 {
        self.lines
    }

    /// Takes the next lines: whole ones, each with its newline but for the last of the stream.
    pub fn feed_whole(&mut self, lines: &[u8]) {
        if lines.is_empty() {
            return;
        }
        let mut rest = lines;
        // What is looked at together has a place in 32 bits.
        while !rest.is_empty() {
            let near = &rest[..rest.len().min(TOGETHER)];
            let end = match memchr::memrchr(b'\n', near) {
                Some(last) => last + 1,
                None => memchr::memchr(b'\n', rest).map_or(rest.len(), |at| at + 1),
            };
            self.feed_few(&rest[..end]);
            rest = &rest[end..];
        }
    }

    fn feed_few(&mut self, lines: &[u8]) {
        let inside = lines.strip_suffix(b"\n").unwrap_or(lines);
        let mut start = 0;
        for end in memchr::memchr_iter(b'\n', inside).chain([inside.len()]) {
            let line = &inside[start..end];
            self.note(line.strip_suffix(b"\r").unwrap_or(line), start);
            start = end + 1;
        }
        for column in &mut self.columns {
            column.count(lines, &self.hasher);
        }
    }

    /// Finds the fields of a line that begins at `start` of what is fed.
    fn note(&mut self, line: &[u8], start: usize) {
        let number = self.lines;
        self.lines += 1;
        if number == 0 && self.form.begins_apart() {
            return;
        }
        if line.is_empty() {
            self.empty_lines += 1;
            return;
        }
        if self.form.splitting.leaves_open(line) {
            self.open_lines.get_or_insert((0, number)).0 += 1;
            return;
        }
        let mut fields = std::mem::take(&mut self.fields);
        self.form.splitting.fill(line, &mut fields);
        let present = match self.form.splitting {
            Splitting::Pairs(_) => fields.iter().filter(|field| Splitting::has(field)).count(),
            _ => fields.len(),
        };
        match self.by_few.get_mut(present) {
            Some(few) if few.0 > 0 => few.0 += 1,
            Some(few) => *few = (1, number),
            None => self.by_fields.entry(present).or_insert((0, number)).0 += 1,
        }
        while self.columns.len() < fields.len().min(FIELDS) {
            let at = self.columns.len();
            let label = self.form.labels.get(at).map_or(&b""[..], |label| label);
            self.columns.push(Gathering::new(label, EXACT));
            // Many columns share what one may hold at most.
            let most = (EXACT_IN_ALL / self.columns.len()).clamp(1_000, EXACT);
            for column in &mut self.columns {
                column.most = most;
            }
        }
        for (column, field) in self.columns.iter_mut().zip(&fields) {
            if Splitting::has(field) {
                column.waiting.push(((start + field.start) as u32, (start + field.end) as u32));
            }
        }
        self.fields = fields;
    }

    /// What was found so far.
    pub fn table(&self) -> ColumnTable {
        let names = self.form.names();
        let columns = self.columns.iter().enumerate().map(|(at, column)| {
            column
                .column(at + 1, names.get(at).map(|name| &name[..]).filter(|name| !name.is_empty()))
        });
        let mut shapes = self.by_fields.clone();
        let few = self.by_few.iter().enumerate().filter(|(_, (lines, _))| *lines > 0);
        shapes.extend(few.map(|(fields, counted)| (fields, *counted)));
        let split: u64 = shapes.values().map(|(lines, _)| lines).sum();
        let usual = usual(&shapes, split);
        let odd = shapes.iter().filter(|(fields, _)| !usual.contains(fields));
        let mut odd: Vec<OddLines> = odd
            .map(|(fields, (lines, first))| OddLines {
                fields: Some(*fields),
                lines: *lines,
                first: *first,
            })
            .collect();
        let open = self.open_lines.map(|(lines, first)| OddLines { fields: None, lines, first });
        odd.extend(open);
        odd.sort_by_key(|odd| odd.first);
        let mut table = ColumnTable {
            splitting: self.form.splitting.clone(),
            lines: self.lines,
            data_lines: self.lines - u64::from(self.form.begins_apart() && self.lines > 0),
            apart: self.form.apart.filter(|_| self.lines > 0),
            empty_lines: self.empty_lines,
            usual,
            odd,
            columns: columns.collect(),
        };
        if table.before_text() < table.columns.len() {
            // Free text has as many words as it likes.
            let (least, most) = (*table.usual.start(), table.columns.len());
            let most = shapes.keys().last().map_or(most, |most| *most);
            table.usual = least..=most.max(*table.usual.end());
            table.odd.retain(|odd| odd.fields.is_none_or(|fields| fields < least));
        }
        table
    }
}

/// The numbers of fields that most lines have: from the most frequent one to those next to it until
/// 95 % of the lines have them, and further while 1 % of the lines have the next one.
fn usual(shapes: &BTreeMap<usize, (u64, u64)>, lines: u64) -> std::ops::RangeInclusive<usize> {
    let shapes: Vec<(usize, u64)> =
        shapes.iter().map(|(fields, (lines, _))| (*fields, *lines)).collect();
    let most = (0..shapes.len()).max_by_key(|at| shapes[*at].1);
    let Some(most) = most else { return 0..=0 };
    let of = |at: Option<usize>| at.and_then(|at| shapes.get(at)).map_or(0, |(_, lines)| *lines);
    let (mut from, mut to, mut covered) = (most, most, shapes[most].1);
    loop {
        let (before, after) = (of(from.checked_sub(1)), of(Some(to + 1)));
        let next = before.max(after);
        if next == 0 || next * 100 < lines && covered * 100 >= lines * 95 {
            return shapes[from].0..=shapes[to].0;
        }
        covered += next;
        if after == next { to += 1 } else { from -= 1 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table(splitting: Splitting, heading: Option<&str>, text: &str) -> ColumnTable {
        let heading = heading.map(|text| text.split(' ').map(str::to_owned).collect());
        let mut survey = Survey::new(Form { splitting, heading, ..Form::default() });
        survey.feed_whole(text.as_bytes());
        survey.table()
    }

    fn text(value: Option<&Vec<u8>>) -> &str {
        std::str::from_utf8(value.map_or(b"(none)", |value| value)).unwrap()
    }

    #[test]
    fn columns_are_counted() {
        let lines = "id size\n1 10K\n2 9\n3 1M\n3 \n4 x y\n\n";
        let table = table(Splitting::Byte(b' '), Some("id size"), lines);
        assert_eq!((table.lines, table.data_lines, table.empty_lines), (7, 6, 1));
        let [id, size, third] = &table.columns[..] else { panic!("three columns") };
        assert_eq!((id.name.as_deref(), id.kind, id.present), (Some("id"), Kind::Whole, 5));
        assert_eq!(
            (id.distinct, text(id.smallest.as_ref()), text(id.largest.as_ref())),
            (Distinct::Exact(4), "1", "4")
        );
        assert_eq!(id.frequent, [(b"3".to_vec(), 2)]);
        assert_eq!((size.present, size.filled, size.distinct), (5, 4, Distinct::Exact(4)));
        assert_eq!((text(third.largest.as_ref()), third.present, third.width), ("y", 1, 1));
        assert_eq!(table.usual, 2..=3);
    }

    #[test]
    fn strays_are_told_and_do_not_decide() {
        let mut lines: String =
            (0..300).map(|number| format!("{number} gate-{:02}\n", number % 7)).collect();
        lines.push_str("none gate-07 more and more of it\n");
        let table = table(Splitting::Blanks, None, &lines);
        let [number, gate, ..] = &table.columns[..] else { panic!("two columns") };
        assert_eq!((number.kind, number.others), (Kind::Whole, 1));
        assert_eq!((text(number.smallest.as_ref()), text(number.largest.as_ref())), ("0", "299"));
        assert_eq!((gate.kind, gate.shape.as_deref()), (Kind::Word, Some("a-00")));
        assert_eq!(gate.frequent[0], (b"gate-00".to_vec(), 43));
        assert_eq!(
            (table.usual, &table.odd[..]),
            (2..=2, &[OddLines { fields: Some(7), lines: 1, first: 300 }][..])
        );
    }

    #[test]
    fn lines_that_are_split_in_a_quote_are_told() {
        let table = table(Splitting::Quoted(b','), None, "1,\"a\n b\",2\n3,\"c,d\",4\n");
        assert_eq!(table.odd, [OddLines { fields: None, lines: 2, first: 0 }]);
        assert_eq!((table.columns.len(), table.columns[1].kind), (3, Kind::Word));
    }

    #[test]
    fn different_values_are_counted_exactly_and_then_closely() {
        let count = |many: usize| {
            let mut survey = Survey::new(Form { splitting: Splitting::Blanks, ..Form::default() });
            for start in (0..many).step_by(1_000) {
                let lines = start..many.min(start + 1_000);
                let lines: String = lines.map(|number| format!("{}\n", number * 7)).collect();
                survey.feed_whole(lines.as_bytes());
                survey.feed_whole(lines.as_bytes());
            }
            survey.table().columns.remove(0)
        };
        assert_eq!(count(EXACT).distinct, Distinct::Exact(EXACT as u64));
        for many in [EXACT + 1, 450_000] {
            let column = count(many);
            let Distinct::About { count, error } = column.distinct else { panic!("an estimate") };
            let off = (count as f64 / many as f64 - 1.0).abs();
            assert!(off < 0.02 && off < error, "{count} for {many}: {off} of {error}");
            assert_eq!((column.kind, text(column.smallest.as_ref())), (Kind::Whole, "0"));
            assert_eq!(text(column.largest.as_ref()), ((many - 1) * 7).to_string());
            assert!(column.frequent.is_empty());
        }
    }
}
