//! What goes over the wire, as the service speaks it; a variable in etcd has the same form. The
//! service's OpenAPI document in `docs/` describes it.

use justwhy_core::{Audience, Note, Scope, ScopeVariable, is_env_name, is_scope_name};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Scopes, a page of them.
#[derive(Serialize, Deserialize, Clone, Debug, Default)]
pub struct Page {
    /// The revision of the store as a whole: it grows by one with every change.
    pub revision: u64,
    /// What distinguishes that revision from one of the same number in another store.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub mark: String,
    /// The scopes, in byte order of their names.
    pub scopes: Vec<WireScope>,
    /// Where the next page begins, if there is one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub next: Option<String>,
}

/// A scope.
#[derive(Serialize, Deserialize, Clone, Debug, Default)]
pub struct WireScope {
    /// Its name.
    pub name: String,
    /// What it is for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub about: Option<String>,
    /// Whom it is meant for.
    #[serde(
        default,
        skip_serializing_if = "BTreeMap::is_empty",
        deserialize_with = "no_name_twice"
    )]
    pub visible_to: BTreeMap<String, OneOrMore>,
    /// The revision of the store in which it last changed.
    pub revision: u64,
    /// What distinguishes that revision from one of the same number in another store.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub mark: String,
    /// Its variables by their names.
    #[serde(deserialize_with = "no_name_twice")]
    pub variables: BTreeMap<String, WireVariable>,
}

/// A variable of a scope.
#[derive(Serialize, Deserialize, Clone, Debug, Default)]
pub struct WireVariable {
    /// Its value; left out where it is secret and the caller may not read secrets.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub value: Option<String>,
    /// Whether it is secret.
    #[serde(default, skip_serializing_if = "is_false")]
    pub secret: bool,
    /// Whom it is meant for.
    #[serde(
        default,
        skip_serializing_if = "BTreeMap::is_empty",
        deserialize_with = "no_name_twice"
    )]
    pub visible_to: BTreeMap<String, OneOrMore>,
    /// When it was written.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub updated: Option<String>,
    /// Who wrote it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// The revision of the store in which it was written.
    #[serde(default)]
    pub revision: u64,
    /// What distinguishes that revision from one of the same number in another store: a database made anew, or
    /// an older copy of one that went on otherwise.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub mark: String,
}

/// A value or a list of values.
#[derive(Serialize, Deserialize, Clone, PartialEq, Eq, Debug)]
#[serde(untagged)]
pub enum OneOrMore {
    /// One.
    One(String),
    /// Several.
    More(Vec<String>),
}

/// Who asks.
#[derive(Serialize, Deserialize, Clone, PartialEq, Eq, Debug)]
pub struct Caller {
    /// The name under which the token was made.
    pub name: String,
    /// Its role: `reader`, `runner` or `writer`.
    pub role: String,
}

/// What to write into a variable.
#[derive(Serialize, Deserialize, Clone, Debug)]
#[serde(deny_unknown_fields)]
pub struct Write {
    /// Its value.
    pub value: String,
    /// Whether it is secret; as before if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub secret: Option<bool>,
    /// Whom it is meant for; as before if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub visible_to: Option<BTreeMap<String, OneOrMore>>,
}

/// What a variable was, revision by revision.
#[derive(Serialize, Deserialize, Clone, Debug, Default)]
pub struct History {
    /// The newest first.
    pub versions: Vec<Version>,
    /// If there are more: the revision before which they are asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next: Option<u64>,
}

/// A revision of a variable.
#[derive(Serialize, Deserialize, Clone, Debug, Default)]
pub struct Version {
    /// What it was.
    #[serde(flatten)]
    pub variable: WireVariable,
    /// Whether it was deleted then.
    #[serde(default, skip_serializing_if = "is_false")]
    pub deleted: bool,
}

