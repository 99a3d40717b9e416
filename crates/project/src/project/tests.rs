//! Tests of the project file: what it may have, and what is reported if it is wrong.

use crate::memory::Memory;
use crate::{Error, Project};

fn load(text: &str) -> Result<Project, Vec<Error>> {
    Project::load(&Memory::new(&[("justwhy.toml", text)]), None)
}

/// Every error in one line each: code, place, message; then the other places and the helps.
fn errors(text: &str) -> String {
    let Err(errors) = load(text) else {
        return "no error".to_owned();
    };
    let shown = errors.iter().map(|error| {
        let mut line = format!("[{}] {error}", error.code());
        for (what, spot) in error.others() {
            line.push_str(&format!(" | {what} {spot}"));
        }
        for help in error.helps() {
            line.push_str(&format!(" | {help}"));
        }
        line
    });
    shown.collect::<Vec<_>>().join("\n")
}

const AXIS: &str = "justwhy = 1\n[[axis]]\nname = \"env\"\nallowed = [\"dev\", \"prod\"]\n";

fn with_layer(fields: &str) -> String {
    errors(&format!("{AXIS}[[layer]]\nname = \"a\"\n{fields}\n"))
}

#[test]
fn gives_what_can_be_known_of_a_project_in_which_something_is_wrong() {
    let text = format!(
        "{AXIS}name = \"twice\"\nname = \"twice\"\n[[layer]]\nname = \"a\"\nfile = \"a.toml\"\n\
         [[layer]]\nname = \"b\"\nvalues = {{ x = 1 }}\nunder =\n[setting.\"x.y\"]\nrequired = true\n"
    );
    let world = Memory::new(&[("justwhy.toml", &text)]);
    let (project, errors) = Project::read(&world, None).unwrap();
    let told: Vec<String> = errors.iter().map(|error| error.to_string()).collect();
    assert_eq!(told.len(), 3, "{told:?}");
    for (told, place) in
        told.iter().zip(["justwhy.toml:5:1", "justwhy.toml:6:1", "justwhy.toml:13:8"])
    {
        assert!(told.starts_with(place), "{told}");
    }
    let layers: Vec<&str> = project.layers.iter().map(|layer| layer.name.as_str()).collect();
    assert_eq!(layers, ["a", "b"]);
    assert_eq!(project.declared.len(), 1);
    // Who needs all of it gets all that is wrong.
    assert_eq!(Project::load(&world, None).unwrap_err(), errors);
    // Of what is no text there is nothing to know.
    assert!(Project::read(&Memory::new(&[]), None).is_err());
}

#[test]
fn reads_a_whole_project_file() {
    let project = load(
        r#"
        justwhy = 1
        name = "tide-gauges"
        variables = { prefix = "TIDE_", nest = "_" }
        limits = { file_bytes = 1000, depth = 10, nodes = 50 }
        [[axis]]
        name = "environment"
        allowed = ["dev", "production"]
        default = "dev"
        read = [{ variable = "TIDE_ENV" }, { variable = "ENV" }]
        [[axis]]
        name = "team"
        open = true
        [[layer]]
        name = "by-environment"
        file = "settings/{environment}/{team}.conf"
        format = "yaml"
        under = "x.{team}-{environment}.'y.z'"
        optional = true
        when = { environment = ["dev", "production"], team = "any" }
        unless = { team = "none" }
        empty = "unset"
        null = "value"
        names = "variables"
        prefix = "P_"
        nest = "__"
        [[layer]]
        name = "here"
        values = { a.b = 1, c = [] }
        [[layer]]
        name = "process"
        process = true
        "#,
    )
    .unwrap();
    assert_eq!(project.name.as_deref(), Some("tide-gauges"));
    assert_eq!(
        (project.limits.file_bytes, project.limits.depth, project.limits.nodes),
        (1000, 10, 50)
    );
    assert_eq!(project.axes.len(), 2);
    let names: Vec<&str> = project.layers.iter().map(|layer| layer.name.as_str()).collect();
    assert_eq!(names, ["by-environment", "here", "process"]);
    let layer = &project.layers[0];
    assert_eq!(layer.variables, Some(("P_".into(), "__".into())));
    assert_eq!((layer.when.len(), layer.unless.len(), layer.optional), (2, 1, true));
    assert_eq!(project.layers[2].variables, Some(("TIDE_".into(), "_".into())));
}

