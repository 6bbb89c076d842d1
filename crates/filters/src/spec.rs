//! How a filter is described: options, arguments, help, and the trait every filter implements.
//! All else in this crate is built on it.

mod arguments;
mod definition;
mod description;
mod filter;
mod help_text;
mod shade;

pub(crate) use arguments::shown;
pub use arguments::{Arguments, Given, Operand, UsageError};
pub use definition::Definition;
pub use description::{Example, Operands, OptionId, OptionSpec, Optional, Spec, Style};
pub(crate) use description::{
    example, long_option, long_option_maybe, option, option_attached, option_maybe,
};
pub use filter::{Counted, Dropped, Filter, InputLines, Verb};
pub use help_text::guide;
pub use shade::{Program, Shade};
