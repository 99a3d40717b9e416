//! Conversion to the type that the catalogue declares, exactly, or the reason why not.

use super::amount::{Nanoseconds, read_duration, read_size};
use super::{Address, NotAList, json, read_like, read_list};
use crate::model::fact::{Fact, list_values};
use crate::model::near::nearest;
use crate::model::place::Span;
use crate::model::secret::hide_address_password;
use crate::model::value::{Element, Type, Value};
use crate::model::words::texts as words;
use regex::Regex;
use std::cmp::Ordering;
use std::fmt;
use std::sync::{Arc, OnceLock};

/// A type that the catalogue declares.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub enum Declaration {
    /// Any: as nothing were declared.
    #[default]
    Any,
    /// A text.
    Text,
    /// True or false.
    Boolean,
    /// A whole number of 64 bits.
    Integer,
    /// A number, whole or not.
    Number,
    /// A length of time, written as a text.
    Duration,
    /// A number of bytes, written as a text or a whole number.
    Size,
    /// An address.
    Url,
    /// The path of a file or folder.
    Path,
    /// One of a few values.
    Choice,
    /// A list.
    List,
    /// A map, which is one leaf.
    Map,
}

impl Declaration {
    /// Every type, with its name in a project file.
    pub const ALL: [(&'static str, Declaration); 12] = [
        ("string", Declaration::Text),
        ("boolean", Declaration::Boolean),
        ("integer", Declaration::Integer),
        ("number", Declaration::Number),
        ("duration", Declaration::Duration),
        ("size", Declaration::Size),
        ("url", Declaration::Url),
        ("path", Declaration::Path),
        ("choice", Declaration::Choice),
        ("list", Declaration::List),
        ("map", Declaration::Map),
        ("any", Declaration::Any),
    ];

    /// The type's name.
    pub fn name(self) -> &'static str {
        let named = Declaration::ALL.iter().find(|(_, kind)| *kind == self);
        named.map_or("any", |(name, _)| name)
    }

    /// The type with its article: `an integer`.
    pub fn with_article(self) -> &'static str {
        match self {
            Declaration::Any => "anything",
            Declaration::Text => "a string",
            Declaration::Boolean => "a boolean",
            Declaration::Integer => "an integer",
            Declaration::Number => "a number",
            Declaration::Duration => "a duration",
            Declaration::Size => "a size",
            Declaration::Url => "an address",
            Declaration::Path => "a path",
            Declaration::Choice => "one of the declared values",
            Declaration::List => "a list",
            Declaration::Map => "a table",
        }
    }

    /// What is accepted, as a clause.
    fn accepts(self) -> &'static str {
        match self {
            Declaration::Any => "anything",
            Declaration::Text | Declaration::Path => "a string",
            Declaration::Boolean => "true/false, yes/no, on/off, y/n, t/f or 1/0, in any case",
            Declaration::Integer => {
                "a whole number from -9223372036854775808 to 9223372036854775807, without blanks, \
                 `_` or leading zeros"
            }
            Declaration::Number => "a number such as 12, 0.5 or 1e3, without blanks or `_`",
            Declaration::Duration => "a number with its unit, such as 250ms, 1h30m or PT1H30M",
            Declaration::Size => "a number of bytes, such as 512, 4k or 10 MiB",
            Declaration::Url => "an address such as https://host.example:8443/path",
            Declaration::Choice => "one of the declared values",
            Declaration::List => "a JSON list, or items separated by commas",
            Declaration::Map => "a table, or a string with a JSON object",
        }
    }
}

/// A bound, with what it amounts to.
#[derive(Clone, PartialEq, Debug)]
pub struct Bound {
    /// The bound as written.
    pub written: Value,
    amount: Amount,
}

#[derive(Clone, Copy, PartialEq, Debug)]
enum Amount {
    Integer(i64),
    Number(f64),
    Time(Nanoseconds),
}

/// A regular expression that texts must match. It is compiled when it is first needed.
#[derive(Clone)]
pub struct Matches {
    written: Arc<str>,
    compiled: Arc<OnceLock<Option<Regex>>>,
}

impl fmt::Debug for Matches {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Matches").field(&self.written).finish()
    }
}

impl PartialEq for Matches {
    fn eq(&self, other: &Self) -> bool {
        self.written == other.written
    }
}