/// Reads an object in which no name is twice: which of the two counts, nobody could tell.
pub(crate) fn no_name_twice<'de, D, V>(from: D) -> Result<BTreeMap<String, V>, D::Error>
where
    D: serde::Deserializer<'de>,
    V: Deserialize<'de>,
{
    struct Names<V>(std::marker::PhantomData<V>);
    impl<'de, V: Deserialize<'de>> serde::de::Visitor<'de> for Names<V> {
        type Value = BTreeMap<String, V>;

        fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
            f.write_str("an object")
        }

        fn visit_map<A: serde::de::MapAccess<'de>>(
            self,
            mut map: A,
        ) -> Result<Self::Value, A::Error> {
            let mut all = BTreeMap::new();
            while let Some((name, value)) = map.next_entry()? {
                if all.insert(name, value).is_some() {
                    return Err(serde::de::Error::custom("duplicate name"));
                }
            }
            Ok(all)
        }
    }
    from.deserialize_map(Names(std::marker::PhantomData))
}

fn is_false(value: &bool) -> bool {
    !*value
}

/// The audience that a table of axes describes; nothing if everybody is meant.
pub fn audience(visible_to: &BTreeMap<String, OneOrMore>) -> Option<Audience> {
    let entries = visible_to.iter().map(|(axis, values)| {
        let values = match values {
            OneOrMore::One(value) => vec![value.clone()],
            OneOrMore::More(values) => values.clone(),
        };
        (axis.clone(), values)
    });
    (!visible_to.is_empty()).then(|| Audience { entries: entries.collect() })
}

/// The table of axes that describes an audience.
pub fn visible_to(audience: Option<&Audience>) -> BTreeMap<String, OneOrMore> {
    let entries = audience.into_iter().flat_map(|audience| &audience.entries);
    entries.map(|(axis, values)| (axis.clone(), OneOrMore::More(values.clone()))).collect()
}

impl WireScope {
    /// The scope as the core knows it; an error shows what is wrong without showing any of it.
    /// `unreadable` is why a secret without a value has none.
    pub(crate) fn into_scope(self, unreadable: &str) -> Result<Scope, String> {
        if !is_scope_name(&self.name) {
            return Err("invalid name of a scope in the answer".to_owned());
        }
        let name = self.name.as_str();
        let variables = self.variables.into_iter().map(|(variable, wire)| {
            wire.into_variable(&variable, unreadable).map_err(|problem| match problem {
                Some(problem) => format!("{variable} in the scope {name} {problem}"),
                None => format!("invalid name of a variable in the scope {name}"),
            })
        });
        let variables = variables.collect::<Result<Vec<ScopeVariable>, String>>()?;
        let about = self.about.map(Into::into);
        let audience = audience(&self.visible_to);
        Ok(Scope { name: self.name.into(), about, audience, variables })
    }
}

impl WireVariable {
    /// An error shows what is wrong with it; `None` that its name is wrong.
    pub(crate) fn into_variable(
        self,
        name: &str,
        unreadable: &str,
    ) -> Result<ScopeVariable, Option<String>> {
        const LONGEST: usize = 200;
        if !is_env_name(name) {
            return Err(None);
        }
        if self.value.is_none() && !self.secret {
            return Err(Some("has no value and is not a secret".to_owned()));
        }
        let is_time = |text: &String| {
            text.len() <= 40 && text.bytes().all(|c| c.is_ascii_digit() || b"-+:.TZ".contains(&c))
        };
        if self.updated.as_ref().is_some_and(|text| !is_time(text)) {
            return Err(Some("has an invalid time".to_owned()));
        }
        if self.by.as_ref().is_some_and(|by| by.len() > LONGEST) {
            return Err(Some("has too long an author".to_owned()));
        }
        let note = Note {
            secret: self.secret,
            updated: self.updated.map(Into::into),
            by: self.by.map(Into::into),
            revision: Some(self.revision).filter(|revision| *revision > 0),
            unreadable: self.value.is_none().then(|| unreadable.into()),
            withheld: None,
            encrypted: None,
        };
        Ok(ScopeVariable {
            name: name.into(),
            value: self.value.map(Into::into),
            audience: audience(&self.visible_to),
            note,
            at: None,
        })
    }
}
