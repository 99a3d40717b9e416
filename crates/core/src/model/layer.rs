//! Layers: the rungs of the order of precedence, as they are in one context.

use crate::model::axis::Context;
use crate::model::condition::Condition;
use crate::model::document::Document;
use crate::model::fact::Fact;
use crate::model::key::{KeyId, KeyPath, Keys};
use crate::model::pattern::Pattern;
use crate::model::place::Span;
use crate::model::reference::{Dialect, Within};
use crate::model::value::Value;
use crate::model::variable::Naming;
use crate::model::words::layers as words;
use std::sync::Arc;

#[cfg(test)]
mod tests;

/// The place of a layer in the order of precedence, 0 being the weakest.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct LayerIndex(pub usize);

/// What a layer reads.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Kind {
    /// The defaults of the catalogue, always the weakest.
    Catalogue,
    /// One file, or the file of that name in several folders.
    File,
    /// Every file that matches a pattern.
    Files,
    /// One row of a file of rows.
    Rows,
    /// The settings written in the project file.
    Values,
    /// One scope of a store.
    Scope,
    /// Every scope of a store that matches a pattern.
    Scopes,
    /// A command line.
    CommandLine,
    /// The fallbacks in source code.
    Code,
    /// The process environment.
    Process,
    /// `--set` and `--unset`, always the strongest.
    Arguments,
}

/// Whether an empty text counts.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Empty {
    /// It is a value like any other.
    #[default]
    Value,
    /// It sets nothing.
    Unset,
}

/// What a null does.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Null {
    /// It removes what weaker layers said.
    #[default]
    Unset,
    /// It is a value like any other.
    Value,
}

/// How the names in a layer's sources are read.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Names {
    /// As keys: tables lead to settings.
    Keys,
    /// As flat names of variables.
    Variables(Naming),
}

/// Why a layer is not active in a context.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Inactivity {
    /// Its path, section or row needs an axis that is unset.
    Needs {
        /// That axis.
        axis: String,
    },
    /// `when` is not met.
    When {
        /// The entry that is not met.
        condition: Condition,
        /// What the axis is instead; `None` if it is unset.
        actual: Option<String>,
    },
    /// It is local, and the question is about contexts that nobody is in.
    LeftOut,
    /// `unless` is met.
    Unless {
        /// The axis of the entry that is met.
        axis: String,
        /// Its value.
        value: String,
    },
}

/// What there is of a layer in a context.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Presence {
    /// It was read.
    Read,
    /// It is not active here.
    Inactive(Inactivity),
    /// What it reads is not there, and need not be.
    Missing(Lack),
    /// Its store could not be asked, as nothing is asked of others here: why, as a clause.
    Unavailable(String),
}

/// What is not there. Paths are relative to the project's folder.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Lack {
    /// The file at this path.
    File(String),
    /// A section of the file at this path, or of all files that match it.
    Section {
        /// The path.
        path: String,
        /// The section.
        section: String,
    },
    /// What a layer reads of the file at this path.
    Part {
        /// The path.
        path: String,
        /// Why, as a clause.
        why: String,
    },
    /// Any file that matches this pattern.
    Match(String),
    /// A file of this path in any folder from the project's down to the working directory.
    InFolders(String),
    /// The command line of a process: nobody names the process.
    CommandLine,
    /// A scope.
    Scope {
        /// Its store.
        store: String,
        /// Its name, or the pattern that no name matches.
        scope: String,
    },
}

/// The scope that a layer reads in a context.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct ScopeOf {
    /// The name of the store.
    pub store: String,
    /// The name of the scope, or the pattern of names.
    pub scope: String,
    /// How old the copy is that stands for what the store would say, as a clause.
    pub copy: Option<String>,
}

/// Which keys a layer pins: what it has for them no stronger layer can change.
#[derive(Clone, PartialEq, Debug, Default)]
pub enum Pins {
    /// None.
    #[default]
    Nothing,
    /// All.
    Everything,
    /// Those that match one of these.
    Keys(Arc<[Pattern]>),
}

impl Pins {
    /// Whether the layer could pin the key, or one above or below it.
    pub(crate) fn could_meet(&self, keys: &Keys, key: KeyId) -> bool {
        match self {
            Pins::Nothing => false,
            Pins::Everything => true,
            Pins::Keys(patterns) => patterns.iter().any(|pattern| pattern.could_meet(keys, key)),
        }
    }

