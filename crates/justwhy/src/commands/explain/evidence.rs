//! What every layer has for a setting: the ones that matter as lines, the others as a count.

use crate::look::{Cell, Look, Role};
use justwhy_core::{
    Answers, Explanation, LayerState, NearName, Presence, Resolution, Row, Rule, Value, Verdict,
};
use justwhy_engine::NotHere;

/// The most weaker candidates that are shown one by one.
const MOST_WEAKER: usize = 3;
/// The most candidates that do not apply here and are shown one by one.
const MOST_NOT_HERE: usize = 2;
/// The label of what does not apply here.
const NOT_HERE: &str = "not here";
/// The characters of a value that is not shown twice.
const LONG: usize = 24;

/// How much of the evidence is wanted.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Detail {
    /// What matters.
    Short,
    /// Every candidate.
    Candidates,
    /// Every layer, with all reasons.
    Full,
}

/// The layers that have something to do with the value, and the counts of the others.
pub(in crate::commands) struct Evidence {
    lines: Vec<Vec<Cell>>,
    /// Weaker candidates that are only counted.
    weaker: usize,
    /// Layers that do not set it, and are only counted.
    others: usize,
    /// Layers that do not apply here, and are only counted.
    not_here: usize,
    /// What such layers set, shown after the candidates.
    set_elsewhere: Vec<Vec<Cell>>,
}

impl Evidence {
    /// `not_here` has what layers set that do not apply here.
    pub(super) fn of(
        answers: &Answers<'_>,
        answer: &Explanation,
        not_here: &[&NotHere],
        detail: Detail,
    ) -> Evidence {
        let is_full = detail == Detail::Full;
        let resolution = answers.resolution();
        let rows = answer.rows(answers);
        let has_winner = answer.winner.is_some();
        let mut evidence = Evidence {
            lines: Vec::new(),
            weaker: 0,
            others: 0,
            not_here: 0,
            set_elsewhere: Vec::new(),
        };
        let is_weaker = |row: &Row| {
            matches!(row, Row::Said { verdict: Verdict::Overridden | Verdict::Removed, .. })
        };
        let (value, mut weaker) = (answer.value(), 0);
        for row in &rows {
            if is_weaker(row) && detail == Detail::Short {
                weaker += 1;
                if weaker > MOST_WEAKER {
                    evidence.weaker += 1;
                    continue;
                }
            }
            match row {
                // What wins comes first: it is the answer.
                Row::Said { .. } => {
                    let at = if is_winner(row) { 0 } else { evidence.lines.len() };
                    let line = said(resolution, row, has_winner, value.as_ref(), is_full);
                    evidence.lines.insert(at, line);
                }
                Row::Unsaid { .. } => match unsaid(resolution, row) {
                    Some(line) => evidence.lines.push(line),
                    None if is_full => {}
                    None => evidence.fold(row, not_here, resolution),
                },
            }
        }
        evidence.lines.append(&mut evidence.set_elsewhere);
        if is_full {
            let rest = rows.iter().filter(|row| matches!(row, Row::Unsaid { .. }));
            let rest = rest.filter(|row| unsaid(resolution, row).is_none());
            evidence.lines.extend(rest.map(|row| {
                let candidate = not_here.iter().find(|it| it.layer == row.layer());
                candidate.map_or_else(|| silent(resolution, row), |it| elsewhere(resolution, it))
            }));
        }
        evidence
    }

    /// Counts a layer that does not set it, or shows what it sets elsewhere.
    fn fold(&mut self, row: &Row, not_here: &[&NotHere], resolution: &Resolution) {
        match not_here.iter().find(|it| it.layer == row.layer()) {
            Some(it) if self.set_elsewhere.len() < MOST_NOT_HERE => {
                self.set_elsewhere.push(elsewhere(resolution, it));
            }
            _ if matches!(row, Row::Unsaid { state: LayerState::Inactive, .. }) => {
                self.not_here += 1;
            }
            _ => self.others += 1,
        }
    }

