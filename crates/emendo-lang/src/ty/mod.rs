//! Types, and what is told of them.

mod library;
mod member;
mod read;

use std::collections::HashMap;

pub use library::{Learned, LibraryError, LibraryType};
pub(crate) use library::{split, standard};
pub(crate) use member::Known;
pub use member::{MemberType, Shape, Takes};
pub(crate) use read::read_type;

use crate::ground::{Certainty, Fact};

/// How deep types are put into one another, and how far they are followed.
pub(crate) const DEPTH: usize = 24;

/// A static type.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Ty {
    /// A type by name.
    Of {
        /// The symbols that the name may stand for, the likeliest first.
        symbols: Vec<String>,
        /// Its type arguments.
        args: Vec<Self>,
        /// The type or module itself stands there, and no object of it.
        named: bool,
    },
    /// A parameter of a type or a function, with what it is built on.
    Param(String, Option<Box<Self>>),
    /// A function.
    Function {
        /// What it takes.
        params: Vec<Self>,
        /// What it gives.
        gives: Box<Self>,
    },
    /// Several values at once.
    Tuple(Vec<Self>),
    /// An object with members that are written in place.
    Object(Vec<(String, Self)>),
    /// One of several types.
    Either(Vec<Self>),
    /// All of several types at once.
    All(Vec<Self>),
    /// The type that a member was asked of.
    Itself,
    /// No value.
    Nothing,
    /// Nothing tells.
    Unknown,
}

/// What is told of an expression's type.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TypeAnswer {
    /// The type.
    pub ty: Ty,
    /// How sure that is.
    pub says: Certainty,
    /// Why, where that is more than what stands there.
    pub why: Option<Fact>,
}

impl TypeAnswer {
    /// A type that stands there itself.
    pub(crate) fn sure(ty: Ty) -> Self {
        Self { ty, says: Certainty::Certain, why: None }
    }

    /// The same type, no surer than this.
    pub(crate) fn at_most(mut self, says: Certainty) -> Self {
        self.says = self.says.min(says);
        self
    }

    /// The same type for a reason.
    pub(crate) fn because(mut self, text: String, at: Option<emendo_text::Span>) -> Self {
        self.why = Some(Fact { says: self.says, text, at });
        self
    }

    /// Nothing if the type is not known.
    pub(crate) fn known(self) -> Option<Self> {
        (self.ty != Ty::Unknown).then_some(self)
    }
}

impl Ty {
    /// An object of a type.
    pub(crate) fn object(symbol: &str) -> Self {
        Self::Of { symbols: vec![symbol.to_owned()], args: Vec::new(), named: false }
    }

    /// An object of the type whose name stands there.
    pub fn instance(self) -> Self {
        match self {
            Self::Of { symbols, args, .. } => Self::Of { symbols, args, named: false },
            Self::Either(all) => Self::Either(all.into_iter().map(Self::instance).collect()),
            other => other,
        }
    }

    /// True for the type itself, where no object of it stands.
    pub(crate) fn is_named(&self) -> bool {
        matches!(self, Self::Of { named: true, .. })
    }

    /// The type itself, for an object of it.
    pub(crate) fn itself(self) -> Self {
        match self {
            Self::Of { symbols, args, .. } => Self::Of { symbols, args, named: true },
            other => other,
        }
    }

    /// The same with type arguments.
    pub(crate) fn with(self, own: Vec<Self>) -> Self {
        match self {
            Self::Of { symbols, args, named } if args.is_empty() => {
                Self::Of { symbols, args: own, named }
            }
            other => other,
        }
    }

    /// The symbols that it may be.
    pub fn symbols(&self) -> &[String] {
        match self {
            Self::Of { symbols, .. } => symbols,
            _ => &[],
        }
    }

    /// The type arguments.
    pub(crate) fn args(&self) -> &[Self] {
        match self {
            Self::Of { args, .. } => args,
            _ => &[],
        }
    }

    /// One of several types; what is no value does not count.
    pub(crate) fn either(all: impl IntoIterator<Item = Self>) -> Self {
        let mut out: Vec<Self> = Vec::new();
        for t in all {
            let parts = match t {
                Self::Either(parts) => parts,
                Self::Nothing => continue,
                one => vec![one],
            };
            for p in parts {
                if !out.contains(&p) {
                    out.push(p);
                }
            }
        }
        match out.len() {
            0 => Self::Nothing,
            1 => out.remove(0),
            _ => Self::Either(out),
        }
    }

