//! Parameters that become one, and one that becomes several.

use std::collections::BTreeMap;

use emendo_lang::{
    ArgumentSite, CallSite, Fact, FunctionSite, Language, Packing, PairSite, Space, Taken,
};
use emendo_recipe::{Action, Key, Shape, Table, Text};
use emendo_text::{Diagnostic, Part, Span, Splice};

use crate::contract::{Change, CompileCx};
use crate::meaning::Place;
use crate::shared::names;
use crate::signature::callable::{Assigned, Callable};
use crate::signature::items::short;
use crate::signature::lists::numbers;
use crate::signature::output::{put_around, release, spelled};

/// Keys of `pack`.
pub(super) const PACK: &[Key] = &[
    Key::required("at", Shape::Numbers, "places of the parameters, from 1, side by side"),
    Key::new("as", Shape::Text, "`object` (the language's own form of one) or `named`"),
    Key::new("name", Shape::Text, "the name of the new parameter"),
    Key::new("type", Shape::Text, "its type"),
    Key::new("keys", Shape::Texts, "what the values are called in it, if not as the parameters"),
];

/// Keys of `unpack`.
pub(super) const UNPACK: &[Key] = &[
    Key::required("at", Shape::Numbers, "the place of the parameter; for `named`, those of all"),
    Key::new("as", Shape::Text, "`object` (the language's own form of one) or `named`"),
    Key::new("params", Shape::Tables(PARAM), "the parameters that come, in order"),
];

const PARAM: &[Key] = &[
    Key::required("name", Shape::Text, "its name"),
    Key::new("type", Shape::Text, "its type at definitions"),
    Key::new("key", Shape::Text, "what it is called in the object, if not as the parameter"),
    Key::new("value", Shape::Pattern, "what calls pass where the object does not have it"),
];

/// What becomes of parameters that are gathered, or taken apart.
pub(super) struct Packs {
    pub(crate) names: BTreeMap<String, String>,
    pub(crate) type_first: bool,
    pack: Option<Pack>,
    unpack: Option<Unpack>,
}

pub(crate) struct Pack {
    pub(crate) how: &'static Packing,
    pub(crate) at: Vec<usize>,
    pub(crate) name: Option<String>,
    pub(crate) ty: Option<String>,
    keys: Vec<String>,
}

pub(crate) struct Unpack {
    pub(crate) how: &'static Packing,
    pub(crate) at: Vec<usize>,
    pub(crate) params: Vec<Param>,
}

pub(crate) struct Param {
    pub(crate) name: String,
    pub(crate) ty: Option<String>,
    pub(crate) key: String,
    pub(crate) value: Option<String>,
}

fn packing(
    language: &'static Language,
    t: &Table,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Option<&'static Packing> {
    let word = t.text("as").map_or("object", |t| t.text.as_str());
    let found = language.typing.calls.packing.iter().find(|p| p.word == word);
    if found.is_none() {
        let span = t.text("as").map_or(action.span, |t| t.span);
        let known: Vec<String> =
            language.typing.calls.packing.iter().map(|p| format!("`{}`", p.word)).collect();
        let message = format!("{} does not gather arguments as `{word}`", language.title);
        cx.out.push(Diagnostic::error(message, span).help(format!("it can: {}", known.join(", "))));
    }
    found
}

