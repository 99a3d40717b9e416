//! Every form of a sentence can be filled in.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use std::path::Path;

#[test]
fn every_form_names_its_parts() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("src/model/words");
    let mut forms = 0;
    for file in std::fs::read_dir(folder).unwrap().flatten() {
        let text = std::fs::read_to_string(file.path()).unwrap();
        for form in text.split("&str =").skip(1) {
            let form = &form[..form.find(";\n").unwrap()];
            let mut rest = form.trim().trim_matches('"');
            while let Some((_, after)) = rest.split_once('{') {
                if let Some(after) = after.strip_prefix('{') {
                    rest = after;
                    continue;
                }
                let (name, after) = after.split_once('}').unwrap_or_else(|| panic!("{form}"));
                let fine = |c: char| c.is_ascii_lowercase() || c == '_';
                assert!(!name.is_empty() && name.chars().all(fine), "{form}");
                rest = after;
            }
            forms += 1;
        }
    }
    assert!(forms > 200, "{forms}");
}
