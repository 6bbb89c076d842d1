//! A table of columns handed over: as text, CSV and JSON.

use serde_json::{Value, json};

use crate::columns::table::{Column, ColumnTable, Distinct};
use crate::columns::words::COLUMN_HEADINGS;
use crate::describe::units::grouped;

/// To read: the splitting, a row a column, the lines that do not fit.
pub fn columns_text(table: &ColumnTable) -> String {
    let lines =
        if table.lines == 1 { "1 line" } else { &format!("{} lines", grouped(table.lines)) };
    let mut out = format!("{lines}, {}\n", table.splitting_in_words());
    let shown = &table.columns[..table.before_text()];
    let rows: Vec<[String; 8]> = shown.iter().map(|column| column.cells(table)).collect();
    let width = |at: usize| {
        let cells = rows.iter().map(|row| row[at].chars().count());
        cells.chain([COLUMN_HEADINGS[at].len()]).max().unwrap_or(0)
    };
    let widths: Vec<usize> = (0..COLUMN_HEADINGS.len()).map(width).collect();
    let headings = COLUMN_HEADINGS.map(str::to_owned);
    if !rows.is_empty() {
        out.push('\n');
    }
    let head = if rows.is_empty() { None } else { Some(&headings) };
    for row in head.into_iter().chain(&rows) {
        let mut line = String::new();
        for (at, cell) in row.iter().enumerate() {
            let pad = widths[at] - cell.chars().count();
            // Numbers stand at the right.
            let (before, after) = if matches!(at, 0 | 3 | 4) { (pad, 0) } else { (0, pad) };
            line.push_str(&format!("{:before$}{cell}{:after$}  ", "", ""));
        }
        out.push_str(line.trim_end());
        out.push('\n');
    }
    let text = table.text_in_words();
    if !text.is_empty() {
        out.push_str(&format!("\n· {text}\n"));
    }
    let odd = table.odd_in_words();
    if !odd.is_empty() {
        out.push('\n');
    }
    for sentence in odd {
        out.push_str(&format!("! {sentence}\n"));
    }
    out
}

fn text(value: &[u8]) -> String {
    String::from_utf8_lossy(value).into_owned()
}

fn numbers(column: &Column) -> (u64, Option<f64>) {
    match column.distinct {
        Distinct::Exact(count) => (count, None),
        Distinct::About { count, error } => (count, Some(error)),
    }
}

/// A row a column, with a head (RFC 4180).
pub fn columns_csv(table: &ColumnTable) -> String {
    let mut out =
        csv::WriterBuilder::new().terminator(csv::Terminator::Any(b'\n')).from_writer(Vec::new());
    let head = [
        "field",
        "heading",
        "kind",
        "lines",
        "filled",
        "other_kinds",
        "different",
        "different_error",
        "smallest",
        "largest",
        "width",
        "value_1",
        "times_1",
        "value_2",
        "times_2",
        "value_3",
        "times_3",
    ];
    // Writing to memory does not fail, and every row has the same columns.
    let _ = out.write_record(head);
    for column in &table.columns {
        let (different, error) = numbers(column);
        let value = |value: &Option<Vec<u8>>| value.as_deref().map(text).unwrap_or_default();
        let mut row = vec![
            column.number.to_string(),
            column.heading(),
            column.kind.name().to_owned(),
            column.present.to_string(),
            column.filled.to_string(),
            column.others.to_string(),
            different.to_string(),
            error.map(|error| format!("{error:.4}")).unwrap_or_default(),
            value(&column.smallest),
            value(&column.largest),
            column.width.to_string(),
        ];
        for at in 0..3 {
            let frequent = column.frequent.get(at);
            row.push(frequent.map(|(value, _)| text(value)).unwrap_or_default());
            row.push(frequent.map(|(_, times)| times.to_string()).unwrap_or_default());
        }
        let _ = out.write_record(row);
    }
    String::from_utf8(out.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// All of it as one JSON document.
pub fn columns_json(table: &ColumnTable) -> String {
    let column = |column: &Column| {
        let (different, error) = numbers(column);
        let frequent = column.frequent.iter();
        json!({
            "field": column.number,
            "heading": column.name,
            "label": (!column.label.is_empty()).then(|| text(&column.label)),
            "kind": column.kind.name(),
            "form": column.shape,
            "lines": column.present,
            "filled": column.filled,
            "other_kinds": column.others,
            "different": different,
            "different_error": error,
            "smallest": column.smallest.as_deref().map(text),
            "largest": column.largest.as_deref().map(text),
            "most_frequent": frequent
                .map(|(value, times)| json!({ "value": text(value), "lines": times }))
                .collect::<Vec<Value>>(),
            "width": column.width,
        })
    };
    let odd = table.odd.iter().map(
        |odd| json!({ "fields": odd.fields, "lines": odd.lines, "first_line": odd.first + 1 }),
    );
    let document = json!({
        "splitting": table.splitting.name(),
        "lines": table.lines,
        "has_heading": table.data_lines < table.lines,
        "empty_lines": table.empty_lines,
        "usual_fields": [table.usual.start(), table.usual.end()],
        "columns": table.columns.iter().map(column).collect::<Vec<Value>>(),
        "other_lines": odd.collect::<Vec<Value>>(),
    });
    super::json::readable_json(&document)
}
