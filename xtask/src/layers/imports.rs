//! The imports of a crate's files, read from their tokens: every path that begins with `crate`,
//! `super`, `self` or a module of the file, in `use` and in place. Test modules do not count.

use std::collections::{BTreeMap, BTreeSet};
use std::iter::Peekable;
use std::path::{Path, PathBuf};

use anyhow::{Result, anyhow};
use proc_macro2::{Delimiter, TokenStream, TokenTree};

/// One file naming something of another.
#[derive(Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Import {
    /// The module of the file that names it.
    pub(super) from: String,
    /// The module of the file where it is defined.
    pub(super) to: String,
    /// The path as written, whole.
    pub(super) what: String,
    pub(super) line: usize,
}

/// A path as found: its parts from the root of the crate, and where.
struct Named {
    parts: Vec<String>,
    /// The name it gets in this file, for a `use`.
    alias: Option<String>,
    line: usize,
}

#[derive(Default)]
struct File {
    named: Vec<Named>,
    /// What names of the file mean, by its `use` lines.
    aliases: BTreeMap<String, Vec<String>>,
}

/// The files of a crate by their modules; the root is the empty name.
pub(super) struct Crate(BTreeMap<String, File>);

impl Crate {
    pub(super) fn parse(files: &[(PathBuf, String)]) -> Result<Self> {
        let modules: BTreeSet<String> = files.iter().map(|(path, _)| module_of(path)).collect();
        let mut parsed = BTreeMap::new();
        for (path, text) in files {
            let module = module_of(path);
            let tokens: TokenStream =
                text.parse().map_err(|error| anyhow!("{}: {error}", path.display()))?;
            let parts = module.split("::").filter(|part| !part.is_empty()).map(str::to_owned);
            let mut reader = Reader { modules: &modules, file: File::default() };
            reader.scope(tokens, &parts.collect::<Vec<_>>());
            parsed.insert(module, reader.file);
        }
        Ok(Self(parsed))
    }

    pub(super) fn modules(&self) -> impl Iterator<Item = &str> {
        self.0.keys().map(String::as_str)
    }

    /// Every import, each name followed to where it is defined.
    pub(super) fn imports(&self) -> Vec<Import> {
        let mut imports = Vec::new();
        for (from, file) in &self.0 {
            for Named { parts, line, .. } in &file.named {
                let to = self.home(parts, 16);
                let what = format!("crate::{}", parts.join("::"));
                imports.push(Import { from: from.clone(), to, what, line: *line });
            }
        }
        imports.sort();
        imports.dedup();
        imports
    }

    /// The module of the file in which a path ends, names that are only handed on followed.
    fn home(&self, parts: &[String], hops: usize) -> String {
        let length = (0..=parts.len())
            .rev()
            .find(|&length| self.0.contains_key(&parts[..length].join("::")))
            .unwrap_or(0);
        let module = parts[..length].join("::");
        if let (Some(name), Some(file)) = (parts.get(length), self.0.get(&module))
            && let Some(target) = file.aliases.get(name)
            && hops > 0
        {
            return self.home(target, hops - 1);
        }
        module
    }
}

/// `spec/arguments.rs` is `spec::arguments`; `lib.rs` and `main.rs` are the root.
fn module_of(path: &Path) -> String {
    let text = path.with_extension("").to_string_lossy().replace('/', "::");
    if text == "lib" || text == "main" { String::new() } else { text }
}

struct Reader<'m> {
    modules: &'m BTreeSet<String>,
    file: File,
}

type Tokens = Peekable<proc_macro2::token_stream::IntoIter>;