#[test]
fn says_what_is_wrong_with_the_whole_file() {
    for (text, expected) in [
        (
            "",
            "[bad-project] justwhy.toml:1:1: no version in the project file | begin the file with: justwhy = 1",
        ),
        (
            "justwhy = 2",
            "[bad-project] justwhy.toml:1:11: unknown version | this program reads version 1: write justwhy = 1",
        ),
        (
            "justwhy = '1'",
            "[bad-project] justwhy.toml:1:1: `justwhy` must be an integer, not a string",
        ),
        (
            "justwhy = 1\nnam = 'x'",
            "[bad-project] justwhy.toml:2:1: unknown field: the project file has no field `nam` | did you mean `name`?",
        ),
        (
            "justwhy = 1\nwhatever = 'x'",
            "[bad-project] justwhy.toml:2:1: unknown field: the project file has no field `whatever` | its fields are justwhy, name, catalogue, variables, names, limits, secrets, axis, never, layer, store, code, setting, rule, accept",
        ),
        (
            "justwhy = 1\nstore = []",
            "[bad-project] justwhy.toml:2:1: `store` must be a table, not a list",
        ),
        (
            "justwhy = 1\n[store.hq]",
            "[bad-project] justwhy.toml:2:8: the store has no place | add one of: file = \"…\", url = \"https://…\", etcd = [\"https://…\"]",
        ),
        (
            "justwhy = 1\n[variables]\nnest = ''",
            "[bad-project] justwhy.toml:3:8: `nest` must not be empty | the default is nest = \"__\"",
        ),
        (
            "justwhy = 1\n[limits]\ndepth = 251",
            "[bad-project] justwhy.toml:3:9: `depth` must be between 1 and 250",
        ),
        (
            "justwhy = 1\naxis = 1\nlayer = [2]",
            "[bad-project] justwhy.toml:2:1: `axis` must be a list, not an integer\n[bad-project] justwhy.toml:3:10: expected a table here, found an integer",
        ),
        ("justwhy = 1\n[x", "[bad-file] justwhy.toml:2:3: unclosed table, expected `]`"),
    ] {
        assert_eq!(errors(text), expected, "{text}");
    }
}

