//! What is supposed: noted, and made where nothing is written.

use crate::{Arguments, Session, Snapshot, Supposition, select};
use justwhy_core::{
    Answers, CandidateId, Clauses, Context, Destination, Explanation, Holder, KeyId, KeyPath,
    NotEncrypted, Origin, Row, Text, Value, Verdict, as_written, destination, is_secret_name,
};
use justwhy_project::{Error, Kept, Tracking};

/// What is to be supposed.
#[derive(Clone, Copy, Debug)]
pub struct Wish<'w> {
    /// What the command line sets for settings.
    pub arguments: &'w Arguments,
    /// Process variables and their values.
    pub variables: &'w [(String, String)],
    /// Process variables that are not set.
    pub no_variables: &'w [String],
    /// Layers that are not there.
    pub without: &'w [String],
    /// What layers have.
    pub edits: Edits<'w>,
    /// The text of `--in`, for the context in which layers have it.
    pub context: Option<&'w str>,
}

/// What layers are to say.
#[derive(Clone, Copy, Debug)]
pub enum Edits<'w> {
    /// What they have.
    None,
    /// One has these texts of settings, encrypted if that is asked for, or nothing of them any more.
    Say {
        /// The layer.
        layer: &'w str,
        /// The settings and texts.
        puts: &'w [(KeyPath, Option<Text>)],
        /// Whether they are encrypted.
        encrypts: bool,
    },
    /// What one has of a setting is set by another.
    Move {
        /// The setting.
        key: &'w KeyPath,
        /// Who has it.
        from: &'w str,
        /// Who is to say it.
        to: &'w str,
    },
    /// One has the same of a setting, encrypted.
    Encrypt {
        /// The setting.
        key: &'w KeyPath,
        /// The layer.
        layer: &'w str,
    },
}

/// A change that is supposed.
#[derive(Clone, Debug)]
pub struct Supposed {
    /// What is done.
    pub act: Deed,
    /// The setting, variable or layer.
    pub what: String,
    /// The layer that has it.
    pub layer: Option<String>,
    /// Where it would be written.
    pub at: Option<String>,
    /// For how many recipients it would be encrypted there.
    pub encrypted_for: Option<usize>,
    /// Why it decides nothing in the context in which it is written.
    pub because: Option<Clauses>,
    /// Whether the value is a secret.
    pub is_secret: bool,
    /// What is to be noted if it is done.
    pub note: Option<&'static str>,
    /// Of a process variable that is not to be set: whether it is not set now either.
    pub is_idle: bool,
    /// Where it is: the source, and the name there; what the caller gives is never compared with a
    /// secret.
    pub(crate) given: Option<(Origin, String)>,
    /// Why it leaves a secret less protected than it was, as a clause.
    pub exposes: Option<String>,
}

impl Supposed {
    fn of(act: Deed, what: String) -> Supposed {
        Supposed {
            act,
            what,
            layer: None,
            at: None,
            encrypted_for: None,
            because: None,
            is_secret: false,
            note: None,
            is_idle: false,
            given: None,
            exposes: None,
        }
    }

    /// An edit of what a layer has of a setting.
    fn edit(act: Deed, path: &KeyPath, layer: &str, at: String) -> Supposed {
        let layer = Some(layer.to_owned());
        Supposed { layer, at: Some(at), ..Supposed::of(act, path.to_string()) }
    }
}

/// What is supposed to be done.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Deed {
    /// An argument sets a setting.
    Set,
    /// An argument unsets one.
    Unset,
    /// A process variable has a value.
    Variable,
    /// A process variable is not set.
    NoVariable,
    /// A layer is not there.
    Without,
    /// A layer sets something.
    Put,
    /// A layer sets something no more.
    Drop,
    /// A layer has the same, encrypted.
    Encrypt,
}

impl Supposition {
    /// Supposes what is wished for, and gives it one by one.
    pub fn suppose(&mut self, session: &Session, wish: &Wish<'_>) -> Result<Vec<Supposed>, Error> {
        let mut supposed = Vec::new();
        for (key, is_set) in wish.arguments.keys() {
            let deed = if is_set { Deed::Set } else { Deed::Unset };
            supposed.push(Supposed::of(deed, key.to_string()));
        }
        for (name, value) in wish.variables {
            self.variable(name, Some(value));
            supposed.push(Supposed::of(Deed::Variable, name.clone()));
        }
        for name in wish.no_variables {
            let is_idle = !self.has_variable(name);
            self.variable(name, None);
            supposed.push(Supposed { is_idle, ..Supposed::of(Deed::NoVariable, name.clone()) });
        }
        for layer in wish.without {
            self.without(session.project(), layer)?;
            supposed.push(Supposed::of(Deed::Without, layer.clone()));
        }
        edit(session, (wish.edits, wish.context), self, &mut supposed)?;
        Ok(supposed)
    }
}

