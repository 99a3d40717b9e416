//! Where the question is asked: the value of each axis.

use justwhy_project::{Branch, Error, Project, ProjectAxis, Way, World};

use crate::folders::inside;
use hashbrown::{HashMap, HashSet};
use justwhy_core::{AxisOrigin, AxisValue, Context, Fact};
use std::ffi::{OsStr, OsString};
use std::sync::{Arc, OnceLock};

#[cfg(test)]
mod tests;
mod ways;

use ways::AxisFound;

/// The most contexts that one question goes through.
const MOST_CONTEXTS: usize = 10_000;

/// Finds out where questions are asked. Variables, the git branch and the folder are looked at once.
pub(crate) struct Situation {
    project: Arc<Project>,
    world: Arc<dyn World>,
    variables: OnceLock<HashMap<OsString, OsString>>,
    branch: OnceLock<Branch>,
    inside: OnceLock<Option<String>>,
}

/// Axes with the value that somebody chose for them; `None` unsets one.
type Chosen = HashMap<String, Option<String>>;

/// # Contexts
impl Situation {
    /// Has looked at nothing yet.
    pub(crate) fn new(project: Arc<Project>, world: Arc<dyn World>) -> Situation {
        Situation {
            project,
            world,
            variables: OnceLock::new(),
            branch: OnceLock::new(),
            inside: OnceLock::new(),
        }
    }

    /// Finds the value of each axis: what `asked` (the text of `--in`) has, else the first way of
    /// reading it that gives one, else its default, else none.
    pub(crate) fn here(&self, asked: Option<&str>) -> Result<Context, Error> {
        let mut chosen = self.chosen(asked)?;
        self.follow_back(&mut chosen)?;
        self.context(&chosen, true)
    }

    /// An axis that only follows another one has no value of its own: what is asked for must be what the
    /// other leads to. If one value of the other leads there, that is meant too.
    fn follow_back(&self, chosen: &mut Chosen) -> Result<(), Error> {
        // Each round fixes an axis, so that this ends.
        for _ in 0..self.project.axes.len() {
            let mut is_settled = true;
            for axis in &self.project.axes {
                let name = axis.axis.name.as_str();
                let Some(Some(wanted)) = chosen.get(name).cloned() else { continue };
                let [Way::Axis { axis: other, map, .. }] = axis.read.as_slice() else { continue };
                let leads = |value: &str| {
                    let mapped = map.iter().find(|(from, ..)| from == value);
                    mapped.map(|(_, to, _)| to.as_str()).or(axis.default.as_deref())
                };
                let there = match chosen.get(other) {
                    Some(there) => there.clone(),
                    None => self.unchecked(chosen, true)?.value(other).map(str::to_owned),
                };
                let leads_to = match &there {
                    Some(there) => leads(there),
                    None => axis.default.as_deref(),
                };
                // Who unsets the other one means that this one is alone.
                let is_alone = chosen.get(other) == Some(&None);
                if is_alone || leads_to == Some(wanted.as_str()) {
                    continue;
                }
                if let Some(Some(there)) = chosen.get(other) {
                    if let Some(error) = self.never(&self.unchecked(chosen, false)?) {
                        return Err(error);
                    }
                    let led = leads_to.unwrap_or("none");
                    let message =
                        format!("--in: {other}={there} gives {name}={led}, not {name}={wanted}");
                    let error = Error::new("bad-context", message);
                    return Err(error.help(format!("remove {name}: it follows {other}")));
                }
                let allowed = self.project.axis(other).map(|other| &other.axis.allowed);
                let mut back: Vec<&str> = map.iter().map(|(from, ..)| from.as_str()).collect();
                back.extend(allowed.into_iter().flatten().map(String::as_str));
                back.retain(|from| leads(from) == Some(wanted.as_str()));
                back.sort_unstable();
                back.dedup();
                match back.as_slice() {
                    // An open axis that nothing leads to is what somebody says that it is.
                    [] if axis.axis.open && !map.iter().any(|(_, to, _)| *to == wanted) => {}
                    [] => {
                        let message = format!("--in: no value of {other} gives {name}={wanted}");
                        let error = Error::new("bad-context", message);
                        return Err(
                            error.help(format!("{name} follows {other}; use {other} instead"))
                        );
                    }
                    [one] => {
                        chosen.insert(other.clone(), Some((*one).to_owned()));
                        is_settled = false;
                    }
                    several => {
                        let choices: Vec<String> =
                            several.iter().map(|value| format!("{other}={value}")).collect();
                        let message = format!(
                            "--in: {name}={wanted} could be {}",
                            justwhy_core::list_values(&choices, "or")
                        );
                        let error = Error::new("bad-context", message);
                        return Err(
                            error.help(format!("{name} follows {other}; use {other} instead"))
                        );
                    }
                }
            }
            if is_settled {
                break;
            }
        }
        Ok(())
    }