#[test]
fn says_what_is_wrong_with_an_axis() {
    for (axis, expected) in [
        (
            "allowed = ['a']",
            "[bad-project] justwhy.toml:2:1: an axis has no name | add: name = \"…\"",
        ),
        (
            "name = 'Env'\nopen = true",
            "[bad-project] justwhy.toml:3:8: invalid name of an axis: Env | a name begins with a-z and has a-z, 0-9, `_` and `-`",
        ),
        (
            "name = 'e'",
            "[bad-project] justwhy.toml:3:8: the axis e has no allowed values | list them: allowed = [\"…\"], or allow any: open = true",
        ),
        (
            "name = 'e'\nallowed = ['a', '../b']",
            "[bad-project] justwhy.toml:4:17: invalid value of an axis: \"../b\" | a value has A-Z, a-z, 0-9, `.`, `_` and `-`, and is neither `.` nor `..`",
        ),
        (
            "name = 'e'\nallowed = ['a', 'a']",
            "[bad-project] justwhy.toml:4:17: duplicate name: two allowed values have the name a | first at justwhy.toml:4:12 | choose another name for one of them",
        ),
        (
            "name = 'e'\nallowed = ['production']\ndefault = 'prodution'",
            "[bad-project] justwhy.toml:5:11: prodution is not allowed for the axis e | did you mean \"production\"? | it allows production",
        ),
        (
            "name = 'e'\nalowed = ['a']\nopen = true",
            "[bad-project] justwhy.toml:4:1: unknown field: an axis has no field `alowed` | did you mean `allowed`?",
        ),
        (
            "name = 'e'\nopen = true\nread = [{ branch = { 'a**' = 'x' } }]",
            "[bad-project] justwhy.toml:5:22: invalid pattern of paths: `**` must be alone between two slashes | for example \"services/*\"",
        ),
        (
            "name = 'e'\nallowed = ['a']\nread = [{ branch = { main = '../b' } }]",
            "[bad-project] justwhy.toml:5:29: invalid value of an axis: \"../b\" | a value has A-Z, a-z, 0-9, `.`, `_` and `-`, and is neither `.` nor `..`",
        ),
        (
            "name = 'e'\nopen = true\nread = [{ file = 'x', branch = {} }]",
            "[bad-project] justwhy.toml:5:9: branch and file cannot be combined in one entry | an entry has one source: `variable`, `file`, `branch`, `folder`, `host`, `tag` or `axis`",
        ),
        (
            "name = 'e'\nopen = true\nread = [{ file = '' }]",
            "[bad-project] justwhy.toml:5:18: invalid path of a file",
        ),
        (
            "name = 'e'\nopen = true\nread = [{ folder = 'a[' }]",
            "[bad-project] justwhy.toml:5:20: invalid pattern of paths: unterminated `[` | for example \"services/*\"",
        ),
        (
            "name = 'e'\nopen = true\nread = [{ axis = 'e' }]",
            "[bad-project] justwhy.toml:5:9: no `map` from the values of the other axis | add: map = { \"value of the other axis\" = \"value\" }",
        ),
        (
            "name = 'e'\nopen = true\nread = [{ axis = 'e', map = {} }]",
            "[bad-project] justwhy.toml:5:18: the axis e reads itself | read one of the axes from something else",
        ),
        (
            "name = 'e'\nopen = true\nread = [{ axis = 'x', map = {} }]",
            "[bad-project] justwhy.toml:5:18: no axis has the name x | the axes are e",
        ),
        (
            "name = 'e'\nallowed = { folders = 'x/*' }",
            "[bad-project] justwhy.toml:4:13: unknown field: `allowed` has no field `folders` | its fields are directories, file, under, format",
        ),
        (
            "name = 'e'\nallowed = ['a']\n[[never]]\ne = 'b'",
            "[bad-project] justwhy.toml:6:5: b is not allowed for the axis e | it allows a",
        ),
        (
            "name = 'e'\nallowed = ['a']\n[[never]]\nf = 'a'\n[[never]]",
            "[bad-project] justwhy.toml:6:1: no axis has the name f | the axes are e\n[bad-project] justwhy.toml:7:1: empty combination | for example service = \"alerts\", region = \"south\"",
        ),
        (
            "name = 'e'\nopen = true\nread = ['X']",
            "[bad-project] justwhy.toml:5:9: expected a table such as { variable = \"NAME\" } here, found a string",
        ),
        (
            "name = 'e'\nopen = true\nread = [{}]",
            "[bad-project] justwhy.toml:5:9: nothing to read the axis from | write { variable = \"NAME\" }",
        ),
    ] {
        assert_eq!(errors(&format!("justwhy = 1\n[[axis]]\n{axis}\n")), expected, "{axis}");
    }
    let twice =
        errors("justwhy = 1\n[[axis]]\nname='a'\nopen=true\n[[axis]]\nname='a'\nopen=true\n");
    assert_eq!(
        twice,
        "[bad-project] justwhy.toml:6:6: duplicate name: two axes have the name a | first at justwhy.toml:3:6 | choose another name for one of them"
    );
}