impl Matches {
    /// Reads an expression; an error shows what is wrong with it, in one line.
    pub fn parse(text: &str) -> Result<Matches, String> {
        match regex_syntax::Parser::new().parse(text) {
            Ok(_) => Ok(Matches { written: text.into(), compiled: Arc::default() }),
            Err(regex_syntax::Error::Parse(error)) => Err(error.kind().to_string()),
            Err(regex_syntax::Error::Translate(error)) => Err(error.kind().to_string()),
            Err(_) => Err("cannot be read".to_owned()),
        }
    }

    /// The expression as written.
    pub fn written(&self) -> &str {
        &self.written
    }

    /// Whether `text` matches; `None` if the expression is too large to be used.
    fn is_match(&self, text: &str) -> Option<bool> {
        let compiled = self.compiled.get_or_init(|| Regex::new(&self.written).ok());
        compiled.as_ref().map(|regex| regex.is_match(text))
    }
}

/// What values of a setting must be.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Shape {
    /// The type.
    pub kind: Declaration,
    /// The type of the items of a list.
    pub items: Declaration,
    /// The values of a choice; of a list, those of its items.
    pub one_of: Arc<[Value]>,
    /// The least: a number, a duration or a size; of a text its characters, of a list its items.
    pub min: Option<Bound>,
    /// The most, in the same way.
    pub max: Option<Bound>,
    /// What the text must match; of a list, that of each item.
    pub matches: Option<Matches>,
}

/// Why a value does not fit: `found` may be a secret, the rest never is.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Misfit {
    /// What was found, for a sentence.
    found: String,
    /// What is wrong with it, to follow `found`.
    problem: Box<Fact>,
    /// The accepted value that was probably meant, which reports what was found.
    near: Option<String>,
    /// What would be accepted, as a clause.
    accepts: Box<Fact>,
    /// Of an item of a list: its number from 1, and its place.
    pub item: Option<(usize, Span)>,
}

impl Misfit {
    fn new(found: &Value, problem: impl Into<Fact>, accepts: impl Into<Fact>) -> Misfit {
        let shown = hide_address_password(found).show();
        let found = match shown.char_indices().nth(60) {
            Some((end, _)) => format!("{}…", &shown[..end]),
            None => shown,
        };
        let (problem, accepts) = (Box::new(problem.into()), Box::new(accepts.into()));
        Misfit { found, problem, near: None, accepts, item: None }
    }

    /// What is wrong, and what would be accepted, as a clause; without what was found if that is a
    /// secret.
    pub fn fact(&self, is_secret: bool) -> Fact {
        let item = self.item.map(|(number, _)| Fact::new(words::ITEM).with("number", number));
        let near = self.near.as_ref().filter(|_| !is_secret);
        Fact::new(words::MISFIT)
            .with_some("item", item)
            .with("found", if is_secret { "the value" } else { &self.found })
            .with("problem", Fact::clone(&self.problem))
            .with_some("near", near.map(|near| Fact::new(words::NEAR).with("near", near)))
            .with("accepts", Fact::clone(&self.accepts))
    }
}

/// # Fitting
impl Shape {
    /// Whether it is a number, a truth value or an amount, which gives nothing away.
    pub(crate) fn is_amount(&self) -> bool {
        use Declaration::{Boolean, Duration, Integer, Number, Size};
        matches!(self.kind, Boolean | Integer | Number | Duration | Size)
    }

    /// Whether its values are written as texts in formats that have other types too.
    pub fn is_written_as_text(&self) -> bool {
        use Declaration::{Boolean, Integer, List, Map, Number};
        let is_other = matches!(self.kind, Boolean | Integer | List | Map | Number);
        let is_choice_of_others = self.kind == Declaration::Choice
            && self.one_of.iter().all(|value| value.as_text().is_none());
        !is_other && !is_choice_of_others
    }

    /// Whether anything goes.
    pub fn is_open(&self) -> bool {
        self.kind == Declaration::Any
            && self.min.is_none()
            && self.max.is_none()
            && self.matches.is_none()
            && self.one_of.is_empty()
    }

    /// The value as the declared type has it, if it is of that type or a text that reads as one, and
    /// within all bounds.
    pub fn fit(&self, value: &Value, at: Span) -> Result<Value, Misfit> {
        let fitting = self.convert(self.kind, value, at)?;
        if let Value::List(items) = &fitting {
            self.check_each(items, at)?;
        } else {
            self.check_choice(&fitting)?;
            self.check_text(value, &fitting)?;
        }
        self.check_bounds(&fitting)?;
        Ok(fitting)
    }

