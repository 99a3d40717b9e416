//! Layers of what runs: images, containers that work together, clusters.

use super::rank;
use crate::draft::{Draft, Layer, counted, list, quoted};
use crate::observation::{Compose, Left, Manifest, Observations, Spot, Written};
use crate::words::{as_name, is_environment, is_value};
use std::collections::{BTreeMap, BTreeSet};

/// The axis of what runs beside each other.
const SERVICE: &str = "service";

/// Adds values to the axis of services.
fn add_services(draft: &mut Draft, names: &[String], because: String) {
    draft.axis(SERVICE).allow(names, because);
}

/// A path relative to the folder of a file, without `.` and `..`; none if it leaves the repository.
pub(super) fn beside(path: &str, other: &str) -> Option<String> {
    if other.starts_with(['/', '~']) || other.contains(['$', '{', '*', '\\']) {
        return None;
    }
    let mut parts: Vec<&str> =
        path.rsplit_once('/').map_or("", |(folder, _)| folder).split('/').collect();
    parts.retain(|part| !part.is_empty());
    for part in other.split('/') {
        match part {
            "" | "." => {}
            ".." => drop(parts.pop()?),
            part => parts.push(part),
        }
    }
    Some(parts.join("/"))
}

/// The images that the services of all compose files build.
fn built_by(seen: &Observations) -> BTreeMap<String, Vec<String>> {
    let mut by_image: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for compose in &seen.composes {
        for service in &compose.services {
            let Some((folder, file)) = &service.build else { continue };
            let Some(folder) = beside(&compose.path, folder) else { continue };
            let inside = if folder.is_empty() { String::new() } else { format!("{folder}/") };
            let named: Vec<String> = match file {
                Some(file) => vec![format!("{inside}{}", file.trim_start_matches("./"))],
                None => vec![format!("{inside}Dockerfile"), format!("{inside}Containerfile")],
            };
            let image = seen.images.iter().find(|image| named.contains(&image.path));
            if let Some(image) = image {
                let all = by_image.entry(image.path.clone()).or_default();
                if !all.contains(&service.name) {
                    all.push(service.name.clone());
                }
            }
        }
    }
    by_image
}

/// Variables that images set.
pub(super) fn images(seen: &Observations, draft: &mut Draft) {
    let built = built_by(seen);
    for image in &seen.images {
        let folder = image.path.rsplit_once('/').map_or("", |(folder, _)| folder);
        let last = folder.rsplit('/').next().unwrap_or_default();
        let mut layer = Layer {
            name: "image".to_owned(),
            rank: (rank::IMAGE, 0, 0, image.path.clone()),
            reads: format!("file = {}", quoted(&image.path)),
            files: vec![image.path.clone()],
            because: vec![format!(
                "{}: sets {} in the image.",
                image.path,
                counted(image.names.len(), "variable")
            )],
            ..Layer::default()
        };
        let format = justwhy_formats::Format::of_path(&image.path);
        if !format.is_some_and(justwhy_formats::Format::has_stages) {
            layer.fields.push("format = \"containerfile\"".to_owned());
        }
        let of_axis = draft
            .axes
            .iter()
            .find(|axis| axis.name != "environment" && axis.allowed.iter().any(|it| it == last));
        let of_axis = of_axis.map(|axis| axis.name.clone());
        match (built.get(&image.path), of_axis) {
            (Some(services), _) => {
                layer.because.push(format!("The image of {}.", services.join(", ")));
                layer.fields.push(format!("when = {{ {SERVICE} = {} }}", list(services)));
                layer.axes.push(SERVICE.to_owned());
                let names = services.clone();
                add_services(
                    draft,
                    &names,
                    format!("{}: the image of {}", image.path, names.join(", ")),
                );
            }
            (None, Some(axis)) => {
                layer.fields.push(format!("when = {{ {axis} = {} }}", quoted(last)));
                layer.axes.push(axis);
            }
            (None, None) if seen.images.len() > 1 && is_value(last) => {
                layer.fields.push(format!("when = {{ {SERVICE} = {} }}", quoted(last)));
                layer.axes.push(SERVICE.to_owned());
                let name = last.to_owned();
                add_services(draft, &[name], format!("{}: an image of its own", image.path));
            }
            (None, None) => {}
        }
        draft.layers.push(layer);
    }
}

/// The order of compose files: the file itself, what is always laid over it, and what is for an environment.
fn order(path: &str) -> (u32, Option<String>) {
    let name = path.rsplit('/').next().unwrap_or(path);
    let mut words = name.split(['.', '-', '_']);
    match words.clone().find(|word| is_environment(word)) {
        Some(word) => (2, Some(word.to_owned())),
        None if words.any(|word| word == "override") => (1, None),
        None => (0, None),
    }
}