impl Packs {
    pub(super) fn compile(
        language: &'static Language,
        action: &Action,
        cx: &mut CompileCx<'_>,
    ) -> Option<Self> {
        let type_first = language.typing.built_in.type_first;
        let mut out = Self { names: names(action, cx), type_first, pack: None, unpack: None };
        let text = |t: &Table, key: &str| t.text(key).map(|t| t.text.clone());
        if let Some(t) = action.table.table("pack") {
            let how = packing(language, t, action, cx)?;
            let keys = t.texts("keys").into_iter().map(|t| t.text.clone()).collect();
            let ty = text(t, "type");
            if how.open.contains("{}") && ty.is_none() {
                let d = Diagnostic::error("the object has no type", action.span);
                cx.out
                    .push(d.help("write `type = \"...\"`: it is written where the object is made"));
                return None;
            }
            out.pack = Some(Pack { how, at: numbers(t, "at"), name: text(t, "name"), ty, keys });
        }
        if let Some(t) = action.table.table("unpack") {
            let how = packing(language, t, action, cx)?;
            let mut params = Vec::new();
            for (p, _) in t.tables("params") {
                let name = text(p, "name")?;
                let key = text(p, "key").unwrap_or_else(|| name.clone());
                params.push(Param { name, ty: text(p, "type"), key, value: text(p, "value") });
            }
            if params.is_empty() && !matches!(how.taken, Taken::Named(_)) {
                return cx.refuse(
                    "`unpack` does not say which parameters come",
                    action.span,
                    "write `params = [{ name = \"port\", type = \"int\" }]`",
                );
            }
            out.unpack = Some(Unpack { how, at: numbers(t, "at"), params });
        }
        let both = out.pack.is_some() && out.unpack.is_some();
        let beside = ["drop", "add", "order"].iter().find(|k| action.table.get(k).is_some());
        if both || (!out.is_empty() && beside.is_some()) {
            return cx.refuse(
                "`pack` and `unpack` cannot be combined with other keys",
                action.span,
                "put the other changes of the list into a separate `signature`",
            );
        }
        Some(out)
    }

    pub(super) fn is_empty(&self) -> bool {
        self.pack.is_none() && self.unpack.is_none()
    }

    /// All places must be there, named, and side by side, and a place that is done must be told from one that is not.
    pub(super) fn check(
        &self,
        callable: &Callable,
        text: &Text,
        once: bool,
        cx: &mut CompileCx<'_>,
    ) -> Option<()> {
        let at = match (&self.pack, &self.unpack) {
            (Some(p), _) => &p.at,
            (_, Some(u)) => &u.at,
            _ => return Some(()),
        };
        let mut fail = |message: &str, help: String| {
            cx.out.push(Diagnostic::error(message, text.span).help(help));
            None
        };
        let example =
            || format!("`{}(key: K, port: int)`", text.text.split('(').next().unwrap_or(""));
        let Some(params) = &callable.params else {
            return fail("the callable does not say its parameters", example());
        };
        if at.is_empty() || at.iter().any(|n| *n == 0 || *n > params.len()) {
            let has = format!("places count from 1; this callable has {}", params.len());
            return fail("`at` names no parameter of this callable", has);
        }
        if at.windows(2).any(|w| w[1] != w[0] + 1) {
            return fail("the places of `at` are not side by side", "write them in order".into());
        }
        if let Some(u) = &self.unpack
            && !matches!(u.how.taken, Taken::Named(_))
            && at.len() != 1
        {
            return fail("`unpack` takes one object apart", "write one place".into());
        }
        let Some(p) = &self.pack else { return Some(()) };
        let named = at.iter().all(|n| params[n - 1].name.is_some()) || p.keys.len() == at.len();
        if !named && !p.how.sign.is_empty() {
            return fail("the parameters that are gathered have no names", example());
        }
        if matches!(p.how.taken, Taken::Whole(..)) && p.name.is_none() {
            return fail("the new parameter has no name", "write `name = \"options\"`".into());
        }
        let untyped = params[at[0] - 1].ty == emendo_lang::Ty::Unknown;
        let rest = at[1..].iter().all(|n| params[n - 1].optional);
        if untyped && rest && !once && !matches!(p.how.taken, Taken::Named(_)) {
            return fail(
                "a finished call cannot be told from an unfinished one",
                "write the type of the first parameter, or `once = true`".into(),
            );
        }
        Some(())
    }

    pub(super) fn at_call(
        &self,
        p: &Place<'_>,
        (callable, call, assigned): (&Callable, &CallSite, &Assigned),
        change: &mut Change,
        facts: &mut Vec<Fact>,
        tokens: &mut Vec<Span>,
    ) -> Result<(), String> {
        if self.is_empty() {
            return Ok(());
        }
        if call.arguments.iter().any(|a| a.spread) {
            return Err("an argument stands for several here: which is which is not known".into());
        }
        if let Some(pack) = &self.pack {
            return self.gather(p, pack, (callable, call), assigned, change, tokens);
        }
        let Some(unpack) = &self.unpack else { return Ok(()) };
        match unpack.how.taken {
            Taken::Named(_) => unname(p, unpack, callable, call, change, tokens),
            _ => self.apart(p, unpack, assigned, change, facts, tokens),
        }
    }

