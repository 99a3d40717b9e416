//! Large made-up projects for benchmarks: many settings of the tide-gauge network in many layers.

use std::fmt::Write as _;
use std::io;
use std::path::Path;

/// How many settings the usual large project has.
pub const SETTINGS: usize = 10_000;

/// The layers of a generated project, weakest first: their file names.
pub const LAYERS: [&str; 8] = [
    "defaults.toml",
    "services.yaml",
    "teams.json",
    "regions.toml",
    "sites.yaml",
    "environment.json",
    "release.yaml",
    "deployment.env",
];

/// Writes a project of `settings` settings to `folder`, which must be there: a project file and
/// one file for each layer. The weakest layer says every setting, each other one six of ten; a
/// fifth of the values hold a reference.
pub fn write_project(folder: &Path, settings: usize) -> io::Result<()> {
    write_layers(folder, settings, &LAYERS)
}

/// The same, but that every layer is a JSON file, so that a program which knows nothing else can read them.
pub fn write_project_as_json(folder: &Path, settings: usize) -> io::Result<()> {
    let as_json = LAYERS.map(|file| format!("{}.json", file.split('.').next().unwrap_or(file)));
    write_layers(folder, settings, &as_json)
}

fn write_layers(folder: &Path, settings: usize, files: &[impl AsRef<str>]) -> io::Result<()> {
    let mut project =
        "justwhy = 1\nname = \"large\"\n\n[variables]\nprefix = \"TIDE_\"\n".to_owned();
    for (number, file) in files.iter().map(AsRef::as_ref).enumerate() {
        let name = file.replace('.', "-");
        // Writing to a String cannot fail.
        let _ = write!(project, "\n[[layer]]\nname = \"{name}\"\nfile = \"{file}\"\n");
        std::fs::write(folder.join(file), text(number, file, settings))?;
    }
    project.push_str("\n[[layer]]\nname = \"process\"\nprocess = true\n");
    std::fs::write(folder.join("justwhy.toml"), project)
}

/// The axes of a generated project with many contexts.
const AXES: [&str; 4] = ["environment", "region", "service", "size"];

/// Writes a project of `settings` settings and at least `contexts` contexts to `folder`, which must be
/// there, in eight layers: defaults that say every setting, one that all contexts share and that says six
/// of ten, one for each of four axes, whose files say two settings of ten each, one for two axes
/// together and an env file that all share, which say one of ten. A fifth of the values hold a reference.
pub fn write_matrix(folder: &Path, settings: usize, contexts: usize) -> io::Result<()> {
    let mut project =
        "justwhy = 1\nname = \"matrix\"\n\n[variables]\nprefix = \"TIDE_\"\n".to_owned();
    let mut layers = "\n[[layer]]\nname = \"defaults\"\nfile = \"defaults.toml\"\n".to_owned();
    std::fs::write(folder.join("defaults.toml"), text(0, "defaults.toml", settings))?;
    layers.push_str("\n[[layer]]\nname = \"teams\"\nfile = \"teams.json\"\n");
    std::fs::write(folder.join("teams.json"), text(1, "teams.json", settings))?;
    let sizes = sizes(contexts);
    for (number, axis) in AXES.iter().enumerate() {
        let values: Vec<String> =
            (0..sizes[number]).map(|value| format!("\"{axis}-{value}\"")).collect();
        // Writing to a String cannot fail.
        let _ = write!(
            project,
            "\n[[axis]]\nname = \"{axis}\"\nallowed = [{}]\ndefault = \"{axis}-0\"\n",
            values.join(", ")
        );
        let _ = write!(
            layers,
            "\n[[layer]]\nname = \"by-{axis}\"\nfile = \"{axis}/{{{axis}}}.toml\"\n"
        );
        std::fs::create_dir_all(folder.join(axis))?;
        for at in 0..sizes[number] {
            let said = |setting: &usize| (setting * 3 + number * 5) % 10 < 2;
            let path = folder.join(axis).join(format!("{axis}-{at}.toml"));
            std::fs::write(path, text_of((0..settings).filter(said), number + at * 7, "a.toml"))?;
        }
    }
    let [environment, region, ..] = AXES;
    let _ = write!(
        layers,
        "\n[[layer]]\nname = \"by-site\"\nfile = \"site/{{{environment}}}/{{{region}}}.toml\"\n"
    );
    for one in 0..sizes[0] {
        let site = folder.join("site").join(format!("{environment}-{one}"));
        std::fs::create_dir_all(&site)?;
        for other in 0..sizes[1] {
            let said = (0..settings).filter(|setting| setting % 10 == 4);
            let text = text_of(said, 2 + one * 7 + other * 11, "a.toml");
            std::fs::write(site.join(format!("{region}-{other}.toml")), text)?;
        }
    }
    let said = |setting: &usize| setting % 10 == 9;
    let last = text_of((0..settings).filter(said), 3, "deployment.env");
    std::fs::write(folder.join("deployment.env"), last)?;
    layers.push_str("\n[[layer]]\nname = \"deployment\"\nfile = \"deployment.env\"\n");
    layers.push_str("\n[[layer]]\nname = \"process\"\nprocess = true\n");
    std::fs::write(folder.join("justwhy.toml"), project + &layers)
}