    fn convert(&self, kind: Declaration, value: &Value, at: Span) -> Result<Value, Misfit> {
        if kind == Declaration::Choice {
            if matches!(value, Value::List(_) | Value::Map(_)) {
                let problem =
                    Fact::new(words::NOT_SINGLE).with("kind", value.kind().with_article());
                return Err(Misfit::new(value, problem, self.choices()));
            }
            // Which of them it is, is found out below; a text may stand for any of them.
            return Ok(self.chosen(value).unwrap_or_else(|| value.clone()));
        }
        let fits = fit_one(kind, value, at)?;
        match &fits {
            Value::List(items) if kind == Declaration::List => {
                Ok(Value::List(self.convert_items(items)?))
            }
            _ => Ok(fits),
        }
    }

    /// The items of a list as the declared type has them.
    pub(crate) fn fit_items(
        &self,
        items: &Arc<[Element]>,
        at: Span,
    ) -> Result<Arc<[Element]>, Misfit> {
        let items = self.convert_items(items)?;
        self.check_each(&items, at)?;
        Ok(items)
    }

    fn convert_items(&self, items: &Arc<[Element]>) -> Result<Arc<[Element]>, Misfit> {
        if self.items == Declaration::Any {
            return Ok(Arc::clone(items));
        }
        let mut converted = Vec::with_capacity(items.len());
        for (number, item) in items.iter().enumerate() {
            let of_item = |misfit| Misfit { item: Some((number + 1, item.at)), ..misfit };
            let value = self.convert_item(item).map_err(of_item)?;
            converted.push(Element { value, at: item.at });
        }
        Ok(converted.into())
    }

    fn convert_item(&self, item: &Element) -> Result<Value, Misfit> {
        match self.items {
            Declaration::Choice => {
                Ok(self.chosen(&item.value).unwrap_or_else(|| item.value.clone()))
            }
            kind => fit_one(kind, &item.value, item.at),
        }
    }

    /// The value of the choice that this is, or reads as.
    fn chosen(&self, value: &Value) -> Option<Value> {
        let same = self.one_of.iter().find(|one| *one == value);
        let reads_as = |one: &&Value| {
            let kind = one.kind();
            value.as_text().and_then(|text| read_like(text, kind)).as_ref() == Some(one)
        };
        same.or_else(|| self.one_of.iter().find(reads_as)).cloned()
    }

    fn check_each(&self, items: &[Element], at: Span) -> Result<(), Misfit> {
        for (number, item) in items.iter().enumerate() {
            let checked = self
                .check_choice(&item.value)
                .and_then(|()| self.check_text(&item.value, &item.value));
            let place = if item.at == Span::default() { at } else { item.at };
            checked.map_err(|misfit| Misfit { item: Some((number + 1, place)), ..misfit })?;
        }
        Ok(())
    }

    /// The values of a choice.
    fn choices(&self) -> Fact {
        let shown: Vec<String> = self.one_of.iter().map(Value::show).collect();
        Fact::told(list_values(&shown, "or"))
    }

    fn check_choice(&self, value: &Value) -> Result<(), Misfit> {
        if self.one_of.is_empty() || self.one_of.contains(value) {
            return Ok(());
        }
        let texts = self.one_of.iter().filter_map(Value::as_text);
        let near = value.as_text().and_then(|text| nearest(text, texts)).map(str::to_owned);
        Err(Misfit { near, ..Misfit::new(value, words::NOT_DECLARED_VALUE, self.choices()) })
    }

    /// What it must match is matched against the text as written, or as the value would be written.
    fn check_text(&self, written: &Value, value: &Value) -> Result<(), Misfit> {
        let Some(matches) = &self.matches else { return Ok(()) };
        let text = match (written.as_text(), value) {
            (Some(text), _) => text.to_owned(),
            (None, Value::Null | Value::List(_) | Value::Map(_)) => return Ok(()),
            (None, other) => other.show(),
        };
        match matches.is_match(&text) {
            Some(true) => Ok(()),
            Some(false) => Err(Misfit::new(
                written,
                words::NO_MATCH,
                Fact::new(words::WHAT_MATCHES).with("pattern", matches.written()),
            )),
            None => Err(Misfit::new(written, words::PATTERN_TOO_LARGE, words::SMALLER_PATTERN)),
        }
    }

