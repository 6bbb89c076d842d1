//! Which line of the output each line of the input is a part of.

use stream::Origins;

use super::packed::{NONE, flat};

/// Fills in the first output line of each input line, in the order of the output. As long as one
/// step for each line and each entry of a list: what has its line already is stepped over.
pub(super) struct Parts {
    parts: Vec<u32>,
    /// For each line the next one without an output line, as far as it is known; itself if it has
    /// none.
    open: Vec<u32>,
    /// Some line of output was made of several of the input.
    pub(super) merges: bool,
}

impl Parts {
    pub(super) fn new(inputs: u64) -> Self {
        Self {
            parts: vec![NONE; inputs as usize],
            open: (0..=inputs as u32).collect(),
            merges: false,
        }
    }

    /// Adds what output line `line` is made of.
    pub(super) fn add(&mut self, line: u32, origins: Origins<'_>, starts: &[u64]) {
        self.merges |= origins.len() > 1;
        match origins {
            Origins::None => {}
            Origins::One(id) => self.mark(flat(starts, id), line),
            Origins::Range(from, to) => self.mark_range(flat(starts, from), flat(starts, to), line),
            Origins::List(list) => {
                for id in list {
                    self.mark(flat(starts, *id), line);
                }
            }
        }
    }

    fn mark(&mut self, left: u64, line: u32) {
        let Some(part) = self.parts.get_mut(left as usize) else { return };
        if *part == NONE {
            *part = line;
            self.open[left as usize] = left as u32 + 1;
        }
    }

    fn mark_range(&mut self, from: u64, to: u64, line: u32) {
        let mut left = self.next_open(from as usize);
        while left < self.parts.len() && left as u64 <= to {
            self.mark(left as u64, line);
            left = self.next_open(left + 1);
        }
    }

    /// The first line from `at` on without an output line.
    fn next_open(&mut self, at: usize) -> usize {
        let mut end = at;
        while let Some(&next) = self.open.get(end)
            && next as usize != end
        {
            end = next as usize;
        }
        // All on the way lead there at once from now on.
        let mut here = at;
        while here < end {
            let next = std::mem::replace(&mut self.open[here], end as u32);
            here = next as usize;
        }
        end
    }

    pub(super) fn finish(self) -> Vec<u32> {
        self.parts
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use stream::LineId;

    use super::*;

    #[test]
    fn ranges_that_grow_line_by_line_take_a_step_a_line() {
        const LINES: u64 = 200_000;
        let mut parts = Parts::new(LINES);
        for line in 0..LINES {
            let origins = Origins::Range(LineId::new(0, 0), LineId::new(0, line));
            parts.add(line as u32, origins, &[0]);
        }
        assert!(parts.merges);
        assert!(parts.finish().into_iter().eq(0..LINES as u32));
    }

    proptest! {
        #[test]
        fn a_line_belongs_to_the_first_output_line_that_names_it(
            made in prop::collection::vec((0_u64..12, 0_u64..5, 0_u8..3), 0..12),
        ) {
            const INPUTS: u64 = 14;
            let starts = [0, 6];
            let id = |flat: u64| {
                if flat < 6 { LineId::new(0, flat) } else { LineId::new(1, flat - 6) }
            };
            let mut parts = Parts::new(INPUTS);
            let mut expected = vec![NONE; INPUTS as usize];
            for (line, (from, more, kind)) in made.iter().copied().enumerate() {
                let to = from + more;
                // A range stays within one input.
                let to = if from < 6 { to.min(5) } else { to };
                let list: Vec<LineId> = [to, from].into_iter().map(id).collect();
                let (origins, lines): (_, Vec<u64>) = match kind {
                    0 => (Origins::One(id(from)), vec![from]),
                    1 => (Origins::Range(id(from), id(to)), (from..=to).collect()),
                    _ => (Origins::List(&list), vec![to, from]),
                };
                parts.add(line as u32, origins, &starts);
                for left in lines {
                    if let Some(part) = expected.get_mut(left as usize).filter(|part| **part == NONE) {
                        *part = line as u32;
                    }
                }
            }
            prop_assert_eq!(parts.finish(), expected);
        }
    }
}
