//! `xz`: compresses in the form of xz.

use crate::compression::Form;
use crate::compression::codec::{self, Task, XZ};
use crate::spec::{Arguments, Definition, Filter, Spec, UsageError, example};

static SPEC: Spec = codec::spec(
    "xz",
    "compresses files as xz data",
    XZ,
    &[example("xz -k winch.log", "make winch.log.xz beside the file")],
);

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    codec::build(&SPEC, Form::Xz, Task::Pack, arguments)
}

fn explain(arguments: &Arguments) -> String {
    codec::explain(&SPEC, Form::Xz, Task::Pack, arguments)
}