    /// Whether the value is within the bounds.
    pub(crate) fn check_bounds(&self, value: &Value) -> Result<(), Misfit> {
        let least = self
            .min
            .as_ref()
            .map(|bound| (bound, Ordering::Less, words::TOO_SMALL, words::TOO_FEW));
        let most = self
            .max
            .as_ref()
            .map(|bound| (bound, Ordering::Greater, words::TOO_LARGE, words::TOO_MANY));
        for (bound, wrong, amiss, miscounted) in least.into_iter().chain(most) {
            let is_bounded = !matches!(value, Value::Text(_) | Value::Boolean(_));
            if self.kind == Declaration::Any && !is_bounded {
                let problem =
                    Fact::new(words::NOT_BOUNDED).with("kind", value.kind().with_article());
                return Err(Misfit::new(value, problem, self.range("")));
            }
            let Some((amount, of)) = self.amount(value) else { continue };
            if compare(amount, bound.amount) == wrong {
                let problem = match of {
                    "" => Fact::new(amiss),
                    of => Fact::new(miscounted).with("of", of),
                };
                return Err(Misfit::new(value, problem, self.range(of)));
            }
        }
        Ok(())
    }

    /// The accepted range, as a clause.
    fn range(&self, of: &str) -> Fact {
        let unit = (!of.is_empty()).then(|| Fact::new(words::UNIT).with("of", of));
        let shown = |bound: &Bound| match &bound.written {
            Value::Text(text) => text.to_string(),
            other => other.show(),
        };
        let form = match (&self.min, &self.max) {
            (Some(_), Some(_)) => words::RANGE,
            (Some(_), None) => words::OR_MORE,
            (None, Some(_)) => words::OR_LESS,
            (None, None) => "",
        };
        Fact::new(form)
            .with_some("min", self.min.as_ref().map(shown))
            .with_some("max", self.max.as_ref().map(shown))
            .with_some("unit", unit)
    }

    /// What a value amounts to, and of what if that is not the value itself.
    fn amount(&self, value: &Value) -> Option<(Amount, &'static str)> {
        let count = |count: usize| Amount::Integer(i64::try_from(count).unwrap_or(i64::MAX));
        match (self.kind, value) {
            (Declaration::Duration, Value::Text(text)) => {
                Some((Amount::Time(read_duration(text)?), ""))
            }
            (Declaration::Size, Value::Text(text)) => {
                Some((Amount::Integer(i64::try_from(read_size(text)?).ok()?), ""))
            }
            (_, Value::Integer(value)) => Some((Amount::Integer(*value), "")),
            (_, Value::Number(value)) => Some((Amount::Number(*value), "")),
            (_, Value::Text(text)) => Some((count(text.chars().count()), "characters")),
            (_, Value::List(items)) => Some((count(items.len()), "items")),
            (_, Value::Map(entries)) => Some((count(entries.len()), "entries")),
            (_, Value::Null | Value::Boolean(_) | Value::Unread) => None,
        }
    }

    /// Reads a bound of the type; `None` if it is of another type.
    pub fn bound(&self, written: &Value) -> Option<Bound> {
        let amount = match (self.kind, written) {
            (Declaration::Duration, Value::Text(text)) => Amount::Time(read_duration(text)?),
            (Declaration::Size, Value::Text(text)) => {
                Amount::Integer(i64::try_from(read_size(text)?).ok()?)
            }
            (Declaration::Duration | Declaration::Boolean | Declaration::Choice, _) => return None,
            (_, Value::Integer(value)) => Amount::Integer(*value),
            (
                Declaration::Number | Declaration::Integer | Declaration::Any,
                Value::Number(value),
            ) => Amount::Number(*value),
            _ => return None,
        };
        Some(Bound { written: written.clone(), amount })
    }
}

fn compare(one: Amount, other: Amount) -> Ordering {
    match (one, other) {
        (Amount::Integer(one), Amount::Integer(other)) => one.cmp(&other),
        (Amount::Time(one), Amount::Time(other)) => one.cmp(&other),
        (one, other) => {
            let number = |amount: Amount| match amount {
                Amount::Integer(value) => value as f64,
                Amount::Number(value) => value,
                Amount::Time(value) => value as f64,
            };
            number(one).partial_cmp(&number(other)).unwrap_or(Ordering::Equal)
        }
    }
}

