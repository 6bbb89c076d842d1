//! Whether the layout holds: within a crate each module of its root imports only itself and
//! the modules listed before it, and no files import each other in a circle.

mod imports;
mod order;

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use anyhow::{Context, Result, bail};

use imports::{Crate, Import};

/// The largest number of lines a file may have.
const LINES_MAX: usize = 700;

/// Checks every crate of the workspace and prints each break of the rules.
pub(crate) fn check(root: &Path) -> Result<()> {
    let mut faults = Vec::new();
    for entry in std::fs::read_dir(root.join("crates")).context("crates")? {
        let folder = entry?.path();
        let name = folder.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let source = folder.join("src");
        let mut files = Vec::new();
        collect(&source, &source, &mut files)?;
        for (path, text) in &files {
            if !text.starts_with("//! ") {
                let shown = path.display();
                faults
                    .push(format!("crates/{name}/src/{shown}: does not begin with what is in it"));
            }
            let lines = text.lines().count();
            if lines > LINES_MAX {
                let shown = path.display();
                faults.push(format!("crates/{name}/src/{shown}: {lines} lines, over {LINES_MAX}"));
            }
        }
        faults.extend(faults_of(&name, &files)?);
    }
    faults.sort();
    for fault in &faults {
        eprintln!("{fault}");
    }
    if !faults.is_empty() {
        bail!("{} breaks of the layout", faults.len());
    }
    Ok(())
}

/// The breaks of the rules in one crate, from its files: path below `src`, and text.
fn faults_of(name: &str, files: &[(PathBuf, String)]) -> Result<Vec<String>> {
    let parsed = Crate::parse(files).with_context(|| name.to_owned())?;
    let imports = parsed.imports();
    let mut faults = Vec::new();
    if let Some(modules) = order::modules(name) {
        faults.extend(modules_out_of_order(name, modules, &parsed, &imports));
    }
    faults.extend(system_asked(name, files));
    for circle in circles(&imports) {
        let steps = circle.windows(2).map(|pair| {
            let tie = |import: &&Import| import.from == pair[0] && import.to == pair[1];
            let Some(tie) = imports.iter().find(tie) else { return String::new() };
            format!("\n    {}:{} imports {}", tie.from, tie.line, tie.what)
        });
        faults.push(format!("crates/{name}: a circle of files:{}", steps.collect::<String>()));
    }
    Ok(faults)
}

/// Places where the system is asked in modules that leave that to others.
fn system_asked(name: &str, files: &[(PathBuf, String)]) -> Vec<String> {
    let (modules, words) = order::without_system(name);
    let mut faults = Vec::new();
    for (path, text) in files {
        let module = path.iter().next().unwrap_or_default().to_string_lossy();
        if !modules.contains(&module.trim_end_matches(".rs")) {
            continue;
        }
        for (number, line) in text.lines().enumerate() {
            // Tests are at the end of a file, and may.
            if line.starts_with("#[cfg(test)]") {
                break;
            }
            if let Some(word) = words.iter().find(|word| line.contains(**word)) {
                let (path, number) = (path.display(), number + 1);
                faults.push(format!("crates/{name}/src/{path}:{number} asks the system: {word}"));
            }
        }
    }
    faults
}

fn modules_out_of_order(
    name: &str,
    modules: &[&str],
    parsed: &Crate,
    imports: &[Import],
) -> Vec<String> {
    let mut faults = Vec::new();
    let place = |module: &str| {
        let module = module.split("::").next().unwrap_or_default();
        modules.iter().position(|listed| listed.split(' ').any(|listed| listed == module))
    };
    for module in parsed.modules().filter(|module| !module.is_empty()) {
        if place(module).is_none() {
            faults.push(format!("crates/{name}: {module} is in no listed module"));
        }
    }
    for Import { from, to, what, line } in imports {
        // The face of the crate hands its names on and is no module.
        if from.is_empty() {
            continue;
        }
        if to.is_empty() {
            faults.push(format!("crates/{name}: {from}:{line} takes {what} from the crate's face"));
        } else if place(to) > place(from) {
            faults.push(format!("crates/{name}: {from}:{line} imports up: {what}"));
        }
    }
    faults
}

/// The circles among files: for each, the modules along it.
fn circles(imports: &[Import]) -> Vec<Vec<String>> {
    let mut arrows: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for import in imports.iter().filter(|import| import.from != import.to) {
        // The face of a crate imports all and nothing imports it, but for what is a fault already.
        if !import.from.is_empty() {
            arrows.entry(&import.from).or_default().insert(&import.to);
        }
    }
    let mut found: Vec<Vec<String>> = Vec::new();
    let mut told = BTreeSet::new();
    for &start in arrows.keys() {
        if told.contains(start) {
            continue;
        }
        if let Some(circle) = shortest_way_back(&arrows, start) {
            told.extend(circle.iter().copied());
            found.push(circle.iter().map(|&module| module.to_owned()).collect());
        }
    }
    found
}

