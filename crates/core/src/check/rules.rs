//! The rules that a project is checked by: a file for each, and the row of it in [`RULES`].

use super::Look;
use super::seen::{Seen, TextSaid};
use crate::model::near::nearest;
use crate::precedence::resolution::Candidate;
use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};

pub(crate) mod bad_value;
pub(crate) mod bare_dollar;
mod bare_null;
mod blocked;
mod broken_reference;
mod changes_type;
mod code;
mod defaults_disagree;
mod empty_string;
mod idle;
mod looks_like;
mod missing_required;
mod never_active;
pub(crate) mod not_run;
mod old_name;
mod outside;
mod reshapes;
mod said_twice;
mod same_across;
mod secret_exposed;
pub(crate) mod stray_quotes;
mod stray_variable;
mod tolerated;
mod unknown_setting;
mod variable_clash;

/// Every rule, in the order in which they are listed for people.
static RULES: [&About; 32] = [
    &outside::CANNOT_READ,
    &missing_required::MISSING_REQUIRED,
    &bad_value::BAD_VALUE,
    &broken_reference::BROKEN_REFERENCE,
    &outside::RULE_BROKEN,
    &secret_exposed::SECRET_EXPOSED,
    &code::SECRET_IN_CODE,
    &same_across::SAME_ACROSS,
    &variable_clash::VARIABLE_CLASH,
    &unknown_setting::UNKNOWN_SETTING,
    &stray_variable::STRAY_VARIABLE,
    &code::READ_NOT_DECLARED,
    &code::HARD_CODED,
    &defaults_disagree::DEFAULTS_DISAGREE,
    &outside::ORPHAN_FILE,
    &said_twice::SAID_TWICE,
    &old_name::OLD_NAME,
    &changes_type::CHANGES_TYPE,
    &reshapes::RESHAPES,
    &stray_quotes::STRAY_QUOTES,
    &empty_string::EMPTY_STRING,
    &bare_null::BARE_NULL,
    &tolerated::TOLERATED,
    &looks_like::LOOKS_LIKE,
    &not_run::NOT_RUN,
    &bare_dollar::BARE_DOLLAR,
    &blocked::BLOCKED,
    &idle::NEVER_WINS,
    &idle::REPEATS_WEAKER,
    &code::UNUSED_SETTING,
    &never_active::NEVER_ACTIVE,
    &outside::IDLE_ACCEPT,
];

/// How bad a finding is.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum Severity {
    /// It goes wrong.
    Error,
    /// It probably is not meant so.
    Warning,
    /// It could be left out.
    Note,
}

impl Severity {
    /// The severity's name.
    pub fn name(self) -> &'static str {
        match self {
            Severity::Error => "error",
            Severity::Warning => "warning",
            Severity::Note => "note",
        }
    }
}

/// What is to be known of a rule, and what it looks at.
pub(crate) struct About {
    /// Its name.
    pub(crate) name: &'static str,
    /// How bad its findings are, unless one decides otherwise.
    pub(crate) severity: Severity,
    /// What it reports, in one line.
    pub(crate) about: &'static str,
    /// The forms of the sentences that its findings have.
    pub(crate) says: &'static [&'static str],
    /// What must be there, so that it can run.
    pub(crate) needs: Needs,
    /// Begins a check.
    pub(crate) begin: fn() -> Visit,
}

impl About {
    /// Of a rule that can always run.
    pub(crate) const fn new(
        name: &'static str,
        severity: Severity,
        about: &'static str,
        says: &'static [&'static str],
        begin: fn() -> Visit,
    ) -> About {
        About { name, severity, about, says, needs: Needs::Nothing, begin }
    }

    /// The same of one that can only run where this is there.
    pub(crate) const fn needing(self, needs: Needs) -> About {
        About { needs, ..self }
    }
}

/// What must be there, so that a rule can run.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Needs {
    /// Nothing.
    Nothing,
    /// Settings that are declared.
    Catalogue,
    /// Every context that there is.
    EveryContext,
    /// Source code to search: `[code]` in the project file.
    Code,
    /// Contexts with every value of the axes by which settings must differ.
    EveryValueOfTheirAxes,
}