/// Variables of containers that work together.
pub(super) fn composes(seen: &Observations, draft: &mut Draft) {
    for compose in &seen.composes {
        let (level, environment) = order(&compose.path);
        if let Some(environment) = &environment {
            let because = format!("{}: a file for {environment}", compose.path);
            draft.axis("environment").allow(std::slice::from_ref(environment), because);
        }
        let names: Vec<String> = compose.services.iter().map(|it| it.name.clone()).collect();
        add_services(draft, &names, format!("{}: services {}", compose.path, names.join(", ")));
        env_files(seen, compose, level, environment.as_deref(), draft);
        for written in [Written::Table, Written::Pairs] {
            let layer = variables(seen, compose, written, level, environment.as_deref());
            draft.layers.extend(layer);
        }
        filled_in(seen, compose, draft);
    }
}

fn stem(path: &str) -> String {
    let name = path.rsplit('/').next().unwrap_or(path);
    let name = name.rsplit_once('.').map_or(name, |(stem, _)| stem);
    as_name(name.strip_prefix("docker-").unwrap_or(name))
}

/// `when` for services, and for an environment if there is one.
fn when(services: &[String], environment: Option<&str>) -> String {
    let mut entries = vec![format!("{SERVICE} = {}", list(services))];
    entries.extend(environment.map(|it| format!("environment = {}", quoted(it))));
    format!("when = {{ {} }}", entries.join(", "))
}

fn axes_of(environment: Option<&str>) -> Vec<String> {
    let mut axes = vec![SERVICE.to_owned()];
    axes.extend(environment.map(|_| "environment".to_owned()));
    axes
}

/// Env files that containers are given.
fn env_files(
    seen: &Observations,
    compose: &Compose,
    level: u32,
    environment: Option<&str>,
    draft: &mut Draft,
) {
    let mut by_file: BTreeMap<String, (usize, Vec<String>, usize)> = BTreeMap::new();
    for service in &compose.services {
        for (place, (file, line)) in service.env_files.iter().enumerate() {
            let Some(path) = beside(&compose.path, file) else {
                let why =
                    "an env file whose path is filled in elsewhere, or leads out of the repository"
                        .to_owned();
                draft.left.push(Left { spot: Spot::new(&compose.path, *line), why });
                continue;
            };
            let (at, services, _) =
                by_file.entry(path).or_insert_with(|| (place, Vec::new(), *line));
            *at = (*at).max(place);
            services.push(service.name.clone());
        }
    }
    for (path, (place, services, line)) in by_file {
        let known = seen.settings.iter().find(|file| file.path == path);
        let mut layer = Layer {
            name: format!(
                "{}-{}",
                stem(&compose.path),
                as_name(path.rsplit('/').next().unwrap_or(&path))
            ),
            rank: (
                rank::CONTAINER,
                0,
                level * 100 + u32::try_from(place).unwrap_or(0),
                path.clone(),
            ),
            reads: format!("file = {}", quoted(&path)),
            fields: vec![when(&services, environment)],
            because: vec![format!(
                "{}:{line}: an env file of {}.",
                compose.path,
                services.join(", ")
            )],
            files: vec![path.clone()],
            axes: axes_of(environment),
            ..Layer::default()
        };
        if justwhy_formats::Format::of_path(&path) != Some(justwhy_formats::Format::ENV) {
            layer.fields.push("format = \"env\"".to_owned());
        }
        if known.is_none_or(|file| file.is_ignored) {
            layer.fields.push("optional = true".to_owned());
        }
        if known.is_some_and(|file| file.shape.marks.posix.is_some()) {
            layer.fields.push("references = \"posix\"".to_owned());
        }
        // The same file may have been taken for one that a program loads itself.
        if !is_loaded(seen, &path) {
            draft.layers.retain(|it| !(it.files == layer.files && it.axes.is_empty()));
        }
        draft.layers.push(layer);
    }
}

