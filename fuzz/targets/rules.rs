//! Rules between settings: the first line is a rule, each other one a setting, `a.b=JSON`. What cannot be
//! told is said without any value, and everything ends soon (the run has a time limit for each input).
#![no_main]

use justwhy_core::{Element, Span, Value};
use justwhy_rules::{Expression, Judgement, Named};

/// Longer than any word that a sentence could have by chance.
const SECRET: &str = "hushhushhigh";

fn value(text: &str) -> Value {
    if let Ok(number) = text.parse::<i64>() {
        return Value::Integer(number);
    }
    if let Ok(number) = text.parse::<f64>() {
        return Value::Number(number);
    }
    match text {
        "true" | "false" => Value::Boolean(text == "true"),
        _ => match text.split_once(',') {
            Some(_) => Value::List(
                text.split(',')
                    .map(|item| Element { value: value(item), at: Span::default() })
                    .collect(),
            ),
            None => Value::Text(text.into()),
        },
    }
}

libfuzzer_sys::fuzz_target!(|text: &str| {
    let mut lines = text.lines();
    let rule = lines.next().unwrap_or_default();
    let Ok(expression) = Expression::parse(rule) else { return };
    let mut settings: Vec<Named> =
        vec![(vec!["api_token".to_owned()], Value::Text(SECRET.into()), None)];
    for line in lines {
        if let Some((key, text)) = line.split_once('=') {
            settings.push((key.split('.').map(str::to_owned).collect(), value(text), None));
        }
    }
    // Long lists and texts, so that what goes through them takes its time.
    let many =
        (0..10_000).map(|number| Element { value: Value::Integer(number), at: Span::default() });
    settings.push((vec!["a".to_owned()], Value::List(many.collect()), None));
    settings.push((vec!["s".to_owned()], Value::Text("high water ".repeat(10_000).into()), None));
    for judged in expression.judge(&[settings]) {
        if let Judgement::Unclear(why) = judged {
            assert!(rule.contains(SECRET) || !why.contains(SECRET), "{why}");
        }
    }
});