/// A value of the type, or what is wrong with it.
fn fit_one(kind: Declaration, value: &Value, at: Span) -> Result<Value, Misfit> {
    let is_no = || {
        let problem = Fact::new(words::IS_NOT).with("kind", kind.with_article());
        Misfit::new(value, problem, kind.accepts())
    };
    let Value::Text(text) = value else {
        let fits = match (kind, value) {
            (Declaration::Any, _) => true,
            (Declaration::Size, Value::Integer(bytes)) => *bytes >= 0,
            (Declaration::Number, Value::Number(number)) => number.is_finite(),
            (Declaration::Number, Value::Integer(_))
            | (Declaration::Boolean, Value::Boolean(_))
            | (Declaration::Integer, Value::Integer(_))
            | (Declaration::List, Value::List(_))
            | (Declaration::Map, Value::Map(_)) => true,
            _ => false,
        };
        return if fits { Ok(value.clone()) } else { Err(wrong_type(kind, value)) };
    };
    match kind {
        Declaration::Any | Declaration::Text | Declaration::Choice => Ok(value.clone()),
        Declaration::Boolean => read_like(text, Type::Boolean).ok_or_else(is_no),
        Declaration::Integer => read_like(text, Type::Integer).ok_or_else(is_no),
        // A whole number stays as it is written.
        Declaration::Number => read_like(text, Type::Integer)
            .or_else(|| read_like(text, Type::Number))
            .ok_or_else(is_no),
        Declaration::Duration => match read_duration(text) {
            Some(_) => Ok(value.clone()),
            None if text.bytes().all(|byte| byte.is_ascii_digit()) && !text.is_empty() => {
                Err(Misfit::new(value, words::NO_UNIT, kind.accepts()))
            }
            None => Err(is_no()),
        },
        Declaration::Size => read_size(text).map(|_| value.clone()).ok_or_else(is_no),
        Declaration::Url => match Address::parse(text) {
            Ok(_) => Ok(value.clone()),
            Err(why) => {
                let problem = Fact::new(words::NO_ADDRESS).with("why", why.to_string());
                Err(Misfit::new(value, problem, kind.accepts()))
            }
        },
        Declaration::Path => match text.contains('\0') || text.is_empty() {
            true => Err(Misfit::new(value, words::NO_PATH, words::PATHS)),
            false => Ok(value.clone()),
        },
        Declaration::List => match read_list(text, at) {
            Ok(items) => Ok(Value::List(items)),
            Err(NotAList::BadJson) => Err(Misfit::new(value, words::NO_JSON_LIST, kind.accepts())),
            Err(NotAList::Kind(_)) => Err(is_no()),
        },
        Declaration::Map => json::map(text, at).ok_or_else(is_no),
    }
}

/// A value that is no text never changes its type; the message shows how to write it.
fn wrong_type(kind: Declaration, value: &Value) -> Misfit {
    if let (Declaration::Number, Value::Number(_)) = (kind, value) {
        return Misfit::new(value, words::NOT_FINITE, kind.accepts());
    }
    let problem = Fact::new(words::IS_OTHER_KIND)
        .with("kind", value.kind().with_article())
        .with("wanted", kind.with_article());
    let with_value = |form| Fact::new(form).with("value", value.show());
    let accepts = match (kind, value) {
        (
            Declaration::Text | Declaration::Path,
            Value::Integer(_) | Value::Number(_) | Value::Boolean(_),
        ) => with_value(words::IN_QUOTES),
        (Declaration::Boolean, _) => Fact::new(words::BARE_BOOLEAN),
        (Declaration::Integer, Value::Number(number))
            if number.fract() == 0.0 && number.is_finite() =>
        {
            Fact::new(words::WITHOUT_POINT).with("number", number.to_string())
        }
        (Declaration::Duration, Value::Integer(_) | Value::Number(_)) => {
            with_value(words::WITH_UNIT)
        }
        (Declaration::Url, _) => Fact::new(words::A_STRING).with("accepts", kind.accepts()),
        (Declaration::List, Value::Map(_)) => Fact::new(words::A_LIST),
        (Declaration::List, _) => with_value(words::A_LIST_OF),
        (kind, _) => Fact::new(kind.accepts()),
    };
    Misfit::new(value, problem, accepts)
}
