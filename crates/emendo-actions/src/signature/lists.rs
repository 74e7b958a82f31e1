//! What becomes of the lists: parameters at definitions, arguments at calls.

use std::collections::BTreeMap;

use emendo_lang::{
    ArgumentSite, CallSite, Certainty, Fact, FunctionSite, Language, ParamSite, Space,
};
use emendo_recipe::{Action, Table, Text, Value};
use emendo_text::{Diagnostic, Span, Splice};

use crate::contract::{Change, CompileCx};
use crate::meaning::Place;
use crate::shared::names;
use crate::signature::callable::{Assigned, Callable};
use crate::signature::items::{EFFECTS, drop_grouped, drop_items, insert_items, move_items, short};
use crate::signature::output::Gathered;
use crate::signature::output::{release, spelled};

/// What happens to the parameters.
pub(super) struct Lists {
    language: &'static Language,
    /// Places that go, from 1.
    pub(super) drop: Vec<usize>,
    add: Vec<Add>,
    retype: Vec<Retype>,
    order: Vec<usize>,
    label: Vec<(usize, String)>,
    once: bool,
    names: BTreeMap<String, String>,
}

struct Add {
    at: usize,
    name: Option<String>,
    ty: Option<String>,
    value: Option<String>,
}

struct Retype {
    at: usize,
    from: Option<String>,
    to: String,
}

fn place(t: &Table, key: &str) -> Option<usize> {
    match t.get(key).map(|n| &n.value) {
        Some(Value::Integer(i)) => usize::try_from(*i).ok(),
        _ => None,
    }
}

/// The whole numbers of a list.
pub(super) fn numbers(t: &Table, key: &str) -> Vec<usize> {
    let Some(Value::List(items)) = t.get(key).map(|n| &n.value) else {
        return Vec::new();
    };
    let one = |n: &emendo_recipe::Node| match n.value {
        Value::Integer(i) => usize::try_from(i).ok(),
        _ => None,
    };
    items.iter().filter_map(one).collect()
}

impl Lists {
    pub(super) fn compile(
        language: &'static Language,
        action: &Action,
        cx: &mut CompileCx<'_>,
    ) -> Option<Self> {
        let text = |t: &Table, key: &str| t.text(key).map(|t| t.text.clone());
        let mut out = Self {
            language,
            drop: numbers(&action.table, "drop"),
            add: Vec::new(),
            retype: Vec::new(),
            order: numbers(&action.table, "order"),
            label: Vec::new(),
            once: action.table.is_true("once"),
            names: names(action, cx),
        };
        for (t, _) in action.table.tables("add") {
            out.add.push(Add {
                at: place(t, "at")?,
                name: text(t, "name"),
                ty: text(t, "type"),
                value: text(t, "value"),
            });
        }
        out.add.sort_by_key(|a| a.at);
        for (t, _) in action.table.tables("retype") {
            let (from, to) = (text(t, "from"), text(t, "to")?);
            out.retype.push(Retype { at: place(t, "at")?, from, to });
        }
        for (t, _) in action.table.tables("label") {
            out.label.push((place(t, "at")?, text(t, "to")?));
        }
        let mut sorted = out.order.clone();
        sorted.sort_unstable();
        let whole = sorted.iter().enumerate().all(|(i, n)| *n == i + 1);
        if !whole {
            let span = action.table.get("order").map_or(action.span, |n| n.span);
            return cx.refuse(
                "`order` must name each place once",
                span,
                "`order = [2, 1, 3]` puts the second parameter first",
            );
        }
        let counts = !out.drop.is_empty() || !out.add.is_empty();
        if counts && !out.order.is_empty() {
            return cx.refuse(
                "`order` cannot be combined with other keys",
                action.span,
                "write `drop` and `add` in a `signature` of their own",
            );
        }
        Some(out)
    }

    pub(super) fn is_empty(&self) -> bool {
        self.drop.is_empty()
            && self.add.is_empty()
            && self.retype.is_empty()
            && self.order.is_empty()
            && self.label.is_empty()
    }

