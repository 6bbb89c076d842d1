//! `unxz`: what `xz -d` does.

use crate::compression::Form;
use crate::compression::codec::{self, Task, UNPACKING};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "unxz",
    "decompresses xz data",
    UNPACKING,
    &[example("unxz -k winch.log.3.xz", "make winch.log beside the compressed file")],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Xz, Task::Unpack, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Xz, Task::Unpack, arguments)
}
