//! `bzcat`: what `bzip2 -dc` does.

use crate::compression::Form;
use crate::compression::codec::{self, Task, UNPACKING};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "bzcat",
    "writes what is in bzip2 data",
    UNPACKING,
    &[example("bzcat winch.log.2.bz2 | tail -n 5", "the end of a compressed log")],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Bzip2, Task::Show, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Bzip2, Task::Show, arguments)
}
