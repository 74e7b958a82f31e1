//! Parameters that are taken out of what gathers them.

use std::collections::BTreeMap;

use emendo_lang::{Certainty, Fact, FunctionSite, PairSite, ParamSite, Space, Taken};
use emendo_text::{Part, Span, Splice};

use crate::contract::Change;
use crate::meaning::Place;
use crate::signature::callable::{Assigned, Callable};
use crate::signature::items::{EFFECTS, short};
use crate::signature::output::{release, spelled};
use crate::signature::packs::{Pack, Packs, Param, Unpack, head, is_assigned, release_head};

/// An object that is only named, as its parts are read from it.
fn read_by_key(unpack: &Unpack, text: &str, open: bool) -> Result<String, String> {
    let path = |c: char| c.is_alphanumeric() || "_$.:".contains(c);
    if !text.chars().all(path) || text.starts_with(|c: char| c.is_ascii_digit()) {
        return Err(format!("`{}` is to be taken apart by hand", short(text)));
    }
    if open {
        return Err(format!("it is not clear whether `{text}` is the object"));
    }
    let (between, behind) = match unpack.how.taken {
        Taken::Whole(between, behind) => (between, behind),
        _ => (".", ""),
    };
    let read = |q: &Param| format!("{text}{between}{}{behind}", q.key);
    Ok(unpack.params.iter().map(read).collect::<Vec<_>>().join(", "))
}

/// Takes away all but the values, which stand in the order that is wanted: comments and layout stay.
fn kept_in_order(whole: Span, order: &[PairSite]) -> Vec<Splice> {
    let mut out = Vec::new();
    let mut from = whole.start;
    for s in order {
        let at = if from == whole.start { from } else { s.span.start };
        out.push(Splice::text(Span { start: at, end: s.value.start }, ""));
        from = s.value.end;
    }
    out.push(Splice::text(Span { start: from, end: whole.end }, ""));
    out.retain(|s| !s.span.is_empty());
    out
}

impl Packs {
    pub(crate) fn apart(
        &self,
        p: &Place<'_>,
        unpack: &Unpack,
        assigned: &Assigned,
        change: &mut Change,
        facts: &mut Vec<Fact>,
        tokens: &mut Vec<Span>,
    ) -> Result<(), String> {
        let Some(a) = assigned.of(unpack.at[0]) else { return Ok(()) };
        let whole = a.value;
        let text = p.text(whole);
        let Some(pairs) = p.resolver.pairs_in(whole, unpack.how) else {
            let read = read_by_key(unpack, text, assigned.open)?;
            let says = format!("what `{text}` leaves out is passed on as it is read");
            facts.push(Fact { says: Certainty::Likely, text: says, at: Some(whole) });
            change.splices.push(Splice::text(whole, read));
            tokens.push(whole);
            return Ok(());
        };
        let of = |q: &Param, i: usize| match unpack.how.sign {
            "" => pairs.get(i),
            _ => pairs.iter().find(|s| s.key.is_some_and(|k| p.text(k) == q.key)),
        };
        let known = |s: &PairSite| {
            unpack.how.sign.is_empty()
                || s.key.is_some_and(|k| unpack.params.iter().any(|q| q.key == p.text(k)))
        };
        if let Some(other) = pairs.iter().find(|s| s.spread || !known(s)) {
            return Err(format!("`{}` has no parameter of its own", short(p.text(other.span))));
        }
        let mut parts: Vec<Option<Result<PairSite, String>>> = Vec::new();
        for (i, q) in unpack.params.iter().enumerate() {
            let value = q.value.as_ref();
            parts.push(match (of(q, i), value) {
                (Some(pair), _) => Some(Ok(*pair)),
                (None, Some(v)) => {
                    Some(Err(spelled(p, v, &self.names, Space::Value, whole.start, change)?))
                }
                (None, None) => None,
            });
        }
        while parts.last().is_some_and(Option::is_none) {
            parts.pop();
        }
        let all: Option<Vec<_>> = parts.into_iter().collect();
        let Some(all) = all else {
            return Err("a value that is left out is followed by others: write it by hand".into());
        };
        let order: Vec<PairSite> = all.iter().filter_map(|p| p.clone().ok()).collect();
        let sorted = order.windows(2).all(|w| w[0].span.start < w[1].span.start);
        release_head(p, whole, &pairs, change);
        tokens.push(head(whole));
        if sorted && order.len() == all.len() && !order.is_empty() {
            change.splices.extend(kept_in_order(whole, &order));
            return Ok(());
        }
        if p.code.facts.comments.iter().any(|c| whole.contains(*c)) {
            return Err("comments stand among the values: take it apart by hand".into());
        }
        if !sorted && order.iter().any(|s| p.text(s.value).contains('(')) {
            let text = format!("arguments are done in another order, and {EFFECTS}");
            facts.push(Fact { says: Certainty::Likely, text, at: Some(whole) });
        }
        let mut out = Vec::new();
        for (i, part) in all.into_iter().enumerate() {
            if i > 0 {
                out.push(Part::Text(", ".into()));
            }
            out.push(match part {
                Ok(pair) => Part::Copy(pair.value),
                Err(text) => Part::Text(text),
            });
        }
        change.splices.push(Splice { parts: out, ..Splice::text(whole, String::new()) });
        Ok(())
    }

