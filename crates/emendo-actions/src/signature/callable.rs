//! Which function is meant: its symbol, its parameters, and which argument of a call is which of them.

use emendo_lang::{ArgumentSite, CallSite, Certainty, Fact, FunctionSite, Language, Ty};
use emendo_recipe::{Action, Text};
use emendo_text::Span;

use crate::contract::CompileCx;
use crate::meaning::Place;
use crate::shared::parameter_type;
use crate::symbol::overload;

/// A function that an action is about.
pub(super) struct Callable {
    /// As the recipe writes it.
    pub(super) written: String,
    /// All names that it may have.
    pub(super) symbols: Vec<String>,
    /// It is a member of a type.
    pub(super) member: bool,
    /// Its parameters, where they are written.
    pub(super) params: Option<Vec<Param>>,
    /// These are labels, which are part of its name.
    pub(super) labeled: bool,
}

/// A parameter as a recipe writes it: `key: K?`.
pub(super) struct Param {
    pub(crate) name: Option<String>,
    pub(crate) ty: Ty,
    pub(super) optional: bool,
    /// It takes all arguments that are left.
    pub(super) rest: bool,
}

/// The arguments of a call by the parameters that they are for.
pub(super) struct Assigned {
    by_param: Vec<Option<ArgumentSite>>,
    /// More arguments for the last parameter.
    pub(super) more: Vec<ArgumentSite>,
    /// Of what types some of them are is not known.
    pub(super) open: bool,
    /// How many of the last parameters are given behind the arguments.
    pub(super) behind: usize,
}

impl Assigned {
    /// The argument for the parameter of a place, from 1.
    pub(super) fn of(&self, place: usize) -> Option<&ArgumentSite> {
        self.by_param.get(place.checked_sub(1)?)?.as_ref()
    }
}

impl Callable {
    pub(super) fn compile(
        language: &'static Language,
        text: &Text,
        action: &Action,
        cx: &mut CompileCx<'_>,
    ) -> Option<Self> {
        let names = &language.names;
        let plain = names.plain(&text.text);
        let (symbol, written) = overload(&plain);
        let parent = names.parent(symbol);
        if parent.is_empty() && !names.rooted {
            let example = names.join(&["a", "b", "Store", "delete"]);
            return cx.refuse(
                format!("`{symbol}` is not a full name"),
                text.span,
                format!("write the full name: `{example}`"),
            );
        }
        let params = match written {
            None => {
                let one = || Param { name: None, ty: Ty::Unknown, optional: false, rest: false };
                let count = names.with_count(&text.text).map(|c| c.1);
                count.map(|count| (0..count).map(|_| one()).collect())
            }
            Some(all) => match names.labels_in(&all.join(", ")) {
                Some(labels) => {
                    let one = |label: &str| Param {
                        name: Some(label.to_owned()).filter(|l| l != "_"),
                        ty: Ty::Unknown,
                        optional: false,
                        rest: false,
                    };
                    Some(labels.into_iter().map(one).collect())
                }
                None => {
                    let mut params = Vec::new();
                    for p in &all {
                        params.push(param(language, p, symbol, text, action, cx)?);
                    }
                    Some(params)
                }
            },
        };
        // Where files are not modules, functions are always those of types.
        let member = match names.rooted {
            true => names.is_member(symbol),
            false => language.modules.is_none() || names.package(symbol) != parent,
        };
        let symbols = cx.spellings.of(symbol);
        let labeled = names.labels && params.is_some();
        Some(Self { written: text.text.clone(), symbols, member, params, labeled })
    }

    /// Its labels, `_` for none.
    pub(super) fn labels(&self) -> Vec<&str> {
        self.params.iter().flatten().map(|p| p.name.as_deref().unwrap_or("_")).collect()
    }

    /// Which argument is for which parameter, by their labels.
    fn assign_labeled(&self, p: &Place<'_>, call: &CallSite) -> Option<(Assigned, Option<Fact>)> {
        let params = self.params.as_deref().unwrap_or_default();
        let mut by_param: Vec<Option<ArgumentSite>> = params.iter().map(|_| None).collect();
        let mut at = 0;
        for a in &call.arguments {
            let label = a.name.map(|n| p.text(n));
            at += params.get(at..)?.iter().position(|p| p.name.as_deref() == label)? + 1;
            by_param[at - 1] = Some(a.clone());
        }
        // Functions behind the arguments are for the last.
        let behind = call.blocks.min(params.len() - at.min(params.len()));
        let missing = params.len() - call.arguments.len() - behind;
        if call.blocks > behind {
            return None;
        }
        let fact = (missing > 0).then(|| Fact {
            says: Certainty::Unsure,
            text: format!("{missing} of its arguments are left out, or another overload is meant"),
            at: None,
        });
        Some((Assigned { by_param, more: Vec::new(), open: false, behind }, fact))
    }

