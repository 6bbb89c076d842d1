//! A run handed over: its figures as CSV and JSON, and a report to read.

use crate::describe::units::{byte_rate, bytes, duration, grouped, line_rate};
use crate::runs::record::{CommandRecord, RunRecord};

/// The columns of the figures, by their names.
const COLUMNS: [&str; 15] = [
    "command",
    "kind",
    "runs",
    "status",
    "lines_in",
    "lines_out",
    "bytes_in",
    "bytes_out",
    "elapsed_ns",
    "working_ns",
    "waiting_ns",
    "held_up_ns",
    "processor_ns",
    "peak_held_bytes",
    "linked",
];

/// A row a command, with a head (RFC 4180).
pub fn figures_csv(record: &RunRecord) -> String {
    let mut out =
        csv::WriterBuilder::new().terminator(csv::Terminator::Any(b'\n')).from_writer(Vec::new());
    // Writing to memory does not fail, and every row has the same columns.
    let _ = out.write_record(COLUMNS);
    for command in &record.commands {
        let numbers = [
            command.runs,
            u64::from(command.status),
            command.lines_in,
            command.lines_out,
            command.bytes_in,
            command.bytes_out,
            command.elapsed_ns,
            command.working_ns,
            command.waiting_ns,
            command.held_up_ns,
            command.processor_ns,
            command.peak_held_bytes,
            u64::from(command.linked),
        ];
        let words = [command.command.clone(), command.kind.clone()];
        let _ = out.write_record(words.into_iter().chain(numbers.map(|number| number.to_string())));
    }
    String::from_utf8(out.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// The whole run as one JSON document.
pub fn figures_json(record: &RunRecord) -> String {
    // Nothing in a run can fail to be written.
    super::json::readable_json(record)
}

/// What a report says, piece by piece, for both forms.
struct Facts {
    head: Vec<(&'static str, String)>,
    columns: Vec<&'static str>,
    rows: Vec<Vec<String>>,
    slowest: Option<String>,
}

fn facts(record: &RunRecord) -> Facts {
    let mut head = vec![("Began", format!("{} UTC", record.began.strftime("%F %T")))];
    if let Some(script) = &record.script {
        head.push(("Script", script.display().to_string()));
    }
    head.push(("In", record.directory.display().to_string()));
    head.push(("Ended", record.ended()));
    if let crate::runs::record::RunEnd::Failed(why) = &record.end {
        head.push(("Because", why.clone()));
    }
    head.push(("Took", duration(record.elapsed_ns)));
    for source in &record.sources {
        head.push(("Read", format!("{} ({})", source.path.display(), bytes(source.bytes))));
    }
    for file in &record.written {
        let what = format!(
            "{} ({}, {})",
            file.path.display(),
            crate::describe::units::lines(file.lines),
            bytes(file.bytes)
        );
        head.push(("Wrote", what));
    }
    let columns = vec![
        "",
        "command",
        "lines in",
        "lines out",
        "bytes in",
        "lines/s",
        "bytes/s",
        "working",
        "waiting",
        "held up",
        "processor",
        "memory",
        "status",
    ];
    let row = |(number, command): (usize, &CommandRecord)| {
        let seconds = (command.elapsed_ns as f64 / 1e9).max(1e-9);
        let share = |part: u64| crate::describe::units::percent(part, command.elapsed_ns);
        vec![
            (number + 1).to_string(),
            command.command.clone(),
            grouped(command.lines_in),
            grouped(command.lines_out),
            bytes(command.bytes_in),
            line_rate(command.lines() as f64 / seconds),
            byte_rate(command.bytes() as f64 / seconds),
            share(command.working_ns),
            share(command.waiting_ns),
            share(command.held_up_ns),
            duration(command.processor_ns),
            bytes(command.peak_held_bytes),
            command.status.to_string(),
        ]
    };
    Facts {
        head,
        columns,
        rows: record.commands.iter().enumerate().map(row).collect(),
        slowest: record.slowest.as_ref().map(|slowest| format!("Slowest: {slowest}.")),
    }
}

/// Text that means nothing to Markdown.
fn plain(text: &str) -> String {
    let mut out = String::new();
    for character in text.chars() {
        match character {
            '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|' | '~' | '&' => {
                out.push('\\');
                out.push(character);
            }
            character if character.is_control() => out.push('␣'),
            character => out.push(character),
        }
    }
    out
}

/// A block of code, fenced so that nothing in it ends it.
fn fenced(text: &str) -> String {
    let mut longest = 2;
    let mut run = 0;
    for character in text.chars() {
        run = if character == '`' { run + 1 } else { 0 };
        longest = longest.max(run);
    }
    let fence = "`".repeat(longest + 1);
    // Whoever looks at it in a terminal has it raw.
    format!("{fence}sh\n{}\n{fence}\n", stream::visible(text))
}

/// Text that means nothing to HTML.
pub(crate) fn escaped(text: &str) -> String {
    let mut out = String::new();
    for character in text.chars() {
        match character {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            '\n' | '\t' => out.push(character),
            character if character.is_control() => out.push('\u{fffd}'),
            character => out.push(character),
        }
    }
    out
}

fn title(record: &RunRecord) -> String {
    match record.commands.len() {
        1 => "A run of 1 stage".to_owned(),
        stages => format!("A run of {stages} stages"),
    }
}

/// The report in Markdown; `drawings` are SVG documents with their titles, put in as they are.
pub fn report_markdown(record: &RunRecord, drawings: &[(&str, String)]) -> String {
    let facts = facts(record);
    let mut out = format!("# {}\n\n", title(record));
    out.push_str(&fenced(&record.text));
    out.push('\n');
    for (name, value) in &facts.head {
        out.push_str(&format!("- {name}: {}\n", plain(value)));
    }
    out.push_str(&format!("\n| {} |\n", facts.columns.join(" | ")));
    let align = |at: usize| if at == 1 { "---" } else { "---:" };
    let marks: Vec<&str> = (0..facts.columns.len()).map(align).collect();
    out.push_str(&format!("| {} |\n", marks.join(" | ")));
    for row in &facts.rows {
        let cells: Vec<String> = row.iter().map(|cell| plain(cell)).collect();
        out.push_str(&format!("| {} |\n", cells.join(" | ")));
    }
    if let Some(slowest) = &facts.slowest {
        out.push_str(&format!("\n{}\n", plain(slowest)));
    }
    for (title, svg) in drawings {
        // A blank line would end the block that HTML makes in Markdown.
        let svg: Vec<&str> = svg.lines().filter(|line| !line.trim().is_empty()).collect();
        out.push_str(&format!("\n## {title}\n\n<div>\n{}\n</div>\n", svg.join("\n")));
    }
    out
}

/// The report as one HTML document that needs nothing else.
pub fn report_html(record: &RunRecord, drawings: &[(&str, String)]) -> String {
    let facts = facts(record);
    let title = title(record);
    let mut out = format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>{title}</title>\n\
         <style>\nbody {{ font: 15px/1.5 sans-serif; max-width: 72em; margin: 2em auto; padding: 0 1em; color: #2a2e33; background: #fff; }}\n\
         pre, td:nth-child(2) {{ font-family: monospace; white-space: pre-wrap; overflow-wrap: anywhere; }}\n\
         pre {{ background: #f4f2ec; padding: 0.8em; }}\n\
         table {{ border-collapse: collapse; font-size: 13px; }}\n\
         .figures {{ overflow-x: auto; }}\n\
         th, td {{ padding: 0.2em 0.5em; border-bottom: 1px solid #d9d4c8; text-align: right; vertical-align: top; font-variant-numeric: tabular-nums; white-space: nowrap; }}\n\
         th {{ white-space: normal; vertical-align: bottom; }}\n\
         th:nth-child(2), td:nth-child(2) {{ text-align: left; min-width: 14em; white-space: pre-wrap; }}\n\
         @media print {{ .figures {{ overflow: visible; }} table {{ font-size: 8px; }} svg {{ break-inside: avoid; }} }}\n\
         dl {{ display: grid; grid-template-columns: max-content 1fr; gap: 0 1em; }} dd {{ margin: 0; overflow-wrap: anywhere; }}\n\
         svg {{ max-width: 100%; height: auto; }}\n</style>\n</head>\n<body>\n<h1>{title}</h1>\n"
    );
    out.push_str(&format!("<pre>{}</pre>\n<dl>\n", escaped(&record.text)));
    for (name, value) in &facts.head {
        out.push_str(&format!("<dt>{name}</dt><dd>{}</dd>\n", escaped(value)));
    }
    out.push_str("</dl>\n<div class=\"figures\">\n<table>\n<tr>");
    for column in &facts.columns {
        out.push_str(&format!("<th>{column}</th>"));
    }
    out.push_str("</tr>\n");
    for row in &facts.rows {
        out.push_str("<tr>");
        for cell in row {
            out.push_str(&format!("<td>{}</td>", escaped(cell)));
        }
        out.push_str("</tr>\n");
    }
    out.push_str("</table>\n</div>\n");
    if let Some(slowest) = &facts.slowest {
        out.push_str(&format!("<p>{}</p>\n", escaped(slowest)));
    }
    for (title, svg) in drawings {
        out.push_str(&format!("<h2>{title}</h2>\n{svg}\n"));
    }
    out.push_str("</body>\n</html>\n");
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record() -> RunRecord {
        let command = CommandRecord {
            command: "grep \"<b>\" 'a|b' f".to_owned(),
            name: "grep".to_owned(),
            kind: "filter".to_owned(),
            lines_in: 1_204_331,
            bytes_in: 1 << 20,
            elapsed_ns: 2_000_000_000,
            working_ns: 1_500_000_000,
            waiting_ns: 500_000_000,
            ..CommandRecord::default()
        };
        let text = "grep \"<b>\" 'a|b' f # ```` <script>".to_owned();
        RunRecord { text, commands: vec![command], ..RunRecord::default() }
    }

    #[test]
    fn csv_doubles_quotes_and_has_as_many_fields_as_columns() {
        let csv = figures_csv(&record());
        let mut rows = csv.split('\n');
        assert_eq!(rows.next().map(|head| head.split(',').count()), Some(COLUMNS.len()));
        assert!(
            rows.next().unwrap().starts_with("\"grep \"\"<b>\"\" 'a|b' f\",filter,0,0,1204331,")
        );
    }

    #[test]
    fn json_gives_the_run_back() {
        let back: RunRecord = serde_json::from_str(&figures_json(&record())).unwrap();
        assert_eq!(back, record());
    }

    #[test]
    fn a_report_has_all_that_is_known_of_a_run() {
        let mut record = record();
        let first = &record.commands[0];
        let second = CommandRecord {
            command: "sort -r".to_owned(),
            name: "sort".to_owned(),
            lines_in: 12,
            lines_out: 12,
            bytes_in: 300,
            bytes_out: 300,
            held_up_ns: 100_000_000,
            processor_ns: 1_200_000_000,
            peak_held_bytes: 5 << 20,
            status: 2,
            ..first.clone()
        };
        record.commands.push(second);
        record.directory = "/data".into();
        record.script = Some("/data/a.sh".into());
        record.end = crate::runs::record::RunEnd::Failed("no <space> left".to_owned());
        record.elapsed_ns = 2_500_000_000;
        record.sources =
            vec![crate::SourceRecord { path: "/data/gate.log".into(), bytes: 1 << 20 }];
        record.slowest = Some("sort holds everything".to_owned());
        let drawings = [("Diagram", "<svg>\n</svg>".to_owned())];
        insta::assert_snapshot!("report-markdown", report_markdown(&record, &drawings));
        insta::assert_snapshot!("report-html", report_html(&record, &drawings));
        insta::assert_snapshot!("figures-csv", figures_csv(&record).replace("\r\n", "␍\n"));
    }

    #[test]
    fn nothing_in_a_text_ends_its_place() {
        let markdown = report_markdown(&record(), &[("Diagram", "<svg>\n\n</svg>".into())]);
        assert!(markdown.starts_with("# A run of 1 stage\n"));
        assert!(markdown.contains("`````sh\n"));
        assert!(markdown.contains("\\<b\\>") && markdown.contains("a\\|b"));
        assert!(markdown.contains("<svg>\n</svg>"));
        assert!(markdown.contains("75.0 %"));
        let html = report_html(&record(), &[]);
        assert!(!html.contains("<script>") && !html.contains("<b>"));
        assert!(html.contains("&lt;script&gt;"));
    }
}
