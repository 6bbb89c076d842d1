//! The description of a filter: its options, operands and examples as data.

/// Which option of a filter is meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum OptionId {
    /// That with this letter.
    Letter(char),
    /// That with this long name, which has no letter.
    Long(&'static str),
}

impl OptionId {
    /// The letter, where it has one.
    pub fn letter(self) -> Option<char> {
        match self {
            Self::Letter(letter) => Some(letter),
            Self::Long(_) => None,
        }
    }
}

impl std::fmt::Display for OptionId {
    /// As it is given: `-n`, `--complement`.
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Letter(letter) => write!(out, "-{letter}"),
            Self::Long(name) => write!(out, "--{name}"),
        }
    }
}

impl From<char> for OptionId {
    fn from(letter: char) -> Self {
        Self::Letter(letter)
    }
}

impl PartialEq<char> for OptionId {
    fn eq(&self, letter: &char) -> bool {
        *self == Self::Letter(*letter)
    }
}

/// One option of a filter.
#[derive(Clone, Copy, Debug)]
pub struct OptionSpec {
    /// Which one it is.
    pub id: OptionId,
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
    let id = OptionId::Letter(short);
    OptionSpec { id, long, value, meaning, posix, optional: Optional::Never }
}

/// An option beyond POSIX that has a long name only.
pub(crate) const fn long_option(
    long: &'static str,
    value: Option<&'static str>,
    meaning: &'static str,
    posix: bool,
) -> OptionSpec {
    let id = OptionId::Long(long);
    OptionSpec { id, long, value, meaning, posix, optional: Optional::Never }
}

/// As [`long_option`], with a value that may be left out.
pub(crate) const fn long_option_maybe(
    long: &'static str,
    value: &'static str,
    meaning: &'static str,
) -> OptionSpec {
    let optional = Optional::LongOnly;
    OptionSpec { optional, ..long_option(long, Some(value), meaning, false) }
}

/// An option beyond POSIX whose value may be left out; the letter has none.
pub(crate) const fn option_maybe(
    short: char,
    long: &'static str,
    value: &'static str,
    meaning: &'static str,
) -> OptionSpec {
    OptionSpec {
        id: OptionId::Letter(short),
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
        id: OptionId::Letter(short),
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
        self.id.letter().is_some()
    }

    /// As it is written: `-n LINES`, `--complement`.
    pub fn written(&self) -> String {
        let named = self.id.to_string();
        match (self.id, self.value) {
            (_, None) => named,
            (OptionId::Letter(_), Some(value)) => match self.optional {
                Optional::Attached => format!("{named}[{value}]"),
                Optional::LongOnly => format!("{named}, --{}[={value}]", self.long),
                Optional::Never => format!("{named} {value}"),
            },
            (OptionId::Long(_), Some(value)) if self.optional != Optional::Never => {
                format!("{named}[={value}]")
            }
            (OptionId::Long(_), Some(value)) => format!("{named}={value}"),
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

    /// The option that is meant.
    pub fn option(&self, id: impl Into<OptionId>) -> Option<&'static OptionSpec> {
        let id = id.into();
        self.options.iter().find(|option| option.id == id)
    }
}
