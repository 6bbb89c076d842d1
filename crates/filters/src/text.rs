//! Reading and writing small texts: characters, escapes, numbers, phrases. Knows no filter.

pub(crate) mod blanks;
pub(crate) mod c_format;
pub(crate) mod characters;
pub(crate) mod counts;
pub(crate) mod escapes;
pub(crate) mod phrases;
pub(crate) mod shell_word;