    /// A place that is done must be told from one that is not, and all places must be there.
    pub(super) fn check(
        &self,
        callable: &Callable,
        text: &Text,
        once: bool,
        cx: &mut CompileCx<'_>,
    ) -> Option<()> {
        let counts = !self.drop.is_empty() || !self.add.is_empty() || !self.order.is_empty();
        let Some(params) = &callable.params else {
            if counts {
                let d = Diagnostic::error(
                    format!("`{}` does not say its parameters", text.text),
                    text.span,
                );
                cx.out.push(d.help(format!(
                    "write them, so that a finished place can be told from an unfinished one: `{}(K, _)`",
                    text.text
                )));
            }
            return (!counts).then_some(());
        };
        if callable.labeled {
            let own = callable.labels();
            let same = !self.order.is_empty()
                && self.order.iter().enumerate().all(|(i, n)| own.get(i) == own.get(n - 1));
            if same && !once {
                return cx.refuse(
                    "a place with the new order cannot be told from one with the old",
                    text.span,
                    "its labels are the same in both: write `once = true`",
                );
            }
        }
        let all = self.drop.iter().chain(&self.order).copied();
        let all = all.chain(self.retype.iter().map(|r| r.at)).chain(self.label.iter().map(|l| l.0));
        if let Some(n) = all.into_iter().find(|n| *n == 0 || *n > params.len()) {
            return cx.refuse(
                format!("there is no parameter {n}"),
                text.span,
                format!("places count from 1; this callable has {}", params.len()),
            );
        }
        if self.again(callable).is_some() && !once {
            return cx.refuse("a finished call cannot be told from an unfinished one: both have the same number of arguments",
                text.span, "write the types of the parameters, or `once = true`");
        }
        let moved = |i: usize, n: usize| {
            let (a, b) = (&params[i].ty, &params[n - 1].ty);
            i + 1 != n && *a != emendo_lang::Ty::Unknown && a != b
        };
        let told = self.order.iter().enumerate().any(|(i, n)| moved(i, *n));
        if !self.order.is_empty() && !told && !once && !callable.labeled {
            return cx.refuse(
                "a place with the new order cannot be told from one with the old",
                text.span,
                "write the types of the parameters, or `once = true`",
            );
        }
        Some(())
    }

    /// A number of arguments with which a call that is done would be changed once more.
    fn again(&self, callable: &Callable) -> Option<usize> {
        let params = callable.params.as_ref().filter(|_| !callable.labeled)?;
        let least = params.iter().filter(|p| !p.optional && !p.rest).count();
        if !self.drop.is_empty() {
            let kept: Vec<_> = params
                .iter()
                .enumerate()
                .filter(|(i, _)| !self.drop.contains(&(i + 1)))
                .map(|(_, p)| p)
                .collect();
            let first = *self.drop.iter().min()?;
            let most = kept.len() + self.add.len();
            return (least.max(first)..=most).find(|n| {
                let told = kept.iter().zip(params).take(*n).any(|(k, p)| {
                    let known = |t: &emendo_lang::Ty| *t != emendo_lang::Ty::Unknown;
                    known(&k.ty) && known(&p.ty) && k.ty != p.ty
                });
                !told
            });
        }
        let more = least + self.add.len();
        (!self.add.is_empty() && more <= params.len()).then_some(more)
    }

    /// How many arguments a function takes after the change; none where that says nothing.
    pub(super) fn count_after(&self, count: usize) -> Option<usize> {
        let new = (count + self.add.len()).checked_sub(self.drop.len())?;
        (new != count && self.order.is_empty()).then_some(new)
    }

