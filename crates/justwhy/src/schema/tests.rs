//! The schemas in `docs/schema` are those of the types. `UPDATE_SCHEMAS=1 cargo test` writes them.

use crate::commands::{
    adopt, check, compare, demo, effective, explain, export, find, grid, identity, list, needs,
    stores, suppose, texts, uses, whereabouts,
};
use crate::json::{Answer, BorrowedContext, Failure, ShownContext, ShownValue};
use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use std::borrow::Cow;
use std::path::Path;

impl JsonSchema for ShownValue {
    fn schema_name() -> Cow<'static, str> {
        "Value".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "description": "A value; `inf` and `nan`, which JSON has not, are texts.",
        })
    }
}

impl JsonSchema for ShownContext {
    fn schema_name() -> Cow<'static, str> {
        "Context".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "description": "The axes that have a value.",
            "type": "object",
            "additionalProperties": { "type": "string", "pattern": "^[A-Za-z0-9._-]+$" },
        })
    }
}

impl JsonSchema for BorrowedContext<'_> {
    fn schema_name() -> Cow<'static, str> {
        ShownContext::schema_name()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        ShownContext::json_schema(generator)
    }
}

/// The schema of what is printed: what is left out at times is not required.
fn of<T: JsonSchema>() -> Schema {
    let settings = SchemaSettings::default().for_serialize();
    let mut schema = settings.into_generator().into_root_schema_for::<T>();
    close(&mut schema);
    schema
}

/// An object has no other fields than those that are listed: what is printed is all listed.
fn close(schema: &mut Schema) {
    schemars::transform::transform_subschemas(&mut close, schema);
    let Some(object) = schema.as_object_mut() else { return };
    let is_composed = ["allOf", "anyOf", "oneOf", "$ref"].iter().any(|it| object.contains_key(*it));
    if object.contains_key("properties") && !is_composed {
        object.entry("additionalProperties").or_insert(false.into());
    }
}

fn schemas() -> Vec<(&'static str, Schema)> {
    vec![
        ("where", of::<Answer<'static, whereabouts::WhereaboutsBody>>()),
        ("list", of::<Answer<'static, list::ListBody>>()),
        ("explain", of::<Answer<'static, explain::ExplainBody>>()),
        ("adopt", of::<Answer<'static, adopt::AdoptBody>>()),
        ("uses", of::<Answer<'static, uses::UsesBody>>()),
        ("find", of::<Answer<'static, find::FindBody>>()),
        ("check", of::<Answer<'static, check::CheckBody>>()),
        ("grid", of::<Answer<'static, grid::GridBody>>()),
        ("compare", of::<Answer<'static, compare::CompareBody>>()),
        ("suppose", of::<Answer<'static, suppose::SupposeBody>>()),
        ("identity", of::<Answer<'static, identity::IdentityBody>>()),
        ("export", of::<Answer<'static, export::ExportBody>>()),
        ("refused", of::<Answer<'static, effective::RefusedBody>>()),
        ("needs", of::<Answer<'static, needs::NeedsBody>>()),
        ("stores", of::<Answer<'static, stores::StoresBody>>()),
        ("demo", of::<Answer<'static, demo::DemoBody>>()),
        ("text", of::<Answer<'static, texts::TextsBody>>()),
        ("failure", of::<Failure>()),
    ]
}

#[test]
fn the_schemas_in_the_docs_are_those_of_the_types() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schema");
    for (name, mut schema) in schemas() {
        schema.insert("title".to_owned(), format!("justwhy, output of `{name}`").into());
        let text = serde_json::to_string_pretty(&schema).unwrap() + "\n";
        let path = folder.join(format!("{name}.schema.json"));
        if std::env::var_os("UPDATE_SCHEMAS").is_some() {
            std::fs::write(&path, &text).unwrap();
        }
        let written = std::fs::read_to_string(&path).unwrap_or_default();
        assert_eq!(written, text, "{name}: run UPDATE_SCHEMAS=1 cargo test and read what changed");
    }
}
