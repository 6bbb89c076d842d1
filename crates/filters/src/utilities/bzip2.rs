//! `bzip2`: compresses in the form of bzip2.

use crate::compression::Form;
use crate::compression::codec::{self, BZIP2, Task};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "bzip2",
    "compresses files as bzip2 data",
    BZIP2,
    &[example("bzip2 -k winch.log", "make winch.log.bz2 beside the file")],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Bzip2, Task::Pack, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Bzip2, Task::Pack, arguments)
}
