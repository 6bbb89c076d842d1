//! JSON records, one a line (RFC 8259). Members by name, nested ones by pointer (RFC 6901). Of a name
//! that comes twice the last counts; numbers are passed on as they are written.

use std::borrow::Cow;
use std::ops::Range;

use super::value::{Bad, Value};
use scan::{Open, Visitor, scan};

mod scan;

/// What is wanted of a value: itself, and what is in it.
#[derive(Default)]
struct Node {
    /// The places where it is written.
    wanted: Vec<usize>,
    /// Those and the places of all that is in it.
    below: Vec<usize>,
    children: Vec<Child>,
}

/// A member or an element of which something is wanted.
struct Child {
    name: Vec<u8>,
    /// The name as the number of an element (RFC 6901 section 4).
    number: Option<usize>,
    node: usize,
}

/// The node of what nothing is wanted of.
const UNWANTED: usize = usize::MAX;

/// Reads the wanted members of records.
pub(super) struct Json {
    /// The first is that of the record itself.
    nodes: Vec<Node>,
    /// Where the wanted values are, in the order in which they are written.
    found: Vec<Option<Range<usize>>>,
    open: Open,
    /// The nodes of the values that were begun and not ended.
    path: Vec<usize>,
}

/// The names on the way to a member.
fn steps(name: &str) -> Vec<String> {
    match name.strip_prefix('/') {
        // RFC 6901 section 4.
        Some(pointer) => {
            pointer.split('/').map(|step| step.replace("~1", "/").replace("~0", "~")).collect()
        }
        None => vec![name.to_owned()],
    }
}

/// The number that these digits are, where they are written as an element's.
fn element_number(name: &str) -> Option<usize> {
    let plain = name == "0" || name.starts_with(|first: char| matches!(first, '1'..='9'));
    if plain { name.parse().ok() } else { None }
}

impl Json {
    pub(super) fn new(names: &[Vec<u8>]) -> Self {
        let mut nodes = vec![Node::default()];
        for (place, name) in names.iter().enumerate() {
            let mut at = 0;
            for step in steps(&String::from_utf8_lossy(name)) {
                at = match nodes[at].children.iter().find(|child| child.name == step.as_bytes()) {
                    Some(child) => child.node,
                    None => {
                        let node = nodes.len();
                        let number = element_number(&step);
                        nodes[at].children.push(Child { name: step.into(), number, node });
                        nodes.push(Node::default());
                        node
                    }
                };
                nodes[at].below.push(place);
            }
            nodes[at].wanted.push(place);
        }
        let found = vec![None; names.len()];
        Self { nodes, found, open: Open::default(), path: Vec::new() }
    }

    /// Finds the wanted values of a record.
    fn find(&mut self, line: &[u8]) -> Result<(), Bad> {
        self.found.fill(None);
        self.path.clear();
        let mut take = Take {
            text: line,
            nodes: &self.nodes,
            found: &mut self.found,
            path: &mut self.path,
            node: 0,
            elements: Vec::new(),
        };
        scan(line, &mut self.open, &mut take)
    }

    /// The wanted values of a record.
    pub(super) fn values<'l>(
        &mut self,
        line: &'l [u8],
        values: &mut Vec<Value<'l>>,
    ) -> Result<(), Bad> {
        self.find(line)?;
        values.clear();
        for found in &self.found {
            values.push(match found {
                Some(at) => value(&line[at.clone()])?,
                None => Value::Missing,
            });
        }
        Ok(())
    }

    /// The wanted values as they are written; none of a record that cannot be read.
    pub(super) fn places(&mut self, line: &[u8]) -> Vec<Range<usize>> {
        if self.find(line).is_err() {
            return Vec::new();
        }
        self.found.iter().flatten().cloned().collect()
    }
}

/// A text with the escapes of JSON as what it means.
fn unescaped(text: &[u8]) -> Result<Cow<'_, [u8]>, Bad> {
    if memchr::memchr(b'\\', text).is_none() {
        return Ok(text.into());
    }
    let quoted = [b"\"", text, b"\""].concat();
    let text: String = serde_json::from_slice(&quoted)
        .map_err(|_| Bad::new("an escape that is no character", None))?;
    Ok(text.into_bytes().into())
}

/// A string without quotes and escapes, anything else as it is written.
fn value(raw: &[u8]) -> Result<Value<'_>, Bad> {
    match raw {
        [b'"', text @ .., b'"'] => Ok(Value::Text(unescaped(text)?)),
        _ => Ok(Value::Json(raw)),
    }
}

/// Notes where the wanted values are.
struct Take<'n> {
    text: &'n [u8],
    nodes: &'n [Node],
    found: &'n mut Vec<Option<Range<usize>>>,
    path: &'n mut Vec<usize>,
    /// The node of the value that comes next.
    node: usize,
    /// The numbers of the elements that come next in the lists of which something is wanted.
    elements: Vec<usize>,
}

