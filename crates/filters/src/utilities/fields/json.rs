//! JSON records, one a line (RFC 8259). Members by name, nested ones by pointer (RFC 6901). Of a name
//! that comes twice the last counts; numbers are passed on as they are written.

use std::borrow::Cow;

use serde::de::{DeserializeSeed, Deserializer, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde_json::error::Category;
use serde_json::value::RawValue;

use super::value::{Bad, Value};

/// What is wanted of a value: itself, and what is in it.
#[derive(Default)]
struct Node {
    /// The places where it is written.
    wanted: Vec<usize>,
    children: Vec<(String, Node)>,
}

impl Node {
    fn child(&self, name: &str) -> Option<&Self> {
        self.children.iter().find(|(known, _)| known == name).map(|(_, node)| node)
    }

    fn add(&mut self, name: &str) -> &mut Self {
        let at = self.children.iter().position(|(known, _)| known == name);
        let at = at.unwrap_or_else(|| {
            self.children.push((name.to_owned(), Self::default()));
            self.children.len() - 1
        });
        &mut self.children[at].1
    }
}

/// Reads the wanted members of records.
pub(super) struct Json {
    root: Node,
    count: usize,
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

impl Json {
    pub(super) fn new(names: &[Vec<u8>]) -> Self {
        let mut root = Node::default();
        for (place, name) in names.iter().enumerate() {
            let steps = steps(&String::from_utf8_lossy(name));
            let node = steps.iter().fold(&mut root, |node, step| node.add(step));
            node.wanted.push(place);
        }
        Self { root, count: names.len() }
    }

    fn find<'l>(&self, line: &'l [u8]) -> Result<Vec<Option<&'l RawValue>>, Bad> {
        let mut found = vec![None; self.count];
        let line = line.strip_prefix(b"\xef\xbb\xbf").unwrap_or(line);
        look_into(line, &self.root, &mut found)?;
        Ok(found)
    }

    /// The wanted values of a record.
    pub(super) fn values<'l>(&self, line: &'l [u8]) -> Result<Vec<Value<'l>>, Bad> {
        let found = self.find(line)?;
        found.into_iter().map(|raw| raw.map_or(Ok(Value::Missing), value)).collect()
    }

    /// The wanted values as they are written; none of a record that cannot be read.
    pub(super) fn raw<'l>(&self, line: &'l [u8]) -> Vec<&'l [u8]> {
        let found = self.find(line).unwrap_or_default();
        found.into_iter().flatten().map(|raw| raw.get().as_bytes()).collect()
    }
}

fn look_into<'l>(
    text: &'l [u8],
    node: &Node,
    found: &mut Vec<Option<&'l RawValue>>,
) -> Result<(), Bad> {
    let mut reader = serde_json::Deserializer::from_slice(text);
    let take = Take { node, found };
    take.deserialize(&mut reader).and_then(|()| reader.end()).map_err(|error| bad(&error))
}

fn bad(error: &serde_json::Error) -> Bad {
    let why = match error.classify() {
        Category::Eof => "the JSON record ends early; it must be on one line",
        Category::Data => "not a JSON object or list",
        Category::Syntax | Category::Io => "not JSON",
    };
    Bad::new(why, Some(error.column().max(1)))
}

/// A string without quotes and escapes, anything else as it is written.
fn value(raw: &RawValue) -> Result<Value<'_>, Bad> {
    let text = raw.get();
    let Some(inner) = text.strip_prefix('"').and_then(|text| text.strip_suffix('"')) else {
        return Ok(Value::Json(text.as_bytes()));
    };
    if !inner.contains('\\') {
        return Ok(Value::Text(inner.as_bytes().into()));
    }
    let text: String =
        serde_json::from_str(text).map_err(|_| Bad::new("an escape that is no character", None))?;
    Ok(Value::Text(Cow::Owned(text.into_bytes())))
}

/// Takes the wanted members of an object or a list, and checks the others.
struct Take<'n, 'f, 'l> {
    node: &'n Node,
    found: &'f mut Vec<Option<&'l RawValue>>,
}

impl<'l> Take<'_, '_, 'l> {
    /// A member that is wanted, or something in it.
    fn member<E: serde::de::Error>(&mut self, node: &Node, raw: &'l RawValue) -> Result<(), E> {
        for place in &node.wanted {
            self.found[*place] = Some(raw);
        }
        let holds_more = matches!(raw.get().as_bytes().first(), Some(b'{' | b'['));
        if holds_more && !node.children.is_empty() {
            look_into(raw.get().as_bytes(), node, self.found).map_err(|bad| E::custom(bad.why))?;
        }
        Ok(())
    }
}

impl<'l> DeserializeSeed<'l> for Take<'_, '_, 'l> {
    type Value = ();

    fn deserialize<D: Deserializer<'l>>(self, reader: D) -> Result<(), D::Error> {
        reader.deserialize_any(self)
    }
}

/// The name of a member, borrowed where it has no escapes.
struct Name;

