//! What is offered for a value, a column, a piece of text.

use super::access::Access;
use super::escape::{basic_pattern, grep, program, replacement};
use super::field::Field;
use super::ground::{Ground, Spot};
use super::offer::{Group, Offer, offer, shown};
use crate::columns::splitting::Splitting;
use crate::columns::table::FEW;

/// Everything that can be done with what is pointed at. What the shell cannot say, as text that is
/// not UTF-8, is not offered.
pub fn offers(ground: &Ground, spot: &Spot) -> Vec<Offer> {
    // A record of several lines has its fields in none of them.
    let field = spot.field.filter(|_| !ground.form.splitting.leaves_open(&spot.text));
    let fields = ground.fields(&spot.text);
    let place = field.and_then(|at| fields.get(at)).filter(|field| Splitting::has(field));
    let value = place.and_then(|place| std::str::from_utf8(&spot.text[place.clone()]).ok());
    let marked = spot.marked.clone().and_then(|marked| spot.text.get(marked));
    let marked = marked.and_then(|marked| std::str::from_utf8(marked).ok());
    let mut all = Vec::new();
    if let Some(number) = field.map(|at| at + 1)
        && let Some(access) = Access::of(&ground.form.splitting, number, ground.all_ascii)
    {
        let field = Field { ground, number, access, column: ground.table.columns.get(number - 1) };
        if let Some(value) = value.filter(|_| marked.is_none()) {
            field.of_value(value, &mut all);
        }
        if let Some(text) = marked.or(value).filter(|text| is_sayable(text)) {
            of_text(text, &mut all);
        }
        of_line(spot, &mut all);
        // Of a few values one is mostly meant, of many the column as such.
        let few = field.column.is_some_and(|column| column.distinct.count() <= FEW);
        if spot.line.is_none() && few {
            field.of_frequent_values(&mut all);
        }
        if marked.is_none() {
            field.of_column(&mut all);
        }
        if spot.line.is_none() && !few {
            field.of_frequent_values(&mut all);
        }
    } else {
        if let Some(text) = marked.filter(|text| is_sayable(text)) {
            of_text(text, &mut all);
        }
        of_line(spot, &mut all);
    }
    if let Some(text) = marked.or(value).filter(|text| is_sayable(text)) {
        around_text(text, &mut all);
    }
    if let Some(range) = spot.marked.clone().filter(|_| spot.text.is_ascii() && ground.all_ascii) {
        let list = format!("{}-{}", range.start + 1, range.end);
        let says = format!("characters {} to {} of each line", range.start + 1, range.end);
        all.push(offer(Group::Columns, says, format!("cut -c{list}")));
    }
    all
}

/// True for text that a pattern can be made of.
fn is_sayable(text: &str) -> bool {
    !text.is_empty() && !text.contains(['\n', '\0'])
}

fn of_text(text: &str, all: &mut Vec<Offer>) {
    let says = shown(text);
    all.push(offer(Group::Lines, format!("keep the lines with {says} anywhere"), grep("", text)));
    all.push(offer(Group::Lines, format!("drop the lines with {says} anywhere"), grep("-v", text)));
    let around = format!("the same with 3 lines around each {says}");
    all.push(offer(Group::Lines, around, grep("-C 3", text)));
}

fn of_line(spot: &Spot, all: &mut Vec<Offer>) {
    let Some(line) = spot.line else { return };
    if let Some(other) = spot.other_line.filter(|other| *other != line) {
        let (from, to) = (line.min(other), line.max(other));
        let says = format!("lines {from} to {to}");
        all.push(offer(Group::Lines, says, format!("sed -n {from},{to}p")));
        let says = format!("without lines {from} to {to}");
        all.push(offer(Group::Lines, says, format!("sed {from},{to}d")));
    }
    if line > 1 {
        let says = format!("from line {line} on");
        all.push(offer(Group::Lines, says, format!("tail -n +{line}")));
    }
    let says =
        if line == 1 { "the first line alone".to_owned() } else { format!("up to line {line}") };
    all.push(offer(Group::Lines, says, format!("head -n {line}")));
}

fn around_text(text: &str, all: &mut Vec<Offer>) {
    let (pattern, says) = (basic_pattern(text), shown(text));
    let sed = |script: String| format!("sed {}", program(&script));
    let mut replace = offer(
        Group::Change,
        format!("replace {says} by … (asked)"),
        sed(format!("s/{pattern}//g")),
    );
    replace.replaces = Some(text.to_owned());
    all.push(replace);
    all.push(offer(
        Group::Change,
        format!("remove {says} everywhere"),
        sed(format!("s/{pattern}//g")),
    ));
    let before = format!("what is before the first {says}");
    all.push(offer(Group::Change, before, sed(format!("s/{pattern}.*//"))));
    let after = format!("what is after the last {says}");
    all.push(offer(Group::Change, after, sed(format!("s/.*{pattern}//"))));
    let apart = format!("a blank before each {says}: a field of its own");
    all.push(offer(Group::Change, apart, sed(format!("s/{pattern}/ &/g"))));
}

/// The stage that puts `new` in the place of `old`.
pub fn replacing(old: &str, new: &str) -> String {
    format!("sed {}", program(&format!("s/{}/{}/g", basic_pattern(old), replacement(new))))
}