impl Take<'_> {
    fn note(&mut self, node: usize, at: &Range<usize>) {
        for place in &self.nodes[node].wanted {
            self.found[*place] = Some(at.clone());
        }
    }

    /// The value of this node comes next, for the first time or again.
    fn expect(&mut self, node: usize) {
        self.node = node;
        if node != UNWANTED {
            for place in &self.nodes[node].below {
                self.found[*place] = None;
            }
        }
    }
}

impl Visitor for Take<'_> {
    fn begin(&mut self, list: bool) {
        self.path.push(self.node);
        if list && self.node != UNWANTED {
            self.elements.push(0);
        }
    }

    #[inline]
    fn name(&mut self, at: Range<usize>, escaped: bool) -> Result<(), Bad> {
        let within = self.path.last().copied().unwrap_or(UNWANTED);
        if within == UNWANTED || self.nodes[within].children.is_empty() {
            self.node = UNWANTED;
            return Ok(());
        }
        let name = &self.text[at];
        let name = if escaped { unescaped(name)? } else { name.into() };
        let children = &self.nodes[within].children;
        let child = children.iter().find(|child| child.name == *name);
        self.expect(child.map_or(UNWANTED, |child| child.node));
        Ok(())
    }

    fn element(&mut self) {
        let within = self.path.last().copied().unwrap_or(UNWANTED);
        let mut node = UNWANTED;
        if within != UNWANTED
            && let Some(number) = self.elements.last_mut()
        {
            let children = &self.nodes[within].children;
            let child = children.iter().find(|child| child.number == Some(*number));
            node = child.map_or(UNWANTED, |child| child.node);
            *number += 1;
        }
        self.expect(node);
    }

    #[inline]
    fn scalar(&mut self, at: Range<usize>) -> Result<(), Bad> {
        if self.node != UNWANTED {
            self.note(self.node, &at);
        }
        Ok(())
    }

    fn end(&mut self, at: Range<usize>, list: bool) -> Result<(), Bad> {
        if let Some(node @ 0..UNWANTED) = self.path.pop() {
            if list {
                self.elements.pop();
            }
            self.note(node, &at);
        }
        Ok(())
    }
}

/// Levels of objects within objects whose members are listed.
const LISTED_DEPTH: usize = 16;

/// Gives every member that is not an object with its value, nested ones by their pointer.
pub(super) fn all(line: &[u8], each: &mut dyn FnMut(&[u8], &[u8])) -> Result<(), Bad> {
    let mut list = List {
        text: line,
        name: Vec::new(),
        pointer: Vec::new(),
        ends: Vec::new(),
        within: 0,
        elements: 0,
        each,
    };
    scan(line, &mut Open::default(), &mut list)
}

/// Lists the members.
struct List<'e> {
    text: &'e [u8],
    /// The member of the record itself that is read.
    name: Vec<u8>,
    /// The way to the value that comes next.
    pointer: Vec<u8>,
    /// How much of it leads to each of the objects that were begun.
    ends: Vec<usize>,
    /// How many values were begun within one that is listed whole, it among them.
    within: usize,
    elements: usize,
    each: &'e mut dyn FnMut(&[u8], &[u8]),
}

impl List<'_> {
    /// Leads the way to a member of the object that was begun last.
    fn lead(&mut self, name: &[u8]) {
        self.pointer.truncate(self.ends.last().copied().unwrap_or(0));
        self.pointer.push(b'/');
        for byte in name {
            match byte {
                b'~' => self.pointer.extend_from_slice(b"~0"),
                b'/' => self.pointer.extend_from_slice(b"~1"),
                byte => self.pointer.push(*byte),
            }
        }
        if self.ends.len() == 1 {
            name.clone_into(&mut self.name);
        }
    }

    fn give(&mut self, at: Range<usize>) -> Result<(), Bad> {
        // A member of the record itself has a name, where that cannot be taken for a pointer.
        let plain = self.ends.len() == 1 && !self.name.starts_with(b"/");
        let shown = if plain { &self.name } else { &self.pointer };
        match value(&self.text[at])? {
            Value::Text(text) => (self.each)(shown, &text),
            Value::Json(text) => (self.each)(shown, text),
            Value::Missing => {}
        }
        Ok(())
    }
}

