//! The ways to find the value of an axis.

use super::Situation;
use crate::folders::ancestors;
use crate::reader::load;
use justwhy_core::{AxisOrigin, AxisValue, Fact, Origin, Place, Span, list_values};
use justwhy_formats::{Format, Kind, Tree, Under, scalar_at, shown_name};
use justwhy_project::{Branch, Error, ProjectAxis, Way};

/// What a way to read an axis came to.
pub(super) enum AxisFound {
    Value(String, AxisOrigin),
    /// Nothing, and why.
    Nothing(Fact),
}

impl Situation {
    /// What one of the ways gives, as far as the other axes are `found`.
    pub(super) fn look(
        &self,
        axis: &ProjectAxis,
        read: &Way,
        found: &[Option<AxisValue>],
    ) -> Result<AxisFound, Error> {
        match read {
            Way::Variable(name) => self.variable(axis, name),
            Way::VariableMap { name, map, at } => self.variable_map(axis, name, (map, *at)),
            Way::FileKey { path, format, under, .. } => self.file_key(path, *format, under),
            Way::Host(patterns) => Ok(self.host(patterns)),
            Way::Tag(patterns) => Ok(self.tag(patterns)),
            Way::File(path) => self.file(path),
            Way::FileVariable { path, name } => self.file_variable(path, name),
            Way::Branch(patterns) => Ok(self.branch(patterns)),
            Way::Folder(glob, pattern) => {
                let inside = self.inside().unwrap_or_default();
                let folders = ancestors(inside);
                let folder = folders.into_iter().find(|folder| glob.matches(folder));
                Ok(match folder {
                    Some(folder) => {
                        let name = folder.rsplit('/').next().unwrap_or_default();
                        AxisFound::Value(name.to_owned(), AxisOrigin::Folder(folder.to_owned()))
                    }
                    None => AxisFound::Nothing(
                        Fact::new("not in a folder {pattern}").with("pattern", pattern),
                    ),
                })
            }
            Way::Axis { axis: other, map, .. } => {
                let value = found.iter().flatten().find(|value| value.axis == *other);
                let Some(value) = value.and_then(|value| value.value.as_deref()) else {
                    return Ok(AxisFound::Nothing(
                        Fact::new("{axis} is unset").with("axis", other),
                    ));
                };
                let mapped = map.iter().find(|(from, ..)| from == value);
                Ok(match mapped {
                    Some((_, to, _)) => {
                        AxisFound::Value(to.clone(), AxisOrigin::Axis(other.clone()))
                    }
                    None => AxisFound::Nothing(
                        Fact::new("no value for {axis}={value}")
                            .with("axis", other)
                            .with("value", value),
                    ),
                })
            }
        }
    }

    fn variable(&self, axis: &ProjectAxis, name: &str) -> Result<AxisFound, Error> {
        let value = match self.process_variable(name) {
            None => {
                return Ok(AxisFound::Nothing(Fact::new("{name} is not set").with("name", name)));
            }
            Some(value) if value.is_empty() => {
                return Ok(AxisFound::Nothing(Fact::new("{name} is empty").with("name", name)));
            }
            Some(value) => value,
        };
        let Some(value) = value.to_str() else {
            let message = format!(
                "the environment variable {name} of the axis {} is not UTF-8",
                axis.axis.name
            );
            return Err(Error::new("bad-context", message).at_place(Place::whole(Origin::Process)));
        };
        Ok(AxisFound::Value(value.to_owned(), AxisOrigin::Variable(name.to_owned())))
    }

    /// What the value of a process variable gives.
    fn variable_map(
        &self,
        axis: &ProjectAxis,
        name: &str,
        (map, at): (&[(String, String)], Span),
    ) -> Result<AxisFound, Error> {
        let (value, origin) = match self.variable(axis, name)? {
            AxisFound::Value(value, origin) => (value, origin),
            nothing => return Ok(nothing),
        };
        if let Some((_, to)) = map.iter().find(|(from, _)| *from == value) {
            return Ok(AxisFound::Value(to.clone(), origin));
        }
        let from: Vec<&str> = map.iter().map(|(from, _)| from.as_str()).collect();
        let message = format!(
            "the environment variable {name} is {}, for which the axis {} has no value",
            shown_name(&value),
            axis.axis.name
        );
        let position = Some(self.project.text.position(at.start));
        let error = Error::new("bad-context", message);
        let error = error.also("mapped at", &self.project.file, position);
        Err(error
            .help(format!("set it to {}, or add the value to `map`", list_values(&from, "or"))))
    }