    /// The axes that `asked` fixes; nothing else is looked at. Whether they exist together with the
    /// values that others have only shows in the contexts that this leaves.
    pub(crate) fn fixed(&self, asked: Option<&str>) -> Result<Context, Error> {
        self.unchecked(&self.chosen(asked)?, false)
    }

    /// Where you are, even if that is a combination that does not exist. A value that is not allowed is
    /// an error all the same.
    pub(crate) fn stand(&self) -> Result<Context, Error> {
        self.unchecked(&Chosen::default(), true)
    }

    fn chosen(&self, asked: Option<&str>) -> Result<Chosen, Error> {
        let asked = self.project.asked(asked)?;
        let owned =
            |(axis, value): (&str, Option<&str>)| (axis.to_owned(), value.map(str::to_owned));
        Ok(asked.into_iter().map(owned).collect())
    }

    /// The context that results if axes of another one get these values. An axis that has its value
    /// from another axis follows it; all others stay as they are, wherever they are from.
    pub(crate) fn changed(
        &self,
        from: &Context,
        changes: &[(String, Option<String>)],
    ) -> Result<Context, Error> {
        let kept = self.project.axes.iter().zip(&from.axes);
        let kept = kept.filter(|(axis, value)| !follows(axis, value));
        let mut chosen: Chosen =
            kept.map(|(_, value)| (value.axis.clone(), value.value.clone())).collect();
        for (name, value) in changes {
            let axis = self.project.asked_axis(name, "@")?;
            if let Some(value) = value {
                axis.check(value, "@", false)?;
            }
            chosen.insert(name.clone(), value.clone());
        }
        self.context(&chosen, false)
    }

    /// The contexts that differ from `from` only in the axes of these names, the first of which changes
    /// most slowly: each has one of its values, but for one that was asked for, which keeps its own.
    /// Combinations that do not exist are left out; axes that follow one of them do so.
    pub(crate) fn across(
        &self,
        from: &Context,
        names: &[&str],
        rows: &dyn Fn(&str) -> usize,
    ) -> Result<Vec<Context>, Error> {
        let contexts = self.across_values(from, names, rows, false)?;
        // Where no two of the values are together, each is beside none of the others.
        let contexts = match contexts.is_empty() {
            true => self.across_values(from, names, rows, true)?,
            false => contexts,
        };
        if contexts.is_empty() {
            let error = Error::new("bad-context", "no context to look at");
            return Err(error.help("[[never]] excludes every combination of these axes"));
        }
        Ok(contexts)
    }