    pub(crate) fn take(
        &self,
        p: &Place<'_>,
        pack: &Pack,
        callable: &Callable,
        f: &FunctionSite,
        change: &mut Change,
        tokens: &mut Vec<Span>,
    ) -> Result<(), String> {
        let own: Vec<&ParamSite> = pack.at.iter().filter_map(|n| f.params.get(n - 1)).collect();
        let (Some(first), Some(last)) = (own.first(), own.last()) else { return Ok(()) };
        let hull = first.span.hull(last.span);
        if own.iter().any(|o| p.resolver.is_member(f, o) || o.rest) {
            return Err(
                "a parameter that is gathered is a member too, or takes all that is left".into()
            );
        }
        tokens.push(hull);
        if let Taken::Named(sign) = pack.how.taken {
            if sign == ":" {
                keyed(p, &own, sign, change);
                return Ok(());
            }
            let earlier = f.items.iter().filter(|i| i.start < first.span.start);
            let marked = earlier.into_iter().any(|i| p.text(*i).starts_with('*'));
            if !sign.is_empty() && !marked {
                let at = Span::at(first.span.start as usize);
                change.splices.push(Splice::text(at, format!("{sign}, ")));
            }
            return Ok(());
        }
        let ty = self.ty(p, pack.ty.as_deref(), Space::Type, f.list.start, change)?;
        let mark = p.resolver.language.names.variable_mark;
        let typed = |name: &str| match (ty.is_empty(), self.type_first) {
            (true, _) => format!("{mark}{name}"),
            (_, true) => format!("{ty} {mark}{name}"),
            (_, false) => format!("{name}: {ty}"),
        };
        let types: Vec<Span> = own.iter().filter_map(|o| o.ty.as_ref().map(|t| t.0)).collect();
        release(p, &types, change);
        if let Taken::Apart(open, close) = pack.how.taken {
            let open = open.replacen("{}", &ty, 1);
            for (i, o) in own.iter().enumerate() {
                let Some(name) = o.name else {
                    return Err("a parameter that is taken apart itself can't be gathered".into());
                };
                let end = o.ty.as_ref().map_or(name.end, |t| t.0.end);
                let rest = Span { start: end, end: o.span.end }.of(p.cx.text);
                let rest = rest.strip_prefix('?').unwrap_or(rest);
                let lead = Span { start: o.span.start, end: name.start }.of(p.cx.text);
                let name = p.text(name);
                let key = pack.key(callable, i);
                let key = if key == name { String::new() } else { format!("{key}: ") };
                let mut text = format!("{key}{lead}{name}{rest}");
                if i == 0 {
                    text.insert_str(0, &open);
                }
                if i + 1 == own.len() {
                    let all = format!("{text}{close}");
                    text = if ty.is_empty() { all } else { format!("{all}: {ty}") };
                }
                change.splices.push(Splice::text(o.span, text));
            }
            return Ok(());
        }
        let (Taken::Whole(between, behind), Some(name)) = (pack.how.taken, &pack.name) else {
            return Ok(());
        };
        // Keys of a map are declared nowhere, so nothing else says what they are without an argument.
        if !pack.how.quote.is_empty() && own.iter().any(|o| p.text(o.span).contains('=')) {
            return Err(
                "a parameter that is gathered has a value of its own: gather it by hand".into()
            );
        }
        if f.body.is_some() && !p.code.facts.is_free(name, f.span) {
            return Err(format!("the new parameter cannot be called `{name}` here: that is taken"));
        }
        for (i, o) in own.iter().enumerate() {
            for at in o.name.map_or_else(Vec::new, |n| p.resolver.uses_of_param(n)) {
                if is_assigned(p.cx.text, at) {
                    let own = p.text(at);
                    return Err(format!("`{own}` is given another value here: gather it by hand"));
                }
                let text = format!("{name}{between}{}{behind}", pack.key(callable, i));
                if p.code.facts.is_string(at) || !pack.how.quote.is_empty() && p.in_text(at) {
                    let own = p.text(at);
                    return Err(format!("`{own}` is used in a text here: gather it by hand"));
                }
                change.splices.push(Splice::text(at, text));
            }
        }
        change.splices.push(Splice::text(hull, typed(name)));
        Ok(())
    }

