//! The forms of the sentences and clauses that this crate makes, but for those of rules, which stand beside
//! their rules. A `{name}` stands for a part; `{{` for a brace.

pub(crate) mod answers;
pub(crate) mod axes;
pub(crate) mod changes;
pub(crate) mod layers;
pub(crate) mod rows;
pub(crate) mod sentences;
pub(crate) mod texts;