#[test]
fn says_what_is_wrong_with_a_layer() {
    for (fields, expected) in [
        (
            "",
            "[bad-project] justwhy.toml:6:8: the layer reads nothing | add one of `file`, `files`, `entries`, `rows`, `scope`, `values`, `command_line`, `code`, `process`",
        ),
        (
            "file = 'a.toml'\nprocess = true",
            "[bad-project] justwhy.toml:8:11: the layer has both `file` and `process` | make two layers",
        ),
        (
            "process = false",
            "[bad-project] justwhy.toml:7:11: `process` can only be true | remove the layer if it is not to be read",
        ),
        (
            "scope = 'x'",
            "[bad-project] justwhy.toml:7:9: the layer names no store for its scope | declare one: [store.hq] with file = \"settings/scopes.toml\"",
        ),
        (
            "file = 'a.toml'\npin = 'a'",
            "[bad-project] justwhy.toml:8:1: `pin` must be true or a list of key patterns, not a string",
        ),
        (
            "file = 'a.toml'\npin = ['a', 'b..c']",
            "[bad-project] justwhy.toml:8:16: invalid pattern: empty segment | for example \"audit.**\": `*` within a segment, `**` over segments",
        ),
        (
            "file = 'a.toml'\nremove = [1]",
            "[bad-project] justwhy.toml:8:11: expected a string here, found an integer",
        ),
        (
            "file = 'a.toml'\ninto = 'a b'",
            "[bad-project] justwhy.toml:8:10: invalid key: a segment with other characters than A-Z, a-z, 0-9, `_` and `-` must be quoted",
        ),
        (
            "files = 'x/[.toml'",
            "[bad-project] justwhy.toml:7:9: invalid pattern of paths: unterminated `[` | for example \"services/*\"",
        ),
        (
            "rows = 'x.txt'",
            "[bad-project] justwhy.toml:7:8: unknown format of rows | rows are read from .csv, .json, .jsonl and .ndjson files",
        ),
        (
            "rows = 'x.csv'\naxis = 'site'",
            "[bad-project] justwhy.toml:8:8: no axis has the name site | the axes are env",
        ),
        (
            "file = '/etc/x.toml'\nper_directory = true",
            "[bad-project] justwhy.toml:7:8: `per_directory` needs a relative path",
        ),
        (
            "values = {}\nper_directory = true",
            "[bad-project] justwhy.toml:8:1: `per_directory` needs a file, which this layer does not read",
        ),
        (
            "file = 'a.toml'\noptionl = true",
            "[bad-project] justwhy.toml:8:1: unknown field: a layer has no field `optionl` | did you mean `optional`?",
        ),
        (
            "file = 'a.toml'\noptional = 'yes'",
            "[bad-project] justwhy.toml:8:1: `optional` must be true or false, not a string",
        ),
        (
            "file = 'a.txt'",
            "[bad-project] justwhy.toml:7:8: unknown format | add format = \"toml\" (or json, jsonc, yaml, env, ini, properties, containerfile, hcl, assignments, xml or module)",
        ),
        (
            "file = 'a.toml'\nformat = 'tolm'",
            "[bad-project] justwhy.toml:8:10: no format has the name tolm | did you mean \"toml\"?",
        ),
        (
            "file = '{evn}.toml'",
            "[bad-project] justwhy.toml:7:8: no axis has the name evn | did you mean env?",
        ),
        ("file = 'a{b.toml'", "[bad-project] justwhy.toml:7:10: invalid path: unterminated `{`"),
        ("file = 'a}b.toml'", "[bad-project] justwhy.toml:7:10: invalid path: unexpected `}`"),
        ("file = ''", "[bad-project] justwhy.toml:7:8: invalid path of a file"),
        (
            "file = 'a.toml'\nunder = 'a..b'",
            "[bad-project] justwhy.toml:8:12: invalid section: empty segment",
        ),
        (
            "file = 'a.toml'\nunder = 'a b'",
            "[bad-project] justwhy.toml:8:11: invalid section: a segment with other characters than A-Z, a-z, 0-9, `_`, `-` and {axis} must be quoted",
        ),
        (
            "process = true\noptional = true",
            "[bad-project] justwhy.toml:8:1: `optional` needs a file or a scope, which this layer does not read",
        ),
        (
            "process = true\nnames = 'keys'",
            "[bad-project] justwhy.toml:8:9: the process environment has variables only, no keys | remove `names`",
        ),
        (
            "file = 'a.toml'\nprefix = 'X'",
            "[bad-project] justwhy.toml:8:1: `prefix` is for variables, but the names of this layer are keys | add names = \"variables\" if they are variables",
        ),
        (
            "file = 'a.toml'\nnames = 'variable'",
            "[bad-project] justwhy.toml:8:9: `names` must be keys or variables | did you mean \"variables\"?",
        ),
        (
            "file = 'a.toml'\nempty = 'error'",
            "[bad-project] justwhy.toml:8:9: `empty` must be value or unset",
        ),
        (
            "file = 'a.toml'\nwhen = { evn = 'dev' }",
            "[bad-project] justwhy.toml:8:10: no axis has the name evn | did you mean env?",
        ),
        (
            "file = 'a.toml'\nwhen = { env = 'pord' }",
            "[bad-project] justwhy.toml:8:16: pord is not allowed for the axis env | did you mean \"prod\"? | it allows dev, prod",
        ),
        (
            "file = 'a.toml'\nunless = { env = [] }",
            "[bad-project] justwhy.toml:8:18: an empty list of values never matches",
        ),
        (
            "file = 'a.toml'\nwhen = { env = 1 }",
            "[bad-project] justwhy.toml:8:10: `env` must be a string, not an integer",
        ),
        ("values = 5", "[bad-project] justwhy.toml:7:1: `values` must be a table, not an integer"),
    ] {
        assert_eq!(with_layer(fields), expected, "{fields}");
    }
    for name in ["catalogue", "arguments"] {
        let text = format!("justwhy = 1\n[[layer]]\nname = '{name}'\nprocess = true");
        assert!(errors(&text).contains("always exists and cannot be declared"), "{name}");
    }
    for name in ["", "A", "a_b", "-a", "a.b"] {
        let text = format!("justwhy = 1\n[[layer]]\nname = '{name}'\nprocess = true");
        assert!(errors(&text).contains("invalid name for a layer"), "{name}");
    }
}