    fn file_key(&self, path: &str, format: Format, under: &Under) -> Result<AxisFound, Error> {
        let Some(text) = load(&self.project, &*self.world, path)? else {
            return Ok(not_found(path));
        };
        let found = scalar_at(format, text.text(), under, self.project.limits)
            .map_err(|fault| justwhy_project::attach(fault, path, &text))?;
        Ok(match found {
            None => AxisFound::Nothing(Fact::new("{path} does not set it").with("path", path)),
            Some((value, _)) if value.is_empty() => {
                AxisFound::Nothing(Fact::new("{path} is empty there").with("path", path))
            }
            Some((value, at)) => {
                let line = text.position(at.start).line;
                AxisFound::Value(value, AxisOrigin::FileKey { path: path.to_owned(), line })
            }
        })
    }

    fn host(&self, patterns: &[(justwhy_project::Glob, String, String)]) -> AxisFound {
        let Some(name) = self.world.host() else {
            return AxisFound::Nothing(Fact::new("the name of the host is not known"));
        };
        match patterns.iter().find(|(glob, ..)| glob.matches(&name)) {
            Some((_, pattern, value)) => {
                AxisFound::Value(value.clone(), AxisOrigin::Host { name, pattern: pattern.clone() })
            }
            None => AxisFound::Nothing(
                Fact::new("no pattern matches the host {name}").with("name", name),
            ),
        }
    }

    fn tag(&self, patterns: &[(justwhy_project::Glob, String, String)]) -> AxisFound {
        let tags = match self.world.tags(&self.project.folder) {
            Ok(tags) if tags.is_empty() => {
                return AxisFound::Nothing(Fact::new("HEAD has no git tag"));
            }
            Ok(tags) => tags,
            Err(why) => return AxisFound::Nothing(Fact::told(why)),
        };
        for (glob, pattern, value) in patterns {
            if let Some(name) = tags.iter().find(|name| glob.matches(name)) {
                let origin = AxisOrigin::Tag { name: name.clone(), pattern: pattern.clone() };
                return AxisFound::Value(value.clone(), origin);
            }
        }
        AxisFound::Nothing(
            Fact::new("no pattern matches the git tag {tags}")
                .with("tags", list_values(&tags, "or")),
        )
    }

    fn file(&self, path: &str) -> Result<AxisFound, Error> {
        let Some(text) = load(&self.project, &*self.world, path)? else {
            return Ok(not_found(path));
        };
        Ok(match text.text().trim() {
            "" => AxisFound::Nothing(Fact::new("{path} is empty").with("path", path)),
            value => AxisFound::Value(value.to_owned(), AxisOrigin::File(path.to_owned())),
        })
    }

    fn file_variable(&self, path: &str, name: &str) -> Result<AxisFound, Error> {
        let Some(text) = load(&self.project, &*self.world, path)? else {
            return Ok(not_found(path));
        };
        let tree = Format::ENV
            .parse(text.text(), self.project.limits)
            .map_err(|fault| justwhy_project::attach(fault, path, &text))?;
        let entries = tree.entries(Tree::ROOT).map(|id| tree.node(id));
        let node = entries.filter(|node| node.name == name).last();
        Ok(match node.map(|node| (&node.kind, node.at)) {
            Some((Kind::Text(value), at)) if !value.is_empty() => {
                let line = text.position(at.start).line;
                let (name, path) = (name.to_owned(), path.to_owned());
                AxisFound::Value(value.to_string(), AxisOrigin::FileVariable { name, path, line })
            }
            Some(_) => AxisFound::Nothing(
                Fact::new("{name} in {path} is empty").with("name", name).with("path", path),
            ),
            None => AxisFound::Nothing(
                Fact::new("{path} has no {name}").with("path", path).with("name", name),
            ),
        })
    }

    fn branch(&self, patterns: &[(justwhy_project::Glob, String, String)]) -> AxisFound {
        let branch = self.branch.get_or_init(|| self.world.branch(&self.project.folder));
        let name = match branch {
            Branch::On(name) => name,
            Branch::Detached => {
                return AxisFound::Nothing(Fact::new(
                    "no git branch is checked out (detached head)",
                ));
            }
            Branch::NoRepository => return AxisFound::Nothing(Fact::new("no git repository")),
            Branch::Unknown(why) => return AxisFound::Nothing(Fact::told(why)),
        };
        match patterns.iter().find(|(glob, ..)| glob.matches(name)) {
            Some((_, pattern, value)) => {
                let origin = AxisOrigin::Branch { name: name.clone(), pattern: pattern.clone() };
                AxisFound::Value(value.clone(), origin)
            }
            None => AxisFound::Nothing(
                Fact::new("no pattern matches the git branch {name}").with("name", name),
            ),
        }
    }
}

fn not_found(path: &str) -> AxisFound {
    AxisFound::Nothing(Fact::new("file not found: {path}").with("path", path))
}
