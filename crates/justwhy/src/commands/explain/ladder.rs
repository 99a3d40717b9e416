//! What every layer says about a setting, strongest first: a rung for each.

use crate::look::{Look, Role, Symbol, fill, width};
use justwhy_core::{LayerState, Resolution, Row, Rule, Verdict};

/// The columns that the longest verdict takes.
const VERDICTS: usize = "contributes".len();

pub(super) fn layer_name<'r>(resolution: &'r Resolution, row: &Row) -> &'r str {
    &resolution.readings().layer(row.layer()).name
}

/// One rung: the layer, what it says or its state, and below that where and why.
pub(super) fn rung(
    look: &Look,
    resolution: &Resolution,
    row: &Row,
    names: usize,
    has_next: bool,
    out: &mut String,
) {
    let name = layer_name(resolution, row);
    let (symbol, symbol_role, verdict, verdict_role) = mark(row);
    let start = format!(
        "  {} {}  {}  ",
        look.paint(symbol_role, look.symbol(symbol)),
        fill(&look.paint(Role::Layer, name), name.len(), names),
        fill(&look.paint(verdict_role, verdict), verdict.len(), VERDICTS),
    );
    let said_role = match (symbol, symbol_role) {
        (Symbol::Decides, Role::Value) => Role::Value,
        _ => Role::Plain,
    };
    let indent = names + VERDICTS + 4;
    let mut body = Rung {
        look,
        room: look.columns().saturating_sub(indent + 4).max(20),
        lines: Vec::new(),
        long: Vec::new(),
    };
    match row {
        Row::Said { .. } => said(resolution, row, said_role, &mut body),
        Row::Unsaid { because, near, .. } => {
            body.paragraph(because, if near.is_empty() { Role::Lost } else { Role::Warning });
        }
    }
    let Rung { lines, mut long, .. } = body;
    let rail = look.paint(Role::Lost, if has_next { look.symbol(Symbol::Rail) } else { " " });
    for (at, line) in lines.iter().enumerate() {
        let line = match at {
            0 => format!("{start}{line}"),
            _ => format!("  {rail} {:indent$}{line}", ""),
        };
        out.push_str(line.trim_end());
        out.push('\n');
        for line in std::mem::take(&mut long) {
            out.push_str(&format!("  {rail}   {}\n", look.paint(said_role, &line)));
        }
    }
}

/// The symbol of a row, its verdict or state, and how both are painted.
fn mark(row: &Row) -> (Symbol, Role, &'static str, Role) {
    match row {
        Row::Said { verdict: Verdict::Wins, .. } => {
            (Symbol::Decides, Role::Value, "wins", Role::Value)
        }
        Row::Said { verdict: Verdict::Unreadable, .. } => {
            (Symbol::Decides, Role::Wrong, "unreadable", Role::Wrong)
        }
        Row::Said { verdict: Verdict::Withheld, .. } => {
            (Symbol::Lost, Role::Warning, "withheld", Role::Warning)
        }
        Row::Said { verdict, .. } => (Symbol::Lost, Role::Lost, verdict.name(), Role::Lost),
        Row::Unsaid { state: LayerState::Unavailable, .. } => {
            (Symbol::Quiet, Role::Warning, "unavailable", Role::Warning)
        }
        Row::Unsaid { state, near, .. } if !near.is_empty() => {
            (Symbol::Quiet, Role::Warning, state.name(), Role::Lost)
        }
        Row::Unsaid { state, .. } => (Symbol::Quiet, Role::Lost, state.name(), Role::Lost),
    }
}

/// What stands behind the layer's name.
struct Rung<'l> {
    look: &'l Look,
    room: usize,
    lines: Vec<String>,
    /// A value that has lines of its own, as it would be hard to read, and to copy, broken at the right.
    long: Vec<String>,
}

impl Rung<'_> {
    fn paragraph(&mut self, text: &str, role: Role) {
        let lines = self.look.wrap(text, self.room);
        self.lines.extend(lines.iter().map(|line| self.look.paint(role, line)));
    }

    fn value(&mut self, text: &str, role: Role) {
        let text = self.look.text(text);
        if width(&text) <= self.room {
            return self.paragraph(&text, role);
        }
        self.paragraph("", role);
        self.long.extend(self.look.wrap(&self.look.cut(&text, 400), self.look.columns() - 6));
    }
}

/// What a candidate says, where, and why it won or lost.
fn said(resolution: &Resolution, row: &Row, role: Role, body: &mut Rung<'_>) {
    let Row::Said {
        at,
        written,
        raw,
        verdict,
        rule,
        by,
        because,
        through,
        is_old_name,
        pins,
        note,
        scope,
    } = row
    else {
        return;
    };
    let keys = resolution.keys();
    let is_unreadable = note.as_ref().is_some_and(|note| note.unreadable.is_some());
    let says = match written {
        Some(value) => match raw {
            Some(raw) => format!("{}, written {raw}", value.show()),
            None => value.show(),
        },
        None if at.is_pattern => format!("remove {}", at.shown_name(keys)),
        None if is_unreadable => "(cannot be read)".to_owned(),
        None => "(secret)".to_owned(),
    };
    body.value(&says, role);
    let place = match scope {
        Some(scope) if at.place.has_line() => format!("{}, scope {scope}", at.show(keys)),
        _ => at.show(keys),
    };
    let by = by.map(|by| resolution.candidate(by));
    let is_next = by.is_some_and(|by| resolution.layer_of(by) != at.layer);
    let is_overridden = *verdict == Verdict::Overridden && is_next;
    match by {
        // The rung above says the rest.
        Some(by) if is_overridden && through.is_none() && !is_old_name => {
            let by = &resolution.readings().layer(resolution.layer_of(by)).name;
            body.paragraph(&format!("{place}, by {by}"), Role::Place);
        }
        _ => body.paragraph(&place, Role::Place),
    }
    let is_plain_win = *verdict == Verdict::Wins && *rule == Rule::Precedence && !*pins;
    if !(is_overridden || is_plain_win) || through.is_some() || *is_old_name {
        body.paragraph(because, Role::Lost);
    } else if let Some(note) = note.as_deref() {
        let encrypted = note.encrypted.as_ref().map(|_| "encrypted".to_owned());
        let known: Vec<String> = encrypted.into_iter().chain(note.history()).collect();
        if !known.is_empty() {
            body.paragraph(&known.join(", "), Role::Lost);
        }
    }
}
