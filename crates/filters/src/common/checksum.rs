//! What `md5sum` and `sha256sum` share.

use sha2::{Digest, Sha256};
use stream::{ExitStatus, Input, InputTrouble, LineId, Origin, ReadError, StageError, StageIo};

use crate::spec::{
    Arguments, Filter, OptionId, OptionSpec, Spec, UsageError, Verb, long_option, option,
};
use crate::text::phrases::from_files;

const QUIET: OptionId = OptionId::Long("quiet");
const STATUS: OptionId = OptionId::Long("status");
const STRICT: OptionId = OptionId::Long("strict");
const TAG: OptionId = OptionId::Long("tag");
const IGNORE_MISSING: OptionId = OptionId::Long("ignore-missing");

pub(crate) const OPTIONS: &[OptionSpec] = &[
    option('b', "binary", None, "mark the files as read in binary (a star before the name)", false),
    option('c', "check", None, "read sums from the files and compare", false),
    option('t', "text", None, "mark the files as text (a space before the name)", false),
    option('w', "warn", None, "with -c: report lines that are not checksums", false),
    option('z', "zero", None, "end lines with NUL, names as they are", false),
    long_option("quiet", None, "with -c: print nothing for files that match", false),
    long_option("status", None, "with -c: print nothing; only set the status", false),
    long_option("strict", None, "with -c: fail when a line is not a checksum", false),
    long_option("tag", None, "write the name of the checksum on each line", false),
    long_option("ignore-missing", None, "with -c: skip files that do not exist", false),
];

/// Every line read so far.
pub(crate) fn whole(input: &Input) -> Origin<'static> {
    let number = input.number();
    let lines = input.newlines() + u64::from(!input.at_line_start());
    match lines.checked_sub(1) {
        None => Origin::None,
        Some(last) => Origin::Range(LineId::new(number, 0), LineId::new(number, last)),
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    Md5,
    Sha256,
}

impl Kind {
    fn name(self) -> &'static str {
        match self {
            Self::Md5 => "MD5",
            Self::Sha256 => "SHA256",
        }
    }

    fn digits(self) -> usize {
        match self {
            Self::Md5 => 32,
            Self::Sha256 => 64,
        }
    }

    fn sum(self, input: &mut Input) -> Result<String, ReadError> {
        fn of<D: Digest>(input: &mut Input) -> Result<String, ReadError> {
            let mut digest = D::new();
            while let Some(lines) = input.next_block()? {
                digest.update(&lines.bytes);
            }
            Ok(digest.finalize().iter().map(|byte| format!("{byte:02x}")).collect())
        }
        match self {
            Self::Md5 => of::<md5::Md5>(input),
            Self::Sha256 => of::<Sha256>(input),
        }
    }
}

struct Sums {
    kind: Kind,
    files: Vec<Vec<u8>>,
    check: bool,
    star: bool,
    zero: bool,
    tag: bool,
    quiet: bool,
    silent: bool,
    strict: bool,
    warn: bool,
    ignore_missing: bool,
}

pub(crate) fn build(
    arguments: &Arguments,
    kind: Kind,
    spec: &'static Spec,
) -> Result<Box<dyn Filter>, UsageError> {
    let check = arguments.has('c');
    for (short, name) in [
        (QUIET, "quiet"),
        (STATUS, "status"),
        (STRICT, "strict"),
        (IGNORE_MISSING, "ignore-missing"),
        (OptionId::Letter('w'), "warn"),
    ] {
        if let (false, Some(given)) = (check, arguments.last(short)) {
            let message =
                format!("the --{name} option is meaningful only when verifying checksums");
            return Err(UsageError::with_hint(spec, Some(given.word), &message));
        }
    }
    for (short, message) in [
        (TAG, "the --tag option is meaningless when verifying checksums"),
        (OptionId::Letter('z'), "the --zero option is not supported when verifying checksums"),
        (
            OptionId::Letter('b'),
            "the --binary and --text options are meaningless when verifying checksums",
        ),
        (
            OptionId::Letter('t'),
            "the --binary and --text options are meaningless when verifying checksums",
        ),
    ] {
        if let (true, Some(given)) = (check, arguments.last(short)) {
            return Err(UsageError::with_hint(spec, Some(given.word), message));
        }
    }
    let letter = arguments.options.iter().rev().find(|given| given.is_one_of("bt"));
    Ok(Box::new(Sums {
        kind,
        files: arguments.operand_values(),
        check,
        star: letter.is_some_and(|given| given.id == 'b'),
        zero: arguments.has('z'),
        tag: arguments.has(TAG),
        quiet: arguments.has(QUIET) || arguments.has(STATUS),
        silent: arguments.has(STATUS),
        strict: arguments.has(STRICT),
        warn: arguments.has('w'),
        ignore_missing: arguments.has(IGNORE_MISSING),
    }))
}