/// How many values each axis has, so that there are at least so many contexts.
fn sizes(contexts: usize) -> [usize; 4] {
    match contexts {
        0..=10 => [contexts.max(1), 1, 1, 1],
        11..=100 => [5, contexts.div_ceil(5), 1, 1],
        101..=500 => [5, 4, contexts.div_ceil(20), 1],
        _ => [5, 4, 10, contexts.div_ceil(200)],
    }
}

/// Whether the layer of that number says the setting of that number.
fn says(layer: usize, setting: usize) -> bool {
    layer == 0 || (setting * 7 + layer * 3) % 10 < 6
}

/// The segments of a setting's key: a hundred settings to a service, ten to a part of it.
fn key(setting: usize) -> [String; 3] {
    [
        format!("service-{:03}", setting / 100),
        format!("part_{}", setting / 10 % 10),
        format!("setting_{}", setting % 10),
    ]
}

/// The value that a layer gives a setting, as JSON, which the other formats read as well.
fn value(layer: usize, setting: usize) -> String {
    match setting % 5 {
        0 => (setting * 10 + layer).to_string(),
        1 => {
            // One value in five refers to another, in chains of up to ten.
            let other = if setting % 50 == 1 { setting - 1 } else { setting - 5 };
            let other = key(other).join(".");
            format!("\"gauge-{setting}.layer-{layer}.${{{other}}}.tide.example\"")
        }
        2 => (setting + layer).is_multiple_of(2).to_string(),
        3 => format!("{}.5", setting + layer),
        _ => format!("[\"harbour-{setting}\", \"breakwater-{layer}\"]"),
    }
}

fn text(layer: usize, file: &str, settings: usize) -> String {
    text_of((0..settings).filter(|setting| says(layer, *setting)), layer, file)
}

/// A file that says these settings.
fn text_of(settings: impl Iterator<Item = usize>, layer: usize, file: &str) -> String {
    let mut out = String::new();
    let mut open: [String; 2] = [String::new(), String::new()];
    for setting in settings {
        let [service, part, name] = key(setting);
        let value = value(layer, setting);
        let is_new_service = open[0] != service;
        let is_new_part = is_new_service || open[1] != part;
        // Writing to a String cannot fail.
        let _ = match file.rsplit('.').next() {
            Some("toml") => {
                if is_new_part {
                    let _ = write!(out, "\n[{service}.{part}]\n");
                }
                writeln!(out, "{name} = {value}")
            }
            Some("yaml") => {
                if is_new_service {
                    let _ = writeln!(out, "{service}:");
                }
                if is_new_part {
                    let _ = writeln!(out, "  {part}:");
                }
                writeln!(out, "    {name}: {value}")
            }
            Some("json") => {
                let closing = match (out.is_empty(), is_new_service, is_new_part) {
                    (true, ..) => "{\n",
                    (_, true, _) => "}},\n",
                    (_, _, true) => "},\n",
                    _ => ",\n",
                };
                out.push_str(closing);
                if is_new_service {
                    let _ = writeln!(out, "\"{service}\": {{");
                }
                if is_new_part {
                    let _ = writeln!(out, "  \"{part}\": {{");
                }
                write!(out, "    \"{name}\": {value}")
            }
            _ => {
                let [service, part, name] = [service.clone(), part.clone(), name]
                    .map(|s| s.to_uppercase().replace('-', "_"));
                let value = value.replace('"', "");
                writeln!(out, "TIDE_{service}__{part}__{name}={value}")
            }
        };
        open = [service, part];
    }
    if file.ends_with(".json") {
        out.push_str("}}}\n");
    }
    out
}

