//! Everyday names of commands.

use justwhy_core::nearest;

/// Names by which people look for a command, with the one that they mean.
const EVERYDAY: [(&str, &str); 38] = [
    ("cat", "export"),
    ("cmp", "compare"),
    ("delete", "drop"),
    ("describe", "explain"),
    ("diff", "compare"),
    ("doctor", "check"),
    ("dump", "export"),
    ("edit", "put"),
    ("env", "export"),
    ("eval", "explain"),
    ("exec", "launch"),
    ("get", "explain"),
    ("grep", "find"),
    ("info", "explain"),
    ("init", "demo"),
    ("inspect", "explain"),
    ("keygen", "identity"),
    ("lint", "check"),
    ("ls", "list"),
    ("matrix", "grid"),
    ("missing", "needs"),
    ("mv", "move"),
    ("plan", "suppose"),
    ("print", "list"),
    ("remove", "drop"),
    ("render", "export"),
    ("required", "needs"),
    ("rm", "drop"),
    ("run", "launch"),
    ("search", "find"),
    ("set", "put"),
    ("show", "explain"),
    ("table", "grid"),
    ("test", "check"),
    ("unset", "drop"),
    ("validate", "check"),
    ("verify", "check"),
    ("why", "explain"),
];

/// Which of the commands is meant by a name that none of them has.
pub(crate) fn meant<'n>(name: &str, names: &[&'n str]) -> Option<&'n str> {
    let lower = name.to_ascii_lowercase();
    let everyday = EVERYDAY.iter().find(|(other, _)| *other == lower);
    let named = everyday.and_then(|(_, command)| names.iter().find(|other| *other == command));
    named.copied().or_else(|| nearest(name, names.iter().copied()))
}