    /// The same, also without a value of axes that may be unset, if that is wanted; perhaps none.
    fn across_values(
        &self,
        from: &Context,
        names: &[&str],
        rows: &dyn Fn(&str) -> usize,
        with_unset: bool,
    ) -> Result<Vec<Context>, Error> {
        let mut choices: Vec<(&str, Vec<Option<String>>)> = Vec::new();
        let mut count: usize = 1;
        for (number, name) in names.iter().enumerate() {
            let axis = self.project.asked_axis(name, "--across")?;
            let name = axis.axis.name.as_str();
            if names[..number].contains(&name) {
                let message = format!("--across names the axis {name} twice");
                return Err(Error::new("bad-context", message).help("name it once"));
            }
            let asked = from.axes.iter().find(|value| value.axis == name);
            let asked = asked.filter(|value| value.origin == AxisOrigin::Asked);
            let mut values: Vec<Option<String>> = match asked {
                Some(asked) => asked.value.iter().cloned().map(Some).collect(),
                None => {
                    let rows = (1..=rows(name)).map(|row| row.to_string());
                    axis.axis.allowed.iter().cloned().chain(rows).map(Some).collect()
                }
            };
            if with_unset && asked.is_none() && axis.may_be_unset && axis.default.is_none() {
                values.push(None);
            }
            if values.iter().flatten().next().is_none() {
                let message = format!("--across: the axis {name} lists no values");
                let help = "list them in `allowed`, or use --in for this axis";
                return Err(Error::new("bad-context", message).help(help));
            }
            count = count.saturating_mul(values.len());
            choices.push((name, values));
        }
        if count > MOST_CONTEXTS {
            return Err(too_many());
        }
        let kept = self.project.axes.iter().zip(&from.axes);
        let kept = kept.filter(|(axis, value)| !follows(axis, value));
        let mut chosen: Chosen =
            kept.map(|(_, value)| (value.axis.clone(), value.value.clone())).collect();
        let mut contexts = Vec::with_capacity(count);
        let mut seen = HashSet::new();
        for number in 0..count {
            let mut rest = number;
            for (name, values) in choices.iter().rev() {
                chosen.insert((*name).to_owned(), values[rest % values.len()].clone());
                rest /= values.len();
            }
            let context = self.unchecked(&chosen, false)?;
            // An axis that does not exist there is unset in all of them.
            let values: Vec<Option<String>> =
                context.axes.iter().map(|axis| axis.value.clone()).collect();
            if self.never(&context).is_none() && seen.insert(values) {
                contexts.push(context);
            }
        }
        Ok(contexts)
    }

    /// Every context that the axes can form, besides combinations that do not exist: those of
    /// `fixed` have their values there, the others each allowed one, and none if they have no
    /// default. An open axis that lists none is unset, or follows the axis that it is read from;
    /// `rows` gives the number of rows for those that number them.
    pub(crate) fn contexts(
        &self,
        fixed: &Context,
        rows: &dyn Fn(&str) -> usize,
    ) -> Result<Vec<Context>, Error> {
        let mut chosen: Chosen = HashMap::new();
        let mut choices: Vec<(&str, Vec<Option<String>>)> = Vec::new();
        let mut count: usize = 1;
        for axis in &self.project.axes {
            let name = axis.axis.name.as_str();
            let asked = fixed.axes.iter().find(|value| value.axis == name);
            if let Some(asked) = asked.filter(|value| value.origin == AxisOrigin::Asked) {
                chosen.insert(name.to_owned(), asked.value.clone());
                continue;
            }
            if self.only_follows(axis) {
                continue;
            }
            let mut values: Vec<Option<String>> =
                axis.axis.allowed.iter().cloned().map(Some).collect();
            values.extend((1..=rows(name)).map(|row| Some(row.to_string())));
            if values.is_empty() {
                continue;
            }
            if axis.may_be_unset && axis.default.is_none() {
                values.push(None);
            }
            count = count.saturating_mul(values.len());
            choices.push((name, values));
        }
        // Combinations that do not exist are not counted, but going through them takes time.
        if count > MOST_CONTEXTS.saturating_mul(100) {
            return Err(too_many());
        }
        let mut contexts: Vec<Context> = Vec::new();
        let mut seen = HashSet::new();
        for number in 0..count {
            let mut rest = number;
            for (name, values) in choices.iter().rev() {
                chosen.insert((*name).to_owned(), values[rest % values.len()].clone());
                rest /= values.len();
            }
            if !self.is_first(&chosen, &choices)? {
                continue;
            }
            let context = self.formed(&mut chosen, &choices)?;
            let values: Vec<Option<String>> =
                context.axes.iter().map(|axis| axis.value.clone()).collect();
            if self.never(&context).is_none() && seen.insert(values) {
                contexts.push(context);
            }
            if contexts.len() > MOST_CONTEXTS {
                return Err(too_many());
            }
        }
        Ok(contexts)
    }

