//! Which keys an expression names.

use cel::common::ast::{EntryExpr, Expr, LiteralValue, operators};
use cel::parser::Expression;

/// What was found in an expression.
#[derive(Debug, Default)]
pub(crate) struct Found {
    /// The keys, as segments, each once.
    pub(crate) paths: Vec<Vec<String>>,
    /// How many macros stand inside of each other.
    pub(crate) macros: usize,
}

/// The keys that an expression names, `all` being the map of all settings.
pub(crate) fn of(ast: &Expression, all: &str) -> Found {
    let mut walk = Walk { all, found: Found::default(), bound: Vec::new(), macros: 0 };
    walk.expression(&ast.expr);
    walk.found.paths.sort();
    walk.found.paths.dedup();
    walk.found
}

/// The key that an expression names, where nothing is bound.
pub(crate) fn path_of(expr: &Expr, all: &str) -> Option<Vec<String>> {
    Walk { all, found: Found::default(), bound: Vec::new(), macros: 0 }.path(expr)
}

struct Walk<'a> {
    all: &'a str,
    found: Found,
    /// Names that macros have bound.
    bound: Vec<String>,
    macros: usize,
}

impl Walk<'_> {
    fn expression(&mut self, expr: &Expr) {
        if let Some(path) = self.path(expr) {
            self.found.paths.push(path);
            return;
        }
        match expr {
            Expr::Unspecified | Expr::Ident(_) | Expr::Literal(_) => {}
            Expr::Call(call) => {
                call.target.iter().for_each(|target| self.expression(&target.expr));
                call.args.iter().for_each(|argument| self.expression(&argument.expr));
            }
            Expr::Select(select) => self.expression(&select.operand.expr),
            Expr::List(list) => list.elements.iter().for_each(|it| self.expression(&it.expr)),
            Expr::Map(map) => map.entries.iter().for_each(|entry| self.entry(&entry.expr)),
            Expr::Struct(of) => of.entries.iter().for_each(|entry| self.entry(&entry.expr)),
            Expr::Comprehension(comprehension) => {
                self.expression(&comprehension.iter_range.expr);
                self.expression(&comprehension.accu_init.expr);
                let before = self.bound.len();
                self.bound.push(comprehension.iter_var.clone());
                self.bound.push(comprehension.accu_var.clone());
                self.bound.extend(comprehension.iter_var2.clone());
                self.macros += 1;
                self.found.macros = self.found.macros.max(self.macros);
                self.expression(&comprehension.loop_cond.expr);
                self.expression(&comprehension.loop_step.expr);
                self.expression(&comprehension.result.expr);
                self.macros -= 1;
                self.bound.truncate(before);
            }
        }
    }

    fn entry(&mut self, entry: &EntryExpr) {
        match entry {
            EntryExpr::StructField(field) => self.expression(&field.value.expr),
            EntryExpr::MapEntry(entry) => {
                self.expression(&entry.key.expr);
                self.expression(&entry.value.expr);
            }
        }
    }

    /// The key that `a.b["c"]` names, if it is one and nothing that a macro has bound.
    fn path(&self, expr: &Expr) -> Option<Vec<String>> {
        let mut segments = Vec::new();
        let mut at = expr;
        let root = loop {
            match at {
                Expr::Ident(name) => break name,
                Expr::Select(select) => {
                    segments.push(select.field.clone());
                    at = &select.operand.expr;
                }
                Expr::Call(call) if call.func_name == operators::INDEX => {
                    let (of, index) = match (&call.target, call.args.as_slice()) {
                        (None, [of, index]) => (&of.expr, &index.expr),
                        (Some(of), [index]) => (&of.expr, &index.expr),
                        _ => return None,
                    };
                    let Expr::Literal(LiteralValue::String(name)) = index else { return None };
                    segments.push(name.inner().to_owned());
                    at = of;
                }
                _ => return None,
            }
        };
        if self.bound.contains(root) || root.starts_with('@') {
            return None;
        }
        if root != self.all || segments.is_empty() {
            segments.push(root.clone());
        }
        segments.reverse();
        Some(segments)
    }
}
