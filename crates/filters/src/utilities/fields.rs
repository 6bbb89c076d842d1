//! Fields by name out of records of open formats. A filter of our own.

use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Dropped, Filter, Operands, OptionId, OptionSpec, Spec, Style,
    UsageError, Verb, example, long_option, option,
};
use crate::text::phrases::{file_name, list};

mod csv;
mod detect;
mod json;
mod one_line;
mod pairs;
mod reading;
mod seen;
mod value;
mod written;

use detect::Form;
use json::Json;
use one_line::OneLine;
use seen::Seen;
use value::Value;
use written::Written;

const JSON: OptionId = OptionId::Long("json");
const CSV: OptionId = OptionId::Long("csv");
const TSV: OptionId = OptionId::Long("tsv");
const PAIRS: OptionId = OptionId::Long("pairs");
const AS: OptionId = OptionId::Long("as");
const HEADING: OptionId = OptionId::Long("heading");

const OPTIONS: &[OptionSpec] = &[
    long_option("json", None, "the data is JSON, one record a line (RFC 8259)", false),
    long_option("csv", None, "the data is CSV (RFC 4180)", false),
    long_option("tsv", None, "the data is CSV with TAB between the fields", false),
    long_option("pairs", None, "the data has name=value pairs, one record a line", false),
    option('d', "delimiter", Some("CHAR"), "CSV: what is between the fields", false),
    option('n', "numbers", None, "CSV: no heading; the fields are called 1, 2, 3 …", false),
    long_option("as", Some("FORM"), "write csv, json or pairs; else TAB between the fields", false),
    long_option("heading", None, "begin with a line of the names (csv always does)", false),
    option(
        'k',
        "keep-bad",
        None,
        "pass on records that cannot be read; else they are dropped",
        false,
    ),
    option('q', "quiet", None, "do not print what was missing or could not be read", false),
    option('f', "file", Some("FILE"), "read this file, not standard input; may be repeated", false),
];