    /// Whether the key is pinned if the layer sets anything about it.
    pub fn has(&self, keys: &Keys, key: KeyId) -> bool {
        match self {
            Pins::Nothing => false,
            Pins::Everything => true,
            Pins::Keys(patterns) => patterns.iter().any(|pattern| pattern.matches(keys, key)),
        }
    }
}

/// A pattern of keys that a layer takes away from weaker ones.
#[derive(Clone, PartialEq, Debug)]
pub struct Removal {
    /// The pattern.
    pub pattern: Pattern,
    /// The pattern as written.
    pub written: Arc<str>,
    /// Where it is in the project file.
    pub at: Span,
}

/// One layer in one context.
#[derive(Clone, Debug)]
pub struct Layer {
    /// Its name in the project file.
    pub name: String,
    /// What it reads.
    pub kind: Kind,
    /// How it reads names.
    pub names: Names,
    /// How it reads those of documents whose names are variables, where others are keys.
    pub front: Option<Names>,
    /// Whether an empty text counts.
    pub empty: Empty,
    /// What a null does.
    pub null: Null,
    /// Which keys it pins.
    pub pins: Pins,
    /// What it takes away from weaker layers before it sets anything itself.
    pub removes: Arc<[Removal]>,
    /// Whether `${…}` in its texts is expanded.
    pub references: bool,
    /// How those are written.
    pub dialect: Dialect,
    /// Where the names in them are looked for, in that order.
    pub lookup: Arc<[Within]>,
    /// What is put before every key.
    pub into: Option<KeyPath>,
    /// Whether the project file marks it as local.
    pub local: bool,
    /// What there is of it here.
    pub presence: Presence,
    /// The path or pattern of paths that it reads here, if it reads files and the axes in it are set.
    pub path: Option<String>,
    /// The row that it reads here, if it reads rows.
    pub row: Option<usize>,
    /// What it reads here of which store, if it reads scopes and the axes in them are set.
    pub scope: Option<ScopeOf>,
    /// The section of that file that it reads here.
    pub under: Option<KeyPath>,
    /// The axes on which it depends which file or section is read.
    pub axes: Vec<String>,
    /// What must hold for it to be active.
    pub when: Vec<Condition>,
    /// What must not hold.
    pub unless: Vec<Condition>,
    /// Where the project file declares it.
    pub at: Option<Span>,
}

impl Layer {
    /// A layer of this kind that sets nothing unusual and was read.
    pub fn new(name: impl Into<String>, kind: Kind, names: Names) -> Layer {
        Layer {
            name: name.into(),
            kind,
            names,
            front: None,
            empty: Empty::default(),
            null: Null::default(),
            pins: Pins::default(),
            removes: Arc::new([]),
            dialect: Dialect::Own,
            lookup: Within::USUAL.into(),
            references: !matches!(
                kind,
                Kind::CommandLine | Kind::Code | Kind::Process | Kind::Arguments
            ),
            into: None,
            local: false,
            presence: Presence::Read,
            path: None,
            row: None,
            scope: None,
            under: None,
            axes: Vec::new(),
            when: Vec::new(),
            unless: Vec::new(),
            at: None,
        }
    }
}

impl Inactivity {
    /// The first of `when` that is not met, else the first of `unless` that is. An unset axis
    /// matches nothing.
    pub fn of(when: &[Condition], unless: &[Condition], context: &Context) -> Option<Inactivity> {
        if let Some(condition) = when.iter().find(|condition| !condition.holds(context)) {
            let actual = context.value(&condition.axis).map(str::to_owned);
            return Some(Inactivity::When { condition: condition.clone(), actual });
        }
        let met = unless.iter().find(|condition| condition.holds(context))?;
        let value = context.value(&met.axis)?.to_owned();
        Some(Inactivity::Unless { axis: met.axis.clone(), value })
    }

    /// Why, as a clause.
    pub fn because(&self) -> Fact {
        match self {
            Inactivity::Needs { axis } => Fact::new(words::NEEDS_AXIS).with("axis", axis),
            Inactivity::When { condition, actual } => Fact::new(words::APPLIES_ELSEWHERE)
                .with("applies", self.applies())
                .with("axis", &condition.axis)
                .with("value", actual.as_deref().unwrap_or("unset")),
            Inactivity::LeftOut => Fact::new(words::LOCAL_LEFT_OUT),
            Inactivity::Unless { .. } => self.applies(),
        }
    }

