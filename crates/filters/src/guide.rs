//! The list of all filters as text.

use std::fmt::Write;

use crate::registry::all;
use crate::spec::Spec;

/// All filters with what they do, one a line.
pub fn list() -> String {
    let mut specs: Vec<&Spec> = all().iter().map(|definition| definition.spec).collect();
    specs.sort_by_key(|spec| spec.name);
    let width = specs.iter().map(|spec| spec.name.len()).max().unwrap_or(0);
    let mut text = String::new();
    for spec in specs {
        let _ = writeln!(text, "{:width$}  {}", spec.name, spec.summary);
    }
    text
}
