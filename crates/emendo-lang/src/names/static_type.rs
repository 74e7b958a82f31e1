//! How the static type of an expression is written where a declaration would say it.

use crate::tree::in_field;
use emendo_text::Span;

use crate::ground::{Certainty, Fact};
use crate::language::{Gives, Origin, Space};
use crate::resolver::Resolver;
use crate::ty::Ty;
use crate::types::ParamSite;

/// A piece of a type as it is written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum TypePiece {
    /// Text.
    Text(String),
    /// The name of a type by its symbol, which may have to be imported.
    Symbol(String),
}

/// A type as it is written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StaticType {
    /// Its pieces in order.
    pub pieces: Vec<TypePiece>,
    /// What it rests on, where no declaration says it.
    pub fact: Option<Fact>,
}

impl Resolver<'_> {
    /// The static type of the expression at a place, as a declaration there would write it.
    ///
    /// # Errors
    /// Why it cannot be written, in words.
    pub fn static_type(&self, at: Span) -> Result<StaticType, String> {
        let shown = crate::tree::shown(self.tree, at, self.text);
        if let Some(written) = self.annotation_of(at)? {
            return Ok(StaticType { pieces: vec![TypePiece::Text(written)], fact: None });
        }
        let told = self.type_at(at).ok_or_else(|| format!("the type of `{shown}` is not known"))?;
        // Whether it is held by a sign or in a box, its type as it is inferred does not say.
        if !self.language.typing.syntax.prefixes.is_empty() && !self.is_made_there(at) {
            return Err(format!("whether `{shown}` is a reference is not known"));
        }
        let mut pieces = Vec::new();
        if let Some(made) = self.made_type(at) {
            pieces.push(TypePiece::Text(made));
        } else {
            self.pieces(&told.ty, at, &mut pieces)
                .map_err(|why| format!("the type of `{shown}` cannot be written: {why}"))?;
        }
        let text: String = pieces
            .iter()
            .map(|p| match p {
                TypePiece::Text(text) => text.as_str(),
                TypePiece::Symbol(symbol) => self.language.names.last(symbol),
            })
            .collect();
        let says = told.says.min(Certainty::Likely);
        let text = format!("the type of `{shown}` is inferred: `{text}`");
        Ok(StaticType { pieces, fact: Some(Fact { says, text, at: None }) })
    }

    /// The type that the declaration of a name writes, if it writes one and that still holds at the place.
    fn annotation_of(&self, at: Span) -> Result<Option<String>, String> {
        let name = at.of(self.text);
        if let Some((f, place)) = self.parameter_at(at) {
            let p: &ParamSite = &f.params[place];
            let default = p.span.of(self.text).contains('=');
            // What takes all that are left may be declared as the list that it is.
            let text = p.span.of(self.text);
            let ty = p.ty.as_ref().map_or("", |(ty, _)| ty.of(self.text));
            let list = ty.ends_with("[]") && !text.contains("]...");
            if p.rest && !list || p.optional && !default && !p.rest {
                return Err(format!("`{name}` may be left out, or stands for several"));
            }
            let same = p.name.is_none_or(|n| n == at) || self.as_declared(p.name, at);
            let written = p.ty.as_ref().filter(|_| same).map(|(ty, _)| ty.of(self.text));
            return Ok(written.filter(|w| self.says_something(w)).map(str::to_owned));
        }
        let spaces = [Space::Value];
        let own = self.introduced(at).map(|_| at);
        let declared = own.or_else(|| Some(self.facts.lookup(name, &spaces, at.start)?.at));
        let declared = declared.or_else(|| self.member_place(at));
        let Some(declared) = declared else { return Ok(None) };
        let Some((_, node, rule)) = self.introduced(declared) else { return Ok(None) };
        if rule.origin != Origin::Value || rule.ty.is_empty() {
            return Ok(None);
        }
        let written = in_field(node, rule.ty).or_else(|| in_field(node.parent()?, rule.ty));
        let Some(written) = written else { return Ok(None) };
        let written = crate::tree::span(self.type_inside(written)).of(self.text);
        let holds = declared == at || self.as_declared(Some(declared), at);
        Ok((holds && self.says_something(written)).then(|| written.to_owned()))
    }

    fn says_something(&self, written: &str) -> bool {
        !self.language.typing.syntax.inferred.contains(&written)
    }

    /// Where a member of the object itself is declared in this file.
    fn member_place(&self, at: Span) -> Option<Span> {
        let text = at.of(self.text);
        let (object, member) = text.rsplit_once('.')?;
        let own = self.language.declares.hints.own.contains(&object.trim());
        let t = self.facts.types_at(at.start).next().filter(|_| own)?;
        t.members_called(member.trim()).next().map(|m| m.at)
    }

    /// True if a name is of the same type at a place as where it is declared: no test tells more of it.
    fn as_declared(&self, declared: Option<Span>, at: Span) -> bool {
        let declared = declared.and_then(|d| self.type_at(d));
        declared.is_none_or(|d| self.type_at(at).is_none_or(|t| t.ty == d.ty))
    }

    /// True if an expression is made right there, so that its type is all that it is.
    fn is_made_there(&self, at: Span) -> bool {
        let path = crate::tree::descend(self.tree.root(), at);
        path.iter().filter(|(n, _)| crate::tree::span(*n) == at).any(|(n, _)| {
            matches!(self.language.typing.gives(n.kind()), Some(Gives::Made(_) | Gives::Written(_)))
        })
    }

    /// The type that an expression which makes an object names, as it names it.
    fn made_type(&self, at: Span) -> Option<String> {
        let path = crate::tree::descend(self.tree.root(), at);
        let (node, field) =
            path.iter().rev().find_map(|(n, _)| match self.language.typing.gives(n.kind()) {
                Some(Gives::Made(field)) if crate::tree::span(*n) == at => Some((*n, field)),
                _ => None,
            })?;
        let named = crate::tree::part(node, field)?;
        let given = node.child_by_field_name("type_arguments");
        let end = given.map_or(named.end_byte(), |g| g.end_byte());
        let text = self.text.get(named.start_byte()..end)?;
        let (open, close) = self.language.typing.syntax.generic;
        let whole =
            text.ends_with(close) && !text.replace(' ', "").ends_with(&format!("{open}{close}"));
        whole.then(|| text.to_owned())
    }

    fn pieces(&self, ty: &Ty, at: Span, out: &mut Vec<TypePiece>) -> Result<(), String> {
        let syntax = &self.language.typing.syntax;
        match ty {
            Ty::Of { named: true, .. } => Err("it is a type itself".into()),
            Ty::Of { symbols, args, .. } => {
                let known = |s: &&String| self.known_as(s, Space::Type, at.start).is_some();
                let symbol = symbols.iter().find(known).or(symbols.first());
                let symbol = symbol.ok_or("it has no name")?;
                if args.is_empty() && self.takes_types(symbol) {
                    return Err(format!("what `{symbol}` is given is not known"));
                }
                if symbol == syntax.list
                    && let ("[]", [item]) = (syntax.list, args.as_slice())
                {
                    self.pieces(item, at, out)?;
                    out.push(TypePiece::Text("[]".to_owned()));
                    return Ok(());
                }
                let primitives = self.language.typing.built_in.primitives;
                match primitives.iter().find(|(_, s)| s == symbol).filter(|_| args.is_empty()) {
                    Some((written, _)) => out.push(TypePiece::Text((*written).to_owned())),
                    None => out.push(TypePiece::Symbol(symbol.clone())),
                }
                if !args.is_empty() {
                    let (open, close) = syntax.generic;
                    self.listed(args, &open.to_string(), &close.to_string(), at, out)?;
                }
                Ok(())
            }
            Ty::Param(name, _) if self.type_param(name, at.start).is_some() => {
                out.push(TypePiece::Text(name.clone()));
                Ok(())
            }
            Ty::Param(name, _) => Err(format!("what `{name}` stands for is not known")),
            Ty::Tuple(items) if syntax.tuple.0.is_empty() || items.is_empty() => {
                Err("it is several values at once".into())
            }
            Ty::Tuple(items) => self.listed(items, syntax.tuple.0, syntax.tuple.1, at, out),
            Ty::Either(_) => Err(format!("it is {}", ty.shown(self.language))),
            Ty::Function { .. } | Ty::Object(_) | Ty::All(_) => Err("it has no name".into()),
            Ty::Nothing => Err("it is no value".into()),
            Ty::Itself | Ty::Unknown => Err("part of it is not known".into()),
        }
    }

    fn listed(
        &self,
        all: &[Ty],
        open: &str,
        close: &str,
        at: Span,
        out: &mut Vec<TypePiece>,
    ) -> Result<(), String> {
        out.push(TypePiece::Text(open.to_owned()));
        for (i, ty) in all.iter().enumerate() {
            if i > 0 {
                out.push(TypePiece::Text(", ".to_owned()));
            }
            self.pieces(ty, at, out)?;
        }
        out.push(TypePiece::Text(close.to_owned()));
        Ok(())
    }

    /// True for a type that is told to have type parameters.
    fn takes_types(&self, symbol: &str) -> bool {
        let learned = self.project.learned(self.language, symbol);
        let told = self.project.is_standard(self.language, symbol);
        learned.is_some_and(|l| !l.params.is_empty())
            || !told && self.shape(symbol).is_some_and(|s| !s.params.is_empty())
    }
}
