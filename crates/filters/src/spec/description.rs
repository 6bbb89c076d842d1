//! The description of a filter: its options, operands and examples as data.

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
    /// It may; it is in the same word or nowhere.
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
    /// As usual, and digits anywhere among letters are this option: `-c5`, `-5c`.
    NumberAmong(char),
    /// As usual, and `-5` is an option with the value 5: the form before the standard.
    NumberAndUnit {
        /// That option; it counts lines.
        option: char,
        /// Letters that may come directly after the number: `l` lines, `c` bytes (the option `c`),
        /// others a size of bytes.
        units: &'static [u8],
        /// As the first of at most two arguments `+5` is the same from line 5 on; `f` may follow.
        plus: bool,
    },
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
    /// The status where standard output cannot be written: that of the host, by which `sed` and
    /// `expr` are exceptions.
    pub fn write_status(&self) -> u8 {
        match self.name {
            "expr" => 3,
            "sed" => 4,
            _ => self.usage_status,
        }
    }

    /// The option with this letter.
    pub fn option(&self, short: char) -> Option<&'static OptionSpec> {
        self.options.iter().find(|option| option.short == short)
    }
}
