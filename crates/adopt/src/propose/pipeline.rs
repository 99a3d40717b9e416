//! Layers of pipelines, and of the commands of a package.

use super::rank;
use crate::draft::{Draft, Layer, quoted};
use crate::observation::{Left, Observations, Workflow};
use crate::words::{as_name, is_value};
use std::collections::BTreeMap;

/// More steps than this are not each a layer.
const MOST_STEPS: usize = 60;

/// Variables of pipelines: of a workflow, of its jobs, of their steps.
pub(super) fn workflows(seen: &Observations, draft: &mut Draft) {
    let mut by_pattern: BTreeMap<String, Vec<(&Workflow, String)>> = BTreeMap::new();
    for workflow in &seen.workflows {
        let has_steps = workflow.jobs.iter().any(|job| job.env.is_some() || !job.steps.is_empty());
        if workflow.env.is_none() && !has_steps {
            continue;
        }
        let (folder, name) = workflow.path.rsplit_once('/').unwrap_or(("", &workflow.path));
        let Some((stem, ending)) = name.rsplit_once('.').filter(|(stem, _)| is_value(stem)) else {
            continue;
        };
        let pattern = match folder {
            "" => format!("{{workflow}}.{ending}"),
            folder => format!("{folder}/{{workflow}}.{ending}"),
        };
        by_pattern.entry(pattern).or_default().push((workflow, stem.to_owned()));
    }
    for (pattern, members) in by_pattern {
        let names: Vec<String> = members.iter().map(|(_, name)| name.clone()).collect();
        let axis = draft.axis("workflow");
        axis.because.push(format!("{pattern}: workflows with variables: {}", names.join(", ")));
        axis.allowed.extend(names.iter().cloned());
        let base = Layer {
            reads: format!("file = {}", quoted(&pattern)),
            files: members.iter().map(|(it, _)| it.path.clone()).collect(),
            fields: vec![
                "names = \"variables\"".to_owned(),
                "elsewhere = [\"${{ * }}\"]".to_owned(),
                "references = false".to_owned(),
                "optional = true".to_owned(),
            ],
            axes: vec!["workflow".to_owned()],
            ..Layer::default()
        };
        levels(&pattern, &members, &base, draft);
    }
}

fn levels(pattern: &str, members: &[(&Workflow, String)], base: &Layer, draft: &mut Draft) {
    let spots: Vec<String> =
        members.iter().filter_map(|(it, _)| Some(format!("{}:{}", it.path, it.env?))).collect();
    if !spots.is_empty() {
        let mut layer = base.clone();
        layer.name = "workflow".to_owned();
        layer.rank = (rank::WORKFLOW, 0, 0, pattern.to_owned());
        layer.fields.insert(0, "under = \"env\"".to_owned());
        layer.because.push(format!("{}: variables of all jobs.", spots.join(", ")));
        draft.layers.push(layer);
    }
    let mut spots = Vec::new();
    let mut steps = 0;
    for (workflow, name) in members {
        for job in workflow.jobs.iter().filter(|job| job.env.is_some() || !job.steps.is_empty()) {
            let axis = draft.axis("job");
            let because = format!("{}: job {}", workflow.path, job.name);
            axis.allow(std::slice::from_ref(&job.name), because);
            let only = axis.only.get_or_insert_with(|| ("workflow".to_owned(), Vec::new()));
            if !only.1.contains(name) {
                only.1.push(name.clone());
            }
            if let Some(line) = job.env {
                spots.push(format!("{}:{line}", workflow.path));
            }
            for step in &job.steps {
                steps += 1;
                if steps > MOST_STEPS {
                    let why = "more steps with variables than are read".to_owned();
                    draft.left.push(Left {
                        spot: crate::observation::Spot::new(&workflow.path, step.line),
                        why,
                    });
                    continue;
                }
                let axis = draft.axis("step");
                let because = format!("{}:{}: a step", workflow.path, step.line);
                axis.allow(std::slice::from_ref(&step.word), because);
                let only = axis.only.get_or_insert_with(|| ("job".to_owned(), Vec::new()));
                if !only.1.contains(&job.name) {
                    only.1.push(job.name.clone());
                }
                let mut layer = base.clone();
                layer.name = format!("{}-{}", as_name(&job.name), step.word);
                layer.rank = (rank::WORKFLOW, 2, 0, format!("{}{}", workflow.path, step.word));
                layer.reads = format!("file = {}", quoted(&workflow.path));
                layer.files = vec![workflow.path.clone()];
                layer.fields.retain(|field| !field.starts_with("optional"));
                layer.fields.insert(
                    0,
                    format!("under = \"$.jobs['{}'].steps{}.env\"", job.name, step.selector),
                );
                layer.fields.push(format!(
                    "when = {{ workflow = {}, job = {}, step = {} }}",
                    quoted(name),
                    quoted(&job.name),
                    quoted(&step.word)
                ));
                layer.axes.extend(["job".to_owned(), "step".to_owned()]);
                layer
                    .because
                    .push(format!("{}:{}: variables of one step.", workflow.path, step.line));
                draft.layers.push(layer);
            }
        }
    }
    if !spots.is_empty() {
        let mut layer = base.clone();
        layer.name = "job".to_owned();
        layer.rank = (rank::WORKFLOW, 1, 0, pattern.to_owned());
        layer.fields.insert(0, "under = \"$.jobs['{job}'].env\"".to_owned());
        layer.axes.push("job".to_owned());
        layer.because.push(format!("{}: variables of one job.", spots.join(", ")));
        draft.layers.push(layer);
    }
}

/// Commands of a package with variables in front.
pub(super) fn package_scripts(seen: &Observations, draft: &mut Draft) {
    let mut by_file: BTreeMap<&str, Vec<(&str, usize)>> = BTreeMap::new();
    for (name, spot) in &seen.package_scripts {
        match is_value(name) {
            true => by_file.entry(&spot.path).or_default().push((name, spot.line)),
            false => {
                let why =
                    "variables in front of a command whose name cannot be the value of an axis"
                        .to_owned();
                draft.left.push(Left { spot: spot.clone(), why });
            }
        }
    }
    for (path, scripts) in by_file {
        let names: Vec<String> = scripts.iter().map(|(name, _)| (*name).to_owned()).collect();
        let because = format!("{path}: scripts with variables in front: {}", names.join(", "));
        draft.axis("script").allow(&names, because);
        let lines: Vec<String> = scripts.iter().map(|(_, line)| line.to_string()).collect();
        let mut layer = Layer {
            name: "package-script".to_owned(),
            rank: (rank::PACKAGE, 0, 0, path.to_owned()),
            reads: format!(
                "command_line = {{ file = {}, under = \"scripts.{{script}}\" }}",
                quoted(path)
            ),
            files: vec![path.to_owned()],
            because: vec![format!(
                "{path}: variables in front of commands (lines {}).",
                lines.join(", ")
            )],
            axes: vec!["script".to_owned()],
            ..Layer::default()
        };
        let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
        let last = folder.rsplit('/').next().unwrap_or_default();
        let of = draft
            .axes
            .iter()
            .find(|it| it.name != "script" && it.allowed.iter().any(|value| value == last));
        if let Some(axis) = of.map(|it| it.name.clone()) {
            layer.fields.push(format!("when = {{ {axis} = {} }}", quoted(last)));
            layer.axes.push(axis);
        }
        draft.layers.push(layer);
    }
}
