//! The modules of each crate, in the order of its layers: a module imports only itself and what is
//! listed before it. Names in one row are side by side and may import each other.

/// The rows of a crate; `None` for a crate that is one module.
pub(super) fn modules(name: &str) -> Option<&'static [&'static str]> {
    match name {
        "filters" => Some(&[
            "text",
            "spec",
            "common",
            "compression",
            "languages",
            "utilities",
            "registry",
            "guide",
            "testing",
        ]),
        "engine" => Some(&[
            "base", "kept", "flow", "files", "policy", "plan", "exec", "language", "runs", "bench",
        ]),
        "insight" => Some(&[
            "describe", "columns", "point", "example", "guide", "edit", "compare", "runs", "trail",
            "advice", "export", "shelf", "start",
        ]),
        "tui" => Some(&[
            "theme",
            "text",
            "screen",
            "actions",
            "storage",
            "state",
            "hints",
            "parts",
            "update",
            "views",
            "frame",
            "terminal",
            "event_loop",
            "screen_tests",
        ]),
        _ => None,
    }
}

/// Modules of a crate in which nothing of the system is asked, and what names that. What does is given to workers
/// from there, and is in another module.
pub(super) fn without_system(name: &str) -> (&'static [&'static str], &'static [&'static str]) {
    match name {
        "tui" => (
            &["screen", "actions", "state", "hints", "parts", "update", "views", "frame"],
            &["std::fs", "std::thread", "std::env::set", "std::process", "File::open", ".exists()"],
        ),
        _ => (&[], &[]),
    }
}
