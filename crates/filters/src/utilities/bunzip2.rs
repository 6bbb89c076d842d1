//! `bunzip2`: what `bzip2 -d` does.

use crate::compression::Form;
use crate::compression::codec::{self, Task, UNPACKING};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "bunzip2",
    "decompresses bzip2 data",
    UNPACKING,
    &[example("bunzip2 -k winch.log.2.bz2", "make winch.log beside the compressed file")],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Bzip2, Task::Unpack, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Bzip2, Task::Unpack, arguments)
}
