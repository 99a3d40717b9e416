use super::{Clauses, Fact, Part, list_values};

#[test]
fn a_sentence_is_its_form_with_the_parts_in_it() {
    let place = Fact::new("{file}:{line}").with("file", "a.toml").with("line", 3_usize);
    let fact = Fact::new("{key} is {value} ({place}){more}; write `${{x}` for {key}")
        .with("value", "1")
        .with("place", place)
        .with_some("more", None::<&str>);
    assert_eq!(fact.sentence(Some("level")), "level is 1 (a.toml:3); write `${x}` for level");
    // What has its own key is not about that of the finding.
    let own = fact.clone().with("key", "other");
    assert!(own.sentence(Some("level")).starts_with("other is 1"));
    assert_eq!(fact.to_string(), " is 1 (a.toml:3); write `${x}` for ");
    // What is in a part is no form.
    let told = Fact::told("100 % of {braces} and {{");
    assert_eq!(told.to_string(), "100 % of {braces} and {{");
    assert_eq!(Fact::new("{a}").with("a", told).to_string(), "100 % of {braces} and {{");
}

#[test]
fn several_are_told_with_an_and_or_one_after_the_other() {
    let all = |parts: &[&str]| Part::from(parts.to_vec()).to_string();
    assert_eq!(all(&[]), "");
    assert_eq!(all(&["a"]), "a");
    assert_eq!(all(&["a", "b", "c"]), "a, b and c");
    let clauses = Clauses(vec![Fact::new("one"), Fact::new("other")]);
    assert_eq!(clauses.to_string(), "one; other");
    assert_eq!(list_values(&["a", "b"], "or"), "a or b");
}

#[test]
fn facts_are_the_same_whatever_their_sentences_look_like() {
    let shown = |text: &str| Fact::new("{a}").with("a", text);
    assert_eq!(shown("x"), shown("x"));
    assert_ne!(shown("x"), shown("y"));
    assert_ne!(shown("x"), Fact::new("x"));
}
