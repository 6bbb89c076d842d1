//! Commands in the place of files.

use std::sync::Arc;

use shell::{Direction, List};

use crate::kept::lines::Kept;

/// Pipelines that stand in the place of files.
#[derive(Clone)]
pub(crate) struct Substitution {
    /// The name that means it.
    pub(crate) name: Vec<u8>,
    pub(crate) direction: Direction,
    pub(crate) list: Arc<List>,
    /// Where what is read of it is kept, where somebody wants to see that.
    pub(crate) keeps: Option<Arc<Kept>>,
}

impl Substitution {
    /// As it is in a text.
    pub(crate) fn text(&self) -> String {
        let sign = if self.direction == Direction::Read { '<' } else { '>' };
        let items: Vec<String> = self.list.items.iter().map(shell::print_item).collect();
        format!("{sign}({})", items.join("; "))
    }
}
