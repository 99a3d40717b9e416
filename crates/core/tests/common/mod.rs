//! Small projects, written down in a few lines, as what was read from them.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
#![allow(dead_code, reason = "each test takes what it needs")]

use justwhy_core::{
    Answers, Context, Declared, Document, Empty, EmptyText, ExpansionLimits, Gather, Input, Inputs,
    KeyId, KeyPath, Keys, Kind, Layer, LayerIndex, Leaf, Names, Note, Null, Outside, Pattern, Pins,
    Presence, Readings, Removal, Resolution, SourceText, Span, Value,
};
use std::sync::Arc;

/// A layer with its sources and what they say, in order.
#[derive(Clone, Debug)]
pub(crate) struct Said {
    pub(crate) empty: Empty,
    pub(crate) null: Null,
    pub(crate) untyped: bool,
    /// Patterns of what it pins.
    pub(crate) pins: Vec<String>,
    /// Patterns of what it takes away.
    pub(crate) removes: Vec<String>,
    /// What each source says.
    pub(crate) sources: Vec<Vec<(String, Value)>>,
    /// Whether its store was not asked; it says nothing then.
    pub(crate) is_unavailable: bool,
}

impl Said {
    pub(crate) fn pinning(self, patterns: &[&str]) -> Said {
        Said { pins: patterns.iter().map(|it| it.to_string()).collect(), ..self }
    }

    pub(crate) fn removing(self, patterns: &[&str]) -> Said {
        Said { removes: patterns.iter().map(|it| it.to_string()).collect(), ..self }
    }
}

/// What the catalogue says about one setting.
#[derive(Clone, Debug)]
pub(crate) struct Declares {
    pub(crate) key: String,
    pub(crate) gather: Option<Gather>,
    pub(crate) empty: Option<EmptyText>,
    pub(crate) secret: Option<bool>,
}

/// A text value.
pub(crate) fn text(text: &str) -> Value {
    Value::Text(text.into())
}

/// A layer with one source that says `key = value` pairs and is otherwise usual.
pub(crate) fn usual(offers: &[(&str, Value)]) -> Said {
    let offers = offers.iter().map(|(key, value)| (key.to_string(), value.clone())).collect();
    Said {
        empty: Empty::Value,
        null: Null::Unset,
        untyped: false,
        pins: Vec::new(),
        removes: Vec::new(),
        sources: vec![offers],
        is_unavailable: false,
    }
}

/// A value that a store keeps for others.
pub(crate) fn withheld() -> Value {
    text("(withheld)")
}

/// What was read from these layers, weakest first, named `layer-0`, `layer-1` and so on.
pub(crate) fn readings(layers: &[Said]) -> Arc<Readings> {
    readings_of(layers, &[])
}

/// The same with a catalogue.
pub(crate) fn readings_of(layers: &[Said], declares: &[Declares]) -> Arc<Readings> {
    let mut keys = Keys::default();
    let mut all = Vec::new();
    let mut inputs = Vec::new();
    for (number, said) in layers.iter().enumerate() {
        let mut layer = Layer::new(format!("layer-{number}"), Kind::Values, Names::Keys);
        layer.empty = said.empty;
        layer.null = said.null;
        let patterns = |texts: &[String]| -> Vec<Pattern> {
            texts.iter().map(|text| Pattern::parse(text).unwrap()).collect()
        };
        if !said.pins.is_empty() {
            layer.pins = Pins::Keys(patterns(&said.pins).into());
        }
        let removals = patterns(&said.removes).into_iter().zip(&said.removes);
        layer.removes = removals
            .map(|(pattern, text)| Removal {
                pattern,
                written: text.as_str().into(),
                at: Span::default(),
            })
            .collect();
        if said.is_unavailable {
            layer.presence = Presence::Unavailable("nobody asked".to_owned());
            all.push(layer);
            continue;
        }
        all.push(layer);
        for (source, offers) in said.sources.iter().enumerate() {
            let leaves = offers.iter().map(|(key, value)| Leaf {
                name: keys.intern(KeyId::ROOT, &KeyPath::parse(key).unwrap()),
                value: value.clone(),
                at: None,
                name_at: None,
            });
            let mut document = Document { leaves: leaves.collect(), ..Document::default() };
            for (at, (_, value)) in offers.iter().enumerate() {
                let mut note = Note::default();
                if *value == withheld() {
                    note.withheld = Some(Arc::new("it is meant for others".into()));
                }
                if *value == Value::Unread {
                    note.unreadable = Some("it is not shown".into());
                }
                document.notes.push((at, Arc::new(note)));
            }
            inputs.push(Input {
                layer: LayerIndex(number),
                origin: format!("source-{number}-{source}").into(),
                document: Arc::new(document),
                section: None,
                may_lack_section: false,
                untyped: said.untyped,
            });
        }
    }
    let declared: Vec<Declared> = declares
        .iter()
        .map(|it| Declared {
            secret: it.secret,
            empty: it.empty,
            gather: it.gather,
            ..Declared::new(KeyPath::parse(&it.key).unwrap())
        })
        .collect();
    let inputs = Inputs {
        others: Arc::new([]),
        naming: None,
        keys: Arc::new(keys),
        context: Context::default(),
        layers: all,
        inputs,
        declared: declared.into(),
        never: Arc::default(),
        catalogues: Arc::new([("justwhy.toml".into(), SourceText::new("".into()))]),
    };
    Arc::new(Readings::assemble(inputs).unwrap())
}

/// A world with one variable and one file, and no other context.
#[derive(Debug)]
pub(crate) struct Bare;

impl Outside for Bare {
    fn variable(&self, name: &str) -> Result<Option<Arc<str>>, String> {
        Ok((name == "SET").then(|| "from-process".into()))
    }

    fn file(&self, path: &str) -> Result<Option<Arc<str>>, String> {
        Ok((path == "there").then(|| "from-file".into()))
    }

    fn changed(
        &self,
        _: &Context,
        _: &[(String, Option<String>)],
    ) -> Result<Arc<Readings>, String> {
        Err("there is no other context".to_owned())
    }
}

pub(crate) const LIMITS: ExpansionLimits =
    ExpansionLimits { depth: 20, bytes: 100_000, nodes: 10_000 };

/// Answers from what was read, in the bare world.
pub(crate) fn answers(readings: &Arc<Readings>) -> Answers<'static> {
    Answers::new(Resolution::of(Arc::clone(readings)), &Bare, LIMITS)
}