    pub(crate) fn take_apart(
        &self,
        p: &Place<'_>,
        unpack: &Unpack,
        f: &FunctionSite,
        change: &mut Change,
        tokens: &mut Vec<Span>,
    ) -> Result<(), String> {
        let Some(own) = f.params.get(unpack.at[0] - 1) else { return Ok(()) };
        let by_hand = |why: &str| Err(format!("{why}: take the parameter apart by hand"));
        if p.resolver.is_member(f, own) {
            return by_hand("it is a member too");
        }
        let pattern_end = own.ty.as_ref().map_or(own.span.end, |t| t.0.start);
        let pattern = Span { start: own.span.start, end: pattern_end };
        let pattern = p.text(pattern).trim_end().trim_end_matches([':', '?']).trim();
        let mut locals: BTreeMap<&str, (String, String)> = BTreeMap::new();
        if let Some((_, inner)) = pattern.split_once('{') {
            let Some((inner, "")) = inner.rsplit_once('}') else {
                return by_hand("it has a value of its own");
            };
            for piece in inner.split(',').map(str::trim).filter(|s| !s.is_empty() && *s != "..") {
                let (bound, default) = match piece.split_once('=') {
                    Some((b, d)) => (b.trim(), format!(" = {}", d.trim())),
                    None => (piece, String::new()),
                };
                let (key, local) = bound.split_once(':').unwrap_or((bound, bound));
                let (key, local) = (key.trim(), local.trim());
                let plain = |c: char| c.is_alphanumeric() || "_$ ".contains(c);
                match unpack.params.iter().find(|q| q.key == key) {
                    Some(q) if local.chars().all(plain) => {
                        locals.insert(&q.key, (local.to_owned(), default));
                    }
                    _ => {
                        return by_hand(&format!("`{}` has no parameter of its own", short(piece)));
                    }
                }
            }
        } else {
            let Some(name) = own.name else { return by_hand("it has no name") };
            let (between, behind) = match unpack.how.taken {
                Taken::Whole(between, behind) => (between, behind),
                _ => (".", ""),
            };
            for q in unpack.params.iter().filter(|_| f.body.is_some()) {
                if !p.resolver.is_unused(&q.name, f.span) {
                    return by_hand(&format!("`{}` is taken here", q.name));
                }
            }
            for at in p.resolver.uses_of_param(name) {
                let rest = &p.cx.text[at.end as usize..];
                let read = unpack.params.iter().find_map(|q| {
                    let text = format!("{between}{}{behind}", q.key);
                    let after = rest.strip_prefix(&text)?;
                    let ends = !after.starts_with(|c: char| c.is_alphanumeric() || c == '_');
                    ends.then_some((q, text.len()))
                });
                let Some((q, len)) = read else {
                    return by_hand(&format!("`{}` is used as a whole", p.text(at)));
                };
                let whole = Span { start: at.start, end: at.end + len as u32 };
                change.splices.push(Splice::text(whole, q.name.as_str()));
            }
        }
        let mut out = Vec::new();
        for q in &unpack.params {
            let ty = self.ty(p, q.ty.as_deref(), Space::Type, f.list.start, change)?;
            let fresh = || (q.name.clone(), String::new());
            let (name, default) = locals.get(q.key.as_str()).cloned().unwrap_or_else(fresh);
            let name = format!("{}{name}", p.resolver.language.names.variable_mark);
            out.push(match (ty.is_empty(), self.type_first) {
                (true, _) => format!("{name}{default}"),
                (_, true) => format!("{ty} {name}{default}"),
                (_, false) => format!("{name}: {ty}{default}"),
            });
        }
        release(p, &[own.span], change);
        change.splices.push(Splice::text(own.span, out.join(", ")));
        tokens.push(own.span);
        Ok(())
    }
}

/// Parameters that are given by their names: the sign stands behind each, before its value if it has one.
fn keyed(p: &Place<'_>, own: &[&ParamSite], sign: &str, change: &mut Change) {
    for (o, name) in own.iter().filter_map(|o| Some((o, o.name?))) {
        let rest = p.text(Span { start: name.end, end: o.span.end });
        if rest.trim_start().starts_with(sign) {
            continue;
        }
        let value = rest.trim_start().strip_prefix('=').map(|v| v.trim_start().len() as u32);
        let end = value.map_or(name.end, |left| o.span.end - left);
        let text = if value.is_some() { format!("{sign} ") } else { sign.to_owned() };
        change.splices.push(Splice::text(Span { start: name.end, end }, text));
    }
}