impl<'l> DeserializeSeed<'l> for Name {
    type Value = Cow<'l, str>;

    fn deserialize<D: Deserializer<'l>>(self, reader: D) -> Result<Cow<'l, str>, D::Error> {
        reader.deserialize_str(self)
    }
}

impl<'l> Visitor<'l> for Name {
    type Value = Cow<'l, str>;

    fn expecting(&self, text: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        text.write_str("a name")
    }

    fn visit_borrowed_str<E>(self, name: &'l str) -> Result<Self::Value, E> {
        Ok(Cow::Borrowed(name))
    }

    fn visit_str<E>(self, name: &str) -> Result<Self::Value, E> {
        Ok(Cow::Owned(name.to_owned()))
    }
}

impl<'l> Visitor<'l> for Take<'_, '_, 'l> {
    type Value = ();

    fn expecting(&self, text: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        text.write_str("an object or a list")
    }

    fn visit_map<A: MapAccess<'l>>(mut self, mut members: A) -> Result<(), A::Error> {
        while let Some(name) = members.next_key_seed(Name)? {
            match self.node.child(&name) {
                Some(node) => {
                    let raw = members.next_value::<&RawValue>()?;
                    self.member(node, raw)?;
                }
                None => {
                    members.next_value::<IgnoredAny>()?;
                }
            }
        }
        Ok(())
    }

    fn visit_seq<A: SeqAccess<'l>>(mut self, mut members: A) -> Result<(), A::Error> {
        let mut number = 0;
        loop {
            match self.node.child(&number.to_string()) {
                Some(node) => {
                    let Some(raw) = members.next_element::<&RawValue>()? else { return Ok(()) };
                    self.member(node, raw)?;
                }
                None => {
                    if members.next_element::<IgnoredAny>()?.is_none() {
                        return Ok(());
                    }
                }
            }
            number += 1;
        }
    }
}

/// Levels of objects within objects whose members are listed.
const LISTED_DEPTH: usize = 16;

/// Gives every member that is not an object with its value, nested ones by their pointer.
pub(super) fn all(line: &[u8], each: &mut dyn FnMut(&[u8], &[u8])) -> Result<(), Bad> {
    let line = line.strip_prefix(b"\xef\xbb\xbf").unwrap_or(line);
    let members = members(line)?;
    list(&members, "", 0, each)
}

type Members<'l> = Vec<(Cow<'l, str>, &'l RawValue)>;

struct All;

impl<'l> Visitor<'l> for All {
    type Value = Members<'l>;

    fn expecting(&self, text: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        text.write_str("an object or a list")
    }

    fn visit_map<A: MapAccess<'l>>(self, mut members: A) -> Result<Self::Value, A::Error> {
        let mut all = Vec::new();
        while let Some(name) = members.next_key_seed(Name)? {
            all.push((name, members.next_value::<&RawValue>()?));
        }
        Ok(all)
    }

    fn visit_seq<A: SeqAccess<'l>>(self, mut members: A) -> Result<Self::Value, A::Error> {
        let mut all = Vec::new();
        while let Some(raw) = members.next_element::<&RawValue>()? {
            all.push((Cow::Owned(all.len().to_string()), raw));
        }
        Ok(all)
    }
}

fn members(text: &[u8]) -> Result<Members<'_>, Bad> {
    let mut reader = serde_json::Deserializer::from_slice(text);
    let all = reader.deserialize_any(All).map_err(|error| bad(&error))?;
    reader.end().map_err(|error| bad(&error))?;
    Ok(all)
}

fn list(
    all: &Members<'_>,
    before: &str,
    depth: usize,
    each: &mut dyn FnMut(&[u8], &[u8]),
) -> Result<(), Bad> {
    for (name, raw) in all {
        let step = name.replace('~', "~0").replace('/', "~1");
        let pointer = format!("{before}/{step}");
        if raw.get().starts_with('{') && depth < LISTED_DEPTH {
            list(&members(raw.get().as_bytes())?, &pointer, depth + 1, each)?;
            continue;
        }
        let plain = depth == 0 && !name.starts_with('/');
        let shown = if plain { name.as_ref() } else { &pointer };
        match value(raw)? {
            Value::Text(text) => each(shown.as_bytes(), &text),
            Value::Json(text) => each(shown.as_bytes(), text),
            Value::Missing => {}
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(line: &str, names: &[&str]) -> Result<Vec<String>, Bad> {
        let names: Vec<Vec<u8>> = names.iter().map(|name| name.as_bytes().to_vec()).collect();
        let json = Json::new(&names);
        let shown = |value: &Value<'_>| match value {
            Value::Missing => "-".to_owned(),
            Value::Text(text) => format!("t:{}", String::from_utf8_lossy(text)),
            Value::Json(text) => format!("j:{}", String::from_utf8_lossy(text)),
        };
        Ok(json.values(line.as_bytes())?.iter().map(shown).collect())
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
        assert!(Json::new(&[b"a".to_vec()]).values(b"{\"a\":\"\xff\"}").is_err());
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
