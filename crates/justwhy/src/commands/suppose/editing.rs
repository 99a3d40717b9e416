//! What is to be supposed: noted, and made where nothing is written.

use super::{Deed, Move, Options, Supposed, Supposing, Version};
use crate::run::limits;
use crate::select;
use justwhy_core::{
    Answers, Destination, Explanation, Holder, KeyId, KeyPath, Resolution, Row, Value, Verdict,
    as_written, destination, is_env_name, is_secret_name,
};
use justwhy_sources::{Arguments, Elsewhere, Error, Project, Supposition};
use std::sync::Arc;

/// Notes what is to be supposed; gives it for people, and what was noticed.
pub(super) fn suppose(
    supposing: &Supposing<'_>,
    options: &Options<'_>,
    project: &Project,
    supposition: &mut Supposition<'_>,
) -> Result<(Vec<Supposed>, String), Error> {
    let mut supposed = Vec::new();
    let mut notes = String::new();
    let plain = |act: Deed, what: String| Supposed {
        act,
        what,
        layer: None,
        at: None,
        because: None,
        is_secret: false,
    };
    for (key, is_set) in supposing.given.keys() {
        supposed.push(plain(if is_set { Deed::Set } else { Deed::Unset }, key.to_string()));
    }
    for (number, given) in options.variables.iter().enumerate() {
        let (name, value) =
            given.split_once('=').filter(|(name, _)| is_env_name(name)).ok_or_else(|| {
                let message =
                    format!("--variable, option {} of that name: no NAME=VALUE", number + 1);
                Error::new("bad-argument", message).help("write --variable TIDE_REGION=north")
            })?;
        supposition.variable(name, Some(value));
        supposed.push(plain(Deed::Variable, name.to_owned()));
    }
    for name in options.no_variables {
        if !supposition.has_variable(name) {
            let note = format!("note: the variable {name} is not set now");
            notes.push_str(&supposing.look.text(&note));
            notes.push('\n');
        }
        supposition.variable(name, None);
        supposed.push(plain(Deed::NoVariable, name.clone()));
    }
    for layer in options.without {
        supposition.without(project, layer)?;
        supposed.push(plain(Deed::Without, layer.clone()));
    }
    if options.layer.is_some() || options.moved.is_some() {
        edit(supposing, options, project, supposition, &mut supposed)?;
    }
    Ok((supposed, notes))
}

/// Supposes what is to be written and taken out, where that is done in the context of `--in`.
fn edit(
    supposing: &Supposing<'_>,
    options: &Options<'_>,
    project: &Project,
    supposition: &mut Supposition<'_>,
    supposed: &mut Vec<Supposed>,
) -> Result<(), Error> {
    let Supposing { common, stores, world, .. } = *supposing;
    // A misspelt layer is told of before anything is read.
    let moved = options.moved.iter().flat_map(|moved| [moved.from, moved.to]);
    for layer in options.layer.into_iter().chain(moved) {
        project.layer_named(layer)?;
    }
    let nothing = Arguments::default();
    let elsewhere = Elsewhere::new(project, world, &nothing).asking(Some(stores));
    let readings = elsewhere.read(elsewhere.here(common.context.as_deref())?)?;
    let answers = Answers::new(Resolution::of(Arc::new(readings)), &elsewhere, limits(project));
    let mut editor = Editor { project, answers: &answers, supposition, supposed };
    for (path, text) in options.puts {
        let layer = options.layer.unwrap_or_default();
        let path = select::path_meant(answers.resolution(), path.clone())?;
        match text {
            Some(text) => editor.put(layer, &path, &Said::Given(text))?,
            None => editor.take_out(layer, &path)?,
        }
    }
    if let Some(Move { key, from, to }) = options.moved {
        if from == to {
            let error = Error::new("bad-argument", format!("{from} is both --from and --to"));
            return Err(error.help("name two layers"));
        }
        let path = select::path_meant(answers.resolution(), key.clone())?;
        let (place, _) = editor.place(from, &path)?;
        let Some(value) = place.says.clone() else { return editor.take_out(from, &path) };
        // First there, then not here any more: whatever happens between, nothing is lost.
        match (value.as_text(), place.is_untyped) {
            (Some(text), true) => editor.put(to, &path, &Said::Given(text))?,
            _ => editor.put(to, &path, &Said::Written(&value))?,
        }
        editor.take_out(from, &path)?;
    }
    Ok(())
}

/// What a layer is to say.
enum Said<'s> {
    /// A text that a person gave, or one from where everything is a text.
    Given(&'s str),
    /// A value.
    Written(&'s Value),
}

/// Supposes edits, and notes them.
struct Editor<'e, 'a, 'w> {
    project: &'e Project,
    answers: &'e Answers<'a>,
    supposition: &'e mut Supposition<'w>,
    supposed: &'e mut Vec<Supposed>,
}

