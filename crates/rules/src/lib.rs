//! Rules between settings: expressions in CEL, the Common Expression Language.
//!
//! [`Expression::parse`] reads one and finds out which settings it looks at; [`Expression::judge`]
//! shows whether it holds for their values. It is in a crate of its own, as the evaluator takes
//! long to build and nothing but checking needs it.
//!
//! Settings are variables by their keys: `forecast.timeout < 30`. What is no name in CEL (a segment
//! with a `-`, or a word that CEL keeps for itself) is reached by brackets:
//! `database["pool-max"]`, or `settings["in"].x` for the first segment. A duration is a number of
//! seconds, a size a number of bytes.

mod cost;
mod paths;
#[cfg(test)]
mod tests;

use cel::objects::{Key, Map};
use cel::parser::{Expression as Ast, Parser};
use cel::{Context, ExecutionError, Value as CelValue};
use justwhy_core::{Declaration, Shape, Value, read_duration, read_size};
use std::collections::HashMap;
use std::sync::Arc;

/// The name of the map of all settings.
const ALL: &str = "settings";
/// How deep brackets may nest: the parser recurses.
const MOST_BRACKETS: usize = 32;
/// How many macros such as `all` may be inside of each other: each goes through a list.
const MOST_MACROS: usize = 2;
/// Long chains of operators nest deep too, so that they are parsed and evaluated on a stack of this
/// size.
const STACK: usize = 256 * 1024 * 1024;

/// An expression over settings.
#[derive(Debug)]
pub struct Expression {
    ast: Ast,
    /// The keys that it names, as segments; each is a setting or a branch.
    paths: Vec<Vec<String>>,
}

/// Why a text is no expression.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct BadExpression {
    /// What is wrong, as a clause.
    pub problem: String,
    /// The line and column in the expression, from 1, if they are known.
    pub at: Option<(usize, usize)>,
}

/// A setting's key, as segments, and its value.
pub type Named = (Vec<String>, Value, Option<Arc<Shape>>);

/// Whether an expression holds.
#[derive(Clone, PartialEq, Eq, Debug)]
pub enum Judgement {
    /// It does.
    Holds,
    /// It does not.
    Broken,
    /// It cannot be told, and why: a clause without any value.
    Unclear(String),
}

impl Expression {
    /// Reads an expression.
    pub fn parse(text: &str) -> Result<Expression, BadExpression> {
        let bad = |problem: String| BadExpression { problem, at: None };
        if deepest_bracket(text) > MOST_BRACKETS {
            return Err(bad(format!("brackets nest deeper than {MOST_BRACKETS}")));
        }
        let parsed = on_large_stack(|| match Parser::new().parse(text) {
            Ok(ast) => {
                let found = paths::of(&ast, ALL);
                Ok((ast, found))
            }
            Err(errors) => Err(errors.errors.first().map(|error| {
                let number = |at: isize| usize::try_from(at).ok();
                // The parser counts columns from 1 as lines.
                let at = number(error.pos.0).zip(number(error.pos.1));
                (first_line(&error.msg), at)
            })),
        });
        match parsed {
            None => Err(bad("the expression cannot be read".to_owned())),
            Some(Err(None)) => Err(bad("not an expression".to_owned())),
            Some(Err(Some((problem, at)))) => Err(BadExpression { problem, at }),
            Some(Ok((_, found))) if found.macros > MOST_MACROS => Err(bad(format!(
                "more than {MOST_MACROS} of all, exists, exists_one, map and filter are nested"
            ))),
            Some(Ok((ast, found))) => Ok(Expression { ast, paths: found.paths }),
        }
    }

    /// The keys that it names, as segments; each is a setting or a branch of settings.
    pub fn paths(&self) -> &[Vec<String>] {
        &self.paths
    }

