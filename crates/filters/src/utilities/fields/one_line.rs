//! Records of one line each, in any form that has them.

use super::detect::Form;
use super::json::{self, Json};
use super::pairs;
use super::value::{Bad, Value};

/// Reads records that are one line each.
pub(super) enum OneLine<'n> {
    Json(Box<Json>),
    Pairs(&'n [Vec<u8>]),
}

impl<'n> OneLine<'n> {
    /// Reads these names of a form whose records are lines: any but CSV.
    pub(super) fn new(form: Form, names: &'n [Vec<u8>]) -> Self {
        if form == Form::Json { Self::Json(Box::new(Json::new(names))) } else { Self::Pairs(names) }
    }

    /// The wanted values of a record.
    pub(super) fn values<'l>(
        &mut self,
        line: &'l [u8],
        values: &mut Vec<Value<'l>>,
    ) -> Result<(), Bad> {
        match self {
            Self::Json(json) => json.values(line, values),
            Self::Pairs(names) => pairs::values(line, names, values),
        }
    }

    /// Gives every name with its value.
    pub(super) fn all(&self, line: &[u8], each: &mut dyn FnMut(&[u8], &[u8])) -> Result<(), Bad> {
        match self {
            Self::Json(_) => json::all(line, each),
            Self::Pairs(_) => pairs::all(line, each),
        }
    }
}