    /// The labels of a function after the change.
    pub(super) fn labels_after(&self, labels: &[&str]) -> Vec<String> {
        let label = |(i, own): (usize, &&str)| {
            let new = self.label.iter().find(|l| l.0 == i + 1).map(|l| l.1.as_str());
            new.unwrap_or(own).to_owned()
        };
        let all: Vec<String> = labels.iter().enumerate().map(label).collect();
        let mut out: Vec<String> = match self.order.is_empty() {
            true => {
                let kept = all.iter().enumerate().filter(|(i, _)| !self.drop.contains(&(i + 1)));
                kept.map(|(_, l)| l.clone()).collect()
            }
            false => self.order.iter().filter_map(|n| all.get(n - 1).cloned()).collect(),
        };
        for a in &self.add {
            let name = a.name.as_deref().and_then(|n| n.split_whitespace().next()).unwrap_or("_");
            out.insert((a.at - 1).min(out.len()), name.to_owned());
        }
        out
    }

    /// What an argument list becomes.
    pub(super) fn at_call(
        &self,
        p: &Place<'_>,
        (callable, call): (&Callable, &CallSite),
        assigned: &Assigned,
        change: &mut Change,
        facts: &mut Vec<Fact>,
        tokens: &mut Vec<Span>,
    ) -> Result<(), String> {
        let spread = call.arguments.iter().any(|a| a.spread);
        if spread && !(self.drop.is_empty() && self.add.is_empty() && self.order.is_empty()) {
            return Err(
                "an argument stands for several here: it is not clear which one goes".into()
            );
        }
        if !self.order.is_empty() && assigned.open && !self.once {
            return Err(
                "it is not clear whether the arguments are already in the new order: their types are unknown".into(),
            );
        }
        let count = callable.params.as_ref().map_or(0, Vec::len);
        let behind = |n: &usize| *n > count - assigned.behind.min(count);
        if assigned.behind > 0 && self.drop.iter().chain(&self.order).any(behind) {
            return Err(
                "what it is given stands behind the arguments here: change it by hand".into()
            );
        }
        for (at, name) in self.label.iter().filter(|_| self.language.names.labels) {
            if let Some(a) = assigned.of(*at) {
                label_at_call(p, a, name, change, tokens);
            }
        }
        for (at, name) in self.label.iter().filter(|_| !self.language.names.labels) {
            if let Some(key) = assigned.of(*at).and_then(|a| a.name)
                && p.text(key) != name
            {
                change.splices.push(Splice::text(key, name.as_str()));
                tokens.push(key);
            }
        }
        let gone = self.drop.iter().filter_map(|d| assigned.of(*d));
        let last = callable.params.as_ref().map_or(0, Vec::len);
        let more = assigned.more.iter().filter(|_| self.drop.contains(&last));
        let gone: Vec<Span> = gone.chain(more).map(|a| a.span).collect();
        if self.order.last().is_some_and(|n| *n != last) && !assigned.more.is_empty() {
            return Err("a parameter that takes several arguments stays the last".into());
        }
        for d in &self.drop {
            let Some(a) = assigned.of(*d) else { continue };
            if a.effects {
                let text = format!("`{}` is dropped, and {EFFECTS}", short(p.text(a.value)));
                facts.push(Fact { says: Certainty::Likely, text, at: Some(a.value) });
            }
        }
        let piped = usize::from(call.piped);
        let first = self.drop.contains(&1)
            || self.order.first().is_some_and(|n| *n != 1)
            || self.add.iter().any(|a| a.at == 1);
        if call.piped && first {
            return Err("its first argument stands before the pipe here: change it by hand".into());
        }
        let items: Vec<Span> = call.arguments.iter().map(|a| a.span).collect();
        drop_items(p, &items, &gone, call.list, change, tokens);
        move_items(
            &self.order,
            &|n| {
                let plain = |a: &&ArgumentSite| callable.labeled || a.name.is_none();
                assigned.of(n).filter(plain).map(|a| (a.span, a.effects))
            },
            change,
            facts,
            tokens,
        );
        let kept: Vec<Span> = items.into_iter().filter(|i| !gone.contains(i)).collect();
        let at = call.list.start;
        let named = call.arguments.iter().find(|a| a.name.is_some());
        let mut before: Vec<(usize, String)> = Vec::new();
        for a in &self.add {
            let Some(value) = &a.value else { continue };
            let value = spelled(p, value, &self.names, Space::Value, at, change)?;
            // After named arguments only named ones may stand.
            let behind = named.is_some_and(|n| {
                kept.get(a.at - 1 - piped).is_none_or(|k| k.start >= n.span.start)
            });
            let label = a.name.as_ref().filter(|_| self.language.names.labels);
            let label = label.and_then(|n| n.split_whitespace().next()).filter(|l| *l != "_");
            let text = match (&a.name, behind, named.and_then(|n| n.name.map(|k| (n, k)))) {
                _ if label.is_some() => format!("{}: {value}", label.unwrap_or_default()),
                _ if self.language.names.labels => value,
                (Some(name), true, Some((n, key))) => {
                    let sign = Span { start: key.end, end: n.value.start }.of(p.cx.text);
                    format!("{name}{sign}{value}")
                }
                _ => value,
            };
            before.push((a.at - piped, text));
        }
        insert_items(p, &kept, call.list, &before, change, tokens);
        Ok(())
    }