    /// What a page shows of an answer, as texts: every candidate and what is odd, and the layers that do
    /// not set it with the reason of each.
    pub(in crate::commands) fn for_page(
        answers: &Answers<'_>,
        answer: &Explanation,
    ) -> (Vec<Vec<String>>, Vec<Vec<String>>) {
        let texts = |line: Vec<Cell>| line.iter().map(|cell| cell.text().to_owned()).collect();
        let resolution = answers.resolution();
        let evidence = Evidence::of(answers, answer, &[], Detail::Candidates);
        let rows = answer.rows(answers);
        let rest = rows.iter().filter(|row| matches!(row, Row::Unsaid { .. }));
        let rest = rest.filter(|row| unsaid(resolution, row).is_none());
        // Without the label.
        let rest = rest.map(|row| texts(silent(resolution, row).split_off(1)));
        let rest = rest.collect();
        (evidence.lines.into_iter().map(texts).collect(), rest)
    }

    /// The lines.
    pub(super) fn push(&self, look: &Look, out: &mut String) {
        look.records(out, 2, &self.lines);
    }

    /// Whether there is any line.
    pub(super) fn is_empty(&self) -> bool {
        self.lines.is_empty()
    }

    /// What is folded, as a sentence.
    pub(super) fn folded(&self) -> Option<String> {
        let layers = |count: usize, one: &str, many: &str| match count {
            1 => format!("1 other layer {one}"),
            count => format!("{count} other layers {many}"),
        };
        let weaker = match self.weaker {
            0 => None,
            1 => Some("1 more candidate is overridden".to_owned()),
            count => Some(format!("{count} more candidates are overridden")),
        };
        let others =
            (self.others > 0).then(|| layers(self.others, "does not set it", "do not set it"));
        let not_here = match (self.not_here, self.others) {
            (0, _) => None,
            (count, 0) => Some(layers(count, "does not apply here", "do not apply here")),
            (1, _) => Some("1 more does not apply here".to_owned()),
            (count, _) => Some(format!("{count} more do not apply here")),
        };
        let parts: Vec<String> = weaker.into_iter().chain(others).chain(not_here).collect();
        (!parts.is_empty()).then(|| format!("{} (details: --full).", parts.join("; ")))
    }
}

fn is_winner(row: &Row) -> bool {
    matches!(row, Row::Said { verdict: Verdict::Wins | Verdict::Unreadable, .. })
}

fn layer_name<'r>(resolution: &'r Resolution, row: &Row) -> &'r str {
    &resolution.readings().layer(row.layer()).name
}

/// What a candidate does, or what becomes of it.
fn label(row: &Row, has_winner: bool) -> &'static str {
    let Row::Said { verdict, .. } = row else { return "ignored" };
    match verdict {
        Verdict::Wins | Verdict::Unreadable => "set by",
        Verdict::Contributes => "and by",
        Verdict::Overridden if has_winner => "overrides",
        Verdict::Overridden => "overridden",
        Verdict::Reshaped => "replaced",
        Verdict::Blocked => "blocked",
        Verdict::Empty => "ignored",
        Verdict::Removes => "removed by",
        Verdict::Removed => "removed",
        Verdict::Withheld => "withheld",
    }
}

fn role(verdict: Verdict) -> Role {
    match verdict {
        Verdict::Wins | Verdict::Contributes => Role::Value,
        Verdict::Unreadable => Role::Wrong,
        Verdict::Withheld | Verdict::Blocked | Verdict::Empty => Role::Warning,
        _ => Role::Lost,
    }
}

/// A candidate: what became of it, its layer, what it is, where, and what is odd about it.
fn said(
    resolution: &Resolution,
    row: &Row,
    has_winner: bool,
    effective: Option<&Value>,
    is_full: bool,
) -> Vec<Cell> {
    let Row::Said { at, written, raw, verdict, note, scope, .. } = row else { return Vec::new() };
    let keys = resolution.keys();
    let is_unreadable = note.as_ref().is_some_and(|note| note.unreadable.is_some());
    let is_in_force = |value: &Value| *verdict == Verdict::Wins && effective == Some(value);
    let value = match written {
        // It is in the first line.
        Some(value) if value.show().len() > LONG && is_in_force(value) && !is_full => String::new(),
        Some(value) => match raw {
            Some(raw) => format!("{}, written {raw}", value.show()),
            None => value.show(),
        },
        None if at.is_pattern => format!("remove {}", at.shown_name(keys)),
        None if is_unreadable => "(cannot be read)".to_owned(),
        None => "(secret)".to_owned(),
    };
    let place = match scope {
        Some(scope) if at.place.has_line() => format!("{} ({scope})", at.show(keys)),
        _ => at.show(keys),
    };
    let remark = remark(resolution, row, is_full);
    let is_local = resolution.readings().layer(at.layer).is_local();
    let is_asked = resolution.readings().context.is_asked();
    let local = if is_local && is_asked && verdict.is_in_force() { "local layer" } else { "" };
    let remark = [local, &remark].into_iter().filter(|it| !it.is_empty()).collect::<Vec<_>>();
    vec![
        Cell::new(Role::Plain, label(row, has_winner)),
        Cell::new(Role::Layer, layer_name(resolution, row)),
        Cell::new(role(*verdict), value),
        Cell::new(Role::Place, place),
        Cell::new(Role::Plain, remark.join("; ")),
    ]
}