/// Variables that a compose file sets itself.
fn variables(
    seen: &Observations,
    compose: &Compose,
    written: Written,
    level: u32,
    environment: Option<&str>,
) -> Option<Layer> {
    let of = compose.services.iter().filter(|it| it.variables.is_some_and(|(it, _)| it == written));
    let services: Vec<String> = of.clone().map(|it| it.name.clone()).collect();
    let lines: Vec<String> = of.filter_map(|it| Some(it.variables?.1.to_string())).collect();
    if services.is_empty() {
        return None;
    }
    let mut layer = Layer {
        name: stem(&compose.path),
        rank: (rank::CONTAINER, 1, level * 100, compose.path.clone()),
        reads: format!("file = {}", quoted(&compose.path)),
        fields: vec![
            format!("under = \"$.services['{{{SERVICE}}}'].environment\""),
            "names = \"variables\"".to_owned(),
        ],
        because: vec![format!(
            "{}: variables of {} (lines {}).",
            compose.path,
            services.join(", "),
            lines.join(", ")
        )],
        files: vec![compose.path.clone()],
        axes: axes_of(environment),
        ..Layer::default()
    };
    if written == Written::Pairs {
        layer.fields.push("pairs = true".to_owned());
    }
    layer.fields.push(when(&services, environment));
    if compose.marks.posix.is_some() || compose.marks.colon.is_some() {
        layer.fields.push("references = \"posix\"".to_owned());
        layer.fields.push("lookup = [\"process\", \"weaker\"]".to_owned());
        let elsewhere = unclear(seen, compose);
        if !elsewhere.is_empty() {
            layer.because.push(format!(
                "{} are not in the env file beside it, but in others that it is not filled in from.",
                elsewhere.join(", ")
            ));
            let patterns = super::references::patterns(elsewhere.iter());
            layer.fields.push(format!("elsewhere = {}", list(&patterns)));
        }
    }
    if level == 1 {
        layer.because.push("It is always laid over the file that it is called after.".to_owned());
    }
    Some(layer)
}

/// Names to which a compose file refers that it is not filled in with, although something weaker sets them.
fn unclear(seen: &Observations, compose: &Compose) -> Vec<String> {
    let path = beside(&compose.path, ".env").unwrap_or_default();
    let of = |is_beside: bool, name: &String| {
        let mut files = seen.settings.iter().filter(|file| file.format.has_variables());
        files.any(|file| (file.path == path) == is_beside && file.shape.keys.contains(name))
    };
    let in_image = |name: &String| seen.images.iter().any(|it| it.names.contains(name));
    let is_unclear = |name: &&String| !of(true, name) && (of(false, name) || in_image(name));
    compose.refers.iter().filter(is_unclear).cloned().collect()
}

/// The env file beside a compose file fills in its `${…}`, and is nothing that containers are given.
fn filled_in(seen: &Observations, compose: &Compose, draft: &mut Draft) {
    let Some(path) = beside(&compose.path, ".env") else { return };
    let Some(file) = seen.settings.iter().find(|file| file.path == path) else { return };
    if is_loaded(seen, &path) || compose.refers.is_empty() {
        return;
    }
    draft.layers.retain(|it| !(it.files == [path.clone()] && it.rank.0 == rank::ENV));
    let name = format!("{}-variables", stem(&compose.path));
    if draft.layers.iter().any(|it| it.files == [path.clone()] && it.has("only_for_references")) {
        return;
    }
    let mut layer = Layer {
        name,
        rank: (rank::CONTAINER, 0, 90, path.clone()),
        reads: format!("file = {}", quoted(&path)),
        fields: vec!["only_for_references = true".to_owned()],
        because: vec![format!(
            "{path}: only fills in ${{…}} in {} ({}); containers are not given it, and no code loads it.",
            compose.path,
            counted(compose.refers.len(), "variable")
        )],
        files: vec![path.clone()],
        ..Layer::default()
    };
    if file.is_ignored {
        layer.fields.push("optional = true".to_owned());
    }
    draft.layers.push(layer);
}

/// Whether code names a file, or a script sources it.
fn is_loaded(seen: &Observations, path: &str) -> bool {
    let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
    let is_meant = |text: &str| text.rsplit('/').next() == Some(name);
    let is_near = |other: &str| folder.is_empty() || other.starts_with(folder);
    seen.code.mentions.iter().any(|it| is_meant(&it.text) && is_near(&it.spot.path))
        || seen.scripts.iter().any(|it| it.sourced.iter().any(|it| is_meant(&it.text)))
}

/// A path with its environment taken out.
fn pattern(path: &str) -> (String, Option<String>) {
    let mut environment = None;
    let parts: Vec<String> = path
        .split('/')
        .map(|part| {
            let stem = part.split('.').next().unwrap_or(part);
            match environment.is_none() && is_environment(stem) {
                true => {
                    environment = Some(stem.to_owned());
                    format!("{{environment}}{}", &part[stem.len()..])
                }
                false => part.to_owned(),
            }
        })
        .collect();
    (parts.join("/"), environment)
}

/// Where a manifest is, with all those that stand for it in other environments.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
struct Like {
    pattern: String,
    kind: String,
    name: String,
    has_documents: bool,
}

