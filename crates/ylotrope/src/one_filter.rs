//! One filter alone: run as its own program would run, or described.

use std::ffi::OsString;
use std::os::unix::ffi::OsStringExt;
use std::process::ExitCode;

use clap::Args;
use engine::run_filter;

use crate::interrupts::Interrupts;
use crate::say;

#[derive(Args)]
pub(crate) struct Use {
    /// The filter, its options and its operands
    #[arg(
        trailing_var_arg = true,
        allow_hyphen_values = true,
        required = true,
        value_name = "FILTER [ARGUMENT]"
    )]
    words: Vec<OsString>,
}

#[derive(Args)]
pub(crate) struct Guide {
    /// The filter to describe
    filter: Option<OsString>,
}

/// Runs one filter as its own program would run.
pub(crate) fn use_filter(used: Use) -> ExitCode {
    let mut words = used.words.into_iter().map(OsString::into_vec);
    let name = words.next().unwrap_or_default();
    let arguments = words.collect();
    // What comes after the filter is its own; before it there is only this.
    if name == b"--help" || name == b"-h" {
        crate::say::print(
            "Usage: ylotrope use FILTER [ARGUMENT …]\n\n“ylotrope guide” lists the filters.\n",
        );
        return ExitCode::SUCCESS;
    }
    let interrupts = Interrupts::watch();
    let status = run_filter(&name, arguments, &interrupts.control);
    interrupts.pass_on();
    let Some(status) = status else {
        return no_such_filter("use", &name);
    };
    ExitCode::from(status)
}

pub(crate) fn no_such_filter(command: &str, name: &[u8]) -> ExitCode {
    let name = String::from_utf8_lossy(name);
    say::error(&format!("ylotrope {command}: no filter “{name}”; “ylotrope guide” lists them"));
    ExitCode::from(127)
}

pub(crate) fn show_guide(guide: Guide) -> ExitCode {
    let text = match guide.filter {
        None => filters::list(),
        Some(name) => match filters::find(name.as_encoded_bytes()) {
            Some(definition) => filters::guide(definition.spec),
            None => return no_such_filter("guide", name.as_encoded_bytes()),
        },
    };
    // Whoever closes standard output has read enough.
    say::print(&text);
    ExitCode::SUCCESS
}