    /// Whether it holds for each of several sets of settings: those that it names and that have a
    /// value.
    pub fn judge(&self, cases: &[Vec<Named>]) -> Vec<Judgement> {
        let judged = on_large_stack(|| {
            cases.iter().map(|settings| self.judge_one(settings)).collect::<Vec<_>>()
        });
        judged.unwrap_or_else(|| {
            cases.iter().map(|_| Judgement::Unclear("cannot be evaluated".to_owned())).collect()
        })
    }

    fn judge_one(&self, settings: &[Named]) -> Judgement {
        if cost::check(&self.ast.expr, settings, &|expr| paths::path_of(expr, ALL)).is_err() {
            return Judgement::Unclear("too many steps".to_owned());
        }
        let mut root = Branch::default();
        // A branch that is named is there, so that `has` can ask what is in it.
        for path in &self.paths {
            let above = path.len().saturating_sub(1);
            root.branch(&path[..above]);
        }
        for (path, value, shape) in settings {
            if let Some((last, above)) = path.split_last() {
                let value = convert(value, shape.as_deref());
                root.branch(above).entries.insert(last.clone(), Node::Value(value));
            }
        }
        let mut context = Context::default();
        for (name, node) in &root.entries {
            context.add_variable_from_value(name.clone(), node.value());
        }
        context.add_variable_from_value(ALL, root.value());
        match context.resolve(&self.ast) {
            Ok(CelValue::Bool(true)) => Judgement::Holds,
            Ok(CelValue::Bool(false)) => Judgement::Broken,
            Ok(other) => Judgement::Unclear(format!(
                "the result has the type {}, not true or false",
                other.type_of()
            )),
            Err(error) => Judgement::Unclear(self.clause(&error)),
        }
    }
}

/// Settings below a key.
#[derive(Default)]
struct Branch {
    entries: HashMap<String, Node>,
}

enum Node {
    Value(CelValue),
    Branch(Branch),
}

impl Branch {
    /// The branch at a path; a value on the way gives way.
    fn branch(&mut self, path: &[String]) -> &mut Branch {
        let Some((first, rest)) = path.split_first() else { return self };
        let node =
            self.entries.entry(first.clone()).or_insert_with(|| Node::Branch(Branch::default()));
        if matches!(node, Node::Value(_)) {
            *node = Node::Branch(Branch::default());
        }
        match node {
            Node::Branch(branch) => branch.branch(rest),
            Node::Value(_) => unreachable!("it has keys below it"),
        }
    }

    fn value(&self) -> CelValue {
        let entries =
            self.entries.iter().map(|(name, node)| (Key::from(name.as_str()), node.value()));
        CelValue::Map(Map { map: Arc::new(entries.collect()) })
    }
}

impl Node {
    fn value(&self) -> CelValue {
        match self {
            Node::Value(value) => value.clone(),
            Node::Branch(branch) => branch.value(),
        }
    }
}

/// A value as CEL has it.
fn convert(value: &Value, shape: Option<&Shape>) -> CelValue {
    let kind = shape.map(|shape| shape.kind).unwrap_or_default();
    match (value, kind) {
        (Value::Text(text), Declaration::Duration) => match read_duration(text) {
            Some(time) => seconds(time),
            None => text.as_ref().into(),
        },
        (Value::Text(text), Declaration::Size) => match read_size(text) {
            Some(bytes) => CelValue::Int(i64::try_from(bytes).unwrap_or(i64::MAX)),
            None => text.as_ref().into(),
        },
        // Nobody asks about one that cannot be read.
        (Value::Null | Value::Unread, _) => CelValue::Null,
        (Value::Boolean(value), _) => CelValue::Bool(*value),
        (Value::Integer(value), _) => CelValue::Int(*value),
        (Value::Number(value), _) => CelValue::Float(*value),
        (Value::Text(text), _) => text.as_ref().into(),
        (Value::List(items), _) => {
            let items = items.iter().map(|item| convert(&item.value, None));
            CelValue::List(Arc::new(items.collect()))
        }
        (Value::Map(entries), _) => {
            let entries = entries
                .iter()
                .map(|entry| (Key::from(entry.name.as_ref()), convert(&entry.value, None)));
            CelValue::Map(Map { map: Arc::new(entries.collect()) })
        }
    }
}