    fn gather(
        &self,
        p: &Place<'_>,
        pack: &Pack,
        (callable, call): (&Callable, &CallSite),
        assigned: &Assigned,
        change: &mut Change,
        tokens: &mut Vec<Span>,
    ) -> Result<(), String> {
        let given: Vec<(usize, &ArgumentSite)> =
            pack.at.iter().enumerate().filter_map(|(i, n)| Some((i, assigned.of(*n)?))).collect();
        let (Some(first), Some(last)) =
            (given.iter().map(|g| g.1.span.start).min(), given.iter().map(|g| g.1.span.end).max())
        else {
            return Ok(());
        };
        let hull = Span { start: first, end: last };
        if let Taken::Named(_) = pack.how.taken {
            let behind = |a: &&ArgumentSite| a.span.start > first && a.name.is_none();
            let packed = |a: &ArgumentSite| given.iter().any(|g| g.1.span == a.span);
            if call.arguments.iter().filter(behind).any(|a| !packed(a)) {
                return Err("an unnamed argument would follow named ones".into());
            }
            for (i, a) in given.iter().filter(|(_, a)| a.name.is_none()) {
                let text = format!("{}{}", pack.key(callable, *i), pack.how.sign);
                change.splices.push(Splice::text(Span::at(a.value.start as usize), text));
                tokens.push(head(a.value));
            }
            return Ok(());
        }
        if given.len() == 1 && p.resolver.pairs_in(given[0].1.value, pack.how).is_some() {
            return Ok(());
        }
        if given.len() == 1 && assigned.open && pack.at.len() > 1 {
            let text = short(p.text(given[0].1.value));
            return Err(format!("it is not clear whether `{text}` is already the new object"));
        }
        let inside = |a: &&ArgumentSite| hull.contains(a.span);
        if call.arguments.iter().filter(inside).count() != given.len() {
            return Err("the arguments that are gathered do not stand side by side".into());
        }
        if pack.how.sign.is_empty() && given.len() != pack.at.len() {
            return Err("an argument is left out here that the new object needs".into());
        }
        let ty = pack.ty.as_deref().filter(|_| pack.how.open.contains("{}"));
        let ty = self.ty(p, ty, Space::Value, hull.start, change)?;
        let open = pack.how.open.replacen("{}", &ty, 1);
        let around = lines_around(p, call, hull, given.len());
        match around {
            // The lines of the arguments become the lines of the object.
            Some(list) => put_around(list, open.trim_end(), pack.how.close.trim_start(), change),
            None => put_around(hull, &open, pack.how.close, change),
        }
        for (i, a) in &given {
            let key = pack.key(callable, *i);
            let value = p.text(a.value);
            let before = Span { start: a.span.start, end: a.value.start };
            let text = match pack.how.sign {
                "" => String::new(),
                _ if pack.how.short && value == key => String::new(),
                sign => {
                    let quote = pack.how.quote;
                    format!("{quote}{key}{quote}{sign}")
                }
            };
            if p.text(before) != text {
                match change.splices.iter_mut().find(|s| s.span == before && around.is_none()) {
                    Some(known) => known.parts.push(Part::Text(text)),
                    None => change.splices.push(Splice::text(before, text)),
                }
            }
        }
        // What opens comes before the first key.
        tokens.push(head(Span { start: first, end: last }));
        tokens.push(Span { start: last - 1, end: last });
        Ok(())
    }

    pub(crate) fn ty(
        &self,
        p: &Place<'_>,
        ty: Option<&str>,
        space: Space,
        at: u32,
        change: &mut Change,
    ) -> Result<String, String> {
        ty.map_or(Ok(String::new()), |ty| spelled(p, ty, &self.names, space, at, change))
    }