    /// Whether every axis that does not exist there has the first of its values, so that of all combinations
    /// that come to the same one is looked at.
    fn is_first(
        &self,
        chosen: &Chosen,
        choices: &[(&str, Vec<Option<String>>)],
    ) -> Result<bool, Error> {
        if self.project.axes.iter().all(|axis| axis.only.is_empty()) {
            return Ok(true);
        }
        let context = self.unchecked(chosen, false)?;
        let mut all = choices.iter();
        Ok(all.all(|(name, values)| {
            let axis = self.project.axis(name);
            let exists = axis.is_none_or(|axis| exists(axis, &context));
            exists || chosen.get(*name) == values.first()
        }))
    }

    /// Whether an axis has the value that another one, all of whose values are known, leads it to, and
    /// never one of its own: what else it allows is together with none of them.
    fn only_follows(&self, axis: &ProjectAxis) -> bool {
        let [Way::Axis { axis: other, .. }] = axis.read.as_slice() else { return false };
        let other = self.project.axis(other);
        other.is_some_and(|other| !other.axis.allowed.is_empty() && !other.axis.open)
    }

    /// The context of these choices, in which an axis that would follow another one to the value that
    /// is chosen for it does follow it: so it is where somebody asks for the other one only.
    fn formed(
        &self,
        chosen: &mut Chosen,
        choices: &[(&str, Vec<Option<String>>)],
    ) -> Result<Context, Error> {
        let mut context = self.unchecked(chosen, false)?;
        for (name, _) in choices {
            let axis = self.project.axis(name);
            if !axis.is_some_and(reads_an_axis) {
                continue;
            }
            let value = chosen.remove(*name).flatten();
            let without = self.unchecked(chosen, false)?;
            if without.value(name) == value.as_deref() {
                context = without;
            } else {
                chosen.insert((*name).to_owned(), value);
            }
        }
        Ok(context)
    }

    fn context(&self, chosen: &Chosen, looks: bool) -> Result<Context, Error> {
        let context = self.unchecked(chosen, looks)?;
        match self.never(&context) {
            Some(error) => Err(error),
            None => Ok(context),
        }
    }

    fn unchecked(&self, chosen: &Chosen, looks: bool) -> Result<Context, Error> {
        let count = self.project.axes.len();
        let mut found: Vec<Option<AxisValue>> = vec![None; count];
        for index in 0..count {
            self.settle(index, chosen, looks, &mut found)?;
        }
        Ok(Context { axes: found.into_iter().flatten().collect() })
    }

    /// Why the context does not exist.
    fn never(&self, context: &Context) -> Option<Error> {
        let is_met = |(axis, values): &(String, Vec<String>)| {
            context.value(axis).is_some_and(|value| values.iter().any(|it| it == value))
        };
        let never = self.project.nevers.iter().find(|never| never.values.iter().all(is_met))?;
        let values: Vec<String> = never
            .values
            .iter()
            .map(|(axis, values)| format!("{axis}={}", values.join("|")))
            .collect();
        let message = format!("the combination {} does not exist", values.join(","));
        let at = Some(self.project.text.position(never.at.start));
        let error = Error::new("bad-context", message);
        let error = error.also("declared at", &self.project.file, at);
        Some(error.help("choose another one with --in, or remove it from [[never]]"))
    }