#[test]
fn says_what_is_wrong_with_a_declared_setting() {
    for (text, expected) in [
        (
            "[setting.a.b]\nsecret = true",
            "[bad-project] justwhy.toml:2:10: write the whole key in quotes, with its dots | write [setting.\"a.b\"]",
        ),
        (
            "[setting.\"a..b\"]",
            "[bad-project] justwhy.toml:2:10: invalid key \"a..b\": empty segment",
        ),
        (
            "[setting.\"a.b\"]\ngather = 'append'",
            "[bad-project] justwhy.toml:3:10: `gather` must be after, before or distinct",
        ),
        (
            "[setting.\"a.b\"]\ntype = 'strng'",
            "[bad-project] justwhy.toml:3:8: `type` must be string, boolean, integer, number, duration, size, url, path, choice, list, map or any | did you mean \"string\"?",
        ),
        (
            "[setting.a]\ntype = 'integer'\nmin = 'x'",
            "[bad-project] justwhy.toml:4:7: `min` of an integer must be a number",
        ),
        (
            "[setting.a]\ntype = 'duration'\nmax = 5",
            "[bad-project] justwhy.toml:4:7: `max` of a duration must be a duration, such as \"30s\"",
        ),
        (
            "[setting.a]\ntype = 'integer'\ndefault = 'twelve'",
            "[bad-project] justwhy.toml:4:11: invalid default: \"twelve\" is not an integer; accepted: a whole number from -9223372036854775808 to 9223372036854775807, without blanks, `_` or leading zeros",
        ),
        (
            "[setting.a]\ntype = 'duration'\ndefault = 30",
            "[bad-project] justwhy.toml:4:11: invalid default: 30 is an integer, not a duration; accepted: a string with a unit: \"30s\" for seconds, \"30ms\" for milliseconds",
        ),
        (
            "[setting.token]\ntype = 'integer'\ndefault = 'hush'",
            "[bad-project] justwhy.toml:4:11: invalid default: the value is not an integer; accepted: a whole number from -9223372036854775808 to 9223372036854775807, without blanks, `_` or leading zeros",
        ),
        (
            "[setting.a]\ntype = 'choice'",
            "[bad-project] justwhy.toml:3:8: a choice needs `one_of` | add one_of = [\"…\", \"…\"]",
        ),
        (
            "[setting.a]\none_of = ['north', 'south']\ndefault = 'nort'",
            "[bad-project] justwhy.toml:4:11: invalid default: \"nort\" is not one of the declared values (did you mean \"north\"?); accepted: \"north\" or \"south\"",
        ),
        (
            "[setting.a]\ntype = 'string'\none_of = ['x']",
            "[bad-project] justwhy.toml:4:10: `one_of` is for a choice, but this is a string | use type = \"choice\"",
        ),
        (
            "[setting.a]\ntype = 'string'\nitems = 'string'",
            "[bad-project] justwhy.toml:4:9: `items` is for lists, but this is a string | use type = \"list\"",
        ),
        (
            "[setting.a]\ntype = 'list'\nitems = 'list'",
            "[bad-project] justwhy.toml:4:9: nested items cannot be declared | remove `items`; the list may then have any items",
        ),
        (
            "[setting.a]\ntype = 'list'\nitems = 'integer'\ndefault = [1, 'x']",
            "[bad-project] justwhy.toml:5:15: invalid default: item 2: \"x\" is not an integer; accepted: a whole number from -9223372036854775808 to 9223372036854775807, without blanks, `_` or leading zeros",
        ),
        (
            "[setting.a]\nmatches = '(x'",
            "[bad-project] justwhy.toml:3:11: invalid regular expression: unclosed group",
        ),
        (
            "[setting.a]\nmatches = '^x'\ndefault = 'y'",
            "[bad-project] justwhy.toml:4:11: invalid default: \"y\" does not match its pattern; accepted: what matches ^x",
        ),
        (
            "[setting.a]\nrequired = 'yes'",
            "[bad-project] justwhy.toml:3:1: `required` must be true, false, or a table from axes to values, not a string",
        ),
        (
            "[setting.a]\nrequired = { environmnt = 'production' }",
            "[bad-project] justwhy.toml:3:14: no axis has the name environmnt | declare it with [[axis]]",
        ),
        (
            "[setting.a]\ndiffers_by = ['environmnt']",
            "[bad-project] justwhy.toml:3:15: no axis has the name environmnt | declare it with [[axis]]",
        ),
        (
            "[setting.a]\ntype = 'string'\ngather = 'after'",
            "[bad-project] justwhy.toml:4:10: `gather` is for lists, but this is a string | use type = \"list\"",
        ),
        (
            "[[rule]]\nname = 'r'",
            "[bad-project] justwhy.toml:3:8: the rule r has no `require` | add require = \"…\", an expression over settings",
        ),
        (
            "[[rule]]\nname = 'r'\nrequire = 'true'\n[[rule]]\nname = 'r'\nrequire = 'true'",
            "[bad-project] justwhy.toml:6:8: duplicate name: two rules have the name r | first at justwhy.toml:3:8 | choose another name for one of them",
        ),
        (
            "[[accept]]\nrule = 'bad-valu'\nreason = 'x'",
            "[bad-project] justwhy.toml:3:8: no rule has the name bad-valu | did you mean \"bad-value\"?",
        ),
        (
            "[[accept]]\nrule = 'bad-value'\nreason = ''\nuntil = 'soon'",
            "[bad-project] justwhy.toml:5:9: `until` must be a date | write until = 2027-01-31\n[bad-project] justwhy.toml:4:10: empty `reason`",
        ),
        (
            "[[accept]]\nrule = 'bad-value'",
            "[bad-project] justwhy.toml:2:1: an accepted finding needs `reason`: why they are accepted",
        ),
        (
            "catalogue = ['nowhere.toml']",
            "[missing-file] nowhere.toml: file not found: nowhere.toml | named at justwhy.toml:2:14",
        ),
        (
            "[setting.a]\ndefault = { b = 1 }",
            "[bad-project] justwhy.toml:3:11: the default is a table, not a value or a list | declare each setting in it, or use type = \"map\"",
        ),
        (
            "[setting.a]\nformerly = ['x']\n[setting.b]\nformerly = ['x']",
            "[bad-project] justwhy.toml:4:10: the name x of b is also a name of a | declared at justwhy.toml:2:10 | remove it from one of the two",
        ),
        (
            "[setting.a]\nformerly = ['a']",
            "[bad-project] justwhy.toml:2:10: the name a of a is also a name of a | declared at justwhy.toml:2:10 | remove it from one of the two",
        ),
        (
            "[setting.\"a.b\"]\n[setting.'\"a\".b']",
            "[bad-project] justwhy.toml:3:10: duplicate name: two settings have the name \"\\\"a\\\".b\" | first at justwhy.toml:2:10 | choose another name for one of them",
        ),
    ] {
        assert_eq!(errors(&format!("justwhy = 1\n{text}\n")), expected, "{text}");
    }
}