impl Reader<'_> {
    /// Reads the tokens of `module`, and of the modules written within it.
    fn scope(&mut self, tokens: TokenStream, module: &[String]) {
        let mut tokens = tokens.into_iter().peekable();
        let (mut before, mut in_use) = (String::new(), false);
        while let Some(token) = tokens.next() {
            match token {
                TokenTree::Punct(ref mark) if mark.as_char() == '#' => {
                    if attribute_is_test(&mut tokens) {
                        skip_item(&mut tokens);
                    }
                    before = "#".to_owned();
                }
                TokenTree::Punct(mark) => {
                    in_use &= mark.as_char() != ';';
                    before = mark.as_char().to_string();
                }
                TokenTree::Group(group) => {
                    let named_module = before.strip_prefix("mod ").map(str::to_owned);
                    match named_module {
                        Some(name) if group.delimiter() == Delimiter::Brace => {
                            let mut inner = module.to_vec();
                            inner.push(name);
                            self.scope(group.stream(), &inner);
                        }
                        _ => self.scope(group.stream(), module),
                    }
                    before.clear();
                }
                TokenTree::Ident(ident) => {
                    let name = ident.to_string();
                    in_use |= name == "use";
                    let starts = before != ":" && before != "." && before != "in";
                    if starts && let Some(base) = self.base(&name, module) {
                        self.path(&mut tokens, base, in_use, ident.span().start().line);
                        before = ":".to_owned();
                    } else if before == "mod" {
                        before = format!("mod {name}");
                    } else {
                        before = name;
                    }
                }
                TokenTree::Literal(_) => before.clear(),
            }
        }
    }

    /// The module that a path beginning with `name` starts from.
    fn base(&self, name: &str, module: &[String]) -> Option<Vec<String>> {
        match name {
            "crate" => Some(Vec::new()),
            "self" => Some(module.to_vec()),
            "super" => Some(module[..module.len().saturating_sub(1)].to_vec()),
            _ => {
                let mut child = module.to_vec();
                child.push(name.trim_start_matches("r#").to_owned());
                self.modules.contains(&child.join("::")).then_some(child)
            }
        }
    }

    /// Reads on after the first word of a path, if it is one.
    fn path(&mut self, tokens: &mut Tokens, mut parts: Vec<String>, in_use: bool, line: usize) {
        let mut length = 0;
        loop {
            if !next_is_colons(tokens) {
                break;
            }
            match tokens.peek() {
                Some(TokenTree::Ident(ident)) => {
                    let name = ident.to_string();
                    match name.as_str() {
                        "super" => drop(parts.pop()),
                        "self" => {}
                        _ => parts.push(name.trim_start_matches("r#").to_owned()),
                    }
                    length += 1;
                    tokens.next();
                }
                Some(TokenTree::Group(group)) if in_use => {
                    let inner = group.stream();
                    tokens.next();
                    self.tree(inner, &parts, line);
                    return;
                }
                Some(TokenTree::Punct(mark)) if mark.as_char() == '*' && in_use => {
                    length += 1;
                    tokens.next();
                    break;
                }
                _ => break,
            }
        }
        if length > 0 {
            let alias = in_use.then(|| alias(tokens).or_else(|| parts.last().cloned())).flatten();
            self.add(Named { parts, alias, line });
        }
    }

    /// The branches of a `use` in braces.
    fn tree(&mut self, tokens: TokenStream, base: &[String], line: usize) {
        let mut tokens = tokens.into_iter().peekable();
        while let Some(token) = tokens.next() {
            let TokenTree::Ident(ident) = token else { continue };
            let line = line.max(ident.span().start().line);
            let mut parts = base.to_vec();
            if ident != "self" {
                parts.push(ident.to_string().trim_start_matches("r#").to_owned());
            }
            let mut deeper = false;
            while next_is_colons(&mut tokens) {
                match tokens.next() {
                    Some(TokenTree::Ident(next)) => parts.push(next.to_string()),
                    Some(TokenTree::Group(group)) => {
                        self.tree(group.stream(), &parts, line);
                        deeper = true;
                    }
                    _ => {}
                }
            }
            if !deeper {
                let alias = alias(&mut tokens).or_else(|| parts.last().cloned());
                self.add(Named { parts, alias, line });
            }
        }
    }

    fn add(&mut self, named: Named) {
        if let Some(alias) = &named.alias {
            self.file.aliases.insert(alias.clone(), named.parts.clone());
        }
        self.file.named.push(named);
    }
}

/// Takes `::` if it comes next.
fn next_is_colons(tokens: &mut Tokens) -> bool {
    let colon =
        |token: &TokenTree| matches!(token, TokenTree::Punct(mark) if mark.as_char() == ':');
    let mut ahead = tokens.clone();
    if ahead.next().is_some_and(|token| colon(&token))
        && ahead.next().is_some_and(|token| colon(&token))
    {
        *tokens = ahead;
        return true;
    }
    false
}

/// Takes `as name` if it comes next.
fn alias(tokens: &mut Tokens) -> Option<String> {
    tokens.next_if(|token| matches!(token, TokenTree::Ident(word) if word == "as"))?;
    tokens.next().map(|name| name.to_string())
}

/// Takes the rest of an attribute; true for `#[cfg(test)]`.
fn attribute_is_test(tokens: &mut Tokens) -> bool {
    let group = tokens.next_if(
        |token| matches!(token, TokenTree::Group(group) if group.delimiter() == Delimiter::Bracket),
    );
    group.is_some_and(|group| group.to_string().replace(' ', "") == "[cfg(test)]")
}

/// Passes over an item: to its braces or its semicolon.
fn skip_item(tokens: &mut Tokens) {
    for token in tokens.by_ref() {
        match token {
            TokenTree::Group(group) if group.delimiter() == Delimiter::Brace => return,
            TokenTree::Punct(mark) if mark.as_char() == ';' => return,
            _ => {}
        }
    }
}