/// Writes a store of 1,000 scopes of 50 variables, and projects whose one layer reads all of them: from
/// that file, from a service and from etcd; and the `stores.toml` that allows it.
pub fn write_scopes(folder: &Path, service: &str, etcd: &str) -> io::Result<()> {
    const SCOPES: usize = 1_000;
    const VARIABLES: usize = 50;
    std::fs::create_dir_all(folder)?;
    let mut text = "justwhy = 1\n".to_owned();
    for scope in 0..SCOPES {
        text.push_str(&format!("[scope.\"team/t{scope:04}\"]\nabout = \"Team {scope}\"\n"));
        text.push_str(&format!("[scope.\"team/t{scope:04}\".variables]\n"));
        for variable in 0..VARIABLES {
            let name = format!("TIDE_GROUP_{}__SETTING_{variable}", scope % 100);
            text.push_str(&match variable % 5 {
                0 => format!(
                    "{name} = {{ value = \"{}\", updated = 2026-03-02T09:00:00Z, by = \"mara\" }}\n",
                    scope * VARIABLES + variable
                ),
                _ => format!("{name} = \"value {scope} of {variable}\"\n"),
            });
        }
    }
    std::fs::write(folder.join("scopes.toml"), text)?;
    let token = "token_variable = \"TIDE_HQ_TOKEN\"";
    for (name, store) in [
        ("file", "file = \"../scopes.toml\"".to_owned()),
        ("service", format!("url = \"{service}\"\n{token}")),
        ("etcd", format!("etcd = [\"{etcd}\"]")),
    ] {
        std::fs::create_dir_all(folder.join(name))?;
        let project = format!(
            "justwhy = 1\n[variables]\nprefix = \"TIDE_\"\n[store.hq]\n{store}\n[[layer]]\nname = \
             \"teams\"\nscope = \"team/*\"\n"
        );
        std::fs::write(folder.join(name).join("justwhy.toml"), project)?;
    }
    let allow = format!(
        "justwhy = 1\n[[allow]]\norigin = \"{service}\"\n{token}\n[[allow]]\norigin = \"{etcd}\"\n"
    );
    std::fs::write(folder.join("stores.toml"), allow)
}

