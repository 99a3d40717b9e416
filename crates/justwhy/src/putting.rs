//! The command line that writes a setting.

use justwhy_core::{Answers, Explanation, KeyPath, Layer, LayerIndex, Readings, destination};

/// The command that writes the setting in a layer, if one can.
pub(crate) fn command(
    answers: &Answers<'_>,
    answer: &Explanation,
    layer: LayerIndex,
) -> Option<String> {
    let readings = answers.resolution().readings();
    let key = answers.resolution().keys().show(answer.key);
    let path = KeyPath::parse(&key).ok()?;
    let destination = destination(answers, layer, &path).ok()?;
    let value = if answer.secret { "-" } else { "VALUE" };
    let encrypt = if destination.encrypted.is_some() { " --encrypt" } else { "" };
    let layer = readings.layer(layer);
    let at = reach(readings, layer);
    let at = if at.is_empty() { at } else { format!(" -i {}", word(&at)) };
    Some(format!("justwhy put {} {value} -l {}{at}{encrypt}", word(&key), word(&layer.name)))
}

/// The values of the axes on which it depends where the layer writes.
fn reach(readings: &Readings, layer: &Layer) -> String {
    let of_conditions = layer.when.iter().chain(&layer.unless).map(|it| &it.axis);
    let mut axes: Vec<&String> = Vec::new();
    for axis in layer.axes.iter().chain(of_conditions) {
        if !axes.contains(&axis) {
            axes.push(axis);
        }
    }
    let value = |axis: &&String| Some(format!("{axis}={}", readings.context.value(axis)?));
    axes.iter().filter_map(value).collect::<Vec<_>>().join(",")
}

/// A word as a shell takes it.
pub(crate) fn word(text: &str) -> String {
    let is_plain = |byte: u8| byte.is_ascii_alphanumeric() || b"._-=,:@/+".contains(&byte);
    match !text.is_empty() && text.bytes().all(is_plain) {
        true => text.to_owned(),
        false => format!("'{}'", text.replace('\'', "'\\''")),
    }
}
