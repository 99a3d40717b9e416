//! A text gives all that is wrong in it, and what can be known all the same.

use crate::{Format, Kind, Limits, Tree};

/// The lines and columns of all faults, and the names of the values that are known all the same.
fn read(format: Format, text: &str) -> (Vec<(usize, usize)>, Vec<String>) {
    let source = justwhy_core::SourceText::new(text.to_owned());
    let (tree, faults) = format.read(text, Limits::default());
    let places = faults.iter().map(|fault| {
        let position = source.position(fault.at.start);
        (position.line, position.column)
    });
    let mut names = Vec::new();
    let mut open: Vec<(String, crate::NodeId)> =
        tree.entries(Tree::ROOT).map(|id| (String::new(), id)).collect();
    open.reverse();
    while let Some((above, id)) = open.pop() {
        let node = tree.node(id);
        let name = format!("{above}{}", node.name);
        match &node.kind {
            Kind::Table(_) => {
                let below: Vec<_> =
                    tree.entries(id).map(|child| (format!("{name}."), child)).collect();
                open.extend(below.into_iter().rev());
            }
            _ => names.push(name),
        }
    }
    (places.collect(), names)
}

#[test]
fn every_faulty_line_is_told_and_the_others_are_read() {
    for (what, format, text, places, names) in [
        ("nothing is wrong", Format::ENV, "A=1\nB=2\n", vec![], "A B"),
        ("env", Format::ENV, "A=1\n1B=2\nC = 3\nD=4\n", vec![(2, 1), (3, 2)], "A D"),
        ("env, a quote that never ends", Format::ENV, "A=1\nB='x\nC=3\n", vec![(2, 3)], "A C"),
        (
            "ini: below a header that cannot be read nobody knows what a key belongs to",
            Format::INI,
            "a = 1\nnonsense\n[broken\nlost = 1\n[good]\n= 2\nk = 1\n",
            vec![(2, 1), (3, 1), (6, 1)],
            "a good.k",
        ),
        ("properties", Format::PROPERTIES, "a=1\na=2\nb=\\u12\nc=3\n", vec![(2, 1), (3, 3)], "a c"),
        (
            "toml",
            Format::TOML,
            "x = 1\nx = 2\n[t]\nz = 1\n[t]\nlost = 2\n[v]\nw = 99999999999999999999\nk = 1\n",
            vec![(2, 1), (5, 2), (8, 5)],
            "x t.z v.w v.k",
        ),
        ("json stops at the first", Format::JSON, "{\"a\": 1,, \"b\": }", vec![(1, 9)], ""),
        ("yaml stops at the first", Format::YAML, "a: 1\nb: [\n", vec![(2, 4)], ""),
    ] {
        let known: Vec<&str> = names.split_whitespace().collect();
        assert_eq!(
            read(format, text),
            (places, known.iter().map(|it| (*it).into()).collect()),
            "{what}"
        );
    }
}

#[test]
fn a_file_of_nothing_but_faults_is_not_told_line_by_line() {
    for (format, line) in [(Format::ENV, "=\n"), (Format::INI, "x\n"), (Format::TOML, "x\n")] {
        let (places, _) = read(format, &line.repeat(100_000));
        assert!((10..=20).contains(&places.len()), "{format:?}: {}", places.len());
    }
}

#[test]
fn what_refuses_a_text_names_the_first_fault() {
    for format in [Format::ENV, Format::INI, Format::PROPERTIES, Format::TOML] {
        for text in ["A=1\nA=1\n=\n[\n", "=\nA=1\n", "[a\n=\n", "A=1\n\\u1=2\nA=2\n"] {
            let (_, faults) = format.read(text, Limits::default());
            let first = faults.into_iter().next();
            assert_eq!(format.parse(text, Limits::default()).err(), first, "{format:?} {text}");
        }
    }
}
