//! The rules that a project is checked by.

use crate::model::near::nearest;

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

/// What a finding is about.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub enum CheckRule {
    /// A context that cannot be read.
    CannotRead,
    /// A required setting without a value.
    MissingRequired,
    /// A value that its declaration refuses.
    BadValue,
    /// A reference that leads nowhere, or back to itself.
    BrokenReference,
    /// A rule between settings that does not hold.
    RuleBroken,
    /// A secret in a file that git tracks or would track.
    SecretExposed,
    /// Two contexts that must differ and do not.
    SameAcross,
    /// Two settings with one variable.
    VariableClash,
    /// A setting that is not in the catalogue.
    UnknownSetting,
    /// A variable that was probably meant for a setting.
    StrayVariable,
    /// A file that no context reads.
    OrphanFile,
    /// Two names of one source for one setting.
    SaidTwice,
    /// A former name that is still used.
    OldName,
    /// A stronger value of another type.
    ChangesType,
    /// A value where a weaker layer has a branch, or the other way round.
    Reshapes,
    /// A quote or a blank that was left at an end of a text.
    StrayQuotes,
    /// An empty text that wins over one that is not empty.
    EmptyText,
    /// A value that was left out.
    BareNull,
    /// A text that other readers of its format take for something else.
    LooksLike,
    /// A command in a text, which stays literal.
    NotRun,
    /// A variable without braces in a text, which stays literal.
    BareDollar,
    /// A value that a pin blocks.
    Blocked,
    /// A value that decides nothing anywhere.
    NeverWins,
    /// A value that says what weaker layers say already.
    RepeatsWeaker,
    /// A layer that is active nowhere.
    NeverActive,
    /// An accepted finding that is not there.
    IdleAccept,
}

use CheckRule as Rule;

impl CheckRule {
    /// Every rule.
    pub const ALL: [CheckRule; 26] = [
        Rule::CannotRead,
        Rule::MissingRequired,
        Rule::BadValue,
        Rule::BrokenReference,
        Rule::RuleBroken,
        Rule::SecretExposed,
        Rule::SameAcross,
        Rule::VariableClash,
        Rule::UnknownSetting,
        Rule::StrayVariable,
        Rule::OrphanFile,
        Rule::SaidTwice,
        Rule::OldName,
        Rule::ChangesType,
        Rule::Reshapes,
        Rule::StrayQuotes,
        Rule::EmptyText,
        Rule::BareNull,
        Rule::LooksLike,
        Rule::NotRun,
        Rule::BareDollar,
        Rule::Blocked,
        Rule::NeverWins,
        Rule::RepeatsWeaker,
        Rule::NeverActive,
        Rule::IdleAccept,
    ];

    /// The rule's name.
    pub fn name(self) -> &'static str {
        self.told().0
    }

    /// What it reports, in one line.
    pub fn about(self) -> &'static str {
        self.told().2
    }

    /// How bad its findings are, unless one says otherwise.
    pub fn severity(self) -> Severity {
        self.told().1
    }

    fn told(self) -> (&'static str, Severity, &'static str) {
        use Severity::{Error, Note, Warning};
        match self {
            Rule::CannotRead => ("cannot-read", Error, "a context that cannot be read"),
            Rule::MissingRequired => {
                ("missing-required", Error, "a required setting that has no value")
            }
            Rule::BadValue => {
                ("bad-value", Error, "a value that its type, bounds, choice or pattern refuses")
            }
            Rule::BrokenReference => {
                ("broken-reference", Error, "a reference to nothing, or back to itself")
            }
            Rule::RuleBroken => {
                ("rule-broken", Error, "a rule between settings that does not hold")
            }
            Rule::SecretExposed => {
                ("secret-exposed", Error, "a secret in a file that git tracks or would track")
            }
            Rule::SameAcross => {
                ("same-across", Error, "a value that contexts share which must differ in it")
            }
            Rule::VariableClash => ("variable-clash", Error, "two settings with one variable"),
            Rule::UnknownSetting => {
                ("unknown-setting", Warning, "a setting that is not in the catalogue")
            }
            Rule::StrayVariable => (
                "stray-variable",
                Warning,
                "a variable that is nearly a known one, or has the prefix and is no setting",
            ),
            Rule::OrphanFile => {
                ("orphan-file", Warning, "a file that a layer would read for no allowed value")
            }
            Rule::SaidTwice => ("said-twice", Warning, "two names in one source for one setting"),
            Rule::OldName => ("old-name", Warning, "a former name that is still used"),
            Rule::ChangesType => ("changes-type", Warning, "a stronger value of another type"),
            Rule::Reshapes => (
                "reshapes",
                Warning,
                "a value in place of a branch, or a branch in place of a value",
            ),
            Rule::StrayQuotes => {
                ("stray-quotes", Warning, "a quote or blank left at an end of a text")
            }
            Rule::EmptyText => {
                ("empty-text", Warning, "an empty text that wins over one that is not empty")
            }
            Rule::BareNull => ("bare-null", Warning, "a value that was left out"),
            Rule::LooksLike => (
                "looks-like",
                Warning,
                "a YAML text that other readers of YAML take for something else",
            ),
            Rule::NotRun => ("not-run", Warning, "a command in a text, which stays literal"),
            Rule::BareDollar => {
                ("bare-dollar", Warning, "a variable without braces, which stays literal")
            }
            Rule::Blocked => ("blocked", Warning, "a value that a pin blocks"),
            Rule::NeverWins => ("never-wins", Note, "a value that decides nothing in any context"),
            Rule::RepeatsWeaker => {
                ("repeats-weaker", Note, "a value that says what weaker layers say already")
            }
            Rule::NeverActive => ("never-active", Warning, "a layer that is active in no context"),
            Rule::IdleAccept => ("idle-accept", Warning, "an [[accept]] that accepts nothing"),
        }
    }
}

/// The rule of that name; an error is the name that was probably meant.
pub fn rule_named(name: &str) -> Result<CheckRule, Option<&'static str>> {
    let found = CheckRule::ALL.into_iter().find(|rule| rule.name() == name);
    found.ok_or_else(|| nearest(name, CheckRule::ALL.map(CheckRule::name)))
}
