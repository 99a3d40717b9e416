use super::*;
use crate::model::document::Leaf;
use crate::model::key::{KeyId, Keys};

/// Decrypts one value.
struct One(String);

impl Decrypts for One {
    fn decrypt(&self, encrypted: &str) -> Result<Text, String> {
        match encrypted == self.0 {
            true => Ok(Text::secret("tide".to_owned())),
            false => Err("it is for somebody else".to_owned()),
        }
    }
}

#[test]
fn only_whole_values_with_the_beginning_are_encrypted() {
    assert!(is_encrypted(&format!("{ENCRYPTED_MARK}{}CgAA", BEGINNINGS[0])));
    // What was hit at its beginning is no plain text.
    let long = format!("age:{}!{}", "A".repeat(60), "B".repeat(60));
    for damaged in ["age:YQ==", "age:XWdlLWVuY3J5cHRpb24ub3JnL3Yx", long.as_str()] {
        assert!(is_encrypted(damaged), "{damaged}");
    }
    for plain in
        ["", "age", "age:", "age: 30", "age:YWdlLWVuY3J5", " age:YWdlLWVuY3J5cHRpb24ub3JnL3Yx"]
    {
        assert!(!is_encrypted(plain), "{plain}");
    }
}

#[test]
fn what_can_be_decrypted_is_and_the_rest_is_noted() {
    let mut keys = Keys::default();
    let mut document = Document::default();
    let texts = [
        format!("{ENCRYPTED_MARK}{}A", BEGINNINGS[0]),
        "plain".to_owned(),
        format!("{ENCRYPTED_MARK}{}B", BEGINNINGS[1]),
        "last".to_owned(),
    ];
    for (number, text) in texts.iter().enumerate() {
        let name = keys.child(KeyId::ROOT, &format!("k{number}"));
        document.leaves.push(Leaf {
            name,
            value: Value::Text(text.as_str().into()),
            at: None,
            name_at: None,
        });
    }
    let by_mara = Note { by: Some("mara".into()), ..Note::default() };
    document.notes = vec![(1, Arc::new(by_mara.clone())), (2, Arc::new(by_mara.clone()))];
    document.decrypt(&One(texts[0].clone()));
    let values: Vec<&Value> = document.leaves.iter().map(|leaf| &leaf.value).collect();
    assert_eq!(
        values,
        [
            &Value::Text("tide".into()),
            &Value::Text("plain".into()),
            &Value::Unread,
            &Value::Text("last".into())
        ]
    );
    assert!(matches!(values[0], Value::Text(text) if text.is_secret()));
    let opened =
        Note { secret: true, encrypted: Some(texts[0].as_str().into()), ..Note::default() };
    assert_eq!(document.note(0), Some(&opened));
    assert_eq!(document.note(1), Some(&by_mara));
    let shut = Note {
        secret: true,
        unreadable: Some("it is for somebody else".into()),
        encrypted: Some(texts[2].as_str().into()),
        ..by_mara
    };
    assert_eq!(document.note(2), Some(&shut));
    assert_eq!(document.note(3), None);
    assert!(document.hides(0) && !document.hides(1) && document.hides(2));
}