#[test]
fn gives_every_error_and_not_only_the_first() {
    let all = errors(
        "justwhy = 1\nx = 1\n[[axis]]\n[[layer]]\nname = 'a'\n[[layer]]\nname = 'a'\nprocess = 1",
    );
    assert_eq!(all.lines().count(), 4, "{all}");
}

#[test]
fn shows_a_line_without_any_value_on_it() {
    let text =
        "justwhy = 1\nlayer = [{ name = 'a', values = { x = 'hunter2' }, pasword = 'hunter2' }]";
    let error = load(text).unwrap_err().remove(0);
    let excerpt = error.shown_line().unwrap();
    assert_eq!(excerpt.line, "… pasword = …");
    assert_eq!(&excerpt.line[excerpt.marked.clone()], "pasword");
    assert!(!format!("{error:?}").contains("hunter2"));
}

#[test]
fn finds_the_project_file_above_and_where_it_is_named() {
    let mut world = Memory::new(&[("justwhy.toml", "justwhy = 1"), ("sub/x", "")]);
    world.folder = "/p/sub".into();
    assert_eq!(Project::load(&world, None).unwrap().folder.to_str(), Some("/p"));
    assert_eq!(
        Project::load(&world, Some("..".as_ref())).unwrap_err().len(),
        1,
        "not walked up to"
    );
    world.folder = "/".into();
    assert_eq!(Project::load(&world, None).unwrap_err()[0].code(), "no-project");
    for asked in ["p", "p/justwhy.toml", "/p"] {
        let project = Project::load(&world, Some(asked.as_ref())).unwrap();
        assert_eq!(project.folder.to_str(), Some("/p"), "{asked}");
    }
    let missing = Project::load(&world, Some("p/other.toml".as_ref())).unwrap_err();
    assert_eq!(missing[0].to_string(), "/p/other.toml: file not found: other.toml");
}