/// Whole seconds are an integer, so that they compare exactly.
fn seconds(time: justwhy_core::Nanoseconds) -> CelValue {
    const SECOND: justwhy_core::Nanoseconds = 1_000_000_000;
    match i64::try_from(time / SECOND) {
        Ok(whole) if time % SECOND == 0 => CelValue::Int(whole),
        _ => CelValue::Float(time as f64 / SECOND as f64),
    }
}

impl Expression {
    /// What went wrong, without any value: what the evaluator has itself may hold a secret. A key that
    /// the expression does not name itself is the value of a setting.
    fn clause(&self, error: &ExecutionError) -> String {
        let is_named = |name: &str| self.paths.iter().flatten().any(|segment| segment == name);
        match error {
            ExecutionError::NoSuchKey(name) if is_named(name) => {
                format!("{name} is not set here; has(…) asks whether it is set")
            }
            ExecutionError::NoSuchKey(_) => "no such key".to_owned(),
            ExecutionError::UndeclaredReference(name) if is_named(name) => {
                format!("no such key: {name}")
            }
            error => clause(error),
        }
    }
}

/// The same where no name is told.
fn clause(error: &ExecutionError) -> String {
    match error {
        ExecutionError::UndeclaredReference(_) => "no such name".to_owned(),
        ExecutionError::NoSuchOverload(overload) => format!(
            "{} cannot be applied to {}",
            shown_function(overload.function()),
            justwhy_core::list_values(overload.argument_types(), "and")
        ),
        ExecutionError::InvalidArgumentCount { expected, actual } => {
            format!("a function has {actual} arguments instead of {expected}")
        }
        ExecutionError::FunctionError { function, .. } => format!("{function} failed"),
        ExecutionError::DivisionByZero(_) | ExecutionError::RemainderByZero(_) => {
            "division by zero".to_owned()
        }
        ExecutionError::Overflow(..) => "a number is too large".to_owned(),
        ExecutionError::IndexOutOfBounds(_) => "list index out of range".to_owned(),
        _ => "the types of the settings do not fit".to_owned(),
    }
}

/// `_<_` is `<`.
fn shown_function(name: &str) -> &str {
    name.trim_matches(['_', '@'])
}

/// The deepest nesting of brackets, texts left out.
fn deepest_bracket(text: &str) -> usize {
    let (mut depth, mut deepest) = (0_usize, 0);
    let mut quote = None;
    let mut before = ' ';
    for c in text.chars() {
        match (quote, c) {
            (Some(open), c) if c == open && before != '\\' => quote = None,
            (Some(_), _) => {}
            (None, '"' | '\'') => quote = Some(c),
            (None, '(' | '[' | '{') => {
                depth += 1;
                deepest = deepest.max(depth);
            }
            (None, ')' | ']' | '}') => depth = depth.saturating_sub(1),
            (None, _) => {}
        }
        before = if before == '\\' { ' ' } else { c };
    }
    deepest
}

fn first_line(message: &str) -> String {
    const MOST: usize = 200;
    let line = message.lines().next().unwrap_or_default();
    let line = line.strip_prefix("Syntax error: ").unwrap_or(line);
    // The parser lists everything that could be there, by its own names.
    let line = line.split(" expecting {").next().unwrap_or(line);
    let line = line.replace("'<EOF>'", "the end").replace("<EOF>", "");
    line.chars().take(MOST).collect()
}

/// Runs something that recurses deep; `None` if it could not be run to its end.
fn on_large_stack<T: Send>(work: impl FnOnce() -> T + Send) -> Option<T> {
    std::thread::scope(|scope| {
        let thread = std::thread::Builder::new().stack_size(STACK).spawn_scoped(scope, work);
        thread.ok()?.join().ok()
    })
}
