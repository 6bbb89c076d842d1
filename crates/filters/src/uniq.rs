use stream::{ExitStatus, InputTrouble, LineId, Origin, StageError, StageIo};

use crate::arguments::shown;
use crate::registry::Definition;
use crate::spec::{example, option};
use crate::words::from_files;
use crate::{Arguments, Filter, Operands, OptionSpec, Spec, Style, UsageError, Verb};

const OPTIONS: &[OptionSpec] = &[
    option('c', "count", None, "put the number of repeats before each line", true),
    option('d', "repeated", None, "only lines that are repeated", true),
    option('i', "ignore-case", None, "upper and lower case are the same", false),
    option('u', "unique", None, "only lines that are not repeated", true),
];

static SPEC: Spec = Spec {
    name: "uniq",
    summary: "collapses equal lines that follow each other into one",
    options: OPTIONS,
    operands: Operands::OneFile,
    operand_names: "[file]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[
        example("sort spares-upper.txt | uniq -c", "how often each line occurs"),
        example("sort spares-upper.txt | uniq -d", "the lines that occur more than once"),
    ],
};

pub(crate) static DEFINITION: Definition = Definition { spec: &SPEC, build, explain };

struct Uniq {
    files: Vec<Vec<u8>>,
    count: bool,
    repeated: bool,
    single: bool,
    ignore_case: bool,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    if let Some(extra) = arguments.operands.get(1) {
        let message = if arguments.operands.len() > 2 {
            format!("extra operand {}", shown(&arguments.operands[2].value))
        } else {
            "a second file, to write to, is not supported yet; use >".to_owned()
        };
        return Err(UsageError::new(&SPEC, Some(extra.word), message));
    }
    Ok(Box::new(Uniq {
        files: arguments.operand_values(),
        count: arguments.has('c'),
        repeated: arguments.has('d'),
        single: arguments.has('u'),
        ignore_case: arguments.has('i'),
    }))
}

fn explain(arguments: &Arguments) -> String {
    let files = from_files(&arguments.operand_values());
    let case = if arguments.has('i') { ", case ignored" } else { "" };
    let what = match (arguments.has('d'), arguments.has('u')) {
        (false, false) => "collapses equal lines that follow each other into one",
        (true, false) => "keeps one of each group of equal lines that follow each other",
        (false, true) => "keeps lines that differ from both neighbours",
        (true, true) => "keeps nothing: -d and -u exclude each other",
    };
    let count = if arguments.has('c') { ", with their number before it" } else { "" };
    format!("{what}{files}{case}{count}")
}

/// The group of equal lines being read.
struct Group {
    line: Vec<u8>,
    first: LineId,
    last: LineId,
    count: u64,
}

impl Filter for Uniq {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        io.each_input(&files, 1, |io, input, _| {
            let mut group: Option<Group> = None;
            while let Some(lines) = input.next_lines()? {
                for (id, line) in lines.iter() {
                    match &mut group {
                        Some(group) if self.same(&group.line, line) => {
                            group.count += 1;
                            group.last = id;
                        }
                        Some(group) => {
                            self.write(io, group)?;
                            group.line.clear();
                            group.line.extend_from_slice(line);
                            (group.first, group.last, group.count) = (id, id, 1);
                        }
                        None => {
                            group =
                                Some(Group { line: line.to_vec(), first: id, last: id, count: 1 });
                        }
                    }
                }
            }
            if let Some(group) = &group {
                self.write(io, group)?;
            }
            Ok(())
        })?;
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        if self.count { Verb::Merges } else { Verb::Keeps }
    }
}

impl Uniq {
    fn same(&self, one: &[u8], other: &[u8]) -> bool {
        if self.ignore_case { one.eq_ignore_ascii_case(other) } else { one == other }
    }

    fn write(&self, io: &mut StageIo<'_>, group: &Group) -> Result<(), InputTrouble> {
        if self.repeated && group.count == 1 || self.single && group.count > 1 {
            return Ok(());
        }
        let origin = Origin::Range(group.first, group.last);
        if self.count {
            let mut whole = format!("{:7} ", group.count).into_bytes();
            whole.extend_from_slice(&group.line);
            io.out().line(&whole, origin)?;
        } else {
            io.out().line(&group.line, origin)?;
        }
        Ok(())
    }
}
