//! What is printed as JSON is read back into the types that wrote it, and written again as it was.

use super::{Answer, Failure, ShownContext, ShownValue, Word, text};
use crate::commands::{
    adopt, check, compare, demo, effective, explain, export, find, grid, identity, list, needs,
    stores, suppose, texts, uses, whereabouts,
};
use crate::look::Look;
use crate::outcome::Terminal;
use justwhy_core::{AxisOrigin, AxisValue, Context, Element, Entry, Span, Value};
use justwhy_project::World;
use serde::de::{DeserializeOwned, Error, MapAccess, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use std::collections::BTreeSet;
use std::ffi::OsString;
use std::path::Path;
use std::sync::Arc;

impl<'de> Deserialize<'de> for ShownContext {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<ShownContext, D::Error> {
        let ShownValue(Value::Map(axes)) = ShownValue::deserialize(deserializer)? else {
            return Err(D::Error::custom("expected an object"));
        };
        let axis = |entry: &Entry| AxisValue {
            axis: entry.name.to_string(),
            value: entry.value.as_text().map(str::to_owned),
            origin: AxisOrigin::Asked,
            passed_over: Vec::new(),
        };
        Ok(ShownContext(Context { axes: axes.iter().map(axis).collect() }))
    }
}

impl<'de> Deserialize<'de> for ShownValue {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<ShownValue, D::Error> {
        deserializer.deserialize_any(AnyValue).map(ShownValue)
    }
}

/// Reads a value, the entries of an object in their order.
struct AnyValue;

impl<'de> Visitor<'de> for AnyValue {
    type Value = Value;

    fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("a value")
    }

    fn visit_unit<E>(self) -> Result<Value, E> {
        Ok(Value::Null)
    }

    fn visit_bool<E>(self, value: bool) -> Result<Value, E> {
        Ok(Value::Boolean(value))
    }

    fn visit_i64<E>(self, value: i64) -> Result<Value, E> {
        Ok(Value::Integer(value))
    }

    fn visit_u64<E: Error>(self, value: u64) -> Result<Value, E> {
        i64::try_from(value).map(Value::Integer).map_err(E::custom)
    }

    fn visit_f64<E>(self, value: f64) -> Result<Value, E> {
        Ok(Value::Number(value))
    }

    fn visit_str<E>(self, value: &str) -> Result<Value, E> {
        Ok(Value::Text(value.into()))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut items: A) -> Result<Value, A::Error> {
        let mut list = Vec::new();
        while let Some(ShownValue(value)) = items.next_element()? {
            list.push(Element { value, at: Span::default() });
        }
        Ok(Value::List(list.into()))
    }

    fn visit_map<A: MapAccess<'de>>(self, mut entries: A) -> Result<Value, A::Error> {
        let mut map = Vec::new();
        while let Some((name, ShownValue(value))) = entries.next_entry::<String, _>()? {
            map.push(Entry { name: name.into(), value, at: Span::default() });
        }
        Ok(Value::Map(map.into()))
    }
}

/// What all answers begin with.
#[derive(Deserialize)]
struct Head {
    command: Word,
    context: ShownContext,
}

fn again<B: Serialize + DeserializeOwned>(written: &str) -> String {
    let Head { command, context } = serde_json::from_str(written).unwrap();
    let body: B =
        serde_json::from_str(written).unwrap_or_else(|error| panic!("{error}: {written}"));
    text(&Answer::new(command, &context.0, body))
}

/// Reads an answer into its type and writes it again.
fn read_and_written(name: &str, written: &str) -> String {
    match name {
        "where" => again::<whereabouts::WhereaboutsBody>(written),
        "list" => again::<list::ListBody>(written),
        "explain" => again::<explain::ExplainBody>(written),
        "adopt" => again::<adopt::AdoptBody>(written),
        "uses" => again::<uses::UsesBody>(written),
        "find" => again::<find::FindBody>(written),
        "check" => again::<check::CheckBody>(written),
        "grid" => again::<grid::GridBody>(written),
        "compare" => again::<compare::CompareBody>(written),
        "suppose" => again::<suppose::SupposeBody>(written),
        "identity" => again::<identity::IdentityBody>(written),
        "export" => again::<export::ExportBody>(written),
        "refused" => again::<effective::RefusedBody>(written),
        "needs" => again::<needs::NeedsBody>(written),
        "stores" => again::<stores::StoresBody>(written),
        "demo" => again::<demo::DemoBody>(written),
        "text" => again::<texts::TextsBody>(written),
        _ => text(&serde_json::from_str::<Failure>(written).unwrap()),
    }
}