pub(crate) fn explain(arguments: &Arguments) -> String {
    let files = from_files(&arguments.operand_values());
    if arguments.has('c') {
        format!("reads sums{files} and says of each file whether it agrees")
    } else {
        format!("writes the sum{files}")
    }
}

impl Filter for Sums {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let files = std::mem::take(&mut self.files);
        if self.check {
            io.each_input(&files, 1, |io, input, name| self.check_list(io, input, name))?;
        } else {
            io.each_input(&files, 1, |io, input, name| {
                let sum = self.kind.sum(input)?;
                let line = self.line(&sum, &io.shown_name(name));
                io.out().put(&line, whole(input))?;
                Ok(())
            })?;
        }
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        if self.check { Verb::Edits } else { Verb::Merges }
    }
}

/// How the entries of a list have come out.
#[derive(Default)]
struct Tally {
    entries: u64,
    bad_lines: u64,
    differing: u64,
    unreadable: u64,
    agreeing: u64,
}

impl Sums {
    fn line(&self, sum: &str, name: &[u8]) -> Vec<u8> {
        let mut line = Vec::new();
        let mut shown = Vec::new();
        let escaped = !self.zero && name.iter().any(|byte| matches!(byte, b'\n' | b'\\' | b'\r'));
        for &byte in name {
            match byte {
                b'\n' if escaped => shown.extend_from_slice(b"\\n"),
                b'\r' if escaped => shown.extend_from_slice(b"\\r"),
                b'\\' if escaped => shown.extend_from_slice(b"\\\\"),
                byte => shown.push(byte),
            }
        }
        if escaped {
            line.push(b'\\');
        }
        if self.tag {
            line.extend_from_slice(format!("{} (", self.kind.name()).as_bytes());
            line.extend_from_slice(&shown);
            line.extend_from_slice(format!(") = {sum}").as_bytes());
        } else {
            line.extend_from_slice(sum.as_bytes());
            line.extend_from_slice(if self.star { b" *" } else { b"  " });
            line.extend_from_slice(&shown);
        }
        line.push(if self.zero { 0 } else { b'\n' });
        line
    }

    /// The sum and the name of a line of a list.
    fn entry(&self, line: &[u8]) -> Option<(String, Vec<u8>)> {
        let (escaped, line) = match line.strip_prefix(b"\\") {
            Some(rest) => (true, rest),
            None => (false, line.trim_ascii_start()),
        };
        let (sum, name) = if let Some(rest) =
            line.strip_prefix(format!("{} (", self.kind.name()).as_bytes())
        {
            let end = memchr::memmem::rfind(rest, b") = ")?;
            (&rest[end + 4..], &rest[..end])
        } else {
            let (sum, rest) = line.split_at_checked(self.kind.digits())?;
            let name =
                rest.strip_prefix(b"  ").or(rest.strip_prefix(b" *")).or(rest.strip_prefix(b" "))?;
            (sum, name)
        };
        let valid = sum.len() == self.kind.digits()
            && sum.iter().all(u8::is_ascii_hexdigit)
            && !name.is_empty();
        let name = if escaped {
            String::from_utf8_lossy(name).replace("\\n", "\n").replace("\\\\", "\\").into_bytes()
        } else {
            name.to_vec()
        };
        valid.then(|| (String::from_utf8_lossy(sum).to_ascii_lowercase(), name))
    }