/// Variables of what runs in a cluster.
pub(super) fn manifests(seen: &Observations, draft: &mut Draft) {
    let mut taken_in: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for container in seen.manifests.iter().flat_map(|it| &it.containers) {
        for map in &container.from {
            let all = taken_in.entry(map.clone()).or_default();
            if !all.contains(&container.name) {
                all.push(container.name.clone());
            }
        }
    }
    let mut groups: BTreeMap<Like, Vec<(&Manifest, Option<String>)>> = BTreeMap::new();
    for manifest in &seen.manifests {
        let (pattern, environment) = pattern(&manifest.path);
        let like = Like {
            pattern,
            kind: manifest.kind.clone(),
            name: manifest.name.clone(),
            has_documents: manifest.documents > 1,
        };
        groups.entry(like).or_default().push((manifest, environment));
    }
    for (like, members) in groups {
        let environments: BTreeSet<String> =
            members.iter().filter_map(|(_, it)| it.clone()).collect();
        if !environments.is_empty() {
            let all: Vec<&String> = environments.iter().collect();
            let shown = environments.iter().cloned().collect::<Vec<_>>().join(", ");
            let because = format!("{}: manifests for {shown}", like.pattern);
            draft.axis("environment").allow(&all, because);
        }
        let files: Vec<String> = members.iter().map(|(it, _)| it.path.clone()).collect();
        let mut base = Layer {
            reads: format!("file = {}", quoted(&like.pattern)),
            files,
            axes: axes_of(environments.iter().next().map(String::as_str)),
            ..Layer::default()
        };
        if like.has_documents {
            base.fields.push(format!(
                "document = {{ kind = {}, \"metadata.name\" = {} }}",
                quoted(&like.kind),
                quoted(&like.name)
            ));
        }
        if !environments.is_empty() {
            base.fields.push("optional = true".to_owned());
        }
        let parens =
            members.iter().find_map(|(it, _)| Some(format!("{}:{}", it.path, it.marks.parens?)));
        let level = u32::from(!environments.is_empty());
        of_map(&like, &members, &base, level, &taken_in, draft);
        of_containers(&like, &members, &base, level, parens.as_deref(), draft);
    }
}

fn of_map(
    like: &Like,
    members: &[(&Manifest, Option<String>)],
    base: &Layer,
    level: u32,
    taken_in: &BTreeMap<String, Vec<String>>,
    draft: &mut Draft,
) {
    let Some((first, line)) = members.iter().find_map(|(it, _)| Some((it, it.data?))) else {
        return;
    };
    let Some(services) = taken_in.get(&like.name) else {
        let why = "a map of values that no container takes in whole".to_owned();
        draft.left.push(Left { spot: Spot::new(&first.path, line), why });
        return;
    };
    let mut layer = base.clone();
    layer.name = as_name(&like.name);
    // What a container sets itself is stronger than any map that it takes in.
    layer.rank = (rank::CLUSTER, 0, level, like.pattern.clone());
    layer.fields.push("under = \"data\"".to_owned());
    layer.fields.push("names = \"variables\"".to_owned());
    layer.fields.push(format!("when = {{ {SERVICE} = {} }}", list(services)));
    layer.because.push(format!(
        "{}:{line}: a map of values, taken in whole by {}.",
        first.path,
        services.join(", ")
    ));
    add_services(draft, services, format!("{}: containers {}", like.pattern, services.join(", ")));
    draft.layers.push(layer);
}

fn of_containers(
    like: &Like,
    members: &[(&Manifest, Option<String>)],
    base: &Layer,
    level: u32,
    parens: Option<&str>,
    draft: &mut Draft,
) {
    let mut names: Vec<String> = Vec::new();
    let mut spots: Vec<String> = Vec::new();
    for (manifest, _) in members {
        for container in &manifest.containers {
            let Some(line) = container.env else { continue };
            spots.push(Spot::new(&manifest.path, line).to_string());
            if !names.contains(&container.name) {
                names.push(container.name.clone());
            }
        }
    }
    let (Some((first, _)), false) = (members.first(), names.is_empty()) else { return };
    let mut layer = base.clone();
    layer.name = as_name(&like.name);
    layer.rank = (rank::CLUSTER, 1, level, like.pattern.clone());
    layer.fields.push(format!("under = \"$.{}[?@.name=='{{{SERVICE}}}'].env\"", first.way));
    layer.fields.push("pairs = true".to_owned());
    layer.fields.push("names = \"variables\"".to_owned());
    layer.fields.push(format!("when = {{ {SERVICE} = {} }}", list(&names)));
    layer.because.push(format!("{}: variables of {}.", spots.join(", "), names.join(", ")));
    if let Some(spot) = parens {
        layer.because.push(format!("{spot}: references are written $(NAME)."));
        layer.fields.push("references = \"parens\"".to_owned());
    }
    add_services(draft, &names, format!("{}: containers {}", like.pattern, names.join(", ")));
    draft.layers.push(layer);
}
