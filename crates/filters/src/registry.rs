use stream::{ExitStatus, Origin, StageError, StageIo};

use crate::{Arguments, Filter, Spec, Style, UsageError, Verb};

/// A filter's description and the functions that make it.
pub struct Definition {
    /// The description.
    pub spec: &'static Spec,
    /// Makes the filter from its arguments.
    pub(crate) build: fn(&Arguments) -> Result<Box<dyn Filter>, UsageError>,
    /// Says in words what the filter with these arguments does.
    pub(crate) explain: fn(&Arguments) -> String,
}

/// Every filter, by name.
pub static ALL: &[&Definition] = &[
    &crate::bracket::DEFINITION,
    &crate::awk::DEFINITION,
    &crate::basename::DEFINITION,
    &crate::bc::DEFINITION,
    &crate::cat::DEFINITION,
    &crate::cksum::DEFINITION,
    &crate::column::DEFINITION,
    &crate::comm::DEFINITION,
    &crate::csplit::DEFINITION,
    &crate::cut::DEFINITION,
    &crate::date::DEFINITION,
    &crate::dirname::DEFINITION,
    &crate::echo::DEFINITION,
    &crate::expand::DEFINITION,
    &crate::expr::DEFINITION,
    &crate::r#false::DEFINITION,
    &crate::fmt::DEFINITION,
    &crate::fold::DEFINITION,
    &crate::grep::DEFINITION,
    &crate::head::DEFINITION,
    &crate::join::DEFINITION,
    &crate::md5sum::DEFINITION,
    &crate::meter::DEFINITION,
    &crate::nl::DEFINITION,
    &crate::numfmt::DEFINITION,
    &crate::od::DEFINITION,
    &crate::paste::DEFINITION,
    &crate::printf::DEFINITION,
    &crate::rev::DEFINITION,
    &crate::sed::DEFINITION,
    &crate::seq::DEFINITION,
    &crate::sha256sum::DEFINITION,
    &crate::shuf::DEFINITION,
    &crate::sleep::DEFINITION,
    &crate::sort::DEFINITION,
    &crate::split::DEFINITION,
    &crate::stamp::DEFINITION,
    &crate::tac::DEFINITION,
    &crate::tail::DEFINITION,
    &crate::tee::DEFINITION,
    &crate::test::DEFINITION,
    &crate::tr::DEFINITION,
    &crate::r#true::DEFINITION,
    &crate::unexpand::DEFINITION,
    &crate::uniq::DEFINITION,
    &crate::venn::DEFINITION,
    &crate::wc::DEFINITION,
    &crate::xargs::DEFINITION,
    &crate::yes::DEFINITION,
];

/// The filter called `name`.
pub fn find(name: &[u8]) -> Option<&'static Definition> {
    ALL.iter().copied().find(|definition| definition.spec.name.as_bytes() == name)
}

impl Definition {
    /// Parses the arguments behind the name.
    ///
    /// # Errors
    /// As [`Arguments::parse`].
    pub fn parse(&self, arguments: &[Vec<u8>]) -> Result<Arguments, UsageError> {
        Arguments::parse(self.spec, arguments)
    }

    /// Makes the filter from the arguments behind its name.
    ///
    /// # Errors
    /// Options or operands it cannot work with.
    pub fn build(&'static self, arguments: &[Vec<u8>]) -> Result<Box<dyn Filter>, UsageError> {
        // What takes any word takes this one too, as `echo` does.
        let takes_options = self.spec.style != Style::Own;
        if takes_options && arguments.len() == 1 && arguments[0] == b"--help" {
            return Ok(Box::new(Help(self)));
        }
        (self.build)(&self.parse(arguments)?)
    }

    /// True when the filter with these arguments does not end by itself but goes on with what
    /// files get. Only parses: this is asked of every stage before every run.
    pub fn follows(&'static self, arguments: &[Vec<u8>]) -> bool {
        std::ptr::eq(self, &raw const crate::tail::DEFINITION)
            && self.parse(arguments).is_ok_and(|arguments| crate::tail::follows(&arguments))
    }

    /// Says in words what the filter with these arguments does; `None` for arguments it cannot
    /// work with.
    pub fn explain(&self, arguments: &[Vec<u8>]) -> Option<String> {
        let parsed = self.parse(arguments).ok()?;
        (self.build)(&parsed).ok()?;
        Some((self.explain)(&parsed))
    }
}

struct Help(&'static Definition);

impl Filter for Help {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        io.out().put(crate::guide(self.0.spec).as_bytes(), Origin::None)?;
        Ok(ExitStatus::SUCCESS)
    }

    fn verb(&self) -> Verb {
        Verb::Makes
    }
}
