//! Generated documents whose places are known from how they were made.

use super::read_with;
use crate::Format;
use crate::Limits;

/// How many documents of each format.
const DOCUMENTS: u64 = 400;

/// Numbers that are the same in every run.
pub(crate) struct Random(pub(crate) u64);

impl Random {
    pub(crate) fn below(&mut self, most: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 >> 33).unwrap() % most
    }

    fn once_in(&mut self, times: usize) -> bool {
        self.below(times) == 0
    }

    pub(crate) fn one<'a, T: ?Sized>(&mut self, of: &[&'a T]) -> &'a T {
        of[self.below(of.len())]
    }
}

/// A document in the making. It counts lines and characters as it is written, so that it knows where
/// each value begins without looking at the text again.
struct Writer {
    text: String,
    line: usize,
    column: usize,
    line_end: &'static str,
    /// `key value line:column` of each value.
    expected: Vec<String>,
    names: usize,
}

impl Writer {
    fn new(random: &mut Random) -> Writer {
        let text = if random.once_in(4) { "\u{feff}".to_owned() } else { String::new() };
        let line_end = random.one(&["\n", "\r\n"]);
        Writer { text, line: 1, column: 1, line_end, expected: Vec::new(), names: 0 }
    }

    fn put(&mut self, text: &str) {
        for c in text.chars() {
            assert_ne!(c, '\n', "lines end by `end`");
            self.text.push(c);
            self.column += 1;
        }
    }

    fn end(&mut self) {
        self.text.push_str(self.line_end);
        self.line += 1;
        self.column = 1;
    }

    fn here(&self) -> (usize, usize) {
        (self.line, self.column)
    }

    /// The next thing that is written is the value of `key`, shown so.
    fn expect(&mut self, key: &[String], shown: &str) {
        let here = self.here();
        self.expect_at(key, shown, here);
    }

    fn expect_at(&mut self, key: &[String], shown: &str, (line, column): (usize, usize)) {
        let key = justwhy_core::KeyPath::from_segments(key.to_vec()).unwrap();
        self.expected.push(format!("{key} {shown} {line}:{column}"));
    }

    /// A name that the document does not have yet, sometimes with characters of several bytes.
    fn name(&mut self, random: &mut Random) -> String {
        self.names += 1;
        format!("{}{}", random.one(&["a", "key-", "é", "水位", "x_", "😀"]), self.names)
    }

    fn check(self, format: Format) {
        let mut read = read_with(format, self.text.as_bytes(), Limits::default());
        let mut expected = self.expected;
        read.sort();
        expected.sort();
        assert_eq!(read, expected, "{format:?}\n{}", self.text);
    }
}

fn inside(path: &[String], name: &str) -> Vec<String> {
    path.iter().cloned().chain([name.to_owned()]).collect()
}

fn documents(format: Format, write: impl Fn(&mut Random, &mut Writer)) {
    let mut values = 0;
    for seed in 1..=DOCUMENTS {
        let mut random = Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15));
        for _ in 0..4 {
            random.below(2);
        }
        let mut writer = Writer::new(&mut random);
        write(&mut random, &mut writer);
        values += writer.expected.len();
        writer.check(format);
    }
    assert!(values > 1_000, "{format:?}: only {values} values");
}

/// A value that TOML, JSON and YAML write alike, as it is shown.
fn plain(random: &mut Random) -> &'static str {
    random.one(&["1", "-7", "true", "2.5", "\"x\"", "\"é 水\"", "\"\"", "[1, 2]", "[\"é\", [3]]"])
}

#[test]
fn toml_is_read_where_it_is_written() {
    documents(Format::TOML, |random, out| {
        let mut path: Vec<String> = Vec::new();
        for _ in 0..random.below(12) {
            match random.below(7) {
                0 => {
                    path = (0..1 + random.below(2)).map(|_| out.name(random)).collect();
                    let header: Vec<String> = path.iter().map(|name| toml_key(name)).collect();
                    out.put(&format!("[{}]", header.join(" . ")));
                }
                1 => out.put("  # a comment: é = 1"),
                2 => {}
                3 => {
                    let name = out.name(random);
                    out.put(&format!("{} = ", toml_key(&name)));
                    toml_inline(random, out, &inside(&path, &name), 2);
                }
                4 => {
                    let name = out.name(random);
                    out.put(&format!("{} = ", toml_key(&name)));
                    out.expect(&inside(&path, &name), "\"é\\nx\"");
                    out.put("\"\"\"é");
                    out.text.push('\n');
                    out.line += 1;
                    out.column = 1;
                    out.put("x\"\"\"");
                }
                _ => {
                    let (one, two) = (out.name(random), out.name(random));
                    out.put(&format!("{}.{}  =  ", toml_key(&one), toml_key(&two)));
                    let value = plain(random);
                    out.expect(&inside(&inside(&path, &one), &two), value);
                    out.put(value);
                    if random.once_in(3) {
                        out.put(" # é");
                    }
                }
            }
            out.end();
        }
    });
}

