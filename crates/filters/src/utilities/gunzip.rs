//! `gunzip`: what `gzip -d` does.

use crate::compression::Form;
use crate::compression::codec::{self, Task, UNPACKING};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "gunzip",
    "decompresses gzip data",
    UNPACKING,
    &[
        example("gunzip -c winch.log.1.gz | grep -c warning", "count in compressed data"),
        example("gunzip -t winch.log.1.gz", "check that a file can be read to its end"),
    ],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Gzip, Task::Unpack, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Gzip, Task::Unpack, arguments)
}
