//! `zstd`: compresses in the form of Zstandard.

use crate::compression::Form;
use crate::compression::codec::{self, Task, ZSTD};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "zstd",
    "compresses files as zstd data",
    ZSTD,
    &[
        example("zstd -19 winch.log", "make winch.log.zst beside the file, as small as it gets"),
        example("zstd -df winch.log.4.zst", "bring a file back, and keep the compressed one"),
    ],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Zstd, Task::Pack, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Zstd, Task::Pack, arguments)
}
