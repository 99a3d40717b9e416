//! What store files and `stores.toml` may have, and what is reported if they are wrong.

use super::{Asked, file, origin_of, read_allowed};
use crate::Error;
use justwhy_core::SourceText;
use justwhy_formats::Limits;

fn shown(errors: &[Error]) -> String {
    let line = |error: &Error| {
        let mut line = format!("[{}] {error}", error.code());
        error.helps().iter().for_each(|help| line.push_str(&format!(" | {help}")));
        line
    };
    errors.iter().map(line).collect::<Vec<_>>().join("\n")
}

fn store(text: &str) -> String {
    let text = format!("justwhy = 1\n{text}");
    match file::read("scopes.toml", &SourceText::new(text), Limits::default()) {
        Ok(scopes) => format!("{} scopes", scopes.len()),
        Err(errors) => shown(&errors),
    }
}

#[test]
fn says_where_a_store_file_is_wrong() {
    for (text, expected) in [
        ("", "0 scopes"),
        ("[scope.everyone]", "1 scopes"),
        (
            "[scope.\"a b\"]",
            "[bad-store] scopes.toml:2:8: invalid name of a scope | a name has A-Z, a-z, 0-9, `.`, `_` and `-`, with `/` between the parts, for example \"team/shorewatch\"",
        ),
        (
            "[scope.a.variables]\nTIDE_X = 8",
            "[bad-store] scopes.toml:3:1: `TIDE_X` must be a string (variables have no types), or a table with its `value`, not an integer",
        ),
        (
            "[scope.a.variables]\nTIDE_X = { value = \"hidden-1\", secrte = true }",
            "[bad-store] scopes.toml:3:32: unknown field: a variable has no field `secrte` | did you mean `secret`?",
        ),
        (
            "[scope.a.variables]\nTIDE_X = { secret = true }",
            "[bad-store] scopes.toml:3:1: the variable TIDE_X has no `value` | write value = \"…\", a string",
        ),
        (
            "[scope.a.variables]\n\"TIDE-X\" = \"hidden-2\"",
            "[bad-store] scopes.toml:3:1: invalid name of a variable | a name has letters, digits and `_`, and does not begin with a digit",
        ),
        (
            "[scope.a]\nvisible_to = { service = [] }",
            "[bad-store] scopes.toml:3:26: an empty list of values never matches | remove the entry if it is meant for everybody",
        ),
        (
            "[scope.a]\nvisible_to = \"alerts\"",
            "[bad-store] scopes.toml:3:1: `visible_to` must be a table, not a string",
        ),
        (
            "[scope]\na = 1",
            "[bad-store] scopes.toml:3:1: `a` must be a table with the variables of the scope, not an \
             integer",
        ),
        (
            "[scopes.a]",
            "[bad-store] scopes.toml:2:2: unknown field: a store file has no field `scopes` | did you mean `scope`?",
        ),
    ] {
        let shown = store(text);
        assert_eq!(shown, expected, "{text}");
        assert!(!shown.contains("hidden"), "a value is shown: {shown}");
    }
}

#[test]
fn reads_all_that_a_store_file_may_say() {
    let text = "justwhy = 1\n[scope.\"team/shorewatch\"]\nabout = \"The shore desk\"\n\
                visible_to = { service = [\"alerts\", \"forecast-*\"], region = \"north\" }\n\
                [scope.\"team/shorewatch\".variables]\nTIDE_B = \"8\"\n\
                TIDE_A = { value = \"x\", secret = true, updated = 2026-03-02T09:00:00Z, by = \"mara\" }\n";
    let scopes =
        file::read("scopes.toml", &SourceText::new(text.into()), Limits::default()).unwrap();
    let scope = &scopes[0];
    assert_eq!(
        (scope.name.as_ref(), scope.about.as_deref()),
        ("team/shorewatch", Some("The shore desk"))
    );
    let audience = &scope.audience.as_ref().unwrap().entries;
    assert_eq!(
        audience[0],
        ("service".to_owned(), vec!["alerts".to_owned(), "forecast-*".to_owned()])
    );
    assert_eq!(audience[1], ("region".to_owned(), vec!["north".to_owned()]));
    let names: Vec<&str> = scope.variables.iter().map(|it| it.name.as_ref()).collect();
    assert_eq!(names, ["TIDE_B", "TIDE_A"], "as they are written");
    let note = &scope.variables[1].note;
    assert!(note.secret && !scope.variables[0].note.secret);
    assert_eq!(
        note.history().map(|it| it.to_string()).as_deref(),
        Some("set 2 March 2026 by mara")
    );
}

fn allowed(text: &str) -> String {
    match read_allowed("stores.toml", format!("justwhy = 1\n{text}").into_bytes()) {
        Ok(allowed) => {
            format!("{:?}", allowed.stores.iter().map(|it| &it.origin).collect::<Vec<_>>())
        }
        Err(errors) => shown(&errors),
    }
}

#[test]
fn says_where_what_is_allowed_is_wrong() {
    let origin = "[[allow]]\norigin = ";
    for (text, expected) in [
        (String::new(), "[]"),
        (format!("{origin}\"https://HQ.example:443/\""), "[\"https://hq.example\"]"),
        (format!("{origin}\"http://127.0.0.1:8080\""), "[\"http://127.0.0.1:8080\"]"),
        (
            format!("{origin}\"https://hq.example/v1\""),
            "[bad-stores] stores.toml:3:10: an origin cannot have a path | write a scheme, a host and a port, for example https://hq.example:8443; the rest belongs in `path`",
        ),
        (
            format!("{origin}\"https://mara:pw@hq.example\""),
            "[bad-stores] stores.toml:3:10: the address must not have a user or a password | write a scheme, a host and a port, for example https://hq.example:8443; the rest belongs in `path`",
        ),
        (
            format!("{origin}\"https://hq.example\"\ntoken_variable = \"s3cr3t token\""),
            "[bad-stores] stores.toml:4:18: invalid name of a variable | write the name of the variable with the token, never the token",
        ),
        (
            format!("{origin}\"https://hq.example\"\ntimeout = \"soon\""),
            "[bad-stores] stores.toml:4:11: not a time between 0 and 10 minutes | for example \"10s\" or \"500ms\"",
        ),
        (
            format!("{origin}\"https://hq.example\"\ncertificate = \"a.pem\""),
            "[bad-stores] stores.toml:3:10: a `certificate` needs its `key` | give both",
        ),
        (
            format!("{origin}\"https://hq.example\"\n{origin}\"https://hq.example:443\""),
            "[bad-stores] stores.toml:5:10: duplicate origin with the same variable | \
             keep one of them",
        ),
        (
            "[[alow]]".to_owned(),
            "[bad-stores] stores.toml:2:3: unknown field: stores.toml has no field `alow` | did you mean `allow`?",
        ),
    ] {
        assert_eq!(allowed(&text), expected, "{text}");
    }
}

#[test]
fn asks_for_the_beginning_that_all_names_share() {
    assert_eq!(Asked::of("team/shorewatch"), Asked::One("team/shorewatch".to_owned()));
    assert_eq!(Asked::of("team/shore*"), Asked::Prefix("team/shore".to_owned()));
    assert_eq!(Asked::of("*"), Asked::Prefix(String::new()));
    assert_eq!(origin_of("https://hq.example:443/scopes"), "https://hq.example");
}
