//! What it would cost to evaluate an expression, found out before anybody does: the evaluator has no
//! bounds of its own, and a list of ten thousand items that is gone through for each of its items takes
//! half a minute.
//!
//! Each part of an expression has a size that it can have at most, made of the sizes of the settings that
//! it names. What is in a macro counts as often as the list has items.

use super::Named;
use cel::common::ast::{EntryExpr, Expr, LiteralValue, operators};
use justwhy_core::Value;
use std::collections::HashMap;

/// What evaluating may cost: about a second.
const MOST: u64 = 80_000_000;
/// How large anything may become in between.
const MOST_BYTES: u64 = 64 * 1024 * 1024;
/// What a step costs, and how many bytes cost as much as one unit.
const STEP: u64 = 16;
const BYTES_PER_UNIT: u64 = 16;
/// What a regular expression costs before it is matched.
const PATTERN: u64 = 20_000;

/// What answers with a number or whether something is so, whatever it is given.
const SINGLE: [&str; 16] = [
    operators::LOGICAL_AND,
    operators::LOGICAL_OR,
    operators::LOGICAL_NOT,
    operators::NOT_STRICTLY_FALSE,
    operators::EQUALS,
    operators::NOT_EQUALS,
    operators::LESS,
    operators::LESS_EQUALS,
    operators::GREATER,
    operators::GREATER_EQUALS,
    operators::IN,
    "contains",
    "endsWith",
    "size",
    "startsWith",
    "int",
];

/// It would cost too much.
#[derive(Debug)]
pub(crate) struct TooMuch;

/// How large a value is at most.
#[derive(Clone, Copy, Default, Debug)]
struct Size {
    /// All of it.
    bytes: u64,
    /// How many items it has.
    items: u64,
    /// The largest of them.
    item: u64,
}

impl Size {
    /// A number, or whether something is so.
    const SINGLE: Size = Size { bytes: 8, items: 1, item: 8 };

    fn of(value: &Value) -> Size {
        match value {
            Value::Text(text) => {
                let bytes = 8 + text.len() as u64;
                Size { bytes, items: text.len() as u64, item: 8 }
            }
            Value::List(items) => Size::all(items.iter().map(|item| Size::of(&item.value))),
            Value::Map(entries) => Size::all(entries.iter().map(|entry| Size {
                bytes: Size::of(&entry.value).bytes + entry.name.len() as u64,
                ..Size::default()
            })),
            _ => Size::SINGLE,
        }
    }

    fn all(parts: impl Iterator<Item = Size>) -> Size {
        let whole = Size { bytes: 16, ..Size::default() };
        parts.fold(whole, |whole, part| Size {
            bytes: whole.bytes.saturating_add(part.bytes),
            items: whole.items + 1,
            item: whole.item.max(part.bytes),
        })
    }

    /// Both together, as `+` makes it.
    fn and(self, other: Size) -> Size {
        Size {
            bytes: self.bytes.saturating_add(other.bytes),
            items: self.items.saturating_add(other.items),
            item: self.item.max(other.item),
        }
    }

    fn times(self, count: u64) -> Size {
        Size {
            bytes: self.bytes.saturating_mul(count),
            items: self.items.saturating_mul(count),
            item: self.item,
        }
    }

    /// Any of its items.
    fn of_item(self) -> Size {
        Size { bytes: self.item, items: self.item, item: self.item }
    }
}

/// Refuses an expression that would cost too much with these settings.
pub(crate) fn check(
    expr: &Expr,
    settings: &[Named],
    path: &dyn Fn(&Expr) -> Option<Vec<String>>,
) -> Result<(), TooMuch> {
    let sizes: Vec<(&[String], Size)> =
        settings.iter().map(|(path, value, _)| (path.as_slice(), Size::of(value))).collect();
    let mut counting = Counting { sizes, path, bound: HashMap::new(), cost: 0 };
    counting.size(expr).map(drop)
}

struct Counting<'c> {
    sizes: Vec<(&'c [String], Size)>,
    path: &'c dyn Fn(&Expr) -> Option<Vec<String>>,
    /// What macros have bound.
    bound: HashMap<String, Size>,
    cost: u64,
}

