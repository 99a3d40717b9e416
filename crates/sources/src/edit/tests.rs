use super::{Step, put};
use crate::Limits;
use crate::format::Format;
use justwhy_core::Value;

fn path(text: &str) -> Vec<Step> {
    let path = justwhy_core::KeyPath::parse(text).unwrap();
    path.segments().map(|name| Step::Name(name.to_owned())).collect()
}

fn edited(format: Format, text: &str, at: &str, value: &Value) -> String {
    match put(format, text, &path(at), value, Limits::default()) {
        Ok(text) => text,
        Err(fault) => format!("refused: {} ({})", fault.message, fault.help.unwrap_or_default()),
    }
}

fn text(text: &str) -> Value {
    Value::Text(text.into())
}

#[test]
fn dump() {
    use Format::*;
    let rows: Vec<(Format, &str, &str, Value)> = vec![
        (Toml, "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'\n", "alert.threshold_cm", Value::Integer(140)),
        (Toml, "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'\n", "alert.new", Value::Integer(140)),
        (Toml, "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'", "database.host", text("y")),
        (Toml, "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'", "database.port", Value::Integer(1)),
        (Toml, "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'", "other.deep.port", Value::Integer(1)),
        (Toml, "# head\n[alert]\nthreshold_cm = 150 # high\n\n[database]\nhost = 'x'", "top", Value::Integer(1)),
        (Toml, "a.b = 1\na.c = 2\nz = 3\n", "a.d", Value::Integer(1)),
        (Toml, "a.b = 1\na.c = 2\nz = 3\n", "n.d", Value::Integer(1)),
        (Toml, "a = { b = 1 }\n", "a.d", Value::Integer(1)),
        (Toml, "a = {}\n", "a.d", Value::Integer(1)),
        (Toml, "[a.b]\nx = [[1],\n [2]] # c\n[c]\n", "a.d", Value::Integer(1)),
        (Toml, "[a.b]\r\nx = [[1],\r\n [2]] # c\r\n[c]\r\n", "a.b.d", Value::Integer(1)),
        (Toml, "[a.b]\nx = [1, # one\n 2]\n[c]\n", "a.b.x", Value::Boolean(true)),
        (Toml, "", "a.b.x", Value::Boolean(true)),
        (Json, "{\n  \"a\": {\n    \"b\": 1\n  }\n}\n", "a.c", Value::Boolean(true)),
        (Json, "{\n  \"a\": {\n    \"b\": 1\n  }\n}\n", "a.b", text("q\"\n")),
        (Json, "{\n  \"a\": {\n    \"b\": 1\n  }\n}\n", "d.e.f", text("q")),
        (Json, "{\"a\":{\"b\":1}}", "d.e.f", text("q")),
        (Json, "{}", "d.e.f", text("q")),
        (Jsonc, "{\n  // one\n  \"a\": 1, // two\n  \"b\": 2 // three\n}\n", "c", Value::Integer(3)),
        (Jsonc, "{\n  // one\n  \"a\": 1, // two\n  \"b\": 2, // three\n}\n", "c", Value::Integer(3)),
        (Jsonc, "{ \"b\": 2, }\n", "c", Value::Integer(3)),
        (Jsonc, "{ /* none */ }\n", "c", Value::Integer(3)),
        (Yaml, "# h\ndatabase:\n  host: a # c\n  port: 5\nother: 1\n", "database.host", text("b")),
        (Yaml, "# h\ndatabase:\n  host: a # c\n  port: 5\nother: 1\n", "database.host", text("yes")),
        (Yaml, "# h\ndatabase:\n  host: a # c\n  port: 5\nother: 1\n", "database.pool.max", Value::Integer(4)),
        (Yaml, "# h\ndatabase:\n    host: a # c\n    port: 5 # d\n", "database.pool.max", Value::Integer(4)),
        (Yaml, "# h\ndatabase:\n    host: a # c\n    port: 5 # d", "x.pool.max", Value::Integer(4)),
        (Yaml, "database:\n  text: |\n    a\n    b\nother: 1\n", "database.x", Value::Integer(4)),
        (Yaml, "database:\n  text: |\n    a\n    b\nother: 1\n", "database.text", text("one")),
        (Yaml, "database:\nother: 1\n", "database", text("one")),
        (Yaml, "database:  # none\nother: 1\n", "database.x", text("one")),
        (Yaml, "list:\n- a\n- b\nother: 1\n", "list", Value::Integer(1)),
        (Yaml, "list:\n- a\n- b\nother: 1\n", "more", Value::Integer(1)),
        (Yaml, "a: {b: 1}\n", "a.c", text("x, y")),
        (Yaml, "base: &b\n  x: 1\none:\n  <<: *b\n  y: 2\n", "one.x", Value::Integer(3)),
        (Yaml, "base: &b\n  x: 1\none:\n  <<: *b\n  y: 2\n", "base.x", Value::Integer(3)),
        (Yaml, "base: &b\n  x: 1\none: *b\n", "one.x", Value::Integer(3)),
        (Yaml, "base: &b 1\none: *b\n", "one", Value::Integer(3)),
        (Yaml, "base: &b 1\none: *b\n", "base", Value::Integer(3)),
        (Yaml, "", "base.a", Value::Integer(3)),
        (Env, "# c\nexport A_B=1\nA_C='x y' # d\nB=2\n", "A_D", text("q r")),
        (Env, "# c\nexport A_B=1\nA_C='x y' # d\nB=2\n", "A_C", text("q $ r")),
        (Env, "# c\nexport A_B=1\nA_C='x y' # d\nB=2", "Z", text("")),
        (Env, "A=\n", "A", text("x#y")),
        (Ini, "top = 1\n[a.b]\nx = 1\n\n; c\n[c]\ny=2\n", "a.b.z", text("5")),
        (Ini, "top = 1\n[a.b]\nx = 1\n\n; c\n[c]\ny=2\n", "n.z", text(" 5")),
        (Ini, "top = 1\n[a.b]\nx = 1\n\n; c\n[c]\ny=2\n", "z", text("5")),
        (Ini, "top = 1\n[a.b]\nx = \"1\" \n", "a.b.x", text("5")),
        (Ini, "top = 1\n[a.b]\nx = \"1\" \n", "a.b.x", text("5\n6")),
        (Properties, "# c\na.b = 1\na.c: 2\nz 3\n", "a.d", text(" x\\y")),
        (Properties, "# c\na.b = 1\na.c: 2\nz 3\n", "a.b", text("x\ny")),
        (Properties, "# c\na.b = 1\na.c: 2\nz", "z", text("x")),
        (Properties, "a=1\\\n  2\nb=3", "a", text("x")),
        (Properties, "a=1", "a.b", text("x")),
    ];
    for (format, before, at, value) in rows {
        println!("==== {format:?} {at} = {}\n{before}\n---- \n{}", value.show(), edited(format, before, at, &value));
    }
}