/// Writes a project of `settings` settings to `folder`, which must be there, each set once: in plain files, or
/// the same values in parts of files, under other names and with the references of other programs.
pub fn write_parts(folder: &Path, settings: usize, are_plain: bool) -> io::Result<()> {
    let each = settings / 5;
    let dotted = |at: usize| format!("g{}.key-{at}", at / 50);
    let lines = |line: &dyn Fn(usize) -> String| (0..each).map(line).collect::<String>();
    let tree = |indent: &str| {
        lines(&|at| {
            let branch =
                if at % 50 == 0 { format!("{indent}g{}:\n", at / 50) } else { String::new() };
            format!("{branch}{indent}  key-{at}: value {at}\n")
        })
    };
    let mut files: Vec<(&str, String)> = Vec::new();
    let project = match are_plain {
        true => {
            files.push(("a.yaml", format!("tree:\n{}", tree("  "))));
            files.push(("b.properties", lines(&|at| format!("prop.{}=value {at}\n", dotted(at)))));
            files.push(("c.env", lines(&|at| format!("ENV_KEY{at}=value{at}\n"))));
            let entries: Vec<String> =
                (0..each).map(|at| format!("  \"j{at}\": \"value {at}\"")).collect();
            files.push(("d.json", format!("{{\n{}\n}}\n", entries.join(",\n"))));
            files.push(("e.yaml", format!("pairs:\n{}", lines(&|at| format!("  p{at}: v{at}\n")))));
            "justwhy = 1\n".to_owned()
                + &["a.yaml", "b.properties", "c.env", "d.json", "e.yaml"]
                    .map(|file| {
                        format!("[[layer]]\nname = \"{}\"\nfile = \"{file}\"\n", &file[..1])
                    })
                    .concat()
        }
        false => {
            let head = "kind: Other\n---\nkind: Settings\nmore: [more.yaml]\nspec:\n- name: other\n- name: wanted\n  values:\n";
            files.push(("a.yaml", head.to_owned() + &tree("    ")));
            files.push((
                "more.yaml",
                "kind: Settings\nspec: [{name: wanted, values: {}}]\n".to_owned(),
            ));
            let inner = lines(&|at| format!("    prop.{}=value {at}\n", dotted(at)));
            files.push(("b.yaml", format!("data:\n  app.properties: |\n{inner}")));
            files.push((
                "c.sh",
                lines(&|at| match at % 10 {
                    9 => format!("export ENV_KEY{at}=\"${{ENV_KEY{}:-x}}/{at}\"\n", at - 1),
                    _ => format!("ENV_KEY{at}='value{at}'\n"),
                }),
            ));
            let entries: Vec<String> =
                (0..each).map(|at| format!("  \"j.{at}\": \"dmFsdWUgMTIzNA==\"")).collect();
            files.push(("d.json", format!("{{\n{}\n}}\n", entries.join(",\n"))));
            let pairs = lines(&|at| match at % 10 {
                9 => format!("- {{name: p{at}, value: \"$(p{})/{at}\"}}\n", at - 1),
                _ => format!("- {{name: p{at}, value: v{at}}}\n"),
            });
            files.push(("e.yaml", format!("env:\n{pairs}")));
            "justwhy = 1\n[names]\nloose = true\n\
             [[layer]]\nname = \"a\"\nfile = \"a.yaml\"\ndocument = { kind = \"Settings\" }\n\
             under = \"$.spec[?@.name=='wanted'].values\"\nincludes = \"$.more\"\nreferences = \"colon\"\n\
             [[layer]]\nname = \"b\"\nfile = \"b.yaml\"\nunder = \"$.data['app.properties']\"\n\
             inner = \"properties\"\nreferences = \"percent\"\n\
             [[layer]]\nname = \"c\"\nfile = \"c.sh\"\nreferences = \"posix\"\n\
             [[layer]]\nname = \"d\"\nfile = \"d.json\"\ndecode = \"base64\"\ndotted = true\nelsewhere = [\"${{ * }}\"]\n\
             [[layer]]\nname = \"e\"\nfile = \"e.yaml\"\nunder = \"$.env\"\npairs = true\nnames = \"keys\"\n\
             references = \"parens\"\n\
             [[layer]]\nname = \"f\"\ncommand_line = \"run --x.a=1 --x.b=2\"\n"
                .to_owned()
        }
    };
    for (name, text) in files {
        std::fs::write(folder.join(name), text)?;
    }
    let process = "[[layer]]\nname = \"process\"\nprocess = true\n";
    std::fs::write(folder.join("justwhy.toml"), project + process)
}

/// The words of generated source code.
const WORDS: [&str; 32] = [
    "const",
    "return",
    "level",
    "gauge",
    "reading",
    "station",
    "update",
    "await",
    "result",
    "if",
    "else",
    "format",
    "buffer",
    "index",
    "request",
    "handler",
    "value",
    "service",
    "options",
    "import",
    "record",
    "forecast",
    "average",
    "window",
    "function",
    "string",
    "number",
    "series",
    "publish",
    "queue",
    "minutes",
    "threshold",
];