    fn check_list(
        &self,
        io: &mut StageIo<'_>,
        list: &mut Input,
        list_name: &[u8],
    ) -> Result<(), InputTrouble> {
        let list_shown = if list_name == b"-" {
            "standard input".to_owned()
        } else {
            String::from_utf8_lossy(list_name).into_owned()
        };
        let mut tally = Tally::default();
        let mut number = 0u64;
        while let Some(lines) = list.next_lines()? {
            for (id, line) in lines.iter() {
                number += 1;
                if line.is_empty() || line.starts_with(b"#") {
                    continue;
                }
                let line = line.strip_suffix(b"\r").unwrap_or(line);
                let Some((sum, name)) = self.entry(line) else {
                    tally.bad_lines += 1;
                    if self.warn {
                        let message = format!(
                            "{list_shown}: {number}: improperly formatted {} checksum line",
                            self.kind.name()
                        );
                        io.message(&message)?;
                    }
                    continue;
                };
                tally.entries += 1;
                let found = match io.open(&name) {
                    Ok(mut input) => match self.kind.sum(&mut input) {
                        Ok(found) => Ok(found),
                        Err(ReadError::Cancelled) => return Err(StageError::Cancelled.into()),
                        Err(ReadError::Io(error)) => Err(error),
                    },
                    Err(error) => Err(error),
                };
                if let Some(said) = self.verdict(io, &name, &sum, found, &mut tally)? {
                    let line = [&*io.shown_name(&name), b": ", said.as_bytes()].concat();
                    io.out().line(&line, Origin::Line(id))?;
                }
            }
        }
        Ok(self.report(io, &list_shown, &tally)?)
    }

    /// What is said of one file; counts it.
    fn verdict(
        &self,
        io: &mut StageIo<'_>,
        name: &[u8],
        sum: &str,
        found: std::io::Result<String>,
        tally: &mut Tally,
    ) -> Result<Option<&'static str>, StageError> {
        let shown = String::from_utf8_lossy(name).into_owned();
        let said = match found {
            Ok(found) if found == sum => {
                tally.agreeing += 1;
                if self.quiet { None } else { Some("OK") }
            }
            Ok(_) => {
                tally.differing += 1;
                if self.silent { None } else { Some("FAILED") }
            }
            Err(error) if self.ignore_missing && error.kind() == std::io::ErrorKind::NotFound => {
                None
            }
            Err(error) => {
                tally.unreadable += 1;
                io.message(&format!("{shown}: {}", stream::describe(&error)))?;
                if self.silent { None } else { Some("FAILED open or read") }
            }
        };
        Ok(said)
    }

    /// Says how many did not agree, and sets the status.
    fn report(
        &self,
        io: &mut StageIo<'_>,
        list_shown: &str,
        tally: &Tally,
    ) -> Result<(), StageError> {
        let kind = self.kind.name();
        let count = |number: u64, one: &str, many: &str| {
            if number == 1 {
                format!("WARNING: 1 {one}")
            } else {
                format!("WARNING: {number} {many}")
            }
        };
        if tally.entries == 0 {
            io.note_status(1);
            io.message(&format!(
                "{list_shown}: no properly formatted {kind} checksum lines found"
            ))?;
            return Ok(());
        }
        if !self.silent {
            if tally.bad_lines > 0 {
                io.message(&count(
                    tally.bad_lines,
                    "line is improperly formatted",
                    "lines are improperly formatted",
                ))?;
            }
            if tally.unreadable > 0 {
                io.message(&count(
                    tally.unreadable,
                    "listed file could not be read",
                    "listed files could not be read",
                ))?;
            }
            if tally.differing > 0 {
                io.message(&count(
                    tally.differing,
                    "computed checksum did NOT match",
                    "computed checksums did NOT match",
                ))?;
            }
            if self.ignore_missing && tally.agreeing == 0 {
                io.message(&format!("{list_shown}: no file was verified"))?;
            }
        }
        if tally.differing > 0
            || tally.unreadable > 0
            || self.strict && tally.bad_lines > 0
            || self.ignore_missing && tally.agreeing == 0
        {
            io.note_status(1);
        }
        Ok(())
    }
}
