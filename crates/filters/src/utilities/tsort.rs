//! `tsort`: puts items in an order in which each comes before those that depend on it (POSIX).

use std::collections::{BTreeMap, VecDeque};

use bytes::Bytes;
use stream::{ExitStatus, LineId, Origin, StageError, StageIo};

use crate::spec::{
    Arguments, Definition, Filter, Operands, Spec, Style, UsageError, Verb, example,
};
use crate::text::phrases::from_files;

static SPEC: Spec = Spec {
    name: "tsort",
    summary: "puts items in order, from pairs of items: the first of a pair before the second",
    options: &[],
    operands: Operands::OneFile,
    operand_names: "[file]",
    style: Style::Usual,
    usage_status: 1,
    examples: &[example("printf 'rope cabin\\nwinch rope\\n' | tsort", "winch, rope, cabin")],
};

pub(crate) static DEFINITION: Definition = Definition::new(&SPEC, build, explain);

struct Tsort {
    file: Vec<u8>,
}

fn build(arguments: &Arguments) -> Result<Box<dyn Filter>, UsageError> {
    arguments.at_most(&SPEC, 1)?;
    let file = arguments.operands.first().map_or_else(|| b"-".to_vec(), |one| one.value.clone());
    Ok(Box::new(Tsort { file }))
}

fn explain(arguments: &Arguments) -> String {
    format!(
        "puts the items{} in an order that fits all pairs",
        from_files(&arguments.operand_values())
    )
}

/// An item: what it waits for, and who waits for it.
struct Item {
    name: Bytes,
    /// The line that names it first.
    line: LineId,
    /// Pairs whose first item is not out yet.
    waits: usize,
    /// Who comes after it, once for each pair.
    next: Vec<usize>,
    out: bool,
}

/// The pairs. Memory: each name once, and two numbers a pair.
#[derive(Default)]
struct Graph {
    items: Vec<Item>,
    places: BTreeMap<Bytes, usize>,
}

impl Graph {
    fn place(&mut self, name: Bytes, line: LineId) -> usize {
        *self.places.entry(name).or_insert_with_key(|name| {
            let item = Item { name: name.clone(), line, waits: 0, next: Vec::new(), out: false };
            self.items.push(item);
            self.items.len() - 1
        })
    }

    fn pair(&mut self, first: usize, second: usize) {
        // An item that is paired with itself is only named.
        if first != second {
            self.items[first].next.push(second);
            self.items[second].waits += 1;
        }
    }

    /// A loop among the items that are left: each comes before the next, the last before the first.
    fn find_loop(&self) -> Vec<usize> {
        let Some(start) = self.items.iter().position(|item| !item.out) else { return Vec::new() };
        // Every item that is left waits for another that is left: going back must meet itself.
        let mut way = vec![start];
        loop {
            let last = way[way.len() - 1];
            let waits_for = |item: &Item| !item.out && item.next.contains(&last);
            let Some(before) = self.items.iter().position(waits_for) else { return way };
            if let Some(at) = way.iter().position(|&one| one == before) {
                let mut found = way.split_off(at);
                found.reverse();
                return found;
            }
            way.push(before);
        }
    }
}

impl Filter for Tsort {
    fn run(&mut self, io: &mut StageIo<'_>) -> Result<ExitStatus, StageError> {
        let mut graph = Graph::default();
        let mut open: Option<usize> = None;
        let files = [std::mem::take(&mut self.file)];
        io.each_input(&files, 1, |io, input, _| {
            let mut held = 0;
            while let Some(lines) = input.next_lines()? {
                for (id, line) in lines.iter() {
                    let words = line.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty());
                    for word in words {
                        held += word.len() as u64;
                        let place = graph.place(Bytes::copy_from_slice(word), id);
                        match open.take() {
                            Some(first) => graph.pair(first, place),
                            None => open = Some(place),
                        }
                    }
                }
                io.holds(held);
            }
            Ok(())
        })?;
        let name = String::from_utf8_lossy(&files[0]).into_owned();
        if open.is_some() {
            io.note_status(1);
            io.message(&format!("{name}: input contains an odd number of tokens"))?;
            return Ok(io.status());
        }
        let free = |(_, &place): (&Bytes, &usize)| (graph.items[place].waits == 0).then_some(place);
        let mut queue: VecDeque<usize> = graph.places.iter().filter_map(free).collect();
        let mut left = graph.items.len();
        while left > 0 {
            io.check_cancel()?;
            let Some(place) = queue.pop_front() else {
                io.note_status(1);
                io.message(&format!("{name}: input contains a loop:"))?;
                let found = graph.find_loop();
                for &one in &found {
                    let shown = String::from_utf8_lossy(&graph.items[one].name).into_owned();
                    io.message(&shown)?;
                }
                // The last pair of the loop does not count any more.
                let (last, first) = (found[found.len() - 1], found[0]);
                graph.items[last].next.retain(|&one| one != first);
                let pairs = graph.items.iter().filter(|item| !item.out).flat_map(|item| &item.next);
                graph.items[first].waits = pairs.filter(|&&one| one == first).count();
                if graph.items[first].waits == 0 {
                    queue.push_back(first);
                }
                continue;
            };
            left -= 1;
            graph.items[place].out = true;
            let (name, line) = (graph.items[place].name.clone(), graph.items[place].line);
            io.out().line(&name, Origin::Line(line))?;
            for next in std::mem::take(&mut graph.items[place].next).into_iter().rev() {
                graph.items[next].waits = graph.items[next].waits.saturating_sub(1);
                if graph.items[next].waits == 0 && !graph.items[next].out {
                    queue.push_back(next);
                }
            }
        }
        io.holds(0);
        Ok(io.status())
    }

    fn verb(&self) -> Verb {
        Verb::Orders
    }

    fn holds(&self) -> Option<&'static str> {
        Some("the last pair may say what comes first")
    }
}