    /// The type with what stands for its parameters.
    pub(crate) fn filled(&self, given: &HashMap<String, Self>, itself: Option<&Self>) -> Self {
        let all = |list: &[Self]| list.iter().map(|t| t.filled(given, itself)).collect::<Vec<_>>();
        match self {
            Self::Param(name, bound) => match given.get(name) {
                // A parameter of its own is bound by what bounds the one that it stands for.
                Some(Self::Param(own, None)) if bound.is_some() => {
                    Self::Param(own.clone(), bound.clone())
                }
                Some(given) => given.clone(),
                None => self.clone(),
            },
            Self::Itself => itself.cloned().map_or(Self::Itself, Self::instance),
            Self::Of { symbols, args, named } => {
                Self::Of { symbols: symbols.clone(), args: all(args), named: *named }
            }
            Self::Function { params, gives } => {
                Self::Function { params: all(params), gives: Box::new(gives.filled(given, itself)) }
            }
            Self::Tuple(list) => Self::Tuple(all(list)),
            Self::Object(members) => Self::Object(
                members.iter().map(|(n, t)| (n.clone(), t.filled(given, itself))).collect(),
            ),
            Self::Either(list) => Self::either(all(list)),
            Self::All(list) => Self::All(all(list)),
            Self::Nothing | Self::Unknown => self.clone(),
        }
    }

    /// What parameters must stand for so that this becomes `other`.
    pub(crate) fn unify(&self, other: &Self, given: &mut HashMap<String, Self>, depth: usize) {
        if depth == 0 {
            return;
        }
        match (self, other) {
            (Self::Param(name, _), known) if *known != Self::Unknown => {
                given.entry(name.clone()).or_insert_with(|| known.clone());
            }
            (Self::Of { args: own, .. }, Self::Of { args, .. }) => {
                own.iter().zip(args).for_each(|(a, b)| a.unify(b, given, depth - 1));
            }
            (Self::Function { params: own, gives: result }, Self::Function { params, gives }) => {
                own.iter().zip(params).for_each(|(a, b)| a.unify(b, given, depth - 1));
                result.unify(gives, given, depth - 1);
            }
            (Self::Tuple(own), Self::Tuple(others)) => {
                own.iter().zip(others).for_each(|(a, b)| a.unify(b, given, depth - 1));
            }
            (Self::Either(own), known) => {
                own.iter().for_each(|a| a.unify(known, given, depth - 1));
            }
            _ => {}
        }
    }

    /// True if a part of it is a parameter that nothing stands for.
    pub(crate) fn open(&self) -> bool {
        match self {
            Self::Param(..) => true,
            Self::Of { args, .. } => args.iter().any(Self::open),
            Self::Function { params, gives } => params.iter().any(Self::open) || gives.open(),
            Self::Tuple(l) | Self::Either(l) | Self::All(l) => l.iter().any(Self::open),
            Self::Object(members) => members.iter().any(|m| m.1.open()),
            _ => false,
        }
    }

    /// The parameters of types in it.
    pub(crate) fn params_in(&self, out: &mut Vec<String>) {
        match self {
            Self::Param(name, _) if !out.contains(name) => out.push(name.clone()),
            Self::Of { args, .. } => args.iter().for_each(|t| t.params_in(out)),
            Self::Function { params, gives } => {
                params.iter().for_each(|t| t.params_in(out));
                gives.params_in(out);
            }
            Self::Tuple(l) | Self::Either(l) | Self::All(l) => {
                l.iter().for_each(|t| t.params_in(out));
            }
            Self::Object(members) => members.iter().for_each(|m| m.1.params_in(out)),
            _ => {}
        }
    }

    /// The type in words: the last parts of its names.
    pub fn shown(&self, language: &crate::Language) -> String {
        let last = |s: &String| language.names.last(s).to_owned();
        match self {
            Self::Of { symbols, .. } => symbols.first().map(last).unwrap_or_default(),
            Self::Param(name, _) => name.clone(),
            Self::Either(list) => {
                list.iter().map(|t| t.shown(language)).collect::<Vec<_>>().join(" or ")
            }
            Self::All(list) => list.first().map(|t| t.shown(language)).unwrap_or_default(),
            Self::Function { .. } => "function".into(),
            Self::Tuple(_) => "tuple".into(),
            Self::Object(_) => "object".into(),
            Self::Nothing => "nothing".into(),
            Self::Itself | Self::Unknown => "?".into(),
        }
    }
}