fn asked(project: &Path, arguments: &[&str]) -> String {
    let mut words: Vec<OsString> = vec!["justwhy".into()];
    words.extend(arguments.iter().map(OsString::from));
    words.extend(["--output", "json"].map(OsString::from));
    // These make something of their own.
    if !matches!(arguments.first(), Some(&("demo" | "adopt" | "identity" | "manual"))) {
        words.extend([OsString::from("--project"), project.into()]);
    }
    let look = Look { width: None, colour: false, symbols: true };
    let world: Arc<dyn World> = Arc::new(justwhy_system::System);
    let terminal = Terminal { look, errors_in_colour: false };
    crate::run::run(&words, &terminal, &world).result.iter().collect()
}

#[test]
fn every_output_is_read_back_into_its_type() {
    let folder = tempfile::tempdir().unwrap();
    let place = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (demo, other, key) = (place("demo"), place("other"), place("new.key"));
    let every = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../examples/every-rule");
    let every = every.to_str().unwrap();
    let new = asked(Path::new(every), &["demo", &demo]);
    assert_eq!(read_and_written("demo", &new), new);
    let threshold = "alert.threshold_cm=high";
    let questions: [(&str, &str, &[&str]); 27] = [
        ("where", &demo, &[]),
        ("where", every, &["--in", "staging"]),
        ("list", &demo, &["list", "--in", "production,north,alerts"]),
        ("list", every, &["list", "--in", "staging"]),
        ("explain", &demo, &["explain", "**", "--in", "production,north"]),
        ("explain", every, &["explain", "**", "--in", "staging"]),
        ("explain", &demo, &["explain", "alert.contact", "--expected", "north-desk@tide.example"]),
        ("adopt", &demo, &["adopt", &other]),
        ("uses", &demo, &["uses"]),
        ("find", &demo, &["find", "tide"]),
        ("check", &demo, &["check"]),
        ("check", every, &["check"]),
        ("check", every, &["check", "--here"]),
        ("grid", &demo, &["grid", "--across", "environment,region"]),
        ("compare", &demo, &["compare", "production,north", "staging"]),
        ("suppose", &demo, &["suppose", "--without", "by-region", "--everywhere"]),
        ("suppose", &demo, &["suppose", "--put", threshold, "--layer", "defaults"]),
        ("suppose", &demo, &["put", "alert.contact", "x", "--layer", "defaults", "--dry-run"]),
        ("identity", &demo, &["identity", "new", &key]),
        ("export", &demo, &["export", "--as", "env"]),
        ("refused", &demo, &["export", "--as", "env", "--in", "production"]),
        ("needs", every, &["needs", "--in", "production"]),
        ("stores", &demo, &["stores", "--in", "production,alerts"]),
        ("text", &demo, &["manual"]),
        ("failure", &demo, &["explain", "nothing.near"]),
        ("failure", &demo, &["check", "--allow", "nothing"]),
        ("failure", &demo, &["--in", "prodution"]),
    ];
    std::fs::create_dir(&other).unwrap();
    std::fs::write(Path::new(&other).join(".env"), "PORT=8080\nLEVEL=info\n").unwrap();
    let mut names = BTreeSet::from(["demo"]);
    for (name, project, arguments) in questions {
        let written = asked(Path::new(project), arguments);
        assert_eq!(read_and_written(name, &written), written, "{arguments:?}");
        names.insert(name);
    }
    assert_eq!(names.len(), 18, "every type is written and read: {names:?}");
}
