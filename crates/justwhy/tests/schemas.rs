//! Every output for programs fits its schema in `docs/schema`.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

mod common;

use common::Place;
use serde_json::Value;
use std::path::Path;

fn schema(name: &str) -> jsonschema::Validator {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schema");
    let text = std::fs::read_to_string(folder.join(format!("{name}.schema.json"))).unwrap();
    jsonschema::validator_for(&serde_json::from_str(&text).unwrap()).unwrap()
}

#[test]
fn every_output_fits_its_schema() {
    let demo = Place::demo();
    let every = Place::example("every-rule");
    let far = Place::demo();
    far.git(&["init", "--quiet"]);
    let secret = format!(
        "justwhy = 1\n[[layer]]\nname = \"a\"\nvalues = {{ key = \"age:{}\" }}\n",
        "YWdlLWVuY3J5cHRpb24ub3JnL3Yx"
    );
    let secret = Place::new(&[("justwhy.toml", &secret)]);
    let text = std::fs::read_to_string(far.path().join("justwhy.toml")).unwrap();
    let text = text.replace("file = \"settings/scopes.toml\"", "url = \"https://hq.example\"");
    far.file("justwhy.toml", text.as_bytes());
    let asked: [(&str, &Place, &[&str]); 37] = [
        ("grid", &demo, &["grid", "--across", "environment,region"]),
        ("compare", &demo, &["compare", "production,north", "staging"]),
        ("compare", &far, &["compare", "production", "dev", "--offline"]),
        ("suppose", &demo, &["suppose", "--without", "by-region", "--everywhere"]),
        ("suppose", &demo, &["suppose", "--variable", "TIDE_ENV=production"]),
        ("suppose", &demo, &["suppose", "--put", "alert.threshold_cm=high", "--layer", "defaults"]),
        ("suppose", &demo, &["put", "alert.contact", "x", "--layer", "defaults", "--dry-run"]),
        ("suppose", &demo, &["drop", "web.domain", "--layer", "defaults", "--dry-run"]),
        (
            "suppose",
            &demo,
            &["move", "web.domain", "--from", "defaults", "--to", "deployment", "--in", "staging"],
        ),
        ("identity", &demo, &["identity", "new", "new.key"]),
        ("explain", &secret, &["explain", "key"]),
        ("export", &demo, &["export", "--as", "env"]),
        ("export", &demo, &["export", "--as", "json", "--reveal", "web"]),
        ("refused", &demo, &["export", "--as", "env", "--in", "production"]),
        ("refused", &demo, &["launch", "--in", "production", "--output", "json", "--", "true"]),
        ("where", &demo, &[]),
        ("where", &every, &["--in", "staging"]),
        ("list", &demo, &["list", "--in", "production,north,alerts"]),
        ("list", &every, &["list", "--in", "staging"]),
        ("explain", &demo, &["explain", "**", "--in", "production,north"]),
        ("explain", &every, &["explain", "**", "--in", "staging"]),
        ("explain", &demo, &["explain", "alert.contact", "--expected", "north-desk@tide.example"]),
        ("find", &demo, &["find", "tide"]),
        ("check", &demo, &["check"]),
        ("check", &every, &["check"]),
        ("check", &every, &["check", "--here"]),
        ("needs", &every, &["needs", "--in", "production"]),
        ("stores", &demo, &["stores", "--in", "production,alerts"]),
        ("stores", &far, &["stores"]),
        ("where", &far, &["--offline"]),
        ("list", &far, &["list", "--offline"]),
        ("explain", &far, &["explain", "**", "--offline"]),
        ("demo", &demo, &["demo", "new"]),
        ("text", &demo, &["manual"]),
        ("failure", &demo, &["explain", "nothing.near"]),
        ("failure", &demo, &["check", "--allow", "nothing"]),
        ("failure", &demo, &["--in", "prodution"]),
    ];
    for (name, place, arguments) in asked {
        let run = place.run(&[arguments, &["--output", "json"]].concat());
        let answer: Value = serde_json::from_str(&run.stdout).unwrap();
        let validator = schema(name);
        let wrong: Vec<String> = validator.iter_errors(&answer).map(|it| it.to_string()).collect();
        assert_eq!(wrong, [] as [&str; 0], "{arguments:?}");
        // A schema that everything fits would be none.
        let mut broken = answer.clone();
        broken.as_object_mut().unwrap().remove("justwhy");
        assert!(!validator.is_valid(&broken), "{arguments:?}");
    }
}
