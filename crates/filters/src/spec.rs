use std::ops::Range;

use stream::{ExitStatus, StageError, StageIo};

/// What a stage does to its lines, in one word for the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verb {
    /// Lines from nothing.
    Makes,
    /// Drops lines, changes none.
    Keeps,
    /// One line in, one line out.
    Edits,
    /// The same lines in another order.
    Orders,
    /// Several lines in, fewer out.
    Merges,
    /// One line in, several out.
    Splits,
    /// The same lines, to several places.
    Copies,
    /// Starts commands.
    Acts,
    /// The same lines.
    Passes,
}

impl Verb {
    /// As shown.
    pub fn word(self) -> &'static str {
        match self {
            Self::Makes => "makes",
            Self::Keeps => "keeps",
            Self::Edits => "edits",
            Self::Orders => "orders",
            Self::Merges => "merges",
            Self::Splits => "splits",
            Self::Copies => "copies",
            Self::Acts => "acts",
            Self::Passes => "passes",
        }
    }
}

/// One option of a filter.
#[derive(Clone, Copy, Debug)]
pub struct OptionSpec {
    /// The letter; for an option without one, a character that no command line can hold.
    pub short: char,
    /// The long name, or empty.
    pub long: &'static str,
    /// What its value is called; `None` for an option without a value.
    pub value: Option<&'static str>,
    /// What it does, as a phrase.
    pub meaning: &'static str,
    /// True where POSIX has it.
    pub posix: bool,
    /// Whether the value may be left out.
    pub optional: Optional,
}

/// Whether an option's value may be left out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Optional {
    /// It may not.
    Never,
    /// It may; it stands in the same word or nowhere.
    Attached,
    /// As attached, but only the long name may have one.
    LongOnly,
}

/// An option with a letter; the long name may be empty.
pub(crate) const fn option(
    short: char,
    long: &'static str,
    value: Option<&'static str>,
    meaning: &'static str,
    posix: bool,
) -> OptionSpec {
    OptionSpec { short, long, value, meaning, posix, optional: Optional::Never }
}

/// An option beyond POSIX whose value may be left out; the letter has none.
pub(crate) const fn option_maybe(
    short: char,
    long: &'static str,
    value: &'static str,
    meaning: &'static str,
) -> OptionSpec {
    OptionSpec {
        short,
        long,
        value: Some(value),
        meaning,
        posix: false,
        optional: Optional::LongOnly,
    }
}

/// An option beyond POSIX whose value may be left out, behind the letter too.
pub(crate) const fn option_attached(
    short: char,
    long: &'static str,
    value: &'static str,
    meaning: &'static str,
) -> OptionSpec {
    OptionSpec {
        short,
        long,
        value: Some(value),
        meaning,
        posix: false,
        optional: Optional::Attached,
    }
}

/// A line to try.
pub(crate) const fn example(line: &'static str, says: &'static str) -> Example {
    Example { line, says }
}

impl OptionSpec {
    /// True for an option that has a letter.
    pub fn has_letter(&self) -> bool {
        self.short.is_ascii_graphic()
    }

    /// As it is written: `-n LINES`, `--complement`.
    pub fn written(&self) -> String {
        match (self.has_letter(), self.value) {
            (true, None) => format!("-{}", self.short),
            (true, Some(value)) if self.optional == Optional::Attached => {
                format!("-{}[{value}]", self.short)
            }
            (true, Some(value)) if self.optional == Optional::LongOnly => {
                format!("-{}, --{}[={value}]", self.short, self.long)
            }
            (true, Some(value)) => format!("-{} {value}", self.short),
            (false, None) => format!("--{}", self.long),
            (false, Some(value)) if self.optional != Optional::Never => {
                format!("--{}[={value}]", self.long)
            }
            (false, Some(value)) => format!("--{}={value}", self.long),
        }
    }
}

/// What the arguments behind the options are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Operands {
    /// Input files.
    Files,
    /// A pattern (unless an option gave it), then input files.
    PatternThenFiles,
    /// At most one input file.
    OneFile,
    /// Anything but files.
    Values,
}

/// How the arguments are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Style {
    /// The utility syntax guidelines (XBD 12.2); options may stand behind operands.
    Usual,
    /// As usual, and `-5` is this option with the value 5.
    NumberIs(char),
    /// As usual, but everything from the first operand on is an operand.
    OptionsFirst,
    /// As usual, but an argument that is a negative number is an operand, and so is
    /// everything after the first operand.
    NegativeNumbers,
    /// The filter reads all its arguments itself.
    Own,
}

/// A line to try.
#[derive(Clone, Copy, Debug)]
pub struct Example {
    /// The stage.
    pub line: &'static str,
    /// What it does.
    pub says: &'static str,
}

/// The description of a filter. Parsing, help, completion and explanation come from it.
#[derive(Debug)]
pub struct Spec {
    /// The command name.
    pub name: &'static str,
    /// What it does, in one phrase.
    pub summary: &'static str,
    /// The options.
    pub options: &'static [OptionSpec],
    /// What the operands are.
    pub operands: Operands,
    /// The operands as shown in a synopsis.
    pub operand_names: &'static str,
    /// How the arguments are written.
    pub style: Style,
    /// The status of a usage error.
    pub usage_status: u8,
    /// Lines to try.
    pub examples: &'static [Example],
}

impl Spec {
    /// The option with this letter.
    pub fn option(&self, short: char) -> Option<&'static OptionSpec> {
        self.options.iter().find(|option| option.short == short)
    }
}

/// A filter ready to run once.
pub trait Filter: Send {
    /// Reads to the end of the input (or as far as needed), writes, and gives the status.
    ///
    /// The bytes written never depend on how the input was cut into blocks, nor on whether
    /// origins are kept.
    ///
    /// # Errors
    /// When the output cannot be written, the run is cancelled, or the filter gives up.
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError>;

    /// What the filter does to lines.
    fn verb(&self) -> Verb;

    /// True where what it does depends on the data, so that only its result tells.
    fn verb_varies(&self) -> bool {
        false
    }

    /// Why the filter must hold data back, where it holds more than a few lines; `None` for
    /// one that streams.
    fn holds(&self) -> Option<&'static str> {
        None
    }

    /// Bytes the filter holds in memory at most on a machine with so many, where what is more
    /// goes to temporary files.
    fn memory_limit(&self, _machine_bytes: u64) -> Option<u64> {
        None
    }

    /// The parts of an input line that the filter looks at: what a pattern matched, the fields
    /// it keeps.
    fn marks(&self, _line: &[u8]) -> Vec<Range<usize>> {
        Vec::new()
    }
}