/// The shortest way from a file along its imports back to it.
fn shortest_way_back<'m>(
    arrows: &BTreeMap<&'m str, BTreeSet<&'m str>>,
    start: &'m str,
) -> Option<Vec<&'m str>> {
    let mut before: BTreeMap<&str, &str> = BTreeMap::new();
    let mut queue = std::collections::VecDeque::from([start]);
    while let Some(module) = queue.pop_front() {
        for &next in arrows.get(module).into_iter().flatten() {
            if next == start {
                let mut way = vec![start, module];
                let mut at = module;
                while let Some(&earlier) = before.get(at) {
                    way.push(earlier);
                    at = earlier;
                }
                if module == start {
                    way.truncate(2);
                }
                way.reverse();
                return Some(way);
            }
            if next != start && !before.contains_key(next) {
                before.insert(next, module);
                queue.push_back(next);
            }
        }
    }
    None
}

fn collect(source: &Path, folder: &Path, files: &mut Vec<(PathBuf, String)>) -> Result<()> {
    for entry in std::fs::read_dir(folder).with_context(|| folder.display().to_string())? {
        let path = entry?.path();
        if path.is_dir() {
            collect(source, &path, files)?;
        } else if path.extension().is_some_and(|extension| extension == "rs") {
            let text = std::fs::read_to_string(&path)?;
            files.push((path.strip_prefix(source)?.to_owned(), text));
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn faults(name: &str, files: &[(&str, &str)]) -> Vec<String> {
        let files: Vec<(PathBuf, String)> =
            files.iter().map(|(path, text)| (path.into(), (*text).to_owned())).collect();
        faults_of(name, &files).unwrap()
    }

    #[test]
    fn an_import_of_a_later_room_is_told_with_its_place() {
        let files = [
            ("lib.rs", "mod text; mod spec;"),
            ("text.rs", "\nuse crate::spec::{Spec, other};"),
            ("spec.rs", "pub struct Spec;"),
        ];
        assert_eq!(
            faults("filters", &files),
            [
                "crates/filters: text:2 imports up: crate::spec::Spec",
                "crates/filters: text:2 imports up: crate::spec::other"
            ]
        );
        let files = [
            ("lib.rs", "mod text; mod spec; pub use spec::Spec;"),
            ("text.rs", "pub fn f() {}"),
            ("spec.rs", "use crate::text::f; pub struct Spec;"),
        ];
        assert_eq!(faults("filters", &files), [] as [&str; 0]);
    }

    #[test]
    fn the_face_of_a_crate_and_unlisted_rooms_are_told() {
        let files = [
            ("lib.rs", "mod text; mod attic; pub use text::F;"),
            ("text.rs", "pub struct F; use crate::attic::g; use crate::Own;"),
            ("attic.rs", "pub fn g() {}"),
        ];
        let faults = faults("filters", &files);
        assert!(faults.contains(&"crates/filters: attic is in no listed module".to_owned()));
        assert!(faults.iter().any(|fault| fault.contains("takes crate::Own from")), "{faults:?}");
    }

    #[test]
    fn what_asks_the_system_is_told_where_others_do_that() {
        let files = [
            ("lib.rs", "mod storage; mod views;"),
            ("storage.rs", "pub fn read() { std::fs::read(\"x\"); }"),
            (
                "views/a.rs",
                "fn f() {\n    std::fs::read(\"x\");\n}\n#[cfg(test)]\nmod tests { use std::fs::read; }",
            ),
        ];
        let files: Vec<(PathBuf, String)> =
            files.iter().map(|(path, text)| (path.into(), (*text).to_owned())).collect();
        let told = "crates/tui/src/views/a.rs:2 asks the system: std::fs";
        assert_eq!(system_asked("tui", &files), [told]);
        assert_eq!(system_asked("engine", &files), [] as [&str; 0]);
    }

    #[test]
    fn circles_are_found_through_super_and_names_handed_on() {
        let files = [
            ("lib.rs", "mod a; mod c;"),
            ("a.rs", "mod b; pub struct A; use b::B; #[cfg(test)] mod tests { use super::*; }"),
            ("a/b.rs", "use super::A; pub struct B;"),
            ("c.rs", "mod d; mod e; pub use d::D;"),
            ("c/d.rs", "pub struct D;"),
            ("c/e.rs", "use super::D; fn f() { super::d::g(); }"),
        ];
        let circle = "a:1 imports crate::a::b::B\n    a::b:1 imports crate::a::A";
        let told = format!("crates/unlisted: a circle of files:\n    {circle}");
        assert_eq!(faults("unlisted", &files), [told]);
    }
}
