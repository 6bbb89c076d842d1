//! `zcat`: what `gzip -dc` does.

use crate::compression::Form;
use crate::compression::codec::{self, Task, UNPACKING};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "zcat",
    "writes what is in gzip data",
    UNPACKING,
    &[
        example("zcat winch.log.1.gz | grep warning", "search a compressed log"),
        example(
            "zcat -f winch.log winch.log.1.gz | wc -l",
            "count in files that may be compressed",
        ),
    ],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Gzip, Task::Show, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Gzip, Task::Show, arguments)
}