/// What is odd about a candidate, or all the reasons for what became of it.
fn remark(resolution: &Resolution, row: &Row, is_full: bool) -> String {
    let Row::Said {
        at, by, verdict, rule, because, through, named, is_old_name, pins, note, ..
    } = row
    else {
        return String::new();
    };
    // What removes a branch has no line of its own here.
    let key = |id| resolution.candidate(id).key;
    let is_of_key = by.is_none_or(|by| key(by) == key(at.candidate));
    let is_plain = match verdict {
        Verdict::Wins => *rule == Rule::Precedence && !pins,
        Verdict::Overridden => *rule == Rule::Precedence,
        Verdict::Removed => is_of_key,
        // Why it cannot be read is in the answer.
        Verdict::Contributes | Verdict::Removes | Verdict::Unreadable => true,
        _ => false,
    };
    let is_odd = through.is_some() || named.is_some() || *is_old_name;
    if is_full || !is_plain && !matches!(verdict, Verdict::Wins) {
        return because.to_string();
    }
    let mut remarks: Vec<String> = Vec::new();
    if *verdict == Verdict::Wins && *pins {
        remarks.push("pinned".to_owned());
    }
    if let Some(note) = note.as_deref() {
        remarks.extend(note.encrypted.as_ref().map(|_| "encrypted".to_owned()));
        remarks.extend(note.history().map(|it| it.to_string()));
    }
    if is_odd {
        if *is_old_name {
            remarks.push("a former name of the setting".to_owned());
        }
        remarks.extend(through.as_ref().map(|anchor| format!("through the anchor &{anchor}")));
        remarks.extend(named.as_ref().map(|who| format!("named by {who}")));
    }
    remarks.join("; ")
}

/// A layer that does not set it, where that is odd.
fn unsaid(resolution: &Resolution, row: &Row) -> Option<Vec<Cell>> {
    let Row::Unsaid { state, because, near, is_odd, layer, .. } = row else { return None };
    let (label, text) = match (near.as_slice(), state) {
        ([], LayerState::Unavailable) => ("not asked", because.to_string()),
        ([], _) if *is_odd => ("ignored", because.to_string()),
        ([], _) => return None,
        (near, _) => ("ignored", meant(near)),
    };
    let local = match &resolution.readings().layer(*layer).presence {
        Presence::Unavailable(_) => Role::Wrong,
        _ => Role::Warning,
    };
    Some(vec![
        Cell::new(Role::Plain, label),
        Cell::new(Role::Layer, layer_name(resolution, row)),
        Cell::new(local, text),
    ])
}

/// Names that are set and not used, with what was probably meant.
fn meant(near: &[NearName]) -> String {
    let one = |near: &NearName| {
        let place = match near.line() {
            Some(_) => format!(" ({})", near.show_line()),
            None => String::new(),
        };
        format!("{}{place} is set; did you mean {}?", near.name, near.meant)
    };
    near.iter().map(one).collect::<Vec<_>>().join(" ")
}

/// What a layer sets that does not apply here.
fn elsewhere(resolution: &Resolution, it: &NotHere) -> Vec<Cell> {
    vec![
        Cell::new(Role::Lost, NOT_HERE),
        Cell::new(Role::Layer, resolution.readings().layer(it.layer).name.clone()),
        Cell::new(Role::Lost, format!("{} sets it, but {}", it.place, it.applies)),
    ]
}

/// A layer that does not set it, and why.
fn silent(resolution: &Resolution, row: &Row) -> Vec<Cell> {
    let Row::Unsaid { state, because, .. } = row else { return Vec::new() };
    let label = match state {
        LayerState::Inactive => NOT_HERE,
        LayerState::Missing => "missing",
        _ => "not set",
    };
    vec![
        Cell::new(Role::Lost, label),
        Cell::new(Role::Layer, layer_name(resolution, row)),
        Cell::new(Role::Lost, because.to_string()),
    ]
}