    /// The value of an axis, those that it is read from first.
    fn settle(
        &self,
        index: usize,
        chosen: &Chosen,
        looks: bool,
        found: &mut Vec<Option<AxisValue>>,
    ) -> Result<(), Error> {
        if found[index].is_some() {
            return Ok(());
        }
        let axis = &self.project.axes[index];
        let name = &axis.axis.name;
        let mut value = AxisValue {
            axis: name.clone(),
            value: None,
            origin: AxisOrigin::Asked,
            passed_over: Vec::new(),
        };
        for condition in &axis.only {
            let other = self.project.axes.iter().position(|it| it.axis.name == condition.axis);
            if let Some(other) = other {
                self.settle(other, chosen, looks, found)?;
            }
        }
        let here = Context { axes: found.iter().flatten().cloned().collect() };
        if let Some(condition) = axis.only.iter().find(|condition| !condition.holds(&here)) {
            let only = format!("{}={}", condition.axis, condition.values.join("|"));
            if let (Some(Some(asked)), true) = (chosen.get(name), looks) {
                let message = format!("--in: {name}={asked}: {name} exists only for {only}");
                let error = Error::new("bad-context", message);
                return Err(
                    error.help(format!("remove {name}, or choose another {}", condition.axis))
                );
            }
            value.origin = AxisOrigin::Nothing;
            value.passed_over.push(Fact::new("exists only for {only}").with("only", only));
            found[index] = Some(value);
            return Ok(());
        }
        if let Some(chosen) = chosen.get(name) {
            value.value.clone_from(chosen);
            found[index] = Some(value);
            return Ok(());
        }
        for read in &axis.read {
            let is_from_axis = matches!(read, Way::Axis { .. });
            if !looks && !is_from_axis {
                continue;
            }
            if let Way::Axis { axis: other, .. } = read
                && let Some(other) = self.project.axes.iter().position(|a| a.axis.name == *other)
            {
                self.settle(other, chosen, looks, found)?;
            }
            match self.look(axis, read, found)? {
                AxisFound::Nothing(why) => value.passed_over.push(why),
                AxisFound::Value(text, origin) => {
                    let is_file = matches!(origin, AxisOrigin::File(_));
                    axis.check(&text, &origin.phrase().to_string(), is_file)?;
                    value.value = Some(text);
                    value.origin = origin;
                    found[index] = Some(value);
                    return Ok(());
                }
            }
        }
        value.value.clone_from(&axis.default);
        value.origin = match axis.default {
            Some(_) => AxisOrigin::Default,
            None => AxisOrigin::Nothing,
        };
        found[index] = Some(value);
        Ok(())
    }
}

fn too_many() -> Error {
    let message = format!("the axes form more than {MOST_CONTEXTS} contexts");
    Error::new("limit", message).help("fix some of them: --in AXIS=VALUE")
}

/// Whether an axis exists in a context.
pub(crate) fn exists(axis: &ProjectAxis, context: &Context) -> bool {
    axis.only.iter().all(|condition| condition.holds(context))
}

fn reads_an_axis(axis: &ProjectAxis) -> bool {
    axis.read.iter().any(|way| matches!(way, Way::Axis { .. }))
}

/// What other axes lead an axis to in a context, if it is read from any.
pub(crate) fn led_to<'a>(axis: &'a ProjectAxis, context: &Context) -> Option<Option<&'a str>> {
    if !reads_an_axis(axis) {
        return None;
    }
    let to = axis.read.iter().find_map(|way| match way {
        Way::Axis { axis: other, map, .. } => {
            let value = context.value(other)?;
            map.iter().find(|(from, ..)| from == value).map(|(_, to, _)| to.as_str())
        }
        _ => None,
    });
    Some(to)
}

/// Whether the axis has its value, or none, because of another axis.
pub(crate) fn follows(axis: &ProjectAxis, value: &AxisValue) -> bool {
    let is_by_axis = matches!(value.origin, AxisOrigin::Axis(_));
    let found_nothing = matches!(value.origin, AxisOrigin::Default | AxisOrigin::Nothing);
    is_by_axis || found_nothing && reads_an_axis(axis)
}

/// # The process
impl Situation {
    /// The process variable of that name.
    pub(crate) fn process_variable(&self, name: &str) -> Option<&OsStr> {
        let variables = self.variables.get_or_init(|| self.world.variables().into_iter().collect());
        variables.get(OsStr::new(name)).map(OsString::as_os_str)
    }

    /// Where the working directory is inside of the project's folder; none if it is outside.
    pub(crate) fn inside(&self) -> Option<&str> {
        let inside = self.inside.get_or_init(|| inside(&*self.world, &self.project.folder));
        inside.as_deref()
    }
}
