//! Man pages (man-pages(7)): of the program, from the description of its command line; of each filter,
//! from its spec.

use std::ffi::OsString;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::CommandFactory;
use filters::{Operands, Spec};
use roff::{Inline, Roff, bold, italic, roman};

use crate::one_filter::no_such_filter;
use crate::{Cli, say};

/// Prints a manual page, or writes all of them.
pub(crate) fn show_pages(filter: Option<OsString>, to: Option<PathBuf>) -> ExitCode {
    if let Some(folder) = to {
        let write = |(name, page): (String, String)| std::fs::write(folder.join(name), page);
        let written =
            std::fs::create_dir_all(&folder).and_then(|()| all().into_iter().try_for_each(write));
        if let Err(error) = written {
            say::error(&format!(
                "ylotrope man: {}: {}",
                folder.display(),
                stream::describe(&error)
            ));
            return ExitCode::from(2);
        }
        return ExitCode::SUCCESS;
    }
    let page = match filter {
        None => of_program(),
        Some(name) => match filters::find(name.as_encoded_bytes()) {
            Some(definition) => of_filter(definition.spec),
            None => return no_such_filter("man", name.as_encoded_bytes()),
        },
    };
    say::print_exactly(&page);
    ExitCode::SUCCESS
}

/// The page of the program, `ylotrope(1)`.
pub(crate) fn of_program() -> String {
    let mut command = Cli::command();
    command.build();
    let mut page = Vec::new();
    let made = clap_mangen::Man::new(command.clone())
        .title("ylotrope")
        .section("1")
        .manual("Ylotrope")
        .source(format!("ylotrope {}", env!("CARGO_PKG_VERSION")))
        .render(&mut page);
    debug_assert!(made.is_ok(), "a text in memory can always be written");
    let mut text = String::from_utf8_lossy(&page).into_owned();
    let mut more = Roff::new();
    for subcommand in command.get_subcommands().filter(|one| one.get_name() != "help") {
        let about = subcommand.get_about().map(ToString::to_string).unwrap_or_default();
        more.control("SH", [&*format!("ylotrope {}", subcommand.get_name()).to_uppercase()]);
        more.text([roman(about)]);
        for argument in subcommand.get_arguments().filter(|one| one.get_id() != "help") {
            let names = argument
                .get_value_names()
                .map(|names| names.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "))
                .filter(|_| argument.get_action().takes_values());
            let mut label: Vec<Inline> = Vec::new();
            if let Some(short) = argument.get_short() {
                label.push(bold(format!("-{short}")));
            }
            if let Some(long) = argument.get_long() {
                if !label.is_empty() {
                    label.push(roman(", "));
                }
                label.push(bold(format!("--{long}")));
            }
            if let Some(names) = names {
                label.push(roman(if label.is_empty() { "" } else { " " }));
                label.push(italic(names));
            }
            let says = argument.get_help().map(ToString::to_string).unwrap_or_default();
            more.control("TP", []);
            more.text(label);
            more.text([roman(says)]);
        }
    }
    more.control("SH", ["FILES"]);
    for (file, says) in [
        (
            "~/.config/ylotrope/config.toml",
            "the configuration; “ylotrope config” prints all settings",
        ),
        (
            "~/.local/state/ylotrope/",
            "earlier lines, kept runs, the text of an interrupted session, the log",
        ),
    ] {
        more.control("TP", []);
        more.text([italic(file)]);
        more.text([roman(says)]);
    }
    more.control("SH", ["SEE ALSO"]);
    let filters: Vec<String> =
        filters::all().iter().map(|one| format!("{}(1)", page_name(one.spec.name))).collect();
    more.text([roman(filters.join(", "))]);
    text.push_str(&more.to_roff());
    text
}

/// The name of the page of a filter: its own name belongs to the machine's program.
pub(crate) fn page_name(filter: &str) -> String {
    let name = if filter == "[" { "bracket" } else { filter };
    format!("ylotrope-{name}")
}

/// The page of a filter.
pub(crate) fn of_filter(spec: &Spec) -> String {
    let mut page = Roff::new();
    let name = page_name(spec.name);
    let source = format!("ylotrope {}", env!("CARGO_PKG_VERSION"));
    page.control("TH", [&*name, "1", "", &*source, "Ylotrope"]);
    page.control("SH", ["NAME"]);
    page.text([roman(format!("{name} - {}", spec.summary))]);
    page.control("SH", ["SYNOPSIS"]);
    let mut synopsis = vec![bold("ylotrope use "), bold(spec.name)];
    if !spec.options.is_empty() {
        synopsis.push(roman(" [option …]"));
    }
    synopsis.extend([roman(" "), italic(spec.operand_names)]);
    page.text(synopsis);
    page.control("SH", ["DESCRIPTION"]);
    let operands = match spec.operands {
        Operands::Files => "Without a file, or where it is -, standard input is read.",
        Operands::PatternThenFiles => {
            "The first operand says what to do or what to look for; without a file after it, \
             standard input is read."
        }
        Operands::OneFile => "Without a file standard input is read.",
        Operands::Values => "Its operands are values, not files.",
    };
    page.text([
        bold(spec.name),
        roman(format!(
            " {}. {operands} In a pipeline of Ylotrope it is written without “ylotrope use”.",
            spec.summary
        )),
    ]);
    if !spec.options.is_empty() {
        page.control("SH", ["OPTIONS"]);
    }
    for option in spec.options {
        page.control("TP", []);
        let mut label = vec![bold(option.written())];
        if option.has_letter() && !option.long.is_empty() && !option.written().contains("--") {
            label.extend([roman(", "), bold(format!("--{}", option.long))]);
        }
        page.text(label);
        let beyond = if option.posix { "" } else { " (not in POSIX)" };
        page.text([roman(format!("{}{beyond}", option.meaning))]);
    }
    page.control("SH", ["EXIT STATUS"]);
    page.text([roman(format!(
        "0 where all went well; {} for arguments that cannot be worked with.",
        spec.usage_status
    ))]);
    if !spec.examples.is_empty() {
        page.control("SH", ["EXAMPLES"]);
    }
    for example in spec.examples {
        page.control("TP", []);
        page.text([bold(example.line)]);
        page.text([roman(example.says)]);
    }
    page.control("SH", ["SEE ALSO"]);
    page.text([roman("ylotrope(1)")]);
    page.to_roff()
}

/// Every page with the name of its file.
pub(crate) fn all() -> Vec<(String, String)> {
    let program = ("ylotrope.1".to_owned(), of_program());
    let filters = filters::all()
        .iter()
        .map(|one| (format!("{}.1", page_name(one.spec.name)), of_filter(one.spec)));
    std::iter::once(program).chain(filters).collect()
}