    /// True if a function has the parameters.
    pub(super) fn declares(&self, p: &Place<'_>, f: &FunctionSite) -> bool {
        let Some(params) = &self.params else { return true };
        if self.labeled {
            return p.resolver.labels_in_list(f.list) == self.labels();
        }
        // Another overload may take what this one takes, so types must be the same.
        let same = |(own, wanted): (&emendo_lang::ParamSite, &Param)| match &own.ty {
            // Its type may be written as that of one, or of the list of all.
            _ if wanted.rest => own.rest,
            Some((_, ty @ Ty::Of { symbols, .. })) => {
                let open = matches!(wanted.ty, Ty::Unknown | Ty::Param(..));
                let of = wanted.ty.symbols();
                open || if of.is_empty() {
                    p.resolver.fits(ty, &wanted.ty) != Some(false)
                } else {
                    // A short name in the recipe is that of any type called so.
                    let names = &p.resolver.language.names;
                    symbols.iter().any(|s| of.iter().any(|o| o == s || o == names.last(s)))
                }
            }
            Some((_, ty)) if *ty != Ty::Unknown => {
                matches!(wanted.ty, Ty::Unknown | Ty::Param(..))
                    || matches!(ty, Ty::Param(..))
                    || p.resolver.fits(ty, &wanted.ty) != Some(false)
            }
            _ => true,
        };
        f.params.len() == params.len() && f.params.iter().zip(params).all(same)
    }

    /// Which argument is for which parameter, with what is not sure of that; `None` if another function is meant.
    pub(super) fn assign(
        &self,
        p: &Place<'_>,
        name: Span,
        call: &CallSite,
    ) -> Option<(Assigned, Option<Fact>)> {
        if self.labeled {
            return self.assign_labeled(p, call);
        }
        let Some(params) = &self.params else {
            let by_param = call.arguments.iter().cloned().map(Some).collect();
            return Some((Assigned { by_param, more: Vec::new(), open: true, behind: 0 }, None));
        };
        let mut by_param: Vec<Option<ArgumentSite>> = params.iter().map(|_| None).collect();
        let rest = params.last().is_some_and(|p| p.rest);
        let mut more = Vec::new();
        let mut next = call.from_around.unwrap_or(0);
        for a in &call.arguments {
            if a.spread {
                let fact = "an argument stands for several: which is which is not known".to_owned();
                let fact = Fact { says: Certainty::Unsure, text: fact, at: Some(a.span) };
                return Some((
                    Assigned { by_param, more: Vec::new(), open: true, behind: 0 },
                    Some(fact),
                ));
            }
            let place = match a.name {
                Some(key) => {
                    let key = p.text(key);
                    params.iter().position(|p| p.name.as_deref() == Some(key))?
                }
                None => {
                    next += 1;
                    next - 1
                }
            };
            if rest && place >= by_param.len() {
                more.push(a.clone());
                continue;
            }
            let slot = by_param.get_mut(place)?;
            if slot.is_some() {
                return None;
            }
            *slot = Some(a.clone());
        }
        let needed = |p: &Param| !p.optional && !p.rest;
        let missing = params.iter().zip(&by_param).any(|(p, a)| a.is_none() && needed(p));
        let short = call.arguments.len() + call.from_around.unwrap_or(0)
            < params.iter().filter(|p| needed(p)).count();
        if missing && (call.from_around.is_none() || call.piped && short) {
            return None;
        }
        let mut open = false;
        for (param, argument) in params.iter().zip(&by_param) {
            let Some(argument) = argument else { continue };
            match p.resolver.value_fits(argument.value, &param.ty) {
                Some(true) => {}
                // All that are left may be given as the list that they are.
                Some(false) if param.rest => open = true,
                Some(false) => return None,
                None => open = true,
            }
        }
        // Where several overloads are told, the nearest is meant.
        let types: Vec<Ty> = params.iter().map(|p| p.ty.clone()).collect();
        let plain = by_param.iter().all(|a| a.as_ref().is_some_and(|a| a.name.is_none()));
        let told = !types.contains(&Ty::Unknown) && !rest;
        let wanted: Vec<emendo_lang::Wanted> = types.into_iter().map(Into::into).collect();
        if plain && told && p.resolver.overload(name, &wanted) == emendo_lang::Overload::Not {
            return None;
        }
        let fact = open.then(|| {
            let count = call.arguments.len();
            let text = format!(
                "distinguished from other overloads only by the number of arguments ({count})"
            );
            Fact { says: Certainty::Likely, text, at: None }
        });
        Some((Assigned { by_param, more, open, behind: 0 }, fact))
    }
}

fn param(
    language: &'static Language,
    written: &str,
    callable: &str,
    text: &Text,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Option<Param> {
    let (written, rest) = match written.trim().strip_suffix("...") {
        Some(w) => (w.trim(), true),
        None => (written.trim(), false),
    };
    let (written, optional) = match written.trim().strip_suffix('?') {
        Some(w) => (w.trim(), true),
        None => (written.trim(), false),
    };
    let named = written.split_once(": ");
    let (name, ty) = match named {
        Some((name, ty)) => (Some(name.trim().to_owned()), ty.trim()),
        None => (None, written),
    };
    let ty = if ty == "_" {
        Ty::Unknown
    } else {
        let text = Text::derived(ty.to_owned(), text.span);
        parameter_type(language, &text, callable, action, cx)?
    };
    Some(Param { name, ty, optional, rest })
}