impl Visitor for List<'_> {
    fn begin(&mut self, list: bool) {
        let is_record = self.ends.is_empty();
        if self.within > 0 || !is_record && (list || self.ends.len() > LISTED_DEPTH) {
            self.within += 1;
        } else {
            self.ends.push(self.pointer.len());
        }
    }

    fn name(&mut self, at: Range<usize>, _: bool) -> Result<(), Bad> {
        if self.within == 0 {
            let name = unescaped(&self.text[at])?;
            self.lead(&name);
        }
        Ok(())
    }

    fn element(&mut self) {
        if self.within == 0 {
            self.lead(self.elements.to_string().as_bytes());
            self.elements += 1;
        }
    }

    fn scalar(&mut self, at: Range<usize>) -> Result<(), Bad> {
        if self.within == 0 { self.give(at) } else { Ok(()) }
    }

    fn end(&mut self, at: Range<usize>, _: bool) -> Result<(), Bad> {
        match self.within {
            0 => {
                self.ends.pop();
            }
            1 => {
                self.within = 0;
                self.give(at)?;
            }
            _ => self.within -= 1,
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(line: &str, names: &[&str]) -> Result<Vec<String>, Bad> {
        let names: Vec<Vec<u8>> = names.iter().map(|name| name.as_bytes().to_vec()).collect();
        let mut json = Json::new(&names);
        let mut values = Vec::new();
        json.values(line.as_bytes(), &mut values)?;
        let shown = |value: &Value<'_>| match value {
            Value::Missing => "-".to_owned(),
            Value::Text(text) => format!("t:{}", String::from_utf8_lossy(text)),
            Value::Json(text) => format!("j:{}", String::from_utf8_lossy(text)),
        };
        Ok(values.iter().map(shown).collect())
    }

    #[test]
    fn members_are_found_by_name_and_by_pointer() {
        let line = r#"{"a": 1.50, "b": {"c": [10, {"d": "x\ty"}], "": 3}, "a/b": null, "m~n": true, "a": 2e400}"#;
        for (name, value) in [
            ("a", "j:2e400"),
            ("/a", "j:2e400"),
            ("/b/c/0", "j:10"),
            ("/b/c/1/d", "t:x\ty"),
            ("/b/c", r#"j:[10, {"d": "x\ty"}]"#),
            ("/b/", "j:3"),
            ("/a~1b", "j:null"),
            ("/m~0n", "j:true"),
            ("m~n", "j:true"),
            ("/b/c/2", "-"),
            ("/b/c/-1", "-"),
            ("/a/x", "-"),
            ("zone", "-"),
        ] {
            assert_eq!(read(line, &[name]).unwrap(), [value], "{name}");
        }
        assert_eq!(read(line, &["/b/c/0", "a", "/b"]).unwrap()[..2], ["j:10", "j:2e400"]);
        assert_eq!(read(r#"{"\u0061": "\u00e9\ud83d\ude00"}"#, &["a"]).unwrap(), ["t:é😀"]);
        assert_eq!(read("[7, 8]", &["/1"]).unwrap(), ["j:8"]);
        assert_eq!(
            read("[7, [8, [9]], {\"1\": 3}]", &["/1/1/0", "1", "/2/1", "/01"]).unwrap(),
            ["j:9", "j:[8, [9]]", "j:3", "-"]
        );
        // The last of two of a name counts, with all that is in it.
        assert_eq!(
            read(r#"{"a": {"b": 1, "c": 2}, "a": {"b": 3}}"#, &["/a/b", "/a/c"]).unwrap(),
            ["j:3", "-"]
        );
    }

    #[test]
    fn hostile_records_are_bad_or_have_a_result() {
        let deep = format!("{}1{}", "[".repeat(100_000), "]".repeat(100_000));
        let nested = format!(r#"{{"a": {deep}, "b": 1}}"#);
        assert_eq!(read(&nested, &["b"]).unwrap(), ["j:1"]);
        let huge = format!(r#"{{"a": {}}}"#, "9".repeat(10_000));
        assert_eq!(read(&huge, &["a"]).unwrap()[0].len(), 10_002);
        for line in [
            "{",
            "{\"a\":1",
            "{\"a\":1}}",
            "{\"a\":1} x",
            "{'a':1}",
            "{\"a\":01}",
            "{\"a\":1,}",
            "{\"a\":\"\\x\"}",
            "{\"a\":\"\\ud800\"}",
            "{\"a\":nul}",
            "7",
            "\"a\"",
            "{\"a\":\"\u{1}\"}",
            "{\"a\" 1}",
            "[1,",
            "{\"a\":tru",
        ] {
            assert!(read(line, &["a"]).is_err(), "{line}");
        }
        let bad = Json::new(&[b"a".to_vec()]).values(b"{\"a\":\"\xff\"}", &mut Vec::new());
        assert_eq!(bad.unwrap_err().at, Some(7));
        assert_eq!(read("{\"a\":1", &["a"]).unwrap_err().at, Some(6));
    }

    #[test]
    fn all_members_are_listed_by_pointer() {
        let mut found = Vec::new();
        all(br#"{"a": "x", "b": {"c": 1, "d/e": [1]}, "f": {}}"#, &mut |name, value| {
            found.push(format!(
                "{} {}",
                String::from_utf8_lossy(name),
                String::from_utf8_lossy(value)
            ));
        })
        .unwrap();
        assert_eq!(found, ["a x", "/b/c 1", "/b/d~1e [1]"]);
    }
}