static SPEC: Spec = Spec {
    name: "fields",
    summary: "writes fields by name out of JSON lines, CSV and name=value pairs",
    options: OPTIONS,
    operands: Operands::Values,
    operand_names: "[name …]",
    style: Style::Usual,
    usage_status: 2,
    examples: &[
        example(
            "fields < cabins.csv",
            "which fields there are, in how many records, and the first value",
        ),
        example("fields cabin name < cabins.csv", "two columns, with TAB between them"),
        example(
            "fields card zone < gate.log | sort -u",
            "values of name=value pairs among other words",
        ),
        example(
            "fields -q time cabin /winch/load --as csv < events.json",
            "nested fields by their pointer",
        ),
    ],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Fields {
    form: Option<Form>,
    delimiter: Option<u8>,
    numbers: bool,
    written: Written,
    heading: bool,
    keep_bad: bool,
    quiet: bool,
    names: Vec<Vec<u8>>,
    files: Vec<Vec<u8>>,
}

fn parse(arguments: &Arguments) -> Result<Fields, UsageError> {
    let hint = |word: Option<usize>, message: &str| UsageError::with_hint(&SPEC, word, message);
    let mut forms = arguments.options.iter().filter_map(|given| {
        let form = match given.id {
            JSON => Form::Json,
            CSV => Form::Csv(b','),
            TSV => Form::Csv(b'\t'),
            PAIRS => Form::Pairs,
            _ => return None,
        };
        Some((form, given.word))
    });
    let form = forms.next();
    if let (Some((first, _)), Some((_, word))) =
        (form, forms.find(|(other, _)| form.is_some_and(|(form, _)| form != *other)))
    {
        return Err(hint(Some(word), &format!("the data is {} already", first.name())));
    }
    let delimiter = match arguments.last('d') {
        None => None,
        Some(given) => match given.value[..] {
            [byte] if byte != b'"' && byte != b'\n' => Some(byte),
            _ if given.value == b"\\t" => Some(b'\t'),
            _ => return Err(hint(Some(given.word), "the delimiter is one character, not a quote")),
        },
    };
    let written = match arguments.last(AS) {
        None => Written::Tab,
        Some(given) => match &given.value[..] {
            b"csv" => Written::Csv,
            b"json" => Written::Json,
            b"pairs" => Written::Pairs,
            b"tab" => Written::Tab,
            _ => return Err(hint(Some(given.word), "written as what? csv, json, pairs or tab")),
        },
    };
    if let (Some((Form::Json | Form::Pairs, _)), Some(given)) =
        (form, arguments.last('d').or(arguments.last('n')))
    {
        return Err(hint(Some(given.word), "-d and -n are for CSV"));
    }
    Ok(Fields {
        form: form.map(|(form, _)| form),
        delimiter,
        numbers: arguments.has('n'),
        written,
        heading: arguments.has(HEADING) || written == Written::Csv,
        keep_bad: arguments.has('k'),
        quiet: arguments.has('q'),
        names: arguments.operand_values(),
        files: arguments.all('f').map(|given| given.value.clone()).collect(),
    })
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    parse(arguments).map(|fields| Box::new(fields) as Box<dyn Filter>)
}

fn explain(arguments: &Arguments) -> String {
    let Ok(fields) = parse(arguments) else { return SPEC.summary.to_owned() };
    let data = match fields.form {
        Some(Form::Json) => "the JSON records",
        Some(Form::Csv(_)) => "the CSV records",
        Some(Form::Pairs) => "the name=value pairs",
        None => "the records",
    };
    let files: Vec<String> = fields.files.iter().map(|file| file_name(file)).collect();
    let of = if files.is_empty() { String::new() } else { format!(" of {}", list(&files)) };
    if fields.names.is_empty() {
        return format!(
            "lists the fields of {data}{of}, in how many records each is, and its first value"
        );
    }
    let names: Vec<String> =
        fields.names.iter().map(|name| String::from_utf8_lossy(name).into_owned()).collect();
    let form = match fields.written {
        Written::Tab => "with TAB between them",
        Written::Csv => "as CSV",
        Written::Json => "as JSON",
        Written::Pairs => "as name=value pairs",
    };
    format!("writes {} of {data}{of}, {form}", list(&names))
}

impl Filter for Fields {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        let mut seen = Seen::of(self.names.len());
        let mut head = self.heading && !self.names.is_empty();
        io.each_input(&files, 2, |io, input, _| {
            if std::mem::take(&mut head) {
                let mut line = Vec::new();
                self.written.heading(&self.names, &mut line);
                io.out().put(&line, Origin::None)?;
            }
            self.read(io, input, &mut seen)
        })?;
        if self.names.is_empty() {
            for (name, records, first) in seen.listed() {
                let mut line = Vec::new();
                let values = [
                    Value::Text(name.into()),
                    Value::Text(records.to_string().into_bytes().into()),
                    Value::Text(first.into()),
                ];
                let names = [b"name".to_vec(), b"records".to_vec(), b"first".to_vec()];
                self.written.record(&names, &values, &mut line);
                io.out().put(&line, Origin::None)?;
            }
        }
        if !self.quiet {
            for line in seen.told(&self.names, self.keep_bad) {
                io.message(&line)?;
            }
        }
        Ok(if seen.bad > 0 { ExitStatus(1) } else { io.status() })
    }

    fn verb(&self) -> Verb {
        if self.names.is_empty() { Verb::Merges } else { Verb::Edits }
    }

    fn verb_varies(&self) -> bool {
        true
    }

    fn why_dropped(&self, dropped: &Dropped<'_>) -> Option<String> {
        if self.names.is_empty() {
            return None;
        }
        if dropped.line.iter().all(u8::is_ascii_whitespace) {
            return Some("an empty line is not a record".to_owned());
        }
        let form = self.form.or_else(|| {
            let first = dropped.lines.line(dropped.input, 0)?;
            detect::form(&[&first, dropped.line])
        })?;
        let bad = match form {
            Form::Json | Form::Pairs => {
                OneLine::new(form, &self.names).values(dropped.line, &mut Vec::new()).err()?
            }
            Form::Csv(_) if dropped.number == 0 && !self.numbers => {
                return Some("the heading of the CSV data".to_owned());
            }
            Form::Csv(_) => return None,
        };
        Some(format!("a record that cannot be read: {}", bad.why))
    }

    fn marks(&self, line: &[u8]) -> Vec<std::ops::Range<usize>> {
        let form = self.form.or_else(|| detect::form(&[line]));
        match form {
            Some(Form::Json) => Json::new(&self.names).places(line),
            Some(Form::Pairs) => pairs::places(line, &self.names),
            _ => Vec::new(),
        }
    }
}
