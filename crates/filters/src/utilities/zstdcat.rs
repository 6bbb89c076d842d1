//! `zstdcat`: what `zstd -dc` does.

use crate::compression::Form;
use crate::compression::codec::{self, Task, UNPACKING};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "zstdcat",
    "writes what is in zstd data",
    UNPACKING,
    &[example("zstdcat winch.log.4.zst | tail -n 5", "the end of a compressed log")],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Zstd, Task::Show, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Zstd, Task::Show, arguments)
}
