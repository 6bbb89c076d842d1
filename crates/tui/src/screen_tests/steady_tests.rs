//! What of a screen is the same each time and everywhere: not times, folders and names of the machine.

/// A stretch of time in a text: blanks, a number, and a unit that ends there. Gives where it begins.
fn time_before(line: &str, unit_at: usize) -> Option<usize> {
    let number = line[..unit_at].trim_end_matches(|one: char| one.is_ascii_digit() || one == '.');
    (number.len() < unit_at).then(|| number.trim_end_matches(' ').len())
}

/// The line without times: `  2.77 ms` is `  T`.
fn without_times(line: &str) -> String {
    let mut line = line.to_owned();
    for unit in [" k lines/s", " M lines/s", " lines/s", " ms", " s"] {
        let mut from = 0;
        while let Some(found) = line[from..].find(unit).map(|at| at + from) {
            let end = found + unit.len();
            let ends = !line[end..].starts_with(char::is_alphanumeric);
            match time_before(&line, found).filter(|_| ends) {
                Some(start) => {
                    line.replace_range(start..end, "  T");
                    from = start + 3;
                }
                None => from = end,
            }
        }
    }
    line
}

/// The screen with the folder under another name, also where its name is cut or wrapped.
pub(super) fn without_folder(screen: &str, folder: &std::path::Path) -> String {
    let name = folder.file_name().unwrap().to_string_lossy().into_owned();
    let chance = name.strip_prefix(".stand-").unwrap();
    let mut screen = screen.replace(chance, &"X".repeat(chance.len()));
    for length in (1..=chance.len()).rev() {
        let hidden = "X".repeat(length);
        let (cut, rest) = (&chance[..length], &chance[chance.len() - length..]);
        screen = screen.replace(&format!("nd-{cut}"), &format!("nd-{hidden}"));
        screen = screen.replace(&format!(" {rest}/"), &format!(" {hidden}/"));
        // Cut in its middle.
        screen = screen.replace(&format!("…{rest}/"), &format!("…{hidden}/"));
    }
    screen
}

/// The line without what was measured: the foot of the river, and the end of a stage's figures.
pub(super) fn without_figures(line: &str) -> String {
    let line = without_times(line);
    // Where a command would run is where the tests do.
    if let Some(at) = line.find("in folder /") {
        return format!("{}in folder", &line[..at]);
    }
    if let Some(at) = line.find("evaluated in") {
        let end = line[at..].find('│').map_or(line.len(), |end| at + end);
        return format!("{}evaluated in {}", &line[..at], &line[end..]);
    }
    match line.find(" out ·  T") {
        // On a narrow screen the rest is there only where it fits.
        Some(at) => line[..at + " out".len()].to_owned(),
        None => line,
    }
}

/// True for a row that has something of the moment or of the machine: times, folders, owners.
pub(super) fn varies(line: &str) -> bool {
    without_figures(line) != line
        || ["/bin/", "/sbin/", "owner "].iter().any(|at| line.contains(at))
}

#[test]
fn times_are_taken_out() {
    assert_eq!(without_times("  a  2.77 ms  b 12 s, 3 steps"), "  a  T  b  T, 3 steps");
}
