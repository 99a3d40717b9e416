//! The schema of project files in `docs/schema` is that of the types, which have just the fields that
//! are read; and project files fit it. `UPDATE_SCHEMAS=1 cargo test` writes it.

use super::{
    AcceptField, Allow, Axis, CatalogueFile, Format, Layer, ProjectFile, Rule, Scope, Setting,
    StoreField, StoreFile, StoresFile, Type, Variable,
};
use crate::project::fields::Fields;
use crate::project::{CATALOGUE_FIELDS, FIELDS, axis, layer, rule, setting, store};
use crate::stores::{allowed, file};
use justwhy_core::Declaration;
use schemars::{JsonSchema, Schema, schema_for};
use serde_json::Value;
use std::path::{Path, PathBuf};

fn repository() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn titled(mut schema: Schema, title: &str) -> Schema {
    schema.insert("title".to_owned(), title.into());
    schema
}

fn schemas() -> [(&'static str, Schema); 4] {
    let title = "justwhy.toml, the project file of justwhy";
    [
        ("project", titled(schema_for!(ProjectFile), title)),
        ("catalogue", titled(schema_for!(CatalogueFile), "A file of the catalogue of justwhy")),
        ("store-file", titled(schema_for!(StoreFile), "A store of justwhy that is a file")),
        ("stores-file", titled(schema_for!(StoresFile), "stores.toml, what a user allows justwhy")),
    ]
}

#[test]
fn the_schemas_in_the_docs_are_those_of_the_types() {
    for (name, schema) in schemas() {
        let text = serde_json::to_string_pretty(&schema).unwrap() + "\n";
        let path = repository().join("docs/schema").join(format!("{name}.schema.json"));
        if std::env::var_os("UPDATE_SCHEMAS").is_some() {
            std::fs::write(&path, &text).unwrap();
        }
        let written = std::fs::read_to_string(&path).unwrap_or_default();
        assert_eq!(written, text, "{name}: run UPDATE_SCHEMAS=1 cargo test and read what changed");
    }
}

#[test]
fn the_types_have_just_the_fields_that_are_read() {
    fn check<T: JsonSchema>(fields: &Fields) {
        let schema = schema_for!(T);
        let properties = schema.get("properties").and_then(Value::as_object).unwrap();
        let mut names: Vec<&str> = properties.keys().map(String::as_str).collect();
        let mut known = fields.known.to_vec();
        names.sort_unstable();
        known.sort_unstable();
        assert_eq!(names, known, "{}", fields.of);
    }
    check::<ProjectFile>(&FIELDS);
    check::<CatalogueFile>(&CATALOGUE_FIELDS);
    check::<Axis>(&axis::FIELDS);
    check::<Layer>(&layer::FIELDS);
    check::<Setting>(&setting::FIELDS);
    check::<Rule>(&rule::RULE_FIELDS);
    check::<AcceptField>(&rule::ACCEPT_FIELDS);
    check::<StoreField>(&store::FIELDS);
    check::<StoreFile>(&file::FILE_FIELDS);
    check::<Scope>(&file::SCOPE_FIELDS);
    check::<Variable>(&file::VARIABLE_FIELDS);
    check::<StoresFile>(&allowed::FILE_FIELDS);
    check::<Allow>(&allowed::ALLOW_FIELDS);
}

#[test]
fn the_types_have_just_the_words_that_are_read() {
    fn check<T: JsonSchema>(mut known: Vec<&str>) {
        let schema = schema_for!(T);
        let words = schema.get("enum").and_then(Value::as_array).unwrap();
        let mut words: Vec<&str> = words.iter().filter_map(Value::as_str).collect();
        words.sort_unstable();
        known.sort_unstable();
        assert_eq!(words, known);
    }
    check::<Type>(Declaration::ALL.iter().map(|(name, _)| *name).collect());
    check::<Format>(justwhy_formats::Format::names());
}

/// A TOML file as JSON, dates as texts.
fn json_of(path: &Path) -> Value {
    fn plain(value: toml::Value) -> Value {
        match value {
            toml::Value::Datetime(date) => Value::String(date.to_string()),
            toml::Value::Array(items) => items.into_iter().map(plain).collect(),
            toml::Value::Table(table) => {
                table.into_iter().map(|(name, value)| (name, plain(value))).collect()
            }
            other => serde_json::to_value(other).unwrap(),
        }
    }
    plain(toml::from_str(&std::fs::read_to_string(path).unwrap()).unwrap())
}

#[test]
fn the_project_files_of_the_demo_and_the_examples_fit_the_schema() {
    let [(_, project), (_, catalogue), (_, store), _] = schemas();
    let store = jsonschema::validator_for(store.as_value()).unwrap();
    let scopes = json_of(&repository().join("crates/justwhy/demo/settings/scopes.toml"));
    assert!(store.is_valid(&scopes), "the demo's store file");
    let project = jsonschema::validator_for(project.as_value()).unwrap();
    let catalogue = jsonschema::validator_for(catalogue.as_value()).unwrap();
    for name in ["crates/justwhy/demo", "examples/clean", "examples/every-rule"] {
        let folder = repository().join(name);
        let file = json_of(&folder.join("justwhy.toml"));
        let wrong: Vec<String> = project.iter_errors(&file).map(|it| it.to_string()).collect();
        assert_eq!(wrong, [] as [&str; 0], "{name}");
        let more = file.get("catalogue").and_then(Value::as_array).cloned().unwrap_or_default();
        for path in more {
            let file = json_of(&folder.join(path.as_str().unwrap()));
            let wrong: Vec<String> =
                catalogue.iter_errors(&file).map(|it| it.to_string()).collect();
            assert_eq!(wrong, [] as [&str; 0], "{name}, {path}");
        }
        let mut wrong = file.clone();
        wrong["layer"][0]["fil"] = "x".into();
        assert!(!project.is_valid(&wrong), "{name} with an unknown field");
    }
}