    /// What a list of parameters becomes.
    pub(super) fn at_definition(
        &self,
        p: &Place<'_>,
        callable: &Callable,
        f: &FunctionSite,
        out: &mut Gathered,
    ) -> Result<(), String> {
        let Gathered { change, facts, tokens, uses: lost } = out;
        let counts = callable.params.is_some();
        let items: Vec<Span> = f.params.iter().map(|p| p.span).collect();
        let at = f.list.start;
        for (n, name) in &self.label {
            let Some(own) = f.params.get(n - 1).and_then(|p| p.name) else { continue };
            if self.language.names.labels {
                let whole = f.params[n - 1].span;
                label_at_definition(p, whole, own, name, (change, tokens));
                continue;
            }
            let old = p.text(own);
            if old == name {
                continue;
            }
            let uses = p.resolver.uses_of_param(own);
            if !p.code.facts.is_free(name, f.span) {
                return Err(format!("`{old}` cannot be called `{name}` here: that is taken"));
            }
            for span in std::iter::once(own).chain(uses) {
                change.splices.push(Splice::text(span, name.as_str()));
            }
            tokens.push(own);
        }
        for r in &self.retype {
            let Some((span, _)) = f.params.get(r.at - 1).and_then(|p| p.ty.as_ref()) else {
                continue;
            };
            let to = spelled(p, &r.to, &self.names, Space::Type, at, change)?;
            let old = p.text(*span);
            if same_code(old, &to)
                || !r.from.as_ref().is_none_or(|from| is_type(&self.names, old, from))
            {
                continue;
            }
            release(p, &[*span], change);
            change.splices.push(Splice::text(*span, to));
            tokens.push(*span);
        }
        if !counts {
            return Ok(());
        }
        let gone: Vec<Span> = self.drop.iter().filter_map(|d| items.get(d - 1).copied()).collect();
        for d in &self.drop {
            lost.extend(f.params.get(d - 1).and_then(|own| used(p, own)));
        }
        drop_grouped(p, f, &gone, change, tokens);
        move_items(&self.order, &|n| items.get(n - 1).map(|i| (*i, false)), change, facts, tokens);
        let mut before = Vec::new();
        for a in &self.add {
            let Some(name) = &a.name else {
                return Err("a parameter is added, and the recipe does not name it".into());
            };
            let mark = self.language.names.variable_mark;
            let name = format!("{mark}{name}");
            let called = self.language.typing.syntax.called.is_some();
            let text = match &a.ty {
                // Types stand in a declaration of their own.
                ty if called && f.typed => match ty {
                    Some(ty) => spelled(p, ty, &self.names, Space::Type, at, change)?,
                    None => "term".to_owned(),
                },
                _ if called && f.has_body => format!("_{name}"),
                _ if called => name,
                None => name,
                Some(ty) => {
                    let ty = spelled(p, ty, &self.names, Space::Type, at, change)?;
                    if self.language.typing.built_in.type_first {
                        format!("{ty} {name}")
                    } else {
                        format!("{name}: {ty}")
                    }
                }
            };
            before.push((a.at, text));
        }
        // What stands before all parameters, as the object itself, stays there.
        let lead = f.items.iter().take_while(|i| !items.contains(i)).count();
        let kept: Vec<Span> = f.items[..lead]
            .iter()
            .copied()
            .chain(items.iter().copied().filter(|i| !gone.contains(i)))
            .collect();
        let before: Vec<(usize, String)> = before.into_iter().map(|(n, t)| (n + lead, t)).collect();
        insert_items(p, &kept, f.list, &before, change, tokens);
        Ok(())
    }
}