/// Writes a project of `settings` settings to `folder`, which must be there, and about so many bytes of source
/// code: files of 16 KiB, in which one line of sixty reads a setting.
pub fn write_code(folder: &Path, settings: usize, bytes: u64) -> io::Result<()> {
    const FILE: usize = 16 * 1024;
    write_project(folder, settings)?;
    let project = folder.join("justwhy.toml");
    let text = std::fs::read_to_string(&project)?;
    std::fs::write(project, text + "\n[code]\nfolders = [\"src\"]\n")?;
    // The same numbers in every run.
    let mut state = 0x2545_f491_4f6c_dd1d_u64;
    let mut next = move |below: usize| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        usize::try_from(state % below as u64).unwrap_or_default()
    };
    let files = usize::try_from(bytes).unwrap_or(usize::MAX).div_ceil(FILE);
    let mut text = String::with_capacity(FILE + 200);
    for file in 0..files {
        text.clear();
        let mut line = 0;
        while text.len() < FILE {
            line += 1;
            if line % 60 == 0 {
                let [service, part, name] = key(next(settings));
                let variable =
                    [&service, &part, &name].map(|it| it.to_uppercase().replace('-', "_"));
                let variable = variable.join("__");
                // Writing to a String cannot fail.
                let _ = match next(3) {
                    0 => writeln!(text, "const value = config.get(\"{service}.{part}.{name}\");"),
                    _ => writeln!(text, "const value = process.env.TIDE_{variable} ?? \"5\";"),
                };
                continue;
            }
            text.push_str(["", "  ", "    "][next(3)]);
            for _ in 0..4 + next(6) {
                text.push_str(WORDS[next(WORDS.len())]);
                text.push_str([" ", ".", "(", ", ", " = ", "_"][next(6)]);
            }
            text.push_str(");\n");
        }
        let inside = folder.join("src").join(format!("part-{:03}", file / 100));
        if file % 100 == 0 {
            std::fs::create_dir_all(&inside)?;
        }
        std::fs::write(inside.join(format!("file-{file:05}.js")), &text)?;
    }
    Ok(())
}

/// Packages beside each other, each with 500 files: settings, an env file, source code and data. There is no project
/// file, so that one can be proposed.
pub fn write_repository(folder: &Path, packages: usize) -> std::io::Result<()> {
    const MODULES: usize = 10;
    const FILES: usize = 48;
    const DATA: usize = 17;
    let code = "export const level = [1, 2, 3];\n".repeat(40);
    for number in 0..packages {
        let package = folder.join(format!("packages/p{number:04}"));
        std::fs::create_dir_all(package.join("config"))?;
        std::fs::create_dir_all(package.join("data"))?;
        let port = 3000 + number;
        let defaults = format!("{{ \"port\": {port}, \"pool\": {{ \"max\": 4 }} }}\n");
        std::fs::write(package.join("config/default.json"), defaults)?;
        std::fs::write(package.join("config/production.json"), "{ \"pool\": { \"max\": 16 } }\n")?;
        let variables = format!("STORE_HOST=store{number}.tide.example\nSTORE_PORT=5432\n");
        std::fs::write(package.join(".env"), variables)?;
        for module in 0..MODULES {
            let inside = package.join(format!("src/m{module}"));
            std::fs::create_dir_all(&inside)?;
            for file in 0..FILES {
                let read = match file % 16 {
                    0 => "export const host = process.env.STORE_HOST ?? \"localhost\";\n",
                    _ => "",
                };
                std::fs::write(inside.join(format!("f{file}.ts")), format!("{code}{read}"))?;
            }
        }
        for file in 0..DATA {
            std::fs::write(package.join(format!("data/d{file}.json")), "{\"a\": 1}\n")?;
        }
    }
    Ok(())
}