/// What a rule looks at.
pub(crate) enum Visit {
    /// Nothing of its own: others find it.
    Nothing,
    /// Each setting, once in each group of contexts.
    Setting(fn(&mut Look<'_>, &Seen<'_>)),
    /// The same where somebody works.
    Working(fn(&mut Look<'_>, &Seen<'_>)),
    /// Each candidate where somebody works.
    Candidate(fn(&mut Look<'_>, &Seen<'_>, &Candidate)),
    /// Each candidate once for all contexts, as it looks the same in all of them.
    TextOf(fn(&mut Look<'_>, &Seen<'_>, &Candidate)),
    /// Each text of such a candidate.
    Text(fn(&mut Look<'_>, &Seen<'_>, &TextSaid<'_>)),
    /// All together, once everything was seen.
    Finish(fn(&mut Look<'_>)),
    /// What it keeps in mind until everything was seen.
    State(Box<dyn State>),
}

/// What a rule keeps in mind.
pub(crate) trait State {
    /// Sees a setting in a group of contexts.
    fn group(&mut self, _look: &mut Look<'_>, _seen: &Seen<'_>) {}

    /// The same where somebody works.
    fn working(&mut self, _look: &mut Look<'_>, _seen: &Seen<'_>) {}

    /// Tells what shows once everything was seen.
    fn finish(&mut self, look: &mut Look<'_>);
}

/// A rule of `check`.
#[derive(Clone, Copy)]
pub struct CheckRule(pub(crate) &'static About);

/// Rules whose findings come from outside of the settings, and those that others have to do with.
impl CheckRule {
    /// A context that cannot be read.
    pub const CANNOT_READ: CheckRule = CheckRule(&outside::CANNOT_READ);
    /// A rule between settings that does not hold.
    pub const RULE_BROKEN: CheckRule = CheckRule(&outside::RULE_BROKEN);
    /// A file that no context reads.
    pub const ORPHAN_FILE: CheckRule = CheckRule(&outside::ORPHAN_FILE);
    /// An accepted finding that is not there.
    pub const IDLE_ACCEPT: CheckRule = CheckRule(&outside::IDLE_ACCEPT);
    /// A secret that stands in source code.
    pub const SECRET_IN_CODE: CheckRule = CheckRule(&code::SECRET_IN_CODE);
    /// A variable that source code reads and nothing sets or declares.
    pub const READ_NOT_DECLARED: CheckRule = CheckRule(&code::READ_NOT_DECLARED);
    /// The value of a setting that stands in source code.
    pub const HARD_CODED: CheckRule = CheckRule(&code::HARD_CODED);
    /// A setting that no source code mentions.
    pub const UNUSED_SETTING: CheckRule = CheckRule(&code::UNUSED_SETTING);
    /// A secret in a file that git tracks or would track.
    pub const SECRET_EXPOSED: CheckRule = CheckRule(&secret_exposed::SECRET_EXPOSED);
    /// A required setting without a value.
    pub const MISSING_REQUIRED: CheckRule = CheckRule(&missing_required::MISSING_REQUIRED);
    /// A value that its declaration refuses.
    pub const BAD_VALUE: CheckRule = CheckRule(&bad_value::BAD_VALUE);
    /// Two contexts that must differ and do not.
    pub const SAME_ACROSS: CheckRule = CheckRule(&same_across::SAME_ACROSS);
    /// A value that decides nothing anywhere.
    pub const NEVER_WINS: CheckRule = CheckRule(&idle::NEVER_WINS);
    /// A value that shows what weaker layers have already.
    pub const REPEATS_WEAKER: CheckRule = CheckRule(&idle::REPEATS_WEAKER);
}

impl CheckRule {
    /// Every rule.
    pub fn all() -> impl ExactSizeIterator<Item = CheckRule> {
        RULES.iter().map(|about| CheckRule(about))
    }

    /// The rule's name.
    pub fn name(self) -> &'static str {
        self.0.name
    }

    /// What it reports, in one line.
    pub fn about(self) -> &'static str {
        self.0.about
    }

    /// The forms of the sentences that its findings have, with `{…}` for their parts.
    pub fn says(self) -> &'static [&'static str] {
        self.0.says
    }

    /// How bad its findings are, unless one is of another severity.
    pub fn severity(self) -> Severity {
        self.0.severity
    }

    /// What must be there, so that it can run.
    pub fn needs(self) -> Needs {
        self.0.needs
    }

    /// Its number in the order in which they are listed.
    pub fn number(self) -> usize {
        RULES.iter().position(|about| about.name == self.0.name).unwrap_or(RULES.len())
    }
}

impl PartialEq for CheckRule {
    fn eq(&self, other: &CheckRule) -> bool {
        self.0.name == other.0.name
    }
}

impl Eq for CheckRule {}

impl PartialOrd for CheckRule {
    fn partial_cmp(&self, other: &CheckRule) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for CheckRule {
    fn cmp(&self, other: &CheckRule) -> Ordering {
        self.number().cmp(&other.number())
    }
}

impl Hash for CheckRule {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.0.name.hash(state);
    }
}

impl fmt::Debug for CheckRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.0.name)
    }
}

/// The rule of that name; an error is the name that was probably meant.
pub fn rule_named(name: &str) -> Result<CheckRule, Option<&'static str>> {
    let found = CheckRule::all().find(|rule| rule.name() == name);
    found.ok_or_else(|| nearest(name, CheckRule::all().map(CheckRule::name)))
}
