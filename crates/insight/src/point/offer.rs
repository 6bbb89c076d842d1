//! Something that can be done with what is pointed at.

/// What an offer is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Group {
    /// Lines that stay.
    Lines,
    /// Columns that stay.
    Columns,
    /// Counts and order.
    Count,
    /// Sums of numbers.
    Sum,
    /// Changes of the text.
    Change,
}

/// Something that can be done.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Offer {
    /// What it is about.
    pub group: Group,
    /// What it does, in words.
    pub says: String,
    /// The stages that do it: shell text.
    pub stages: String,
    /// The same with awk in place of cut.
    pub by_awk: Option<String>,
    /// It puts another text in the place of this one: the text is asked for.
    pub replaces: Option<String>,
}

/// An offer of these stages.
pub(super) fn offer(group: Group, says: impl Into<String>, stages: impl Into<String>) -> Offer {
    Offer { group, says: says.into(), stages: stages.into(), by_awk: None, replaces: None }
}

/// As it is quoted in an offer.
pub(super) fn shown(text: &str) -> String {
    let short: String = text.chars().take(40).collect();
    if short.len() < text.len() { format!("“{short}…”") } else { format!("“{short}”") }
}