impl Editor<'_, '_, '_> {
    /// Where the layer is told of the setting, and that place for people.
    fn place(&self, layer: &str, path: &KeyPath) -> Result<(Destination, String), Error> {
        let index = self.project.layer_named(layer)?;
        let place = destination(self.answers, index, path)
            .map_err(|none| Error::new("bad-edit", none.problem).help(none.help))?;
        let at = match &place.holder {
            Holder::File(path) => path.clone(),
            Holder::Values => self.project.file.clone(),
            Holder::Scope { store, scope } => format!("the scope {scope} of {store}"),
        };
        Ok((place, at))
    }

    fn key(&self, path: &KeyPath) -> Option<KeyId> {
        self.answers.resolution().keys().find(KeyId::ROOT, path)
    }

    fn put(&mut self, layer: &str, path: &KeyPath, said: &Said<'_>) -> Result<(), Error> {
        let (place, at) = self.place(layer, path)?;
        let (resolution, key) = (self.answers.resolution(), self.key(path));
        let value = match said {
            Said::Written(Value::Unread) => {
                let message = format!("what is said of {path} cannot be read");
                return Err(Error::new("bad-edit", message).help("put it where it is to stand"));
            }
            Said::Written(value) => (*value).clone(),
            Said::Given(text) => {
                let declared = key.and_then(|key| resolution.readings().catalogue.declared(key));
                let like = key.filter(|key| resolution.is_setting(*key));
                let like = like.and_then(|key| {
                    Explanation::of(self.answers, key).effective().map(|it| it.kind())
                });
                as_written(text, &place, declared.map(|it| &*it.shape), like)
            }
        };
        let (what, layer) = (path.to_string(), Some(layer.to_owned()));
        let is_secret = match key {
            Some(key) => self.answers.is_secret(key),
            None => is_secret_name(&what),
        };
        self.supposition.put(self.project, &place, &value, is_secret)?;
        let (act, because) = (Deed::Put, None);
        self.supposed.push(Supposed { act, what, layer, at: Some(at), because, is_secret });
        Ok(())
    }

    fn take_out(&mut self, layer: &str, path: &KeyPath) -> Result<(), Error> {
        let (place, at) = self.place(layer, path)?;
        if place.says.is_none() {
            let resolution = self.answers.resolution();
            let is_setting = |key: KeyId| resolution.is_setting(key);
            let key = self.key(path).filter(|key| !is_setting(*key));
            let error = |message| Error::new("bad-edit", message);
            return Err(
                match key.is_some_and(|key| resolution.keys().below(key).any(is_setting)) {
                    true => error(format!("{path} is a branch, and no setting"))
                        .help(format!("name one of those that justwhy list {path} shows")),
                    false => error(format!("{layer} says nothing of {path} there ({at})"))
                        .help(format!("justwhy explain {path} shows what says something")),
                },
            );
        }
        self.supposition.take_out(self.project, &place)?;
        let (what, layer) = (path.to_string(), Some(layer.to_owned()));
        let (act, because, is_secret) = (Deed::Drop, None, false);
        self.supposed.push(Supposed { act, what, layer, at: Some(at), because, is_secret });
        Ok(())
    }
}

/// Of what would be written and would not decide: why it does not.
pub(super) fn say_what_decides_nothing(
    after: &Version<'_>,
    asked: Option<&str>,
    supposed: &mut [Supposed],
) -> Result<(), Error> {
    if supposed.iter().all(|it| it.act != Deed::Put) {
        return Ok(());
    }
    let readings = after.elsewhere.read(after.elsewhere.here(asked)?)?;
    let resolution = Resolution::of(Arc::new(readings));
    let answers = Answers::new(resolution, after.elsewhere, limits(after.project));
    let resolution = answers.resolution();
    for put in supposed.iter_mut().filter(|it| it.act == Deed::Put) {
        let path = KeyPath::parse(&put.what).ok();
        let key = path.and_then(|path| resolution.keys().find(KeyId::ROOT, &path));
        let Some(key) = key.filter(|key| resolution.is_setting(*key)) else { continue };
        let is_its = |layer| Some(&resolution.readings().layer(layer).name) == put.layer.as_ref();
        let rows = Explanation::of(&answers, key).rows(&answers);
        let mut rows = rows.into_iter().filter_map(|row| match row {
            Row::Said { at, verdict, because, .. } if is_its(at.layer) && !at.is_pattern => {
                Some((verdict, because))
            }
            Row::Unsaid { layer, because, .. } if is_its(layer) => {
                Some((Verdict::Withheld, because))
            }
            _ => None,
        });
        put.because = rows.next().filter(|(verdict, _)| !verdict.is_in_force()).map(|it| it.1);
    }
    Ok(())
}
