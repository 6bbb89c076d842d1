//! `gzip`: compresses in the form of gzip.

use crate::compression::Form;
use crate::compression::codec::{self, GZIP, Task};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "gzip",
    "compresses files as gzip data",
    GZIP,
    &[
        example("gzip -9c gate.log > gate.log.gz", "compress as small as it gets"),
        example("gzip -k winch.log", "make winch.log.gz beside the file"),
    ],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Gzip, Task::Pack, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Gzip, Task::Pack, arguments)
}