    /// Where the layer applies, as a clause without what is the case here.
    pub fn applies(&self) -> Fact {
        let of =
            |form, axis, values: String| Fact::new(form).with("axis", axis).with("values", values);
        match self {
            Inactivity::When { condition, .. } => {
                of(words::APPLIES_ONLY, &condition.axis, condition.values.join("|"))
            }
            Inactivity::Unless { axis, value } => of(words::APPLIES_NOT, axis, value.clone()),
            other => other.because(),
        }
    }
}

/// # Questions
impl Layer {
    /// Whether a value may hold references, as the layer writes them.
    pub(crate) fn may_refer(&self, value: &Value) -> bool {
        self.references && value.has_text(|text| self.dialect.may_refer(text))
    }

    /// How the names of one of its documents are read.
    pub fn names_in(&self, document: &Document) -> &Names {
        match &self.front {
            Some(front) if document.are_variables => front,
            _ => &self.names,
        }
    }

    /// Every way in which it reads names.
    pub fn all_names(&self) -> impl Iterator<Item = &Names> {
        std::iter::once(&self.names).chain(&self.front)
    }

    /// Whether what the layer has depends on where you are rather than on the context.
    pub fn is_local(&self) -> bool {
        self.local || self.kind == Kind::Process
    }

    /// Whether it reads scopes of a store.
    pub fn reads_scopes(&self) -> bool {
        matches!(self.kind, Kind::Scope | Kind::Scopes)
    }

    /// Whether an empty text sets nothing here, unless the catalogue decides otherwise.
    pub fn skips_empty(&self) -> bool {
        self.empty == Empty::Unset
    }

    /// In which contexts it is active, as a clause.
    pub(crate) fn reach_conditions(&self) -> String {
        self.reach_of(String::new())
    }

    /// In which contexts what the layer reads in `context` counts, as a clause; empty if in all.
    pub fn reach(&self, context: &Context) -> String {
        let values = self.axes.iter().filter_map(|axis| {
            let value = context.value(axis)?;
            Some(format!("{axis}={value}"))
        });
        self.reach_of(values.collect::<Vec<_>>().join(","))
    }

    fn reach_of(&self, values: String) -> String {
        let conditions = |conditions: &[Condition]| {
            let shown = conditions
                .iter()
                .map(|condition| format!("{}={}", condition.axis, condition.values.join("|")));
            shown.collect::<Vec<_>>().join(",")
        };
        let clauses = [
            ("for ", values),
            ("only for ", conditions(&self.when)),
            ("not for ", conditions(&self.unless)),
        ];
        let clauses = clauses.into_iter().filter(|(_, clause)| !clause.is_empty());
        clauses.map(|(word, clause)| format!("{word}{clause}")).collect::<Vec<_>>().join(", ")
    }

    /// Why the layer was not read here, as a clause; `None` if it was.
    pub fn absence(&self) -> Option<Fact> {
        let of_file = |form, path: &String| Fact::new(form).with("path", path);
        let of_scope = |form, store: &String, scope: &String| {
            Fact::new(form).with("store", store).with("scope", scope)
        };
        match &self.presence {
            Presence::Read => None,
            Presence::Inactive(inactivity) => Some(inactivity.because()),
            Presence::Unavailable(why) => Some(Fact::told(why)),
            Presence::Missing(lack) => Some(match lack {
                Lack::File(path) => of_file(words::NO_FILE, path),
                Lack::Section { path, section } => {
                    of_file(words::NO_SECTION, path).with("section", section)
                }
                Lack::Part { path, why } => of_file(words::NO_PART, path).with("why", why),
                Lack::Match(pattern) => of_file(words::NO_MATCH, pattern),
                Lack::InFolders(path) => of_file(words::NOT_IN_FOLDERS, path),
                Lack::CommandLine => Fact::new(words::NO_PROCESS),
                Lack::Scope { store, scope } if scope.contains('*') => {
                    of_scope(words::NO_SCOPE_MATCHES, store, scope)
                }
                Lack::Scope { store, scope } => of_scope(words::NO_SCOPE, store, scope),
            }),
        }
    }
}