fn toml_key(name: &str) -> String {
    let is_bare = name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '-');
    if is_bare { name.to_owned() } else { format!("\"{name}\"") }
}

fn toml_inline(random: &mut Random, out: &mut Writer, path: &[String], depth: usize) {
    out.put("{ ");
    for number in 0..1 + random.below(3) {
        if number > 0 {
            out.put(", ");
        }
        let name = out.name(random);
        out.put(&format!("{} = ", toml_key(&name)));
        let path = inside(path, &name);
        if depth > 0 && random.once_in(3) {
            toml_inline(random, out, &path, depth - 1);
        } else {
            let value = plain(random);
            out.expect(&path, value);
            out.put(value);
        }
    }
    out.put(" }");
}

fn json_object(
    random: &mut Random,
    out: &mut Writer,
    path: &[String],
    depth: usize,
    gap: &dyn Fn(&mut Random, &mut Writer),
) {
    out.put("{");
    for number in 0..1 + random.below(3) {
        if number > 0 {
            out.put(",");
        }
        gap(random, out);
        let name = out.name(random);
        out.put(&format!("\"{name}\":"));
        gap(random, out);
        let path = inside(path, &name);
        if depth > 0 && random.once_in(3) {
            json_object(random, out, &path, depth - 1, gap);
        } else {
            let value = if random.once_in(6) { "null" } else { plain(random) };
            out.expect(&path, value);
            out.put(value);
        }
        gap(random, out);
    }
    out.put("}");
}

fn blanks(random: &mut Random, out: &mut Writer) {
    match random.below(4) {
        0 => out.end(),
        1 => out.put("\t"),
        2 => out.put("  "),
        _ => {}
    }
}

#[test]
fn json_is_read_where_it_is_written() {
    documents(Format::JSON, |random, out| {
        blanks(random, out);
        json_object(random, out, &[], 3, &blanks);
        blanks(random, out);
    });
}

#[test]
fn json_with_comments_is_read_where_it_is_written() {
    let gap = |random: &mut Random, out: &mut Writer| match random.below(6) {
        0 => {
            out.put("// é { \"x\": 1 }");
            out.end();
        }
        1 => {
            out.put("/* 水");
            out.end();
            out.put(" */");
        }
        _ => blanks(random, out),
    };
    documents(Format::JSONC, |random, out| json_object(random, out, &[], 3, &gap));
}

/// Values of YAML, with how each is shown.
const YAML: [(&str, &str); 9] = [
    ("1", "1"),
    ("é x", "\"é x\""),
    ("'é'", "\"é\""),
    ("\"a\\tb\"", "\"a\\tb\""),
    ("~", "null"),
    ("true", "true"),
    ("[1, é]", "[1, \"é\"]"),
    ("- ", ""),
    ("2.5", "2.5"),
];

fn yaml_merge(random: &mut Random, out: &mut Writer, (path, indent): (&[String], &str)) {
    // A table with an anchor, and one that takes its entry in: the place stays.
    let (anchor, inner) = (format!("anchor{}", out.names), out.name(random));
    out.put(&format!(" &{anchor} {{{inner}: "));
    let at = out.here();
    out.expect(&inside(path, &inner), "[1, 2]");
    out.put("[1, 2]}");
    out.end();
    let (other, own) = (out.name(random), out.name(random));
    out.put(&format!("{indent}{other}: {{<<: *{anchor}, {own}: "));
    let other = inside(&path[..path.len() - 1], &other);
    out.expect(&inside(&other, &own), "true");
    out.put("true}");
    out.expect_at(&inside(&other, &inner), "[1, 2]", at);
}

fn yaml_map(random: &mut Random, out: &mut Writer, path: &[String], depth: usize) {
    let indent = "  ".repeat(path.len());
    for number in 0..1 + random.below(3) {
        if number > 0 || !path.is_empty() {
            out.put(&indent);
        }
        let name = out.name(random);
        let path = inside(path, &name);
        out.put(&format!("{name}:"));
        match random.below(9) {
            8 => {
                yaml_merge(random, out, (&path, &indent));
            }
            0 if depth > 0 => {
                out.end();
                yaml_map(random, out, &path, depth - 1);
                continue;
            }
            1 => {
                out.put(" ");
                yaml_flow(random, out, &path, 2);
            }
            2 => {
                out.put("  ");
                out.expect(&path, "\"é\\nx\\n\"");
                out.put("|");
                out.end();
                out.put(&format!("{indent}  é"));
                out.end();
                out.put(&format!("{indent}  x"));
            }
            3 => {
                // An anchor, and an alias that stands for what is written there.
                let anchor = format!("anchor{}", out.names);
                out.put(&format!(" &{anchor} "));
                let at = out.here();
                out.expect(&path, "\"é水\"");
                out.put("é水");
                out.end();
                let alias = out.name(random);
                out.put(&format!("{indent}{alias}: *{anchor}"));
                out.expect_at(&inside(&path[..path.len() - 1], &alias), "\"é水\"", at);
            }
            4 => {
                out.put(" !!str ");
                out.expect(&path, "\"5\"");
                out.put("5");
            }
            _ => {
                let (written, shown) = YAML[random.below(YAML.len())];
                out.put("   ");
                match written {
                    "- " => {
                        out.expect(&path, "[\"-\"]");
                        out.put("[\"-\"]");
                    }
                    written => {
                        out.expect(&path, shown);
                        out.put(written);
                    }
                }
                if random.once_in(3) {
                    out.put(" # é: 1");
                }
            }
        }
        out.end();
    }
}