/// Supposes what is to be written and taken out, where that is done in the context of `--in`.
fn edit(
    session: &Session,
    (edits, context): (Edits<'_>, Option<&str>),
    supposition: &mut Supposition,
    supposed: &mut Vec<Supposed>,
) -> Result<(), Error> {
    let project = session.project();
    // A misspelt layer is reported before anything is read.
    let layers: &[&str] = match &edits {
        Edits::None => return Ok(()),
        Edits::Say { layer, .. } | Edits::Encrypt { layer, .. } => &[layer],
        Edits::Move { from, to, .. } => &[from, to],
    };
    layers.iter().try_for_each(|layer| project.layer_named(layer).map(drop))?;
    let snapshot = session.snapshot(Arguments::default(), true);
    let answers = snapshot.at(snapshot.here(context)?)?;
    let mut editor = Editor { snapshot: &snapshot, answers: &answers, supposition, supposed };
    let meant = |key: &KeyPath| select::path_meant(answers.resolution(), key.clone());
    match edits {
        Edits::None => {}
        Edits::Say { layer, puts, encrypts } => {
            for (path, text) in puts {
                let path = meant(path)?;
                match text {
                    Some(text) => editor.put(layer, &path, &NewValue::Given(text), encrypts)?,
                    None => editor.take_out(layer, &path)?,
                }
            }
        }
        Edits::Move { key, from, to } => {
            if from == to {
                let error = Error::new("bad-argument", format!("{from} is both --from and --to"));
                return Err(error.help("name two layers"));
            }
            let path = meant(key)?;
            let (place, _) = editor.place(from, &path)?;
            let Some(value) = place.says.clone() else { return editor.take_out(from, &path) };
            let is_secret = editor.is_secret_at(from, &path, &place);
            // First there, then not here any more: whatever happens between, nothing is lost.
            match (&place.encrypted, value.as_text(), place.is_untyped) {
                (Some(encrypted), ..) => {
                    editor.put(to, &path, &NewValue::Encrypted(encrypted), false)?
                }
                (_, Some(text), true) => editor.put(to, &path, &NewValue::Given(text), false)?,
                _ => editor.put(to, &path, &NewValue::Written(&value), false)?,
            }
            // It is moved, and nobody's guess.
            if let Some(put) = editor.supposed.last_mut() {
                put.given = None;
                put.exposes = None;
            }
            if is_secret && place.encrypted.is_none() {
                editor.note_exposure(&place);
            }
            editor.take_out(from, &path)?;
        }
        Edits::Encrypt { key, layer } => {
            let path = meant(key)?;
            editor.encrypt(layer, &path)?;
        }
    }
    Ok(())
}

/// What a layer is to say.
enum NewValue<'s> {
    /// A text that a person gave, or one from where everything is a text.
    Given(&'s str),
    /// A value.
    Written(&'s Value),
    /// An encrypted value, as it is written.
    Encrypted(&'s str),
}

/// Supposes edits, and notes them.
struct Editor<'e, 'a> {
    snapshot: &'e Snapshot,
    answers: &'e Answers<'a>,
    supposition: &'e mut Supposition,
    supposed: &'e mut Vec<Supposed>,
}

impl Editor<'_, '_> {
    /// Where the layer sets the setting, and that place for people.
    fn place(&self, layer: &str, path: &KeyPath) -> Result<(Destination, String), Error> {
        let index = self.snapshot.project().layer_named(layer)?;
        let place = destination(self.answers, index, path).map_err(|none| {
            Error::new("bad-edit", none.problem.to_string()).help(none.help.to_string())
        })?;
        let at = match &place.holder {
            Holder::File(path) => path.clone(),
            Holder::Values => self.snapshot.project().file.clone(),
            Holder::Scope { store, scope } => format!("scope {scope} of {store}"),
        };
        Ok((place, at))
    }

    /// Where the edit is made.
    fn context(&self) -> Context {
        self.answers.resolution().readings().context.clone()
    }

    fn key(&self, path: &KeyPath) -> Option<KeyId> {
        self.answers.resolution().keys().find(KeyId::ROOT, path)
    }

    /// Supposes that the layer has it, a given text encrypted if that is asked for.
    fn put(
        &mut self,
        layer: &str,
        path: &KeyPath,
        said: &NewValue<'_>,
        encrypts: bool,
    ) -> Result<(), Error> {
        let (place, at) = self.place(layer, path)?;
        let (resolution, key) = (self.answers.resolution(), self.key(path));
        let mut encrypted_for = None;
        let value = match said {
            NewValue::Encrypted(encrypted) => Value::Text((*encrypted).into()),
            NewValue::Given("") if encrypts => {
                let error = Error::new("bad-edit", "an empty string needs no encryption");
                return Err(error.help("give a value, or remove --encrypt"));
            }
            // What was hidden from the readers of a file stays so.
            NewValue::Given(text) if encrypts || place.encrypted.is_some() && !text.is_empty() => {
                encrypted_for = Some(self.snapshot.project().recipients.len());
                self.encrypted(path, text)?
            }
            NewValue::Written(Value::Unread) => {
                let message = format!("the value of {path} cannot be read");
                return Err(
                    Error::new("bad-edit", message).help("use justwhy put with the new layer")
                );
            }
            NewValue::Written(value) => (*value).clone(),
            NewValue::Given(text) => {
                let declared = key.and_then(|key| resolution.readings().catalogue.declared(key));
                let like = key.filter(|key| resolution.is_setting(*key));
                let like = like.and_then(|key| {
                    Explanation::of(self.answers, key).effective().map(|it| it.kind())
                });
                as_written(text, &place, declared.map(|it| &*it.shape), like)
            }
        };
        let is_secret = encrypted_for.is_some()
            || matches!(said, NewValue::Encrypted(_))
            || match key {
                Some(key) => self.answers.is_secret(key),
                None => is_secret_name(&path.to_string()),
            };
        let is_secret = is_secret || self.is_secret_at(layer, path, &place);
        let place_of = (&place, &self.context());
        self.supposition.put(self.snapshot.project(), place_of, &value, is_secret)?;
        let put = Supposed::edit(Deed::Put, path, layer, at);
        // What is moved is nobody's guess.
        let given = matches!(said, NewValue::Given(_)).then(|| self.source_and_name(&place));
        self.supposed.push(Supposed { encrypted_for, is_secret, given, ..put });
        if is_secret
            && encrypted_for.is_none()
            && matches!(said, NewValue::Given(text) if !text.is_empty())
        {
            self.note_exposure(&place);
        }
        Ok(())
    }

    /// Whether what a layer has of a setting is secret for any reason: by the setting, by its store, or
    /// as it is encrypted.
    fn is_secret_at(&self, layer: &str, path: &KeyPath, place: &Destination) -> bool {
        let resolution = self.answers.resolution();
        let Some(key) = self.key(path) else { return is_secret_name(&path.to_string()) };
        let is_its = |id: &CandidateId| {
            let candidate = resolution.candidate(*id);
            resolution.readings().layer(resolution.layer_of(candidate)).name == layer
        };
        place.encrypted.is_some()
            || self.answers.is_secret(key)
            || resolution
                .candidates(key)
                .filter(is_its)
                .any(|id| resolution.hides(resolution.candidate(id)))
    }

    /// The source that a place is in, and the name there, as an explanation has them.
    fn source_and_name(&self, place: &Destination) -> (Origin, String) {
        let origin = match &place.holder {
            Holder::File(path) => Origin::file(path),
            Holder::Values => Origin::file(&self.snapshot.project().file),
            Holder::Scope { store, scope } => match self.file_of(store) {
                Some(path) => Origin::file(path),
                None => Origin::Scope(format!("{store}:{scope}").into()),
            },
        };
        let name = place.name.segments().collect::<Vec<_>>();
        let name = match name.as_slice() {
            // The name of a variable is no key.
            [name] if place.is_untyped => (*name).to_owned(),
            _ => place.name.to_string(),
        };
        (origin, name)
    }

    /// The file of a store that is one.
    fn file_of(&self, store: &str) -> Option<&str> {
        match self.snapshot.project().stores.iter().find(|it| it.name == store).map(|it| &it.kept) {
            Some(Kept::File(path)) => Some(path),
            _ => None,
        }
    }

    /// The file in which a place is; none if that is a store elsewhere.
    fn file_that_holds(&self, place: &Destination) -> Option<String> {
        match &place.holder {
            Holder::File(path) => Some(path.clone()),
            Holder::Values => Some(self.snapshot.project().file.clone()),
            Holder::Scope { store, .. } => self.file_of(store).map(str::to_owned),
        }
    }

    /// Of a secret that was just supposed to be written in plain: why it would be less protected than a
    /// secret is to be, if it would.
    fn note_exposure(&mut self, at: &Destination) {
        let Some(last) = self.supposed.last() else { return };
        let (what, Some(layer)) = (last.what.clone(), last.layer.clone()) else { return };
        let Ok(path) = KeyPath::parse(&what) else { return };
        let Ok((place, shown)) = self.place(&layer, &path) else { return };
        // It is there in plain already.
        let file = self.file_that_holds(&place);
        let is_in_same_file = file.is_some() && self.file_that_holds(at) == file;
        let is_replaced = is_in_same_file && at.encrypted.is_none() && at.says.is_some();
        let why = match file {
            // A store is told that it is a secret.
            None => None,
            Some(file) => {
                let tracking = self
                    .snapshot
                    .world()
                    .tracking(&self.snapshot.project().folder, &[(&file).into()]);
                if tracking == Tracking::Known(vec![true]) {
                    Some("which git tracks, or would track")
                } else if self.is_open_to_others(&file) {
                    Some("which other users can read")
                } else {
                    None
                }
            }
        };
        let Some(why) = why.filter(|_| !is_replaced) else { return };
        if let Some(last) = self.supposed.last_mut() {
            last.exposes = Some(format!(
                "{what} is a secret, and would be written in plain to {shown}, {why}"
            ));
        }
    }

    fn is_open_to_others(&self, file: &str) -> bool {
        self.snapshot.world().is_open_to_others(&self.snapshot.project().folder.join(file))
    }

    /// The text for all recipients of the project, as it is written.
    fn encrypted(&self, path: &KeyPath, text: &str) -> Result<Value, Error> {
        let recipients = &self.snapshot.project().recipients;
        let names: Vec<&str> = recipients.iter().map(|(name, _)| name.as_str()).collect();
        let encrypts = &self.snapshot.session().ports.encrypts;
        let encrypted = match encrypts {
            Some(encrypts) => encrypts.encrypt(text, &names),
            None => Err(NotEncrypted::NotBuilt),
        };
        match encrypted {
            Ok(encrypted) => Ok(Value::Text(encrypted.into())),
            Err(NotEncrypted::Nobody) => {
                let message = format!("the project has no recipients to encrypt {path} for");
                let help = "justwhy identity new FILE prints a recipient; add it to the project file \
                            under [secrets]: recipients = [\"age1…\"]";
                Err(Error::new("no-recipients", message).help(help))
            }
            Err(NotEncrypted::BadRecipient(number)) => {
                let message = "invalid recipient";
                let error = Error::new("bad-project", message);
                let at = recipients.get(number).map(|(_, at)| *at);
                let help = "copy the recipient that justwhy identity new printed";
                Err(error.at(&self.snapshot.project().file, at).help(help))
            }
            Err(NotEncrypted::Failed) => {
                Err(Error::new("bad-edit", format!("{path} cannot be encrypted")))
            }
            Err(NotEncrypted::NotBuilt) => {
                let message = format!("{path} cannot be encrypted: this program has no encryption");
                let help = "build it with the feature `encryption`, which is on by default";
                Err(Error::new("bad-edit", message).help(help))
            }
        }
    }

    /// What to note of the history that git has of what is encrypted now.
    fn history(&self, place: &Destination) -> Option<&'static str> {
        let file = match &place.holder {
            Holder::File(path) => path,
            Holder::Values => &self.snapshot.project().file,
            Holder::Scope { store, .. } => self.file_of(store)?,
        };
        let tracking =
            self.snapshot.world().tracking(&self.snapshot.project().folder, &[file.into()]);
        (tracking == Tracking::Known(vec![true])).then_some(match place.encrypted {
            None => "note: the history of the file still has the plain value; change the secret",
            Some(_) => {
                "note: the history of the file still has the old encrypted value; if one of its \
                 recipients must not know it any more, change the secret"
            }
        })
    }

    /// Encrypts what the layer has, or encrypts it anew.
    fn encrypt(&mut self, layer: &str, path: &KeyPath) -> Result<(), Error> {
        let (place, at) = self.place(layer, path)?;
        let nothing = |what: &str, help: &str| {
            let message = format!("{layer} sets {path} to {what} ({at})");
            Err(Error::new("bad-edit", message).help(help))
        };
        let text = match &place.says {
            None => return Err(self.says_nothing(layer, path, &at)),
            Some(Value::Null) => return nothing("a null", "it needs no encryption"),
            Some(Value::Text(text)) if text.is_empty() => {
                return nothing("an empty string", "it needs no encryption");
            }
            Some(Value::Unread) if place.encrypted.is_some() => {
                let help = "set JUSTWHY_IDENTITY to an identity that can decrypt it";
                return nothing("an encrypted value", help);
            }
            Some(Value::Unread) => {
                return nothing("a value that cannot be read", "use justwhy put with a new value");
            }
            Some(Value::Text(text)) => text.clone(),
            Some(value @ (Value::List(_) | Value::Map(_))) => {
                Text::secret(justwhy_formats::json_of(value))
            }
            Some(value) => Text::secret(value.show()),
        };
        let value = self.encrypted(path, &text)?;
        let place_of = (&place, &self.context());
        self.supposition.put(self.snapshot.project(), place_of, &value, true)?;
        let note = self.history(&place);
        let encrypted_for = Some(self.snapshot.project().recipients.len());
        let encrypt = Supposed::edit(Deed::Encrypt, path, layer, at);
        self.supposed.push(Supposed { encrypted_for, is_secret: true, note, ..encrypt });
        Ok(())
    }

    fn says_nothing(&self, layer: &str, path: &KeyPath, at: &str) -> Error {
        let resolution = self.answers.resolution();
        let is_setting = |key: KeyId| resolution.is_setting(key);
        let key = self.key(path).filter(|key| !is_setting(*key));
        let error = |message| Error::new("bad-edit", message);
        match key.is_some_and(|key| resolution.keys().below(key).any(is_setting)) {
            true => error(format!("{path} is not a setting; it has keys below it"))
                .help(format!("justwhy list {path} lists them")),
            false => error(format!("{layer} does not set {path} ({at})"))
                .help(format!("justwhy explain {path} shows the layers that set it")),
        }
    }

    fn take_out(&mut self, layer: &str, path: &KeyPath) -> Result<(), Error> {
        let (place, at) = self.place(layer, path)?;
        if place.says.is_none() {
            return Err(self.says_nothing(layer, path, &at));
        }
        let place_of = (&place, &self.context());
        self.supposition.take_out(self.snapshot.project(), place_of)?;
        self.supposed.push(Supposed::edit(Deed::Drop, path, layer, at));
        Ok(())
    }
}

/// Of what would be written and would not decide: why it does not.
pub(crate) fn say_what_decides_nothing(
    after: &Snapshot,
    asked: Option<&str>,
    supposed: &mut [Supposed],
) -> Result<(), Error> {
    if supposed.iter().all(|it| it.act != Deed::Put) {
        return Ok(());
    }
    let answers = after.at(after.here(asked)?)?;
    let resolution = answers.resolution();
    for put in supposed.iter_mut().filter(|it| it.act == Deed::Put) {
        let path = KeyPath::parse(&put.what).ok();
        let key = path.and_then(|path| resolution.keys().find(KeyId::ROOT, &path));
        let Some(key) = key.filter(|key| resolution.is_setting(*key)) else { continue };
        let is_its = |layer| Some(&resolution.readings().layer(layer).name) == put.layer.as_ref();
        let rows = Explanation::of(&answers, key).rows(&answers);
        let of_layer = rows.into_iter().filter_map(|row| match row {
            Row::Said { at, verdict, because, .. } if is_its(at.layer) && !at.is_pattern => {
                Some((verdict, because))
            }
            Row::Unsaid { layer, because, .. } if is_its(layer) => {
                Some((Verdict::Withheld, because))
            }
            _ => None,
        });
        let of_layer: Vec<(Verdict, Clauses)> = of_layer.collect();
        // Of several sources of the layer one is enough.
        let decides = of_layer.iter().any(|(verdict, _)| verdict.is_in_force());
        put.because = of_layer.into_iter().next().filter(|_| !decides).map(|it| it.1);
    }
    Ok(())
}
