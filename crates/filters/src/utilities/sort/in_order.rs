//! Input that needs no sorting.

use stream::Lines;

use super::keys::Order;

/// Whether the lines came in order, so that they need no sorting.
pub(super) struct InOrder {
    so_far: bool,
    last: Vec<u8>,
    any: bool,
}

impl InOrder {
    pub(super) fn new(order: &Order, traced: bool) -> Self {
        // With origins every line is accounted for singly anyway.
        Self { so_far: order.plain && !order.unique && !traced, last: Vec::new(), any: false }
    }

    pub(super) fn look(&mut self, order: &Order, lines: &Lines) {
        if !self.so_far {
            return;
        }
        let mut last = &self.last[..];
        for (_, line) in lines.iter() {
            if self.any && order.compare(last, line).is_gt() {
                self.so_far = false;
                return;
            }
            self.any = true;
            last = line;
        }
        self.last = last.to_vec();
    }

    pub(super) fn give_up(&mut self) {
        self.so_far = false;
    }

    pub(super) fn holds(&self) -> bool {
        self.so_far
    }
}