    pub(super) fn at_definition(
        &self,
        p: &Place<'_>,
        callable: &Callable,
        f: &FunctionSite,
        change: &mut Change,
        tokens: &mut Vec<Span>,
    ) -> Result<(), String> {
        match (&self.pack, &self.unpack) {
            (Some(pack), _) => self.take(p, pack, callable, f, change, tokens),
            (_, Some(unpack)) if !matches!(unpack.how.taken, Taken::Named(_)) => {
                self.take_apart(p, unpack, f, change, tokens)
            }
            (_, Some(Unpack { how, .. })) if how.taken == Taken::Named(":") => {
                Err("its parameters must lose their names by hand".to_owned())
            }
            _ => Ok(()),
        }
    }
}

/// What stands within the brackets of a call, if all its arguments are gathered and stand on lines of their own.
fn lines_around(p: &Place<'_>, call: &CallSite, hull: Span, given: usize) -> Option<Span> {
    let list = Span { start: call.list.start + 1, end: call.list.end.checked_sub(1)? };
    let begins = |a: &ArgumentSite| {
        let before = p.text(Span { start: list.start, end: a.span.start });
        let (_, lead) = before.rsplit_once(['\n', '\r'])?;
        lead.trim().is_empty().then_some(())
    };
    let all = call.arguments.len() == given && call.arguments.iter().all(|a| begins(a).is_some());
    let ends = list.contains(hull)
        && p.text(Span { start: hull.end, end: list.end }).contains(['\n', '\r']);
    (all && ends).then_some(list)
}

impl Pack {
    /// What a value is called in the object.
    pub(crate) fn key(&self, callable: &Callable, i: usize) -> String {
        let own = || {
            let param = callable.params.as_ref()?.get(self.at[i].checked_sub(1)?)?;
            param.name.clone()
        };
        self.keys.get(i).cloned().or_else(own).unwrap_or_default()
    }
}

/// Named arguments lose their names, as far as they stand in order.
fn unname(
    p: &Place<'_>,
    unpack: &Unpack,
    callable: &Callable,
    call: &CallSite,
    change: &mut Change,
    tokens: &mut Vec<Span>,
) -> Result<(), String> {
    let Some(params) = &callable.params else { return Ok(()) };
    let place = |key: Span| {
        let key = p.text(key);
        params.iter().position(|q| q.name.as_deref() == Some(key)).map(|i| i + 1)
    };
    let mut ordered = true;
    for (i, a) in call.arguments.iter().enumerate() {
        let Some(key) = a.name else { continue };
        let at = place(key);
        ordered &= at == Some(i + 1);
        if !at.is_some_and(|n| unpack.at.contains(&n)) {
            continue;
        }
        if !ordered {
            return Err(format!(
                "`{}` is not in the order of the parameters",
                short(p.text(a.span))
            ));
        }
        change.splices.push(Splice::text(Span { start: a.span.start, end: a.value.start }, ""));
        tokens.push(key);
    }
    Ok(())
}

/// The first byte of a place: enough to tell that it is touched.
pub(crate) fn head(at: Span) -> Span {
    Span { start: at.start, end: at.start + 1 }
}

/// The names before the first value of a literal are used there no more.
pub(crate) fn release_head(p: &Place<'_>, whole: Span, pairs: &[PairSite], change: &mut Change) {
    let end = pairs.first().map_or(whole.end, |s| s.span.start);
    release(p, &[Span { start: whole.start, end }], change);
}

/// True if a variable gets a value at a place.
pub(crate) fn is_assigned(text: &str, at: Span) -> bool {
    let rest = text[at.end as usize..].trim_start();
    let plain = rest.starts_with('=') && !rest.starts_with("==") && !rest.starts_with("=>");
    let signs = ["+=", "-=", "*=", "/=", "%=", "&=", "|=", "^=", "++", "--", "<<=", ">>=", "??="];
    let before = text[..at.start as usize].trim_end();
    plain
        || signs.iter().any(|s| rest.starts_with(s))
        || before.ends_with("++")
        || before.ends_with("--")
}