fn yaml_flow(random: &mut Random, out: &mut Writer, path: &[String], depth: usize) {
    out.put("{");
    for number in 0..1 + random.below(3) {
        if number > 0 {
            out.put(", ");
        }
        let name = out.name(random);
        out.put(&format!("{name}: "));
        let path = inside(path, &name);
        if depth > 0 && random.once_in(3) {
            yaml_flow(random, out, &path, depth - 1);
        } else {
            let value = plain(random);
            out.expect(&path, value);
            out.put(value);
        }
    }
    out.put("}");
}

#[test]
fn yaml_is_read_where_it_is_written() {
    documents(Format::YAML, |random, out| {
        if random.once_in(3) {
            out.put("# é");
            out.end();
        }
        yaml_map(random, out, &[], 3);
    });
}

#[test]
fn env_files_are_read_where_they_are_written() {
    documents(Format::ENV, |random, out| {
        for number in 0..random.below(8) {
            let name = [format!("{}{number}", random.one(&["A", "b_", "_X"]))];
            out.put(random.one(&["", "  ", "export ", "\t"]));
            out.put(&format!("{}=", name[0]));
            match random.below(6) {
                0 => out.expect(&name, "\"\""),
                1 => {
                    out.expect(&name, "\"é # x\"");
                    out.put("'é # x' # comment");
                }
                2 => {
                    out.expect(&name, "\"é\\nx\"");
                    out.put("\"é");
                    out.end();
                    out.put("x\"");
                }
                3 => {
                    out.expect(&name, "\"a\\tb\"");
                    out.put("\"a\\tb\"");
                }
                _ => {
                    out.expect(&name, "\"é=水\"");
                    out.put("é=水  # é");
                }
            }
            out.end();
            if random.once_in(4) {
                out.put("# é = 1");
                out.end();
            }
        }
    });
}

#[test]
fn ini_is_read_where_it_is_written() {
    documents(Format::INI, |random, out| {
        let mut path: Vec<String> = Vec::new();
        for _ in 0..random.below(12) {
            match random.below(5) {
                0 => {
                    path = (0..1 + random.below(2)).map(|_| out.name(random)).collect();
                    let header: Vec<String> = path.iter().map(|name| toml_key(name)).collect();
                    out.put(&format!("{}[{}] ", random.one(&["", " "]), header.join(".")));
                }
                1 => out.put(random.one(&["; é = 1", "  # x", "", "   "])),
                _ => {
                    let name = out.name(random);
                    out.put(random.one(&["", "  "]));
                    out.put(&format!("{name}{}", random.one(&["=", " = ", ":", " :\t"])));
                    match random.below(3) {
                        0 => {
                            out.expect(&inside(&path, &name), "\" é \"");
                            out.put("\" é \"  ");
                        }
                        _ => {
                            out.expect(&inside(&path, &name), "\"x = é ; 水\"");
                            out.put("x = é ; 水 ");
                        }
                    }
                }
            }
            out.end();
        }
    });
}

#[test]
fn properties_are_read_where_they_are_written() {
    documents(Format::PROPERTIES, |random, out| {
        for _ in 0..random.below(10) {
            if random.once_in(4) {
                out.put(random.one(&["# é = 1", "  ! x \\", "", "  "]));
                out.end();
                continue;
            }
            let (one, two) = (out.name(random), out.name(random));
            out.put(random.one(&["", "  "]));
            out.put(&format!("{one}.{two}{}", random.one(&["=", " = ", ":", " ", "\t:  "])));
            if random.once_in(3) {
                out.put("\\");
                out.end();
                out.put("    ");
            }
            let path = [one, two];
            match random.below(3) {
                0 => {
                    out.expect(&path, "\"é\\tü\"");
                    out.put("\\u00e9\\t\\u00FC");
                }
                1 => {
                    out.expect(&path, "\"ab\"");
                    out.put("a\\");
                    out.end();
                    out.put("  b");
                }
                _ => {
                    out.expect(&path, "\"水 = : x\"");
                    out.put("水 = : x");
                }
            }
            out.end();
        }
    });
}