/// Gives an argument another label; `_` is none.
fn label_at_call(
    p: &Place<'_>,
    a: &ArgumentSite,
    name: &str,
    change: &mut Change,
    tokens: &mut Vec<Span>,
) {
    let (at, text) = match a.name {
        Some(key) if p.text(key) == name => return,
        Some(key) if name == "_" => (Span { start: key.start, end: a.value.start }, String::new()),
        Some(key) => (key, name.to_owned()),
        None if name == "_" => return,
        None => (Span::at(a.value.start as usize), format!("{name}: ")),
    };
    change.splices.push(Splice::text(at, text));
    tokens.push(a.name.unwrap_or(a.value));
}

/// Gives a parameter another label, which what it does does not see.
fn label_at_definition(
    p: &Place<'_>,
    whole: Span,
    own: Span,
    name: &str,
    (change, tokens): (&mut Change, &mut Vec<Span>),
) {
    let before = Span { start: whole.start, end: own.start }.of(p.cx.text);
    let word = before.trim_end();
    let start = word.rfind(char::is_whitespace).map_or(0, |i| i + 1);
    let outer = (!word.is_empty() && !word[start..].starts_with(['@', '*', '/']))
        .then(|| Span { start: whole.start + start as u32, end: whole.start + word.len() as u32 });
    let inner = p.text(own);
    let (at, text) = match outer {
        Some(outer) if p.text(outer) == name => return,
        Some(outer) if inner == name => (Span { end: own.start, ..outer }, String::new()),
        Some(outer) => (outer, name.to_owned()),
        None if inner == name => return,
        None => (Span::at(own.start as usize), format!("{name} ")),
    };
    change.splices.push(Splice::text(at, text));
    tokens.push(own);
}

/// True if a written type is the one that a recipe names: in full, or by its own name.
pub(super) fn is_type(names: &BTreeMap<String, String>, old: &str, wanted: &str) -> bool {
    let last = |t: &str| t.rsplit(['.', ':', '\\']).next().unwrap_or(t).trim().to_owned();
    let symbol = names.get(wanted.trim()).map_or(wanted, String::as_str);
    same_code(old, wanted) || last(old) == last(symbol)
}

/// True if two texts differ in blanks only.
pub(super) fn same_code(a: &str, b: &str) -> bool {
    a.split_whitespace().collect::<String>() == b.split_whitespace().collect::<String>()
}

/// Where a parameter is used: in the body of its function, in its result type, in defaults of other parameters, or where
/// its values go to what makes the object first.
pub(super) fn used(p: &Place<'_>, own: &ParamSite) -> Option<(String, Vec<Span>)> {
    let mut uses = p.resolver.uses_in_param(own.span);
    uses.retain(|u| !own.span.contains(*u));
    // What nobody needs has no name.
    if own.name.is_some_and(|n| p.text(n).starts_with('_')) && p.resolver.language.names.absolute {
        return None;
    }
    let mark = p.resolver.language.names.variable_mark;
    let name = format!("{mark}{}", p.text(own.name.unwrap_or(own.span)));
    (!uses.is_empty()).then_some((name, uses))
}
