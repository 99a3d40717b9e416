//! What can become of a candidate, and by which rule.

/// What became of a candidate.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Verdict {
    /// It gives the effective value.
    Wins,
    /// It gives a part of it.
    Contributes,
    /// A stronger one set something at the same key.
    Overridden,
    /// A stronger one set something above or below its key.
    Reshaped,
    /// A weaker layer pins what it would change.
    Blocked,
    /// It is an empty text that does not count.
    Empty,
    /// It is a null or a pattern that removes what weaker ones said.
    Removes,
    /// A stronger null removed it.
    Removed,
    /// It is not meant for this context, and decides nothing.
    Withheld,
    /// It would give the effective value, or a part of it, and cannot be read. It keeps its rank.
    Unreadable,
}

impl Verdict {
    /// The verdict's name.
    pub fn name(self) -> &'static str {
        match self {
            Verdict::Wins => "wins",
            Verdict::Contributes => "contributes",
            Verdict::Overridden => "overridden",
            Verdict::Reshaped => "reshaped",
            Verdict::Blocked => "blocked",
            Verdict::Empty => "empty",
            Verdict::Removes => "removes",
            Verdict::Removed => "removed",
            Verdict::Withheld => "withheld",
            Verdict::Unreadable => "unreadable",
        }
    }

    /// Whether the effective value is made of it.
    pub fn is_in_force(self) -> bool {
        matches!(self, Verdict::Wins | Verdict::Contributes | Verdict::Unreadable)
    }
}

/// The rule of precedence that gave a candidate its verdict.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Rule {
    /// Stronger replaces weaker, at the same key.
    Precedence,
    /// A key is either a value or a branch.
    Shape,
    /// A pin protects what its layer has.
    Pin,
    /// An empty text may set nothing.
    Empty,
    /// A null removes.
    Null,
    /// A `remove` pattern does as a null.
    Remove,
    /// Some lists gather.
    Gather,
    /// Two names of one source mean one setting: the better one wins.
    BetterName,
    /// What a store keeps is meant for some contexts.
    Audience,
    /// What cannot be read keeps its rank.
    Unreadable,
}

impl Rule {
    /// The rule's name.
    pub fn name(self) -> &'static str {
        match self {
            Rule::Precedence => "precedence",
            Rule::Shape => "shape",
            Rule::Pin => "pin",
            Rule::Empty => "empty",
            Rule::Null => "null",
            Rule::Remove => "remove",
            Rule::Gather => "gather",
            Rule::BetterName => "better-name",
            Rule::Audience => "audience",
            Rule::Unreadable => "unreadable",
        }
    }
}