impl Counting<'_> {
    fn pay(&mut self, size: Size) -> Result<Size, TooMuch> {
        self.cost = self.cost.saturating_add(STEP + size.bytes / BYTES_PER_UNIT);
        match self.cost > MOST || size.bytes > MOST_BYTES {
            true => Err(TooMuch),
            false => Ok(size),
        }
    }

    /// All settings at or below a path, or the one that it leads into.
    fn settings(&self, path: &[String]) -> Size {
        let mut of_path = self.sizes.iter().filter(|(of, _)| of.starts_with(path)).peekable();
        if of_path.peek().is_none() {
            let above = self.sizes.iter().filter(|(of, _)| path.starts_with(of));
            return above.map(|(_, size)| *size).max_by_key(|size| size.bytes).unwrap_or_default();
        }
        let exact = self.sizes.iter().find(|(of, _)| *of == path);
        exact.map_or_else(|| Size::all(of_path.map(|(_, size)| *size)), |(_, size)| *size)
    }

    fn size(&mut self, expr: &Expr) -> Result<Size, TooMuch> {
        if let Expr::Ident(name) = expr
            && let Some(size) = self.bound.get(name)
        {
            let size = *size;
            return self.pay(size);
        }
        if !self.names_bound(expr)
            && let Some(path) = (self.path)(expr)
        {
            let size = self.settings(&path);
            return self.pay(size);
        }
        let size = match expr {
            Expr::Unspecified => Size::default(),
            Expr::Ident(_) => self.settings(&[]),
            Expr::Literal(LiteralValue::String(text)) => {
                let bytes = text.inner().len() as u64 + 8;
                Size { bytes, items: bytes, item: 8 }
            }
            Expr::Literal(LiteralValue::Bytes(bytes)) => {
                let bytes = bytes.inner().len() as u64 + 8;
                Size { bytes, items: bytes, item: 8 }
            }
            Expr::Literal(_) => Size::SINGLE,
            Expr::Call(call) => {
                let target = call.target.iter().map(|it| &it.expr);
                let mut parts = Vec::with_capacity(call.args.len() + 1);
                for part in target.chain(call.args.iter().map(|it| &it.expr)) {
                    parts.push(self.size(part)?);
                }
                self.answer(&call.func_name, &parts)
            }
            Expr::Select(select) => {
                let of = self.size(&select.operand.expr)?;
                Size { bytes: of.bytes, items: of.bytes, item: of.bytes }
            }
            Expr::List(list) => {
                let mut parts = Vec::with_capacity(list.elements.len());
                for part in &list.elements {
                    parts.push(self.size(&part.expr)?);
                }
                Size::all(parts.into_iter())
            }
            Expr::Map(map) => self.entries(map.entries.iter().map(|it| &it.expr))?,
            Expr::Struct(of) => self.entries(of.entries.iter().map(|it| &it.expr))?,
            Expr::Comprehension(comprehension) => {
                let range = self.size(&comprehension.iter_range.expr)?;
                let init = self.size(&comprehension.accu_init.expr)?;
                let before = self.bound.clone();
                self.bound.insert(comprehension.iter_var.clone(), range.of_item());
                if let Some(name) = &comprehension.iter_var2 {
                    self.bound.insert(name.clone(), range.of_item());
                }
                // Each round adds to what there is so far.
                self.bound.insert(comprehension.accu_var.clone(), Size::default());
                let until_here = self.cost;
                self.size(&comprehension.loop_cond.expr)?;
                let step = self.size(&comprehension.loop_step.expr)?;
                let round = self.cost - until_here;
                let grown = init.and(step.times(range.items));
                let is_list = init.bytes == 16;
                // A list is copied in each round.
                let copies = if is_list { grown.bytes / BYTES_PER_UNIT / 2 } else { 0 };
                let rounds = round.saturating_add(copies).saturating_mul(range.items);
                self.cost = until_here.saturating_add(rounds);
                self.bound.insert(comprehension.accu_var.clone(), grown);
                let result = self.pay(grown).and_then(|_| self.size(&comprehension.result.expr));
                self.bound = before;
                result?
            }
        };
        self.pay(size)
    }

    /// How large what a function or an operator makes of its parts is.
    fn answer(&mut self, function: &str, parts: &[Size]) -> Size {
        let all = |begin: Size| parts.iter().fold(begin, |all, part| all.and(*part));
        match function {
            operators::ADD => all(Size { bytes: 16, ..Size::default() }),
            // Only one of them is taken.
            operators::CONDITIONAL => {
                let branches = parts.iter().skip(1);
                branches.fold(Size::default(), |largest, branch| Size {
                    bytes: largest.bytes.max(branch.bytes),
                    items: largest.items.max(branch.items),
                    item: largest.item.max(branch.item),
                })
            }
            "matches" => {
                self.cost = self.cost.saturating_add(PATTERN);
                Size::SINGLE
            }
            function if SINGLE.contains(&function) => Size::SINGLE,
            _ => all(Size { bytes: 64, items: 8, item: 8 }),
        }
    }

    fn entries<'e>(
        &mut self,
        entries: impl Iterator<Item = &'e EntryExpr>,
    ) -> Result<Size, TooMuch> {
        let mut parts = Vec::new();
        for entry in entries {
            match entry {
                EntryExpr::StructField(field) => parts.push(self.size(&field.value.expr)?),
                EntryExpr::MapEntry(entry) => {
                    let key = self.size(&entry.key.expr)?;
                    parts.push(key.and(self.size(&entry.value.expr)?));
                }
            }
        }
        Ok(Size::all(parts.into_iter()))
    }

    /// Whether an expression begins at a name that a macro has bound.
    fn names_bound(&self, expr: &Expr) -> bool {
        let mut at = expr;
        loop {
            match at {
                Expr::Ident(name) => return self.bound.contains_key(name),
                Expr::Select(select) => at = &select.operand.expr,
                Expr::Call(call) => match (&call.target, call.args.first()) {
                    (Some(of), _) => at = &of.expr,
                    (None, Some(of)) => at = &of.expr,
                    (None, None) => return false,
                },
                _ => return false,
            }
        }
    }
}
